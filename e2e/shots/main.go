// Shots takes the pictures of docs/screenshots anew, from the demo office:
// ./run shots. With names of pictures it takes only those; with -out FOLDER they
// go elsewhere, -size 1024x640 is another window; -make "cable a.1 b.1" makes an
// edit first, and -press "nn" presses keys before each picture.
package main

import (
	"context"
	"encoding/json"
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
	on         string // of programs; "" for the demo
}

// programs are those that the pictures are taken of, by what they are called here.
var programs = map[string]*stage.Program{}

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
		if err := stage.Settled(ctx); err != nil {
			return err
		}
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
	return stage.Settled(ctx)
}

// send has the page send a request.
func send(ctx context.Context, method, path, body string) error {
	_, err := chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf(`fetch(%q, {method: %q, headers: {"Content-Type": "application/json"}, body: %q}).then(r => r.text())`, path, method, body), chromedp.EvalAwaitPromise))
	return err
}

// storied has a few things happen, calls a revision something, and looks at the story.
func storied(ctx context.Context) error {
	for i, text := range []string{"rack 9: 120 because \\\"the X-ray is in repair\\\"", "use desk 110 [140 150]", "gate deny vlan 160 to vlan 150"} {
		if err := send(ctx, "POST", "/api/offices/1/edits", fmt.Sprintf(`{"base":%d,"commands":[{"lines":["%s"]}]}`, i+1, text)); err != nil {
			return err
		}
	}
	if err := send(ctx, "PUT", "/api/offices/1/history/3/name", `{"name":"before the move"}`); err != nil {
		return err
	}
	for step := range 6 {
		if err := send(ctx, "PUT", "/api/offices/1/orders/ticks", fmt.Sprintf(`{"order":1,"step":%d,"on":true}`, step)); err != nil {
			return err
		}
	}
	return chromedp.Do(ctx, chromedp.Reload())
}

// told has somebody and something hear of the office.
func told(ctx context.Context) error {
	for _, body := range []string{`{"way":"mail","target":"robin@clinic.example","kinds":["drift","silent","checkup"],"daily":true}`, `{"way":"syslog","target":"udp://127.0.0.1:5514","kinds":["drift","silent","order"]}`} {
		if err := send(ctx, "POST", "/api/offices/1/notices", body); err != nil {
			return err
		}
	}
	return chromedp.Do(ctx, chromedp.Reload())
}

// peopleIn makes accounts by links, and gives roles.
func peopleIn(ctx context.Context) error {
	const door = `document.getElementById("join-password") !== null`
	join := func(link, name string) error {
		if err := chromedp.Do(ctx, chromedp.Navigate(link)); err != nil {
			return err
		}
		if err := stage.Until(ctx, door); err != nil {
			return err
		}
		return chromedp.Do(ctx, chromedp.SendKeys("#join-name", name), chromedp.SendKeys("#join-password", "harbour-tulip-ox-"+name+kb.Enter))
	}
	post := func(path, body, field string) (string, error) {
		text, err := json.Marshal(body)
		if err != nil {
			return "", err
		}
		return chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf(`fetch(%q, {method: "POST", headers: {"Content-Type": "application/json"}, body: %s}).then(r => r.json()).then(v => v[%q] ?? v.error ?? "")`, path, text, field), chromedp.EvalAwaitPromise))
	}
	guarded := programs["guarded"]
	if err := join(guarded.Link, "Robin"); err != nil {
		return err
	}
	if err := stage.Until(ctx, `document.getElementById("board") !== null`); err != nil {
		return err
	}
	for _, x := range []struct{ name, role string }{{"Sam", "planner"}, {"Noor", "carrier"}, {"Ines (for March)", "reader"}} {
		link, err := post("/api/offices/1/invitations", `{"role":"`+x.role+`"}`, "link")
		if err != nil {
			return err
		}
		if err := join(guarded.URL+"/join#"+link, x.name); err != nil {
			return err
		}
		if err := stage.Until(ctx, `document.getElementById("board") !== null`); err != nil {
			return err
		}
		if _, err := post("/api/sign-in", `{"name":"Robin","password":"harbour-tulip-ox-Robin"}`, "name"); err != nil {
			return err
		}
	}
	if _, err := post("/api/offices/1/invitations", `{"role":"reader"}`, "link"); err != nil { // that nobody used yet
		return err
	}
	return chromedp.Do(ctx, chromedp.Navigate(guarded.URL+"/1/people"))
}

const settled = `document.querySelector(".findings .mends") !== null`

var shots = []shot{
	{"board", "", nil, settled, ""},
	{"ports", "/ports", nil, `document.querySelectorAll("#ports tbody tr").length > 10`, ""},
	{"reach", "/reach?vlan=130", nil, `document.querySelector(".reach, [data-reach], main h1") !== null`, ""},
	{"walk", "/walk?from=surgery 1 pc&to=office printer", func(ctx context.Context) error { return stage.Dark(ctx) }, `document.querySelector(".way") !== null`, ""},
	{"talk", "/talk?from=rack.1&to=10.61.130.9&service=pictures", nil, `document.querySelector(".ways") !== null && document.querySelector(".wishes .mend") !== null`, ""},
	{"plans", "/plans", nil, `document.querySelector("main h1") !== null`, ""},
	{"register", "/register", nil, `document.querySelector("main h1") !== null`, ""},
	{"devices", "/devices?device=rack&port=19", nil, `document.querySelector("[data-port-panel]") !== null`, ""},
	{"sheet", "/sheets?device=ward-east", nil, `document.querySelector("main table") !== null`, ""},
	{"orders", "/orders", orderIn, `document.querySelector("#then") !== null && document.querySelector(".window #board") !== null`, ""},
	{"field", "/field", readAll, `document.querySelector("[data-code]") !== null || document.querySelectorAll("tr.drift").length > 0`, "played"},
	{"round", "/round", failed, `document.querySelector("[aria-label='What explains it'] li") !== null`, ""},
	{"poster", "/poster", nil, `document.querySelector(".poster svg") !== null`, ""},
	{"offices", "offices", nil, `document.querySelector("[data-office]") !== null`, ""},
	{"people", "/people", peopleIn, `document.querySelectorAll(".people .record tr").length > 2`, "guarded"},
	{"history", "/history", storied, `document.querySelector(".name") !== null`, ""},
	{"checkup", "/checkup", func(ctx context.Context) error { return click("#check-now")(ctx) }, `document.querySelector("[data-checkup]") !== null`, ""},
	{"handbook", "/handbook", nil, `document.querySelector("[data-handbook]")?.shadowRoot?.querySelector("#restore") !== null`, ""},
	{"notices", "/notices", told, `document.querySelectorAll("[data-notice]").length === 2`, ""},
}

func main() {
	out := flag.String("out", filepath.Join(stage.Root(), "docs", "screenshots"), "folder of the pictures")
	size := flag.String("size", "1280x800", "width and height of the window")
	scale := flag.Float64("zoom", 1, "enlarged, as a browser's zoom does")
	edit := flag.String("make", "", "statements to be made before")
	keys := flag.String("press", "", "keys to be pressed before each picture")
	flag.Parse()
	if err := take(asked{*out, *size, *scale, *edit, *keys, flag.Args()}); err != nil {
		log.Fatal(err)
	}
}

// begin starts the program in a folder of its own.
func begin(how stage.How) (*stage.Program, func(), error) {
	data, err := stage.Folder()
	if err != nil {
		return nil, nil, err
	}
	program, err := stage.Start(data, how)
	if err != nil {
		os.RemoveAll(data)
		return nil, nil, err
	}
	return program, func() { _ = program.Stop(); os.RemoveAll(data) }, nil
}

// asked is what the command line asks for: where to, how large, what is typed before.
type asked struct {
	out, size  string
	zoom       float64
	edit, keys string
	names      []string
}

// take makes the pictures, one after another.
//
// Many branches: one a picture.
func take(asked asked) error {
	out, size, zoom, edit, keys, names := asked.out, asked.size, asked.zoom, asked.edit, asked.keys, asked.names
	var w, h int64
	if _, err := fmt.Sscanf(size, "%dx%d", &w, &h); err != nil {
		return fmt.Errorf("-size %s: write WIDTHxHEIGHT", size)
	}
	for name, how := range map[string]stage.How{"": stage.Plain, "played": stage.Played, "guarded": stage.Guarded} {
		program, end, err := begin(how)
		if err != nil {
			return err
		}
		defer end()
		programs[name] = program
	}
	other := programs[""]
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	defer stage.End()
	ctx, stop, err := stage.Browser(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := stage.Open(ctx, other.URL, "Robin"); err != nil {
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
	for _, shot := range shots {
		if len(names) > 0 && !slices.Contains(names, shot.name) {
			continue
		}
		path := programs[shot.on].URL + "/1" + shot.path
		if shot.path == "offices" {
			path = other.URL + "/offices"
		}
		if err := chromedp.Do(ctx, chromedp.Navigate(path), chromedp.WaitVisible("header")); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if err := stage.Settled(ctx); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if shot.do != nil {
			if err := shot.do(ctx); err != nil {
				return fmt.Errorf("%s: %w", shot.name, err)
			}
		}
		if err := stage.Until(ctx, shot.ready); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if keys != "" {
			if err := stage.Press(ctx, keys); err != nil {
				return err
			}
		}
		if err := stage.Settled(ctx); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if err := stage.Shoot(ctx, filepath.Join(out, shot.name+".png")); err != nil {
			return err
		}
		if shot.name == "walk" {
			if err := stage.Dark(ctx); err != nil {
				return err
			}
		}
		fmt.Println(shot.name)
	}
	return nil
}
