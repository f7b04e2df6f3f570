package e2e

import (
	"context"
	"fmt"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// hand is somebody's hand at the page: each click, key with its modifiers, drag and choice counts
// one; text that is typed or pasted counts nothing, as it is what one wants to say.
type hand struct {
	t     *testing.T
	ctx   context.Context
	count int
}

func (h *hand) place(selector string) (x, y float64) {
	h.t.Helper()
	until(h.t, h.ctx, `document.querySelector(%q) !== null`, selector)
	at := eval[[]float64](h.t, h.ctx, fmt.Sprintf(`(() => {
		const e = document.querySelector(%q);
		e.scrollIntoView({block: "center", inline: "center"});
		const r = e.getBoundingClientRect();
		return [r.left + Math.min(r.width / 2, 60), (r.top + r.bottom) / 2];
	})()`, selector))
	return at[0], at[1]
}

// click is a click of the mouse in the middle of something, wherever that is on the screen.
func (h *hand) click(selector string, held ...chromedp.Modifier) {
	h.t.Helper()
	h.count++
	x, y := h.place(selector)
	over := eval[bool](h.t, h.ctx, fmt.Sprintf(`(() => { const e = document.querySelector(%q), at = document.elementFromPoint(%f, %f); return e === at || e.contains(at) || at?.contains(e) === true })()`, selector, x, y))
	require.True(h.t, over, "something lies over %s", selector)
	require.NoError(h.t, chromedp.Do(h.ctx, chromedp.MouseClickXY(x, y, chromedp.ButtonModifiers(held...))))
}

func (h *hand) key(key string, held ...chromedp.Modifier) {
	h.t.Helper()
	h.count++
	press(h.t, h.ctx, key, held...)
}

func (h *hand) types(text string) {
	h.t.Helper()
	press(h.t, h.ctx, text)
}

// clipboard is a key that cuts, copies or pastes; what is pasted was copied elsewhere.
func (h *hand) clipboard(kind, into, text string) string {
	h.t.Helper()
	h.count++
	return eval[string](h.t, h.ctx, fmt.Sprintf(`(() => {
		const clipboardData = new DataTransfer();
		if (%[2]q) clipboardData.setData("text/plain", %[2]q);
		document.querySelector(%[3]q).dispatchEvent(new ClipboardEvent(%[1]q, {bubbles: true, cancelable: true, clipboardData}));
		return clipboardData.getData("text/plain");
	})()`, kind, text, into))
}

// TestActs counts what the commonest acts cost a hand, from the view where one would do them, and
// that each did what it is for. docs/acts.md has the counts, and has to be true.
func TestActs(t *testing.T) {
	ctx, p := start(t)
	text, err := os.ReadFile("../docs/acts.md")
	require.NoError(t, err)
	told := map[string]int{}
	for _, row := range regexp.MustCompile(`(?m)^\| (.+?) \| (\d+) \| `).FindAllStringSubmatch(string(text), -1) {
		told[row[1]], _ = strconv.Atoi(row[2])
	}
	seen, revision := map[string]bool{}, 1
	act := func(name, where, ready string, edits int, do func(h *hand)) {
		t.Helper()
		t.Run(name, func(t *testing.T) {
			if where != "" {
				visit(t, ctx, p, where, ready)
				settled(t, ctx)
			}
			h := &hand{t: t, ctx: ctx}
			do(h)
			if revision += edits; edits > 0 {
				kept(t, ctx, revision)
			}
			seen[name] = true
			require.Equal(t, told[name], h.count, "docs/acts.md says otherwise")
		})
	}
	notation := func() string { return eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`) }
	on := func(h *hand, text string) { // on the line
		h.key("/")
		h.types(text)
		until(h.t, ctx, `document.querySelector("#foretold").textContent.includes("Enter applies")`)
		h.key(kb.Enter)
	}
	would := func() { t.Helper(); until(t, ctx, `document.querySelector("#would") !== null`) }

	act("a port into a VLAN", "/1", "#board", 1, func(h *hand) {
		h.click(stage.Cell("rack.22", 110))
		h.key("u")
	})
	until(t, ctx, "%s", as("rack.22", 110)+` === "U"`)
	act("a tag on a port", "", "", 1, func(h *hand) {
		h.click(stage.Cell("rack.22", 140))
		h.key("t")
	})
	until(t, ctx, "%s", as("rack.22", 140)+` === "T"`)
	act("24 ports into a VLAN", "", "", 1, func(h *hand) { on(h, "annex 1-9: 110") })
	act("a VLAN to a far port", "", "", 1, func(h *hand) {
		h.click(stage.Cell("ward-west.7", 150))
		h.key("b")
		would()
		h.key(kb.Enter)
	})
	act("a new VLAN", "", "", 1, func(h *hand) { on(h, "vlan 180 laboratory net 10.61.180.0/24") })
	act("a new device", "", "", 1, func(h *hand) { on(h, "add hall switch, 24 ports 1G, by VLAN") })
	act("a cable", "", "", 1, func(h *hand) { on(h, "cable hall.24 annex.9") })
	act("a fault to its mend", "/1", "[data-code=not-carried] .mend", 1, func(h *hand) {
		h.click("[data-code=not-carried] .mend")
		would()
		h.key(kb.Enter)
	})
	act("what hangs at a port, named", "/1/ports", "[data-cell='rack.4 hangs']", 1, func(h *hand) {
		h.click("[data-cell='rack.4 hangs']")
		h.types("scanner")
		h.key(kb.Enter)
	})
	find := func(t *testing.T, device string) { // the list shows what is looked for
		t.Helper()
		fill(t, ctx, ".ports input[type=search]", device)
		until(t, ctx, `document.querySelector("[data-cell='%s.1 hangs']") !== null`, device)
	}
	act("24 names at an empty device", "/1/ports", "[data-cell='rack.4 hangs']", 2, func(h *hand) {
		on(h, "hall 1-24: use desk") // what hangs there wants what its port gives
		h.click(".ports input[type=search]")
		find(h.t, "hall")
		var names []string
		for i := range 24 {
			names = append(names, fmt.Sprintf("hall pc %d", i+1))
		}
		h.click("[data-cell='hall.1 hangs']")
		h.clipboard("paste", "#ports", strings.Join(names, "\n"))
		until(h.t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
		h.key(kb.Enter)
	})
	require.Equal(t, 24, strings.Count(notation(), `"hall pc `))
	act("a department of 12 to another switch", "", "", 1, func(h *hand) {
		h.click("[data-cell='hall.1 hangs']")
		h.click("[data-cell='hall.12 hangs']", chromedp.ModifierShift)
		cut := h.clipboard("cut", "#ports", "")
		h.click(".ports input[type=search]")
		find(h.t, "rack")
		h.click("[data-cell='rack.5 hangs']")
		h.clipboard("paste", "#ports", cut)
		until(h.t, ctx, `document.querySelector("#foretold").textContent.includes("Enter")`)
		h.key(kb.Enter)
	})
	require.Contains(t, notation(), `plug rack.5 "hall pc 1" `)
	require.Equal(t, 24, strings.Count(notation(), `"hall pc `))
	act("a device's sheet on paper", "/1", "#board", 0, func(h *hand) {
		_ = eval[any](t, ctx, `window.print = () => { window.printed = true }; 0`)
		h.key("g")
		h.key("s")
		h.click("[href*='device=rack']")
		until(h.t, ctx, `document.querySelector(".steps li") !== null`)
		h.click("main button.noprint")
		until(h.t, ctx, `window.printed === true`)
	})
	for name, file := range map[string][2]string{
		"a grid of one's own":               {"grid.csv", "Rack,110 reception,140 phones\n1,U,T\n2,U,\n"},
		"a list of one's own":               {"list.csv", "Device,Port,Untagged,Tagged\ncore,1,110,140\ncore,2,110,\n"},
		"a list of one's own without heads": {"bare.csv", "core,1,110,140\ncore,2,110,\ncore,3,140,\n"},
		"a list of VLANs of one's own":      {"vlans.csv", "VLAN,Name,Untagged,Tagged\n110,reception,1-4,8\n140,phones,,1-4\n"},
	} {
		act(name, "/offices", "#import", 0, func(h *hand) {
			h.count++ // dropped, or chosen
			_ = eval[any](t, ctx, fmt.Sprintf(`(() => {
				const files = new DataTransfer(), input = document.querySelector("#import");
				files.items.add(new File([%q], %q));
				input.files = files.files;
				input.dispatchEvent(new Event("change", {bubbles: true}));
			})()`, file[1], file[0]))
			until(h.t, ctx, `document.querySelector("figure table") !== null && !document.querySelector(".intake [role=status]")`)
			h.click(".intake form button[type=submit]")
			until(h.t, ctx, `/^\/\d+$/.test(location.pathname)`)
		})
	}
	for name := range told {
		require.True(t, seen[name], "docs/acts.md counts %q, which is not tried", name)
	}
}
