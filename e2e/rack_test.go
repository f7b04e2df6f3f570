package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestRackUnheard: at the rack the network is what is being changed. While the server is
// away steps are ticked, one is refused, the page is loaded again and goes on where it was;
// and what was said is handed in with its times when the server is back.
func TestRackUnheard(t *testing.T) {
	ctx, p := start(t)
	_ = eval[any](t, ctx, `fetch("/api/offices/1/orders", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({from: "factory", devices: ["annex"]})}).then(r => r.status)`)
	visit(t, ctx, p, "/1/orders?rack=1", ".card")
	count := func(step string) string {
		return `document.querySelector(".card .count")?.textContent.includes("step ` + step + ` of")`
	}
	require.Eventually(t, func() bool { // all of it is kept
		return eval[bool](t, ctx, `caches.open("klammer-kept").then(c => c.keys()).then(all => {
			const has = end => all.some(r => end.test(new URL(r.url).pathname));
			return has(/^\/assets\/.*\.js$/) && has(/^\/assets\/.*\.css$/) && has(/\/theme\.js$/) && has(/\/orders$/) && has(/\/history$/) && has(/\/me$/) && has(/\/offices$/) && has(/\/1$/) && has(/^\/$/) && navigator.serviceWorker.controller !== null;
		})`)
	}, 60*time.Second, 50*time.Millisecond)
	press := `document.querySelector(".card .acts .main").click()`
	_ = eval[any](t, ctx, press)
	until(t, ctx, "%s", count("2"))

	p.Kill()
	_ = eval[any](t, ctx, press)
	until(t, ctx, "%s", count("3")+` && /1\s+answer is\s+kept here/.test(document.querySelector(".unheard")?.textContent ?? "")`)
	_ = eval[any](t, ctx, press)
	until(t, ctx, "%s", count("4"))
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".stuck button")].find(b => b.textContent.includes("No answer")).click()`)
	until(t, ctx, `document.querySelector(".stuck .after")?.textContent.includes("No answer came to step 4")`)

	// The page is loaded again: it is there, and stands where it was.
	require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/1/orders?rack=1"), chromedp.WaitVisible(".card")))
	until(t, ctx, "%s", count("4")+` && /3\s+answers are\s+kept here/.test(document.querySelector(".unheard")?.textContent ?? "")`)
	said := eval[float64](t, ctx, `Date.now()`)

	q, err := p.Again()
	require.NoError(t, err)
	t.Cleanup(func() { _ = q.Stop() })
	until(t, ctx, "%s", `document.querySelector(".unheard") === null && `+count("4"))
	_ = eval[any](t, ctx, `fetch("/api/offices/1/orders/protocol").then(r => r.json()).then(v => window.protocol = v)`)
	until(t, ctx, `window.protocol?.said.length === 4`)
	require.Equal(t, "0 done,1 done,2 done,3 silent", eval[string](t, ctx, `window.protocol.said.map(x => x.step + " " + x.said).join()`))
	require.True(t, eval[bool](t, ctx, `window.protocol.said.every(x => new Date(x.at).getTime() <= `+fmt.Sprintf("%.0f", said)+`)`), "with the times at which they were said")
}
