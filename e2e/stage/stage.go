// Package stage starts the real program with a fresh database and a real
// browser in front of it, for the browser tests and the screenshots.
package stage

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Root is the project's folder.
func Root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(file), "..", "..")
}

// Program is a running klammer.
type Program struct {
	URL  string
	Link string // with which the first account is made, where people sign in

	env  string
	args []string
	port int // that it was told to listen on; 0 for any
	cmd  *exec.Cmd
	out  *strings.Builder
}

// How is how a program is started, beside what all are started with.
type How []string

// A program asks for a name, or has people sign in: over TLS with a certificate of its own, or
// without, on this machine or over a proxy. Or stand-ins play the devices of the demo as it is.
var (
	Plain    How
	Guarded  = How{"--accounts", "--tls", "self"}
	SignedIn = How{"--accounts"}
	Played   = How{"--as-is", filepath.Join(Root(), "demo", "clinic-as-is.klm"), "--stand-ins", filepath.Join(Root(), "demo", "clinic-field.klm")}
)

// Folder makes a folder that the database's user can get into.
func Folder() (string, error) {
	dir, err := os.MkdirTemp("", "klammer-stage-")
	if err == nil {
		err = os.Chmod(dir, 0o755)
	}
	return dir, err
}

// Start runs bin/klammer, which `./run build` makes, with a database of its own in the folder,
// and waits for its address.
func Start(folder string, how How) (*Program, error) { return StartOn("", folder, how) }

// StartOn is Start on a database of the caller's; the folder has its keys then.
func StartOn(database, folder string, how How) (*Program, error) {
	args := append([]string{"--load", filepath.Join(Root(), "demo", "clinic.klm"), "--data", filepath.Join(folder, "data")}, how...)
	return run(&Program{env: "KLAMMER_DATABASE_URL=" + database, args: args})
}

// Again starts a program that has ended at the port that it had, so that a page that is open
// finds it, and on what it kept.
func (p *Program) Again() (*Program, error) {
	again := &Program{env: p.env, args: p.args}
	_, _ = fmt.Sscanf(p.URL[strings.LastIndex(p.URL, ":")+1:], "%d", &again.port)
	return run(again)
}

func run(program *Program) (*Program, error) {
	args := append([]string{"serve", "--listen", fmt.Sprintf("127.0.0.1:%d", program.port)}, program.args...)
	program.out = &strings.Builder{}
	program.cmd = exec.Command(filepath.Join(Root(), "bin", "klammer"), args...)
	program.cmd.Env = append(os.Environ(), program.env)
	pipe, err := program.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	program.cmd.Stderr = program.out
	if err := program.cmd.Start(); err != nil {
		return nil, fmt.Errorf("bin/klammer does not start (./run build makes it): %w", err)
	}
	lines := bufio.NewScanner(pipe)
	for lines.Scan() {
		if m := regexp.MustCompile(`https?://\S+`).FindString(lines.Text()); strings.Contains(m, "/join#") {
			program.Link = m
		} else if m != "" {
			program.URL = m
			go io.Copy(io.Discard, pipe) //nolint:errcheck
			return program, nil
		}
	}
	_ = program.cmd.Wait()
	return nil, fmt.Errorf("klammer gave no address: %s", program.out)
}

// Kill ends the program as a power cut would: at once, nothing tidied up.
func (p *Program) Kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// Stop ends the program as Ctrl-C does.
func (p *Program) Stop() error {
	if err := p.cmd.Process.Signal(syscall.SIGINT); err != nil {
		return err
	}
	return p.cmd.Wait()
}

// chromium is the browser that all windows of a run are of: to start one takes longer than
// most tests look at it.
var chromium struct {
	sync.Mutex
	ctx  context.Context
	stop context.CancelFunc
}

// Browser opens a window of 1280x800 that shares nothing with another: a profile of its own,
// which is empty.
func Browser(ctx context.Context) (context.Context, context.CancelFunc, error) {
	chromium.Lock()
	if chromium.ctx == nil || chromium.ctx.Err() != nil { // none yet, or it is gone
		if err := launch(); err != nil {
			chromium.Unlock()
			return nil, nil, err
		}
	}
	window, closed := chromedp.NewContext(chromium.ctx, chromedp.WithNewBrowserContext())
	chromium.Unlock()
	window, ended := context.WithCancelCause(window)
	forget := context.AfterFunc(ctx, func() { ended(context.Cause(ctx)) })
	stop := func() { forget(); closed(); ended(nil) }
	if err := ready(window); err != nil {
		stop()
		return nil, nil, err
	}
	return window, stop, nil
}

// ready makes a window one that tests look at.
func ready(ctx context.Context) error {
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		return err
	}
	if _, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: pending}); err != nil {
		return err
	}
	// A page that takes itself for one in the background hears no keys.
	_, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
	return err
}

// launch starts Chromium.
func launch() error {
	opts := []chromedp.ExecAllocatorOption{
		chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("disable-dev-shm-usage", true), chromedp.Flag("hide-scrollbars", true),
		chromedp.Flag("ignore-certificate-errors", true), // the server makes its own
	}
	for _, path := range []string{"/usr/bin/chromium", "/usr/bin/chromium-browser", "/usr/bin/google-chrome"} {
		if _, err := os.Stat(path); err == nil {
			opts = append(opts, chromedp.ExecPath(path))
			break
		}
	}
	ctx, stopBrowser := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, stopTab := chromedp.NewContext(ctx)
	stop := func() { stopTab(); stopBrowser() }
	if err := chromedp.Do(ctx); err != nil {
		stop()
		return err
	}
	chromium.ctx, chromium.stop = ctx, stop
	return nil
}

// End ends the browser, after the last test.
func End() {
	chromium.Lock()
	defer chromium.Unlock()
	if chromium.stop != nil {
		chromium.stop()
	}
}

// Open goes to the program, says a name and waits for the board.
func Open(ctx context.Context, url, name string) error {
	if err := chromedp.Do(ctx,
		chromedp.Navigate(url),
		chromedp.WaitVisible("#name"),
		chromedp.SendKeys("#name", name+kb.Enter),
		chromedp.WaitNotPresent("#name"),
		chromedp.WaitVisible("#board"),
	); err != nil {
		return err
	}
	return Until(ctx, `document.activeElement?.id === "board"`) // it is given the keys a moment later
}

// patience is how long something may take to show; KLAMMER_PATIENCE says another,
// for work on the tests themselves.
var patience = func() time.Duration {
	if d, err := time.ParseDuration(os.Getenv("KLAMMER_PATIENCE")); err == nil {
		return d
	}
	return 40 * time.Second
}()

// Until waits until a JavaScript expression is true.
func Until(ctx context.Context, expression string) error {
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression, chromedp.WithPollingInterval(5*time.Millisecond), chromedp.WithPollingTimeout(patience)))
	if err != nil {
		return fmt.Errorf("waiting for %s: %w", expression, err)
	}
	return nil
}

// pending is put before every page. It counts what the page has asked the server and has no
// answer to, and what it has put off by up to a second; `stagePending()` says how much.
const pending = `(() => {
	const ask = window.fetch, later = window.setTimeout, never = window.clearTimeout, waiting = new Set();
	let asked = 0;
	window.fetch = (...what) => { asked++; return ask(...what).finally(() => asked--); };
	window.setTimeout = (then, wait, ...rest) => {
		const id = later((...given) => { waiting.delete(id); return typeof then === "function" ? then(...given) : undefined; }, wait, ...rest);
		if ((wait ?? 0) <= 1000) waiting.add(id);
		return id;
	};
	window.clearTimeout = (id) => { waiting.delete(id); never(id); };
	window.stagePending = () => asked + waiting.size + (document.fonts.status === "loaded" ? 0 : 1) + document.querySelectorAll("[data-coming]").length +
		document.getAnimations().filter((a) => a.playState === "running" && a.effect?.getComputedTiming().iterations !== Infinity).length;
})()`

// Settled waits until the page has nothing more to come by itself: every answer and the view's
// own script is there, what was put off is done, fonts are read, nothing moves; and the picture of it is drawn.
func Settled(ctx context.Context) error {
	return Until(ctx, `(() => {
		if (document.readyState !== "complete" || window.stagePending() > 0) { window.stageDrawn = 0; return false; }
		if (!window.stageDrawn) { window.stageDrawn = 1; requestAnimationFrame(() => requestAnimationFrame(() => { if (window.stageDrawn) window.stageDrawn = 2; })); }
		return window.stageDrawn === 2;
	})()`)
}

// Cell is the board's cell of a port and a VLAN, as a selector.
func Cell(port string, vid int) string {
	return fmt.Sprintf(`[data-port=%q][data-vid="%d"]`, port, vid)
}

// Press sends keys to what has the focus, modifiers held. As from a keyboard,
// a key whose press the page takes for itself types nothing.
func Press(ctx context.Context, keys string, held ...chromedp.Modifier) error {
	for _, r := range keys {
		var down *input.DispatchKeyEventParams
		for _, params := range kb.Encode(r) {
			chromedp.KeyModifiers(held...)(params)
			switch params.Type {
			case kb.KeyRawDown, kb.KeyDown:
				down = params
				continue
			case kb.KeyChar:
				if params.Modifiers&^int64(chromedp.ModifierShift) == 0 {
					down.Type, down.Text, down.UnmodifiedText = kb.KeyDown, params.Text, params.UnmodifiedText
				}
				continue
			}
			for _, other := range []*input.DispatchKeyEventParams{down, params} {
				if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, *other); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Drag presses the mouse at one place, moves it to another and lets go.
func Drag(ctx context.Context, x1, y1, x2, y2 float64) error {
	for _, params := range []input.DispatchMouseEventParams{
		{Type: input.DispatchMouseEventTypeMousePressed, X: x1, Y: y1, ClickCount: 1},
		{Type: input.DispatchMouseEventTypeMouseMoved, X: (x1 + x2) / 2, Y: (y1 + y2) / 2},
		{Type: input.DispatchMouseEventTypeMouseMoved, X: x2, Y: y2},
		{Type: input.DispatchMouseEventTypeMouseReleased, X: x2, Y: y2, ClickCount: 1},
	} {
		params.Button, params.Buttons = input.MouseButtonLeft, 1
		if _, err := chromedp.Call(ctx, input.DispatchMouseEvent, params); err != nil {
			return err
		}
	}
	return nil
}

// Shoot takes a picture of what is on the screen.
func Shoot(ctx context.Context, file string) error {
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, png, 0o644)
}

// Dark turns the theme.
func Dark(ctx context.Context) error {
	return chromedp.Do(ctx, chromedp.Click(`button[aria-label="Light or dark"]`))
}

// Tap clicks something as soon as it is there and can be clicked.
func Tap(ctx context.Context, selector string) error {
	return Until(ctx, fmt.Sprintf(`(() => { const b = document.querySelector(%q); if (!b || b.disabled) return false; b.click(); return true; })()`, selector))
}
