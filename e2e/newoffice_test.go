package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// TestNewOfficeByKeys plans an office of eight devices from nothing, with the
// keyboard alone, until nothing breaks and nothing is risky.
func TestNewOfficeByKeys(t *testing.T) {
	ctx, p := start(t)
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/offices"), chromedp.WaitVisible("#title")))
	began, keys, revision := time.Now(), 0, 0
	hit := func(text string, held ...chromedp.Modifier) {
		keys += len([]rune(text))
		press(t, ctx, text, held...)
	}
	type_ := func(text string) { // on the line, seen before it is done
		hit("/")
		hit(text)
		until(t, ctx, `document.querySelector("#line").value === %q && document.querySelector("#foretold").textContent.includes("Enter applies")`, text)
		hit(kb.Enter)
		revision++
		kept(t, ctx, revision)
	}
	at := func(port string, vid int) {
		t.Helper()
		hit("/")
		hit("go " + port + kb.Enter)
		until(t, ctx, `document.activeElement.id === "board" && document.querySelector("#board").getAttribute("aria-activedescendant") !== null`)
		goTo(t, ctx, port, vid)
		keys += 3
	}

	// three questions
	_ = eval[any](t, ctx, `document.querySelector("#title").focus(); 0`)
	hit("North Mill Bakery" + kb.Tab)
	hit("a", chromedp.ModifierCtrl)
	hit("1 default local" + kb.Enter + "10 staff" + kb.Enter + "20 tills" + kb.Enter + "30 guests" + kb.Enter + "40 cameras" + kb.Enter + "90 devices" + kb.Tab)
	hit(kb.Tab + kb.Tab + kb.Tab + kb.Tab + kb.Tab + kb.Tab)
	until(t, ctx, `document.activeElement.id === "make"`)
	hit(kb.Enter)
	until(t, ctx, `document.querySelector("#board") !== null && location.pathname === "/2"`)
	until(t, ctx, `document.querySelector("#revision")?.dataset.keeping === "kept" && document.querySelectorAll(".device").length === 2`)
	revision = eval[int](t, ctx, `Number(document.querySelector("#revision").dataset.revision)`)

	// six devices more
	type_("add shop switch, 8 ports 1G, by VLAN, pvid-apart, managed in 90 10.0.90.11")
	type_("add oven switch, 8 ports 1G, by VLAN, pvid-apart, managed in 90 10.0.90.12")
	type_("add yard access point, ports eth0, by inner port, managed in 90 10.0.90.21")
	type_("add cafe access point, ports eth0, by inner port, managed in 90 10.0.90.22")
	type_("add till-server host, ports nic0, by inner port, managed in 90 10.0.90.31")
	type_("add scale unmanaged switch, 5 ports")
	type_(`cafe inner "Guests" ssid: 30`)
	type_(`cafe inner "Staff" ssid: 10`)
	type_(`yard inner "Staff" ssid: 10`)
	type_("till-server inner tills vm: 20")

	// the first small switch, by blocks on the board
	at("shop.1", 10)
	hit(kb.Enter) // unfolded, to be set apart
	until(t, ctx, `document.querySelector(%q) !== null`, stage.Cell("shop.4", 10))
	for range 3 {
		hit(kb.ArrowRight, chromedp.ModifierShift)
	}
	hit("u")
	revision++
	kept(t, ctx, revision)
	at("shop.5", 20)
	hit(kb.ArrowRight, chromedp.ModifierShift)
	hit("u")
	revision++
	kept(t, ctx, revision)
	type_("shop 7: 40; shop 8: 90 [needed]")
	// its pattern again for the second
	type_("plan eight from shop")
	type_("follow oven eight")
	require.Equal(
		t,
		"U",
		eval[string](
			t,
			ctx,
			`(() => { const c = [...document.querySelectorAll("[data-vid='40'][data-as='U']")].filter(c => c.dataset.port.startsWith("oven.")); return c.length ? "U" : "none"; })()`,
		),
	)

	// cables by both ends
	cable := func(a, b string) {
		t.Helper()
		at(a, 90)
		hit("c")
		until(t, ctx, `document.querySelector(".cabling") !== null`)
		at(b, 90)
		hit("c")
		revision++
		kept(t, ctx, revision)
	}
	hit("O") // all unfolded: each port by its name
	cable("rack.23", "shop.8")
	cable("rack.22", "oven.8")
	cable("rack.21", "yard.eth0")
	cable("rack.20", "cafe.eth0")
	cable("rack.19", "till-server.nic0")
	cable("rack.18", "scale.1")
	type_("rack 19-23: 90 [needed]; yard eth0: 90 [needed]; cafe eth0: 90 [needed]; till-server nic0: 90 [needed]")
	type_("rack 18: 20")
	type_(`plug rack.1 "laptop" wants 90 operator; rack 1: 90; rack manage 90 10.0.90.2`)
	type_(`plug shop.1 "counter pc" wants 10; plug shop.5 "till 1" wants 20; plug shop.7 "door camera" wants 40; plug oven.7 "oven camera" wants 40; plug scale.2 "scale" wants 20`)
	// one more VLAN to a far port in one key press, and what it would do first
	at("oven.1", 30)
	hit("b")
	until(t, ctx, `(%s).includes("Departs from its port plan")`, would)
	hit(kb.Escape)
	type_(`gate manage 90 10.0.90.1; vlan 1 default local`)

	until(t, ctx, `[...document.querySelectorAll(".chip .breaks, .chip .risk")].every(b => b.textContent.trim() === "0")`)
	took := time.Since(began)
	t.Logf("eight devices from nothing: %d key presses, %.1f s in the test", keys, took.Seconds())

	text := eval[string](t, ctx, `fetch("/api/offices/2/notation").then(r => r.text())`)
	file := filepath.Join(t.TempDir(), "mill.klm")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	out, err := exec.Command(filepath.Join(stage.Root(), "bin", "klammer"), "check", file).CombinedOutput()
	require.NoError(t, err, "%s\n%s", out, text)
}
