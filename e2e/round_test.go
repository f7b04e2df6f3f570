package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// TestRound walks a round: a test fails, what explains it shows, it is put right and the
// test passes; a second tab sees it; what was found is played, and where the plan moves
// on, what was seen there is old.
func TestRound(t *testing.T) {
	ctx, p := start(t)
	press(t, ctx, "gu")
	until(t, ctx, `document.querySelectorAll(".round li").length > 20`)
	require.True(t, eval[bool](t, ctx, `document.getElementById("stop-rack.1").textContent.includes("an address 10.61.110.50 – 10.61.110.220")`))

	// By keyboard alone: as planned, and the next place has the focus.
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='rack.1 is as planned']").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.activeElement?.getAttribute("aria-label") === "rack.1 [140] is as planned"`)

	// Otherwise: an address that is none is said, and nothing of what was typed is lost.
	require.NoError(t, stage.Tap(ctx, "[aria-label='rack.5 is not as planned']"))
	until(t, ctx, `document.querySelector(".round form input") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".round form input", "10.61.140"+kb.Enter)))
	until(t, ctx, `document.body.textContent.includes("is no address")`)
	require.Equal(t, "10.61.140", eval[string](t, ctx, `document.querySelector(".round form input").value`))
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".round form input", ".51"+kb.Enter)))
	until(t, ctx, `document.querySelector("#explains")?.textContent.includes("rack 5 is in 140, and is to be in 110")`)
	require.True(t, eval[bool](t, ctx, `document.querySelector("#explains code").textContent.trim() === "rack 5: use desk"`))

	// It is put right: taken back, the test passes.
	require.NoError(t, stage.Tap(ctx, "[aria-label='rack.5 is as planned']"))
	until(t, ctx, `document.querySelector("#explains") === null`)

	// Without an address there are several, and a place that tells them apart.
	require.NoError(t, stage.Tap(ctx, "[aria-label='rack.9 is not as planned']"))
	require.NoError(t, stage.Tap(ctx, ".round form button.main"))
	until(t, ctx, `document.querySelectorAll("#explains li").length > 1`)
	require.NoError(t, stage.Tap(ctx, "#explains .next button"))
	until(t, ctx, `document.activeElement?.closest("li[id^=stop-]") !== null`)
	require.NoError(t, stage.Tap(ctx, "[aria-label='Take back what was said of rack.9']"))
	until(t, ctx, `document.querySelector("#explains") === null`)

	// The plan moves on there: old, and nothing is to be explained any more.
	line(t, ctx, "rack 5: 130")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".round li.old")?.textContent.includes("the plan moved on here")`)

	// What was found is played: the trunk lacks a VLAN, and that is named.
	_ = eval[any](t, ctx, `fetch("/api/offices/1/found", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({device: "ward-east", text: "8: 190 [120 140]", keep: true, how: "read by hand"})})`)
	visit(t, ctx, p, "/1/round", ".bar button:not(:disabled)")
	until(t, ctx, `[...document.querySelectorAll(".bar button")].some(b => b.textContent.startsWith("Play") && !b.disabled)`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".bar button")].find(b => b.textContent.startsWith("Play")).click()`)
	until(t, ctx, `document.querySelector(".playing")?.textContent.includes("ward-east 8 lacks 170")`)
	require.True(t, eval[bool](t, ctx, `document.querySelector("#explains") === null`), "nobody saw that")

	// A person says by parts what he saw: the server that he was told, and what answered.
	require.NoError(t, stage.Tap(ctx, "[aria-label='rack.9 is not as planned']"))
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".round form input", "10.61.130.60")))
	until(t, ctx, `document.querySelector(".round form label[for$=-server]") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".round form input[id$=-server]", "192.168.1.1"+kb.Enter)))
	until(t, ctx, `document.querySelector("#explains")?.textContent.includes("another server hands out addresses in 130")`)
	require.NoError(t, stage.Tap(ctx, "[aria-label='Take back what was said of rack.9']"))
	until(t, ctx, `document.querySelector("#explains") === null`)

	// The quick round is shorter; on paper each place has a code that leads a phone there.
	full := eval[int](t, ctx, `document.querySelectorAll(".round li[id^=stop-]").length`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".lengths button")].find(b => b.textContent.startsWith("Quick")).click()`)
	until(t, ctx, `document.querySelectorAll(".round li[id^=stop-]").length < %d`, full)
	_ = eval[any](t, ctx, `dispatchEvent(new Event("beforeprint"))`)
	until(t, ctx, `document.querySelectorAll(".round .code svg").length > 10`)
	_ = eval[any](t, ctx, `dispatchEvent(new Event("afterprint"))`)

	// A phone's browser is told where it is, tries what it can, and says so.
	line(t, ctx, "vlan 888 looped net 127.0.0.0/8")
	press(t, ctx, kb.Enter)
	line(t, ctx, "rack 6: 888")
	press(t, ctx, kb.Enter)
	until(t, ctx, `fetch("/api/offices/1/round/here").then(r => r.json()).then(v => v.vlan === 888)`)
	visit(t, ctx, p, "/1/here?port=rack.6", ".here .do button")
	until(t, ctx, `document.querySelector(".here .big").textContent.includes("that is 888 looped")`)
	require.NoError(t, stage.Tap(ctx, ".here .do button.main"))
	until(t, ctx, `document.querySelector(".here").textContent.includes("It is kept: as planned.")`)
	visit(t, ctx, p, "/1/here?port=rack.9", ".here .do button")
	until(t, ctx, `document.querySelector(".here").textContent.includes("It is in 888 looped instead.")`)
}

// TestLongRound works out a round that takes seconds: how far it is shows, it can be stopped, and
// begun again.
func TestLongRound(t *testing.T) {
	ctx, p := start(t)
	var b strings.Builder
	for v := range 10 {
		fmt.Fprintf(&b, "vlan %d v%d net 10.61.%[1]d.0/24\n", 110+10*v, v)
	}
	b.WriteString("device gate firewall\n  forwarding routed\n  ports wan, lan\n  lan: [110 120 130 140 150 160 170 180 190 200]\n")
	for v := range 10 {
		fmt.Fprintf(&b, "  address %d 10.61.%[1]d.1/24 on lan handout 10.61.%[1]d.50-10.61.%[1]d.200\n", 110+10*v)
	}
	const switches = 70
	for k := range switches {
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-24\n", k)
		for port := 3; port < 25; port++ {
			fmt.Fprintf(&b, "  %d: %d\n", port, 110+port%10*10)
		}
		b.WriteString("  1-2: [needed]\n")
	}
	b.WriteString("cable gate.lan s0.1\n")
	for k := range switches - 1 {
		fmt.Fprintf(&b, "cable s%d.2 s%d.1\n", k, k+1)
	}
	body, err := json.Marshal(map[string]any{"title": "Long", "text": b.String()})
	require.NoError(t, err)
	id := eval[int](t, ctx, fmt.Sprintf(`fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: %q}).then(r => r.json()).then(v => v.id)`, body))
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(fmt.Sprintf("%s/%d/round", p.URL, id))))
	until(t, ctx, `/Working the round out.* \d+ %% of them are/s.test(document.querySelector(".round [role=status]")?.textContent ?? "")`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".round button")].find(b => b.textContent.trim() === "Stop").click()`)
	until(t, ctx, `document.querySelector(".round").textContent.includes("It was stopped.")`)
	until(t, ctx, `fetch("/api/offices/%d/round/working").then(r => r.json()).then(v => v.working === 0)`, id) // there, too
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".round button")].find(b => b.textContent.trim() === "Work the round out").click()`)
	until(t, ctx, `document.querySelectorAll(".round li").length > 100`)
}
