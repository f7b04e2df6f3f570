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
		until(t, ctx, `document.querySelector("#shape").textContent === "110"`)
		goTo(t, ctx, "rack.22", 120)
		press(t, ctx, "p")
		kept(t, ctx, 5)
		until(t, ctx, `document.querySelector("#shape").textContent === "110 pvid 120"`)
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
		until(t, ctx, `document.querySelector("#foretold").textContent.startsWith("1 port changes · 0 new findings · 2 findings go away")`)
		press(t, ctx, kb.Enter)
		kept(t, ctx, 8)
		require.False(t, eval[bool](t, ctx, broken))
	})
	t.Run("a cable by the mouse, and its mend", func(t *testing.T) {
		x := eval[[]float64](t, ctx, `(() => { const r = document.querySelector("[data-cable='rack.18 yard.eth0']").getBoundingClientRect(); return [r.left + 2, (r.top + r.bottom) / 2]; })()`)
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
			x := eval[[]float64](t, ctx, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return [(r.left + r.right) / 2, (r.top + r.bottom) / 2]; })()`, stage.Cell(port, 170)))
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
}
