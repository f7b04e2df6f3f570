package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"klammer/e2e/stage"
)

// TestSheet takes in what a device is set to, shows what differs, ticks steps
// off, and takes what was found as planned.
func TestSheet(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/sheets?device=ward-east", ".steps li")
	until(t, ctx, `document.querySelector(".planned").textContent.includes("1-4")`)

	// what cannot be understood is listed, the rest previewed, nothing kept
	fill(t, ctx, "#found-text", "VLAN; Untagged; Tagged\n120; 1-4; 8\n130; 5,99; 8\n170; 7; 8\n140; ; 1-4,8\n190; 8;")
	until(t, ctx, `document.querySelector("#understood")?.textContent.includes("3:2")`)
	require.Contains(t, eval[string](t, ctx, `document.querySelector("#understood").textContent`), "99")
	fill(t, ctx, "#found-text", "VLAN; Untagged; Tagged\n120; 1-4,6; 8\n130; 5; 8\n170; 7; 8\n140; ; 1-3,8\n190; 8;")
	until(t, ctx, `document.querySelector("#understood")?.textContent.includes("2 differ from the plan")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#keep-found")))
	until(t, ctx, `document.querySelector("[data-differs='ward-east.6']")?.textContent.includes("130") && document.querySelector("[data-differs='ward-east.4']") !== null`)
	until(t, ctx, `document.querySelector(".steps h2").textContent.includes("what was found")`)
	steps := eval[int](t, ctx, `document.querySelectorAll(".steps li").length`)
	require.Less(t, steps, 10, "only what differs")

	// a tick is kept, with who made it
	require.NoError(t, chromedp.Do(ctx, chromedp.Click(".steps li:nth-child(1) input")))
	until(t, ctx, `document.querySelector(".steps li.done")?.textContent.includes("Robin")`)
	require.NoError(t, chromedp.Do(ctx, chromedp.Reload(), chromedp.WaitVisible(".steps li.done")))

	// the board marks it, and shows the office as found with the findings of that
	visit(t, ctx, p, "/1", "#board")
	until(t, ctx, `document.querySelector(".side") !== null && [...document.querySelectorAll(".port .label")].some(l => l.textContent.includes("~6"))`)
	side := func(v string) {
		_ = eval[any](t, ctx, `(() => { const f = document.querySelector(".side"); f.value = "`+v+`"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`)
	}
	side("both")
	until(t, ctx, `document.querySelector(%q)?.textContent.trim() === "U–"`, stage.Cell("ward-east.6", 130))
	side("found")
	until(t, ctx, "%s", as("ward-east.6", 130)+` === "none" && `+as("ward-east.6", 120)+` === "U" && document.querySelector("#then")?.textContent.includes("As found")`)
	until(t, ctx, `document.querySelector(".findings")?.textContent.trim() !== undefined && document.querySelector("header .chip").textContent.startsWith("8")`)
	side("plan")
	until(t, ctx, "%s", as("ward-east.6", 130)+` === "U" && document.querySelector("#then") === null`)
	visit(t, ctx, p, "/1/sheets?device=ward-east", "#take-all")

	// the device moves on by hand: what was found is taken as planned
	require.NoError(t, chromedp.Do(ctx, chromedp.Click("#take-all")))
	until(t, ctx, `(%s).includes("take all that was found")`, would)
	press(t, ctx, kb.Enter)
	kept(t, ctx, 2)
	until(t, ctx, `document.querySelector("#found")?.closest("main").textContent.includes("are the same")`)
	until(t, ctx, `document.querySelector(".steps h2").textContent.includes("nothing to do")`)

	// a workbook of ours is read back: no difference
	book := eval[[]int](t, ctx, `fetch("/api/offices/1/workbook").then(r => r.arrayBuffer()).then(b => [...new Uint8Array(b)])`)
	data := make([]byte, len(book))
	for i, b := range book {
		data[i] = byte(b)
	}
	x, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	require.NoError(t, x.Close())
	file := filepath.Join(t.TempDir(), "office.xlsx")
	require.NoError(t, os.WriteFile(file, data, 0o644))
	visit(t, ctx, p, "/1/sheets?device=front", "#found-file")
	require.NoError(t, chromedp.Do(ctx, chromedp.SetUploadFiles("#found-file", []string{file})))
	until(t, ctx, `document.querySelector("#understood")?.textContent.includes("Understood as grid: 8 ports; 0 differ")`)
	require.NoError(t, os.WriteFile(file, []byte("no workbook"), 0o644))
	require.NoError(t, chromedp.Do(ctx, chromedp.SetUploadFiles("#found-file", []string{file})))
	until(t, ctx, `document.querySelector("#found .wrong")?.textContent.includes("no workbook that can be read")`)

	// what knows no VLANs has no sheet, and says why
	visit(t, ctx, p, "/1/sheets?device=foyer", ".why")
	require.Contains(t, eval[string](t, ctx, `document.querySelector(".why").textContent`), "knows no VLANs")
}

// TestSheetOnPaper prints a sheet on A4 and Letter: one or two pages with the
// office, the device and the revision, without the screen around it.
func TestSheetOnPaper(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/sheets?device=rack", ".steps li")
	for name, size := range map[string][2]float64{"A4": {8.27, 11.69}, "Letter": {8.5, 11}} {
		pdf, err := chromedp.Call(ctx, page.PrintToPDF, page.PrintToPDFParams{PaperWidth: size[0], PaperHeight: size[1]})
		require.NoError(t, err)
		require.True(t, bytes.HasPrefix(pdf.Data, []byte("%PDF")), name)
		pages := bytes.Count(pdf.Data, []byte("/Type /Page\n")) + bytes.Count(pdf.Data, []byte("/Type /Page "))
		require.LessOrEqual(t, pages, 3, name)
		if dir := os.Getenv("KLAMMER_PDF"); dir != "" {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name+".pdf"), pdf.Data, 0o644))
		}
	}
}

// TestPosterOnPaper prints the board: all ports of the office on one strip, what
// is plugged in with it, on the sheet that was chosen.
func TestPosterOnPaper(t *testing.T) {
	ctx, p := start(t)
	visit(t, ctx, p, "/1/poster", ".poster svg")
	require.Equal(t, 1, eval[int](t, ctx, `document.querySelectorAll(".poster svg").length`))
	text := eval[string](t, ctx, `document.querySelector(".poster").textContent`)
	for _, is := range []string{"→ rack 24", "card terminal", "lacp ×2", "revision 1"} {
		require.Contains(t, text, is)
	}
	// Where it is plugged in, of one with an address of its own too.
	require.Equal(t, "rack 3", eval[string](t, ctx, `[...document.querySelectorAll(".poster tr")].find((r) => r.textContent.includes("office printer")).cells[0].textContent`))
	for _, paper := range []string{"A4", "A3"} {
		_ = eval[any](t, ctx, fmt.Sprintf(`(() => { const f = document.querySelector("#paper"); f.value = %q; f.dispatchEvent(new Event("change", {bubbles: true})); })()`, paper))
		until(t, ctx, `[...document.querySelectorAll("head style")].some((s) => s.textContent.includes(%q))`, "size: "+paper+" landscape")
		pdf, err := chromedp.Call(ctx, page.PrintToPDF, page.PrintToPDFParams{PreferCSSPageSize: new(true)})
		require.NoError(t, err)
		pages := bytes.Count(pdf.Data, []byte("/Type /Page\n")) + bytes.Count(pdf.Data, []byte("/Type /Page "))
		require.LessOrEqual(t, pages, 2, paper)
		box := map[string]string{"A4": "/MediaBox [0 0 841", "A3": "/MediaBox [0 0 119"}[paper]
		require.Contains(t, string(pdf.Data), box, paper)
		if dir := os.Getenv("KLAMMER_PDF"); dir != "" {
			require.NoError(t, os.WriteFile(filepath.Join(dir, "poster-"+paper+".pdf"), pdf.Data, 0o644))
		}
	}
}
