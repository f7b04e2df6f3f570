package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// TestPorts types in the list of ports, copies a block, pastes it back edited, and moves a
// department by cutting and pasting; each is one edit, and what several cells come to is shown
// before it is done.
func TestPorts(t *testing.T) {
	ctx, p := start(t)
	press(t, ctx, "gl")
	until(t, ctx, `document.querySelectorAll("#ports tbody tr").length > 20`)
	text := func(port, column string) string {
		return eval[string](t, ctx, fmt.Sprintf(`document.querySelector("[data-cell='%s %s']").textContent.trim()`, port, column))
	}
	says := func(port, column, want string) {
		t.Helper()
		until(t, ctx, `document.querySelector("[data-cell='%s %s']")?.textContent.trim() === %q`, port, column, want)
	}
	at := func(port, column string, extend string) { // a click
		t.Helper()
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => {
			const td = document.querySelector("[data-cell='%s %s']");
			td.dispatchEvent(new MouseEvent("mousedown", {bubbles: true, shiftKey: %t}));
			td.dispatchEvent(new MouseEvent("mouseup", {bubbles: true}));
			document.getElementById("ports").focus();
		})()`, port, column, extend != ""))
	}
	clip := func(kind, given string) string { // copy, cut, paste: what is on the clipboard then
		return eval[string](t, ctx, fmt.Sprintf(`(() => {
			const clipboardData = new DataTransfer();
			if (%[2]q) clipboardData.setData("text/plain", %[2]q);
			document.getElementById("ports").dispatchEvent(new ClipboardEvent(%[1]q, {bubbles: true, cancelable: true, clipboardData}));
			return clipboardData.getData("text/plain");
		})()`, kind, given))
	}
	t.Cleanup(func() { // a list that is long and scrolled is hard to judge afterwards
		if t.Failed() {
			t.Log(eval[string](t, ctx, `JSON.stringify({at: document.querySelector(".ports .grid")?.scrollTop, drawn: [...document.querySelectorAll("#ports td.hangs")].map(d => d.dataset.cell + "=" + d.textContent.trim()), focus: document.activeElement?.id, says: document.querySelector("#foretold")?.textContent})`))
		}
	})
	says("rack.2", "hangs", "accounts pc; accounts phone [140]")

	// Typed in place: the first letter begins, Enter keeps and goes on, what is wrong stays.
	at("rack.4", "hangs", "")
	press(t, ctx, "scanner; scanner phone [140]"+kb.Enter)
	kept(t, ctx, 2)
	says("rack.4", "hangs", "scanner; scanner phone [140]")
	press(t, ctx, "till"+kb.Enter) // the row below
	kept(t, ctx, 3)
	says("rack.5", "hangs", "till")
	at("rack.5", "socket", "")
	press(t, ctx, kb.F2)
	until(t, ctx, `document.activeElement.matches("#ports input") && document.activeElement.value === "0.05"`)
	press(t, ctx, kb.Escape)
	at("rack.5", "note", "")
	press(t, ctx, "by the door"+kb.Enter)
	kept(t, ctx, 4)
	says("rack.5", "note", "by the door")
	at("rack.6", "shape", "")
	press(t, ctx, "use dask"+kb.Enter)
	until(t, ctx, `document.querySelector("#ports-problem")?.textContent.includes("dask")`)
	require.Equal(t, "use dask", eval[string](t, ctx, `document.activeElement.value`), "what was typed stays where it is wrong")
	press(t, ctx, kb.Escape)
	require.Equal(t, "use desk", text("rack.6", "shape"))

	// A block goes into a spreadsheet with its keys, and comes back with one cell edited.
	at("rack.5", "socket", "")
	at("rack.7", "hangs", "to here")
	table := clip("copy", "")
	require.Equal(t, "Device\tPort\tSocket\tWhat hangs there\nrack\t5\t0.05\ttill\nrack\t6\t0.06\t\nrack\t7\t0.07\t", table)
	at("rack.10", "note", "")
	clip("paste", "Device\tPort\tSocket\tWhat hangs there\nrack\t7\t0.77\tlabel writer\ncellar\t1\t\t\n")
	until(t, ctx, `document.querySelector("#ports-problem")?.textContent.includes("no port cellar 1")`)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)
	says("rack.7", "hangs", "label writer")
	says("rack.7", "socket", "0.77")

	// Two are moved with all that is known of them: cut, pasted, looked at, done.
	at("rack.2", "hangs", "")
	at("rack.3", "hangs", "to here")
	moved := clip("cut", "")
	until(t, ctx, `document.querySelectorAll("#ports tr.cut").length === 2`)
	for y := 0; y < 3000 && !eval[bool](t, ctx, `document.querySelector("[data-cell='front.2 hangs']") !== null`); y += 240 {
		_ = eval[any](t, ctx, fmt.Sprintf(`new Promise(done => { document.querySelector(".ports .grid").scrollTop = %d; requestAnimationFrame(() => requestAnimationFrame(() => done(0))) })`, y))
	}
	at("front.1", "hangs", "")
	clip("paste", moved)
	until(t, ctx, `document.querySelector("#ports-problem")?.textContent.includes("front desk pc 1, front desk phone 1, front desk pc 2 hang there already")`)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 6)
	says("front.1", "hangs", "front desk pc 1; front desk phone 1 [140]; accounts pc; accounts phone [140]")
	says("front.2", "hangs", "front desk pc 2; office printer")
	_ = eval[any](t, ctx, `document.querySelector(".ports .grid").scrollTop = 0; 0`)
	says("rack.2", "hangs", "")
	require.Contains(t, eval[string](t, ctx, `fetch("/api/offices/1").then(r => r.json()).then(o => JSON.stringify(o.devices.find(d => d.name === "front").ports.find(p => p.name === "2").plugs))`), `"at":"10.61.110.7"`, "its address went with it")

	// Filled down, emptied, undone; filtered and sorted.
	at("rack.6", "note", "")
	press(t, ctx, "spare"+kb.Enter)
	kept(t, ctx, 7)
	at("rack.6", "note", "")
	at("rack.8", "note", "to here")
	require.NoError(t, chromedp.Do(ctx, chromedp.KeyEvent("d", chromedp.KeyModifiers(2))))
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 8)
	says("rack.8", "note", "spare")
	fill(t, ctx, ".ports input[type=search]", "spare")
	until(t, ctx, `document.querySelectorAll("#ports tbody tr").length === 3`)
	fill(t, ctx, ".ports input[type=search]", "")

	// Put together by VLAN: each group has its head, the keys go from row to row over it, and what
	// hangs at a port is dragged to another by its port.
	until(t, ctx, `document.querySelectorAll("#ports tbody tr").length > 20`)
	until(t, ctx, `document.querySelector("[data-cell='rack.1 hangs']") !== null`)
	_ = eval[any](t, ctx, `(() => { const s = document.querySelector("[aria-label='Group by']"); s.value = "vlan"; s.dispatchEvent(new Event("change", {bubbles: true})) })()`)
	until(t, ctx, `[...document.querySelectorAll("#ports .together")].some(h => h.textContent.includes("110 reception"))`)
	at("front.8", "hangs", "") // alone in its group
	press(t, ctx, kb.ArrowDown)
	until(t, ctx, `document.querySelector("#ports td.here")?.dataset.cell === "rack.1 hangs"`)
	_ = eval[any](t, ctx, `(() => {
		const dataTransfer = new DataTransfer(), to = document.querySelector("[data-cell='rack.6 port']");
		const drag = (el, kind) => el.dispatchEvent(new DragEvent(kind, {bubbles: true, cancelable: true, dataTransfer}));
		const from = document.querySelector("[data-cell='rack.7 port']");
		if (!from.draggable) throw new Error("it cannot be dragged");
		drag(from, "dragstart"); drag(to, "dragover"); drag(to, "drop"); drag(from, "dragend");
	})()`)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 9)
	says("rack.6", "hangs", "label writer")
	says("rack.7", "hangs", "")

	// Somebody else writes into the cell that one types into, and a port comes before it: what is
	// typed stays at its port, what the other wrote is shown before anything takes its place.
	_ = eval[any](t, ctx, `(() => { const s = document.querySelector("[aria-label='Group by']"); s.value = ""; s.dispatchEvent(new Event("change", {bubbles: true})) })()`)
	until(t, ctx, `document.querySelector("[data-cell='rack.8 note']") !== null`)
	at("rack.8", "note", "")
	press(t, ctx, "by the window")
	revision := 9
	other := func(lines string) {
		body := fmt.Sprintf(`{"base":%d,"commands":[{"lines":[%s]}]}`, revision, lines)
		request, err := http.NewRequestWithContext(ctx, "POST", p.URL+"/api/offices/1/edits", strings.NewReader(body))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		request.AddCookie(&http.Cookie{Name: "klammer_name", Value: "Mia"})
		answer, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		defer answer.Body.Close()
		require.Equal(t, 200, answer.StatusCode)
		revision++
	}
	other(`"rack port 8 note \"under the desk\""`)
	other(`"gate ports lan5 1G"`) // every row below is one further down
	kept(t, ctx, 11)
	require.Equal(t, "by the window", eval[string](t, ctx, `document.querySelector("#ports td[data-cell='rack.8 note'] input")?.value ?? "nothing is typed there"`))
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#ports-problem")?.textContent.includes("Mia changed rack 8 meanwhile: it says “under the desk” now.")`)
	if dir := os.Getenv("KLAMMER_PDF"); dir != "" {
		require.NoError(t, stage.Shoot(ctx, filepath.Join(dir, "conflict.png")))
	}
	require.Contains(t, eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`), "under the desk")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 12)
	says("rack.8", "note", "by the window")
}
