package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/backup"
	"klammer/core/notation"
	"klammer/proof/short"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster"
	"klammer/store/cluster/clustertest"
)

// TestStandby: four writers on two servers, on a database with a standby that has what is
// said to be kept. The first database is killed under them and the standby takes over:
// nothing that was acknowledged is lost, nothing is done twice, and everyone goes on.
func TestStandby(t *testing.T) {
	short.Skip(t)
	dir := func(name string) string {
		d, err := os.MkdirTemp("", "klammer-"+name+"-")
		require.NoError(t, err)
		require.NoError(t, os.Chmod(d, 0o755))
		t.Cleanup(func() { os.RemoveAll(d) })
		return d
	}
	first, err := cluster.Start(t.Context(), dir("first"))
	require.NoError(t, err)
	standby, err := clustertest.Standby(t.Context(), first, dir("standby"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = standby.Stop() })

	var bases []string
	for range 2 {
		ctx, stop := context.WithCancel(context.Background())
		st, err := store.Open(ctx, clustertest.Either(first, standby))
		require.NoError(t, err)
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		done := make(chan error, 1)
		go func() { done <- server.New(ctx, st, slog.New(slog.DiscardHandler)).Serve(l) }()
		t.Cleanup(func() { stop(); <-done; st.Close() })
		bases = append(bases, "http://"+l.Addr().String())
	}
	f, err := notation.Read("office", "device s switch\n  ports 1-8\n  1-8: 10\n")
	require.NoError(t, err)
	st, err := store.Open(t.Context(), clustertest.Either(first, standby))
	require.NoError(t, err)
	defer st.Close()
	id, err := st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
	require.NoError(t, err)

	const most = 25 // edits of each writer
	var acked sync.Map
	var asked, refused, before atomic.Int64
	write := func(w int) {
		name := fmt.Sprintf("writer-%d", w)
		base := int64(1)
		for n := range most {
			token := fmt.Sprintf("%s.%d", name, n)
			for again := false; ; again = true {
				d := desk{t: t, base: bases[(w+n)%2], office: id, name: name}
				body, _ := json.Marshal(map[string]any{
					"base": base, "id": token, "again": again, "commands": []any{map[string]any{"lines": []string{fmt.Sprintf("s %d: %d", w+1, 11+(n+1)%2)}}},
				})
				asked.Add(1)
				status, rev := d.tryEdit(string(body))
				if status == 200 {
					acked.Store(token, rev)
					base = rev
					if before.Load() == 0 {
						clustertest.Pace(t, 5*time.Millisecond)
					}
					break
				}
				refused.Add(1)
				if !clustertest.Pace(t, 100*time.Millisecond) {
					return
				}
			}
		}
	}
	var writers sync.WaitGroup
	for w := range 4 {
		writers.Go(func() { write(w) })
	}
	require.Eventually(t, func() bool { // under edits
		count := 0
		acked.Range(func(any, any) bool { count++; return true })
		return count >= 30
	}, time.Minute, 5*time.Millisecond)
	acked.Range(func(any, any) bool { before.Add(1); return true })
	require.NoError(t, clustertest.Kill(first))
	killed := time.Now()
	require.NoError(t, clustertest.Promote(t.Context(), standby))
	promoted := time.Since(killed)
	writers.Wait()
	on := time.Since(killed)

	there := map[string]int64{}
	d := desk{t: t, base: bases[0], office: id, name: "Robin"}
	for at := int64(0); ; {
		resp, err := http.Get(fmt.Sprintf("%s/api/offices/%d/history?before=%d", bases[0], id, at))
		require.NoError(t, err)
		var page []struct {
			Revision int64
			ID       string
		}
		require.NoError(t, json.NewDecoder(resp.Body).Decode(&page))
		resp.Body.Close()
		for _, e := range page {
			if e.ID != "" {
				_, twice := there[e.ID]
				require.False(t, twice, "%s was done twice", e.ID)
				there[e.ID] = e.Revision
			}
			at = e.Revision
		}
		if len(page) == 0 || at <= 1 {
			break
		}
	}
	count := 0
	acked.Range(func(token, _ any) bool {
		require.Contains(t, there, token, "it was acknowledged")
		count++
		return true
	})
	require.Equal(t, 4*most, count)
	_, v := d.ask("GET", "", "")
	require.EqualValues(t, 4*most+1, v["revision"])
	// A backup by the same address goes to the one that took over.
	about, err := backup.Write(t.Context(), clustertest.Either(first, standby), filepath.Join(t.TempDir(), "after.backup"))
	require.NoError(t, err)
	require.NotEmpty(t, about.Rows["office"])
	t.Logf("%d acknowledged before the kill, %d in all, none lost; %d asked, %d refused meanwhile; promoted after %s, everyone done after %s", before.Load(), count, asked.Load(), refused.Load(), promoted.Round(time.Millisecond), on.Round(time.Millisecond))
}

// tryEdit edits, whatever becomes of it.
func (d desk) tryEdit(body string) (int, int64) {
	req, err := http.NewRequest("POST", fmt.Sprintf("%s/api/offices/%d/edits", d.base, d.office), strings.NewReader(body))
	if err != nil {
		return 0, 0
	}
	req.Header.Set("Content-Type", "application/json")
	req.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
	client := http.Client{Timeout: 20 * time.Second}
	resp, err := client.Do(req)
	if err != nil {
		return 0, 0
	}
	defer resp.Body.Close()
	var v struct{ Revision int64 }
	text, _ := io.ReadAll(resp.Body)
	if json.Unmarshal(text, &v) != nil {
		return 0, 0
	}
	return resp.StatusCode, v.Revision
}
