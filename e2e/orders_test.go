package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestOrders makes an order for a new switch, looks at the board after a step,
// ticks, loses the server, comes back, and goes the way back.
func TestOrders(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/orders", ".start")
	_ = eval[any](t, ctx, `document.querySelector("fieldset input[value=annex]").click()`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".start button")].find(b => b.textContent.includes("Order them in")).click()`)
	until(t, ctx, `document.querySelector(".visit")?.textContent.includes("Unpack annex") || [...document.querySelectorAll(".visit")].some(v => v.textContent.includes("Unpack annex"))`)
	steps := eval[int](t, ctx, `document.querySelectorAll(".visit li").length`)
	require.Greater(t, steps, 8)

	// The board is shown as it is after a step, by the slider and by a key.
	_ = eval[any](t, ctx, `(() => { const f = document.querySelector("#slider"); f.value = 1; f.dispatchEvent(new Event("input", {bubbles: true})); f.blur(); })()`)
	until(t, ctx, `document.querySelector(".window #board") !== null && document.querySelector("#then")?.textContent.includes("After step 1")`)
	press(t, ctx, "]")
	until(t, ctx, `document.querySelector("#then")?.textContent.includes("After step 2") && document.querySelector("#slider").value === "2"`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".slide button")].find(b => b.textContent.includes("Close")).click()`)
	until(t, ctx, `document.querySelector("#then") === null`)

	// Only the next step can be ticked; it says by whom.
	until(t, ctx, `[...document.querySelectorAll(".visit li input")].filter(i => !i.disabled).length === 1`)
	_ = eval[any](t, ctx, `document.querySelector(".visit li input").click()`)
	until(t, ctx, `document.querySelector(".visit li.done")?.textContent.includes("Robin")`)

	// The server goes; what was ticked is there when it is back.
	p.Kill()
	until(t, ctx, `document.querySelector("#revision")?.dataset.keeping === "lost"`)
	q, err := p.Again()
	require.NoError(t, err)
	t.Cleanup(func() { _ = q.Stop() })
	until(t, ctx, `document.querySelector("#revision")?.dataset.keeping === "kept"`)
	visit(t, ctx, q, "/1/orders", ".visit li.done")

	// At the rack, by the keyboard: one step at a time, and not done after all.
	visit(t, ctx, q, "/1/orders?rack=1", ".card")
	until(t, ctx, `document.querySelector(".card .count").textContent.includes("step 2 of")`)
	_ = eval[any](t, ctx, `document.querySelector(".card .acts .main").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".card .count").textContent.includes("step 3 of")`)
	_ = eval[any](t, ctx, `document.querySelector(".card .acts button").click()`)
	until(t, ctx, `document.querySelector(".card .count").textContent.includes("step 2 of")`)

	// A step is refused: what was said stands there, with the way back and who is still
	// reached; nothing is ticked by it.
	visit(t, ctx, q, "/1/orders", ".visit")
	settled(t, ctx) // what comes late draws the step anew
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".stuck button")].find(b => /Refused|Cannot/.test(b.textContent)).click()`)
	until(t, ctx, `document.querySelector("#refused") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#refused", "the lid does not open")))
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".stuck button")].find(b => b.textContent.includes("Write it down")).click()`)
	until(t, ctx, `document.querySelector(".stuck .after")?.textContent.includes("the lid does not open") && document.querySelector(".stuck .after").textContent.includes("Reached from here")`)
	until(t, ctx, `document.querySelectorAll(".visit li.done").length === 1`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".protocol button")].find(b => b.textContent.includes("Protocol")).click()`)
	until(t, ctx, `document.querySelector(".protocol")?.textContent.includes("the lid does not open")`)

	// Something else happened: it is asked first, then the rest is worked out anew. And back.
	_ = eval[any](t, ctx, `[...document.querySelectorAll("button")].find(b => b.textContent.includes("Something else happened")).click()`)
	until(t, ctx, `document.querySelector("#sure") !== null`)
	_ = eval[any](t, ctx, `document.querySelector("#sure").click()`)
	until(t, ctx, `document.querySelector(".visit") !== null && document.querySelectorAll(".visit li.done").length === 0 && !document.querySelector(".visit").textContent.includes("Unpack")`)
	_ = eval[any](t, ctx, `document.querySelector(".visit li input").click()`)
	until(t, ctx, `document.querySelector(".visit li.done") !== null`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".sum button")].find(b => b.textContent.includes("Go back from here")).click()`)
	until(t, ctx, `document.querySelector("#sure") !== null`)
	_ = eval[any](t, ctx, `document.querySelector("#sure").click()`)
	until(t, ctx, `document.querySelector(".sum").textContent.includes("This one leads back")`)
}
