// Shots takes the pictures of docs/screenshots anew, from the demo office:
// ./run shots. With names of pictures it takes only those; with -out FOLDER they
// go elsewhere, -size 1024x640 is another window; -make "cable a.1 b.1" makes an
// edit first, and -press "nn" presses keys before each picture.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"klammer/e2e/stage"
)

// shot is one picture: a view, what is done there, and what has to be seen
// before it is taken.
type shot struct {
	name, path string
	do         func(ctx context.Context) error
	ready      string
	played     bool // on the demo as it is, with stand-ins
}

func press(keys string) func(context.Context) error {
	return func(ctx context.Context) error {
		return stage.Press(ctx, keys)
	}
}

func line(text string) func(context.Context) error {
	return func(ctx context.Context) error {
		if err := stage.Press(ctx, "/"); err != nil {
			return err
		}
		return stage.Press(ctx, text)
	}
}

func click(selector string) func(context.Context) error {
	return func(ctx context.Context) error { return chromedp.Do(ctx, chromedp.Click(selector)) }
}

// orderIn makes the order for a new switch and looks at the board in the midst of it.
func orderIn(ctx context.Context) error {
	for _, do := range []string{
		`document.querySelector(".start input[value=annex]").click()`,
		`[...document.querySelectorAll(".start button")].find(b => b.textContent.includes("Order them in")).click()`,
		``,
		`(() => { const f = document.querySelector("#slider"); f.value = 12; f.dispatchEvent(new Event("input", {bubbles: true})); })()`,
	} {
		if do == "" {
			if err := stage.Until(ctx, `document.querySelector(".visit li") !== null`); err != nil {
				return err
			}
			continue
		}
		if err := chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void](do+"; undefined")); err != nil {
			return err
		}
		time.Sleep(300 * time.Millisecond)
	}
	return nil
}

// readAll has all devices read.
func readAll(ctx context.Context) error {
	if err := stage.Until(ctx, `document.querySelector(".bar .main:not(:disabled)") !== null`); err != nil {
		return err
	}
	if err := chromedp.Do(ctx, chromedp.Click(".bar .main")); err != nil {
		return err
	}
	return stage.Until(ctx, `document.querySelector(".bar progress") === null && document.querySelectorAll("tbody .drift").length > 0`)
}

// failed says of a few stops of the round what was seen there.
func failed(ctx context.Context) error {
	for _, x := range []string{"[aria-label='rack.1 is as planned']", "[aria-label='rack.2 is as planned']", "[aria-label='rack.5 is not as planned']"} {
		if err := stage.Tap(ctx, x); err != nil {
			return err
		}
	}
	if err := chromedp.Do(ctx, chromedp.SendKeys(".round form input", "10.61.140.51"+kb.Enter)); err != nil {
		return err
	}
	if err := stage.Tap(ctx, ".round .no"); err != nil {
		return err
	}
	time.Sleep(300 * time.Millisecond)
	return nil
}

const settled = `document.querySelector(".findings .mends") !== null`

var shots = []shot{
	{"board", "", nil, settled, false},
	{"board-dark", "", func(ctx context.Context) error { return stage.Dark(ctx) }, settled, false},
	{"cable", "", press("c"), `document.querySelector(".cable table") !== null`, false},
	{"bring", "", func(ctx context.Context) error {
		if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](fmt.Sprintf(`document.querySelector(%q)?.scrollIntoView()`, stage.Cell("annex.8", 150)))); err != nil {
			return err
		}
		return line("bring imaging to annex.8")(ctx)
	}, `(document.querySelector("#would")?.textContent ?? "").includes("Would change")`, false},
	{"line", "", line("rack 19: 190 [120 130 140 170]"), `document.querySelector("#foretold").textContent.includes("Enter applies")`, false},
	{"reach", "/reach?vlan=130", nil, `document.querySelector(".reach, [data-reach], main h1") !== null`, false},
	{"walk", "/walk?from=surgery 1 pc&to=office printer", nil, `document.querySelector(".way") !== null`, false},
	{"talk", "/talk?from=rack.1&to=10.61.130.9&service=pictures", nil, `document.querySelector(".ways") !== null && document.querySelector(".wishes .mend") !== null`, false},
	{"plans", "/plans", nil, `document.querySelector("main h1") !== null`, false},
	{"register", "/register", nil, `document.querySelector("main h1") !== null`, false},
	{"devices", "/devices?device=rack&port=19", nil, `document.querySelector("[data-port-panel]") !== null`, false},
	{"sheet", "/sheets?device=ward-east", nil, `document.querySelector("main table") !== null`, false},
	{"orders", "/orders", orderIn, `document.querySelector("#then") !== null && document.querySelector(".window #board") !== null`, false},
	{"field", "/field", readAll, `document.querySelector("[data-code]") !== null || document.querySelectorAll("tr.drift").length > 0`, true},
	{"round", "/round", failed, `document.querySelector("[aria-label='What explains it'] li") !== null`, false},
	{"poster", "/poster", nil, `document.querySelector(".poster svg") !== null`, false},
	{"offices", "offices", nil, `document.querySelector("[data-office]") !== null`, false},
	{"history", "/history", nil, `document.querySelector("main h1") !== null`, false},
	{"past", "/history", click("[data-revision='1'] button"), `document.querySelector("#then") !== null && document.querySelector("#board") !== null`, false},
}

func main() {
	out := flag.String("out", filepath.Join(stage.Root(), "docs", "screenshots"), "folder of the pictures")
	size := flag.String("size", "1280x800", "width and height of the window")
	scale := flag.Float64("zoom", 1, "enlarged, as a browser's zoom does")
	edit := flag.String("make", "", "statements to be made before")
	keys := flag.String("press", "", "keys to be pressed before each picture")
	flag.Parse()
	if err := take(*out, *size, *scale, *edit, *keys, flag.Args()); err != nil {
		log.Fatal(err)
	}
}

// begin starts the program in a folder of its own.
func begin(start func(string, int) (*stage.Program, error)) (*stage.Program, func(), error) {
	data, err := stage.Folder()
	if err != nil {
		return nil, nil, err
	}
	p, err := start(data, 0)
	if err != nil {
		os.RemoveAll(data)
		return nil, nil, err
	}
	return p, func() { _ = p.Stop(); os.RemoveAll(data) }, nil
}

func take(out, size string, zoom float64, edit, keys string, names []string) error {
	var w, h int64
	if _, err := fmt.Sscanf(size, "%dx%d", &w, &h); err != nil {
		return fmt.Errorf("-size %s: write WIDTHxHEIGHT", size)
	}
	p, end, err := begin(stage.Start)
	if err != nil {
		return err
	}
	defer end()
	played, over, err := begin(stage.StartPlayed)
	if err != nil {
		return err
	}
	defer over()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	ctx, stop, err := stage.Browser(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := stage.Open(ctx, p.URL, "Robin"); err != nil {
		return err
	}
	// Some edits, so that history and undo have something to say.
	edits := []string{"rack 23: 110", "rack 23: 999"}
	if edit != "" {
		edits = append(edits, edit)
	}
	for _, text := range edits {
		if err := line(text)(ctx); err != nil {
			return err
		}
		if err := stage.Until(ctx, `document.querySelector("#foretold").textContent.includes("Enter applies")`); err != nil {
			return err
		}
		if err := stage.Press(ctx, kb.Enter); err != nil {
			return err
		}
		if err := stage.Until(ctx, `document.querySelector("#line").value === "" && document.querySelector("#revision").dataset.keeping === "kept"`); err != nil {
			return err
		}
	}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(int64(float64(w)/zoom), int64(float64(h)/zoom), chromedp.EmulateScale(zoom))); err != nil {
		return err
	}
	for _, s := range shots {
		if len(names) > 0 && !slices.Contains(names, s.name) {
			continue
		}
		path := p.URL + "/1" + s.path
		if s.played {
			path = played.URL + "/1" + s.path
		}
		if s.path == "offices" {
			path = p.URL + "/offices"
		}
		if err := chromedp.Do(ctx, chromedp.Navigate(path), chromedp.WaitVisible("header")); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		time.Sleep(700 * time.Millisecond) // fonts, and answers to what the view asks
		if s.do != nil {
			if err := s.do(ctx); err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		if err := stage.Until(ctx, s.ready); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if keys != "" {
			if err := stage.Press(ctx, keys); err != nil {
				return err
			}
		}
		time.Sleep(500 * time.Millisecond)
		if err := stage.Shoot(ctx, filepath.Join(out, s.name+".png")); err != nil {
			return err
		}
		if s.name == "board-dark" {
			if err := stage.Dark(ctx); err != nil {
				return err
			}
		}
		fmt.Println(s.name)
	}
	return nil
}
