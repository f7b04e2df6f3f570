package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// TestField reads the devices of the demo, which stand-ins play; what is seen at a port
// stands in the dock and on the front; credentials are kept and not shown; a visit of
// the order is carried out by its device.
func TestField(t *testing.T) {
	ctx, p := startAs(t, stage.Played)
	press(t, ctx, "gf")
	until(t, ctx, `document.querySelector(".bar .main:not(:disabled)")?.textContent.includes("Read all 11")`)
	_ = eval[any](t, ctx, `document.querySelector(".bar .main").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".bar progress") === null && [...document.querySelectorAll("tbody tr")].some(r => r.textContent.includes("ports otherwise than planned"))`)
	until(t, ctx, `[...document.querySelectorAll("section td")].some(c => c.textContent.includes("as planned"))`)

	// What is seen at a port, in the dock and on the front.
	visit(t, ctx, p, "/1", "#board")
	_ = eval[any](t, ctx, `document.querySelector('[data-port="rack.19"]').scrollIntoView()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(stage.Cell("rack.19", 190))))
	until(t, ctx, `document.querySelector("[data-seen]")?.textContent.includes("hears ward-east 8")`)
	visit(t, ctx, p, "/1/devices?device=rack", ".front")
	until(t, ctx, `document.querySelector(".jack.lit")?.dataset.tip.includes("link up")`)

	// Credentials go in, and do not come out.
	visit(t, ctx, p, "/1/field", ".add")
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".add button")].find(b => b.textContent.includes("v2c")).click()`)
	until(t, ctx, `document.querySelector("input[name=community]") !== null`)
	hosts := eval[string](t, ctx, `document.querySelector("input[name=hosts]").value`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("input[name=name]", "switches"), chromedp.SendKeys("input[name=community]", "hush-hush"), chromedp.SendKeys("input[name=hosts]", "x")))
	press(t, ctx, kb.Enter) // what is wrong is said, where it is, and nothing is lost
	until(t, ctx, `document.activeElement.name === "hosts" && document.activeElement.getAttribute("aria-invalid") === "true" && document.querySelector("form [role=alert]").textContent.includes("is no address and no network")`)
	fill(t, ctx, "input[name=hosts]", hosts)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".one")?.textContent.includes("SNMP v2c")`)
	require.False(t, eval[bool](t, ctx, `document.documentElement.outerHTML.includes("hush-hush")`))

	// The order that the demo begins with: its first visit is for hands, one of the next for
	// the device.
	visit(t, ctx, p, "/1/orders", ".visit")
	have := `[...document.querySelectorAll(".visit button")].find(b => b.textContent.startsWith("Have "))`
	next := `document.querySelectorAll(".visit li.done").length`
	here := `[...document.querySelectorAll(".visit")].find(v => v.querySelector("li.next"))`
	says := here + `?.querySelector(".carry")?.textContent ?? ""`
	for eval[bool](t, ctx, `document.querySelectorAll(".visit li.done .kind.set").length < 6`) {
		before := eval[int](t, ctx, next)
		carried := eval[bool](t, ctx, have+` !== undefined && (() => { const b = `+have+`; b.click(); return true; })()`)
		if carried {
			// First what it would be told, with what breaks there; then a yes.
			until(t, ctx, `document.querySelector("#carry") !== null`)
			require.Regexp(t, `[0-9]+ writes?`, eval[string](t, ctx, `document.querySelector("dialog[open]").textContent`))
			_ = eval[any](t, ctx, `document.querySelector("#carry").click()`)
			// The device ended, and either went on from here or left this step to hands.
			until(t, ctx, `!document.querySelector(".carry")?.textContent.includes("is being set") && (%s > %d || (%s) !== "")`, next, before, says)
			require.NotContains(t, eval[string](t, ctx, says), "It stopped")
		}
		if eval[int](t, ctx, next) == before {
			_ = eval[any](t, ctx, `[...document.querySelectorAll(".visit li:not(.done) input")].find(i => !i.disabled).click()`)
			until(t, ctx, next+" > %d", before)
		}
	}
	require.True(t, eval[bool](t, ctx, `[...document.querySelectorAll(".visit li.done")].some(l => l.querySelector(".kind.set") && l.textContent.includes("Robin"))`))
}
