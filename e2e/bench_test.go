package e2e

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"klammer/e2e/stage"
	"klammer/proof"
)

// BenchmarkEdit is the time of one edit from the key press to "kept": in the
// clinic, and in an office of 31 devices with 200 faults.
func BenchmarkEdit(b *testing.B) {
	ctx, p := start(b)
	made, err := chromedp.Run(
		ctx,
		chromedp.Evaluate[float64](
			fmt.Sprintf(
				`fetch("/api/offices", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({text: %q})}).then(r => r.json()).then(o => o.id)`,
				proof.Faulty(),
			),
			chromedp.EvalAwaitPromise,
		),
	)
	require.NoError(b, err)
	for _, place := range []struct {
		name, path, port string
		vid              int
	}{{"", "/1", "rack.19", 130}, {"faulty-", fmt.Sprintf("/%.0f", made), "d7.5", 120}} {
		require.NoError(b, chromedp.Do(ctx, chromedp.Navigate(p.URL+place.path), chromedp.WaitVisible("#board")))
		require.NoError(b, stage.Press(ctx, "O"))
		for _, where := range []any{place.vid, place.port} {
			require.NoError(b, stage.Press(ctx, "/"))
			require.NoError(b, stage.Press(ctx, fmt.Sprintf("go %v", where)+kb.Enter))
			require.NoError(b, stage.Until(ctx, `document.activeElement?.id === "board"`))
		}
		require.NoError(
			b,
			stage.Until(ctx, fmt.Sprintf(`document.getElementById(document.querySelector("#board").getAttribute("aria-activedescendant"))?.dataset.port === %q`, place.port)),
		)
		timeEdits(b, ctx, place.name, 60)
		if place.name == "" {
			timeEdits(b, ctx, "rush-", 0)
		}
	}
	b.ReportMetric(0, "ns/op")
}

// timeEdits is measured inside the page: a key event to the moment the page says
// "kept". A person leaves the page time to paint between two keys; without a
// pause, each edit also waits for the picture of the one before.
func timeEdits(b *testing.B, ctx context.Context, name string, pause int) {
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
	})()`, pause), chromedp.EvalAwaitPromise))
	require.NoError(b, err)
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], name+"median-ms")
	b.ReportMetric(took[len(took)*99/100], name+"p99-ms")
	b.ReportMetric(took[len(took)-1], name+"worst-ms")
}
