package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

var url string

func TestMain(m *testing.M) { os.Exit(clustertest.Main(m, &url)) }

// desk is a server with an office of its own, and a browser's name.
type desk struct {
	t      testing.TB
	base   string // http://127.0.0.1:port
	office int64
	name   string
	srv    *server.Server // nil where nobody asks it but over HTTP
}

func serve(t testing.TB) string {
	ctx, stop := context.WithCancel(context.Background())
	st, err := store.Open(ctx, url)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	done := make(chan error, 1)
	go func() { done <- server.New(ctx, st, slog.New(slog.DiscardHandler)).Serve(l) }()
	t.Cleanup(func() {
		stop()
		<-done
		st.Close()
	})
	return "http://" + l.Addr().String()
}

func open(t testing.TB) desk {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	return openWith(t, string(text))
}

func openWith(t testing.TB, text string) desk {
	d := desk{t: t, base: serve(t), name: "Robin"}
	f, err := notation.Read("office", text)
	require.NoError(t, err)
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	d.office, err = st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
	require.NoError(t, err)
	return d
}

// ask sends a request below the office and gives the answer.
func (d desk) ask(method, path, body string, header ...string) (int, map[string]any) {
	req, err := http.NewRequest(method, fmt.Sprintf("%s/api/offices/%d%s", d.base, d.office, path), strings.NewReader(body))
	require.NoError(d.t, err)
	req.Header.Set("Content-Type", "application/json")
	if d.name != "" {
		req.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
	}
	for i := 0; i+1 < len(header); i += 2 {
		if header[i] == "Host" {
			req.Host = header[i+1]
		}
		req.Header.Set(header[i], header[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(d.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(d.t, err)
	var out map[string]any
	if json.Unmarshal(text, &out) != nil {
		out = map[string]any{"text": string(text)}
	}
	return resp.StatusCode, out
}

func (d desk) edit(base int, what string) (int, map[string]any) {
	return d.ask("POST", "/edits", fmt.Sprintf(`{"base":%d,"commands":[{%s}]}`, base, what))
}

// TestBadRequests: each is refused with a message that names the field, and
// nothing is changed.
func TestBadRequests(t *testing.T) {
	d := open(t)
	for _, row := range []struct {
		says, path, body string
		status           int
		field, message   string
	}{
		{"VID 0", "/edits", `{"base":1,"commands":[{"member":{"vids":[0],"ports":["rack.1"],"as":"tagged"}}]}`, 400, "commands[0].member.vids[0]", "reserved"},
		{"VID 4095", "/edits", `{"base":1,"commands":[{"member":{"vids":[110,4095],"ports":["rack.1"],"as":"tagged"}}]}`, 400, "commands[0].member.vids[1]", "reserved"},
		{"a VID that is no number", "/edits", `{"base":1,"commands":[{"member":{"vids":["x"],"ports":["rack.1"],"as":"tagged"}}]}`, 400, "commands[0].member.vids[0]", "a whole number"},
		{"two untagged VLANs", "/edits", `{"base":1,"commands":[{"member":{"vids":[110,120],"ports":["rack.1"],"as":"untagged"}}]}`, 400, "commands[0].member.vids", "one untagged"},
		{"a port that is not there", "/edits", `{"base":1,"commands":[{"member":{"vids":[110],"ports":["rack.1","rack.99"],"as":"tagged"}}]}`, 400, "commands[0].member.ports[1]", "1 to 26"},
		{"a device that is not there", "/edits", `{"base":1,"commands":[{"member":{"vids":[110],"ports":["rak.1"],"as":"tagged"}}]}`, 400, "commands[0].member.ports[0]", "did you mean rack?"},
		{"no port", "/edits", `{"base":1,"commands":[{"member":{"vids":[110],"ports":[],"as":"tagged"}}]}`, 400, "commands[0].member.ports", "no port"},
		{"no such way to be a member", "/edits", `{"base":1,"commands":[{"member":{"vids":[110],"ports":["rack.1"],"as":"maybe"}}]}`, 400, "commands[0].member.as", "untagged, tagged or none"},
		{"an unknown field", "/edits", `{"base":1,"members":{}}`, 400, "members", "no such field"},
		{"nothing to do", "/edits", `{"base":1}`, 400, "commands", "missing"},
		{"two things at once", "/edits", `{"base":1,"commands":[{"lines":["rack 1: 110"],"pvid":{"vid":1,"ports":["rack.1"]}}]}`, 400, "commands[0]", "exactly one"},
		{"a base from the future", "/edits", `{"base":77,"commands":[{"lines":["rack 1: 120"]}]}`, 400, "base", "not there yet"},
		{"a base before the start", "/edits", `{"base":-1,"commands":[{"lines":["rack 1: 120"]}]}`, 400, "base", "at least 0"},
		{"a control character", "/edits", `{"base":1,"commands":[{"lines":["office \"a\u0000b\""]}]}`, 400, "commands[0].lines", "control character"},
		{"a base that is no number", "/edits", `{"base":"1","commands":[{"lines":["rack 1: 120"]}]}`, 400, "base", "a whole number"},
		{"a line with a mistake", "/edits", `{"base":1,"commands":[{"lines":["rack 1: 4095"]}]}`, 400, "commands[0].lines", "column 9: VID 4095 is reserved"},
		{"lines with two mistakes", "/edits", `{"base":1,"commands":[{"lines":["rack 1: 0","rak 2: 110"]}]}`, 400, "commands[0].lines", "line 2, column 1"},
		{"no JSON", "/edits", `member=rack`, 400, "body", "not the JSON"},
		{"half a JSON", "/edits", `{"base":1,`, 400, "body", "not the JSON"},
		{"two JSON documents", "/edits", `{"base":1,"commands":[{"lines":["rack 1: 120"]}]} {}`, 400, "body", "follows"},
		{"a PVID that is none", "/edits", `{"base":1,"commands":[{"pvid":{"vid":4095,"ports":["rack.1"]}}]}`, 400, "commands[0].pvid.vid", "reserved"},
		{"a bring to nowhere", "/edits", `{"base":1,"commands":[{"lines":["bring 130 to nowhere"]}]}`, 400, "commands[0].lines", "device.port"},
		{"a withdraw of what is not there", "/edits", `{"base":1,"commands":[{"lines":["withdraw 130 from rack.1"]}]}`, 400, "commands[0].lines", "not in VLAN 130"},
		{"an undo of what was never done", "/undo", `{"revision":5}`, 400, "revision", "no edit 5"},
		{"a preview with a mistake", "/preview", `{"base":1,"commands":[{"lines":["rack 1: 130-120"]}]}`, 400, "commands[0].lines", "range of untagged"},
	} {
		t.Run(row.says, func(t *testing.T) {
			status, answer := d.ask("POST", row.path, row.body)
			require.Equal(t, row.status, status, answer)
			require.Equal(t, row.field, answer["field"], answer)
			require.Contains(t, answer["error"], row.message)
			require.NotEmpty(t, answer["code"])
		})
	}
	_, now := d.ask("GET", "", "")
	require.EqualValues(t, 1, now["revision"])
}

func TestGuard(t *testing.T) {
	d := open(t)
	status, _ := d.ask("GET", "", "", "Host", "evil.example")
	require.Equal(t, 403, status, "a name that was pointed at this machine")
	status, _ = d.ask("POST", "/edits", `{}`, "Origin", "http://evil.example")
	require.Equal(t, 403, status)
	status, _ = d.ask("POST", "/edits", `{}`, "Content-Type", "text/plain")
	require.Equal(t, 415, status)
	status, _ = d.ask("GET", "/nothing", "")
	require.Equal(t, 404, status)
	for _, path := range []string{"/", "/1/reach", "/1/here", "/1/here/reach", "/theme.js", "/api/me", "/assets/nothing.js"} {
		resp, err := http.Get(d.base + path)
		require.NoError(t, err)
		resp.Body.Close()
		policy := resp.Header.Get("Content-Security-Policy")
		require.Contains(t, policy, "default-src 'self'", path)
		require.Contains(t, policy, "frame-ancestors 'none'", path)
		require.NotContains(t, policy, "unsafe-eval", path)
		require.Equal(t, path == "/1/here", strings.Contains(policy, "connect-src 'self' http: https:"), path)
		require.NotContains(t, policy, "script-src", path) // as everything: its own alone
		require.Empty(t, resp.Header.Get("Server"), path)
		if strings.HasPrefix(path, "/api") {
			require.Equal(t, "no-store", resp.Header.Get("Cache-Control"), path)
			require.Contains(t, resp.Header.Get("Content-Type"), "application/json", path)
		}
		require.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"), path)
		require.Equal(t, "no-referrer", resp.Header.Get("Referrer-Policy"), path)
		require.Equal(t, "same-origin", resp.Header.Get("Cross-Origin-Resource-Policy"), path)
	}
	// A page of another site gets nothing, whatever it asks for; going here by a link does.
	for site, want := range map[string]int{"cross-site": 403, "same-site": 403, "same-origin": 200, "none": 200} {
		status, _ = d.ask("GET", "", "", "Sec-Fetch-Site", site)
		require.Equal(t, want, status, site)
	}
	resp, err := http.Get(d.base + "/1/reach")
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, 200, resp.StatusCode)
	d.name = ""
	status, answer := d.edit(1, `"lines":["rack 1: 120"]`)
	require.Equal(t, 401, status)
	require.Equal(t, "no-name", answer["code"])
	require.Contains(t, answer["error"], "who you are")
	d.office += 1000
	status, _ = d.ask("GET", "", "")
	require.Equal(t, 404, status)
}

// TestMerge: an edit on an old revision goes in where it touches other things,
// and is refused where it touches the same.
func TestMerge(t *testing.T) {
	robin := open(t)
	sam := robin
	sam.name = "Sam"
	status, _ := robin.edit(1, `"lines":["rack 19: 190 [130]"]`)
	require.Equal(t, 200, status)
	status, _ = sam.edit(1, `"lines":["rack 18: 190 [110 160]"]`)
	require.Equal(t, 200, status, "another port")
	status, answer := sam.edit(1, `"member":{"vids":[110],"ports":["rack.19"],"as":"tagged"}`)
	require.Equal(t, 409, status)
	require.Contains(t, answer["error"], "port rack.19 was changed meanwhile by Robin")
	require.Equal(t, "in-the-way", answer["code"])
	status, answer = sam.edit(1, `"lines":["rack limit vlans 8"]`)
	require.Equal(t, 409, status, "the device that the ports are in")
	require.Contains(t, answer["error"], "was changed meanwhile")
	status, _ = sam.edit(3, `"member":{"vids":[110],"ports":["rack.19"],"as":"tagged"}`)
	require.Equal(t, 200, status, "having seen it")
	status, answer = robin.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 409, status, "what was built upon is not pulled away")
	require.Contains(t, answer["error"], "Sam")
	status, _ = sam.ask("POST", "/undo", `{"revision":4}`)
	require.Equal(t, 200, status)
	status, _ = robin.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 200, status, "now that it stands free")
	status, answer = robin.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 409, status)
	require.Contains(t, answer["error"], "already")
	// An edit that changes nothing is no edit.
	_, now := robin.ask("GET", "", "")
	status, same := robin.edit(6, `"member":{"vids":[130],"ports":["rack.9"],"as":"untagged"}`)
	require.Equal(t, 200, status)
	require.Equal(t, now["revision"], same["revision"])
}

// TestClash: an edit that would put two VLANs on the wire as one VID says so.
func TestClash(t *testing.T) {
	d := open(t)
	status, _ := d.edit(1, `"lines":["rack 23: [22@222]"]`)
	require.Equal(t, 200, status)
	status, answer := d.edit(2, `"member":{"vids":[222],"ports":["rack.23"],"as":"tagged"}`)
	require.Equal(t, 400, status)
	require.Equal(t, "commands[0].member.vids", answer["field"])
	require.Contains(t, answer["error"], "rack.23: VLAN 22 rides as VID 222")
}

// TestTwoServers: two servers on one database stay in step, and the stream of
// the one tells of the edits of the other.
func TestTwoServers(t *testing.T) {
	one := open(t)
	two := one
	two.base, two.name = serve(t), "Sam"
	_, _ = two.ask("GET", "", "") // so that it holds the office in memory
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/offices/%d/events", two.base, two.office), nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	stream := bufio.NewScanner(resp.Body)
	stream.Buffer(nil, 1<<20)
	wait := func(event, text string) string {
		for stream.Scan() {
			if stream.Text() != "event: "+event {
				continue
			}
			for stream.Scan() && stream.Text() != "" {
				if strings.HasPrefix(stream.Text(), "data: ") && strings.Contains(stream.Text(), text) {
					return stream.Text()
				}
			}
		}
		t.Fatal("the stream ended")
		return ""
	}
	wait("at", "1")
	status, _ := one.edit(1, `"member":{"vids":[130],"ports":["rack.19"],"as":"tagged"}`)
	require.Equal(t, 200, status)
	require.NotContains(t, wait("edit", `"revision":2`), "not-carried 130")
	status, answer := two.edit(1, `"member":{"vids":[130],"ports":["rack.19"],"as":"none"}`)
	require.Equal(t, 409, status)
	require.Contains(t, answer["error"], "Robin")
	status, _ = two.edit(2, `"member":{"vids":[130],"ports":["rack.18"],"as":"tagged"}`)
	require.Equal(t, 200, status)
}

// TestPreview: what an edit would do, to all followers of a plan, before it is
// made.
func TestPreview(t *testing.T) {
	d := open(t)
	status, p := d.ask("POST", "/preview", `{"base":1,"commands":[{"lines":["use treatment 120"]}]}`)
	require.Equal(t, 200, status)
	require.Equal(t, []any{"ward-east.1", "ward-east.2", "ward-east.3", "ward-east.4", "ward-west.1", "ward-west.2", "ward-west.3", "ward-west.4"}, p["changed"])
	var come []string
	for _, f := range p["come"].([]any) {
		come = append(come, f.(map[string]any)["id"].(string))
	}
	require.Equal(t, []string{"plug-unserved ward-east.1 surgery 1 phone", "plug-unserved ward-west.1 surgery 3 phone"}, come)
	_, now := d.ask("GET", "", "")
	require.EqualValues(t, 1, now["revision"], "a preview changes nothing")
}

// TestDescriptionIsCurrent: what the front end's types and words are made from is
// what the server and the core say.
func TestDescriptionIsCurrent(t *testing.T) {
	for file, made := range map[string]func() ([]byte, error){"openapi.json": server.Description, "../ui/src/api/words.ts": server.Words} {
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		got, err := made()
		require.NoError(t, err)
		require.Equal(t, string(want), string(got), "make %s anew: ./run describe", file)
	}
}
