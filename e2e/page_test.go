// Package e2e drives the real program with a fresh database in a real browser.
package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/proof/short"
	"klammer/store/cluster/clustertest"
)

// url is the PostgreSQL server in which each test has a database of its own.
var url string

func TestMain(m *testing.M) {
	code := clustertest.Main(m, &url)
	stage.End()
	os.Exit(code)
}

// browsed leaves a test out where there is no browser, or where a short run is asked for.
func browsed(t testing.TB) {
	t.Helper()
	if t.Name() != "TestBoardByKeysAndMouse" { // which is what a short run looks at
		short.Skip(t)
	}
	if _, err := exec.LookPath("chromium"); err != nil {
		t.Skip("chromium is not installed: apt-get install chromium (./run test does)")
	}
}

// folder is one that the database's user can get into, for as long as the test lasts.
func folder(t testing.TB) string {
	t.Helper()
	dir, err := stage.Folder()
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

// serve gives a program on a fresh database, until the test ends.
func serve(t testing.TB, how stage.How) *stage.Program {
	t.Helper()
	p, err := stage.StartOn(clustertest.New(t, url), folder(t), how)
	require.NoError(t, err)
	t.Cleanup(func() { _ = p.Stop() })
	return p
}

// window opens a browser of somebody's own, until the test ends or whole does.
func window(t testing.TB, whole context.Context) context.Context {
	t.Helper()
	ctx, stop, err := stage.Browser(whole)
	require.NoError(t, err)
	t.Cleanup(stop)
	return ctx
}

// within is how long a test may take in all, five minutes.
func within(t testing.TB) context.Context {
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Minute)
	t.Cleanup(cancel)
	return ctx
}

// start gives a program on fresh data and a browser at its board.
func start(t testing.TB) (context.Context, *stage.Program) {
	t.Helper()
	return startAs(t, stage.Plain)
}

// startAs is start with another way to start the program.
func startAs(t testing.TB, how stage.How) (context.Context, *stage.Program) {
	t.Helper()
	browsed(t)
	p := serve(t, how)
	ctx := window(t, within(t))
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

// settled waits until the page has nothing more to come by itself.
func settled(t *testing.T, ctx context.Context) {
	t.Helper()
	require.NoError(t, stage.Settled(ctx))
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
