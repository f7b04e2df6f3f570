package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// visit goes to a view and waits for something of it.
func visit(t *testing.T, ctx context.Context, p *stage.Program, path, ready string) {
	t.Helper()
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+path), chromedp.WaitVisible(ready)))
}

// line types on the line and waits until it says what would change.
func line(t *testing.T, ctx context.Context, text string) {
	t.Helper()
	_ = eval[any](t, ctx, `document.activeElement?.blur(); 0`)
	press(t, ctx, "/")
	press(t, ctx, text)
	until(t, ctx, `document.querySelector("#line").value === %q && document.querySelector("#foretold").textContent.includes("Enter applies")`, text)
}

// fill sets a field as typing does.
func fill(t *testing.T, ctx context.Context, selector, text string) {
	t.Helper()
	require.NoError(t, chromedp.Do(ctx, chromedp.WaitVisible(selector)))
	_ = eval[any](
		t,
		ctx,
		fmt.Sprintf(`(() => { const f = document.querySelector(%q); f.focus(); f.value = %q; f.dispatchEvent(new InputEvent("input", {bubbles: true})); })()`, selector, text),
	)
}

const would = `document.querySelector("#would")?.textContent ?? ""`

// TestBring goes three devices far, drawn on the board before it is done.
func TestBring(t *testing.T) {
	ctx, _ := start(t)
	line(t, ctx, "copy ward-east to ward-south")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	line(t, ctx, "-annex 10; cable ward-south.8 annex.8")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	line(t, ctx, "annex 10: 190 [110 120 140]")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)

	goTo(t, ctx, "ward-south.7", 150)
	press(t, ctx, "b")
	until(t, ctx, `(%s).includes("Would change")`, would)
	// rack to annex, annex to ward-south, and the port: each drawn as it would be
	for _, c := range []string{"rack.25", "annex.10", "ward-south.7"} {
		until(t, ctx, `document.querySelector(%q)?.dataset.then !== undefined`, stage.Cell(c, 150))
	}
	require.Contains(t, eval[string](t, ctx, would), "Has to learn the VLAN: ward-south, annex")
	require.Equal(t, "none", eval[string](t, ctx, as("annex.10", 150)), "nothing is done before Enter")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)
	until(t, ctx, "%s", as("annex.10", 150)+` === "T" && `+as("ward-south.7", 150)+` === "U"`)
	goTo(t, ctx, "ward-south.7", 150)
	press(t, ctx, "w")
	until(t, ctx, `(%s).includes("Would change")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 6)
	require.Equal(t, "none", eval[string](t, ctx, as("annex.10", 150)))
}

// TestPlanChange changes a plan with two followers and an exception.
func TestPlanChange(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/plans", "#plan-text")
	fill(t, ctx, "#plan-text", "1-4: use treatment\n5-6: 170\n7: 170\nlast: use uplink")
	until(t, ctx, `(%s).includes("ward-east")`, would)
	said := eval[string](t, ctx, would)
	require.NotContains(t, said, "ward-west", "both of its ports 5 and 6 are exceptions: %s", said)
	require.Contains(t, said, "Findings that come")
	press(t, ctx, kb.Enter, chromedp.ModifierCtrl)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("#plan-text").value.includes("5-6: 170")`)

	// an exception says why, and goes back to the plan
	_ = eval[any](
		t,
		ctx,
		`(() => { const f = document.querySelector("[data-exception='ward-west.6'] input"); f.focus(); f.value = "until March"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`,
	)
	kept(t, ctx, 3)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-exception='ward-west.6'] button")))
	until(t, ctx, `(%s).includes("ward-west")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	until(t, ctx, `document.querySelector("[data-exception='ward-west.6']") === null`)

	// what is wrong is said at its line, and changes nothing
	fill(t, ctx, "#plan-text", "1-4: use tretment")
	until(t, ctx, `document.querySelector(".plan .wrong")?.textContent.includes("did you mean treatment")`)
	press(t, ctx, kb.Escape)
	until(t, ctx, `document.querySelector("#plan-text").value.startsWith("1-4: use treatment")`)

	// a use changes for all that have it
	fill(t, ctx, "[aria-label='The shape of the use desk']", "110 [140 160]")
	until(t, ctx, `(%s).includes("rack")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)

	// a plan made from a device leaves it as it is
	fill(t, ctx, "#plan-name", "front-8")
	_ = eval[any](t, ctx, `(() => { const f = document.querySelector("#plan-from"); f.value = "front"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".make button")))
	until(t, ctx, `(%s).includes("No port")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 6)
	until(t, ctx, `location.search === "?plan=front-8"`)
}

// TestRegister adds the next VLAN like the others, renumbers one everywhere,
// and shows what one sits on before it goes.
func TestRegister(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/register", "#next-name")
	fill(t, ctx, "#next-name", "guests")
	until(t, ctx, `document.querySelector("#next-problem").textContent.includes("named guests already")`)
	fill(t, ctx, "#next-name", "laundry")
	until(t, ctx, `document.querySelector(".proposed textarea")?.value.includes("vlan 180 laundry net 10.61.180.0/24")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("[data-row-vid='180']")?.textContent.includes("10.61.180.20")`)

	fill(t, ctx, "#vlan-name", "Wäsche")
	_ = eval[any](t, ctx, `document.querySelector("#vlan-name").dispatchEvent(new Event("change", {bubbles: true})); 0`)
	kept(t, ctx, 3)
	until(t, ctx, `document.querySelector("#vlan-name").value === "waesche"`)
	fill(t, ctx, "#vlan-name", "4")
	_ = eval[any](t, ctx, `document.querySelector("#vlan-name").dispatchEvent(new Event("change", {bubbles: true})); 0`)
	until(t, ctx, `document.querySelector("#vlan-problem").textContent.includes("small letter")`)

	visit(t, ctx, p, "/1/register?vlan=110", "#renumber")
	fill(t, ctx, "#renumber", "115")
	press(t, ctx, kb.Enter)
	until(t, ctx, `(%s).includes("renumber 110 to 115 with subnets")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	until(t, ctx, `document.querySelector("[data-row-vid='115']")?.textContent.includes("10.61.115.50")`)
	text := eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`)
	require.NotContains(t, text, "110")
	require.Contains(t, text, "use desk 115 [140]")

	visit(t, ctx, p, "/1/register?vlan=170", "#renumber")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("p.turn button")))
	until(t, ctx, `(%s).includes("untagged on ward-east 7")`, would)
	press(t, ctx, kb.Escape)
	kept(t, ctx, 4)
}

// TestWalkToADrop follows a frame that is dropped, and mends what drops it.
func TestWalkToADrop(t *testing.T) {
	ctx, _ := start(t)
	goTo(t, ctx, "ward-east.5", 130)
	press(t, ctx, "f")
	until(t, ctx, `location.pathname === "/1/walk" && document.querySelector("[data-drop='rack.19']")?.textContent.includes("not a member")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".fault button")))
	until(t, ctx, `(%s).includes("rack")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("[data-drop='rack.19']") === null && document.querySelector("[data-arrival='rack.9']") !== null`)
	// from one subnet into another, by the gateway
	fill(t, ctx, "#walk-to", "rack.1")
	_ = eval[any](t, ctx, `document.querySelector("#walk-to").dispatchEvent(new Event("change", {bubbles: true})); 0`)
	until(t, ctx, `document.querySelector(".way")?.textContent.includes("routes it from 130 imaging to 110 reception")`)
}

// TestOffices starts one from three questions, copies it as a what-if, compares,
// and deletes the copy with its name typed.
func TestOffices(t *testing.T) {
	ctx, p := start(t)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("header .title"), chromedp.WaitVisible("#title")))
	fill(t, ctx, "#title", `The <b>"Old"</b> Forge`)
	fill(t, ctx, "#vlans", "Staff 10")
	until(t, ctx, `document.querySelector("#vlans-problem").textContent.includes("line 1: write a number and a name")`)
	fill(t, ctx, "#vlans", "10 Front Desk\n90 devices")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#make"), chromedp.WaitVisible("#board")))
	until(t, ctx, `document.querySelector(%q) !== null`, stage.Cell("rack.24", 90))
	require.Equal(t, `The <b>"Old"</b> Forge`, eval[string](t, ctx, `document.querySelector("header .title").textContent`), "markup is text")

	visit(t, ctx, p, "/offices", "[data-office='2']")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-office='2'] button")))
	fill(t, ctx, "#copy-title", "What if")
	press(t, ctx, kb.Enter)
	until(t, ctx, `location.pathname === "/3" && document.querySelector("#board") !== null`)
	line(t, ctx, "rack 1-2: 10")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	visit(t, ctx, p, "/2/compare?with=3", "[data-changed~='rack.1']")
	require.Regexp(t, "rack 1–2.* gains each other|gains rack 2", eval[string](t, ctx, `document.querySelector("[data-changed~='rack.1']").textContent`))
	before := eval[int](t, ctx, `Number(document.querySelector("#revision").dataset.revision)`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#take-over")))
	kept(t, ctx, before+1) // one edit of the office that was copied
	require.Contains(t, eval[string](t, ctx, `fetch("/api/offices/2/notation").then(r => r.text())`), "1-2: 10")
	// What both changed is chosen, what is not ticked stays.
	line(t, ctx, "rack 5: 10")
	press(t, ctx, kb.Enter)
	kept(t, ctx, before+2)
	visit(t, ctx, p, "/3", "#board")
	line(t, ctx, "rack 5-6: 90")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	visit(t, ctx, p, "/3/compare?with=2", "a[href='/2/compare?with=3']")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("a[href='/2/compare?with=3']"), chromedp.WaitVisible("[data-piece='port:rack.5'] select")))
	require.Contains(t, eval[string](t, ctx, `document.querySelector("#take-over").textContent`), "Take 1 of 2 over")
	_ = eval[any](t, ctx, `document.querySelector("[data-piece='port:rack.5'] select").focus()`)
	press(t, ctx, kb.ArrowDown)
	_ = eval[any](t, ctx, `document.querySelector("[data-piece='port:rack.6'] input").focus()`)
	press(t, ctx, " ")
	until(t, ctx, `document.querySelector("#take-over").textContent.includes("Take 1 of 2 over")`)
	_ = eval[any](t, ctx, `document.querySelector("#take-over").focus()`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, before+3)
	text := eval[string](t, ctx, `fetch("/api/offices/2").then(r => r.json()).then(o => o.devices.find(d => d.name === "rack").ports.filter(p => p.name === "5" || p.name === "6").map(p => p.shape).join("; "))`)
	require.Equal(t, "90; -", text)

	// What is called so is found in all of them; how each was at its check-up stands beside it.
	_ = eval[any](t, ctx, `fetch("/api/offices/2/checkups", {method: "POST", headers: {"Content-Type": "application/json"}, body: "{}"}).then(r => r.text())`)
	visit(t, ctx, p, "/offices", "[data-office='3']")
	until(t, ctx, `document.querySelector("[data-office='2'] .standing")?.textContent.includes("checked")`)
	fill(t, ctx, "#search-all", "rack")
	until(t, ctx, `["/2/devices?device=rack", "/3/devices?device=rack"].every(to => document.querySelector("a[href='" + to + "']"))`)
	fill(t, ctx, "#search-all", "toaster")
	until(t, ctx, `document.querySelector(".offices").textContent.includes("Nothing is called so")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-office='3'] [aria-label^='Delete']"), chromedp.WaitVisible("#delete-title")))
	require.True(t, eval[bool](t, ctx, `document.querySelector("[data-office='3'] .main").disabled`))
	fill(t, ctx, "#delete-title", "What if")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("[data-office='3']") === null && document.querySelector("[data-office='2']") !== null`)
}

// TestImportAndExport reads a file with mistakes, then without, and reads what
// was exported by the command line.
func TestImportAndExport(t *testing.T) {
	ctx, p := start(t)
	dir := t.TempDir()
	give := func(name, text string) {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		require.NoError(t, chromedp.Do(ctx, chromedp.SetUploadFiles("#import", []string{file})))
	}
	visit(t, ctx, p, "/offices", "#import")
	give("bad.klm", "office \"Mill\"\nvlan 5000 x\ndevice rack swich\n  ports 1-8\n")
	until(t, ctx, `document.querySelectorAll(".mistakes li").length === 2`)
	said := eval[string](t, ctx, `document.querySelector(".mistakes").textContent`)
	require.Contains(t, said, "2:6")
	require.Contains(t, said, "switch")
	big := make([]byte, 5<<20)
	for i := range big {
		big[i] = '#'
	}
	give("big.klm", string(big))
	until(t, ctx, `document.querySelector("#import-problem")?.textContent.includes("at most 4 MB")`)
	require.Equal(t, 1, eval[int](t, ctx, `fetch("/api/offices").then(r => r.json()).then(o => o.length)`))

	give("good.klm", "office \"Mill\"\nvlan 10 staff\ndevice rack switch\n  ports 1-8\n  1-8: 10\n")
	until(t, ctx, `location.pathname === "/2" && document.querySelector("#board") !== null`)
	text := eval[string](t, ctx, `fetch("/api/offices/1/notation?file=1").then(async r => r.headers.get("Content-Disposition") + "\n" + await r.text())`)
	require.Contains(t, text, `filename="harbour-lane-veterinary-clinic.klm"`)
	file := filepath.Join(dir, "out.klm")
	require.NoError(t, os.WriteFile(file, []byte(eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`)), 0o644))
	want, err := exec.Command(filepath.Join(stage.Root(), "bin", "klammer"), "check", filepath.Join(stage.Root(), "demo", "clinic.klm")).Output()
	require.Error(t, err) // the clinic has faults
	got, err := exec.Command(filepath.Join(stage.Root(), "bin", "klammer"), "check", file).Output()
	require.Error(t, err)
	require.Equal(t, string(want), string(got))
}

// TestWithoutNotation fills in what is inside a device, and the same hand-out in
// many VLANs, without a line of notation.
func TestWithoutNotation(t *testing.T) {
	ctx, p := start(t)
	text := func() string {
		return eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`)
	}
	form := func(n int) {
		require.NoError(t, chromedp.Do(ctx, chromedp.Click(fmt.Sprintf(".kinds button:nth-of-type(%d)", n))))
	}
	visit(t, ctx, p, "/1/devices?device=lobby&port=eth0", ".kinds")
	form(1)
	fill(t, ctx, "#inner-name", "Staff room")
	require.NoError(t, chromedp.Do(ctx, chromedp.Focus("#inner-name")))
	_ = eval[any](t, ctx, `(() => { const f = document.querySelectorAll(".kinds + form select")[1]; f.value = "110"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	until(t, ctx, `document.querySelector("p.line")?.textContent.includes("Staff room")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	require.Contains(t, text(), `inner "Staff room" ssid: 110`)

	visit(t, ctx, p, "/1/devices?device=rack&port=1", ".kinds")
	form(4)
	fill(t, ctx, "#speed-ports", "1-4")
	_ = eval[any](t, ctx, `(() => { const f = document.querySelector(".kinds + form select"); f.value = "2.5G"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Focus("#speed-ports")))
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	require.Contains(t, text(), "ports 1-4 2.5G, 5-24 1G")

	visit(t, ctx, p, "/1/register", ".register button.open")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".register button.open"), chromedp.WaitVisible("[aria-label='the first address of each subnet']")))
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".list form.panel li input")].slice(0, 2).forEach((f) => f.click())`)
	fill(t, ctx, "[aria-label='the first address of each subnet']", "100")
	fill(t, ctx, "[aria-label='the last address of each subnet']", "300")
	until(t, ctx, `document.querySelector(".list form.panel .wrong")?.textContent.includes("no such addresses")`)
	fill(t, ctx, "[aria-label='the last address of each subnet']", "199")
	require.NoError(t, chromedp.Do(ctx, chromedp.Focus("[aria-label='the last address of each subnet']")))
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#would") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#would .main")))
	kept(t, ctx, 4)
	require.Contains(t, text(), "handout 10.61.110.100-10.61.110.199")
	require.Contains(t, text(), "handout 10.61.120.100-10.61.120.199")
}

// TestOwnSpreadsheet: a table as people keep them is looked at, a cell of it is
// corrected on the page, and it becomes an office.
func TestOwnSpreadsheet(t *testing.T) {
	ctx, p := start(t)
	file := filepath.Join(t.TempDir(), "ports.csv")
	require.NoError(t, os.WriteFile(file, []byte("Floor 2 rack;;;\n;;;\nVLAN;1;2;3\n110 Reception;U;x?;T\n120 Surgery;;U;T\n"), 0o644))
	visit(t, ctx, p, "/offices", "#import")
	require.NoError(t, chromedp.Do(ctx, chromedp.SetUploadFiles("#import", []string{file}), chromedp.WaitVisible(".trouble input")))
	require.Equal(t, "floor-2-rack", eval[string](t, ctx, `document.querySelector("[aria-label='The device of grid 1']").value`))
	require.Contains(t, eval[string](t, ctx, `document.querySelector(".trouble").textContent`), "row 4, column 3")
	require.NoError(t, chromedp.Do(ctx, chromedp.Focus(".trouble input")))
	press(t, ctx, "a", chromedp.ModifierCtrl)
	press(t, ctx, "T")
	press(t, ctx, kb.Tab)
	until(t, ctx, `document.querySelector(".trouble") === null && document.querySelector("pre").textContent.includes("2: 120 [110]")`)
	require.Equal(t, 1, eval[int](t, ctx, `fetch("/api/offices").then(r => r.json()).then(o => o.length)`), "nothing is kept before it is taken")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("section[aria-label^='What ports.csv'] button.main")))
	until(t, ctx, `location.pathname === "/2" && document.querySelector("#board") !== null`)
	require.Equal(t, "T", eval[string](t, ctx, as("floor-2-rack.2", 110)))
}

// TestPast looks at an earlier revision, finds that it cannot be changed, and
// restores it as a new edit.
func TestPast(t *testing.T) {
	ctx, p := start(t)
	line(t, ctx, "rack 19: 190 [120 130 140 170]")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	line(t, ctx, "-device yard")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	visit(t, ctx, p, "/1/history", "[data-revision='1'] button")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-revision='1'] button")))
	until(t, ctx, `document.querySelector("#then")?.textContent.includes("Revision 1")`)
	until(t, ctx, `document.querySelector("#board") !== null && `+broken+` && document.querySelector(%q) !== null`, stage.Cell("yard.eth0", 160))
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "t")
	until(t, ctx, `document.querySelector("#notice")?.textContent.includes("which is past")`)
	kept(t, ctx, 3)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#then [aria-label^='Restore it']")))
	until(t, ctx, `document.querySelector("#restore:enabled") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#restore")))
	kept(t, ctx, 4)
	until(t, ctx, `document.querySelector("#then") === null && `+broken)
	// the restoring is an edit like any other, also after a reload
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/1"), chromedp.WaitVisible("#board")))
	press(t, ctx, "z", chromedp.ModifierCtrl)
	kept(t, ctx, 5)
	until(t, ctx, `!`+broken+` && document.querySelector(%q) === null`, stage.Cell("yard.eth0", 160))
}

// TestDevices adds, copies, renames, plugs and cables by the forms.
func TestDevices(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/devices?device=rack&port=23", "#device-name")
	fill(t, ctx, "#device-name", "den")
	fill(t, ctx, "#device-says", "fridge, 8 ports")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#device-problem").textContent.includes("says nothing that is known")`)
	fill(t, ctx, "#device-says", "switch, 8 ports 1G, by VLAN, follows ward-8")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("[aria-label='The front of den']") !== null`)
	fill(t, ctx, "#copy-name", "attic")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	until(t, ctx, `location.search === "?device=attic"`)
	fill(t, ctx, "#device-rename", "loft")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	visit(t, ctx, p, "/1/devices?device=rack&port=23", "#cable-to")
	fill(t, ctx, "#cable-to", "loft.8")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)
	until(t, ctx, `document.querySelector("[data-port-panel]").textContent.includes("loft 8")`)
	visit(t, ctx, p, "/1/devices?device=loft&port=1", "#plug-name")
	fill(t, ctx, "#plug-name", "a <i>lamp</i>")
	_ = eval[any](t, ctx, `(() => { const f = document.querySelector("#plug-wants"); f.value = "120"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".plug button")))
	kept(t, ctx, 6)
	until(t, ctx, `document.querySelector("[data-port-panel]").textContent.includes("a <i>lamp</i>")`)
}

// TestDock: what is said of the selection is made higher and lower, folded and unfolded by the
// keyboard, and is so again after a reload.
func TestDock(t *testing.T) {
	ctx, _ := start(t)
	height := func() int { return eval[int](t, ctx, `document.querySelector(".dock").clientHeight`) }
	press := func(keys string) {
		_ = eval[any](t, ctx, `document.querySelector(".grip").focus(); 0`)
		press(t, ctx, keys)
	}
	was := height()
	is := func(want int) {
		until(t, ctx, `Math.abs(document.querySelector(".dock")?.clientHeight - %d) <= 4`, want)
	}
	press(kb.ArrowUp + kb.ArrowUp)
	is(was + 48)
	board := eval[int](t, ctx, `document.querySelector("#board").closest(".board").clientHeight`)
	press(kb.Enter)
	until(t, ctx, `document.querySelector(".dock").clientHeight < 40`)
	require.Greater(t, eval[int](t, ctx, `document.querySelector("#board").closest(".board").clientHeight`), board+100)
	require.NoError(t, chromedp.Do(ctx, chromedp.Reload(), chromedp.WaitVisible("#board")))
	until(t, ctx, `document.querySelector(".dock")?.clientHeight < 40`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".fold button")))
	is(was + 48)
	press(kb.Home)
	is(was)
}

// TestRestore: an earlier state is shown as what becomes otherwise before it is made so, in one
// edit that can be taken back.
func TestRestore(t *testing.T) {
	ctx, p := start(t)
	goTo(t, ctx, "rack.19", 130)
	press(t, ctx, "t")
	kept(t, ctx, 2)
	visit(t, ctx, p, "/1/history", ".history li")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(`[aria-label="Restore: revision 1"]`)))
	until(t, ctx, `document.querySelector("dialog[open]")?.textContent.includes("19-20: 190 [120 130 140 170]")`)
	said := eval[string](t, ctx, `document.querySelector("dialog[open]").textContent`)
	require.Contains(t, said, "rack")
	require.Contains(t, said, "comes: 130 imaging ends at the cable rack 19 to ward-east 8")
	require.NotContains(t, said, "@@")
	require.Equal(t, 2, eval[int](t, ctx, `Number(document.getElementById("revision").dataset.revision)`), "nothing is done before the yes")
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#restore")))
	kept(t, ctx, 3)
}

// TestTour shows where things are: six stops, at each the thing itself is lit and the card does
// not lie over it; it is found under ?, and ends at any moment. The page hears of the
// dialog's opening after its button was pressed, as on a busy machine: it does not open again.
func TestTour(t *testing.T) {
	ctx, _ := start(t)
	ask := func() {
		press(t, ctx, "?")
		until(t, ctx, `[...document.querySelectorAll("dialog[open] button")].some(b => b.textContent.trim() === "Show me around")`)
		_ = eval[any](t, ctx, `(() => {
			const b = [...document.querySelectorAll("dialog[open] button")].find(b => b.textContent.trim() === "Show me around"), dialog = b.closest("dialog");
			b.click();
			setTimeout(() => dialog.dispatchEvent(new ToggleEvent("toggle", { oldState: "closed", newState: "open" })), 20);
		})()`)
		until(t, ctx, `document.querySelector(".tour") && !document.querySelector("dialog[open]")`)
	}
	ask()
	for stop := 1; stop <= 6; stop++ {
		until(t, ctx, `document.querySelector(".tour")?.ariaLabel.includes("%d of 6")`, stop)
		until(t, ctx, `document.querySelectorAll("[data-lit]").length === 1`)
		require.True(t, eval[bool](t, ctx, `(() => {
			const a = document.querySelector(".tour").getBoundingClientRect(), b = document.querySelector("[data-lit]").getBoundingClientRect();
			return b.width > 20 && (b.height > innerHeight / 3 || a.bottom <= b.top || b.bottom <= a.top);
		})()`), "the card covers what it speaks of at stop %d", stop)
		if stop < 6 {
			press(t, ctx, kb.ArrowRight)
		}
	}
	press(t, ctx, kb.Escape)
	until(t, ctx, `!document.querySelector(".tour") && !document.querySelector("[data-lit]")`)
	ask()
	until(t, ctx, `document.activeElement?.className.includes("tour")`)
	press(t, ctx, kb.Escape)
	until(t, ctx, `!document.querySelector(".tour")`)
}

// TestHistory asks why a port is so, from the board: its use's edit is among them and others are
// not; narrows the story down, calls a revision something, and compares any two.
func TestHistory(t *testing.T) {
	ctx, p := start(t)
	for i, text := range []string{"use desk 110 [140 150]", "rack 9: 120", "gate deny vlan 160 to vlan 130"} {
		line(t, ctx, text)
		press(t, ctx, kb.Enter)
		kept(t, ctx, i+2)
	}
	press(t, ctx, kb.Escape)
	goTo(t, ctx, "rack.1", 110)
	press(t, ctx, kb.Enter) // the column's ports, each for itself
	until(t, ctx, `[...document.querySelectorAll(".words a")].some(a => a.textContent.trim() === "Why is it so?")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".words a.why"), chromedp.WaitVisible(".history li[data-revision='2']")))
	until(t, ctx, `!document.querySelector(".history li[data-revision='3']") && !document.querySelector(".history li[data-revision='4']")`)
	press(t, ctx, "gh")
	until(t, ctx, `document.querySelectorAll(".history li[data-revision]").length === 4`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[aria-label='Name revision 3']"), chromedp.WaitVisible(".naming input")))
	press(t, ctx, "before the rules"+kb.Enter)
	until(t, ctx, `document.querySelector(".history li[data-revision='3'] .name")?.textContent === "before the rules"`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("[aria-label='Compare revision 2 with another']"), chromedp.Click("[aria-label='Compare revision 2 with revision 3']")))
	until(t, ctx, `document.querySelector(".compare pre")?.textContent.includes("9: 120")`)
	require.NotContains(t, eval[string](t, ctx, `document.querySelector(".compare pre").textContent`), "deny vlan 160 to vlan 130")
	visit(t, ctx, p, "/1/history?device=gate", ".history li[data-revision='4']")
	until(t, ctx, `document.querySelectorAll(".history li[data-revision]").length === 2`)
}

// TestEmpty: in an office in which there is nothing yet, every view says what it is for and what
// comes first.
func TestEmpty(t *testing.T) {
	ctx, p := start(t)
	id := eval[int](t, ctx, `fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({title: "Empty", text: ""})}).then(r => r.json()).then(v => v.id)`)
	for _, view := range []string{"", "/ports", "/plans", "/register", "/devices", "/reach", "/walk", "/talk", "/sheets", "/orders", "/round", "/field", "/poster", "/history", "/checkup", "/notices"} {
		require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(fmt.Sprintf("%s/%d%s", p.URL, id, view)), chromedp.WaitVisible("header")))
		until(t, ctx, `(document.querySelector("main")?.innerText ?? "").replace(/\s+/g, " ").length > 80 || "in " + %q === ""`, view)
	}
}
