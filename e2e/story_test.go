package e2e

import (
	"context"
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/store/cluster"
	"klammer/store/cluster/clustertest"
)

// TestMendAndKill is the first story: see the broken cable, mend it from the
// keyboard, and find the mend after the server was killed, in the database of its own that it
// left running.
func TestMendAndKill(t *testing.T) {
	browsed(t)
	p, err := stage.Start(folder(t), stage.Plain)
	require.NoError(t, err)
	ctx := window(t, within(t))
	require.NoError(t, stage.Open(ctx, p.URL, "Robin"))
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
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("asks again")`)
	require.Equal(t, "lost", eval[string](t, ctx, `document.querySelector("#revision").dataset.keeping`), "what may not be kept is not said to be kept")

	// Started again at the same place, the page finds it by itself.
	q, err := p.Again()
	require.NoError(t, err)
	t.Cleanup(func() { _ = q.Stop() })
	kept(t, ctx, 3) // and asks what became of the edit: it was not made, and is made now
	require.NoError(t, chromedp.Do(ctx, chromedp.Reload(), chromedp.WaitVisible("#board")))
	kept(t, ctx, 3)
	require.Equal(t, "none", eval[string](t, ctx, as("rack.21", 160)))
	press(t, ctx, "z", chromedp.ModifierCtrl)
	kept(t, ctx, 4)
	require.False(t, eval[bool](t, ctx, broken))
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))

	// Undo and redo go through the server too, and outlive the reload.
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "z", chromedp.ModifierCtrl)
	kept(t, ctx, 5)
	require.True(t, eval[bool](t, ctx, broken))
	press(t, ctx, "Z", chromedp.ModifierCtrl, chromedp.ModifierShift)
	kept(t, ctx, 6)
	require.False(t, eval[bool](t, ctx, broken))
}

// TestDatabaseGone stops the database under the running server: nothing is
// acknowledged that is not kept, and work goes on when it is back.
func TestDatabaseGone(t *testing.T) {
	browsed(t)
	dir := folder(t)
	db, err := cluster.Start(t.Context(), dir, "fsync=off")
	require.NoError(t, err)
	p, err := stage.StartOn(db.URL, dir, stage.Plain)
	require.NoError(t, err)
	defer func() { _ = p.Stop() }()
	ctx := window(t, within(t))
	require.NoError(t, stage.Open(ctx, p.URL, "Robin"))

	well := func(path string) int {
		answer, err := http.Get(p.URL + path)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode
	}
	require.Equal(t, []int{200, 200}, []int{well("/livez"), well("/readyz")})

	require.NoError(t, clustertest.Kill(db))
	require.Equal(t, []int{200, 503}, []int{well("/livez"), well("/readyz")})
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "t")
	// What the page says depends on when the connection died; it is never that it was kept.
	until(t, ctx, `document.getElementById("revision").dataset.keeping === "lost"`)
	require.Regexp(t, "database does not answer|asks again whether this was kept", eval[string](t, ctx, `document.querySelector("#notice").textContent`))
	require.Equal(t, "none", eval[string](t, ctx, as("rack.19", 130)), "what is not kept is not shown")

	again, err := db.Again(t.Context())
	require.NoError(t, err)
	defer func() { _ = again.Stop() }()
	until(t, ctx, `document.getElementById("revision").dataset.keeping === "kept"`)
	at := eval[int](t, ctx, `Number(document.getElementById("revision").dataset.revision)`)
	require.Contains(t, []int{1, 2}, at, "the edit was made once, where the page asked again, or not at all")
	require.Equal(t, []int{200, 200}, []int{well("/livez"), well("/readyz")})
	if at == 1 {
		press(t, ctx, "t")
	}
	kept(t, ctx, 2)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.19", 130)))
}

// TestStandbyTakesOver has a page on each of two servers, on a database with a standby. The
// first database is killed while somebody works, and the standby is promoted: without a
// hand on either page both are at what was kept, and go on.
func TestStandbyTakesOver(t *testing.T) {
	browsed(t)
	dirs := []string{folder(t), folder(t)}
	first, err := cluster.Start(t.Context(), dirs[0])
	require.NoError(t, err)
	standby, err := clustertest.Standby(t.Context(), first, dirs[1])
	require.NoError(t, err)
	defer func() { _ = standby.Stop() }()
	whole := within(t)
	var pages []context.Context
	for i, name := range []string{"Robin", "Sam"} {
		p, err := stage.StartOn(clustertest.Either(first, standby), dirs[i], stage.Plain)
		require.NoError(t, err)
		defer func() { _ = p.Stop() }()
		ctx := window(t, whole)
		require.NoError(t, stage.Open(ctx, p.URL, name))
		pages = append(pages, ctx)
	}
	goTo(t, pages[0], "rack.19", 130)
	press(t, pages[0], "t")
	kept(t, pages[0], 2)
	kept(t, pages[1], 2)

	require.NoError(t, clustertest.Kill(first))
	press(t, pages[0], ".") // while nobody keeps it
	until(t, pages[0], `document.getElementById("revision").dataset.keeping === "lost"`)
	require.Equal(t, "T", eval[string](t, pages[0], as("rack.19", 130)), "what is not kept is not shown")
	require.NoError(t, clustertest.Promote(t.Context(), standby))
	promoted := time.Now()
	until(t, pages[0], `document.getElementById("revision").dataset.keeping === "kept"`) // by itself
	t.Logf("the page is well %s after the standby was promoted", time.Since(promoted).Round(10*time.Millisecond))
	at := eval[int](t, pages[0], `Number(document.getElementById("revision").dataset.revision)`)
	require.Contains(t, []int{2, 3}, at, "the edit that fell into it was made once, or not at all")
	goTo(t, pages[1], "rack.18", 160)
	require.Eventually(t, func() bool { // the other server may notice at this very edit, and say so
		press(t, pages[1], "t")
		return stage.Until(pages[1], fmt.Sprintf(`document.querySelector("#revision[data-revision='%d'][data-keeping='kept']") !== null || document.getElementById("revision").dataset.keeping === "lost"`, at+1)) == nil &&
			eval[int](t, pages[1], `Number(document.getElementById("revision").dataset.revision)`) == at+1
	}, 20*time.Second, 100*time.Millisecond)
	for _, ctx := range pages {
		kept(t, ctx, at+1)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.18", 160)))
		require.Equal(t, map[int]string{2: "T", 3: "none"}[at], eval[string](t, ctx, as("rack.19", 130)))
	}
}

// TestTwoEditors has two people on one office: each sees the other's edits
// arrive, and nobody overwrites anybody.
func TestTwoEditors(t *testing.T) {
	ctx, p := start(t)
	other := window(t, within(t))
	require.NoError(t, stage.Open(other, p.URL, "Sam"))

	goTo(t, other, "rack.18", 160)
	// a quiet mark of who is where
	until(t, ctx, `document.querySelector("[data-who='Sam']") !== null && document.querySelector("header .others")?.textContent.trim() === "Sam"`)
	press(t, other, "t")
	kept(t, other, 2)
	kept(t, ctx, 2)
	require.Equal(t, "T", eval[string](t, ctx, as("rack.18", 160)))
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("Sam")`)

	// an edit on an old revision of the same port is refused, by name
	said := eval[string](t, other, `fetch("/api/offices/1/edits", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({base: 1, commands: [{member: {vids: [110], ports: ["rack.18"], as: "none"}}]})}).then(async r => r.status + " " + (await r.json()).error)`)
	require.Contains(t, said, "409")
	require.Contains(t, said, "port rack.18 was changed meanwhile by Sam")
	// and merged where it touches another
	said = eval[string](t, other, `fetch("/api/offices/1/edits", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({base: 1, commands: [{member: {vids: [130], ports: ["rack.19"], as: "tagged"}}]})}).then(r => "" + r.status)`)
	require.Equal(t, "200", said)
	kept(t, ctx, 3)

	// What Sam typed on the line while Robin changed the same is told, and still there.
	press(t, other, "/")
	press(t, other, "rack 18: 190 [110]")
	until(t, other, `document.querySelector("#foretold").textContent.includes("Enter applies")`)
	_ = eval[any](t, other, `(window.real = fetch, window.fetch = async (q, o) => (q.url?.endsWith("/edits") && await new Promise(r => window.free = r), real(q, o)), 0)`)
	press(t, other, kb.Enter)
	until(t, other, `window.free !== undefined`)
	goTo(t, ctx, "rack.18", 170)
	press(t, ctx, "t")
	kept(t, ctx, 4)
	_ = eval[any](t, other, `(window.free(), window.fetch = real, 0)`)
	until(t, other, `document.querySelector("#notice")?.textContent.includes("port rack.18 was changed meanwhile by Robin")`)
	until(t, other, `document.querySelector("#line").value === "rack 18: 190 [110]"`)
	kept(t, ctx, 4)

	// Who is gone is no longer shown; an office that is deleted is left.
	require.NoError(t, chromedp.Do(other, chromedp.Navigate("about:blank")))
	until(t, ctx, `document.querySelector("[data-who='Sam']") === null`)
	require.Equal(
		t,
		"200",
		eval[string](
			t,
			ctx,
			`fetch("/api/offices/1?title=" + encodeURIComponent("Harbour Lane Veterinary Clinic"), {method: "DELETE", headers: {"Content-Type": "application/json"}}).then(r => "" + r.status)`,
		),
	)
	until(t, ctx, `location.pathname === "/offices" && document.querySelector("#notice")?.textContent.includes("was deleted")`)
}
