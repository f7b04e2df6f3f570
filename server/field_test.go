package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/field/standin"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
)

const small = `vlan 10 staff
vlan 20 guests
vlan 190 devices
device a switch
  ports 1-8
  wording by-vlan pvid-apart
  manage 190 10.0.190.2
  1: 10
  2: 20
  3: 190
  8: 190 [10 20]
device b switch
  ports 1-8
  wording by-port
  manage 190 10.0.190.3
  1: 10
  2: 20
  8: 190 [10 20]
cable a.8 b.8
plug a.1 "pc" wants 10 card 02:00:00:00:00:0a
plug a.3 "laptop" wants 190 operator
`

// played is a desk at a server whose office stand-ins play, as asIs says.
func played(t *testing.T, plan, asIs string) (desk, *standin.Network) {
	all, w := playedBy(t, 1, server.Field{}, plan, asIs)
	return all[0], w
}

// playedBy is desks at several servers on one database.
func playedBy(t *testing.T, servers int, to server.Field, plan, asIs string) (all []desk, w *standin.Network) {
	read := func(text string) *notation.File {
		f, err := notation.Read("office", text)
		require.NoError(t, err)
		return f
	}
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	d := desk{t: t, name: "Robin"}
	d.office, err = st.Import(t.Context(), read(plan).Office, store.Note{Author: "klammer", Summary: "first"})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	w, at, err := standin.Start(ctx, read(plan).Office, read(asIs).Office, 0, standin.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { stop(); w.Wait(); st.Close() })
	where := map[string]string{}
	for _, l := range at {
		where[l.Device] = l.At
	}
	to.Key, err = secrets.Load(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	to.At = map[int64]map[string]string{d.office: where}
	for range servers {
		srv := server.New(ctx, st, slog.New(slog.DiscardHandler))
		srv.SpeakTo(to)
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		ended := make(chan struct{})
		go func() { _ = srv.Serve(l); close(ended) }()
		t.Cleanup(func() { stop(); <-ended })
		d.base, d.srv = "http://"+l.Addr().String(), srv
		all = append(all, d)
	}
	return all, w
}

// until asks until something is so.
func (d desk) until(path string, so func(map[string]any) bool) (v map[string]any) {
	require.Eventually(d.t, func() bool {
		_, v = d.ask("GET", path, "")
		return so(v)
	}, 20*time.Second, 10*time.Millisecond)
	return v
}

func idle(v map[string]any) bool { return v["running"] == nil }

// TestReadAndCarry: devices are read, what drifted is said, an order from what was
// found is carried out by the devices, and they are read as planned.
func TestReadAndCarry(t *testing.T) {
	was := strings.Replace(small, "  2: 20\n  3: 190\n  8: 190 [10 20]", "  2: 10\n  3: 190\n  8: 190 [10]", 1)
	d, w := played(t, small, was)
	status, v := d.ask("POST", "/readings", `{"devices":[]}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 2, v["running"].(map[string]any)["of"])
	v = d.until("/readings", idle)
	text := fmt.Sprint(v)
	require.Contains(t, text, "neighbours:[map[device:b port:8 remote_port:8]]")
	require.Contains(t, text, "mac:02:00:00:00:00:0a name:pc port:1")
	require.Contains(t, text, "a 2 is 10, and was 20")
	require.Empty(t, v["findings"])
	since := v["cards"].([]any)[0].(map[string]any)["since"]
	_, v = d.ask("GET", "/found", "")
	require.Equal(t, map[string]any{"a.2": "10", "a.8": "190 [10]"}, v["ports"])

	// Read again: nothing new is found, and the card is there since then.
	before := w.Requests("a")
	status, _ = d.ask("POST", "/readings", `{"devices":["a"]}`)
	require.Equal(t, 200, status)
	v = d.until("/readings", idle)
	require.Greater(t, w.Requests("a"), before)
	require.Equal(t, since, v["cards"].([]any)[0].(map[string]any)["since"])
	require.Len(t, v["drift"], 2)
	_, sheet := d.ask("GET", "/sheet?device=a", "")
	require.Empty(t, sheet["before"], "what is the same is kept once")

	// The order is carried out visit by visit.
	status, order := d.order(map[string]any{"from": "found"})
	require.Equal(t, 200, status, order)
	steps := order["order"].(map[string]any)["steps"].([]any)
	status, v = d.ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":7}`, order["id"]))
	require.Equal(t, 400, status, v)
	asked := fmt.Sprint(w.Requests("a"))
	status, v = d.ask("POST", "/orders/rehearsal", fmt.Sprintf(`{"order":%v,"visit":%v}`, order["id"], steps[0].(map[string]any)["visit"]))
	require.Equal(t, 200, status, v)
	writes := 0
	for _, x := range v["steps"].([]any) {
		require.Nil(t, x.(map[string]any)["wrong"], x)
		writes += len(x.(map[string]any)["writes"].([]any))
	}
	require.NotZero(t, writes, "a rehearsal lists what would be written: %v", v)
	require.NotEqual(t, asked, fmt.Sprint(w.Requests("a")), "it reads")
	status, v = d.ask("POST", "/orders/rehearsal", fmt.Sprintf(`{"order":%v,"visit":7}`, order["id"]))
	require.Equal(t, 400, status, v)
	for done := 0; done < len(steps); { // and nothing of it was sent: all is as it was foretold
		status, v = d.ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":%v}`, order["id"], steps[done].(map[string]any)["visit"]))
		require.Equal(t, 200, status, v)
		v = d.until("/orders", func(v map[string]any) bool { return v["carry"].(map[string]any)["running"] == false })
		require.Equal(t, "done", v["carry"].(map[string]any)["ended"], v["carry"])
		done = len(v["ticks"].([]any))
	}
	require.NoError(t, w.PowerCut("a")) // it was saved
	_, _ = d.ask("POST", "/readings", `{"devices":[]}`)
	v = d.until("/readings", idle)
	require.Len(t, v["drift"], 2, "what the order did is no drift: %v", v["drift"])
	_, v = d.ask("GET", "/found", "")
	require.Empty(t, v["ports"])

	// Somebody was there: what is carried out stops at what was not foretold.
	d.lines("a 4: 10")
	status, order = d.order(map[string]any{"from": "here"})
	require.Equal(t, 200, status, order)
	require.NoError(t, w.Set("a", "4", "20"))
	_, _ = d.ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":0}`, order["id"]))
	v = d.until("/orders", func(v map[string]any) bool { return v["carry"].(map[string]any)["running"] == false })
	require.Equal(t, "otherwise", v["carry"].(map[string]any)["ended"])
	require.Contains(t, v["carry"].(map[string]any)["text"], "a is not as foretold before the step: port 4 is 20, and not -")
	require.Empty(t, v["ticks"])

	// It is taken back to what was foretold, as the device is asked to; then the step goes on.
	_, _ = d.ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":0,"back":true}`, order["id"]))
	v = d.until("/orders", func(v map[string]any) bool { return v["carry"].(map[string]any)["running"] == false })
	require.Equal(t, "stopped", v["carry"].(map[string]any)["ended"], v["carry"])
	require.Empty(t, v["ticks"])
	_, _ = d.ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":0}`, order["id"]))
	v = d.until("/orders", func(v map[string]any) bool { return v["carry"].(map[string]any)["running"] == false })
	require.Equal(t, "done", v["carry"].(map[string]any)["ended"], v["carry"])
	require.NotEmpty(t, v["ticks"])
}

// TestOneCarries: however many ask, of whichever order and whichever server, one at a time sets
// the devices of an office; and who may no longer has nothing done on.
func TestOneCarries(t *testing.T) {
	was := strings.Replace(small, "  2: 20\n  3: 190\n  8: 190 [10 20]", "  2: 10\n  3: 190\n  8: 190 [10]", 1)
	both, w := playedBy(t, 2, server.Field{Tick: time.Hour}, small, was)
	_, _ = both[0].ask("POST", "/readings", `{"devices":[]}`)
	both[0].until("/readings", idle)
	status, o := both[0].order(map[string]any{"from": "found"})
	require.Equal(t, 200, status, o)
	all := len(o["order"].(map[string]any)["steps"].([]any))
	for done, rounds := 0, 0; done < all; rounds++ {
		require.Less(t, rounds, 20, "%v", o["carry"])
		visit := o["order"].(map[string]any)["steps"].([]any)[done].(map[string]any)["visit"]
		var g sync.WaitGroup
		var began, made atomic.Int64
		w.Slow(30 * time.Millisecond)
		for k := range 12 {
			g.Go(func() {
				if k%4 == 3 && rounds < 8 { // and somebody makes another order meanwhile; at last nobody does
					if status, v := both[k%2].order(map[string]any{"from": "found"}); status == 200 {
						made.Add(1)
					} else {
						require.Contains(t, []int{409, 400}, status, v)
					}
					return
				}
				status, v := both[k%2].ask("POST", "/orders/carry", fmt.Sprintf(`{"order":%v,"visit":%v}`, o["id"], visit))
				require.Contains(t, []int{200, 409}, status, v)
				if status == 200 {
					began.Add(1)
				}
			})
		}
		g.Wait()
		w.Slow(0)
		require.LessOrEqual(t, began.Load(), int64(1), "one begins")
		both[0].until("/orders", func(v map[string]any) bool { c, _ := v["carry"].(map[string]any); return c["running"] != true })
		var v map[string]any
		require.Eventually(t, func() bool { // until what was begun has ended, on whichever server
			st, err := store.Open(t.Context(), url)
			require.NoError(t, err)
			defer st.Close()
			held, err := st.Held(t.Context(), both[0].office)
			require.NoError(t, err)
			return !held
		}, 20*time.Second, 20*time.Millisecond)
		_, v = both[0].ask("GET", "/orders", "")
		if made.Load() > 0 { // from where it stood
			o = v
			all = len(o["order"].(map[string]any)["steps"].([]any))
		}
		o["carry"], done = v["carry"], len(v["ticks"].([]any))
	}
	for _, d := range both {
		_, v := d.ask("GET", "/orders", "")
		require.Len(t, v["ticks"], all)
	}
}

// TestReadByThemselves: an office that says so is read when it is due, by one of the servers
// on its database and no other, and everybody on each hears of it; one that is not is not.
func TestReadByThemselves(t *testing.T) {
	all, _ := playedBy(t, 2, server.Field{Tick: 30 * time.Millisecond}, small, strings.Replace(small, "  2: 20\n  3: 190", "  2: 10\n  3: 190", 1))
	heard := make([]func(string, time.Duration) string, 2)
	for k, d := range all {
		heard[k] = d.listen("tab")
	}
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	other, err := st.Import(t.Context(), &office.Office{}, store.Note{Author: "klammer", Summary: "first"}) // it has nobody to read, and tells when somebody looked what is due
	require.NoError(t, err)
	later := func(office int64) {
		_, err := conn.Exec(t.Context(), "UPDATE office SET read_at = now() - interval '16 minutes' WHERE id = $1", office)
		require.NoError(t, err)
	}
	taken := func(office int64) {
		require.Eventually(t, func() bool {
			var is bool
			err := conn.QueryRow(t.Context(), "SELECT read_at > now() - interval '15 minutes' FROM office WHERE id = $1", office).Scan(&is)
			return err == nil && is
		}, 20*time.Second, 5*time.Millisecond)
	}
	looks := func() { // ten times at least
		_, err := conn.Exec(t.Context(), "UPDATE office SET read_every = 15 WHERE id = $1", other)
		require.NoError(t, err)
		for range 10 {
			later(other)
			taken(other)
		}
	}
	reads := func() (n int) {
		for _, d := range all {
			d.until("/readings", idle)
			n += d.reads()
		}
		return n
	}
	status, v := all[0].ask("PUT", "/readings/every", `{"minutes":15}`)
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 15, v["every"])
	later(all[0].office)
	first := all[1].until("/readings", func(v map[string]any) bool { return strings.Contains(fmt.Sprint(v["drift"]), "a 2 is 10, and was 20") })
	require.Contains(t, fmt.Sprint(first["drift"]), "a 2 is 10, and was 20")
	for k := range heard {
		for !strings.Contains(heard[k]("read", 20*time.Second), "the timer") { // it may be told what it missed before it listened
		}
	}
	require.Equal(t, 2, reads(), "its two devices, by one of the servers")
	looks()
	require.Equal(t, 2, reads(), "it is due in a quarter of an hour")

	later(all[0].office)
	require.Eventually(t, func() bool { return reads() == 4 }, 20*time.Second, 10*time.Millisecond)
	looks()
	require.Equal(t, 4, reads(), "by one of them")

	status, v = all[0].ask("PUT", "/readings/every", `{"minutes":0}`)
	require.Equal(t, 200, status, v)
	later(all[0].office)
	looks()
	require.Equal(t, 4, reads())
}

// reads is how many devices the server has read.
func (d desk) reads() (n int) {
	w := httptest.NewRecorder()
	d.srv.Metrics().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	for line := range strings.SplitSeq(w.Body.String(), "\n") {
		if told, ok := strings.CutPrefix(line, "klammer_device_reads_total{"); ok {
			var one int
			_, _ = fmt.Sscan(told[strings.LastIndexByte(told, ' '):], &one)
			n += one
		}
	}
	return n
}

// TestFieldRefused: what cannot be is said with what would be right.
func TestFieldRefused(t *testing.T) {
	d := openWith(t, small) // nobody speaks there
	for _, row := range []struct{ method, path, body, field, says string }{
		{"POST", "/readings", `{"devices":[]}`, "devices", "no device says how it is spoken to"},
		{"POST", "/readings", `{"devices":["c"]}`, "devices[0]", "no device is named c"},
		{"POST", "/readings", `{"devices":["a"]}`, "devices[0]", "nobody said how a is spoken to: say so, as in a speaks snmp"},
		{"PUT", "/readings/every", `{"minutes":-1}`, "minutes", "at least 0"},
		{"PUT", "/credentials", `{"name":"x y","community":"c"}`, "name", "cannot name credentials"},
		{"PUT", "/credentials", `{"name":"x","community":"c"}`, "name", "without a key for its secrets"},
		{"POST", "/orders/carry", `{"order":1,"visit":0}`, "", "another order was made"},
	} {
		_, v := d.ask(row.method, row.path, row.body)
		require.Contains(t, v["error"], row.says, "%v", row)
		if row.field != "" {
			require.Equal(t, row.field, v["field"], "%v", row)
		}
	}
}

// TestCredentials: secrets are kept, used and never given back: in no answer, no
// error and no dump of the database.
func TestCredentials(t *testing.T) {
	d, _ := played(t, small, small)
	status, v := d.ask("PUT", "/credentials", `{"name":"core","user":"klammer","auth":"SHA-256","authKey":"hush-hush-1","privacy":"AES","privacyKey":"hush-hush-2"}`)
	require.Equal(t, 200, status, v)
	require.Equal(t, "core", v["credentials"].([]any)[0].(map[string]any)["name"])
	require.Equal(t, "SNMP v3", v["credentials"].([]any)[0].(map[string]any)["kind"])
	d.lines("device c switch", "c ports 1-4", "c speaks snmp at 127.0.0.1:1 with core", "device e switch", "e ports 1-4", "e speaks snmp at 127.0.0.1:1 with nobody")
	status, v = d.ask("POST", "/readings", `{"devices":["c","e"]}`)
	require.Equal(t, 200, status, v)
	v = d.until("/readings", idle)
	text, err := json.Marshal(v)
	require.NoError(t, err)
	require.Contains(t, string(text), "there are no credentials nobody: enter them under Field")
	require.Contains(t, string(text), `"why":"nothing listens at 127.0.0.1:1`)
	require.NotContains(t, string(text), "hush")
	resp, err := http.Get(fmt.Sprintf("%s/api/offices/%d/notation", d.base, d.office))
	require.NoError(t, err)
	defer resp.Body.Close()
	all, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Contains(t, string(all), "with core")
	require.NotContains(t, string(all), "hush")
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	sealed, _, err := st.Sealed(t.Context(), d.office, "core")
	require.NoError(t, err)
	require.NotContains(t, string(sealed), "hush")
	for _, row := range [][3]string{
		{`{"name":"x"}`, "user", "a community (SNMP v2c) or a user (SNMP v3, SSH) is missing"},
		{`{"name":"x","user":"u","auth":"MD9","authKey":"12345678"}`, "auth", "is no way to authenticate: SHA, SHA-224"},
		{`{"name":"x","user":"u","auth":"SHA","authKey":"short"}`, "authKey", "at least 8 letters"},
		{`{"name":"x","user":"u","privacy":"AES","privacyKey":"12345678"}`, "auth", "privacy needs authentication"},
		{`{"name":"x","user":"u","key":"-----BEGIN hush"}`, "key", "a key without a passphrase, PEM"},
		{`{"name":"x","user":"u","password":"hush","hostKey":"256 SHA256:abc"}`, "hostKey", "as ssh-keygen -lf says it"},
		{`{"name":"x","community":"hush","hosts":["127.0.0.7/33"]}`, "hosts", "no address and no network, as 10.0.0.2"},
	} {
		status, v = d.ask("PUT", "/credentials", row[0])
		require.Equal(t, 400, status)
		require.Equal(t, row[1], v["field"], "%v", v)
		require.Contains(t, v["error"], row[2])
		require.NotContains(t, v["error"], "hush")
	}
	status, v = d.ask("DELETE", "/credentials?name=core", "")
	require.Equal(t, 200, status, v)
	require.Empty(t, v["credentials"])
}

// TestDiscover: an office from reading alone: what answers is proposed part by part, and
// what is taken is what there is.
func TestDiscover(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	f, err := notation.Read("office", strings.Replace(small, "cable a.8 b.8", "device far switch\n  ports 1-4\n  bundle up lacp 1-2\n  up: 190 [10 20]\n  3: 10\n  4: 190 [20]\ncable a.8 b.8\ncable b.7 far.4", 1))
	require.NoError(t, err)
	w, at, err := standin.Start(ctx, f.Office, nil, 0, standin.Options{})
	require.NoError(t, err)
	defer w.Wait()
	defer stop()
	d := openWith(t, "")
	var where []string
	for _, l := range at {
		where = append(where, l.At)
	}
	text, err := json.Marshal(map[string]any{"addresses": append(where, "127.0.0.1:1")})
	require.NoError(t, err)
	status, v := d.ask("POST", "/discover", string(text))
	require.Equal(t, 200, status, v)
	require.Len(t, v["failed"], 1)
	var lines []string
	var what []string
	for _, p := range v["parts"].([]any) {
		what = append(what, p.(map[string]any)["what"].(string))
		for _, l := range p.(map[string]any)["lines"].([]any) {
			lines = append(lines, l.(string))
		}
	}
	require.Equal(t, []string{"VLAN 1 vlan-1", "VLAN 10 staff", "VLAN 20 guests", "VLAN 190 devices", "the device a, 8 ports", "the device b, 8 ports", "the device far, 4 ports",
		"the cable a 8 to b 8", "the cable b 7 to far 4"}, what)
	v = d.lines(lines...)
	require.Nil(t, v["error"])
	resp := d.get(fmt.Sprintf("/api/offices/%d/notation", d.office))
	all, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Contains(t, string(all), "bundle up lacp 1-2")
	require.Contains(t, string(all), "  up: 190 [10 20]")
	require.Contains(t, string(all), "cable b.7 far.4")
	status, v = d.ask("POST", "/readings", `{"devices":[]}`)
	require.Equal(t, 200, status, v)
	v = d.until("/readings", idle)
	_, now := d.ask("GET", "/found", "")
	require.Empty(t, now["ports"], "it is as it is: %v", v["devices"])
	_, v = d.ask("POST", "/discover", string(text))
	require.Empty(t, v["parts"], "all of it is here already")
	for _, row := range [][2]string{
		{`{"addresses":["10.0.0.9-2"]}`, "runs backwards"}, {`{"addresses":["10.0.0.1-200"]}`, "200 addresses: at most 64 at once"}, {`{"addresses":["a b"]}`, "is no name or address of a host"}, {`{"addresses":[]}`, ""},
	} {
		status, v = d.ask("POST", "/discover", row[0])
		require.Equal(t, 400, status)
		require.Contains(t, v["error"], row[1])
	}
}
