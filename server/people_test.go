package server_test

import (
	"bufio"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/people"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
)

// house is a server with accounts, and two offices.
type house struct {
	t       testing.TB
	srv     *server.Server
	st      *store.Store
	base    string
	offices [2]int64
}

func newHouse(t testing.TB, more ...server.Access) *house { return newHouseOn(t, url, more...) }

func newHouseOn(t testing.TB, url string, more ...server.Access) *house {
	ctx, stop := context.WithCancel(context.Background())
	st, err := store.Open(ctx, url)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	h := &house{t: t, st: st, base: "http://" + l.Addr().String(), srv: server.New(ctx, st, slog.New(slog.DiscardHandler))}
	access := server.Access{Accounts: true, Cost: people.Cost{Passes: 1, Memory: 64, Lanes: 1}}
	for _, x := range more {
		access.Patience, access.Proxies, access.Host = x.Patience, x.Proxies, x.Host
	}
	h.srv.Admit(access)
	done := make(chan error, 1)
	go func() { done <- h.srv.Serve(l) }()
	t.Cleanup(func() { stop(); <-done; st.Close() })
	f, err := notation.Read("office", "device s switch\n  ports 1-4\n  1: 10\n")
	require.NoError(t, err)
	for k := range h.offices {
		h.offices[k], err = st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
		require.NoError(t, err)
	}
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "TRUNCATE person, membership, session, invitation, sign_in_wait, record CASCADE")
	require.NoError(t, err)
	return h
}

// ask asks with headers, and gives the status, the error or what was answered, and the
// session that was begun.
func (h *house) ask(method, path string, q any, header ...string) (int, map[string]any, string) {
	h.t.Helper()
	text := []byte("{}")
	if q != nil {
		text, _ = json.Marshal(q)
	}
	ctx, stop := context.WithTimeout(h.t.Context(), 20*time.Second)
	defer stop()
	r, err := http.NewRequestWithContext(ctx, method, h.base+path, strings.NewReader(string(text)))
	require.NoError(h.t, err)
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(h.t, err)
	defer resp.Body.Close()
	v := map[string]any{}
	if strings.HasPrefix(resp.Header.Get("Content-Type"), "application/json") {
		var got any
		require.NoError(h.t, json.NewDecoder(resp.Body).Decode(&got))
		if m, ok := got.(map[string]any); ok {
			v = m
		} else {
			v["list"] = got
		}
	}
	for _, c := range resp.Cookies() {
		if c.Name == "__Host-klammer" {
			require.True(h.t, c.HttpOnly && c.Secure && c.SameSite == http.SameSiteStrictMode && c.Path == "/" && c.Domain == "")
			return resp.StatusCode, v, c.Value
		}
	}
	return resp.StatusCode, v, ""
}

const good = "harbour-tulip-ox-lantern"

// joins makes an account by an invitation, and gives the header of its session.
func (h *house) joins(secret, name string) []string {
	status, v, session := h.ask("POST", "/api/join", map[string]any{"secret": secret, "name": name, "password": good})
	require.Equal(h.t, 200, status, v)
	require.NotEmpty(h.t, session)
	return []string{"Cookie", "__Host-klammer=" + session}
}

// first is the keeper of all.
func (h *house) first() []string {
	link, err := h.srv.FirstLink(h.t.Context())
	require.NoError(h.t, err)
	return h.joins(strings.TrimPrefix(link, "/join#"), "Robin")
}

// invites makes an account with a role in an office, 0 for all.
func (h *house) invites(by []string, office int64, role, name string) []string {
	path := "/api/invitations"
	if office != 0 {
		path = fmt.Sprintf("/api/offices/%d/invitations", office)
	}
	status, v, _ := h.ask("POST", path, map[string]any{"role": role}, by...)
	require.Equal(h.t, 200, status, v)
	return h.joins(v["link"].(string), name)
}

// TestSignIn: right and wrong names and passwords answer alike; guessing is slowed down by
// account, also after a restart; a sign-in takes another session; a password ends others.
func TestSignIn(t *testing.T) {
	h := newHouse(t)
	link, err := h.srv.FirstLink(t.Context())
	require.NoError(t, err)
	secret := strings.TrimPrefix(link, "/join#")
	for _, x := range []struct {
		name, password, says string
	}{
		{"Robin", "short", "at least 12 letters"},
		{"Robin", "passwordpassword", "guessed soon"},
		{"Robin", "robin-robin-robin", "guessed soon"},
		{" ", good, "1 to 60 letters"},
		{"left \u202e right", good, "a name has"},
	} {
		status, v, _ := h.ask("POST", "/api/join", map[string]any{"secret": secret, "name": x.name, "password": x.password})
		require.Equal(t, 400, status, v)
		require.Contains(t, v["error"], x.says)
	}
	robin := h.joins(secret, "Robin")
	status, v, _ := h.ask("POST", "/api/join", map[string]any{"secret": secret, "name": "Second", "password": good})
	require.Equal(t, 403, status, v)
	again, err := h.srv.FirstLink(t.Context())
	require.NoError(t, err)
	require.Empty(t, again, "there is somebody")

	sign := func(name, password string, header ...string) (int, map[string]any, string) {
		return h.ask("POST", "/api/sign-in", map[string]any{"name": name, "password": password}, header...)
	}
	_, wrong, _ := sign("Robin", "not the password at all")
	_, nobody, _ := sign("Nobody", "not the password at all")
	require.Equal(t, wrong, nobody, "whether there is such a name is not said")
	status, v, session := sign("  robin ", good)
	require.Equal(t, 200, status, v)
	require.Equal(t, "Robin", v["name"])
	require.Equal(t, "keeper", v["everywhere"])

	// What somebody sets before is no session after (fixation); the browser's old one ends.
	status, _, next := sign("Robin", good, "Cookie", "__Host-klammer="+session)
	require.Equal(t, 200, status)
	require.NotEqual(t, session, next)
	status, _, _ = h.ask("GET", "/api/sessions", nil, "Cookie", "__Host-klammer="+session)
	require.Equal(t, 401, status)

	// A new password ends every session but this one.
	status, v, _ = h.ask("PUT", "/api/password", map[string]any{"old": "wrong", "new": good + "-2"}, robin...)
	require.Equal(t, 400, status, v)
	status, v, _ = h.ask("PUT", "/api/password", map[string]any{"old": good, "new": good + "-2"}, robin...)
	require.Equal(t, 200, status, v)
	require.Len(t, v["sessions"], 1)
	status, _, _ = h.ask("GET", "/api/sessions", nil, "Cookie", "__Host-klammer="+next)
	require.Equal(t, 401, status)

	// Guessing: five are free, then one waits, whoever it is and wherever he asks.
	for name, want := range map[string]string{"Robin": "403 403 403 403 403 429 429", "Ghost": "403 403 403 403 403 429 429"} {
		var texts []string
		for range 7 {
			status, v, _ = sign(name, "a guess that is wrong")
			texts = append(texts, fmt.Sprint(status))
		}
		require.Equal(t, want, strings.Join(texts, " "), name)
		require.Contains(t, v["error"], "too many sign-ins failed: try again in")
	}
	status, _, _ = sign("Robin", good+"-2")
	require.Equal(t, 429, status, "the right one waits too")
	other := newServer(t)
	resp, err := http.Post(other+"/api/sign-in", "application/json", strings.NewReader(`{"name":"Robin","password":"`+good+`-2"}`))
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, 429, resp.StatusCode, "another server, or the same after a restart, knows")
	_, v, _ = h.ask("GET", "/api/record", nil, robin...)
	require.Contains(t, fmt.Sprint(v["list"]), "sign-in failed")
	require.NotContains(t, fmt.Sprint(v["list"]), "a guess")
	r, err := http.NewRequest("GET", h.base+"/api/record?file=1", nil)
	require.NoError(t, err)
	r.Header.Set(robin[0], robin[1])
	resp, err = http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	rows, err := csv.NewReader(resp.Body).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, len(v["list"].([]any))+1)
}

// newServer is another server on the same database.
func newServer(t *testing.T) string {
	ctx, stop := context.WithCancel(context.Background())
	st, err := store.Open(ctx, url)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	srv := server.New(ctx, st, slog.New(slog.DiscardHandler))
	srv.Admit(server.Access{Accounts: true, Cost: people.Cost{Passes: 1, Memory: 64, Lanes: 1}})
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	t.Cleanup(func() { stop(); <-done; st.Close() })
	return "http://" + l.Addr().String()
}

// TestStreamEnds: who is signed out, or loses a role, hears nothing within a second, on
// whatever server he listens; the last keeper of all stays.
func TestStreamEnds(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	reads := h.invites(robin, h.offices[0], "reader", "Reader")
	elsewhere := newServer(t)
	// hears listens, and gives a function that waits for the end.
	hears := func(header []string) (ends func(within time.Duration) bool) {
		r, err := http.NewRequest("GET", fmt.Sprintf("%s/api/offices/%d/events", elsewhere, h.offices[0]), nil)
		require.NoError(t, err)
		r.Header.Set(header[0], header[1])
		resp, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		t.Cleanup(func() { resp.Body.Close() })
		require.Equal(t, 200, resp.StatusCode)
		lines := bufio.NewScanner(resp.Body)
		require.True(t, lines.Scan())
		ended := make(chan struct{})
		go func() {
			for lines.Scan() {
			}
			close(ended)
		}()
		return func(within time.Duration) bool {
			select {
			case <-ended:
				return true
			case <-time.After(within):
				return false
			}
		}
	}
	tokens := fmt.Sprintf("/api/offices/%d/tokens", h.offices[0])
	token := func(by []string) (header []string, id any) {
		status, v, _ := h.ask("POST", tokens, map[string]any{"name": "script", "days": 1, "scope": "reader", "password": good}, by...)
		require.Equal(t, 200, status, v)
		return []string{"Authorization", "Bearer " + v["made"].(string)}, v["tokens"].([]any)[0].(map[string]any)["id"]
	}
	ends := hears(reads)

	_, v, _ := h.ask("GET", "/api/people", nil, robin...)
	ids := map[string]any{}
	for _, p := range v["people"].([]any) {
		ids[p.(map[string]any)["name"].(string)] = p.(map[string]any)["id"]
	}
	status, v, _ := h.ask("PUT", fmt.Sprintf("/api/offices/%d/people", h.offices[0]), map[string]any{"person": ids["Reader"], "role": "nobody"}, robin...)
	require.Equal(t, 200, status, v)
	require.True(t, ends(time.Second), "it still listens")

	// So it is with tokens: one that is ended, those of somebody who loses a role, and what
	// ended without a word, of which the server hears when it looks.
	header, id := token(robin)
	ends = hears(header)
	status, v, _ = h.ask("DELETE", fmt.Sprintf("%s?token=%v", tokens, id), nil, robin...)
	require.Equal(t, 200, status, v)
	require.True(t, ends(time.Second), "it still listens")
	carries := h.invites(robin, h.offices[0], "carrier", "Carrier")
	header, _ = token(carries)
	ends = hears(header)
	noor, _, err := h.st.PersonOf(t.Context(), "Carrier")
	require.NoError(t, err)
	status, v, _ = h.ask("PUT", fmt.Sprintf("/api/offices/%d/people", h.offices[0]), map[string]any{"person": noor.ID, "role": "reader"}, robin...)
	require.Equal(t, 200, status, v)
	require.True(t, ends(time.Second), "it still listens")
	ends = hears([]string{"Cookie", "__Host-klammer=" + h.signs("Robin")})
	header, _ = token(robin)
	script := hears(header)
	stays := hears(robin)
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "DELETE FROM session WHERE id = (SELECT max(id) FROM session)")
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), "UPDATE token SET expires_at = now() WHERE id = (SELECT max(id) FROM token)")
	require.NoError(t, err)
	require.True(t, ends(10*time.Second) && script(10*time.Second), "they still listen")
	require.False(t, stays(100*time.Millisecond), "who may goes on")

	// The last keeper of all stays.
	status, v, _ = h.ask("DELETE", fmt.Sprintf("/api/people?person=%v", ids["Robin"]), nil, robin...)
	require.Equal(t, 409, status, v)
	status, v, _ = h.ask("PUT", "/api/people", map[string]any{"person": ids["Robin"], "role": "planner"}, robin...)
	require.Equal(t, 409, status, v)
	status, v, _ = h.ask("DELETE", fmt.Sprintf("/api/people?person=%v", ids["Reader"]), nil, robin...)
	require.Equal(t, 200, status, v)
	require.Len(t, v["people"], 2)
}

// TestRekey: what one key sealed opens with the next, and with the old no more.
func TestRekey(t *testing.T) {
	h := newHouse(t)
	old, err := secrets.New([]byte(strings.Repeat("a", 32)))
	require.NoError(t, err)
	next, err := secrets.New([]byte(strings.Repeat("b", 32)))
	require.NoError(t, err)
	place := fmt.Sprintf("credentials/%d/switches", h.offices[0])
	sealed, err := old.Seal([]byte("hush"), place)
	require.NoError(t, err)
	require.NoError(t, h.st.PutCredential(t.Context(), h.offices[0], store.Credential{Name: "switches", About: []byte("{}"), Author: "Robin"}, sealed, old.ID()))
	n, err := server.Rekey(t.Context(), h.st, old, next)
	require.NoError(t, err)
	require.Equal(t, 1, n)
	sealed, id, err := h.st.Sealed(t.Context(), h.offices[0], "switches")
	require.NoError(t, err)
	text, err := next.Open(sealed, id, place)
	require.NoError(t, err)
	require.Equal(t, "hush", string(text))
	_, err = old.Open(sealed, id, place)
	require.ErrorContains(t, err, "sealed with the key")
	n, err = server.Rekey(t.Context(), h.st, old, next)
	require.NoError(t, err)
	require.Zero(t, n, "once")
}

// TestEveryRole: each role that there is can be given by each door: at an invitation, to who is
// there, of one office and of all, and by a token.
func TestEveryRole(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	person := func(name string) (id float64) {
		_, v, _ := h.ask("GET", "/api/people", nil, robin...)
		for _, p := range v["people"].([]any) {
			if p := p.(map[string]any); p["name"] == name {
				id = p["id"].(float64)
			}
		}
		return id
	}
	for i, role := range people.Roles {
		name := fmt.Sprintf("Person %d", i)
		h.invites(robin, h.offices[0], role.String(), name)
		for _, at := range []string{"/api/people", fmt.Sprintf("/api/offices/%d/people", h.offices[0])} {
			for _, given := range []string{"nobody", role.String()} {
				status, v, _ := h.ask("PUT", at, map[string]any{"person": person(name), "role": given}, robin...)
				require.Equal(t, 200, status, "%s %s: %v", at, given, v)
			}
		}
		status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/tokens", h.offices[0]), map[string]any{"name": name, "days": 1, "scope": role.String(), "password": good}, robin...)
		require.Equal(t, 200, status, "token %s: %v", role, v)
	}
}
