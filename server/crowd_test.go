package server_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
	"klammer/server"
	"klammer/store/cluster/clustertest"
)

// TestCrowd: one of many who asks for 10,000 event streams has the places of one, whoever
// is nobody has none, and all the others go on meanwhile, and have theirs.
func TestCrowd(t *testing.T) {
	short.Skip(t)
	h := newHouse(t)
	robin := h.first()
	reads := h.invites(robin, h.offices[0], "reader", "Reader")
	edit := fmt.Sprintf("/api/offices/%d/edits", h.offices[0])
	events := fmt.Sprintf("%s/api/offices/%d/events", h.base, h.offices[0])
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 100}}
	defer client.CloseIdleConnections()
	ask := func(header ...string) *http.Response {
		r, err := http.NewRequest("GET", events, nil)
		require.NoError(t, err)
		if len(header) > 0 {
			r.Header.Set(header[0], header[1])
		}
		resp, err := client.Do(r)
		require.NoError(t, err)
		return resp
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)

	var mu sync.Mutex
	var open []io.Closer
	defer func() {
		for _, c := range open {
			c.Close()
		}
	}()
	answers := map[int]int{}
	var next atomic.Int64
	var w sync.WaitGroup
	for range 50 {
		w.Go(func() {
			for n := next.Add(1); n <= 10_000; n = next.Add(1) {
				who := reads
				if n%10 == 0 {
					who = nil
				}
				resp := ask(who...)
				mu.Lock()
				answers[resp.StatusCode]++
				if resp.StatusCode == 200 {
					open = append(open, resp.Body)
				}
				mu.Unlock()
				if resp.StatusCode != 200 {
					var v map[string]any
					_ = json.NewDecoder(resp.Body).Decode(&v)
					if resp.StatusCode == 429 && !strings.Contains(fmt.Sprint(v["error"]), "50 pages of yours") {
						t.Errorf("the refusal names its limit: %v", v)
					}
					resp.Body.Close()
				}
			}
		})
	}
	revision := 1
	for next.Load() < 9_000 { // the others go on
		status, v, _ := h.ask("POST", edit, map[string]any{"base": revision, "commands": []any{map[string]any{"lines": []string{fmt.Sprintf("s 1: %d", 20+10*(revision%2))}}}}, robin...)
		require.Equal(t, 200, status, v)
		revision++
	}
	w.Wait()
	require.Greater(t, revision, 3)
	require.Equal(t, map[int]int{200: 50, 429: 8_950, 401: 1_000}, answers)
	resp := ask(robin...)
	require.Equal(t, 200, resp.StatusCode)
	resp.Body.Close()
	runtime.GC()
	runtime.ReadMemStats(&after)
	require.Less(t, int64(after.HeapInuse)-int64(before.HeapInuse), int64(64<<20))

	// One that is closed makes room for another, as soon as the server notices.
	open[0].Close()
	require.Eventually(t, func() bool {
		resp := ask(reads...)
		defer resp.Body.Close()
		return resp.StatusCode == 200
	}, 10*time.Second, 50*time.Millisecond)
	t.Logf("10,000 asked for, %d edits of another meanwhile", revision-1)
}

// TestSlow: who sends a body, or a head, a letter at a time, and who listens and does not
// read, is let go when the server's patience ends; others are served meanwhile.
func TestSlow(t *testing.T) {
	short.Skip(t)
	h := newHouse(t, server.Access{Patience: time.Second})
	robin := h.first()
	edit := fmt.Sprintf("/api/offices/%d/edits", h.offices[0])
	drip := func(head string) <-chan time.Duration {
		c, err := net.Dial("tcp", strings.TrimPrefix(h.base, "http://"))
		require.NoError(t, err)
		t.Cleanup(func() { c.Close() })
		ended, start := make(chan time.Duration, 1), time.Now()
		go func() { // answered, or closed
			_, _ = bufio.NewReader(c).ReadByte()
			ended <- time.Since(start)
		}()
		go func() {
			_, err := io.WriteString(c, head)
			for err == nil && clustertest.Pace(t, 20*time.Millisecond) {
				_, err = c.Write([]byte(" "))
			}
		}()
		return ended
	}
	var all []<-chan time.Duration
	for range 30 {
		all = append(all, drip("POST "+edit+" HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"+robin[0]+": "+robin[1]+"\r\nContent-Length: 4000000\r\n\r\n"),
			drip("POST "+edit+" HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n"+robin[0]+": "+robin[1]+"\r\n\r\nfff\r\n"),
			drip("GET /api/offices HTTP/1.1\r\nHost: 127.0.0.1\r\nX: "))
	}
	status, v, _ := h.ask("POST", edit, map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{"s 1: 20"}}}}, robin...)
	require.Equal(t, 200, status, v)
	for _, ended := range all {
		select {
		case took := <-ended:
			require.Greater(t, took, 500*time.Millisecond, "it was not refused for another reason")
		case <-time.After(15 * time.Second):
			require.Fail(t, "somebody who is slow holds a connection")
		}
	}

	// Who listens and does not read.
	streams := func() (n int) {
		w := httptest.NewRecorder()
		h.srv.Metrics().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
		for line := range strings.Lines(w.Body.String()) {
			if text, ok := strings.CutPrefix(line, "klammer_streams "); ok {
				n, _ = strconv.Atoi(strings.TrimSpace(text))
			}
		}
		return n
	}
	c, err := net.Dial("tcp", strings.TrimPrefix(h.base, "http://"))
	require.NoError(t, err)
	defer c.Close()
	require.NoError(t, c.(*net.TCPConn).SetReadBuffer(1024))
	fmt.Fprintf(c, "GET /api/offices/%d/events HTTP/1.1\r\nHost: 127.0.0.1\r\n%s: %s\r\n\r\n", h.offices[0], robin[0], robin[1])
	require.Eventually(t, func() bool { return streams() == 1 }, 10*time.Second, 10*time.Millisecond)
	for revision := 2; streams() > 0; revision++ {
		require.Less(t, revision, 400, "somebody who does not read is told for ever")
		lines := fmt.Sprintf("device d%d switch\n  ports 1-400", revision) // told at length
		status, v, _ := h.ask("POST", edit, map[string]any{"base": revision, "commands": []any{map[string]any{"lines": []string{lines}}}}, robin...)
		require.Contains(t, []int{200, 422}, status, v)
		if status == 422 {
			clustertest.Pace(t, 100*time.Millisecond)
			revision--
		}
	}
}

// TestUploads: a workbook that is small and unpacks to much is refused by whoever sends it,
// with the limit; twenty at once cost turns and not the server; what is no workbook, or
// larger than a request may be, says so. None of it becomes an office.
func TestUploads(t *testing.T) {
	short.Skip(t)
	h := newHouse(t)
	robin := h.first()
	packed := func(part string, n int) string {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for _, name := range []string{"[Content_Types].xml", "xl/workbook.xml", part} {
			w, err := z.Create(name)
			require.NoError(t, err)
			if name == part {
				zeros := make([]byte, 1<<20)
				for range n {
					_, _ = w.Write(zeros)
				}
			}
		}
		require.NoError(t, z.Close())
		return base64.StdEncoding.EncodeToString(b.Bytes())
	}
	book := packed("xl/worksheets/sheet1.xml", 900)
	require.Less(t, len(book), 3<<20)
	for _, x := range []struct {
		name, book, says string
		status           int
	}{
		{"a part of 900 MB", book, "too large: at most 24 MB", 400},
		{"a part with a path out of the book", packed("../../etc/passwd", 1), "no workbook", 400},
		{"no packed file", base64.StdEncoding.EncodeToString([]byte("PK\x03\x04 and nothing more")), "no workbook", 400},
		{"no base64", "<img src=x>", "base64", 400},
		{"more than a request", strings.Repeat("A", 5<<20), "more than 4 MB", 413},
	} {
		status, v, _ := h.ask("POST", "/api/intake", map[string]any{"name": "x.xlsx", "book": x.book, "take": true}, robin...)
		require.Equal(t, x.status, status, "%s: %v", x.name, v)
		require.Contains(t, v["error"], x.says, x.name)
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var w sync.WaitGroup
	for range 20 {
		w.Go(func() {
			if status, v, _ := h.ask("POST", "/api/intake", map[string]any{"name": "x.xlsx", "book": book}, robin...); status != 400 && status != 503 {
				t.Errorf("%d %v", status, v)
			}
		})
	}
	w.Wait()
	runtime.ReadMemStats(&after)
	require.Less(t, int64(after.Sys)-int64(before.Sys), int64(400<<20))
	_, v, _ := h.ask("GET", "/api/offices", nil, robin...)
	for _, o := range v["list"].([]any) {
		require.NotContains(t, fmt.Sprint(o), "x.xlsx")
	}
}

// TestCold has 300 ask at once for an office that nobody had open: it is read once, and each is
// answered.
func TestCold(t *testing.T) {
	short.Skip(t)
	var b strings.Builder
	b.WriteString("vlan 10 a\n")
	for k := range 200 {
		fmt.Fprintf(&b, "device d%d switch\n  ports 1-48\n  1-47: 10\n  48: [2-500]\n", k)
	}
	d := openWith(t, b.String())
	var w sync.WaitGroup
	got := make([]int, 300)
	for k := range got {
		w.Go(func() { got[k], _ = d.ask("GET", "/explain?ports=d1.1", "") })
	}
	w.Wait()
	for _, status := range got {
		require.Equal(t, 200, status)
	}
}

// TestComma: a name may have whatever can be read, in every request.
func TestComma(t *testing.T) {
	d := openWith(t, "vlan 10 a\ndevice ap wap\n  ports 1\n  1: [10]\n  inner \"Tea, coffee\" ssid: 10\n")
	for _, q := range []string{"ports=ap.Tea%2C+coffee", "ports=ap.1&ports=ap.Tea%2C+coffee", "ports=ap.1,ap.1"} {
		status, v := d.ask("GET", "/explain?"+q, "")
		require.Equal(t, 200, status, v)
		require.Equal(t, strings.Contains(q, "Tea"), strings.Contains(fmt.Sprint(v), "Tea, coffee"), v)
	}
}
