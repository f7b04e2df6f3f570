// Package e2e drives the real program with a fresh database in a real browser.
package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/store/cluster"
)

// start gives a program on fresh data and a browser at its board.
func start(t *testing.T) (context.Context, *stage.Program) {
	t.Helper()
	if _, err := exec.LookPath("chromium"); err != nil {
		t.Skip("chromium is not installed: apt-get install chromium (./run test does)")
	}
	data, err := stage.Folder()
	require.NoError(t, err)
	p, err := stage.Start(data, 0)
	require.NoError(t, err)
	t.Cleanup(func() {
		_ = p.Stop()
		os.RemoveAll(data)
	})
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Minute)
	t.Cleanup(cancel)
	ctx, stop, err := stage.Browser(ctx)
	require.NoError(t, err)
	t.Cleanup(stop)
	require.NoError(t, stage.Open(ctx, p.URL, "Robin"))
	return ctx, p
}

func eval[T any](t *testing.T, ctx context.Context, expression string) T {
	t.Helper()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	return v
}

func until(t *testing.T, ctx context.Context, format string, args ...any) {
	t.Helper()
	if err := stage.Until(ctx, fmt.Sprintf(format, args...)); err != nil {
		_ = stage.Shoot(ctx, filepath.Join(os.TempDir(), "klammer-failed.png"))
		require.NoError(t, err)
	}
}

func press(t *testing.T, ctx context.Context, keys string, held ...chromedp.Modifier) {
	t.Helper()
	require.NoError(t, stage.Press(ctx, keys, held...))
}

// goTo moves to a cell by the keyboard alone.
func goTo(t *testing.T, ctx context.Context, port string, vid int) {
	t.Helper()
	_ = eval[bool](t, ctx, `document.getElementById("board").focus() === undefined`)
	at := func(selector, name string) int {
		return eval[int](t, ctx, fmt.Sprintf(`Number(document.querySelector(%q).dataset.%s)`, selector, name))
	}
	active := func(part int) int {
		return eval[int](t, ctx, fmt.Sprintf(`Number(document.getElementById("board").getAttribute("aria-activedescendant").split("-")[%d])`, part))
	}
	move := func(to, from int, forth, back string) {
		key := forth
		if to < from {
			key, to, from = back, from, to
		}
		for range to - from {
			press(t, ctx, key)
		}
	}
	cell := stage.Cell(port, vid)
	move(at(cell, "row"), active(1), kb.ArrowDown, kb.ArrowUp)
	move(at(cell, "column"), active(2), kb.ArrowRight, kb.ArrowLeft)
	until(t, ctx, `document.getElementById("board").getAttribute("aria-activedescendant") === document.querySelector(%q).id`, cell)
}

func kept(t *testing.T, ctx context.Context, revision int) {
	t.Helper()
	until(t, ctx, `document.querySelector("#revision[data-revision='%d'][data-keeping='kept']") !== null`, revision)
}

const (
	cable  = `document.querySelector("[data-cable='rack.19 ward-east.8']")`
	broken = cable + `.classList.contains("broken")`
	split  = `document.querySelector("[data-code=split]")`
)

func as(port string, vid int) string {
	return fmt.Sprintf(`document.querySelector(%q)?.dataset.as`, stage.Cell(port, vid))
}

// TestMendAndKill is the first story: see the broken cable, mend it from the
// keyboard, and find the mend after the server was killed.
func TestMendAndKill(t *testing.T) {
	ctx, p := start(t)
	until(t, ctx, broken)
	require.Contains(t, eval[string](t, ctx, cable+`.getAttribute("aria-label")`), "[130] ends at rack 19")

	goTo(t, ctx, "rack.19", 130)
	until(t, ctx, split+` !== null`)
	press(t, ctx, "t")
	kept(t, ctx, 2)
	until(t, ctx, `!`+broken)
	until(t, ctx, split+` === null`)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))

	// Killed without a word; the page says so, and everything can still be read.
	p.Kill()
	until(t, ctx, `document.querySelector("#revision[data-keeping='lost']") !== null`)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))
	goTo(t, ctx, "rack.21", 160)
	press(t, ctx, ".")
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("Nothing was changed")`)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.21", 160)))

	// Started again at the same place, the page finds it by itself.
	q, err := stage.Start(p.Data, p.Port())
	require.NoError(t, err)
	t.Cleanup(func() { _ = q.Stop() })
	kept(t, ctx, 2)
	require.NoError(t, chromedp.Do(ctx, chromedp.Reload(), chromedp.WaitVisible("#board")))
	kept(t, ctx, 2)
	require.False(t, eval[bool](t, ctx, broken))
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))

	// Undo and redo go through the server too, and outlive the reload.
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "z", chromedp.ModifierCtrl)
	kept(t, ctx, 3)
	require.True(t, eval[bool](t, ctx, broken))
	press(t, ctx, "Z", chromedp.ModifierCtrl, chromedp.ModifierShift)
	kept(t, ctx, 4)
	require.False(t, eval[bool](t, ctx, broken))
}

// TestDatabaseGone stops the database under the running server: nothing is
// acknowledged that is not kept, and work goes on when it is back.
func TestDatabaseGone(t *testing.T) {
	if _, err := exec.LookPath("chromium"); err != nil {
		t.Skip("chromium is not installed: apt-get install chromium (./run test does)")
	}
	dir, err := stage.Folder()
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	db, err := cluster.Start(t.Context(), dir, "fsync=off")
	require.NoError(t, err)
	p, err := stage.StartOn(db.URL)
	require.NoError(t, err)
	defer func() { _ = p.Stop() }()
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Minute)
	defer cancel()
	ctx, stop, err := stage.Browser(ctx)
	require.NoError(t, err)
	defer stop()
	require.NoError(t, stage.Open(ctx, p.URL, "Robin"))

	require.NoError(t, db.Kill())
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "t")
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("database does not answer")`)
	require.Equal(t, "none", eval[string](t, ctx, as("rack.19", 130)), "what is not kept is not shown")
	require.Equal(t, "lost", eval[string](t, ctx, `document.getElementById("revision").dataset.keeping`))

	again, err := db.Again(t.Context())
	require.NoError(t, err)
	defer func() { _ = again.Stop() }()
	kept(t, ctx, 1)
	press(t, ctx, "t")
	kept(t, ctx, 2)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))
}

// TestTwoEditors has two people on one office: each sees the other's edits
// arrive, and nobody overwrites anybody.
func TestTwoEditors(t *testing.T) {
	ctx, p := start(t)
	other, stop, err := stage.Browser(t.Context())
	require.NoError(t, err)
	defer stop()
	require.NoError(t, stage.Open(other, p.URL, "Sam"))

	goTo(t, other, "rack.18", 160)
	press(t, other, "t")
	kept(t, other, 2)
	kept(t, ctx, 2)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.18", 160)))
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("Sam")`)

	// an edit on an old revision of the same port is refused, by name
	said := eval[string](t, other, `fetch("/api/offices/1/edits", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({base: 1, member: {vids: [110], ports: ["rack.18"], as: "none"}})}).then(async r => r.status + " " + (await r.json()).error)`)
	require.Contains(t, said, "409")
	require.Contains(t, said, "port rack.18 was changed meanwhile by Sam")
	// and merged where it touches another
	said = eval[string](t, other, `fetch("/api/offices/1/edits", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({base: 1, member: {vids: [130], ports: ["rack.19"], as: "tagged"}})}).then(r => "" + r.status)`)
	require.Equal(t, "200", said)
	kept(t, ctx, 3)
}

// TestBoardByKeysAndMouse goes through what the board can do.
func TestBoardByKeysAndMouse(t *testing.T) {
	ctx, _ := start(t)
	t.Run("a block is set as one edit", func(t *testing.T) {
		goTo(t, ctx, "ward-east.1", 170)
		press(t, ctx, kb.ArrowRight, chromedp.ModifierShift)
		press(t, ctx, "t")
		kept(t, ctx, 2)
		require.Equal(t, "T", eval[string](t, ctx, as("ward-east.1", 170)))
		require.Equal(t, "T", eval[string](t, ctx, as("ward-east.5", 170)))
		press(t, ctx, "z", chromedp.ModifierCtrl)
		kept(t, ctx, 3)
		require.Equal(t, "none", eval[string](t, ctx, as("ward-east.1", 170)))
	})
	t.Run("untagged brings the PVID, and p sets it alone", func(t *testing.T) {
		goTo(t, ctx, "rack.22", 110)
		press(t, ctx, "u")
		kept(t, ctx, 4)
		until(t, ctx, `document.querySelector("#shape").textContent === "110"`)
		goTo(t, ctx, "rack.22", 120)
		press(t, ctx, "p")
		kept(t, ctx, 5)
		until(t, ctx, `document.querySelector("#shape").textContent === "110 pvid 120"`)
		until(t, ctx, `document.querySelector("[data-code=pvid-not-member]") !== null`)
		press(t, ctx, "z", chromedp.ModifierCtrl)
		press(t, ctx, "z", chromedp.ModifierCtrl)
		kept(t, ctx, 7)
	})
	t.Run("Enter unfolds a column", func(t *testing.T) {
		goTo(t, ctx, "rack.1", 110)
		press(t, ctx, kb.Enter)
		until(t, ctx, `document.querySelector(%q) !== null`, stage.Cell("rack.5", 110))
		press(t, ctx, kb.Enter)
		until(t, ctx, `document.querySelector(%q) === null`, stage.Cell("rack.5", 110))
	})
	t.Run("the line says what it would do, and refuses what means nothing", func(t *testing.T) {
		press(t, ctx, "/")
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", "rack 19: 190 [120 130 4095]")))
		until(t, ctx, `document.querySelector("#foretold").textContent.includes("4095 is reserved")`)
		press(t, ctx, kb.Escape)
		press(t, ctx, "/")
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", "rack 19: 190 [120 130 140 170]")))
		until(t, ctx, `document.querySelector("#foretold").textContent.startsWith("1 port changes · 0 new findings · 2 findings go away")`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 8)
		require.False(t, eval[bool](t, ctx, broken))
	})
	t.Run("a cable by the mouse, and its mend", func(t *testing.T) {
		x := eval[[]float64](t, ctx, `(() => { const r = document.querySelector("[data-cable='rack.18 yard.eth0']").getBoundingClientRect(); return [r.left + 2, (r.top + r.bottom) / 2]; })()`)
		require.NoError(t, chromedp.Do(ctx, chromedp.MouseClickXY(x[0], x[1])))
		until(t, ctx, `document.querySelector(".words h2").textContent.includes("rack 18 ⇄ yard eth0")`)
		require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-code=not-carried] .mend")))
		kept(t, ctx, 9)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.18", 160)))
	})
	t.Run("a block by dragging, and a button for each key", func(t *testing.T) {
		middle := func(port string) (float64, float64) {
			x := eval[[]float64](t, ctx, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return [(r.left + r.right) / 2, (r.top + r.bottom) / 2]; })()`, stage.Cell(port, 170)))
			return x[0], x[1]
		}
		x1, y1 := middle("ward-west.1")
		x2, y2 := middle("ward-west.6")
		require.NoError(t, stage.Drag(ctx, x1, y1, x2, y2))
		until(t, ctx, `document.querySelector(".words h2").textContent.includes("ward-west 1–6")`)
		require.NoError(t, chromedp.Do(ctx, chromedp.Click(".acts button:nth-child(2)")))
		kept(t, ctx, 10)
		require.Equal(t, "T", eval[string](t, ctx, as("ward-west.1", 170)))
		require.Equal(t, "T", eval[string](t, ctx, as("ward-west.6", 170)))
		require.NoError(t, chromedp.Do(ctx, chromedp.Click(`[aria-label="Undo"]`)))
		kept(t, ctx, 11)
		require.Equal(t, "none", eval[string](t, ctx, as("ward-west.6", 170)))
	})
	t.Run("bring shows what it changes before Enter", func(t *testing.T) {
		goTo(t, ctx, "annex.8", 130)
		press(t, ctx, "b")
		until(t, ctx, `document.querySelector("#foretold").textContent.includes("ports change")`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 12)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.25", 130)))
	})
	t.Run("the board is one a screen reader can follow", func(t *testing.T) {
		axe, err := os.ReadFile(filepath.Join(stage.Root(), "ui", "node_modules", "axe-core", "axe.min.js"))
		require.NoError(t, err)
		for _, theme := range []string{"light", "dark"} {
			_ = eval[any](t, ctx, string(axe)+";0") // defines window.axe
			bad := eval[[]string](t, ctx, `axe.run(document, {runOnly: ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]}).then(r =>
				r.violations.map(v => v.id + ": " + v.help + " " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 140) + " " + n.failureSummary).join(" | ")))`)
			require.Empty(t, bad, theme+"\n"+strings.Join(bad, "\n"))
			require.NoError(t, stage.Dark(ctx))
		}
	})
}

// BenchmarkEdit is the time of one edit from the key press to "kept".
func BenchmarkEdit(b *testing.B) {
	if _, err := exec.LookPath("chromium"); err != nil {
		b.Skip("chromium is not installed")
	}
	data, err := stage.Folder()
	require.NoError(b, err)
	defer os.RemoveAll(data)
	p, err := stage.Start(data, 0)
	require.NoError(b, err)
	defer func() { _ = p.Stop() }()
	ctx, stop, err := stage.Browser(b.Context())
	require.NoError(b, err)
	defer stop()
	require.NoError(b, stage.Open(ctx, p.URL, "Robin"))
	require.NoError(b, chromedp.Do(ctx, chromedp.Click(stage.Cell("rack.19", 130))))
	// Measured inside the page: a key event to the moment the page says "kept".
	// A person leaves the page time to paint between two keys; without a pause,
	// each edit also waits for the picture of the one before.
	for _, pace := range []struct {
		name  string
		pause int
	}{{"", 60}, {"rush-", 0}} {
		took, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](fmt.Sprintf(`(async () => {
			const board = document.getElementById("board"), at = document.getElementById("revision"), took = [];
			board.focus();
			for (let i = 0; i < 220; i++) {
				const before = at.dataset.revision, start = performance.now();
				const done = new Promise(r => { const o = new MutationObserver(() => {
					if (at.dataset.revision !== before && at.dataset.keeping === "kept") { o.disconnect(); r(); } });
					o.observe(at, {attributes: true}); });
				board.dispatchEvent(new KeyboardEvent("keydown", {key: i %% 2 ? "." : "t", bubbles: true}));
				await done;
				if (i >= 20) took.push(performance.now() - start);
				await new Promise(r => setTimeout(r, %d));
			}
			return took;
		})()`, pace.pause), chromedp.EvalAwaitPromise))
		require.NoError(b, err)
		slices.Sort(took)
		b.ReportMetric(took[len(took)/2], pace.name+"median-ms")
		b.ReportMetric(took[len(took)*99/100], pace.name+"p99-ms")
		b.ReportMetric(took[len(took)-1], pace.name+"worst-ms")
	}
	b.ReportMetric(0, "ns/op")
}
