package server_test

import (
	"fmt"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/people"
	"klammer/proof/short"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
)

// TestIntruder: what somebody tries who has the source, a page of his own, and no account,
// or one that may little.
func TestIntruder(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	reads := h.invites(robin, h.offices[0], "reader", "Reader")
	edit := map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{"s 1: 20"}}}}
	edits := fmt.Sprintf("/api/offices/%d/edits", h.offices[0])

	// Another page, in the browser of somebody who is signed in; another name of the server.
	for _, x := range []struct {
		name   string
		header []string
		status int
	}{
		{"from another page", []string{"Origin", "https://evil.example"}, 403},
		{"from a page that hides where it is", []string{"Origin", "null"}, 403},
		{"as a form", []string{"Content-Type", "text/plain"}, 415},
		{"as another form", []string{"Content-Type", "application/x-www-form-urlencoded"}, 415},
		{"packed", []string{"Content-Encoding", "gzip"}, 415},
	} {
		status, v, _ := h.ask("POST", edits, edit, append(x.header, robin...)...)
		require.Equal(t, x.status, status, "%s: %v", x.name, v)
	}
	r, err := http.NewRequest("GET", h.base+"/api/offices", nil)
	require.NoError(t, err)
	r.Host = "klammer.evil.example" // DNS that points here
	r.Header.Set(robin[0], robin[1])
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, 403, resp.StatusCode)

	// Ways around the table: other spellings of a path, other methods, both offices at once.
	there := h.offices[1]
	for _, path := range []string{
		fmt.Sprintf("/api/offices/%d", there), fmt.Sprintf("/api/offices/%d/", there), fmt.Sprintf("/api//offices/%d", there), fmt.Sprintf("/API/offices/%d", there),
		fmt.Sprintf("/api/offices/%d/../%d", h.offices[0], there), fmt.Sprintf("/api/offices/%d%%2f..%%2f%d", h.offices[0], there), fmt.Sprintf("/api/offices/%%3%d", there),
		fmt.Sprintf("/api/offices/+%d", there), fmt.Sprintf("/api/offices/0%d", there), fmt.Sprintf("/api/offices/%d?id=%d", there, h.offices[0]),
		fmt.Sprintf("/api/offices/%d/notation", there), fmt.Sprintf("/api/offices/%d/compare?with=%d", h.offices[0], there), fmt.Sprintf("/api/offices/%d/compare?with=%d&with=%d", h.offices[0], h.offices[0], there),
		"/api/people", "/api/record", "/api/people/", "/api/../api/people",
	} {
		for _, method := range []string{"GET", "OPTIONS", "PATCH", "POST", "TRACE"} {
			if method == "GET" && strings.HasSuffix(path, fmt.Sprintf("with=%d&with=%d", h.offices[0], there)) {
				continue // the first is what counts
			}
			status, v, _ := h.ask(method, path, nil, reads...)
			require.NotEqual(t, 200, status, "%s %s: %v", method, path, v)
			require.NotContains(t, fmt.Sprint(v), "devices")
		}
	}
	status, v, _ := h.ask("POST", "/api/offices", map[string]any{"copy": there, "title": "mine"}, reads...)
	require.Equal(t, 403, status, v)

	// What is written into headers, cookies, names: refused, and nothing breaks.
	for _, cookie := range []string{"__Host-klammer=' OR 1=1 --", "__Host-klammer=" + strings.Repeat("x", 3000), "__Host-klammer=%00%00", "__Host-klammer=; __Host-klammer="} {
		status, v, _ := h.ask("GET", "/api/sessions", nil, "Cookie", cookie)
		require.Equal(t, 401, status, "%s: %v", cookie, v)
	}
	for _, token := range []string{"Bearer ", "Bearer klammer_", "bearer klammer_' OR 1=1", "Basic cm9iaW46eA==", "Bearer " + strings.Repeat("k", 4000)} {
		status, v, _ := h.ask("GET", "/api/offices", nil, "Authorization", token)
		require.Equal(t, 401, status, "%s: %v", token, v)
	}
	for _, name := range []string{"a\r\nSet-Cookie: x=y", "left \u202e right", "\x00", strings.Repeat("n", 61)} {
		status, v, _ := h.ask("POST", "/api/sign-in", map[string]any{"name": name, "password": good})
		require.Contains(t, []int{400, 403}, status, v)
	}
	status, v, session := h.ask("POST", "/api/sign-in", map[string]any{"name": "Robin", "password": good, "role": "keeper"})
	require.Equal(t, 400, status, v)
	require.Empty(t, session)
	_, v, _ = h.ask("GET", "/api/record", nil, robin...)
	require.NotContains(t, fmt.Sprint(v), "\u202e")
	for _, title := range []string{`../../etc/passwd`, `a"; filename="evil.exe`, `..`, `C:\x`, `=HYPERLINK("http://evil.example")`, "naïve ☃"} {
		status, v, _ := h.ask("POST", "/api/offices", map[string]any{"title": title, "text": "vlan 10 desks\n"}, robin...)
		require.Equal(t, 200, status, v)
		for _, file := range []string{"notation?file=1", "workbook"} {
			r, err := http.NewRequest("GET", fmt.Sprintf("%s/api/offices/%v/%s", h.base, v["id"], file), nil)
			require.NoError(t, err)
			r.Header.Set(robin[0], robin[1])
			resp, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			resp.Body.Close()
			require.Equal(t, 200, resp.StatusCode)
			require.Regexp(t, `^attachment; filename="[A-Za-z0-9_-]+\.(klm|xlsx)"$`, resp.Header.Get("Content-Disposition"), title)
		}
	}

	// Many at once cost turns, and not the server; whoever is in goes on meanwhile.
	var w sync.WaitGroup
	var looked atomic.Int64
	start := time.Now()
	for range 40 {
		w.Go(func() {
			r, _ := http.NewRequest("POST", h.base+"/api/sign-in", strings.NewReader(`{"name":"Robin","password":"a guess that is wrong"}`))
			r.Header.Set("Content-Type", "application/json")
			if resp, err := http.DefaultClient.Do(r); err == nil {
				resp.Body.Close()
				if resp.StatusCode == http.StatusForbidden {
					looked.Add(1)
				}
			}
		})
	}
	status, v, _ = h.ask("GET", "/api/offices", nil, robin...)
	require.Equal(t, 200, status, v)
	w.Wait()
	require.LessOrEqual(t, looked.Load(), int64(9), "many at once guess little more than one after the other")
	require.Less(t, time.Since(start), 30*time.Second) // a bound on a hang, not a measurement
	status, v, _ = h.ask("POST", edits, edit, reads...)
	require.Equal(t, 403, status, v)
	_, v, _ = h.ask("GET", fmt.Sprintf("/api/offices/%d", h.offices[0]), nil, robin...)
	require.EqualValues(t, 1, v["revision"], "nothing of all that was done")
}

// TestLastKeeper: two keepers of all who take each other's role away at once, again and
// again: one of them stays, and nobody is refused for another reason.
func TestLastKeeper(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	_ = h.invites(robin, 0, "keeper", "Sam")
	all, err := h.st.People(t.Context())
	require.NoError(t, err)
	require.Len(t, all, 2)
	for range 20 {
		var w sync.WaitGroup
		errs := make([]error, 2)
		for k := range 2 {
			w.Go(func() { _, _, errs[k] = h.st.SetRole(t.Context(), all[k].ID, 0, people.Planner) })
		}
		w.Wait()
		require.NotEqual(t, errs[0] == nil, errs[1] == nil, "%v", errs)
		for k, err := range errs {
			if err != nil {
				require.ErrorIs(t, err, store.ErrLastKeeper)
			}
			_, _, err = h.st.SetRole(t.Context(), all[k].ID, 0, people.Keeper)
			require.NoError(t, err)
		}
	}

	// A token for tests goes with who made it; one from before people signed in opens nothing.
	robin = []string{"Cookie", "__Host-klammer=" + h.signs("Robin")}
	carries := h.invites(robin, h.offices[0], "carrier", "Noor")
	status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/tokens", h.offices[0]), map[string]any{"name": "laptop", "days": 1}, carries...)
	require.Equal(t, 200, status, v)
	token := []string{"Authorization", "Bearer " + v["made"].(string)}
	status, v, _ = h.ask("POST", "/api/probe/looks", map[string]any{"port": "s.1"}, token...)
	require.Equal(t, 200, status, v)
	noor, _, err := h.st.PersonOf(t.Context(), "Noor")
	require.NoError(t, err)
	_, _, err = h.st.SetRole(t.Context(), noor.ID, h.offices[0], people.Reader)
	require.NoError(t, err)
	status, v, _ = h.ask("POST", "/api/probe/looks", map[string]any{"port": "s.1"}, token...)
	require.Equal(t, 403, status, v)
	old, err := h.st.MakeToken(t.Context(), store.Token{Office: h.offices[0], Name: "old", Author: "whoever", Role: people.Keeper}, time.Hour)
	require.NoError(t, err)
	status, v, _ = h.ask("GET", fmt.Sprintf("/api/offices/%d", h.offices[0]), nil, "Authorization", "Bearer "+old)
	require.Equal(t, 401, status, v)
}

// TestLastPasskey: an account that passkeys alone open always has one, whoever forgets two
// at once; its password opens it as little as a wrong one, and none is made so without one.
func TestLastPasskey(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	me, _, err := h.st.PersonOf(t.Context(), "Robin")
	require.NoError(t, err)
	status, v, _ := h.ask("PUT", "/api/passkeys/alone", map[string]any{"alone": true, "password": good}, robin...)
	require.Equal(t, 409, status, v)
	for round := range 10 {
		keep := func(n byte) int64 {
			require.NoError(t, h.st.KeepPasskey(t.Context(), me.ID, []byte{byte(round), n}, []byte("{}"), "key"))
			all, err := h.st.Passkeys(t.Context(), me.ID)
			require.NoError(t, err)
			return all[len(all)-1].ID
		}
		ids := []int64{keep(1), keep(2)}
		status, v, _ := h.ask("PUT", "/api/passkeys/alone", map[string]any{"alone": true, "password": good}, robin...)
		require.Equal(t, 200, status, v)
		require.Equal(t, true, v["alone"])
		var w sync.WaitGroup
		errs := make([]error, 2)
		for k := range ids {
			w.Go(func() { _, errs[k] = h.st.DropPasskey(t.Context(), me.ID, ids[k]) })
		}
		w.Wait()
		require.NotEqual(t, errs[0] == nil, errs[1] == nil, "%v", errs)
		status, v, session := h.ask("POST", "/api/sign-in", map[string]any{"name": "Robin", "password": good})
		require.Contains(t, []int{403, 429}, status, v)
		require.Empty(t, session)
		require.NoError(t, h.st.Alone(t.Context(), me.ID, false))
		for _, id := range ids {
			_, err := h.st.DropPasskey(t.Context(), me.ID, id)
			require.NoError(t, err)
		}
		require.NoError(t, h.st.Entered(t.Context(), "account:robin"))
	}
}

// signs signs somebody in.
func (h *house) signs(name string) string {
	status, v, session := h.ask("POST", "/api/sign-in", map[string]any{"name": name, "password": good})
	require.Equal(h.t, 200, status, v)
	return session
}

// TestElsewhere: who may edit where devices are, and have them read, does not get the
// credentials sent to a host of his own: neither by an address, nor by a name, nor by
// asking for new devices. What was sent where it belongs is in the record.
func TestElsewhere(t *testing.T) {
	short.Skip(t)
	h := newHouse(t)
	key, err := secrets.New([]byte(strings.Repeat("k", 32)))
	require.NoError(t, err)
	h.srv.SpeakTo(server.Field{Key: key})
	robin := h.first()
	carries := h.invites(robin, h.offices[0], "carrier", "Carrier")
	office := fmt.Sprintf("/api/offices/%d", h.offices[0])
	listens := func(at string) (net.PacketConn, *atomic.Int64) {
		c, err := net.ListenPacket("udp", at)
		require.NoError(t, err)
		t.Cleanup(func() { c.Close() })
		heard := &atomic.Int64{}
		go func() {
			buf := make([]byte, 2000)
			for {
				if _, _, err := c.ReadFrom(buf); err != nil {
					return
				}
				heard.Add(1)
			}
		}()
		return c, heard
	}
	own, stolen := listens("127.0.0.66:0")
	there, sent := listens("127.0.0.7:0")
	for _, x := range []struct {
		hosts  []string
		status int
	}{{[]string{"127.0.0.7/33"}, 400}, {[]string{"somewhere"}, 400}, {[]string{"127.0.0.7", "2001:db8::/64"}, 200}} {
		status, v, _ := h.ask("PUT", office+"/credentials", map[string]any{"name": "switches", "community": "hush-hush", "hosts": x.hosts}, robin...)
		require.Equal(t, x.status, status, v)
	}
	read := func(at string) string {
		_, v, _ := h.ask("GET", office, nil, carries...)
		status, v, _ := h.ask("POST", office+"/edits", map[string]any{"base": v["revision"], "commands": []any{map[string]any{"lines": []string{"s speaks snmp at " + at + " with switches"}}}}, carries...)
		require.Equal(t, 200, status, v)
		status, v, _ = h.ask("POST", office+"/readings", map[string]any{"devices": []string{"s"}}, carries...)
		require.Equal(t, 200, status, v)
		require.Eventually(t, func() bool {
			_, v, _ = h.ask("GET", office+"/readings", nil, carries...)
			return v["running"] == nil
		}, 40*time.Second, 50*time.Millisecond)
		require.NotContains(t, fmt.Sprint(v), "hush-hush")
		return fmt.Sprint(v["devices"].([]any)[0].(map[string]any)["why"])
	}
	port := own.LocalAddr().(*net.UDPAddr).Port
	for _, at := range []string{own.LocalAddr().String(), fmt.Sprintf("localhost:%d", port), fmt.Sprintf("[::ffff:127.0.0.66]:%d", port), fmt.Sprintf("127.0.0.7.nip.example:%d", port)} {
		why := read(at)
		require.True(t, strings.Contains(why, "sent to 127.0.0.7, 2001:db8::/64 alone") || strings.Contains(why, "lookup"), why)
	}
	status, v, _ := h.ask("POST", office+"/discover", map[string]any{"addresses": []string{own.LocalAddr().String()}, "with": "switches"}, carries...)
	require.Equal(t, 200, status, v)
	require.Contains(t, fmt.Sprint(v["failed"]), "sent to 127.0.0.7")
	require.Zero(t, stolen.Load())

	used := func() (n int) {
		_, v, _ = h.ask("GET", "/api/record", nil, robin...)
		return strings.Count(fmt.Sprint(v), "used credentials")
	}
	require.Zero(t, used(), "none went anywhere")
	_ = read(there.LocalAddr().String()) // it hears, and says nothing
	require.NotZero(t, sent.Load())
	require.Equal(t, 1, used())
	require.Contains(t, fmt.Sprint(v), "switches: s")
	require.NotContains(t, fmt.Sprint(v), "hush-hush")
}
