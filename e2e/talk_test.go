package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// talkCell is what a cell of the table says: yes, no or part, and its words.
func talkCell(from, to int) string {
	return fmt.Sprintf(`document.querySelector("#talk-%d-%d")`, from, to)
}

// goTalk moves to a cell of the table by the keyboard alone.
func goTalk(t *testing.T, ctx context.Context, from, to int) {
	t.Helper()
	_ = eval[bool](t, ctx, `document.getElementById("talk").focus() === undefined`)
	press(t, ctx, kb.Home)
	for range 12 {
		press(t, ctx, kb.ArrowUp)
	}
	until(t, ctx, `document.querySelectorAll("#talk tbody tr")[0].querySelector("[aria-selected=true]") !== null`)
	row := eval[int](t, ctx, fmt.Sprintf(`[...document.querySelectorAll("#talk tbody tr")].findIndex((r) => r.querySelector("[id^='talk-%d-']"))`, from))
	col := eval[int](t, ctx, fmt.Sprintf(`[...document.querySelectorAll("#talk tbody tr")[0].querySelectorAll("td")].findIndex((c) => c.id.endsWith("-%d"))`, to))
	for range row {
		press(t, ctx, kb.ArrowDown)
	}
	for range col {
		press(t, ctx, kb.ArrowRight)
	}
	until(t, ctx, `document.getElementById("talk").getAttribute("aria-activedescendant") === "talk-%d-%d"`, from, to)
}

// TestTalkAllowDeny allows and denies from the table by keys: each is drawn first,
// stands where it has to among the rules, and can be taken back.
func TestTalkAllowDeny(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/talk", "#talk")
	until(t, ctx, `%s?.classList.contains("no")`, talkCell(170, 0))
	goTalk(t, ctx, 170, 0)
	fill(t, ctx, "#talk-services", "udp/123")
	press(t, ctx, kb.Enter)
	until(t, ctx, `location.search.includes("udp")`)
	_ = eval[bool](t, ctx, `document.getElementById("talk").focus() === undefined`)
	press(t, ctx, "a")
	// Cameras send to a gateway that routes nothing: no rule can do it, and it is said.
	until(t, ctx, `document.querySelector("#foretold")?.textContent.includes("no rule can do it: ward-west does not route")`)
	press(t, ctx, kb.Escape)

	goTalk(t, ctx, 140, 110)
	press(t, ctx, "a")
	until(t, ctx, `(%s).includes("phones gain udp/123 to reception")`, would)
	until(t, ctx, `%s.classList.contains("gains")`, talkCell(140, 110))
	require.True(t, eval[bool](t, ctx, talkCell(140, 110)+`.classList.contains("no")`), "nothing is done before Enter")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `%s.classList.contains("part") && document.activeElement.id === "talk"`, talkCell(140, 110))
	until(t, ctx, `document.querySelectorAll("[data-rule]").length === 9`)

	// Denying it again takes the rule away: it does not put a second one before it.
	press(t, ctx, "d")
	until(t, ctx, `(%s).includes("phones lose udp/123 to reception")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	until(t, ctx, `%s.classList.contains("no") && document.querySelectorAll("[data-rule]").length === 8`, talkCell(140, 110))
	press(t, ctx, "z", chromedp.ModifierCtrl)
	kept(t, ctx, 4)
	until(t, ctx, `%s.classList.contains("part")`, talkCell(140, 110))
}

// TestTalkWish: the wish that the demo breaks is mended from the list, a new one is
// made by a key, and an edit that breaks it says so before it is done.
func TestTalkWish(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/talk", "#talk")
	until(t, ctx, `%s?.classList.contains("bad")`, talkCell(160, 120))
	until(t, ctx, `document.querySelector(".wishes .mend")?.textContent.includes("gate rule 1 deny vlan 160 to 10.61.0.0/16")`)
	_ = eval[bool](t, ctx, `document.querySelector(".wishes .mend").click() === undefined`)
	until(t, ctx, `(%s).includes("Findings that go")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `!%s.classList.contains("bad") && document.querySelector(".wishes .broken") === null`, talkCell(160, 120))

	goTalk(t, ctx, 140, 120)
	press(t, ctx, "-")
	until(t, ctx, `(%s).includes("phones at 10.61.140.2 reaches 120 surgery")`, would) // as it is now, it would be broken at once
	press(t, ctx, kb.Enter)
	kept(t, ctx, 3)
	until(t, ctx, `%s.classList.contains("bad")`, talkCell(140, 120))
	press(t, ctx, "d")
	until(t, ctx, `(%s).includes("Findings that go")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	until(t, ctx, `!%s.classList.contains("bad")`, talkCell(140, 120))
	press(t, ctx, "a")
	until(t, ctx, `(%s).includes("Findings that come") && (%s).includes("Never phones to surgery is wished")`, would, would)
	press(t, ctx, kb.Escape)
}

// TestTalkRules moves, adds and removes rules of a device by the keyboard, and greys
// those that no packet can meet.
func TestTalkRules(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/talk", "#talk")
	rule := func(n int) string {
		return fmt.Sprintf(`(document.querySelector("[data-rule='%d']")?.getAttribute("aria-label") ?? "")`, n)
	}
	until(t, ctx, `%s.includes("zone devices to any")`, rule(8))
	_ = eval[bool](t, ctx, `document.querySelector("[data-rule='8']").focus() === undefined`)
	press(t, ctx, kb.ArrowUp, chromedp.ModifierAlt)
	kept(t, ctx, 2)
	until(t, ctx, `%s.includes("zone devices to any") && document.activeElement.dataset.rule === "7"`, rule(7))
	press(t, ctx, kb.ArrowDown, chromedp.ModifierAlt)
	kept(t, ctx, 3)
	until(t, ctx, `%s.includes("zone devices to any") && document.activeElement.dataset.rule === "8"`, rule(8))

	// A broad rule before all others greys what it takes.
	_ = eval[bool](t, ctx, `document.querySelector("[data-rule='1']").focus() === undefined`)
	fill(t, ctx, "#new-rule", "allow any to any")
	press(t, ctx, kb.Enter)
	kept(t, ctx, 4)
	until(t, ctx, `%s.includes("allow any to any") && document.querySelectorAll("[data-rule].idle").length === 8`, rule(1))
	_ = eval[bool](t, ctx, `document.querySelector("[data-rule='1']").focus() === undefined`)
	press(t, ctx, kb.Delete)
	until(t, ctx, `(%s).includes("Would change")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 5)
	until(t, ctx, `document.querySelectorAll("[data-rule].idle").length === 0`)

	// A mistake stays where it was typed, and says what would be right.
	fill(t, ctx, "#new-rule", "allow zone stuff to any")
	press(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".rules .wrong")?.textContent.includes("did you mean staff?") && document.querySelector("#new-rule").value !== ""`)

	// The way that is asked for names its rule, and leads to it.
	visit(t, ctx, p, "/1/talk?from=rack.1&to=10.61.130.9&service=pictures", "#talk")
	until(t, ctx, `document.querySelector(".ways")?.textContent.includes("yes") && document.querySelector(".ways button.rule").textContent.startsWith("2.")`)
	_ = eval[bool](t, ctx, `document.querySelector(".ways button.rule").click() === undefined`)
	until(t, ctx, `document.activeElement.dataset.rule === "2"`)
	require.Contains(t, eval[string](t, ctx, `document.querySelector(".ways").textContent`), "state: it let the question pass")
}

// TestTalksLike gives one VLAN the rules of another, as one edit.
func TestTalksLike(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/talk?from=phones&to=outside", "#talk")
	until(t, ctx, `%s?.classList.contains("part")`, talkCell(140, 0))
	_ = eval[bool](t, ctx, `(() => { const s = document.querySelector("#talk-like"); s.value = "surgery"; s.dispatchEvent(new Event("change", {bubbles: true})); s.form.requestSubmit(); })() === undefined`)
	until(t, ctx, `(%s).includes("phones gain")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `%s.classList.contains("yes")`, talkCell(140, 0))
}
