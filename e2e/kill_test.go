package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"klammer/proof/replay"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/e2e/stage"
	"klammer/proof/short"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// editor edits over HTTP as a page does: each request has a name of its own and
// is asked again under it until somebody knows what became of it.
type editor struct {
	name string
	t    testing.TB
	url  *atomic.Pointer[string]
	rand *rand.Rand
	rev  int64            // the revision that it knows
	mine []int64          // of its edits
	kept map[string]int64 // names of requests that were acknowledged, and their revisions; 0 where it was asked again
	no   int              // refused with reasons
	lost int              // asked again
}

func (e *editor) write(path, id string, body map[string]any) (revision int64, ok bool, err error) {
	again := false
	for {
		body["id"], body["again"] = id, again
		text, _ := json.Marshal(body)
		r, err := http.NewRequest("POST", *e.url.Load()+"/api/offices/1/"+path, bytes.NewReader(text))
		if err != nil {
			return 0, false, err
		}
		r.Header.Set("Content-Type", "application/json")
		r.AddCookie(&http.Cookie{Name: "klammer_name", Value: e.name})
		answer, err := http.DefaultClient.Do(r)
		if err != nil {
			again = true
			e.lost++
			clustertest.Pace(e.t, 20*time.Millisecond)
			continue
		}
		var v struct {
			Revision int64
			Error    string
			Unsure   bool
		}
		err = json.NewDecoder(answer.Body).Decode(&v)
		_ = answer.Body.Close()
		switch {
		case err != nil || v.Unsure || answer.StatusCode == 503:
			again = true
			e.lost++
			clustertest.Pace(e.t, 20*time.Millisecond)
			continue
		case answer.StatusCode >= 500 || v.Error == "" && answer.StatusCode >= 300:
			return 0, false, fmt.Errorf("%s: %d %s", text, answer.StatusCode, v.Error)
		case answer.StatusCode >= 300:
			e.no++
			return 0, false, nil
		}
		e.rev = max(e.rev, v.Revision)
		if again {
			v.Revision = 0
		}
		return v.Revision, true, nil
	}
}

// step makes one edit, takes one of its own back, or restores a revision.
func (e *editor) step(n int) error {
	id := fmt.Sprintf("%s.%d", e.name, n)
	device := func() string { return fmt.Sprintf("k%d", e.rand.IntN(6)) }
	port := func() int { return 1 + e.rand.IntN(4) }
	switch what := e.rand.IntN(100); {
	case what < 2:
		_, _, err := e.write("restore", id, map[string]any{"revision": max(1, e.rev-int64(e.rand.IntN(30)))})
		return err
	case what < 25 && len(e.mine) > 0:
		i := len(e.mine) - 1 - e.rand.IntN(min(4, len(e.mine)))
		rev, ok, err := e.write("undo", id, map[string]any{"revision": e.mine[i]})
		e.mine = slices.Delete(e.mine, i, i+1)
		if ok {
			e.kept[id] = rev
		}
		return err
	}
	line := []string{
		fmt.Sprintf(`rack %d: 110 because %q`, 1+e.rand.IntN(12), id),
		fmt.Sprintf(`vlan %d v%d %q`, 300+e.rand.IntN(5), 300+e.rand.IntN(5), id),
		fmt.Sprintf(`plug rack.%d %q wants 110`, 1+e.rand.IntN(12), id),
		fmt.Sprintf(`device %s switch; ports 1-4; 1: 110`, device()),
		fmt.Sprintf(`-device %s`, device()),
		fmt.Sprintf(`cable %s.%d %s.%d`, device(), port(), device(), port()),
		fmt.Sprintf(`%s %d: 110 [120] because %q`, device(), port(), id),
		fmt.Sprintf(`plan q%d; 1-2: 110; last: %d`, e.rand.IntN(4), 110+10*e.rand.IntN(5)),
		fmt.Sprintf(`-plan q%d`, e.rand.IntN(4)),
		fmt.Sprintf(`%s follows q%d`, device(), e.rand.IntN(4)),
	}[e.rand.IntN(10)]
	base := max(1, e.rev-int64(e.rand.IntN(3)))
	rev, ok, err := e.write("edits", id, map[string]any{"base": base, "commands": []any{map[string]any{"lines": []string{line}}}})
	if ok && rev > 0 {
		e.mine = append(e.mine, rev)
	}
	if ok && strings.Contains(line, id) { // others may change nothing, and are no edit then
		e.kept[id] = rev
	}
	return err
}

// TestKilledAndKilled kills the server in the middle of two editors' streams:
// what was acknowledged is there once, the history replayed is the office kept,
// content and order, and every look at the past is the replay to there. With
// KLAMMER_PROVE=1 each makes 3,000 edits.
func TestKilledAndKilled(t *testing.T) {
	short.Skip(t)
	edits, between := 120, 150
	if os.Getenv("KLAMMER_PROVE") != "" {
		edits, between = 3000, 200
	}
	own := clustertest.New(t, url)
	p, err := stage.StartOn(own, folder(t), stage.Plain)
	require.NoError(t, err)
	var at atomic.Pointer[string]
	at.Store(&p.URL)

	var done sync.WaitGroup
	var failed atomic.Pointer[error]
	editors := []*editor{{name: "ada"}, {name: "ben"}}
	for i, e := range editors {
		e.t, e.url, e.rand, e.rev, e.kept = t, &at, rand.New(rand.NewPCG(8, uint64(i))), 1, map[string]int64{}
		done.Go(func() {
			for n := range edits {
				if err := e.step(n); err != nil {
					failed.Store(&err)
					return
				}
			}
		})
	}
	over := make(chan struct{})
	go func() { done.Wait(); close(over) }()
	kills := 0
	chance := rand.New(rand.NewPCG(9, 9))
	for running := true; running; {
		select {
		case <-over:
			running = false
		case <-time.After(time.Duration(20+chance.IntN(between)) * time.Millisecond):
			p.Kill()
			kills++
			p, err = p.Again()
			require.NoError(t, err)
			at.Store(&p.URL)
		}
	}
	defer func() { _ = p.Stop() }()
	if e := failed.Load(); e != nil {
		require.NoError(t, *e)
	}

	s, err := store.Open(t.Context(), own)
	require.NoError(t, err)
	defer s.Close()
	made, err := s.History(t.Context(), 1, 0, 1_000_000)
	require.NoError(t, err)
	revision := map[string]int64{}
	for _, m := range made {
		if m.Token != "" {
			require.Zero(t, revision[m.Token], "%s was made twice", m.Token)
			revision[m.Token] = m.Revision
		}
	}
	for _, e := range editors {
		for id, rev := range e.kept {
			if revision[id] == 0 || rev != 0 && revision[id] != rev {
				require.Failf(t, "acknowledged and not there", "%s at %d is at %d", id, rev, revision[id])
			}
		}
		t.Logf("%s: %d acknowledged, %d refused, %d asked again", e.name, len(e.kept), e.no, e.lost)
	}
	kept, rev, err := s.Load(t.Context(), 1)
	require.NoError(t, err)
	require.Equal(t, made[0].Revision, rev)
	list := store.Edits(made)
	slices.Reverse(list)
	again, err := replay.Replay(&office.Office{}, list)
	require.NoError(t, err)
	require.Equal(t, notation.Print(kept), notation.Print(again), "replayed")
	for range 25 {
		n := 1 + chance.IntN(len(list))
		was, err := replay.Replay(&office.Office{}, list[:n])
		require.NoError(t, err)
		since := slices.Clone(list[n:])
		slices.Reverse(since)
		past, err := history.Past(kept, since)
		require.NoError(t, err)
		require.Equal(t, notation.Print(was), notation.Print(past), "the past at %d", list[n-1].Revision)
	}
	t.Logf("%d revisions, %d kills", rev, kills)
}

// TestEndsSoon: told to end, the program ends within 10 s, whoever listens, sends slowly or
// has an edit on its way; what it said is kept, and what it did not say is not.
func TestEndsSoon(t *testing.T) {
	short.Skip(t)
	p, err := stage.Start(folder(t), stage.Plain)
	require.NoError(t, err)
	var ended sync.WaitGroup
	for range 20 {
		answer, err := http.Get(p.URL + "/api/offices/1/events")
		require.NoError(t, err)
		defer answer.Body.Close()
		ended.Go(func() { _, _ = io.Copy(io.Discard, answer.Body) })
	}
	slow, err := net.Dial("tcp", strings.TrimPrefix(p.URL, "http://"))
	require.NoError(t, err)
	defer slow.Close()
	fmt.Fprintf(slow, "POST /api/offices/1/edits HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 4000\r\n\r\n{")
	said := make(chan int64, 1000)
	stop := make(chan struct{})
	var writer sync.WaitGroup
	writer.Go(func() {
		client := http.Client{Timeout: 5 * time.Second}
		for n := 0; ; n++ {
			body := fmt.Sprintf(`{"base":%d,"commands":[{"lines":["rack 1: %d"]}]}`, n+1, 110+10*(n%2+1))
			r, _ := http.NewRequest("POST", p.URL+"/api/offices/1/edits", strings.NewReader(body))
			r.Header.Set("Content-Type", "application/json")
			r.AddCookie(&http.Cookie{Name: "klammer_name", Value: "Robin"})
			answer, err := client.Do(r)
			if err != nil {
				return
			}
			var v struct{ Revision int64 }
			err = json.NewDecoder(answer.Body).Decode(&v)
			answer.Body.Close()
			if err != nil || answer.StatusCode != 200 {
				return
			}
			said <- v.Revision
			if n == 10 {
				close(stop)
			}
		}
	})
	<-stop
	start := time.Now()
	require.NoError(t, p.Stop())
	took := time.Since(start)
	require.Less(t, took, 10*time.Second)
	ended.Wait() // whoever listened was told, by the end of the stream
	writer.Wait()
	close(said)
	last := int64(0)
	for n := range said {
		last = n
	}
	again, err := p.Again()
	require.NoError(t, err)
	defer func() { _ = again.Stop() }()
	answer, err := http.Get(again.URL + "/api/offices/1")
	require.NoError(t, err)
	defer answer.Body.Close()
	var v struct{ Revision int64 }
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&v))
	require.Contains(t, []int64{last, last + 1}, v.Revision) // one may have been kept whose answer was cut off
	t.Logf("ended after %s", took.Round(time.Millisecond))
}
