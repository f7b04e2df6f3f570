package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/proof/short"
	"klammer/server"
	"klammer/store"
)

// spent is what something costs this process: its own CPU, and memory that was made.
func spent(do func()) (cpu time.Duration, made uint64, took time.Duration) {
	used := func() time.Duration {
		var u syscall.Rusage
		_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	at, start := used(), time.Now()
	do()
	cpu, took = used()-at, time.Since(start)
	runtime.ReadMemStats(&after)
	return cpu, after.TotalAlloc - before.TotalAlloc, took
}

// TestDear asks for what costs most for its length: each ends soon, with an answer or with the
// limit that it is beyond, and makes no more memory than one request may.
func TestDear(t *testing.T) {
	short.Skip(t)
	long := 60
	if os.Getenv("KLAMMER_PROVE") != "" {
		long = 1000
	}
	chain := func() string { // of switches, with every VLAN on each cable
		var b strings.Builder
		b.WriteString("vlan 1 one\n")
		for k := range long {
			fmt.Fprintf(&b, "device d%d switch\n  ports 1-2\n  1-2: [1-4094]\n", k)
		}
		for k := range long - 1 {
			fmt.Fprintf(&b, "cable d%d.2 d%d.1\n", k, k+1)
		}
		return b.String()
	}()
	group := func() string {
		var b strings.Builder
		b.WriteString("device g switch\n  ports 1-512\n  wording by-group\n")
		for k := range 512 {
			if k%2 == 0 {
				fmt.Fprintf(&b, "  %d: [2-383]\n", k+1)
			}
		}
		return b.String()
	}()
	many := func(n int, f func(k int) string) string {
		var all []any
		for k := range n {
			all = append(all, map[string]any{"lines": []string{f(k)}})
		}
		text, _ := json.Marshal(map[string]any{"base": 1, "commands": all})
		return string(text)
	}
	renames := func() string {
		var lines []string
		for k := range 200 {
			lines = append(lines, fmt.Sprintf("rename device d%d to e%d", k%long, k))
		}
		text, _ := json.Marshal(map[string]any{"title": "new", "text": chain, "lines": lines})
		return string(text)
	}()
	ports := func(n int) string {
		var all []string
		for k := range n {
			all = append(all, fmt.Sprintf("g.%d", k%512+1))
		}
		return strings.Join(all, ",")
	}
	for _, x := range []struct{ name, office, method, path, body string }{
		{"preview of 4,001 commands", "device s switch\n  ports 1-4\n", "POST", "/preview", many(4001, func(k int) string { return fmt.Sprintf("device n%d switch; ports 1-4096", k) })},
		{"preview of 4,001 small commands", "device s switch\n  ports 1-4\n", "POST", "/preview", many(4001, func(k int) string { return fmt.Sprintf("s %d: %d", k%4+1, k%4000+2) })},
		{"preview of 4,001 small commands in a chain", chain, "POST", "/preview", many(4001, func(k int) string { return fmt.Sprintf("d%d 1: [%d]", k%long, k%4000+2) })},
		{"preview of 4,001 verbs", chain, "POST", "/preview", many(4001, func(k int) string { return fmt.Sprintf("rename device d%d to e%d", k%long, k) })},
		{"preview of 300 brings", chain, "POST", "/preview", many(300, func(k int) string { return fmt.Sprintf("withdraw %d from d30.1", k+2) })},
		{"a new office with 200 verbs", "device s switch\n  ports 1-4\n", "POST", "NEW", renames},
		{"sheet by group", group, "GET", "/sheet?device=g", ""},
		{"sheet of a chain", chain, "GET", "/sheet?device=d30", ""},
		{"workbook of a chain", chain, "GET", "/workbook", ""},
		{"workbook by group", group, "GET", "/workbook", ""},
		{"grid of a group", group, "GET", "/grid?device=g", ""},
		{"a whole office, a chain", chain, "GET", "", ""},
		{"explain 1,000 ports", group, "GET", "/explain?vlan=2&ports=" + ports(1000), ""},
		{"walk through a chain", chain, "GET", "/walk?from=d0.1&wire=2&to=d" + fmt.Sprint(long-1) + ".2", ""},
		{"compare with itself", chain, "GET", "/compare?with=OWN", ""},
		{"found of a chain", chain, "GET", "/found/view", ""},
		{"found by group", group, "POST", "/found", `{"device":"g","text":"1-512: [2-400]","keep":true}`},
		{"what that means", group, "GET", "/found/meaning?device=g", ""},
		{"an order from the factory, by group", group, "POST", "/orders", `{"from":"factory","devices":["g"]}`},
		{"a round of a chain", chain, "GET", "/round", ""},
	} {
		t.Run(x.name, func(t *testing.T) {
			d := openWith(t, x.office)
			status, _ := d.ask("GET", "/history", "") // it is open
			require.Equal(t, 200, status)
			path := strings.ReplaceAll(x.path, "OWN", fmt.Sprint(d.office))
			var answer []byte
			cpu, made, took := spent(func() {
				to := fmt.Sprintf("%s/api/offices/%d%s", d.base, d.office, path)
				if path == "NEW" {
					to = d.base + "/api/offices"
				}
				r, err := http.NewRequest(x.method, to, strings.NewReader(x.body))
				require.NoError(t, err)
				r.Header.Set("Content-Type", "application/json")
				r.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
				resp, err := http.DefaultClient.Do(r)
				require.NoError(t, err)
				defer resp.Body.Close()
				status = resp.StatusCode
				answer, err = io.ReadAll(resp.Body)
				require.NoError(t, err)
			})
			says := ""
			if status != 200 {
				says = string(answer[:min(len(answer), 160)])
			}
			t.Logf("%4.1f s of CPU, %4d MB made, %4.1f s, %d bytes, %d %s", cpu.Seconds(), made>>20, took.Seconds(), len(answer), status, says)
			require.Less(t, status, 500, "%s", answer[:min(len(answer), 300)])
			require.Less(t, made, uint64(1<<30), "not all of it at once, but all of it")
		})
	}
}

// TestGone: what costs much ends when its asker has gone, and not when it would have been done.
func TestGone(t *testing.T) {
	short.Skip(t)
	var b strings.Builder
	b.WriteString("vlan 10 a\nvlan 20 b\n")
	for k := range 160 {
		fmt.Fprintf(&b, "device d%d switch\n  ports 1-48\n  1-47: 10 [20]\n  48: [10 20]\n", k)
	}
	all, _ := playedBy(t, 1, server.Field{}, b.String(), b.String())
	d := all[0]
	var lines []string
	for k := range 160 {
		lines = append(lines, fmt.Sprintf(`{"lines":["rename device d%d to e%d"]}`, k, k))
	}
	for path, body := range map[string]string{"/preview": `{"base":1,"commands":[` + strings.Join(lines, ",") + `]}`, "/workbook": "", "/compare?with=" + fmt.Sprint(d.office): ""} {
		method := "GET"
		if body != "" {
			method = "POST"
		}
		route := fmt.Sprintf(`klammer_request_seconds_count{route="%s /api/offices/:id%s",status="408"}`, method, strings.Split(path, "?")[0])
		leave := 20 * time.Millisecond
		require.Eventually(t, func() bool { // while it is worked on, whenever that is
			ctx, stop := context.WithTimeout(t.Context(), leave)
			defer stop()
			leave += 10 * time.Millisecond
			r, err := http.NewRequestWithContext(ctx, method, fmt.Sprintf("%s/api/offices/%d%s", d.base, d.office, path), strings.NewReader(body))
			require.NoError(t, err)
			r.Header.Set("Content-Type", "application/json")
			r.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
			if resp, err := http.DefaultClient.Do(r); err == nil {
				resp.Body.Close()
			}
			w := httptest.NewRecorder()
			d.srv.Metrics().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
			return strings.Contains(w.Body.String(), route)
		}, 30*time.Second, 50*time.Millisecond, route)
	}
}

// TestLongHistory looks at the first of many revisions, and goes back to it: 10,000 where it is
// to be proved, 300 else.
func TestLongHistory(t *testing.T) {
	many := 300
	if os.Getenv("KLAMMER_PROVE") != "" {
		many = 10_000
	}
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	f, err := notation.Read("office", "vlan 10 a\ndevice s switch\n  ports 1-48\n")
	require.NoError(t, err)
	o := f.Office
	d := openWith(t, notation.Print(o))
	for k := range many {
		next, e, err := notation.Line(o, fmt.Sprintf("s %d: %d", k%48+1, k%4000+2))
		require.NoError(t, err)
		note := store.Note{Author: "Robin", Summary: "one"}
		if k%3 == 2 { // as an undo names what it takes back
			note.Undoes, note.Turn = int64(k), "undo"
		}
		_, err = st.Commit(t.Context(), d.office, int64(k+1), e, note)
		require.NoError(t, err)
		o = next
	}
	status := 0
	cpu, made, took := spent(func() { status, _ = d.ask("GET", "/at/1", "") })
	require.Equal(t, 200, status)
	t.Logf("a look at the first of %d: %.1f s of CPU, %d MB made, %.1f s", many, cpu.Seconds(), made>>20, took.Seconds())
	var v map[string]any
	cpu, made, took = spent(func() { status, v = d.ask("POST", "/restore", `{"revision":1,"id":"back"}`) })
	require.Equal(t, 200, status, v)
	t.Logf("back to it: %.1f s of CPU, %d MB made, %.1f s", cpu.Seconds(), made>>20, took.Seconds())
	require.EqualValues(t, many+2, v["revision"])
}
