package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// cramped is the fields that have no room for a line of text, or too little of it to be read,
// and the selects whose choice is cut.
const cramped = `(() => {
	const out = [];
	const pen = document.createElement("canvas").getContext("2d");
	for (const x of document.querySelectorAll("input, select, textarea")) {
		const s = getComputedStyle(x);
		if (/checkbox|radio|range|file|hidden/.test(x.type) || x.getBoundingClientRect().width < 2) continue;
		const high = x.clientHeight - parseFloat(s.paddingTop) - parseFloat(s.paddingBottom);
		const wide = x.clientWidth - parseFloat(s.paddingLeft) - parseFloat(s.paddingRight);
		const name = x.getAttribute("aria-label") ?? x.id;
		if (high < parseFloat(s.fontSize)) out.push(name + ": " + high + " pixels high for letters of " + s.fontSize);
		pen.font = s.font;
		if (x.tagName === "SELECT" && pen.measureText(x.selectedOptions[0]?.textContent ?? "").width > wide + 1) out.push(name + ": " + x.selectedOptions[0].textContent + " is cut");
		if (x.tagName === "INPUT" && wide < 40) out.push(name + ": " + wide + " pixels wide");
	}
	return out;
})()`

// TestEveryViewForEveryone runs axe-core on every view, light and dark, with
// what opens over it.
func TestEveryViewForEveryone(t *testing.T) {
	ctx, p := start(t)
	axe, err := os.ReadFile(filepath.Join(stage.Root(), "ui", "node_modules", "axe-core", "axe.min.js"))
	require.NoError(t, err)
	look := func(t *testing.T, name string) {
		_ = eval[any](t, ctx, string(axe)+";0") // defines window.axe
		for _, theme := range []string{"light", "dark"} {
			only := `["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]`
			if theme == "dark" { // of what is asked, the one thing that a theme changes
				only = `["color-contrast"]`
			}
			bad := eval[[]string](t, ctx, `axe.run(document, {runOnly: `+only+`}).then(r =>
				r.violations.map(v => v.id + ": " + v.help + " " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + n.failureSummary).join(" | ")))`)
			require.Empty(t, bad, name+", "+theme+"\n"+strings.Join(bad, "\n"))
			_ = eval[any](t, ctx, `document.documentElement.classList.toggle("dark"); 0`)
		}
	}
	for _, v := range []struct{ path, ready, more string }{
		{"/1", `document.querySelector("#shape")?.textContent.trim()`, ""},
		{"/1", `document.querySelector("#board")`, `document.getElementById("board").dispatchEvent(new KeyboardEvent("keydown", {key: "m", bubbles: true})); document.getElementById("board").dispatchEvent(new KeyboardEvent("keydown", {key: "c", bubbles: true}))`},
		{"/1/reach?vlan=130", `document.querySelector(".tree")`, ""},
		{"/1/walk?from=ward-east.1&to=rack.9", `document.querySelector(".way li")`, `document.querySelectorAll("details").forEach(d => d.open = true)`},
		{"/1/talk?from=guests&to=surgery", `document.querySelector("#talk")`, ""},
		{"/1/ports", `document.querySelector("#ports td")`, `document.getElementById("ports").dispatchEvent(new KeyboardEvent("keydown", {key: "Enter", bubbles: true}))`},
		{"/1/plans", `document.querySelector("#plan-text")`, ""},
		{"/1/register?vlan=110", `document.querySelector("#vlan-name")`, ""},
		{"/1/devices?device=rack&port=1", `document.querySelector("#plug-name")`, ""},
		{"/1/sheets?device=ward-west", `document.querySelector(".steps li")`, ""},
		{"/1/poster", `document.querySelector(".poster svg")`, ""},
		{"/1/checkup", `document.querySelector("#check-now")`, `document.querySelector("#check-now").click()`},
		{"/1/notices", `document.querySelector("#notice-target")`, ""},
		{"/1/handbook", `document.querySelector("[data-handbook]")?.shadowRoot?.querySelector("#restore")`, ""},
		{"/1/field", `document.querySelector("main h1")`, ""},
		{"/1/orders", `document.querySelector("main h1")`, ""},
		{"/1/round", `document.querySelector(".round li")`, `document.querySelector(".round li [aria-label$='is not as planned']").click(); document.querySelectorAll("details").forEach(d => d.open = true)`},
		{"/1/here?port=rack.5", `document.querySelector(".here h2")`, ""},
		{"/1/history", `document.querySelector("[data-revision] .rev")`, ""},
		{"/1/compare", `document.querySelector("#compare-with")`, ""},
		{"/offices", `document.querySelector("[data-office] button")`, `[...document.querySelectorAll("li button")].at(-1)?.click()`},
	} {
		t.Run(v.path, func(t *testing.T) {
			require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+v.path)))
			until(t, ctx, `!!%s`, v.ready)
			if v.more != "" {
				_ = eval[any](t, ctx, v.more+"; 0")
				_ = eval[any](t, ctx, `new Promise(r => setTimeout(r, 400))`)
			}
			look(t, v.path)
			wide := eval[float64](t, ctx, `document.documentElement.scrollWidth - innerWidth`)
			require.LessOrEqual(t, wide, 0.0, "the page does not scroll sideways")
		})
	}
	// A narrow tablet, a page at 200 %, a phone: everything can be read, and nothing lies over what
	// is to be clicked.
	sizes := [][2]int64{{1280, 800}, {768, 1024}, {640, 400}, {390, 844}}
	for i, v := range []string{"", "/ports", "/reach?vlan=130", "/walk?from=ward-east.5", "/talk", "/plans", "/register", "/devices", "/field", "/sheets?device=ward-west", "/orders", "/round", "/here?port=rack.5", "/poster", "/history", "/handbook", "/notices", "/checkup"} {
		t.Run("sizes of "+v, func(t *testing.T) {
			for j := range sizes {
				size := sizes[(i+j)%len(sizes)]
				require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(size[0], size[1])))
				if j == 0 { // each size is one that some views are opened at, and others come to
					require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/1"+v), chromedp.WaitVisible("header")))
					until(t, ctx, `document.querySelector("main h1, #board") !== null`)
				}
				require.NoError(t, stage.Settled(ctx))
				require.Empty(t, eval[[]string](t, ctx, cramped), size)
				wide := eval[float64](t, ctx, `document.documentElement.scrollWidth - innerWidth`)
				require.LessOrEqual(t, wide, 0.0, size)
				covered := eval[[]string](t, ctx, `(() => {
					const out = [];
					for (const x of document.querySelectorAll("header a, header button, main a, main button")) {
						const r = x.getBoundingClientRect();
						const at = [r.x + r.width / 2, r.y + r.height / 2];
						if (!r.width || !r.height || at[0] < 0 || at[1] < 0 || at[0] >= innerWidth || at[1] >= innerHeight) continue;
						const top = document.elementFromPoint(...at);
						let box = x.parentElement, out1 = false; // what is scrolled out of its own box is not there
						for (; box; box = box.parentElement) {
							const b = box.getBoundingClientRect(), s = getComputedStyle(box);
							if (s.overflow !== "visible" && (at[0] < b.left || at[0] > b.right || at[1] < b.top || at[1] > b.bottom)) out1 = true;
						}
						if (!out1 && top && top !== x && !x.contains(top) && !top.contains(x) && !top.closest("#line, .line, [role=status], .sticky, .bar, thead"))
							out.push(x.textContent.trim().slice(0, 30) + " under " + top.outerHTML.slice(0, 80));
					}
					return out;
				})()`)
				require.Empty(t, covered, size)
			}
		})
	}
}
