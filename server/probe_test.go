package server_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/probe"
	"klammer/proof/short"
)

// probe asks as a probe does, with a token.
func (d desk) probe(path, token string, q any) (int, map[string]any) {
	text, err := json.Marshal(q)
	require.NoError(d.t, err)
	req, err := http.NewRequest("POST", d.base+"/api/probe"+path, strings.NewReader(string(text)))
	require.NoError(d.t, err)
	req.Header.Set("Content-Type", "application/json")
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(d.t, err)
	defer resp.Body.Close()
	var v map[string]any
	require.NoError(d.t, json.NewDecoder(resp.Body).Decode(&v))
	return resp.StatusCode, v
}

func (d desk) token(name string) string {
	status, v := d.ask("POST", "/tokens", fmt.Sprintf(`{"name":%q,"days":7}`, name))
	require.Equal(d.t, 200, status, v)
	return v["made"].(string)
}

// into is an answer in its own type.
func into[T any](t *testing.T, v any) (out T) {
	text, err := json.Marshal(v)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &out))
	return out
}

// measures is what a probe reports that is plugged into an office as it is.
func measures(t *testing.T, was *office.Office, looks api.ProbeLooks) api.ProbeReport {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("office", string(text))
	require.NoError(t, err)
	r := round.Make(f.Office)
	ref, err := notation.PortRef(f.Office, looks.Port)
	require.NoError(t, err)
	tests, err := r.At(ref)
	require.NoError(t, err)
	report := api.ProbeReport{ID: looks.ID, Port: looks.Port, Saw: []api.ProbeSaw{}}
	for k, x := range r.Measure(was, tests) {
		s := probe.Saw{Tag: looks.Looks[k].Look().Tag}
		for _, o := range x.Offers {
			o.By = "02:00:00:00:00:01"
			s.Offers = append(s.Offers, probe.Offer{Offer: o})
		}
		for _, a := range x.Answers {
			s.Answers = append(s.Answers, probe.Answer{Answer: a})
		}
		for i, e := range x.Tried {
			s.Tried = append(s.Tried, probe.Tried{Try: r.Look(tests[k]).Tries[i], Ended: e})
		}
		y := api.ProbeSawOf(&s)
		y.Planned = looks.Looks[k].Planned
		report.Saw = append(report.Saw, y)
	}
	return report
}

// TestProbe: a probe asks what to try, by the port or by what it hears, and reports; what
// it saw is judged, kept and explained; the page and its people see it.
func TestProbe(t *testing.T) {
	d := open(t)
	token := d.token("Robin's laptop")
	require.Regexp(t, "^klammer_[A-Za-z0-9_-]{43}$", token)
	_, v := d.ask("GET", "/tokens", "")
	require.NotContains(t, fmt.Sprint(v), token, "it is told once")
	require.Nil(t, v["tokens"].([]any)[0].(map[string]any)["used"])

	status, v := d.probe("/looks", token, api.ProbeAsk{Heard: []api.ProbeHeard{{Device: "phone"}, {Device: "RACK.clinic.example", Port: "gi5"}}, VLANs: []int{170}})
	require.Equal(t, 200, status, v)
	looks := into[api.ProbeLooks](t, v)
	require.Equal(t, "rack.5", looks.Port)
	require.Len(t, looks.Looks, 3, "untagged, the phone.s VLAN, and 170")
	require.Equal(t, 170, *looks.Looks[2].Wire)
	_, v = d.probe("/looks", token, api.ProbeAsk{Port: "rack.5"})
	require.Len(t, v["looks"], 2, "what one asked for besides is nobody else's")

	// A tag that the plan has not there: nothing is to be heard, and somebody answers.
	report := api.ProbeReport{ID: looks.ID, Port: looks.Port, Saw: []api.ProbeSaw{{
		Wire: looks.Looks[2].Wire, Planned: looks.Looks[2].Planned, Offers: []api.ProbeOffer{}, Routers: []api.ProbeRouter{}, Tried: []api.ProbeTried{},
		Answers: []api.ProbeAnswer{{Address: "10.61.170.1", Card: "02:00:00:00:00:01"}},
	}}}
	status, v = d.probe("/reports", token, report)
	require.Equal(t, 200, status, v)
	_, v = d.ask("GET", "/round", "")
	r := tested(t, v, "rack.5", 170.0)
	require.Equal(t, true, r["extra"])
	require.Equal(t, []any{"10.61.170.1 answers, and is not to"}, r["result"].(map[string]any)["wrong"])
	status, v = d.result(map[string]any{"port": "rack.5", "wire": 170, "became": "open", "revision": v["revision"]})
	require.Equal(t, 200, status, v)
	_, v = d.probe("/looks", token, api.ProbeAsk{Port: "rack.5"})
	looks = into[api.ProbeLooks](t, v)

	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("office", string(text))
	require.NoError(t, err)
	status, v = d.probe("/reports", token, measures(t, f.Office, looks))
	require.Equal(t, 200, status, v)
	require.Equal(t, true, v["tests"].([]any)[0].(map[string]any)["passed"], v)
	was, _, err := notation.Line(f.Office, "rack 5: 140")
	require.NoError(t, err)
	status, v = d.probe("/reports", token, measures(t, was, looks))
	require.Equal(t, 200, status, v)
	require.Contains(t, fmt.Sprint(v["suspects"].([]any)[0]), "rack 5 is in 140, and is to be in 110")
	_, v = d.ask("GET", "/round", "")
	r = tested(t, v, "rack.5", nil)["result"].(map[string]any)
	require.Equal(t, []any{true, "Robin's laptop", false}, []any{r["measured"], r["author"], r["passed"]})
	require.Equal(t, "10.61.140.20", r["given"])
	require.Contains(t, fmt.Sprint(v["suspects"].([]any)[0]), "rack 5 is in 140, and is to be in 110")
	_, v = d.ask("GET", "/tokens", "")
	require.NotNil(t, v["tokens"].([]any)[0].(map[string]any)["used"])
}

// TestProbeRefused: what cannot be kept is said, and nothing is kept.
func TestProbeRefused(t *testing.T) {
	d, other := open(t), open(t)
	token := d.token("laptop")
	_, v := d.probe("/looks", token, api.ProbeAsk{Port: "rack.5"})
	looks := into[api.ProbeLooks](t, v)
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("office", string(text))
	require.NoError(t, err)
	report := measures(t, f.Office, looks)
	changed := func(change func(r *api.ProbeReport)) api.ProbeReport {
		r := into[api.ProbeReport](t, report)
		change(&r)
		return r
	}
	expired := d.token("old")
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "UPDATE token SET expires_at = '2026-01-02 03:04Z' WHERE name = 'old' AND office_id = $1", d.office)
	require.NoError(t, err)
	_, before := d.ask("GET", "/round", "")
	for _, x := range []struct {
		path, token string
		q           any
		status      int
		says        string
	}{
		{"/looks", "", api.ProbeAsk{Port: "rack.5"}, 401, "a probe reports with a token"},
		{"/looks", "klammer_" + strings.Repeat("A", 43), api.ProbeAsk{Port: "rack.5"}, 401, "not known here"},
		{"/looks", token + "x", api.ProbeAsk{Port: "rack.5"}, 401, "not known here"},
		{"/looks", expired, api.ProbeAsk{Port: "rack.5"}, 401, `the token "old" ended on 2026-01-02`},
		{"/reports", expired, report, 401, "ended on"},
		{"/looks", token, api.ProbeAsk{}, 400, "say it, as --port rack.1"},
		{"/looks", token, api.ProbeAsk{Port: "rack.99"}, 400, "rack has no port 99"},
		{"/looks", token, api.ProbeAsk{Port: "rack.24"}, 400, "has a cable of the plan"},
		{"/looks", token, api.ProbeAsk{Port: "rack.5", VLANs: []int{4095}}, 400, "4095"},
		{"/looks", token, api.ProbeAsk{Heard: []api.ProbeHeard{{Device: "school-1", Port: "5"}}}, 400, `calls itself "school-1"`},
		{"/looks", token, api.ProbeAsk{Heard: []api.ProbeHeard{{Device: "rack", Port: "gi77"}}}, 400, `in its port "gi77"`},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.ID = int64(other.office) }), 403, "this token is for office"},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.Port = "rack.99" }), 400, "rack has no port 99"},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.Saw[0].Planned = "other" }), 409, "the plan moved on"},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.Saw[0].Offers[0].Address = "10.61" }), 400, "no address"},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.Saw[0].Offers[0].Card = "<b>" }), 400, "no network card"},
		{"/reports", token, changed(func(r *api.ProbeReport) { r.Saw[0].Answers[0].Address = "fe80::1%eth0" }), 400, "no address"},
	} {
		status, v := d.probe(x.path, x.token, x.q)
		require.Equal(t, x.status, status, "%v: %v", x.q, v)
		require.Contains(t, v["error"], x.says)
	}
	_, after := d.ask("GET", "/round", "")
	require.Equal(t, before, after, "nothing was kept")

	// What the plan moves on from is refused; what it leaves as it was is kept.
	d.lines("ward-east 1: 110")
	status, v := d.probe("/reports", token, report)
	require.Equal(t, 200, status, v)
	d.lines("rack 5: 130")
	status, v = d.probe("/reports", token, report)
	require.Equal(t, 409, status, v)

	// A token opens nothing else, and ends.
	nobody := d
	nobody.name = ""
	status, _ = nobody.ask("PUT", "/round/results", `{"port":"rack.9","became":"passed","revision":1}`, "Authorization", "Bearer "+token)
	require.Equal(t, 403, status)
	_, v = d.ask("GET", "/tokens", "")
	id := v["tokens"].([]any)[1].(map[string]any)["id"]
	status, _ = other.ask("DELETE", fmt.Sprintf("/tokens?token=%v", id), "")
	require.Equal(t, 404, status, "of another office")
	status, v = d.ask("DELETE", fmt.Sprintf("/tokens?token=%v", id), "")
	require.Equal(t, 200, status, v)
	status, v = d.probe("/looks", token, api.ProbeAsk{Port: "rack.5"})
	require.Equal(t, 401, status, v)
	for range 49 {
		_ = d.token("more")
	}
	status, v = d.ask("POST", "/tokens", `{"name":"one too many","days":7}`)
	require.Equal(t, 422, status, v)
}

// TestTokenListens: where nobody signs in, a token that is nobody's listens on, whoever's
// else ends.
func TestTokenListens(t *testing.T) {
	short.Skip(t)
	d := open(t)
	status, v := d.ask("POST", "/tokens", `{"name":"script","days":1,"scope":"reader"}`)
	require.Equal(t, 200, status, v)
	r, err := http.NewRequest("GET", fmt.Sprintf("%s/api/offices/%d/events", d.base, d.office), nil)
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+v["made"].(string))
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, 200, resp.StatusCode)
	ended := make(chan struct{})
	go func() {
		_, _ = io.Copy(io.Discard, resp.Body)
		close(ended)
	}()
	select {
	case <-ended:
		require.Fail(t, "its stream ended by itself")
	case <-time.After(2500 * time.Millisecond): // two sweeps
	}
	status, v = d.ask("DELETE", fmt.Sprintf("/tokens?token=%v", v["tokens"].([]any)[0].(map[string]any)["id"]), "")
	require.Equal(t, 200, status, v)
	select {
	case <-ended:
	case <-time.After(2 * time.Second):
		require.Fail(t, "it still listens")
	}
}
