package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestMergedIsLoaded: what a page has made of many edits, its own and those of
// others that it was told of, is what it has when it is loaded anew: every cell,
// row, cable, finding and mark.
func TestMergedIsLoaded(t *testing.T) {
	ctx, _ := start(t)
	send := func(base int, commands string) {
		status := eval[int](t, ctx, fmt.Sprintf(`fetch("/api/offices/1/edits", {method: "POST", headers: {"Content-Type": "application/json"},
			body: JSON.stringify({base: %d, commands: %s})}).then(r => r.status)`, base, commands))
		require.Equal(t, 200, status, commands)
	}
	revision := 1
	by := func(commands string) { // somebody else: the page is told
		send(revision, commands)
		revision++
		kept(t, ctx, revision)
	}
	jump := func(port string, vid int) {
		for _, where := range []any{vid, port} {
			press(t, ctx, "/")
			press(t, ctx, fmt.Sprintf("go %v", where)+kb.Enter)
			until(t, ctx, `document.activeElement?.id === "board"`)
		}
		until(t, ctx, `document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.vid === "%d"`, vid)
	}
	own := func(port string, vid int, key string) {
		jump(port, vid)
		press(t, ctx, key)
		revision++
		kept(t, ctx, revision)
	}
	status := eval[int](t, ctx, `fetch("/api/offices/1/found", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({device: "rack", text: "1: 120\n2: 130", base: "plan", keep: true})}).then(r => r.status)`)
	require.Equal(t, 200, status)
	own("rack.19", 130, "t")
	by(`[{lines: ["plug rack.9 \"scanner\" wants 777"]}]`)
	by(`[{member: {vids: [110, 120], ports: ["rack.18", "rack.20"], as: "none"}}]`)
	own("front.8", 190, "u")
	by(`[{lines: ["use treatment 120 [130]"]}, {pvid: {vid: 140, ports: ["rack.3"]}}]`)
	by(`[{lines: ["rack 1: 120"]}]`)
	by(`[{lines: ["ward-west 5: use console"]}]`)
	own("annex.8", 130, "u")
	by(`[{lines: ["-plug rack.9 \"scanner\""]}, {lines: ["rack limit vlans 4"]}]`)
	press(t, ctx, "z", chromedp.ModifierCtrl)
	revision++
	kept(t, ctx, revision)

	const seen = `JSON.stringify({
		cells: [...document.querySelectorAll("[role=gridcell]")].map(c => [c.dataset.port, c.dataset.vid, c.dataset.as, c.getAttribute("aria-label"), c.className].join(" ")),
		rows: [...document.querySelectorAll("[role=rowheader]")].map(r => r.textContent.trim()),
		heads: [...document.querySelectorAll("[role=columnheader]")].map(r => r.textContent.trim() + " " + r.className),
		cables: [...document.querySelectorAll("[data-cable]")].map(c => c.dataset.cable + " " + c.getAttribute("class") + " " + c.textContent),
		findings: [...document.querySelectorAll(".findings article")].map(f => f.dataset.code + " " + f.textContent.replace(/\s+/g, " ")),
		chip: document.querySelector("header .chip").textContent,
	}, null, 1)`
	look := func() string {
		jump("rack.19", 130)
		_ = eval[bool](t, ctx, `(document.querySelector("header .chip").click(), true)`)
		settled(t, ctx) // mends are asked for by themselves
		return eval[string](t, ctx, seen)
	}
	merged := look()
	require.Greater(t, len(merged), 20_000, "there is something to compare")
	require.Contains(t, merged, "plug-unserved")
	require.NoError(t, chromedp.Do(ctx, chromedp.Reload(), chromedp.WaitVisible("#board")))
	kept(t, ctx, revision)
	require.Equal(t, look(), merged)
}
