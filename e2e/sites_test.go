package e2e

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// threeSites is an office at three places, joined by two transit VLANs.
const threeSites = `vlan 10 desks net 10.1.10.0/24
vlan 20 mill-desks net 10.1.20.0/24
vlan 30 dale-desks net 10.1.30.0/24
vlan 500 to-mill net 10.9.0.0/30
vlan 501 to-dale net 10.9.0.4/30
device gate router
  place "harbour/server room"
  ports lan1-lan2
  lan1: [10 500 501]
  address 10 10.1.10.1/24 gateway
  address 500 10.9.0.1/30
  address 501 10.9.0.5/30
  route 10.1.20.0/24 via 10.9.0.2
  route 10.1.30.0/24 via 10.9.0.6
device rack switch
  place "harbour/server room"
  ports 1-24
  1-12: 10
  22: [501]
  23: [500]
  24: [10 500 501]
device mill router
  place "mill/cellar"
  ports 1-8
  1-4: 20
  8: [500]
  address 20 10.1.20.1/24 gateway
  address 500 10.9.0.2/30
  route 0.0.0.0/0 via 10.9.0.1
device dale router
  place "dale/attic"
  ports 1-8
  1-4: 30
  8: [501]
  address 30 10.1.30.1/24 gateway
  address 501 10.9.0.6/30
  route 0.0.0.0/0 via 10.9.0.5
cable gate.lan1 rack.24
cable rack.23 mill.8
cable rack.22 dale.8
plug rack.1 "reception pc" wants 10 at 10.1.10.9
plug mill.1 "mill pc" wants 20 at 10.1.20.9
plug dale.1 "dale pc" wants 30 at 10.1.30.9
must 10.1.20.9 to 10.1.30.9 tcp/443
`

// TestSites looks at one site of three: the board has its devices alone and says of each cable that
// leaves where it leads; ports, poster and round follow; whoever goes to a port elsewhere sees all.
func TestSites(t *testing.T) {
	ctx, p := start(t)
	require.False(t, eval[bool](t, ctx, `document.querySelector("[aria-label=Site]") !== null`), "the clinic has one site")
	body, err := json.Marshal(map[string]any{"title": "Three practices", "text": threeSites})
	require.NoError(t, err)
	id := eval[int](t, ctx, fmt.Sprintf(`fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: %q}).then(r => r.json()).then(v => v.id)`, body))
	visit(t, ctx, p, fmt.Sprintf("/%d", id), "#board")
	until(t, ctx, `document.querySelector("header .chip").textContent.includes("2")`)
	choose := func(site string) {
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => { const s = document.querySelector("[aria-label=Site]"); s.value = %q; s.dispatchEvent(new Event("change", {bubbles: true})) })()`, site))
	}
	const devices = `[...document.querySelectorAll(".heads .device b")].map(b => b.textContent).join()`
	until(t, ctx, devices+` === "gate,rack,mill,dale" || `+devices+`.split(",").length === 4`)
	choose("harbour")
	until(t, ctx, devices+` === "gate,rack"`)
	until(t, ctx, `[...document.querySelectorAll(".cables .tag")].map(c => c.textContent.trim()).sort().join() === "→ dale 8,→ mill 8"`)
	press(t, ctx, "gl")
	until(t, ctx, `new Set([...document.querySelectorAll("#ports td.device")].map(d => d.textContent.trim())).size === 2`)
	choose("mill")
	until(t, ctx, `document.querySelectorAll("#ports td.device").length === 8`)
	visit(t, ctx, p, fmt.Sprintf("/%d/poster", id), ".poster svg")
	choose("mill")
	until(t, ctx, `document.querySelector(".poster h1").textContent.includes("mill") && document.querySelectorAll(".poster svg").length === 1`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("nav a[href$='/2']")))
	until(t, ctx, devices+` === "mill"`)
	_ = eval[any](t, ctx, `document.getElementById("line").focus()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", "go dale.1"+kb.Enter)))
	until(t, ctx, `document.querySelectorAll(".heads .device").length === 4 && document.querySelector("[role=gridcell][aria-selected=true]")?.dataset.port === "dale.1"`)
	visit(t, ctx, p, fmt.Sprintf("/%d/round", id), ".round li")
	choose("dale")
	until(t, ctx, `document.querySelectorAll(".round section h2").length === 1 && document.querySelector(".round section h2").textContent.includes("dale/attic")`)
	// An order of one site's devices; the others stay as they are.
	for base, lines := range [][]string{{"rack manage 10 10.1.10.3", "mill manage 20 10.1.20.1", `plug rack.2 "laptop" wants 10 operator`}, {"rack 13: 10", "mill 5: 20"}} {
		body, err := json.Marshal(map[string]any{"base": base + 1, "commands": []any{map[string]any{"lines": lines}}})
		require.NoError(t, err)
		require.Equal(t, 200, eval[int](t, ctx, fmt.Sprintf(`fetch("/api/offices/%d/edits", {method: "POST", headers: {"Content-Type": "application/json"}, body: %q}).then(r => r.status)`, id, body)))
	}
	visit(t, ctx, p, fmt.Sprintf("/%d/orders?since=2", id), ".some")
	_ = eval[any](t, ctx, `document.querySelector(".some").open = true`)
	choose("mill")
	until(t, ctx, `document.querySelector(".some summary").textContent.includes("3 of 4 devices stay as they are")`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".start button")].find(b => b.textContent.includes("what changed since")).click()`)
	until(t, ctx, `document.querySelector(".sum")?.textContent.includes("steps") && [...document.querySelectorAll(".visit h3, .visit h2")].map(h => h.textContent).join().includes("mill")`)
	require.NotContains(t, eval[string](t, ctx, `[...document.querySelectorAll(".visit h3, .visit h2")].map(h => h.textContent).join()`), "rack harbour")
	require.Contains(t, eval[string](t, ctx, `document.querySelector(".orders, main").textContent`), "rack stay")
}
