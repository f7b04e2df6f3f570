package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestLineGoes: every view's name on the line leads there and is no mistake while it is typed; a
// place that there is not is said, and what was typed stays.
func TestLineGoes(t *testing.T) {
	ctx, _ := start(t)
	typed := func(text string) { require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", text))) }
	for _, v := range []string{"reach", "walk", "talk", "plans", "register", "devices", "field", "sheets", "orders", "round", "poster", "history", "compare", "people", "board"} {
		_ = eval[any](t, ctx, `document.getElementById("line").focus()`)
		typed(v)
		_ = eval[any](t, ctx, `new Promise(r => setTimeout(r, 250))`) // as long as a mistake would take to be said
		require.Equal(t, "", eval[string](t, ctx, `document.querySelector("#foretold.problem")?.textContent ?? ""`), v)
		typed(kb.Enter)
		want := "/1/" + v
		if v == "board" {
			want = "/1"
		}
		until(t, ctx, `location.pathname === %q`, want)
	}
	_ = eval[any](t, ctx, `document.getElementById("line").focus()`)
	typed("go nonsense" + kb.Enter)
	until(t, ctx, `document.querySelector("#foretold.problem")?.textContent.includes("nonsense is no device, port or VLAN")`)
	require.Equal(t, "go nonsense", eval[string](t, ctx, `document.getElementById("line").value`))
	typed(kb.Escape)
	_ = eval[any](t, ctx, `document.getElementById("line").focus()`)
	typed("reach 3999" + kb.Enter)
	until(t, ctx, `document.querySelector("#foretold.problem")?.textContent.includes("there is no VLAN 3999")`)

	// What is no statement is looked for: in names of what hangs at ports, sockets, cards and notes.
	typed(kb.Escape)
	for _, text := range []string{"x-ray console 2", "0.22"} {
		_ = eval[any](t, ctx, `document.getElementById("line").focus()`)
		typed(text)
		until(t, ctx, `document.querySelector("#foretold")?.textContent.trim() === %q`, "Enter goes to rack 10")
		typed(kb.Enter)
		until(t, ctx, `document.activeElement?.id === "board" && document.querySelector("[role=gridcell][aria-selected=true]")?.dataset.port === "rack.9"`) // the column that it is in
	}
}
