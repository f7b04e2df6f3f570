package server_test

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/notices"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// hook is a webhook that can be down, and what it took.
type hook struct {
	*httptest.Server
	mu     sync.Mutex
	down   bool
	tried  int
	took   []string // what was said, in order
	ids    []string
	secret string
	wrong  []string
}

func newHook(t *testing.T) *hook {
	d := &hook{}
	d.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		d.mu.Lock()
		defer d.mu.Unlock()
		d.tried++
		if d.down {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		mac := hmac.New(sha256.New, []byte(d.secret))
		fmt.Fprintf(mac, "%s.%s.%s", r.Header.Get("webhook-id"), r.Header.Get("webhook-timestamp"), body)
		if r.Header.Get("webhook-signature") != "v1,"+base64.StdEncoding.EncodeToString(mac.Sum(nil)) {
			d.wrong = append(d.wrong, "the signature")
		}
		var event struct {
			ID   string
			Data struct{ Items []struct{ Said string } }
		}
		if json.Unmarshal(body, &event) != nil {
			d.wrong = append(d.wrong, string(body))
		}
		d.ids = append(d.ids, event.ID)
		for _, item := range event.Data.Items {
			d.took = append(d.took, item.Said)
		}
	}))
	t.Cleanup(d.Close)
	return d
}

func (d *hook) said() []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.took)
}

func (d *hook) set(change func()) {
	d.mu.Lock()
	defer d.mu.Unlock()
	change()
}

// outward is a server that speaks out of the house, and tries soon again.
func outward(t *testing.T, url string, key *secrets.Key) (base string, stop func()) {
	ctx, end := context.WithCancel(context.Background())
	st, err := store.Open(ctx, url)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	srv := server.New(ctx, st, slog.New(slog.DiscardHandler))
	srv.SpeakTo(server.Field{Key: key, Tick: 20 * time.Millisecond})
	srv.SpeakOut(server.Out{Pause: 20 * time.Millisecond, Tick: 20 * time.Millisecond, Senders: notices.Senders{Host: "here"}})
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	stop = sync.OnceFunc(func() {
		end()
		<-done
		st.Close()
	})
	t.Cleanup(stop)
	return "http://" + l.Addr().String(), stop
}

// alone is the clinic on a server that speaks out of the house, in a database of its own.
func alone(t *testing.T) (d desk, own string, key *secrets.Key, stop func()) {
	key, err := secrets.New(bytes.Repeat([]byte{7}, 32))
	require.NoError(t, err)
	own = clustertest.New(t, url)
	d = desk{t: t, name: "Robin"}
	d.base, stop = outward(t, own, key)
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("office", string(text))
	require.NoError(t, err)
	st, err := store.Open(t.Context(), own)
	require.NoError(t, err)
	defer st.Close()
	d.office, err = st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
	require.NoError(t, err)
	return d, own, key, stop
}

// TestNotices: an order that begins and ends is told, in order, once, signed; while the webhook is
// down nothing is lost, over another server on the same database too, and no request waits for it.
func TestNotices(t *testing.T) {
	d, own, key, stop := alone(t) // no other server sends, which would know no key
	hook := newHook(t)
	for _, bad := range []string{
		`{"way":"webhook","target":"ftp://x","kinds":["order"]}`, `{"way":"mail","target":"ida","kinds":["order"]}`, `{"way":"mail","target":"ida@clinic.example","kinds":[]}`,
		`{"way":"mail","target":"ida@clinic.example","kinds":["tea"]}`, `{"way":"pigeon","target":"roof","kinds":["order"]}`,
	} {
		status, v := d.ask("POST", "/notices", bad)
		require.Equal(t, 400, status, "%s %v", bad, v)
	}
	status, v := d.ask("POST", "/notices", fmt.Sprintf(`{"way":"webhook","target":%q,"kinds":["order"]}`, hook.URL))
	require.Equal(t, 200, status, v)
	hook.set(func() { hook.secret = v["secret"].(string) })
	id := v["to"].([]any)[0].(map[string]any)["id"]
	_, v = d.ask("GET", "/notices", "")
	require.Nil(t, v["secret"], "it is shown once")

	test := func() {
		status, v := d.ask("POST", "/notices/test", fmt.Sprintf(`{"id":%v}`, id))
		require.Equal(t, 200, status, v)
	}
	test()
	require.Eventually(t, func() bool { return len(hook.said()) == 1 }, 20*time.Second, 10*time.Millisecond)
	require.Contains(t, hook.said()[0], "A test, asked for by")

	// Down: it is tried, and an order is carried out meanwhile without waiting.
	hook.set(func() { hook.down, hook.tried = true, 0 })
	status, v = d.edit(1, `"lines":["rack 9: 120"]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/orders", `{"from":"revision","revision":1}`)
	require.Equal(t, 200, status, v)
	steps := len(v["order"].(map[string]any)["steps"].([]any))
	order := v["id"]
	for k := range steps {
		status, v := d.ask("PUT", "/orders/ticks", fmt.Sprintf(`{"order":%v,"step":%d,"on":true}`, order, k))
		require.Equal(t, 200, status, v)
	}
	require.Eventually(t, func() bool {
		_, v := d.ask("GET", "/notices", "")
		to := v["to"].([]any)[0].(map[string]any)
		return to["waiting"] == 2.0 && strings.Contains(fmt.Sprint(to["failed"]), "503")
	}, 20*time.Second, 20*time.Millisecond)
	require.Len(t, hook.said(), 1)

	// Another server takes over; the webhook is up again.
	stop()
	d.base, _ = outward(t, own, key)
	hook.set(func() { hook.down = false })
	require.Eventually(t, func() bool { return len(hook.said()) == 3 }, 20*time.Second, 20*time.Millisecond)
	require.Regexp(t, `The order to revision 2 began: .* did the first of \d+ steps`, hook.said()[1])
	require.Regexp(t, `The order to revision 2 ended`, hook.said()[2])
	test()
	require.Eventually(t, func() bool { return len(hook.said()) == 4 }, 20*time.Second, 20*time.Millisecond)
	hook.set(func() {
		require.Empty(t, hook.wrong)
		require.Len(t, slices.Compact(slices.Sorted(slices.Values(hook.ids))), len(hook.ids), "each message once")
	})
	status, v = d.ask("DELETE", fmt.Sprintf("/notices?notice=%v", id), "")
	require.Equal(t, 200, status, v)
	require.Empty(t, v["to"])
}

// TestNoticesByRole: who may not hear of an office any more, or not in that way, is not told, from
// the next message on; what he may hear goes on.
func TestNoticesByRole(t *testing.T) {
	h := newHouseOn(t, clustertest.New(t, url)) // no other server sends what is put down here
	h.srv.SpeakOut(server.Out{Pause: time.Hour, Tick: 20 * time.Millisecond})
	robin := h.first()
	here := h.offices[0]
	keeper := h.invites(robin, here, "keeper", "Keeper")
	// logs is a syslog server, and what it hears.
	logs := func(as []string) (said func() string) {
		t.Helper()
		conn, err := net.ListenPacket("udp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { conn.Close() })
		var mu sync.Mutex
		var text strings.Builder
		go func() {
			for buf := make([]byte, 4096); ; {
				n, _, err := conn.ReadFrom(buf)
				if err != nil {
					return
				}
				mu.Lock()
				text.Write(append(buf[:n:n], '\n'))
				mu.Unlock()
			}
		}()
		status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/notices", here), map[string]any{"way": "syslog", "target": "udp://" + conn.LocalAddr().String(), "kinds": []string{"drift", "backup"}}, as...)
		require.Equal(t, 200, status, v)
		return func() string {
			mu.Lock()
			defer mu.Unlock()
			return text.String()
		}
	}
	theirs, mine := logs(keeper), logs(robin)
	happens := func(kind, said string) {
		_, err := h.st.Notify(t.Context(), here, kind, said, 7)
		require.NoError(t, err)
	}
	happens("drift", "one")
	require.Eventually(t, func() bool { return strings.Contains(theirs(), "one") && strings.Contains(mine(), "one") }, 20*time.Second, 10*time.Millisecond)
	_, v, _ := h.ask("GET", fmt.Sprintf("/api/offices/%d/people", here), nil, robin...)
	var person any
	for _, one := range v["people"].([]any) {
		if one.(map[string]any)["name"] == "Keeper" {
			person = one.(map[string]any)["id"]
		}
	}
	status, v, _ := h.ask("PUT", fmt.Sprintf("/api/offices/%d/people", here), map[string]any{"person": person, "role": "reader"}, robin...)
	require.Equal(t, 200, status, v)
	happens("drift", "two")
	happens("backup", "three")
	require.Eventually(t, func() bool { return strings.Contains(mine(), "two") && strings.Contains(mine(), "three") }, 20*time.Second, 10*time.Millisecond)
	require.Eventually(t, func() bool {
		_, v, _ := h.ask("GET", fmt.Sprintf("/api/offices/%d/notices", here), nil, robin...)
		to := v["to"].([]any)[0].(map[string]any)
		return to["waiting"] == 0.0 && strings.Contains(fmt.Sprint(to["failed"]), "may not any more")
	}, 20*time.Second, 20*time.Millisecond)
	require.NotContains(t, theirs(), "two")
	require.NotContains(t, theirs(), "three")
}
