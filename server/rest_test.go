package server_test

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// TestRest: offices that nobody looks at are let go of and read again when somebody does; one that
// somebody watches stays, and hears of edits. The memory of many goes with those in use.
func TestRest(t *testing.T) {
	many := 40
	if testing.Short() {
		many = 8
	}
	h := newHouseOn(t, clustertest.New(t, url))
	robin := h.first()
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("office", string(text))
	require.NoError(t, err)
	var all []int64
	for range many {
		id, err := h.st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
		require.NoError(t, err)
		all = append(all, id)
	}
	open := func() string {
		answer := httptest.NewRecorder()
		h.srv.Metrics().ServeHTTP(answer, httptest.NewRequest("GET", "/metrics", nil))
		return regexp.MustCompile(`(?m)^klammer_offices_open (\d+)`).FindStringSubmatch(answer.Body.String())[1]
	}
	heap := func() uint64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	before := heap()
	h.srv.RestAfter(time.Hour)
	for _, id := range all {
		status, v, _ := h.ask("GET", fmt.Sprintf("/api/offices/%d", id), nil, robin...)
		require.Equal(t, 200, status, v)
	}
	require.Equal(t, fmt.Sprint(many), open())
	used := heap()

	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	watched, other := all[0], all[1]
	req, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/offices/%d/events", h.base, watched), nil)
	require.NoError(t, err)
	req.Header.Set(robin[0], robin[1])
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	heard := make(chan string, 100)
	go func() {
		for lines := bufio.NewScanner(resp.Body); lines.Scan(); {
			heard <- lines.Text()
		}
	}()
	h.srv.RestAfter(0)
	require.Eventually(t, func() bool { return open() == "1" }, 30*time.Second, 50*time.Millisecond, "all but the one that is watched")
	after := heap()
	t.Logf("%d offices: %d kB each in memory, %d kB each when nobody looks", many, (used-before)/uint64(many)>>10, (max(after, before)-before)/uint64(many)>>10)
	require.Less(t, after, before+(used-before)/2)

	for _, id := range []int64{watched, other} { // and all goes on
		status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/edits", id), map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{"rack 9: 120"}}}}, robin...)
		require.Equal(t, 200, status, v)
		require.EqualValues(t, 2, v["revision"])
	}
	for end := time.After(20 * time.Second); ; {
		select {
		case line := <-heard:
			if regexp.MustCompile(`^data: .*"revision":2`).MatchString(line) {
				return
			}
		case <-end:
			require.Fail(t, "who watches did not hear of the edit")
		}
	}
}

// TestStopAtOnce: a server that is told to stop while it begins to listen ends, at whatever moment.
func TestStopAtOnce(t *testing.T) {
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	for k := range 400 {
		ctx, stop := context.WithCancel(t.Context())
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		srv := server.New(ctx, st, slog.New(slog.DiscardHandler))
		ended := make(chan error, 1)
		time.AfterFunc(time.Duration(k)*50*time.Microsecond, stop)
		if k%2 == 0 {
			stop()
		}
		go func() { ended <- srv.Serve(l) }()
		select {
		case err := <-ended:
			require.NoError(t, err)
		case <-time.After(20 * time.Second):
			require.Fail(t, "it listens on", "stopped after %d times 50 µs", k)
		}
		stop()
	}
}
