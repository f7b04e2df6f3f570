package server_test

import (
	"fmt"
	"net/http"
	"os"
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/proof"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// BenchmarkLoad is 50 people, signed in, with one office open, who listen and make an edit
// a second each, for some seconds, beside one person alone: how long until it is kept, and
// the memory of server and askers together. The last has 500 streams, ten a person. Run
// once: -benchtime 1x.
func BenchmarkLoad(b *testing.B) {
	for _, x := range []struct{ people, streams int }{{1, 1}, {50, 50}, {50, 500}} {
		b.Run(fmt.Sprintf("people-%d-streams-%d", x.people, x.streams), func(b *testing.B) {
			h := newHouse(b)
			text, err := os.ReadFile("../demo/clinic.klm")
			require.NoError(b, err)
			f, err := notation.Read("office", string(text)+"\ndevice load switch\n  ports 1-64\n") // a port for each
			require.NoError(b, err)
			id, err := h.st.Import(b.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
			require.NoError(b, err)
			office := fmt.Sprintf("/api/offices/%d", id)
			robin := h.first()
			var all [][]string
			for p := range x.people {
				all = append(all, h.invites(robin, id, "planner", fmt.Sprintf("Person %d", p)))
			}
			for b.Loop() {
				var mu sync.Mutex
				var took []time.Duration
				var w sync.WaitGroup
				for s := range x.streams {
					r, err := http.NewRequest("GET", fmt.Sprintf("%s%s/events?tab=t%d", h.base, office, s), nil)
					require.NoError(b, err)
					r.Header.Set(all[s%x.people][0], all[s%x.people][1])
					resp, err := http.DefaultClient.Do(r)
					require.NoError(b, err)
					require.Equal(b, 200, resp.StatusCode)
					defer resp.Body.Close()
					go func() { // listens
						buf := make([]byte, 8<<10)
						for {
							if _, err := resp.Body.Read(buf); err != nil {
								return
							}
						}
					}()
				}
				stop := time.Now().Add(8 * time.Second)
				for p, me := range all {
					w.Go(func() {
						_, now, _ := h.ask("GET", office, nil, me...)
						base := now["revision"].(float64)
						time.Sleep(time.Duration(p) * time.Second / time.Duration(x.people))
						for n := 0; time.Now().Before(stop); n++ {
							start := time.Now()
							member := map[string]any{"vids": []int{130}, "ports": []string{fmt.Sprintf("load.%d", p+1)}, "as": []string{"tagged", "none"}[n%2]}
							status, v, _ := h.ask("POST", office+"/edits", map[string]any{"base": base, "commands": []any{map[string]any{"member": member}}}, me...)
							one := time.Since(start)
							if status == 200 {
								base = v["revision"].(float64)
								mu.Lock()
								took = append(took, one)
								mu.Unlock()
							} else if _, now, _ := h.ask("GET", office, nil, me...); now["revision"] != nil {
								base = now["revision"].(float64)
							}
							time.Sleep(time.Second - one)
						}
					})
				}
				w.Wait()
				slices.Sort(took)
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				b.ReportMetric(float64(len(took)), "edits")
				b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-p50")
				b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "ms-p99")
				b.ReportMetric(float64(m.Sys>>20), "MB")
			}
		})
	}
}

// BenchmarkMany is a server with 200 offices of the clinic and a large one of thirty switches: how
// long until it lists them, what it holds before and after each was looked at once, and how long an
// edit in one takes while eight people go through all the others. Run once: -benchtime 1x.
func BenchmarkMany(b *testing.B) {
	const many = 200
	own := clustertest.New(b, url)
	h := newHouseOn(b, own)
	clinic, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(b, err)
	var ids []int64
	for i := range many + 1 {
		text := string(clinic)
		if i == many {
			text = proof.Large()
		}
		f, err := notation.Read("office", text)
		require.NoError(b, err)
		id, err := h.st.Import(b.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
		require.NoError(b, err)
		ids = append(ids, id)
	}
	held := func() float64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return float64(m.HeapAlloc) / (1 << 20)
	}
	for b.Loop() {
		before := held()
		start := time.Now()
		fresh := newHouseOn(b, own)
		robin := fresh.first()
		status, _, _ := fresh.ask("GET", "/api/offices", nil, robin...)
		require.Equal(b, 200, status)
		b.ReportMetric(float64(time.Since(start).Milliseconds()), "ms-start")
		b.ReportMetric(held()-before, "MB-start")
		one := fmt.Sprintf("/api/offices/%d", ids[0])
		edits := func(n int) (took []time.Duration) {
			_, now, _ := fresh.ask("GET", one, nil, robin...)
			base := now["revision"].(float64)
			for i := range n {
				start := time.Now()
				member := map[string]any{"vids": []int{130}, "ports": []string{"rack.23"}, "as": []string{"tagged", "none"}[i%2]}
				status, v, _ := fresh.ask("POST", one+"/edits", map[string]any{"base": base, "commands": []any{map[string]any{"member": member}}}, robin...)
				require.Equal(b, 200, status, v)
				took, base = append(took, time.Since(start)), v["revision"].(float64)
			}
			slices.Sort(took)
			return took
		}
		alone := edits(100)
		b.ReportMetric(float64(alone[98].Microseconds())/1000, "ms-p99-alone")
		var w sync.WaitGroup
		for p := range 8 {
			w.Go(func() {
				for i := p; i < len(ids); i += 8 {
					fresh.ask("GET", fmt.Sprintf("/api/offices/%d", ids[i]), nil, robin...)
				}
			})
		}
		beside := edits(100)
		w.Wait()
		b.ReportMetric(float64(beside[98].Microseconds())/1000, "ms-p99-beside")
		b.ReportMetric(held()-before, "MB-all")
	}
}
