package e2e

import (
	"compress/gzip"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/proof"
)

// TestLargeOffice: an office of many devices draws what is seen, and keys go
// anywhere in it.
func TestLargeOffice(t *testing.T) {
	ctx, p := start(t)
	id := eval[int](
		t,
		ctx,
		fmt.Sprintf(
			`fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({text: %q})}).then(r => r.json()).then(o => o.id)`,
			proof.Large(),
		),
	)
	visit(t, ctx, p, fmt.Sprintf("/%d", id), "#board")
	press(t, ctx, "O")
	until(t, ctx, `Number(document.querySelector("#board").getAttribute("aria-colcount")) === 30*52 + 1`)
	drawn := eval[int](t, ctx, `document.querySelectorAll("[role=gridcell]").length`)
	require.Less(t, drawn, 4000, "of 62,400 cells")
	press(t, ctx, kb.End)
	until(t, ctx, `document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.port.startsWith("d")`)
	last := eval[string](t, ctx, `document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant")).dataset.port`)
	require.Regexp(t, regexp.MustCompile(`^d\d+\.52$`), last)
	for range 45 {
		press(t, ctx, kb.ArrowDown)
	}
	until(t, ctx, `document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.vid === "139"`)
	press(t, ctx, "u")
	kept(t, ctx, 2)
	// the strip of devices jumps, and the line does
	// A far device comes into view with all its columns, or as many as there is room for.
	_ = eval[any](t, ctx, `document.querySelector('nav[aria-label="Devices on the board"] button:last-child').click(); 0`)
	until(t, ctx, `(() => {
		const name = document.querySelector('nav[aria-label="Devices on the board"] button:last-child').textContent.replace("!", "");
		const cells = [...document.querySelectorAll("[role=gridcell]")].filter(c => (c.dataset.port ?? "").startsWith(name + ".")).map(c => c.getBoundingClientRect());
		const xs = new Set(cells.filter(r => r.right <= innerWidth && r.left >= 180).map(r => Math.round(r.left)));
		return xs.size >= 4;
	})()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(`nav[aria-label="Devices on the board"] button:nth-child(2)`)))
	until(
		t,
		ctx,
		`document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.port === document.querySelector('nav[aria-label="Devices on the board"] button:nth-child(2)').textContent.replace("!", "") + ".1"`,
	)
	press(t, ctx, "/")
	press(t, ctx, "go d29.17"+kb.Enter)
	until(t, ctx, `document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.port === "d29.17"`)
	// rows filtered and sorted
	fill(t, ctx, ".filter", "v12")
	until(t, ctx, `document.querySelector("#board").getAttribute("aria-rowcount") === "11"`)
	fill(t, ctx, ".filter", "")
	until(t, ctx, `document.querySelector("#board").getAttribute("aria-rowcount") === "41"`)
}

// BenchmarkBoard is the board of 30 devices with all ports unfolded: how long
// the longest frame of a scroll takes, a key press to the repainted cell, and to
// "kept" with new findings; and the weight of the first load.
func BenchmarkBoard(b *testing.B) {
	ctx, p := start(b)
	run := func(script string) []float64 {
		v, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](script, chromedp.EvalAwaitPromise))
		require.NoError(b, err)
		return v
	}
	id := run(fmt.Sprintf(`fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({text: %q})}).then(r => r.json()).then(o => [o.id])`, proof.Large()))[0]
	require.NoError(b, chromedp.Do(ctx, chromedp.Navigate(fmt.Sprintf("%s/%.0f", p.URL, id)), chromedp.WaitVisible("#board")))
	require.NoError(b, stage.Press(ctx, "O"))
	require.NoError(b, stage.Until(ctx, `Number(document.querySelector("#board").getAttribute("aria-colcount")) === 30*52 + 1`))
	frames := run(`(async () => {
		const s = document.querySelector(".scroll"), took = [];
		await new Promise(r => setTimeout(r, 500));
		let last = await new Promise(requestAnimationFrame);
		for (let x = 0; x < 20000; x += 60) {
			s.scrollLeft = x; s.scrollTop = (x / 40) % 600;
			const now = await new Promise(requestAnimationFrame);
			took.push(now - last); last = now;
		}
		return took;
	})()`)
	slices.Sort(frames)
	b.ReportMetric(frames[len(frames)/2], "scroll-frame-median-ms")
	b.ReportMetric(frames[len(frames)*99/100], "scroll-frame-p99-ms")
	b.ReportMetric(frames[len(frames)-1], "scroll-frame-worst-ms")
	// a cell shows at once, "kept" is when the server has it and the findings are back
	for _, k := range []struct{ name, script string }{
		{"move", `const cell = () => document.querySelector(".pick i").parentElement.style.left;
			const before = cell(); key(i % 2 ? "ArrowLeft" : "ArrowRight"); while (cell() === before) await new Promise(r => setTimeout(r)); `},
		{"cell", `const id = board.getAttribute("aria-activedescendant"), was = document.getElementById(id).dataset.as; key(i % 2 ? "." : "t");
			while (document.getElementById(id).dataset.as === was) await Promise.resolve(); `},
		{"edit", `const at = document.getElementById("revision"), before = at.dataset.revision; key(i % 2 ? "." : "t");
			while (at.dataset.revision === before || at.dataset.keeping !== "kept") await new Promise(r => setTimeout(r)); `},
	} {
		took := run(fmt.Sprintf(`(async () => {
			const board = document.getElementById("board"), took = [];
			const key = k => board.dispatchEvent(new KeyboardEvent("keydown", {key: k, bubbles: true}));
			board.focus();
			for (let i = 0; i < 110; i++) {
				const start = performance.now();
				%s
				await new Promise(requestAnimationFrame);
				if (i >= 10) took.push(performance.now() - start);
				await new Promise(r => setTimeout(r, 60));
			}
			return took;
		})()`, k.script))
		slices.Sort(took)
		b.ReportMetric(took[len(took)/2], k.name+"-median-ms")
		b.ReportMetric(took[len(took)*99/100], k.name+"-p99-ms")
	}
	// The same ports as a list: a scroll, and from a typed note to "kept".
	require.NoError(b, chromedp.Do(ctx, chromedp.Navigate(fmt.Sprintf("%s/%.0f/ports", p.URL, id)), chromedp.WaitVisible("#ports")))
	require.NoError(b, stage.Until(ctx, `Number(document.querySelector("#ports").getAttribute("aria-rowcount")) >= 30*52 + 1`))
	frames = run(`(async () => {
		const s = document.querySelector(".ports .grid"), took = [];
		await new Promise(r => setTimeout(r, 500));
		let last = await new Promise(requestAnimationFrame);
		for (let y = 0; y < 40000; y += 90) {
			s.scrollTop = y;
			const now = await new Promise(requestAnimationFrame);
			took.push(now - last); last = now;
		}
		s.scrollTop = 0;
		return took;
	})()`)
	slices.Sort(frames)
	b.ReportMetric(frames[len(frames)/2], "list-scroll-median-ms")
	b.ReportMetric(frames[len(frames)*99/100], "list-scroll-p99-ms")
	took := run(`(async () => {
		const list = document.getElementById("ports"), took = [], key = (el, k) => el.dispatchEvent(new KeyboardEvent("keydown", {key: k, bubbles: true}));
		list.focus();
		for (let i = 0; i < 25; i++) {
			key(list, "F2");
			await new Promise(r => setTimeout(r, 30));
			const input = list.querySelector("td input"), at = document.getElementById("revision"), before = at.dataset.revision;
			input.value = "pc " + i + " [120]"; input.dispatchEvent(new Event("input", {bubbles: true}));
			const start = performance.now();
			key(input, "Enter");
			while (at.dataset.revision === before || at.dataset.keeping !== "kept") await new Promise(r => setTimeout(r));
			await new Promise(requestAnimationFrame);
			if (i >= 5) took.push(performance.now() - start);
		}
		return took;
	})()`)
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "list-edit-median-ms")
	b.ReportMetric(took[len(took)-1], "list-edit-worst-ms")
	b.ReportMetric(float64(scriptWeight(b, p.URL))/1000, "script-kB-gzip")
	b.ReportMetric(0, "ns/op")
}

// scriptWeight is the bytes of script that the first page needs, compressed.
func scriptWeight(b *testing.B, url string) int {
	get := func(path string) []byte {
		r, err := http.Get(url + path)
		require.NoError(b, err)
		defer r.Body.Close()
		text, err := io.ReadAll(r.Body)
		require.NoError(b, err)
		return text
	}
	total := 0
	for _, m := range regexp.MustCompile(`(?:src|href)="(/[^"]+\.js)"`).FindAllStringSubmatch(string(get("/")), -1) {
		var out strings.Builder
		z := gzip.NewWriter(&out)
		_, err := z.Write(get(m[1]))
		require.NoError(b, err)
		require.NoError(b, z.Close())
		total += out.Len()
	}
	return total
}
