package server_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/secrets"
	"klammer/server"
)

// TestNothingOutlives: whatever lets somebody in, or acts for him, ends with what he may: of
// each kind that there is, for each way to lose it.
func TestNothingOutlives(t *testing.T) {
	h := newHouse(t)
	key, err := secrets.New([]byte(strings.Repeat("k", 32)))
	require.NoError(t, err)
	h.srv.SpeakTo(server.Field{Key: key})
	robin := h.first()
	office := fmt.Sprintf("/api/offices/%d", h.offices[0])
	ok := func(method, path string, body any, header []string) map[string]any {
		t.Helper()
		status, v, _ := h.ask(method, path, body, header...)
		require.Equal(t, 200, status, "%s %s: %v", method, path, v)
		return v
	}
	status, v, _ := h.ask("GET", office, nil, robin...)
	require.Equal(t, 200, status)
	silent, err := net.Listen("tcp", "127.0.0.1:0") // it takes connections, and says nothing
	require.NoError(t, err)
	defer silent.Close()
	ok("POST", office+"/edits", map[string]any{"base": v["revision"], "commands": []any{map[string]any{"lines": []string{"s speaks ovsdb at tcp:" + silent.Addr().String()}}}}, robin)
	listens := func(header []string) func() bool {
		ctx, stop := context.WithCancel(t.Context())
		t.Cleanup(stop)
		r, err := http.NewRequestWithContext(ctx, "GET", h.base+office+"/events", nil)
		require.NoError(t, err)
		r.Header.Set(header[0], header[1])
		resp, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.Equal(t, 200, resp.StatusCode)
		ended := make(chan struct{})
		go func() {
			defer resp.Body.Close()
			for lines := bufio.NewScanner(resp.Body); lines.Scan(); {
			}
			close(ended)
		}()
		return func() bool {
			select {
			case <-ended:
				return false
			default:
				return true
			}
		}
	}
	token := func(who []string, scope string) []string {
		v := ok("POST", office+"/tokens", map[string]any{"name": scope, "days": 1, "scope": scope, "password": good}, who)
		return []string{"Authorization", "Bearer " + v["made"].(string)}
	}
	asks := func(method, path string, body any, header []string) func() bool {
		return func() bool {
			status, _, _ := h.ask(method, path, body, header...)
			return status == 200
		}
	}
	kinds := map[string]func(who []string) (alive func() bool){
		"a session": func(who []string) func() bool {
			return asks("PUT", office+"/readings/every", map[string]any{"minutes": 0}, who)
		},
		"a stream": listens,
		"a token of a role": func(who []string) func() bool {
			return asks("PUT", office+"/readings/every", map[string]any{"minutes": 0}, token(who, "carrier"))
		},
		"a token's stream": func(who []string) func() bool { return listens(token(who, "carrier")) },
		"a token that reports": func(who []string) func() bool {
			return asks("POST", "/api/probe/looks", map[string]any{"port": "s.1"}, token(who, "tests"))
		},
		"an invitation": func(who []string) func() bool {
			v := ok("POST", office+"/invitations", map[string]any{"role": "keeper"}, who)
			return asks("POST", "/api/invited", map[string]any{"secret": v["link"]}, nil)
		},
		"a reading that goes on": func(who []string) func() bool {
			require.Eventually(t, func() bool {
				status, _, _ := h.ask("POST", office+"/readings", map[string]any{"devices": []string{}}, who...)
				return status == 200
			}, 20*time.Second, 20*time.Millisecond)
			return func() bool { return ok("GET", office+"/readings", nil, robin)["running"] != nil }
		},
	}
	ways := map[string]func(person int64){
		"removed": func(person int64) { ok("DELETE", fmt.Sprintf("/api/people?person=%d", person), nil, robin) },
		"without a role": func(person int64) {
			ok("PUT", office+"/people", map[string]any{"person": person, "role": "nobody"}, robin)
		},
		"a reader": func(person int64) {
			ok("PUT", office+"/people", map[string]any{"person": person, "role": "reader"}, robin)
		},
	}
	n := 0
	for way, lose := range ways {
		for kind, give := range kinds {
			n++
			name := fmt.Sprint("Somebody ", n)
			who := h.invites(robin, h.offices[0], "keeper", name)
			p, _, err := h.st.PersonOf(t.Context(), name)
			require.NoError(t, err)
			alive := give(who)
			require.True(t, alive(), "%s, at first", kind)
			lose(p.ID)
			if way == "a reader" && kind == "a token's stream" { // which a reader may listen to: it ends, and he comes again
				continue
			}
			require.Eventually(t, func() bool { return !alive() }, 10*time.Second, 10*time.Millisecond, "%s of somebody who is %s", kind, way)
		}
	}
	// And by a new password: sessions but the one that it was changed in, and it is said what is
	// left.
	who := h.invites(robin, h.offices[0], "keeper", "Last")
	elsewhere := []string{"Cookie", "__Host-klammer=" + h.signs("Last")}
	_ = token(who, "reader")
	opens := ok("PUT", "/api/password", map[string]any{"old": good, "new": good + "-2"}, who)
	require.Contains(t, fmt.Sprint(opens["tokens"]), "reader (")
	require.False(t, asks("GET", office, nil, elsewhere)())
	for path, body := range map[string]any{"/api/passkeys/forget": map[string]any{"passkey": 1, "password": "not this"}, "/api/passkeys/alone": map[string]any{"alone": false, "password": "not this"}} {
		status, v, _ := h.ask("PUT", path, body, who...)
		require.Equal(t, 400, status, v)
		require.Contains(t, v["error"], "not your password")
	}
	status, v, _ = h.ask("POST", office+"/tokens", map[string]any{"name": "x", "days": 1, "scope": "reader"}, who...)
	require.Equal(t, 400, status, v)
}

// TestGuessesElsewhere: guesses at an account, from however many addresses, slow down who
// guesses, and are few; they keep nobody out who has the password, at a browser with which he
// signed in before. Passkeys are no way around that, and do not fill the record.
func TestGuessesElsewhere(t *testing.T) {
	h := newHouse(t, server.Access{Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}, Host: func(name string) bool { return name == "klammer.office" }})
	robin := h.first()
	sign := func(from, password string, more ...string) (int, http.Header) {
		status, _, header := via(t, "127.0.0.1", "POST", h.base+"/api/sign-in", fmt.Sprintf(`{"name":"Robin","password":%q}`, password), append(more, "X-Forwarded-For", from)...)
		return status, header
	}
	status, got := sign("192.0.2.1", good)
	require.Equal(t, 200, status)
	var browser string
	for _, c := range got["Set-Cookie"] {
		if value, ok := strings.CutPrefix(c, "__Host-klammer-browser="); ok {
			browser, _, _ = strings.Cut(value, ";")
		}
	}
	require.NotEmpty(t, browser)
	looked := 0
	for k := range 300 { // each from another address
		if status, _ := sign(fmt.Sprintf("198.51.100.%d", k%250), "a guess that is wrong"); status == 403 {
			looked++
		}
	}
	require.LessOrEqual(t, looked, 60, "they come to an end")
	for range 8 { // so that the wait is longer than this test
		require.NoError(t, h.st.Failed(t.Context(), 50, "account:robin"))
	}
	status, _ = sign("203.0.113.9", good)
	require.Equal(t, 429, status, "a browser that nobody knows waits")
	for range 3 {
		status, _ = sign("198.51.100.7", good, "Cookie", "__Host-klammer-browser="+browser)
		require.Equal(t, 200, status, "Robin's own does not, even at an address from where somebody guesses")
	}
	wrong := 0
	for range 20 { // and is no way to guess on
		if status, _ := sign("198.51.100.7", "a guess that is wrong", "Cookie", "__Host-klammer-browser="+browser); status == 403 {
			wrong++
		}
	}
	require.LessOrEqual(t, wrong, 10)
	sam := h.invites(robin, 0, "reader", "Sam")
	require.NotEmpty(t, sam)
	status, _, _ = via(t, "127.0.0.1", "POST", h.base+"/api/sign-in", fmt.Sprintf(`{"name":"Sam","password":%q}`, good), "X-Forwarded-For", "198.51.100.7", "Cookie", "__Host-klammer-browser="+browser)
	require.Equal(t, 200, status, "at the address it was few")

	tries := 0
	for range 60 {
		status, v, _ := via(t, "127.0.0.1", "PUT", h.base+"/api/sign-in/passkey", `{"ceremony":"none","response":{}}`, "X-Forwarded-For", "203.0.113.50", "Host", "klammer.office")
		require.Contains(t, []int{403, 429}, status, v)
		if status == 403 {
			tries++
		}
	}
	require.LessOrEqual(t, tries, 30)
	for range 8 {
		require.NoError(t, h.st.Failed(t.Context(), 20, "address:203.0.113.50"))
	}
	status, v, _ := via(t, "127.0.0.1", "POST", h.base+"/api/sign-in/passkey", `{}`, "X-Forwarded-For", "203.0.113.50", "Host", "klammer.office")
	require.Equal(t, 429, status, v)
	_, v, _ = h.ask("GET", "/api/record", nil, robin...)
	require.Less(t, len(v["list"].([]any)), 110)

	// Names that look like somebody's.
	invited := func() string {
		_, v, _ := h.ask("POST", "/api/invitations", map[string]any{"role": "reader"}, robin...)
		return v["link"].(string)
	}
	for _, name := range []string{"R\u043ebin", "S\u0430m"} {
		status, v, _ := h.ask("POST", "/api/join", map[string]any{"secret": invited(), "name": name, "password": good})
		require.Equal(t, 400, status, "%s: %v", name, v)
		require.Contains(t, v["error"], "in other letters")
	}
}
