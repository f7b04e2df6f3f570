package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestTypedOverAnother: in whatever field one types, what somebody else changes there meanwhile is
// told before anything takes its place, what one typed stays, and who insists has it.
func TestTypedOverAnother(t *testing.T) {
	ctx, p := start(t)
	revision := 1
	for _, field := range []struct {
		name, path, selector string
		types, other         string // what one types there; the statement of another
		stays, mine          string // in notation
		press                func()
	}{
		{name: "the line", path: "/1", selector: "#line", types: "rack 22: 110", other: "rack 22: 120", stays: "22: 120", mine: "22: 110"},
		{name: "a port's note", path: "/1/devices?device=rack&port=21", selector: "[aria-label='The note of rack 21']", types: "by the window", other: `rack port 21 note "under the desk"`, stays: "under the desk", mine: `note "by the window"`},
		{name: "a device's note", path: "/1/devices?device=annex", selector: "[data-fact=note]", types: "in the loft", other: `annex note "in the cellar"`, stays: "in the cellar", mine: `note "in the loft"`},
		{name: "a VLAN's name", path: "/1/register?vlan=170", selector: "#vlan-name", types: kb.End + "x", other: `vlan 170 cameras "yard and stable" net 10.61.170.0/24`, stays: "vlan 170 cameras ", mine: "vlan 170 camerasx "},
		{name: "a plan", path: "/1/plans?plan=ward-8", selector: "#plan-text", types: "x", other: "plan ward-8; 1-4: use treatment; 5-6: use console; 7: 160; last: use uplink", stays: "7: 160", mine: "7: 150", press: func() {
			fill(t, ctx, "#plan-text", "1-4: use treatment\n5-6: use console\n7: 150\nlast: use uplink")
		}},
	} {
		t.Run(field.name, func(t *testing.T) {
			visit(t, ctx, p, field.path, field.selector)
			settled(t, ctx)
			_ = eval[any](t, ctx, fmt.Sprintf(`document.querySelector(%q).focus(); 0`, field.selector))
			keep := func() { press(t, ctx, kb.Enter) }
			if field.press != nil {
				field.press()
				keep = func() { press(t, ctx, kb.Enter, 2) }
			} else {
				press(t, ctx, field.types)
			}
			request, err := http.NewRequestWithContext(ctx, "POST", p.URL+"/api/offices/1/edits", strings.NewReader(fmt.Sprintf(`{"base":%d,"commands":[{"lines":[%q]}]}`, revision, strings.ReplaceAll(field.other, "; ", "\n  "))))
			require.NoError(t, err)
			request.Header.Set("Content-Type", "application/json")
			request.AddCookie(&http.Cookie{Name: "klammer_name", Value: "Mia"})
			answer, err := http.DefaultClient.Do(request)
			require.NoError(t, err)
			answer.Body.Close()
			require.Equal(t, 200, answer.StatusCode)
			revision++
			kept(t, ctx, revision)
			settled(t, ctx)
			typed := eval[string](t, ctx, fmt.Sprintf(`document.querySelector(%q).value`, field.selector))
			require.NotEmpty(t, typed)
			keep()
			until(t, ctx, `document.body.textContent.includes("changed meanwhile by Mia")`)
			require.Equal(t, typed, eval[string](t, ctx, fmt.Sprintf(`document.querySelector(%q).value`, field.selector)), "what was typed stays")
			notation := func() string { return eval[string](t, ctx, `fetch("/api/offices/1/notation").then(r => r.text())`) }
			require.Contains(t, notation(), field.stays)
			settled(t, ctx)
			keep()
			revision++
			kept(t, ctx, revision)
			require.Contains(t, notation(), field.mine)
			require.NotContains(t, notation(), field.stays)
		})
	}
}
