package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestChoose writes lines without notation, by the keyboard: what a device is, where it is
// managed, what it takes at most, the shape of a port and of a use, a place of a plan, a rule.
// Each form shows the line that it writes, and the server has what was chosen.
func TestChoose(t *testing.T) {
	ctx, _ := start(t)
	focus := func(selector string) {
		t.Helper()
		until(t, ctx, `document.querySelector(%q) !== null && !document.querySelector(%q).disabled`, selector, selector)
		_ = eval[any](t, ctx, fmt.Sprintf(`document.querySelector(%q).focus()`, selector))
	}
	open := func(label string) {
		t.Helper()
		focus(fmt.Sprintf("button[aria-label='Choose %s']", label))
		press(t, ctx, kb.Enter)
		until(t, ctx, `document.querySelector(%q) !== null`, fmt.Sprintf("[role=group][aria-label=%q]", label))
	}
	// in goes to a form's field by its label, and types there: a list goes where it is typed.
	in := func(label, field, keys string) {
		t.Helper()
		_ = eval[any](t, ctx, fmt.Sprintf(`[...document.querySelectorAll("[role=group][aria-label='%s'] label")]
			.find(l => l.textContent.trim().startsWith(%q)).querySelector("input, select").focus()`, label, field))
		press(t, ctx, keys)
	}
	line := func(label, want string) {
		t.Helper()
		until(t, ctx, `document.querySelector(%q)?.textContent === %q`, fmt.Sprintf("[role=group][aria-label=%q] .line", label), want)
	}
	device := func(name, field string) string {
		return eval[string](t, ctx, fmt.Sprintf(`fetch("/api/offices/1").then(r => r.json()).then(o => String(o.devices.find(d => d.name === %q)?.%s))`, name, field))
	}

	press(t, ctx, "gd")
	focus("#device-name")
	press(t, ctx, "cellar")
	open("what it is")
	in("what it is", "Kind", "switch t") // that knows no VLANs
	in("what it is", "Ports", kb.End+kb.Backspace+kb.Backspace+"8")
	line("what it is", "unmanaged switch, 8 ports 1G")
	in("what it is", "Kind", "switch")
	in("what it is", "Managed in", "190")
	in("what it is", "at", "10.61.190.44")
	line("what it is", "switch, 8 ports 1G, managed in 190 10.61.190.44")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#device-says").value.startsWith("switch, 8 ports")`)
	focus("#device-says")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	require.Equal(t, "190 10.61.190.44", device("cellar", "manageText"))

	open("where cellar is managed")
	in("where cellar is managed", "Prefix", "24")
	in("where cellar is managed", "Default", "10.61.190.1")
	line("where cellar is managed", "cellar manage 190 10.61.190.44/24 via 10.61.190.1")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	open("the limits of cellar")
	_ = eval[any](t, ctx, `document.querySelectorAll("[role=group][aria-label='the limits of cellar'] input")[0].focus()`)
	press(t, ctx, "32")
	line("the limits of cellar", "cellar limit vlans 32")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	require.Equal(t, "vlans 32", device("cellar", "limits"))

	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(eval[string](t, ctx, `location.origin`)+"/1/devices?device=rack&port=9")))
	shape := "the shape of rack 9"
	open(shape)
	in(shape, "Untagged", "150")
	in(shape, "140", " ") // its tick
	line(shape, "150 [140]")
	in(shape, "Tagged", "what")
	line(shape, "150 [needed]")
	in(shape, "Tagged", kb.Home)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)
	require.Equal(t, "150 [140]", device("rack", `ports.find(p => p.name === "9").shape`))

	press(t, ctx, kb.Escape+"gp")
	shape = "the shape of the use console"
	open(shape)
	in(shape, "140", " ")
	line(shape, "130 [140]")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#foretold")?.textContent.includes("Enter")`)
	focus("[aria-label='The shape of the use console']")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 6)
	focus("#plan-places")
	press(t, ctx, "7")
	focus("#plan-use")
	press(t, ctx, "desk")
	focus("#plan-places")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#plan-text").value.endsWith("7: use desk")`)
	until(t, ctx, `document.querySelector("#foretold")?.textContent.includes("Enter")`)
	press(t, ctx, kb.Escape)

	_ = eval[any](t, ctx, `document.activeElement.blur()`)
	press(t, ctx, "gk")
	rule := "a rule of gate"
	open(rule)
	in(rule, "What", "deny")
	in(rule, "From", "160")
	in(rule, "To", "150")
	in(rule, "Why", "guests pay elsewhere")
	line(rule, `gate deny vlan 160 to vlan 150 "guests pay elsewhere"`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 7)
	require.Equal(t, "guests pay elsewhere", device("gate", "rules.at(-1).note"))
}

// TestReplace puts a switch with other ports in the place of one by the form: how ports go is
// shown before it is done, one edit does it, and the order of it is one click away and lets the
// new one take over while the old one still stands.
func TestReplace(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/devices?device=annex", "#device-line")
	_ = eval[any](t, ctx, `[...document.querySelectorAll("button")].find(b => b.textContent.includes("Replace it by")).focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#replace-by") !== null`)
	fill(t, ctx, "#replace-by", "switch, 16 ports 1G, by VLAN")
	fill(t, ctx, "[aria-label='Where port 10 goes']", "16")
	until(t, ctx, `document.querySelector(".replace .line").textContent === "replace annex by switch, 16 ports 1G, by VLAN, 10 to 16"`)
	_ = eval[any](t, ctx, `document.querySelector(".replace input[type=checkbox]").focus()`)
	press(t, ctx, " ")
	until(t, ctx, `document.querySelector(".replace .line").textContent.endsWith(", 10 to 16, old as annex-spare")`)
	_ = eval[any](t, ctx, `document.querySelector("#replace-by").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	require.Contains(t, eval[string](t, ctx, `document.querySelector("#would")?.textContent ?? document.querySelector("#foretold").textContent`), "10 to 16")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `location.search.includes("replaced=annex") && document.querySelector(".start input[type=number]")?.value === "1"`)
	until(t, ctx, `document.querySelector(".some summary").textContent.includes("a new one takes the place of annex")`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".start button")].find(b => b.textContent.includes("what changed since")).click()`)
	until(t, ctx, `document.querySelector(".sum")?.textContent.includes("steps") && document.body.textContent.includes("Take annex-old away") && document.body.textContent.includes("Put annex-spare on the shelf")`)
	// The spare takes over.
	visit(t, ctx, p, "/1/devices?device=annex", "#device-line")
	_ = eval[any](t, ctx, `[...document.querySelectorAll("button")].find(b => b.textContent.includes("Replace it by")).click()`)
	until(t, ctx, `[...document.querySelectorAll(".replace button")].find(b => b.textContent.trim() === "annex-spare")?.click() === undefined && document.querySelector(".replace .line")?.textContent === "replace annex by annex-spare"`)
}

// TestNoticesPage sets who hears of an office, by the keyboard: a wrong address is refused at its
// field, a webhook's secret is shown once, a test goes out, and one is told no more.
func TestNoticesPage(t *testing.T) {
	ctx, p := start(t)
	took := make(chan string, 8)
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		took <- string(body)
	}))
	defer hook.Close()
	visit(t, ctx, p, "/1/notices", "#notice-target")
	_ = eval[any](t, ctx, `document.querySelector("#kind-drift").focus()`)
	press(t, ctx, " ")
	_ = eval[any](t, ctx, `document.querySelector("#notice-way").focus()`)
	press(t, ctx, "a webhook")
	fill(t, ctx, "#notice-target", "desk.clinic.example")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#notice-problem").textContent.includes("https://desk.example/klammer")`)
	fill(t, ctx, "#notice-target", hook.URL)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".secret code")?.textContent.length === 64`)
	_ = eval[any](t, ctx, `document.querySelector("[data-notice] button").focus()`)
	press(t, ctx, kb.Enter)
	select {
	case body := <-took:
		require.Contains(t, body, "Harbour Lane Veterinary Clinic")
	case <-time.After(20 * time.Second):
		require.Fail(t, "no test came")
	}
	until(t, ctx, `document.querySelector("[data-notice]")?.textContent.includes("the last was taken")`)
	_ = eval[any](t, ctx, `document.querySelector("[data-notice] [aria-label^='Tell']").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("[data-notice]") === null`)
}

// TestHandbookPage reads the handbook on screen, leaves a chapter out, and has it as one file.
func TestHandbookPage(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/handbook", "[data-handbook]")
	chapters := `document.querySelector("[data-handbook]")?.shadowRoot.querySelectorAll("section").length`
	until(t, ctx, `%s === 10`, chapters)
	_ = eval[any](t, ctx, `document.querySelector("#chapter-sheets").focus()`)
	press(t, ctx, " ")
	until(t, ctx, `%s === 9`, chapters)
	require.Contains(t, eval[string](t, ctx, `fetch(document.querySelector("a[download]").href).then(async r => r.headers.get("Content-Disposition") + await r.text())`), "handbook.html")
}

// TestCheckup checks the office, says of a port that it is so on purpose, and the next check-up
// knows it.
func TestCheckup(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/sheets?device=rack", "h1")
	status := eval[int](t, ctx, `fetch("/api/offices/1/found", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({device: "rack", text: "rack 9: 120", base: "plan", keep: true})}).then(r => r.status)`)
	require.Equal(t, 200, status)
	visit(t, ctx, p, "/1/checkup", "#check-now")
	until(t, ctx, `!document.querySelector("#check-now").disabled`)
	_ = eval[any](t, ctx, `document.querySelector("#check-note").focus()`)
	press(t, ctx, "before the holidays"+kb.Enter)
	until(t, ctx, `document.querySelector("[data-differs='rack.9']")?.textContent.includes("120")`)
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='rack.9 is so on purpose']").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.activeElement?.id === "because"`)
	press(t, ctx, "the X-ray is in repair"+kb.Enter)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#check-now")))
	until(t, ctx, `document.querySelector("article")?.textContent.includes("rack 9 is set otherwise: 120") && !document.querySelector("[data-differs='rack.9']")`)
}

// TestShelf puts a plan on the shelf, takes it over in another office after a look at what it
// would change, and says why that one departs.
func TestShelf(t *testing.T) {
	ctx, p := start(t)
	id := eval[int](t, ctx, `fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({title: "Second practice", text: "vlan 110 staff\nvlan 140 phones\nuse treatment 110\ndevice sw switch\n  ports 1-8\n"})}).then(r => r.json()).then(v => v.id)`)
	visit(t, ctx, p, "/1/plans", "#shelf-what")
	_ = eval[any](t, ctx, `document.querySelector("#shelf-what").focus()`)
	press(t, ctx, "plan")
	_ = eval[any](t, ctx, `document.querySelector("#shelf-name").focus()`)
	press(t, ctx, "wards"+kb.Enter)
	until(t, ctx, `document.querySelector("[data-shelf=wards]")?.textContent.includes("revision 1, from Harbour Lane")`)
	visit(t, ctx, p, fmt.Sprintf("/%d/plans", id), "[data-shelf=wards]")
	_ = eval[any](t, ctx, `[...document.querySelectorAll("[data-shelf=wards] button")].find(b => b.textContent.includes("would change")).focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("[data-shelf=wards]")?.textContent.includes("followed here") && !document.querySelector("[data-shelf=wards]").textContent.includes("not followed")`)
	require.Contains(t, eval[string](t, ctx, fmt.Sprintf(`fetch("/api/offices/%d/notation").then(r => r.text())`, id)), "use treatment 120 [140]")
	line(t, ctx, "use treatment 110")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	until(t, ctx, `document.querySelector("[data-shelf=wards]")?.textContent.includes("departs in use treatment")`)
	fill(t, ctx, "[aria-label='Why this office departs from wards']", "no surgery here")
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='Why this office departs from wards']").dispatchEvent(new Event("change", {bubbles: true}))`)
	visit(t, ctx, p, fmt.Sprintf("/%d/plans?again", id), "[data-shelf=wards]")
	until(t, ctx, `document.querySelector("[aria-label='Why this office departs from wards']")?.value === "no surgery here"`)

	// A file goes there as well; one that is neither uses nor plans is refused, with why.
	drop := func(name, text string) {
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => {
			const files = new DataTransfer(), input = document.querySelector("#shelf-file");
			files.items.add(new File([%q], %q));
			input.files = files.files;
			input.dispatchEvent(new Event("change", {bubbles: true}));
		})()`, text, name))
	}
	drop("tills.klm", "use till 110\n")
	until(t, ctx, `document.querySelector("[data-shelf=tills]")?.textContent.includes("revision 1")`)
	drop("broken.klm", "use till 5000\n")
	until(t, ctx, `[...document.querySelectorAll("[role=alert]")].some(a => a.textContent.includes("5000"))`)
	require.False(t, eval[bool](t, ctx, `document.querySelector("[data-shelf=broken]") !== null`))
}
