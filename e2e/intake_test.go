package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestOwnPlan brings somebody's own list in: it is drawn as it stands in the file, a column is taken
// for something else and all that are called so with it, what is wrong is marked, and the next file
// of that make is read so by itself.
func TestOwnPlan(t *testing.T) {
	ctx, p := start(t)
	drop := func(name, text string) {
		t.Helper()
		require.NoError(t, chromedp.Do(ctx, chromedp.Navigate(p.URL+"/offices"), chromedp.WaitVisible("#import")))
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => {
			const files = new DataTransfer(), input = document.querySelector("#import");
			files.items.add(new File([%q], %q));
			input.files = files.files;
			input.dispatchEvent(new Event("change", {bubbles: true}));
		})()`, text, name))
		until(t, ctx, `document.querySelector("figure table") !== null && !document.querySelector(".intake [role=status]")`)
	}
	head := func(column string, row int) string {
		return fmt.Sprintf("[aria-label='What column %s of own.csv below row %d is taken for']", column, row)
	}
	is := func(ctx context.Context, selector string) string {
		return eval[string](t, ctx, fmt.Sprintf(`document.querySelector(%q).value`, selector))
	}
	const text = "rack,,,,\nPort,10,20,Dosen-Nr,Farbe\n1,U,T,A-01,rot\n2,Q,T,A-02,\n,,,,\nannex,,,,\nPort,10,20,Dosen-Nr,Farbe\n1,U,,B-01,\n"
	drop("own.csv", text)
	require.Equal(t, "note", is(ctx, head("D", 2)))
	require.Equal(t, 1, eval[int](t, ctx, `document.querySelectorAll("figure td.wrongs").length`))
	choose := func(selector, role string) {
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => { const s = document.querySelector(%q); s.focus(); s.value = %q; s.dispatchEvent(new Event("change", {bubbles: true})) })()`, selector, role))
		until(t, ctx, `document.querySelector(%q)?.value === %q && !document.querySelector(".intake [role=status]")`, selector, role)
	}
	choose(head("D", 2), "socket")
	require.Equal(t, "note", is(ctx, head("D", 7)), "the other block has it as before")
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".intake button")].find(b => b.textContent.includes("1 more called so")).click()`)
	until(t, ctx, `document.querySelector(%q)?.value === "socket"`, head("D", 7))
	choose(head("E", 2), "nothing")
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".intake button")].find(b => b.textContent.trim() === "Take it").click()`)
	until(t, ctx, `location.pathname === "/2"`)
	office := eval[string](t, ctx, `fetch("/api/offices/2/notation").then(r => r.text())`)
	require.Contains(t, office, `socket 1-2 "A-01-A-02"`)
	require.Contains(t, office, `socket 1 "B-01"`)
	require.NotContains(t, office, "rot")

	drop("own.csv", text)
	require.Equal(t, "socket", is(ctx, head("D", 2)), "it is known from the last time")
	require.Equal(t, "nothing", is(ctx, head("E", 7)))
	until(t, ctx, `document.querySelector(".intake").textContent.includes("the column Dosen-Nr is taken for wall socket")`)

	// Where nothing was found in a file, its first row can be told what it is.
	drop("own.csv", "Kabelziel,Dienst,Extra\n1,10,x\n2,20,y\n")
	choose("[aria-label='What column A of own.csv below row 1 is taken for']", "port")
	choose("[aria-label='What column B of own.csv below row 1 is taken for']", "untagged")
	until(t, ctx, `document.querySelector(".intake").textContent.includes("a port in each row")`)

	// A list without heads is told by what is in it; a row is left out, and those that begin so; and
	// what a column is is changed with one choice.
	drop("own.csv", "core,1,10,20,till\ncore,2,10,,printer\nsum,,2,,\ncore,3,30,20,kiosk\nSum,,1,,\ncore,4,30,,scales\n")
	until(t, ctx, `document.querySelector(".intake").textContent.includes("Nothing was found in it")`)
	click := func(words string) {
		_ = eval[any](t, ctx, fmt.Sprintf(`[...document.querySelectorAll(".intake button")].find(b => (b.ariaLabel ?? b.textContent).includes(%q)).click()`, words))
		until(t, ctx, `!document.querySelector(".intake [role=status]")`)
	}
	click("Leave row 3 of own.csv out")
	until(t, ctx, `document.querySelector(".intake").textContent.includes("row 3 is left out")`)
	click("1 more that begin so")
	until(t, ctx, `document.querySelector(".intake").textContent.includes("no heads stand above these rows")`)
	bare := func(column string) string {
		return fmt.Sprintf("[aria-label='What column %s of own.csv below row 1 is taken for']", column)
	}
	require.Equal(t, "device port untagged tagged hangs", is(ctx, bare("A"))+" "+is(ctx, bare("B"))+" "+is(ctx, bare("C"))+" "+is(ctx, bare("D"))+" "+is(ctx, bare("E")))
	choose(bare("E"), "note")
	until(t, ctx, `document.querySelector(".intake pre").textContent.includes('note "till"') && !document.querySelector(".intake").textContent.includes("no heads stand")`)
	_ = eval[any](t, ctx, `[...document.querySelectorAll(".intake button")].find(b => b.textContent.trim() === "Take it").click()`)
	until(t, ctx, `location.pathname === "/3"`)
	office = eval[string](t, ctx, `fetch("/api/offices/3/notation").then(r => r.text())`)
	require.Contains(t, office, "ports 1-4\n")
	require.Contains(t, office, "1: 10 [20]\n")
	require.Contains(t, office, "3: 30 [20]\n")
}
