package e2e

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// guarded gives a program where people sign in, a browser before its door, and what both
// live in.
func guarded(t *testing.T) (whole, ctx context.Context, p *stage.Program) {
	t.Helper()
	browsed(t)
	p, whole = serve(t, stage.Guarded), within(t)
	return whole, window(t, whole), p
}

// TestPeople makes the first account by the link of the first start, invites somebody who
// looks, who may not edit; takes the role away, and his page is out; signs out and in.
// What is written stands in the record, and no secret anywhere.
func TestPeople(t *testing.T) {
	whole, ctx, p := guarded(t)
	require.True(t, strings.HasPrefix(p.URL, "https://"))
	const good = "harbour-tulip-ox-lantern"
	fill := func(ctx context.Context, id, text string) {
		t.Helper()
		until(t, ctx, `document.getElementById(%q) !== null`, id)
		_ = eval[any](t, ctx, fmt.Sprintf(`document.getElementById(%q).focus()`, id))
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#"+id, text)))
	}
	look := func(ctx context.Context, name string) {
		if os.Getenv("LOOK") != "" {
			settled(t, ctx)
			require.NoError(t, stage.Shoot(ctx, "/tmp/people-"+name+".png"))
		}
	}

	// The link of the first start; a password that is guessed soon is refused, and nothing is lost.
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.Link)))
	fill(ctx, "join-name", "Robin")
	fill(ctx, "join-password", "robinrobinrobin"+kb.Enter)
	until(t, ctx, `document.getElementById("join-wrong").textContent.includes("guessed soon")`)
	look(ctx, "join")
	require.Equal(t, "/join", eval[string](t, ctx, `location.pathname + location.hash`), "the secret is not in the address")
	_ = eval[any](t, ctx, `document.getElementById("join-password").select()`)
	fill(ctx, "join-password", good+kb.Enter)
	until(t, ctx, `document.getElementById("board") !== null`)
	require.False(t, eval[bool](t, ctx, `document.cookie.includes("klammer")`), "no script reads the session")

	// By keyboard to the people; an invitation for somebody who looks.
	press(t, ctx, "gy")
	until(t, ctx, `document.querySelector(".people select") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SetValue(".people form select", "reader")))
	_ = eval[any](t, ctx, `document.querySelector(".people form select").dispatchEvent(new Event("change", {bubbles: true})); document.querySelector(".people form button").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".people .made code")?.textContent.includes("/join#")`)
	link := eval[string](t, ctx, `document.querySelector(".people .made code").textContent`)
	look(ctx, "list")

	other := window(t, whole) // of his own
	require.NoError(t, chromedp.Do(other, chromedp.Navigate(link)))
	fill(other, "join-name", "Sam")
	fill(other, "join-password", "four-words-no-relation"+kb.Enter)
	until(t, other, `document.getElementById("board") !== null`)
	press(t, other, "/")
	press(t, other, "rack 5: 130")
	until(t, other, `document.body.textContent.includes("this takes a planner, and you are a reader here")`)
	require.Equal(t, 1, eval[int](t, other, `Number(document.getElementById("revision").dataset.revision)`))

	// What a reader may not do is not offered, in any view; where it leads and what is asked is.
	for _, view := range []struct{ path, shows, free string }{
		{"/1", ".words .acts", "Walk f|by number"}, {"/1/talk", ".rules li", "Ask|(must|never) .*"}, {"/1/ports", "#ports td", ""}, {"/1/register", ".entry-form", ""}, {"/1/plans", ".plan", "port .*"}, {"/1/devices?device=rack&port=5", "[data-port-panel]", "port .*"},
		{"/1/orders", ".start", ""}, {"/1/round", ".round li", "(Quick|Full): .*|All|Still open|Failed|Print"}, {"/1/field", ".devices-now td", ""}, {"/1/sheets?device=rack", ".steps li", ".*"}, {"/1/history", ".history li", "Look|Compare .*|Older|Everything"},
	} {
		visit(t, other, p, view.path, view.shows)
		live := eval[[]string](t, other, `[...document.querySelectorAll("main button, main input[type=checkbox], #would button, .words button")].filter(b => !b.matches(":disabled") && b.checkVisibility()).map(b => b.getAttribute("aria-label") ?? b.textContent.trim())`)
		require.Zero(t, eval[int](t, other, `document.querySelectorAll("main input:enabled[type=checkbox]").length`), view.path)
		for _, name := range live { // on a sheet each value can be copied
			require.Regexp(t, "^("+view.free+")$", strings.TrimSpace(name), view.path)
		}
		look(other, "reader"+strings.NewReplacer("/", "-", "?", "-").Replace(view.path))
	}

	// As a technician he has an order worked out and ticks it off, and edits nothing.
	visit(t, ctx, p, "/1/people", ".people select")
	until(t, ctx, `document.querySelector("[aria-label='What Sam may']") !== null`)
	_ = eval[any](t, ctx, `(() => { const s = document.querySelector("[aria-label='What Sam may']"); s.value = "technician"; s.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	until(t, ctx, `document.querySelector("[aria-label='What Sam may']").value === "technician"`)
	until(t, other, `document.getElementById("sign-in-name") !== null`) // a session is of the role that it began with
	fill(other, "sign-in-name", "sam")
	fill(other, "sign-in-password", "four-words-no-relation"+kb.Enter)
	until(t, other, `document.getElementById("sign-in-name") === null && document.querySelector("header .chip") !== null`)
	visit(t, other, p, "/1/orders", ".start")
	_ = eval[any](t, other, `document.querySelector(".start input[type=checkbox][value=annex]").click()`)
	until(t, other, `(() => { const b = [...document.querySelectorAll(".start button")].find(b => b.textContent.includes("Order them in")); return !b.disabled && b.click() === undefined })()`)
	until(t, other, `document.querySelector(".visit li input[type=checkbox]:enabled")?.click() === undefined && document.querySelector(".visit li input[type=checkbox]") !== null`)
	until(t, other, `document.body.textContent.includes("1 of ")`)
	press(t, other, "/")
	press(t, other, "rack 5: 130")
	until(t, other, `document.body.textContent.includes("this takes a planner, and you are a technician here")`)
	require.Equal(t, 1, eval[int](t, other, `Number(document.getElementById("revision").dataset.revision)`))
	look(other, "technician")

	// The role is taken away: his page is out, and so is whatever he asks for.
	visit(t, ctx, p, "/1/people", ".people select")
	until(t, ctx, `document.querySelector("[aria-label='What Sam may']") !== null`)
	_ = eval[any](t, ctx, `(() => { const s = document.querySelector("[aria-label='What Sam may']"); s.value = "nobody"; s.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	until(t, other, `document.getElementById("sign-in-name") !== null`)
	look(other, "sign-in")

	// He signs in again, and sees no office.
	fill(other, "sign-in-name", "sam")
	fill(other, "sign-in-password", "not his password"+kb.Enter)
	until(t, other, `document.getElementById("sign-in-wrong").textContent.includes("the name or the password is not right")`)
	fill(other, "sign-in-password", "four-words-no-relation"+kb.Enter)
	until(t, other, `document.querySelector(".offices") !== null && !document.body.textContent.includes("Harbour Lane")`)

	// Robin, signed in elsewhere too, is out there when he ends it from here; a token for scripts.
	_ = eval[any](t, other, `fetch("/api/sessions?session=" + 0, {method: "DELETE", headers: {"Content-Type": "application/json"}}).then(r => r.status)`)
	require.NoError(t, chromedp.Do(other, chromedp.Navigate(p.URL+"/people")))
	until(t, other, `[...document.querySelectorAll("button")].some(b => b.textContent.trim() === "Sign out")`)
	_ = eval[any](t, other, `[...document.querySelectorAll("button")].find(b => b.textContent.trim() === "Sign out").click()`)
	fill(other, "sign-in-name", "Robin")
	fill(other, "sign-in-password", good+kb.Enter)
	until(t, other, `document.querySelector(".people .record") !== null`)
	visit(t, ctx, p, "/1/people", ".people select")
	until(t, ctx, `document.querySelector("[aria-label^='End the session of']") !== null`)
	_ = eval[any](t, ctx, `document.querySelector("[aria-label^='End the session of']").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("[aria-label^='End the session of']") === null`)
	require.Equal(t, 401, eval[int](t, other, `fetch("/api/offices").then(r => r.status)`))
	visit(t, ctx, p, "/1/round", ".round li")
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".bar button")].find(b => b.textContent.includes("laptop measure")).click()`)
	until(t, ctx, `document.querySelector(".probe select[name=scope]") !== null`)
	_ = eval[any](t, ctx, `(() => { const s = document.querySelector(".probe select[name=scope]"); s.value = "reader"; s.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	until(t, ctx, `document.querySelector(".probe form input[type=password]") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys(".probe form input", "a script"), chromedp.SendKeys(".probe form input[type=password]", good+kb.Enter)))
	until(t, ctx, `document.querySelector(".probe .made code")?.textContent.includes("klammer_") && document.querySelector(".probe li").textContent.includes("what a reader may")`)
	token := eval[string](t, ctx, `document.querySelector(".probe .made code").textContent.split("=")[1]`)
	require.Equal(t, "200 403", eval[string](t, ctx, fmt.Sprintf(`(async () => {
		const as = {credentials: "omit", headers: {Authorization: "Bearer %s", "Content-Type": "application/json"}};
		const see = await fetch("/api/offices/1", as), edit = await fetch("/api/offices/1/undo", {...as, method: "POST", body: "{}"});
		return see.status + " " + edit.status;
	})()`, token)))

	// An invitation that nobody used is listed, and withdrawn: it lets nobody in.
	visit(t, ctx, p, "/1/people", ".people select")
	_ = eval[any](t, ctx, `[...document.querySelectorAll("button")].find(b => b.textContent.trim() === "Make a link").click()`)
	until(t, ctx, `document.querySelectorAll("[aria-label='Open invitations'] li").length === 1 && document.querySelector(".people .made code") !== null`)
	look(ctx, "invitations")
	secret := eval[string](t, ctx, `document.querySelector(".people .made code").textContent.split("#")[1]`)
	_ = eval[any](t, ctx, `document.querySelector("[aria-label^='Withdraw the invitation']").click()`)
	until(t, ctx, `document.querySelector("[aria-label='Open invitations']") === null`)
	require.Equal(t, 403, eval[int](t, ctx, fmt.Sprintf(`fetch("/api/invited", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({secret: %q})}).then(r => r.status)`, secret)))

	// The record says it all; signing out ends it.
	visit(t, ctx, p, "/people", ".people .record tr")
	text := eval[string](t, ctx, `document.body.textContent`)
	for _, says := range []string{"sign-in failed", "changed a role", "invited somebody", "made an account", "127.0.0.1"} {
		require.Contains(t, text, says)
	}
	require.NotContains(t, text, good)
	require.NotContains(t, text, link[strings.Index(link, "#")+1:])
	look(ctx, "record")
	_ = eval[any](t, ctx, `[...document.querySelectorAll("button")].find(b => b.textContent.trim() === "Sign out").focus()`)
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.getElementById("sign-in-name") !== null`)
	require.Equal(t, 401, eval[int](t, ctx, `fetch("/api/offices").then(r => r.status)`))
}

// TestAccountsHere has people sign in on this machine without TLS: a browser takes the cookie
// for loopback, and keeps it.
func TestAccountsHere(t *testing.T) {
	browsed(t)
	p := serve(t, stage.SignedIn)
	ctx := window(t, within(t))
	for _, host := range []string{"127.0.0.1", "localhost"} { // by either name
		at := strings.Replace(p.Link, "127.0.0.1", host, 1)
		if host == "127.0.0.1" {
			require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(at)))
			until(t, ctx, `document.getElementById("join-name") !== null`)
			require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#join-name", "Robin"), chromedp.SendKeys("#join-password", "harbour-tulip-ox-lantern"+kb.Enter)))
		} else {
			require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(strings.Split(at, "/join")[0]+"/1")))
			until(t, ctx, `document.getElementById("sign-in-name") !== null`)
			require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#sign-in-name", "Robin"), chromedp.SendKeys("#sign-in-password", "harbour-tulip-ox-lantern"+kb.Enter)))
		}
		until(t, ctx, `document.getElementById("board") !== null`)
		require.NoError(t, chromedp.Do(ctx, chromedp.Reload()))
		until(t, ctx, `document.getElementById("board") !== null`)
	}
	press(t, ctx, "gy")
	until(t, ctx, `[...document.querySelectorAll("button")].some(b => b.textContent.trim() === "Make a link")`)
}

// TestPasskey makes a passkey on a device that the browser plays (a virtual authenticator),
// signs out and in with it; forgotten, it opens nothing.
func TestPasskey(t *testing.T) {
	_, ctx, p := guarded(t)
	byName := func(address string) string { return strings.Replace(address, "127.0.0.1", "localhost", 1) }
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(byName(p.Link))))
	_, err := chromedp.Call(ctx, webauthn.Enable, webauthn.EnableParams{})
	require.NoError(t, err)
	_, err = chromedp.Call(ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{Options: &webauthn.VirtualAuthenticatorOptions{
		Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
	}})
	require.NoError(t, err)
	until(t, ctx, `document.getElementById("join-name") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#join-name", "Robin"), chromedp.SendKeys("#join-password", "harbour-tulip-ox-lantern"+kb.Enter)))
	until(t, ctx, `document.getElementById("board") !== null`)
	click := func(text string) {
		t.Helper()
		until(t, ctx, `[...document.querySelectorAll("button")].some(b => b.textContent.startsWith(%q))`, text)
		_ = eval[any](t, ctx, fmt.Sprintf(`[...document.querySelectorAll("button")].find(b => b.textContent.startsWith(%q)).click()`, text))
	}
	press(t, ctx, "gy")
	click("Make a passkey")
	until(t, ctx, `document.querySelector("input[name=passkey]") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("input[name=passkey]", "this laptop"), chromedp.SendKeys("input[name=mine]", "not the password"+kb.Enter)))
	until(t, ctx, `document.querySelector(".people [role=alert]")?.textContent.includes("that is not your password")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("input[name=mine]", "harbour-tulip-ox-lantern"+kb.Enter)))
	until(t, ctx, `document.querySelector("[aria-label='Forget the passkey this laptop']") !== null`)
	click("Sign out")
	until(t, ctx, `document.getElementById("sign-in-name") !== null`)
	click("Sign in with a passkey")
	until(t, ctx, `[...document.querySelectorAll(".people li")].some(l => l.textContent.includes("this laptop") && l.textContent.includes("last used"))`)

	// Passkeys alone: the password, right as it is, opens the account no more; the last
	// passkey stays; the password that says so has to be known.
	alone := func(password, button string) {
		t.Helper()
		until(t, ctx, `document.querySelector("input[name=mine]") !== null`)
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("input[name=mine]", password)))
		click(button)
	}
	click("Let passkeys alone open it…")
	alone("not the password", "Passkeys alone")
	until(t, ctx, `document.querySelector(".people [role=alert]")?.textContent.includes("that is not your password")`)
	alone("harbour-tulip-ox-lantern", "Passkeys alone")
	until(t, ctx, `document.body.textContent.includes("Passkeys alone open your account.")`)
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='Forget the passkey this laptop']").click()`)
	alone("harbour-tulip-ox-lantern", "Forget it")
	until(t, ctx, `document.querySelector(".people [role=alert]")?.textContent.includes("this is the last one")`)
	click("Sign out")
	until(t, ctx, `document.getElementById("sign-in-name") !== null`)
	require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#sign-in-name", "Robin"), chromedp.SendKeys("#sign-in-password", "harbour-tulip-ox-lantern"+kb.Enter)))
	until(t, ctx, `document.getElementById("sign-in-wrong").textContent.includes("passkeys alone")`)
	click("Sign in with a passkey")
	click("Let the password open it, too…")
	alone("harbour-tulip-ox-lantern", "Let the password open it, too")
	until(t, ctx, `document.body.textContent.includes("Your password opens your account, too.")`)
	_ = eval[any](t, ctx, `document.querySelector("[aria-label='Forget the passkey this laptop']").click()`)
	alone("harbour-tulip-ox-lantern", "Forget it")
	until(t, ctx, `document.querySelector("[aria-label='Forget the passkey this laptop']") === null`)
	click("Sign out")
	click("Sign in with a passkey")
	until(t, ctx, `document.getElementById("sign-in-wrong")?.textContent.includes("this passkey is not known here")`)
}
