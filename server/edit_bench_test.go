package server_test

import (
	"fmt"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof"
)

// BenchmarkEdit is an edit over HTTP with the database, the words beside the board
// in its answer: the time to it, and the CPU of the server and of who asks.
func BenchmarkEdit(b *testing.B) {
	for _, row := range []struct {
		name, text, port string
		found            bool
	}{{"clinic", "", "rack.19", false}, {"clinic-found", "", "rack.19", true}, {"faulty", proof.Faulty(), "d7.5", false}, {"faulty-found", proof.Faulty(), "d7.5", true}} {
		b.Run(row.name, func(b *testing.B) {
			d := open(b)
			if row.text != "" {
				d = openWith(b, row.text)
			}
			device, port, _ := strings.Cut(row.port, ".")
			if row.found {
				status, answer := d.ask("POST", "/found", fmt.Sprintf(`{"device":%q,"text":"%s: 101","base":"plan","keep":true}`, device, port))
				require.Equal(b, 200, status, "%v", answer)
			}
			_, now := d.ask("GET", "", "")
			var took []time.Duration
			cpu := used()
			revision := int(now["revision"].(float64))
			for i := 0; b.Loop(); i++ {
				as := []string{"tagged", "none"}[i%2]
				start := time.Now()
				status, answer := d.ask(
					"POST",
					"/edits",
					fmt.Sprintf(`{"base":%d,"commands":[{"member":{"vids":[120],"ports":[%q],"as":%q}}],"look":{"ports":[%q],"vlan":120}}`, revision, row.port, as, row.port),
				)
				took = append(took, time.Since(start))
				require.Equal(b, 200, status, "%v", answer)
				revision = int(answer["revision"].(float64))
			}
			slices.Sort(took)
			b.ReportMetric(float64(len(now["findings"].([]any))), "findings")
			b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-p50")
			b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "ms-p99")
			b.ReportMetric((used()-cpu).Seconds()*1000/float64(len(took)), "cpu-ms/edit")
		})
	}
}

func used() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
