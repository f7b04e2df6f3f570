package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// hostile is an office in which every name, note and reason is markup that would run.
func hostile(mark func(what string) string) string {
	return strings.NewReplacer("@port", mark("port"), "@inner", mark("inner"), "@bundle", mark("bundle"), "@note", mark("note"), "@because", mark("because"), "@plug", mark("plug"), "@rule", mark("rule"), "@zone", mark("zone"), "@title", mark("title")).Replace(`
office @title
vlan 10 vx @note net 10.1.10.0/24
vlan 20 other net 10.1.20.0/24
vlan 30 admin net 10.1.30.0/24
service pictures tcp/104
use desk 10 [20]
plan four
  1-2: use desk
device den switch follows four
  ports 1-3 1G, @port, 5-8
  bundle @bundle lacp 7-8
  2: 20 because @because
  manage 30 10.1.30.2
  @bundle: 30 [10 20]
device shed switch
  ports 1-8
  bundle up lacp 7-8
  1: 20
  up: 30 [10]
device gate firewall
  ports lan, wan
  lan: 30 [10 20]
  address 10 10.1.10.1/24 on lan zone @zone gateway
  address 20 10.1.20.1/24 on lan gateway
  outside fibre on wan
  allow zone @zone to vlan 20 ping @rule
device air wap
  ports eth0
  eth0: 30 [10]
  inner @inner ssid: 10
cable den.@bundle shed.up
cable gate.lan den.5
cable air.eth0 shed.3
plug den.1 @plug wants 20
plug air.@inner "phone" wants 20
must vlan 10 to vlan 20 pictures
`)
}

// TestMarkup: markup in every text that somebody can enter, in a name that a browser says
// it has, and in addresses, is seen as it is in every view, and nothing of it becomes part
// of a page. Nothing that the pages do themselves offends their own policy.
func TestMarkup(t *testing.T) {
	_, ctx, p := guarded(t)
	_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `
		window.hits = 0; window.hit = () => window.hits++; window.offended = [];
		document.addEventListener("securitypolicyviolation", e => window.offended.push(e.violatedDirective + " " + e.blockedURI + " " + e.sample));`})
	require.NoError(t, err)

	marks := map[string]string{}
	mark := func(what string) string { // as notation has it
		text := "<img src=q onerror=hit()>" + what
		marks[what] = text
		return `"` + text + `"`
	}
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.Link)))
	until(t, ctx, `document.getElementById("join-name") !== null`)
	me := `<img src=q onerror=hit()>`
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#join-name", me), chromedp.SendKeys("#join-password", "harbour-tulip-ox-lantern"+kb.Enter)))
	until(t, ctx, `document.getElementById("board") !== null`)
	post := func(method, path string, body any) string {
		t.Helper()
		text, err := json.Marshal(body)
		require.NoError(t, err)
		return eval[string](t, ctx, fmt.Sprintf(`fetch(%q, {method: %q, headers: {"Content-Type": "application/json"}, body: %q}).then(async r => r.status + " " + await r.text())`, path, method, text))
	}
	answer := post("POST", "/api/offices", map[string]any{"title": "<img src=q onerror=hit()>title", "text": hostile(mark)})
	require.True(t, strings.HasPrefix(answer, "200"), answer)
	for _, x := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/api/offices/2/edits", map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{`plug gate.lan ` + mark("history") + ` wants 10`}}}}},
		{"POST", "/api/offices/2/tokens", map[string]any{"name": me + "token", "days": 1, "scope": "reader", "password": "harbour-tulip-ox-lantern"}},
		{"PUT", "/api/offices/2/credentials", map[string]any{"name": "switches", "user": me, "password": "hush-hush"}},
		{"POST", "/api/sign-in", map[string]any{"name": me + "nobody", "password": "a guess that is wrong"}},
	} {
		answer := post(x.method, x.path, x.body)
		require.True(t, strings.HasPrefix(answer, "200") || strings.HasPrefix(answer, "403"), "%s: %s", x.path, answer)
	}

	seen := map[string]bool{}
	query := strings.NewReplacer("@", "den").Replace
	for _, view := range []string{
		"/2", "/2/devices?device=@&port=2", "/2/register", "/2/plans", "/2/reach?vlan=10", "/2/walk?from=@.1&to=gate.lan", "/2/talk?from=@.1&to=@", "/2/sheets?device=@", "/2/orders", "/2/field", "/2/round", "/2/poster",
		"/2/history", "/2/people", "/2/cables", "/2/" + eval[string](t, ctx, fmt.Sprintf(`encodeURIComponent(%q)`, me)), "/people", "/",
		"/2/walk?from=%3Cimg%20src%3Dq%20onerror%3Dhit()%3E&to=javascript:hit()",
	} {
		require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+query(view))))
		until(t, ctx, `document.querySelector("main, .front, .offices, #board") !== null && document.body.innerText.trim().length > 20`)
		settled(t, ctx) // what is asked for after the page
		text := eval[string](t, ctx, `document.body.innerText + [...document.querySelectorAll("[data-tip],[aria-label],option,input")].map(e => [e.dataset.tip, e.getAttribute("aria-label"), e.textContent, e.value].join(" ")).join("\n")`)
		for what, m := range marks {
			seen[what] = seen[what] || strings.Contains(text, m)
		}
		seen["me"] = seen["me"] || strings.Contains(text, me)
		require.Equal(t, "0 0 ", eval[string](t, ctx, `window.hits + " " + document.querySelectorAll("[onerror], img[src=q], a[href^='javascript:']").length + " " + window.offended.join("; ")`), "%s", view)
		require.Equal(t, false, strings.Contains(text, "hush-hush"), view)
	}
	// On the board: what is offered while one types, what an edit would do, what a hover says.
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/2")))
	until(t, ctx, `document.getElementById("board") !== null`)
	for _, typed := range []string{"/plug gate", `/den "<img src=q onerror=hit()>port": 4`, "/find <img", "?"} {
		press(t, ctx, typed)
		settled(t, ctx)
		require.Equal(t, "0 0 ", eval[string](t, ctx, `window.hits + " " + document.querySelectorAll("[onerror], img[src=q]").length + " " + window.offended.join("; ")`), typed)
		press(t, ctx, kb.Escape+kb.Escape)
	}
	for what := range marks {
		require.True(t, seen[what], "%s was in no view", what)
	}
	require.True(t, seen["me"])
}
