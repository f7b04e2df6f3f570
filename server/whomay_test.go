package server_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/secrets"
	"klammer/server"
	"klammer/store/cluster/clustertest"
)

// asker is somebody there may be, and what he may by rights.
type asker struct {
	name   string
	header []string
	here   int // role in the first office: 1 reader to 4 keeper
	there  int // role in the second
	all    int // role in every office
	person bool
	fits   bool // carries out, and plans nothing
	tests  bool // reports tests
	known  bool // signed in, or with a token of a role
}

// everybody makes one of each.
func everybody(h *house, robin []string, url string) []asker {
	here, there := h.offices[0], h.offices[1]
	token := func(by []string, office int64, scope string) []string {
		status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/tokens", office), map[string]any{"name": scope, "days": 1, "scope": scope, "password": good}, by...)
		require.Equal(h.t, 200, status, v)
		return []string{"Authorization", "Bearer " + v["made"].(string)}
	}
	role := func(name, role string) {
		p, _, err := h.st.PersonOf(h.t.Context(), name)
		require.NoError(h.t, err)
		status, v, _ := h.ask("PUT", fmt.Sprintf("/api/offices/%d/people", here), map[string]any{"person": p.ID, "role": role}, robin...)
		require.Equal(h.t, 200, status, v)
	}
	gone := h.invites(robin, here, "keeper", "Gone")
	_, v, _ := h.ask("GET", "/api/sessions", nil, gone...)
	status, v, _ := h.ask("DELETE", fmt.Sprintf("/api/sessions?session=%v", v["list"].([]any)[0].(map[string]any)["id"]), nil, gone...)
	require.Equal(h.t, 200, status, v)
	lowered := h.invites(robin, here, "keeper", "Lowered")
	capped := token(lowered, here, "keeper") // may no more than he may by then
	role("Lowered", "reader")
	h.invites(robin, here, "keeper", "Bare")
	role("Bare", "nobody")
	old := token(robin, here, "keeper")
	conn, err := pgx.Connect(h.t.Context(), url)
	require.NoError(h.t, err)
	defer conn.Close(h.t.Context())
	_, err = conn.Exec(h.t.Context(), "UPDATE token SET expires_at = now() - interval '1 s' WHERE id = (SELECT max(id) FROM token)")
	require.NoError(h.t, err)
	return []asker{
		{name: "signed out"},
		{name: "a session that ended", header: gone},
		{name: "a session that never was", header: []string{"Cookie", "__Host-klammer=" + strings.Repeat("A", 43)}},
		{name: "a name without an account", header: []string{"Cookie", "klammer_name=Robin"}},
		{name: "whose role was lowered, with the session from before", header: lowered},
		{name: "whose roles were taken away", header: []string{"Cookie", "__Host-klammer=" + h.signs("Bare")}, person: true, known: true},
		{name: "reader", header: h.invites(robin, here, "reader", "Reader"), here: 1, person: true, known: true},
		{name: "planner", header: h.invites(robin, here, "planner", "Planner"), here: 2, person: true, known: true},
		{name: "technician", header: h.invites(robin, here, "technician", "Technician"), here: 1, fits: true, person: true, known: true},
		{name: "token of a technician", header: token(robin, here, "technician"), here: 1, fits: true, tests: true, known: true},
		{name: "carrier", header: h.invites(robin, here, "carrier", "Carrier"), here: 3, person: true, known: true},
		{name: "keeper", header: h.invites(robin, here, "keeper", "Keeper"), here: 4, person: true, known: true},
		{name: "keeper of another office", header: h.invites(robin, there, "keeper", "Other"), there: 4, person: true, known: true},
		{name: "planner of all", header: h.invites(robin, 0, "planner", "Everywhere"), here: 2, there: 2, all: 2, person: true, known: true},
		{name: "token for tests", header: token(robin, here, "tests"), tests: true},
		{name: "token of a reader", header: token(robin, here, "reader"), here: 1, known: true},
		{name: "token of a planner", header: token(robin, here, "planner"), here: 2, known: true},
		{name: "token of a carrier", header: token(robin, here, "carrier"), here: 3, tests: true, known: true},
		{name: "token of a keeper", header: token(robin, here, "keeper"), here: 4, tests: true, known: true},
		{name: "token of another office", header: token(robin, there, "keeper"), there: 4, tests: true, known: true},
		{name: "token of a keeper who is a reader now", header: capped, here: 1, known: true},
		{name: "token that ended", header: old},
		{name: "keeper of all", header: robin, here: 4, there: 4, all: 4, person: true, known: true},
	}
}

// door is a route as one would have it who has not read the server: who may, and a request
// that would do its work.
type door struct {
	route string
	may   func(asker) bool
	ask   func() (query string, body any) // nil for a GET without a query
	works bool                            // the database is another one afterwards
	once  bool                            // after it nothing is as before: only the last asker who may is let do it
}

// TestWhoMay asks for every route that there is as everybody there is, with a request that
// would do its work, and looks at the database afterwards: who may not has changed nothing and
// was told nothing, and where somebody may, it was done.
func TestWhoMay(t *testing.T) {
	url := clustertest.New(t, url)
	h := newHouseOn(t, url)
	key, err := secrets.New([]byte(strings.Repeat("k", 32)))
	require.NoError(t, err)
	h.srv.SpeakTo(server.Field{Key: key})
	h.srv.SpeakOut(server.Out{Tick: -1}) // nothing changes the database meanwhile
	robin := h.first()
	here, there := h.offices[0], h.offices[1]
	all := everybody(h, robin, url)
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	digest := digests(t, conn)
	one := func(sql string, args ...any) (n int64) {
		t.Helper()
		require.NoError(t, conn.QueryRow(t.Context(), sql, args...).Scan(&n), sql)
		return n
	}
	do := func(method, path string, body any) map[string]any {
		t.Helper()
		status, v, _ := h.ask(method, strings.ReplaceAll(path, ":id", fmt.Sprint(here)), body, robin...)
		require.Equal(t, 200, status, "%s %s: %v", method, path, v)
		return v
	}
	lines := func(l ...string) map[string]any {
		return map[string]any{"base": one("SELECT revision FROM office WHERE id = $1", here), "commands": []any{map[string]any{"lines": l}}}
	}
	count := 0
	vid := 100
	other := func() int { vid++; return vid } // another one each time
	edited := func() int64 {                  // an edit that can be taken back
		return int64(do("POST", "/api/offices/:id/edits", lines(fmt.Sprintf("s 2: %d", other())))["revision"].(float64))
	}
	ordered := func() int64 {
		edited()
		return int64(do("POST", "/api/offices/:id/orders", map[string]any{"from": "revision", "revision": 2})["id"].(float64))
	}
	quiet := func() { // until nothing goes on in the background
		require.Eventually(t, func() bool {
			carry, _ := do("GET", "/api/offices/:id/orders", nil)["carry"].(map[string]any)
			return do("GET", "/api/offices/:id/readings", nil)["running"] == nil && carry["running"] != true
		}, 30*time.Second, 10*time.Millisecond)
	}
	person := func(name string) int64 { return one("SELECT id FROM person WHERE name = $1", name) }
	somebody := func() int64 { // that nobody asks as
		count++
		h.invites(robin, here, "planner", fmt.Sprint("Somebody ", count))
		return person(fmt.Sprint("Somebody ", count))
	}
	do("POST", "/api/offices/:id/edits", lines("s speaks snmp at 127.0.0.1:1", "vlan 10 desks net 10.0.10.0/24", "vlan 20 phones", "s manage 10", "plug s.1 \"pc\" wants 10 operator"))
	do("PUT", "/api/offices/:id/credentials", map[string]any{"name": "first", "community": "hush-hush"})
	copied := int64(do("POST", "/api/offices", map[string]any{"copy": here, "title": "tried"})["id"].(float64))

	anyone := func(asker) bool { return true }
	least := func(role int) func(asker) bool {
		return func(a asker) bool { return a.here >= role || role == 3 && a.fits }
	}
	self := func(role int) func(asker) bool {
		return func(a asker) bool { return a.person && (a.here >= role || role == 3 && a.fits) }
	}
	ofAll := func(role int) func(asker) bool { return func(a asker) bool { return a.all >= role } }
	signed := func(a asker) bool { return a.person }
	nothing := func() (string, any) { return "", nil }
	q := func(query string) func() (string, any) { return func() (string, any) { return query, nil } }
	body := func(f func() map[string]any) func() (string, any) { return func() (string, any) { return "", f() } }
	is := func(v map[string]any) func() (string, any) { return func() (string, any) { return "", v } }
	const o = "/api/offices/:id"
	wanted := func() map[string]any {
		count++
		return map[string]any{"way": "mail", "target": fmt.Sprintf("robin%d@clinic.example", count), "kinds": []string{"drift"}}
	}
	hears := func() int64 { // something that Robin is told by
		for _, one := range do("GET", "/api/offices/:id/notices", nil)["to"].([]any) {
			if v := one.(map[string]any); v["mine"] == true {
				do("DELETE", fmt.Sprintf("/api/offices/:id/notices?notice=%v", v["id"]), nil)
			}
		}
		do("POST", "/api/offices/:id/notices", wanted())
		return one("SELECT max(id) FROM notice_to")
	}
	doors := []door{
		{"GET /api/health", anyone, nothing, false, false},
		{"GET /api/me", anyone, nothing, false, false},
		{"PUT /api/me", anyone, is(map[string]any{"name": "Mallory"}), false, false}, // which is no way to a name here
		{"GET /api/offices", signed, nothing, false, false},
		{"GET /api/search", signed, q("q=rack"), false, false},
		{"POST /api/offices", ofAll(2), body(func() map[string]any { return map[string]any{"title": "new", "copy": there} }), true, false},
		{"POST /api/intake", least(2), body(func() map[string]any {
			count++
			return map[string]any{"name": "x.csv", "text": fmt.Sprintf("den%d\nVLAN,Name,1,2\n10,desks,U,x\n", count), "into": here, "take": true}
		}), true, false},
		{"POST /api/intake, looked at", least(2), is(map[string]any{"name": "x.csv", "text": "den\nVLAN,Name,1,2\n10,desks,U,x\n", "into": here}), false, false},
		{"POST /api/intake, of another office", func(a asker) bool { return a.there >= 2 }, body(func() map[string]any {
			count++
			return map[string]any{"name": "x.csv", "text": fmt.Sprintf("den%d\nVLAN,Name,1,2\n10,desks,U,x\n", count), "into": there, "take": true}
		}), true, false},
		{"POST /api/intake, a new office", ofAll(2), is(map[string]any{"name": "x.csv", "text": "den\nVLAN,Name,1,2\n10,desks,U,x\n", "title": "den", "take": true}), true, false},
		{"POST " + o + "/takeover", func(a asker) bool { return a.here >= 2 && a.all >= 1 }, body(func() map[string]any {
			status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/edits", copied), map[string]any{"base": one("SELECT revision FROM office WHERE id = $1", copied), "commands": []any{map[string]any{"lines": []string{fmt.Sprintf("s 3: %d", other())}}}}, robin...)
			require.Equal(t, 200, status, v)
			return map[string]any{"from": copied}
		}), false, false},
		{"GET " + o + "/tried", func(a asker) bool { return a.here >= 1 && a.all >= 1 }, q(fmt.Sprintf("from=%d", copied)), false, false},
		{"GET " + o, least(1), nothing, false, false},
		{"POST " + o + "/edits", least(2), body(func() map[string]any { return lines(fmt.Sprintf("s 1: %d", other())) }), true, false},
		{"POST " + o + "/preview", least(2), body(func() map[string]any { return lines("s 1: 30") }), false, false},
		{"POST " + o + "/undo", least(2), body(func() map[string]any { return map[string]any{"revision": edited()} }), true, false},
		{"POST " + o + "/restore", least(4), body(func() map[string]any { return map[string]any{"revision": edited() - 1} }), true, false},
		{"GET " + o + "/at/:revision", least(1), nothing, false, false},
		{"GET " + o + "/history", least(1), nothing, false, false},
		{"GET " + o + "/shelf", least(1), nothing, false, false},
		{"POST " + o + "/shelf", least(2), is(map[string]any{"name": "desks", "text": "use desk 110 [140]"}), true, false},
		{"PUT " + o + "/shelf/follow", least(2), body(func() map[string]any {
			do("POST", "/api/offices/:id/shelf", map[string]any{"name": "desks", "text": "use desk 110 [140]"})
			return map[string]any{"name": "desks", "revision": 1, "because": fmt.Sprint(other())}
		}), true, false},
		{"DELETE " + o + "/shelf", ofAll(4), func() (string, any) {
			do("POST", "/api/offices/:id/shelf", map[string]any{"name": "spare", "text": "use desk 110 [140]"})
			return "name=spare", nil
		}, true, false},
		{"GET " + o + "/checkups", least(1), nothing, false, false},
		{"POST " + o + "/checkups", least(3), is(map[string]any{}), true, false},
		{"PUT " + o + "/checkups/every", least(3), body(func() map[string]any { return map[string]any{"days": 1 + other()%300} }), true, false},
		{"GET " + o + "/notices", self(1), nothing, false, false},
		{"POST " + o + "/notices", self(1), body(func() map[string]any { return wanted() }), true, false},
		{"POST " + o + "/notices, a webhook", self(4), is(map[string]any{"way": "webhook", "target": "http://127.0.0.1:9/", "kinds": []string{"drift"}}), true, false},
		{"POST " + o + "/notices, of backups", self(4), is(map[string]any{"way": "mail", "target": "ida@clinic.example", "kinds": []string{"backup"}}), true, false},
		{"DELETE " + o + "/notices, another's", self(4), func() (string, any) { return fmt.Sprintf("notice=%d", hears()), nil }, true, false},
		{"POST " + o + "/notices/test, another's", self(4), body(func() map[string]any { return map[string]any{"id": hears()} }), true, false},
		{"GET " + o + "/handbook", least(1), nothing, false, false},
		{"GET " + o + "/story", least(1), nothing, false, false},
		{"PUT " + o + "/history/:revision/name", least(2), body(func() map[string]any { return map[string]any{"name": fmt.Sprintf("before move %d", other())} }), false, false},
		{"GET " + o + "/explain", least(1), q("ports=s.1&vlan=10"), false, false},
		{"GET " + o + "/mends", least(1), q("finding=x"), false, false},
		{"GET " + o + "/walk", least(1), q("from=s.1"), false, false},
		{"GET " + o + "/talk", least(1), nothing, false, false},
		{"GET " + o + "/talk/way", least(1), q("from=10&to=outside"), false, false},
		{"GET " + o + "/propose", least(1), q("name=fresh"), false, false},
		{"GET " + o + "/compare", func(a asker) bool { return a.here >= 1 && a.there >= 1 }, q(fmt.Sprintf("with=%d", there)), false, false},
		{"GET " + o + "/compare, with itself", least(1), q(fmt.Sprintf("with=%d", here)), false, false},
		{"POST " + o + "/here", least(1), is(map[string]any{"tab": "t", "port": "s.1", "vid": 10}), false, false},
		{"GET " + o + "/sheet", least(1), q("device=s"), false, false},
		{"GET " + o + "/found", least(1), nothing, false, false},
		{"GET " + o + "/found/meaning", least(1), q("device=s"), false, false},
		{"GET " + o + "/found/view", least(1), nothing, false, false},
		{"POST " + o + "/found", least(3), is(map[string]any{"device": "s", "text": "1: 20", "keep": true}), true, false},
		{"PUT " + o + "/ticks", least(3), body(func() map[string]any {
			count++
			return map[string]any{"device": "s", "step": fmt.Sprint("step ", count), "on": true}
		}), true, false},
		{"GET " + o + "/orders", least(1), nothing, false, false},
		{"POST " + o + "/orders", least(3), body(func() map[string]any { edited(); return map[string]any{"from": "revision", "revision": 2} }), true, false},
		{"DELETE " + o + "/orders", least(3), nothing, false, false},
		{"PUT " + o + "/orders/ticks", least(3), body(func() map[string]any { return map[string]any{"order": ordered(), "step": 0, "on": true} }), true, false},
		{"GET " + o + "/orders/at", least(1), q("step=0"), false, false},
		{"GET " + o + "/orders/protocol", least(1), q(""), false, false},
		{"POST " + o + "/orders/rehearsal", least(3), body(func() map[string]any { return map[string]any{"order": ordered(), "visit": 0} }), false, false},
		{"POST " + o + "/orders/carry", least(3), body(func() map[string]any { return map[string]any{"order": ordered(), "visit": 0} }), true, false}, // the record
		{"GET " + o + "/readings", least(1), nothing, false, false},
		{"POST " + o + "/readings", least(3), is(map[string]any{"devices": []string{"s"}}), true, false},
		{"DELETE " + o + "/readings", least(3), nothing, false, false},
		{"GET " + o + "/round", least(1), nothing, false, false},
		{"GET " + o + "/round/working", least(1), nothing, false, false},
		{"GET " + o + "/round/here", least(1), nothing, false, false},
		{"PUT " + o + "/round/results", least(3), body(func() map[string]any {
			return map[string]any{"port": "s.1", "wire": 0, "became": "passed", "revision": one("SELECT revision FROM office WHERE id = $1", here)}
		}), true, false},
		{"POST " + o + "/round/play", least(3), is(map[string]any{"port": "s.1"}), true, false},
		{"POST /api/sign-in", anyone, is(map[string]any{"name": "Robin", "password": "a wrong one"}), false, false},
		{"POST /api/invited", anyone, is(map[string]any{"secret": "none"}), false, false},
		{"POST /api/join", anyone, is(map[string]any{"secret": "none", "name": "Mallory", "password": good}), false, false},
		{"GET /api/sessions", signed, nothing, false, false},
		{"DELETE /api/sessions", signed, q("session=999999"), false, false},
		{"PUT /api/password", signed, is(map[string]any{"old": "wrong", "new": good + "-2"}), false, false},
		{"POST /api/sign-in/passkey", anyone, nothing, false, false},
		{"PUT /api/sign-in/passkey", anyone, is(map[string]any{"ceremony": "none", "name": "", "response": map[string]any{}}), false, false},
		{"GET /api/passkeys", signed, nothing, false, false},
		{"POST /api/passkeys", signed, is(map[string]any{"password": good}), false, false},
		{"PUT /api/passkeys", signed, is(map[string]any{"ceremony": "none", "name": "x", "response": map[string]any{}}), false, false},
		{"PUT /api/passkeys/alone", signed, is(map[string]any{"alone": true, "password": good}), false, false},
		{"PUT /api/passkeys/forget", signed, is(map[string]any{"passkey": 1, "password": good}), false, false},
		{"GET /api/people", ofAll(4), nothing, false, false},
		{"PUT /api/people", ofAll(4), body(func() map[string]any { return map[string]any{"person": somebody(), "role": "reader"} }), true, false},
		{"DELETE /api/people", ofAll(4), func() (string, any) { return fmt.Sprintf("person=%d", somebody()), nil }, true, false},
		{"POST /api/invitations", ofAll(4), is(map[string]any{"role": "reader"}), true, false},
		{"DELETE /api/invitations", ofAll(4), func() (string, any) {
			do("POST", "/api/invitations", map[string]any{"role": "reader"})
			return fmt.Sprintf("invitation=%d", one("SELECT max(id) FROM invitation")), nil
		}, true, false},
		{"GET /api/record", ofAll(4), nothing, false, false},
		{"GET " + o + "/people", self(4), nothing, false, false},
		{"PUT " + o + "/people", self(4), body(func() map[string]any { return map[string]any{"person": somebody(), "role": "reader"} }), true, false},
		{"POST " + o + "/invitations", self(4), is(map[string]any{"role": "reader"}), true, false},
		{"DELETE " + o + "/invitations", self(4), func() (string, any) {
			do("POST", o+"/invitations", map[string]any{"role": "reader"})
			return fmt.Sprintf("invitation=%d", one("SELECT max(id) FROM invitation")), nil
		}, true, false},
		{"GET " + o + "/record", self(4), nothing, false, false},
		{"GET " + o + "/tokens", self(3), nothing, false, false},
		{"POST " + o + "/tokens", self(3), is(map[string]any{"name": "laptop", "days": 1}), true, false},
		{"DELETE " + o + "/tokens", self(3), func() (string, any) {
			do("POST", o+"/tokens", map[string]any{"name": "spare", "days": 1})
			return fmt.Sprintf("token=%d", one("SELECT max(id) FROM token WHERE office_id = $1", here)), nil
		}, true, false},
		{"POST /api/probe/looks", func(a asker) bool { return a.tests }, is(map[string]any{"port": "s.1"}), false, false},
		{"POST /api/probe/reports", func(a asker) bool { return a.tests && a.there == 0 }, is(map[string]any{"id": here, "port": "s.1", "saw": []any{}}), false, false},
		{"POST " + o + "/discover", least(3), is(map[string]any{"addresses": []string{"127.0.0.1:1"}}), true, false}, // the record
		{"PUT " + o + "/readings/every", least(3), body(func() map[string]any { return map[string]any{"minutes": 5000 + other()} }), true, false},
		{"PUT " + o + "/credentials", least(4), is(map[string]any{"name": "second", "community": "hush-hush"}), true, false},
		{"DELETE " + o + "/credentials", least(4), func() (string, any) {
			do("PUT", o+"/credentials", map[string]any{"name": "third", "community": "hush-hush"})
			return "name=third", nil
		}, true, false},
		{"GET " + o + "/workbook", least(1), nothing, true, false}, // the record
		{"GET " + o + "/grid", least(1), q("device=s"), true, false},
		{"GET " + o + "/notation", least(1), nothing, true, false},
		{"DELETE " + o, least(4), q("title=Here"), true, true},
	}

	// Each route that there is has a door, but the stream of events (TestStreamEnds).
	known := map[string]bool{}
	for _, d := range doors {
		route, _, _ := strings.Cut(d.route, ", ")
		known[route] = true
	}
	for _, r := range server.Rights() {
		if !strings.HasSuffix(r.Path, "/events") {
			require.True(t, known[r.Method+" "+r.Path], "%s %s: nobody has tried that door", r.Method, r.Path)
		}
	}

	do("POST", o+"/edits", lines(`office "Here"`))
	refusals := []string{"is told by who keeps the office", "is told to keepers", "there is nobody of that number", "sign in first", "this takes a ", "reports tests, and does nothing", "there is no office of that number", "takes somebody who is signed in", "ended on", "a probe reports with a token", "this token is not known", "only looks or plans", "this token is for office"}
	asked, refusedN, done := 0, 0, 0
	for _, d := range doors {
		route, _, _ := strings.Cut(d.route, ", ")
		method, path, _ := strings.Cut(route, " ")
		path = strings.NewReplacer(":id", fmt.Sprint(here), ":revision", "1").Replace(path)
		for _, a := range all {
			may := d.may(a)
			if d.once && may && a.name != "keeper of all" {
				continue
			}
			query, body := d.ask()
			to := path
			if query != "" {
				to += "?" + query
			}
			before := digest()
			status, v, _ := h.ask(method, to, body, a.header...)
			quietly := map[bool]func(){true: quiet, false: func() {}}[may && slices.Contains([]string{"POST " + o + "/readings", "POST " + o + "/orders/carry"}, route)]
			quietly()
			refused := false
			for _, text := range refusals {
				refused = refused || strings.Contains(fmt.Sprint(v["error"]), text)
			}
			what := fmt.Sprintf("%s by %s: %d %v", d.route, a.name, status, v)
			require.Equal(t, may, !refused, what)
			if refused {
				require.Contains(t, []int{401, 403, 404}, status, what)
				delete(v, "field")
				require.Len(t, v, 2, "an error and its code, and nothing else: %s", what)
				require.Equal(t, before, digest(), "it was refused, and something was done: %s", what)
				refusedN++
			} else if d.works {
				require.Equal(t, 200, status, what)
				require.NotEqual(t, before, digest(), "nothing was done: %s", what)
				done++
			}
			asked++
		}
	}
	told, err := os.ReadFile("../docs/service.md")
	require.NoError(t, err)
	table, err := server.RightsTable()
	require.NoError(t, err)
	require.Contains(t, string(told), string(table), "docs/service.md has the table: klammer serve rights")
	t.Logf("%d doors, %d askers: %d requests, %d refused and nothing done, %d done", len(doors), len(all), asked, refusedN, done)
}

// digests gives a function that tells of every row that the database keeps which version it is:
// any that comes, goes or is written again makes another text. When sessions and tokens were
// seen last does not count.
func digests(t *testing.T, conn *pgx.Conn) func() string {
	t.Helper()
	rows, err := conn.Query(t.Context(), `SELECT table_name::text FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE' ORDER BY 1`)
	require.NoError(t, err)
	tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	var parts []string
	for _, table := range tables {
		version := "ctid::text || xmin::text"
		switch table {
		case "session":
			version = "row(id, person_id, hash, about, expires_at)::text"
		case "token":
			version = "row(id, office_id, name, hash, scope, author, expires_at, person_id)::text"
		}
		parts = append(parts, fmt.Sprintf(`SELECT '%s ' || COALESCE(md5(string_agg(%s, ',' ORDER BY %[2]s)), 'empty') FROM %[1]s`, table, version))
	}
	all := strings.Join(parts, " UNION ALL ")
	return func() string {
		t.Helper()
		rows, err := conn.Query(t.Context(), all)
		require.NoError(t, err)
		lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		return strings.Join(lines, "\n")
	}
}
