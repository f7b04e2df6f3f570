package server_test

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
	"klammer/server"
)

// TestTooMuch: what would be more work than a request may be ends with a 4xx
// that names the limit, soon, and changes nothing.
func TestTooMuch(t *testing.T) {
	d := open(t)
	lines := func(ls ...string) string {
		b, _ := json.Marshal(map[string]any{"base": 1, "commands": []any{map[string]any{"lines": ls}}})
		return string(b)
	}
	repeat := func(n int, f func(i int) string) string {
		var b strings.Builder
		for i := range n {
			b.WriteString(f(i) + "\n")
		}
		return b.String()
	}
	for _, row := range []struct {
		says, body string
		status     int
		names      string
	}{
		{"400 devices of 4,096 ports", lines(repeat(400, func(i int) string { return fmt.Sprintf("device x%d switch\n  ports 1-4096", i) })), 400, "more than one edit may do"},
		{"20 devices of 4,096 ports", lines(repeat(20, func(i int) string { return fmt.Sprintf("device x%d switch\n  ports 1-4096", i) })), 422, "65536 ports"},
		{"2,600 devices of 4,096 ports", lines(repeat(2600, func(i int) string { return fmt.Sprintf("device x%d switch\n  ports 1-4096", i) })), 400, "more than one edit may do"},
		{"one limit 4,000 times", lines("device x switch\n  ports 1-4096\n" + repeat(4000, func(i int) string { return fmt.Sprintf("x limit vlans %d", i+1) })), 400, "more than one edit may do"},
		{"a front that is set again and again", lines("device x switch\n  ports 1-4096\n" + repeat(2000, func(i int) string { return fmt.Sprintf("x 1-4096: %d", i%4000+1) })), 400, "more than one edit may do"},
		{"96 kB of unknown names", lines(repeat(6000, func(i int) string { return fmt.Sprintf("dvice-%d 1: 110", i) })), 400, "starts no statement"},
		{"a name of a megabyte", lines("rack 1: 110\n" + strings.Repeat("x", 1<<20) + " 1: 110"), 400, "more than 255 letters"},
	} {
		t.Run(row.says, func(t *testing.T) {
			start := time.Now()
			for _, path := range []string{"/preview", "/edits"} {
				status, v := d.ask("POST", path, row.body)
				require.Equal(t, row.status, status, "%v", v)
				require.Contains(t, v["error"], row.names)
			}
			require.Less(t, time.Since(start), 10*time.Second) // a bound on a hang, not a measurement
		})
	}
	_, v := d.ask("GET", "", "")
	require.EqualValues(t, 1, v["revision"])
}

// TestTrunksOfEverything: 64 ports that carry all VLANs are an office like any
// other: one finding for what is not registered, an answer of a few kilobytes.
func TestTrunksOfEverything(t *testing.T) {
	d := open(t)
	status, v := d.edit(1, `"lines":["device x switch; ports 1-64; 1-64: [1-4094]"]`)
	require.Equal(t, 200, status, v)
	whole, err := json.Marshal(v)
	require.NoError(t, err)
	require.Less(t, len(whole), 400_000)
	unknown := 0
	for _, f := range v["findings"].([]any) {
		if f.(map[string]any)["code"] == "unregistered" {
			unknown++
		}
	}
	require.Equal(t, 1, unknown)
	status, v = d.edit(2, `"lines":["x 1: 110"]`)
	require.Equal(t, 200, status, v)
}

// TestPacked: nothing that is packed is unpacked, however small it is.
func TestPacked(t *testing.T) {
	d := open(t)
	var twice bytes.Buffer
	outer := gzip.NewWriter(&twice)
	inner := gzip.NewWriter(outer)
	zeros := make([]byte, 1<<20)
	for range 64 {
		_, _ = inner.Write(zeros)
	}
	inner.Close()
	outer.Close()
	for _, how := range []string{"gzip, gzip", "gzip", "br", "deflate", "zstd", "GZIP"} {
		status, v := d.ask("POST", "/edits", twice.String(), "Content-Encoding", how)
		require.Equal(t, 415, status)
		require.Contains(t, v["error"], "packed")
	}
}

// TestPromises: what a header promises is not made ready for, and who sends
// slowly or reads slowly is let go while others are served.
func TestPromises(t *testing.T) {
	d := open(t)
	address := strings.TrimPrefix(d.base, "http://")
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var conns []net.Conn
	for range 60 {
		c, err := net.Dial("tcp", address)
		require.NoError(t, err)
		defer c.Close()
		fmt.Fprintf(c, "POST /api/offices/%d/edits HTTP/1.1\r\nHost: evil.example\r\nContent-Length: 4000000\r\n\r\nx", d.office)
		conns = append(conns, c)
	}
	status, _ := d.ask("GET", "", "")
	require.Equal(t, 200, status)
	runtime.ReadMemStats(&after)
	require.Less(t, int64(after.HeapInuse)-int64(before.HeapInuse), int64(60<<20))
	_ = conns

	status, v := d.ask("POST", "/edits", strings.Repeat("x", 5<<20))
	require.Equal(t, 413, status, v)
}

// TestStreams: an office tells so many and no more, and a stream that nobody
// reads does not hold the others up.
func TestStreams(t *testing.T) {
	short.Skip(t)
	d := open(t)
	var open []io.Closer
	defer func() {
		for _, c := range open {
			c.Close()
		}
	}()
	transport := &http.Transport{}
	defer transport.CloseIdleConnections()
	client := &http.Client{Transport: transport}
	refused := 0
	for range 603 {
		resp, err := client.Get(fmt.Sprintf("%s/api/offices/%d/events", d.base, d.office))
		require.NoError(t, err)
		open = append(open, resp.Body)
		if resp.StatusCode != 200 {
			require.Equal(t, 503, resp.StatusCode)
			refused++
		}
	}
	require.Equal(t, 3, refused)
	for i := range 80 { // more than a stream's queue takes
		status, v := d.edit(i+1, fmt.Sprintf(`"lines":["rack 1: %d"]`, 110+10*(i%2)))
		require.Equal(t, 200, status, v)
	}
}

// TestNames: a name is what people see: the cookie is checked as the form is,
// and so is what is typed.
func TestNames(t *testing.T) {
	d := open(t)
	for _, name := range []string{strings.Repeat("a", 3000), "a%0Ab", "a%00b", "%E2%80%AEevil", "%20%20", "%F0%9F"} {
		e := d
		e.name = name
		status, _ := e.edit(1, `"lines":["rack 1: 120"]`)
		require.Equal(t, 401, status, name)
	}
	for _, row := range [][2]string{
		{`office \"\"`, "is empty"}, {`office \"a\u202eb\"`, "U+202E"}, {`rack inner \"\" ssid: 110`, "is empty"}, {`rack inner \" \" ssid: 110`, "is empty"},
		{`rack ports \"\"`, "is empty"}, {`rack bundle \"\" lacp 1-2`, "is empty"}, {`plug rack.4 \"\u200b\" wants 110`, "U+200B"}, {`plug rack.4 \"\" wants 110`, "is empty"},
		{`rack 1: 110 because \"\u2066x\"`, "U+2066"}, {`vlan 110 reception \"\u00ad\"`, "U+00AD"},
	} {
		status, v := d.edit(1, `"lines":["`+row[0]+`"]`)
		require.Equal(t, 400, status, row[0])
		require.Contains(t, v["error"], row[1], row[0])
	}
	status, _ := d.ask("GET", "/history?since=99999999999", "")
	require.Equal(t, 200, status)
	status, _ = d.ask("POST", "/undo", `{"revision":99999999999}`)
	require.Equal(t, 400, status)
	status, _ = d.ask("GET", "/at/99999999999", "")
	require.Equal(t, 400, status)
}

// TestAgain: a request that is asked again under its own name is not done again.
func TestAgain(t *testing.T) {
	d := open(t)
	status, v := d.ask("POST", "/edits", `{"base":1,"id":"one","commands":[{"lines":["plug rack.4 \"till\" wants 110"]}]}`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/edits", `{"base":1,"id":"one","again":true,"commands":[{"lines":["plug rack.4 \"till\" wants 110"]}]}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 2, v["revision"])
	status, v = d.ask("POST", "/edits", `{"base":2,"id":"two","again":true,"commands":[{"lines":["rack 1: 120"]}]}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 3, v["revision"], "one that was never made is made")
	status, v = d.ask("POST", "/undo", `{"revision":3,"id":"three","again":true}`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/undo", `{"revision":3,"id":"three","again":true}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 4, v["made"])
}

// TestLongWithoutLength: a body that does not say how long it is, and is too long, is refused as
// that, on every route that reads one.
func TestLongWithoutLength(t *testing.T) {
	d := open(t)
	for _, path := range []string{fmt.Sprintf("/api/offices/%d/edits", d.office), "/api/offices", "/api/intake"} {
		r, err := http.NewRequest("POST", d.base+path, io.MultiReader(strings.NewReader(`{"base":1,"id":"`), strings.NewReader(strings.Repeat("x", 5<<20)))) // no length is known
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.AddCookie(&http.Cookie{Name: "klammer_name", Value: "Robin"})
		resp, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		text, _ := io.ReadAll(resp.Body)
		resp.Body.Close()
		require.Equal(t, 413, resp.StatusCode, "%s: %s", path, text)
	}
}

// TestOneOutcome: each write has one outcome under its name, whatever it is, asked as often as
// one likes, in any order, of two servers at once, said to be asked again or not; and a name
// that was used for something else is refused as that.
func TestOneOutcome(t *testing.T) {
	both, _ := playedBy(t, 2, server.Field{Tick: time.Hour}, small, small)
	d := both[0]
	revision := func() (n int) {
		_, v := both[1].ask("GET", "", "")
		return int(v["revision"].(float64))
	}
	before := revision()
	posts := []struct{ path, body, other string }{
		{"/edits", `"base":1,"commands":[{"lines":["a 4: 10"]}]`, `"base":1,"commands":[{"lines":["a 4: 20"]}]`},
		{"/edits", `"base":1,"commands":[{"lines":["a 1: 10"]}]`, `"base":1,"commands":[{"lines":["a 1: 20"]}]`}, // it is so already
		{"/edits", `"base":1,"commands":[{"lines":["a 5: 10"]},{"lines":["a 6: 10"]}]`, `"base":1,"commands":[{"lines":["a 6: 10"]}]`},
		{"/undo", fmt.Sprintf(`"revision":%d`, before+1), fmt.Sprintf(`"revision":%d`, before)},
		{"/undo", fmt.Sprintf(`"revision":%d`, before+3), fmt.Sprintf(`"revision":%d`, before+1)}, // which is doing it again
		{"/restore", `"revision":1`, `"revision":2`},
	}
	seen := map[int]int{}
	for k, p := range posts {
		var w sync.WaitGroup
		got := make([]string, 12)
		for n := range got { // at once, of two servers
			w.Go(func() {
				status, v := both[n%2].ask("POST", p.path, fmt.Sprintf(`{%s,"id":"post %d","again":%v}`, p.body, k, n%3 == 0))
				made := v["made"]
				if made == nil {
					made = v["revision"]
				}
				got[n] = fmt.Sprint(status, " ", made, v["error"])
			})
		}
		w.Wait()
		for _, g := range got {
			require.Equal(t, got[0], g, "%s %s", p.path, p.body)
		}
		var at int
		_, err := fmt.Sscanf(got[0], "200 %d", &at)
		require.NoError(t, err, got[0])
		seen[k] = at
		require.Equal(t, []int{before + 1, before + 1, before + 2, before + 3, before + 4, before + 5}[k], revision(), "%s %s", p.path, p.body)
	}
	for k := len(posts) - 1; k >= 0; k-- { // long after, and in another order
		for n := range 2 {
			status, v := both[n].ask("POST", posts[k].path, fmt.Sprintf(`{%s,"id":"post %d"}`, posts[k].body, k))
			require.Equal(t, 200, status, v)
			if k != 1 { // which came to nothing, at whatever revision that is
				require.EqualValues(t, seen[k], v["made"], "%v", posts[k])
			}
			status, v = both[n].ask("POST", posts[k].path, fmt.Sprintf(`{%s,"id":"post %d"}`, posts[k].other, k))
			require.Equal(t, 409, status, v)
			require.Contains(t, v["error"], "an id of its own")
		}
	}
	require.Equal(t, before+5, revision(), "nothing of it was done again")

	// So it is with what starts an office.
	offices := func() int {
		resp := d.get("/api/offices")
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return strings.Count(string(text), `"id"`)
	}
	there, own := offices(), rand.Text()
	for _, x := range []struct{ path, body, other string }{
		{"/api/offices", `{"title":"New","id":"start ` + own + `"}`, `{"title":"Other","id":"start ` + own + `"}`},
		{"/api/intake", `{"name":"x.csv","text":"den\nVLAN,Name,1,2\n10,desks,U,x\n","title":"den","take":true,"id":"taken ` + own + `"}`, `{"name":"x.csv","text":"den\nVLAN,Name,1,2\n10,desks,T,x\n","title":"den","take":true,"id":"taken ` + own + `"}`},
	} {
		var w sync.WaitGroup
		got := make([]string, 8)
		for n := range got {
			w.Go(func() {
				status, text := both[n%2].post(x.path, x.body)
				got[n] = fmt.Sprint(status, text)
			})
		}
		w.Wait()
		for _, g := range got {
			require.Equal(t, got[0], g)
			require.Contains(t, g, "200")
		}
		status, text := d.post(x.path, x.other)
		require.Equal(t, 409, status, text)
	}
	require.Equal(t, there+2, offices())
}

// TestBuiltUpon: what others built upon is not taken back under their feet, and
// what stands in the way is named.
func TestBuiltUpon(t *testing.T) {
	d := open(t)
	other := d
	other.name = "Kim"
	status, v := d.edit(1, `"lines":["device den switch; ports 1-4"]`)
	require.Equal(t, 200, status, v)
	status, v = other.edit(2, `"lines":["cable den.1 rack.26","plug den.2 \"till\" wants 150"]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 409, status)
	require.Contains(t, v["error"], "Kim built upon it")
	for _, revision := range []int{1, 2, 3} {
		status, v = d.ask("GET", fmt.Sprintf("/at/%d", revision), "")
		require.Equal(t, 200, status, v)
	}
	status, v = other.ask("POST", "/undo", `{"revision":3}`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 200, status, v)
	require.Equal(t, []any{"undo", "device den switch; ports 1-4"}, []any{v["turn"], v["summary"]})
	status, v = d.ask("POST", "/undo", `{"revision":5}`)
	require.Equal(t, 200, status, v)
	require.Equal(t, []any{"redo", "device den switch; ports 1-4"}, []any{v["turn"], v["summary"]})
	status, v = d.ask("POST", "/undo", `{"revision":6}`)
	require.Equal(t, 200, status, v)
	require.Equal(t, []any{"undo", "device den switch; ports 1-4"}, []any{v["turn"], v["summary"]}, "the undoing of a redo is an undo")
	// Restoring again and again keeps what differs, and nothing else.
	for range 6 {
		status, v = d.ask("POST", "/restore", `{"revision":3}`)
		require.Equal(t, 200, status, v)
		status, v = d.ask("POST", "/restore", `{"revision":1}`)
		require.Equal(t, 200, status, v)
	}
	status, v = d.ask("POST", "/restore", `{"revision":1}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 19, v["revision"])
}

// TestWhoDidIt: with many at work at once each edit stands under the name of
// who made it, in the answer, in the events, and in the history. Built with the
// race detector, it also finds memory that the framework takes back.
func TestWhoDidIt(t *testing.T) {
	d := open(t)
	resp, err := http.Get(fmt.Sprintf("%s/api/offices/%d/events", d.base, d.office))
	require.NoError(t, err)
	defer resp.Body.Close()
	const each = 40
	names := []string{"Ada", "Ben", "Cleo", "Dora", "Emil", "Finn"}
	told := make(chan [2]string, len(names)*each)
	go func() {
		defer close(told)
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 4<<20)
		seen := 0
		for lines.Scan() && seen < len(names)*each {
			text, ok := strings.CutPrefix(lines.Text(), `data: {"id"`)
			var v struct{ Author, Summary string }
			if ok && json.Unmarshal([]byte(`{"id"`+text), &v) == nil && v.Author != "" {
				told <- [2]string{v.Author, v.Summary}
				seen++
			}
		}
	}()
	var all sync.WaitGroup
	for i, name := range names {
		all.Go(func() {
			e := d
			e.name = name
			for k := range each {
				status, v := e.edit(1, fmt.Sprintf(`"lines":["plug rack.%d \"of %s %d\" wants 110"]`, i+1, name, k))
				if status != 200 || v["author"] != name {
					t.Errorf("%s: %d %v", name, status, v["author"])
				}
			}
		})
	}
	all.Wait()
	n := 0
	for x := range told {
		n++
		require.Contains(t, x[1], "of "+x[0]+" ", "told under another's name")
	}
	require.Equal(t, len(names)*each, n)
}
