package e2e

import (
	"fmt"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
)

// BenchmarkEdit is the time of one edit from the key press to "kept".
func BenchmarkEdit(b *testing.B) {
	ctx, _ := start(b)
	require.NoError(b, chromedp.Do(ctx, chromedp.Click(stage.Cell("rack.19", 130))))
	// Measured inside the page: a key event to the moment the page says "kept".
	// A person leaves the page time to paint between two keys; without a pause,
	// each edit also waits for the picture of the one before.
	for _, pace := range []struct {
		name  string
		pause int
	}{{"", 60}, {"rush-", 0}} {
		took, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](fmt.Sprintf(`(async () => {
			const board = document.getElementById("board"), at = document.getElementById("revision"), took = [];
			board.focus();
			for (let i = 0; i < 220; i++) {
				const before = at.dataset.revision, start = performance.now();
				const done = new Promise(r => { const o = new MutationObserver(() => {
					if (at.dataset.revision !== before && at.dataset.keeping === "kept") { o.disconnect(); r(); } });
					o.observe(at, {attributes: true}); });
				board.dispatchEvent(new KeyboardEvent("keydown", {key: i %% 2 ? "." : "t", bubbles: true}));
				await done;
				if (i >= 20) took.push(performance.now() - start);
				await new Promise(r => setTimeout(r, %d));
			}
			return took;
		})()`, pace.pause), chromedp.EvalAwaitPromise))
		require.NoError(b, err)
		slices.Sort(took)
		b.ReportMetric(took[len(took)/2], pace.name+"median-ms")
		b.ReportMetric(took[len(took)*99/100], pace.name+"p99-ms")
		b.ReportMetric(took[len(took)-1], pace.name+"worst-ms")
	}
	b.ReportMetric(0, "ns/op")
}
