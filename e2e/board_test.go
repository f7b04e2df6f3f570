package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// TestBoardByKeysAndMouse goes through what the board can do.
func TestBoardByKeysAndMouse(t *testing.T) {
	ctx, _ := start(t)
	t.Run("a block is set as one edit", func(t *testing.T) {
		goTo(t, ctx, "ward-east.1", 170)
		press(t, ctx, kb.ArrowRight, chromedp.ModifierShift)
		press(t, ctx, "t")
		kept(t, ctx, 2)
		require.Equal(t, "T", eval[string](t, ctx, as("ward-east.1", 170)))
		require.Equal(t, "T", eval[string](t, ctx, as("ward-east.5", 170)))
		press(t, ctx, "z", chromedp.ModifierCtrl)
		kept(t, ctx, 3)
		require.Equal(t, "none", eval[string](t, ctx, as("ward-east.1", 170)))
	})
	t.Run("untagged brings the PVID, and p sets it alone", func(t *testing.T) {
		goTo(t, ctx, "rack.22", 110)
		press(t, ctx, "u")
		kept(t, ctx, 4)
		until(t, ctx, `document.querySelector("#shape").textContent.trim() === "110"`)
		goTo(t, ctx, "rack.22", 120)
		press(t, ctx, "p")
		kept(t, ctx, 5)
		until(t, ctx, `document.querySelector("#shape").textContent.trim() === "110 pvid 120"`)
		until(t, ctx, `document.querySelector("[data-code=pvid-not-member]") !== null`)
		press(t, ctx, "z", chromedp.ModifierCtrl)
		press(t, ctx, "z", chromedp.ModifierCtrl)
		kept(t, ctx, 7)
	})
	t.Run("Enter unfolds a column", func(t *testing.T) {
		goTo(t, ctx, "rack.1", 110)
		press(t, ctx, kb.Enter)
		until(t, ctx, `document.querySelector(%q) !== null`, stage.Cell("rack.5", 110))
		press(t, ctx, kb.Enter)
		until(t, ctx, `document.querySelector(%q) === null`, stage.Cell("rack.5", 110))
	})
	t.Run("the line says what it would do, and refuses what means nothing", func(t *testing.T) {
		press(t, ctx, "/")
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", "rack 19: 190 [120 130 4095]")))
		until(t, ctx, `document.querySelector("#foretold").textContent.includes("4095 is reserved")`)
		press(t, ctx, kb.Escape)
		press(t, ctx, "/")
		require.NoError(t, chromedp.Do(ctx, chromedp.SendKeys("#line", "rack 19: 190 [120 130 140 170]")))
		until(t, ctx, `document.querySelector("#foretold").textContent.startsWith("1 port changes · 0 new findings · 3 findings go away")`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 8)
		require.False(t, eval[bool](t, ctx, broken))
	})
	t.Run("a cable by the mouse, and its mend", func(t *testing.T) {
		x := eval[[]float64](
			t,
			ctx,
			`(() => { const r = document.querySelector("[data-cable='rack.18 yard.eth0']").getBoundingClientRect(); return [r.left + 2, (r.top + r.bottom) / 2]; })()`,
		)
		require.NoError(t, chromedp.Do(ctx, chromedp.MouseClickXY(x[0], x[1])))
		until(t, ctx, `document.querySelector(".words thead")?.textContent.includes("rack 18yard eth0")`)
		require.NoError(t, chromedp.Do(ctx, chromedp.Click("[data-code=not-carried] .mend")))
		until(t, ctx, `document.querySelector("#would") !== null`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 9)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.18", 160)))
	})
	t.Run("a block by dragging, and a button for each key", func(t *testing.T) {
		middle := func(port string) (float64, float64) {
			x := eval[[]float64](
				t,
				ctx,
				fmt.Sprintf(
					`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return [(r.left + r.right) / 2, (r.top + r.bottom) / 2]; })()`,
					stage.Cell(port, 170),
				),
			)
			return x[0], x[1]
		}
		x1, y1 := middle("ward-west.1")
		x2, y2 := middle("ward-west.6")
		require.NoError(t, stage.Drag(ctx, x1, y1, x2, y2))
		until(t, ctx, `document.querySelector(".words h2").textContent.includes("ward-west 1–6")`)
		require.NoError(t, chromedp.Do(ctx, chromedp.Click(".acts button:nth-child(2)")))
		kept(t, ctx, 10)
		require.Equal(t, "T", eval[string](t, ctx, as("ward-west.1", 170)))
		require.Equal(t, "T", eval[string](t, ctx, as("ward-west.6", 170)))
		require.NoError(t, chromedp.Do(ctx, chromedp.Click(`[aria-label="Undo"]`)))
		kept(t, ctx, 11)
		require.Equal(t, "none", eval[string](t, ctx, as("ward-west.6", 170)))
	})
	t.Run("bring shows what it changes before Enter", func(t *testing.T) {
		goTo(t, ctx, "annex.8", 130)
		press(t, ctx, "b")
		until(t, ctx, `document.querySelector("#foretold").textContent.includes("ports change")`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 12)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.25", 130)))
	})
	t.Run("findings are stepped through, and m shows what a mend would do", func(t *testing.T) {
		_ = eval[any](t, ctx, `document.getElementById("board").focus(); 0`)
		press(t, ctx, "n")
		until(t, ctx, `document.querySelector("article.here")?.dataset.code !== undefined`)
		first := eval[string](t, ctx, `document.querySelector("article.here .text").textContent.trim()`)
		press(t, ctx, "n")
		until(t, ctx, `document.querySelector("article.here .text")?.textContent.trim() !== %q`, first)
		press(t, ctx, "N")
		until(t, ctx, `document.querySelector("article.here .text")?.textContent.trim() === %q`, first)
		press(t, ctx, "m")
		until(t, ctx, `document.querySelector("#would")?.textContent.includes(%q)`, first)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 13)
		until(t, ctx, `![...document.querySelectorAll("article .text")].some(x => x.textContent.trim() === %q)`, first)
	})
	t.Run("shapes are copied and pasted as one edit", func(t *testing.T) {
		goTo(t, ctx, "ward-west.7", 170)
		press(t, ctx, "c", chromedp.ModifierCtrl)
		goTo(t, ctx, "rack.23", 170)
		press(t, ctx, "v", chromedp.ModifierCtrl)
		kept(t, ctx, 14)
		until(t, ctx, `document.querySelector("#shape").textContent.trim() === "170"`)
		press(t, ctx, "z", chromedp.ModifierCtrl)
		kept(t, ctx, 15)
	})
	t.Run("a key shows in its cell before the server has it", func(t *testing.T) {
		goTo(t, ctx, "rack.23", 150)
		at := eval[string](t, ctx, fmt.Sprintf(`(async () => {
			document.getElementById("board").dispatchEvent(new KeyboardEvent("keydown", {key: "t", bubbles: true}));
			await Promise.resolve();
			await new Promise(requestAnimationFrame);
			return document.querySelector(%q).dataset.as;
		})()`, stage.Cell("rack.23", 150)))
		require.Equal(t, "T", at)
		kept(t, ctx, 16)
		require.Equal(t, "T", eval[string](t, ctx, as("rack.23", 150)))
	})
	t.Run("the line completes, remembers, and underlines what is wrong", func(t *testing.T) {
		press(t, ctx, "/")
		press(t, ctx, "ward-w")
		until(t, ctx, `document.querySelector(".fits .first")?.textContent.trim() === "ward-west"`)
		press(t, ctx, kb.Tab)
		until(t, ctx, `document.querySelector("#line").value === "ward-west "`)
		press(t, ctx, "5: 130 [4095]")
		until(t, ctx, `document.querySelector(".type .wrong") !== null`)
		press(t, ctx, kb.Escape)
		press(t, ctx, "/")
		press(t, ctx, kb.ArrowUp)
		until(t, ctx, `document.querySelector("#line").value === "rack 19: 190 [120 130 140 170]"`)
		press(t, ctx, kb.Escape)
	})
	t.Run("o unfolds a device, and a cable is made and removed by keys", func(t *testing.T) {
		goTo(t, ctx, "front.1", 110)
		press(t, ctx, "o")
		until(t, ctx, `document.querySelector(%q) !== null`, stage.Cell("front.3", 110))
		press(t, ctx, "o")
		until(t, ctx, `document.querySelector(%q) === null`, stage.Cell("front.3", 110))
		goTo(t, ctx, "rack.23", 150)
		press(t, ctx, "c")
		goTo(t, ctx, "annex.8", 150)
		press(t, ctx, "c")
		kept(t, ctx, 17)
		until(t, ctx, `document.querySelector("[data-cable='annex.8 rack.23']") !== null`)
		press(t, ctx, "c")
		press(t, ctx, "x")
		until(t, ctx, `document.querySelector("#would") !== null`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 18)
	})
}
