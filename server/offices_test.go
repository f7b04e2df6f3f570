package server_test

import (
	"encoding/json"
	"fmt"
	neturl "net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
)

// root asks beside the office: at the list of offices.
func (d desk) root(method, path, body string) (int, map[string]any) {
	d.base += "/api/offices" + path + "?" // what ask puts behind is then a query
	return d.ask(method, "", body)
}

// lines makes an edit of statements on the newest revision.
func (d desk) lines(ls ...string) map[string]any {
	d.t.Helper()
	_, now := d.ask("GET", "", "")
	text, err := json.Marshal(ls)
	require.NoError(d.t, err)
	status, v := d.edit(int(now["revision"].(float64)), `"lines":`+string(text))
	require.Equal(d.t, 200, status, "%v: %v", ls, v["error"])
	return v
}

// TestPastAndRestore: each revision is shown again as it was, whatever kind of
// edit came after, and restored as a new edit that can be undone.
func TestPastAndRestore(t *testing.T) {
	short.Skip(t)
	d := open(t)
	_, first := d.ask("GET", "", "")
	was := []map[string]any{first}
	for _, l := range []string{
		"rack 19: 190 [120 130 140 170]", "renumber 110 to 115 with subnets", "rename device rack to core", "retire 170", "copy ward-east to ward-south",
		"plan front-8 from front", "follow ward-south front-8", "-cable core.19 ward-east.8", "-device yard", "rename use desk to seat",
		`core 3: off because "broken"`, "-plug core.1 \"practice manager's pc\"", "use seat 115", "add den switch, 8 ports; cable den.1 core.19", `office "Elsewhere"`,
	} {
		if strings.HasPrefix(l, "add den") {
			d.lines("add den switch, 8 ports")
			_, now := d.ask("GET", "", "")
			was = append(was, now)
			l = "cable den.1 core.19"
		}
		d.lines(l)
		_, now := d.ask("GET", "", "")
		was = append(was, now)
	}
	for i, want := range was {
		status, then := d.ask("GET", fmt.Sprintf("/at/%d", i+1), "")
		require.Equal(t, 200, status, then)
		require.Equal(t, want, then, "revision %d", i+1)
	}
	status, v := d.ask("POST", "/restore", `{"revision":1}`)
	require.Equal(t, 200, status, v)
	_, now := d.ask("GET", "", "")
	now["revision"], first["revision"] = 0, 0
	require.Equal(t, first, now, "restored")
	status, v = d.ask("POST", "/undo", fmt.Sprintf(`{"revision":%d}`, len(was)+1))
	require.Equal(t, 200, status, v)
	_, now = d.ask("GET", "", "")
	now["revision"], was[len(was)-1]["revision"] = 0, 0
	require.Equal(t, was[len(was)-1], now, "and taken back")

	for _, row := range []struct{ method, path, body, says string }{
		{"GET", "/at/0", "", "the revisions 1 to"},
		{"GET", "/at/999", "", "the revisions 1 to"},
		{"GET", "/at/x", "", "no revision"},
		{"POST", "/restore", `{"revision":0}`, "at least 1"},
	} {
		status, v := d.ask(row.method, row.path, row.body)
		require.Equal(t, 400, status)
		require.Contains(t, v["error"], row.says)
	}
}

// TestOfficesAreStartedAndDeleted: from a text, as a copy, with what is wrong
// at its place; deleted only by name, on every server.
func TestOfficesAreStartedAndDeleted(t *testing.T) {
	d := open(t)
	for _, row := range []struct {
		body, field, says string
		status            int
	}{
		{`{}`, "title", "give the office a name", 400},
		{`{"title":"a\nb"}`, "title", "is not seen", 400},
		{`{"title":"` + strings.Repeat("x", 201) + `"}`, "title", "200", 400},
		{`{"text":"vlan 0 x\ndevice a.b switch"}`, "text", "line 1, column 6", 400},
		{`{"text":"vlan 10 x"}`, "title", "give the office a name", 400},
		{`{"copy":99999}`, "id", "no office", 404},
		{`{"copy":1,"text":"office \"x\""}`, "copy", "not both", 400},
		{`{"text":"` + strings.Repeat("#", 5<<20) + `"}`, "", "more than 4 MB", 413},
	} {
		status, v := d.root("POST", "", row.body)
		require.Equal(t, row.status, status, v)
		require.Contains(t, v["error"], row.says)
		if row.field != "" {
			require.Equal(t, row.field, v["field"])
		}
	}
	_, v := d.root("POST", "", `{"text":"vlan 0 x\ndevice a.b switch"}`)
	require.Len(t, v["mistakes"], 2)
	require.EqualValues(t, 2, v["mistakes"].([]any)[1].(map[string]any)["line"])

	status, v := d.root("POST", "", fmt.Sprintf(`{"copy":%d,"title":"What if"}`, d.office))
	require.Equal(t, 200, status, v)
	other := d
	other.office = int64(v["id"].(float64))
	status, v = d.ask("GET", fmt.Sprintf("/compare?with=%d", other.office), "")
	require.Equal(t, 200, status)
	require.Empty(t, v["ports"], "a copy forwards alike")
	other.lines("rack 19: 190 [120 130 140 170]")
	status, v = d.ask("GET", fmt.Sprintf("/compare?with=%d", other.office), "")
	require.Equal(t, 200, status)
	require.NotEmpty(t, v["go"])
	gains := map[string]any{}
	for _, p := range v["ports"].([]any) {
		gains[p.(map[string]any)["port"].(string)] = p.(map[string]any)["gains"]
	}
	require.Contains(t, gains["ward-east.5"], "rack.9")

	two := other
	two.base = serve(t)
	_, _ = two.ask("GET", "", "")
	status, v = other.ask("DELETE", "?title=Nope", "")
	require.Equal(t, 400, status)
	require.Contains(t, v["error"], `named "What if"`)
	status, _ = other.ask("DELETE", "?title="+neturl.QueryEscape("What if"), "")
	require.Equal(t, 200, status)
	status, _ = other.ask("GET", "", "")
	require.Equal(t, 404, status)
	require.Eventually(t, func() bool { status, _ := two.ask("GET", "", ""); return status == 404 }, 5e9, 2e7, "the other server hears of it")
}

// TestLook: walks, ways and proposals, and what is wrong with a question.
func TestLook(t *testing.T) {
	d := open(t)
	status, v := d.ask("GET", "/walk?from=ward-west.1&wire=untagged&to=rack.9", "")
	require.Equal(t, 200, status)
	require.Equal(t, true, v["journey"].(map[string]any)["arrives"])
	require.Nil(t, v["journey"].(map[string]any)["slowest"], "no cable is slower than another")
	// From a plug a frame wears what the plug wants, from a port what is plugged in.
	for from, wire := range map[string]string{"practice+manager's+phone": "140", "rack.1": "untagged", "rack.22": "untagged"} {
		_, v = d.ask("GET", "/walk?from="+from, "")
		require.Equal(t, wire, v["wire"], from)
	}
	status, v = d.ask("GET", "/propose?name=laundry", "")
	require.Equal(t, 200, status)
	require.EqualValues(t, 180, v["vid"])
	for _, row := range [][3]string{
		{"/walk?from=rack.99", "from", "1 to 26"},
		{"/walk?from=rack.1&wire=4095", "wire", "reserved"},
		{"/walk?from=rack.1&to=nowhere", "to", "device.port"},
		{"/walk", "from", ""},
		{"/propose?name=7", "name", "small letter"},
		{"/propose?name=laundry&vid=110", "vid", "is reception already"},
		{"/propose?name=laundry&vid=4095", "vid", "reserved"},
		{"/history?before=x", "before", "not a number"},
		{"/compare?with=x", "with", "not a number"},
	} {
		status, v := d.ask("GET", row[0], "")
		require.Equal(t, 400, status, row[0])
		require.Equal(t, row[1], v["field"], row[0])
		require.Contains(t, v["error"], row[2])
	}
	status, v = d.ask("POST", "/here", `{"tab":"`+strings.Repeat("x", 50)+`","port":"","vid":0}`)
	require.Equal(t, 400, status, v)
	status, _ = d.ask("POST", "/here", `{"tab":"a","port":"rack.1","vid":110}`)
	require.Equal(t, 200, status)
}
