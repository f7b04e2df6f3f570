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
)

// BenchmarkLoad is 50 people with one office open, who listen and make an edit a second
// each, for some seconds, beside one person alone: how long until it is kept, and the
// memory of server and askers together. Run once: -benchtime 1x.
func BenchmarkLoad(b *testing.B) {
	for _, people := range []int{1, 50} {
		b.Run(fmt.Sprintf("people-%d", people), func(b *testing.B) {
			text, err := os.ReadFile("../demo/clinic.klm")
			require.NoError(b, err)
			d := openWith(b, string(text)+"\ndevice load switch\n  ports 1-64\n") // a port for each
			for b.Loop() {
				var mu sync.Mutex
				var took []time.Duration
				var w sync.WaitGroup
				stop := time.Now().Add(8 * time.Second)
				for p := range people {
					resp, err := http.Get(fmt.Sprintf("%s/api/offices/%d/events?tab=t%d", d.base, d.office, p))
					require.NoError(b, err)
					go func() { // listens
						buf := make([]byte, 64<<10)
						for {
							if _, err := resp.Body.Read(buf); err != nil {
								return
							}
						}
					}()
					defer resp.Body.Close()
					w.Go(func() {
						me := d
						me.name = fmt.Sprintf("person %d", p)
						_, now := me.ask("GET", "", "")
						base := now["revision"].(float64)
						port := fmt.Sprintf("load.%d", p+1)
						time.Sleep(time.Duration(p) * time.Second / time.Duration(people))
						for n := 0; time.Now().Before(stop); n++ {
							start := time.Now()
							status, v := me.ask("POST", "/edits", fmt.Sprintf(`{"base":%.0f,"commands":[{"member":{"vids":[130],"ports":[%q],"as":%q}}]}`, base, port, []string{"tagged", "none"}[n%2]))
							one := time.Since(start)
							if status == 200 {
								base = v["revision"].(float64)
								mu.Lock()
								took = append(took, one)
								mu.Unlock()
							} else if _, now := me.ask("GET", "", ""); now["revision"] != nil {
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
