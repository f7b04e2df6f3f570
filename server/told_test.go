package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	neturl "net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
)

// listen opens a tab's stream of an office and gives the next event of a kind,
// "" where none comes within a moment.
func (d desk) listen(tab string) func(event string, within time.Duration) string {
	ctx, stop := context.WithCancel(d.t.Context())
	d.t.Cleanup(stop)
	req, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/offices/%d/events?tab=%s", d.base, d.office, tab), nil)
	require.NoError(d.t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(d.t, err)
	d.t.Cleanup(func() { resp.Body.Close() })
	type event struct{ name, data string }
	heard := make(chan event, 100)
	go func() {
		defer close(heard)
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 1<<20)
		name := ""
		for lines.Scan() {
			if x, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				name = x
			} else if x, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				heard <- event{name, x}
			}
		}
	}()
	return func(name string, within time.Duration) string {
		late := time.After(within)
		for {
			select {
			case e := <-heard:
				if e.name == name {
					return e.data
				}
			case <-late:
				return ""
			}
		}
	}
}

// TestToldOnce: an edit is told to everybody but the tab that made it, which has
// the same in its answer, with what it asked to see.
func TestToldOnce(t *testing.T) {
	short.Skip(t)
	d := open(t)
	mine, other := d.listen("mine"), d.listen("other")
	require.NotEmpty(t, mine("at", 5*time.Second))
	require.NotEmpty(t, other("at", 5*time.Second))
	status, answer := d.ask("POST", "/edits",
		`{"base":1,"commands":[{"member":{"vids":[130],"ports":["rack.19"],"as":"tagged"}}],"look":{"ports":["rack.19"],"vlan":130}}`, "Klammer-Tab", "mine")
	require.Equal(t, 200, status, "%v", answer)
	require.Equal(t, false, answer["whole"])
	look := answer["look"].(map[string]any)
	require.Equal(t, "rack 19", look["title"])
	require.EqualValues(t, 130, look["reach"].(map[string]any)["vid"])
	delete(answer, "look")
	var told map[string]any
	require.NoError(t, json.Unmarshal([]byte(other("edit", 5*time.Second)), &told))
	require.Equal(t, answer, told, "both are told the same")
	require.Len(t, told["devices"], 1, "of the device that changed only: %v", told["order"])
	require.Contains(t, told["gone"], "not-carried rack.19 ward-east.8")
	require.Empty(t, mine("edit", 700*time.Millisecond), "the tab that made it has it in its answer")
	require.Equal(t, "2", mine("beat", 8*time.Second), "and could notice that it missed one")
}

// TestMendsAreKept: mends are tried for a page of findings, and again only for
// those that an edit touched.
func TestMendsAreKept(t *testing.T) {
	d := open(t)
	mends := func(ids ...string) map[string][]any {
		q := neturl.Values{"finding": ids}
		status, answer := d.ask("GET", "/mends?"+q.Encode(), "")
		require.Equal(t, 200, status, "%v", answer)
		var list []struct {
			Finding string
			Mends   []any
		}
		require.NoError(t, json.Unmarshal([]byte(answer["text"].(string)), &list))
		out := map[string][]any{}
		for _, m := range list {
			out[m.Finding] = m.Mends
		}
		return out
	}
	const cable, mode = "not-carried rack.19 ward-east.8", "bundle-mode archive.bond rack.store"
	first := mends(cable, mode, "no such finding")
	require.Len(t, first, 3)
	require.NotEmpty(t, first[cable])
	require.NotEmpty(t, first[mode])
	require.Empty(t, first["no such finding"])
	status, answer := d.edit(1, `"lines":["ward-east 8: 190 [110 120 130 140 160 170]"]`)
	require.Equal(t, 200, status)
	stale := fmt.Sprint(answer["stale"], answer["findings"], answer["gone"])
	require.Contains(t, stale, cable, "it is about a port of the device that was set")
	require.NotContains(t, stale, mode, "nothing of the other was touched")
	require.Equal(t, first[mode], mends(mode)[mode])
	status, answer = d.ask("GET", "/mends", "")
	require.Equal(t, 400, status)
	require.Equal(t, "finding", answer["field"])
	many := neturl.Values{}
	for i := range 65 {
		many.Add("finding", fmt.Sprint(i))
	}
	status, _ = d.ask("GET", "/mends?"+many.Encode(), "")
	require.Equal(t, 400, status)
}

// TestFoundIsTold: what was found stands in the office, an edit tells of the
// devices that it touched, and what it means is asked for by itself.
func TestFoundIsTold(t *testing.T) {
	d := open(t)
	heard := d.listen("x")
	status, answer := d.ask("POST", "/found", `{"device":"rack","text":"1: 120","base":"plan","keep":true}`)
	require.Equal(t, 200, status, "%v", answer)
	require.Contains(t, heard("found", 5*time.Second), `"found":"rack"`)
	_, now := d.ask("GET", "", "")
	found := now["found"].(map[string]any)
	require.Equal(t, []any{"rack"}, found["devices"])
	require.Equal(t, map[string]any{"rack.1": "120"}, found["ports"])
	_, answer = d.ask("GET", "/found", "")
	require.Equal(t, found, answer)
	status, answer = d.edit(1, `"lines":["front 1: 110"]`)
	require.Equal(t, 200, status)
	require.Nil(t, answer["found"], "nothing was found of that device")
	status, answer = d.edit(2, `"lines":["rack 1: 120"]`)
	require.Equal(t, 200, status)
	require.Equal(t, map[string]any{"devices": []any{"rack"}, "ports": map[string]any{}, "routing": map[string]any{}}, answer["found"], "the plan is what was found")
	_, meaning := d.ask("GET", "/found/meaning?device=rack", "")
	require.Equal(t, "[]", meaning["text"])
	status, _ = d.edit(3, `"lines":["rack 1: 110"]`)
	require.Equal(t, 200, status)
	_, meaning = d.ask("GET", "/found/meaning?device=rack", "")
	require.Contains(t, meaning["text"], `"port":"rack.1"`)

	// From where the ports start that a text does not mention.
	for base, second := range map[string]string{"plan": "110", "factory": "1", "found": "140"} {
		if base == "found" {
			status, _ = d.ask("POST", "/found", `{"device":"rack","text":"2: 140","base":"plan","keep":true}`)
			require.Equal(t, 200, status)
		}
		status, answer = d.ask("POST", "/found", fmt.Sprintf(`{"device":"rack","text":"1: 130","base":%q}`, base))
		require.Equal(t, 200, status)
		ports := answer["found"].(map[string]any)["ports"].([]any)
		require.Equal(t, map[string]any{"port": "1", "shape": "130"}, ports[0], base)
		if base != "plan" {
			require.Equal(t, map[string]any{"port": "2", "shape": second}, ports[1], base)
		}
	}
}

// TestNewOfficeWithLines: an office from its questions is all that they say, or
// none.
func TestNewOfficeWithLines(t *testing.T) {
	d := open(t)
	create := func(body string) (int, string) {
		req, err := http.NewRequest("POST", d.base+"/api/offices", strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		text := new(strings.Builder)
		_, err = bufio.NewReader(resp.Body).WriteTo(text)
		require.NoError(t, err)
		return resp.StatusCode, text.String()
	}
	count := func() int {
		resp, err := http.Get(d.base + "/api/offices")
		require.NoError(t, err)
		defer resp.Body.Close()
		var all []any
		require.NoError(t, json.NewDecoder(resp.Body).Decode(&all))
		return len(all)
	}
	before := count()
	status, text := create(`{"text":"office \"Forge\"\nvlan 10 staff\n","lines":["add rack switch, 8 ports","rack 1: 10","rack 99: 10"]}`)
	require.Equal(t, 400, status)
	require.Contains(t, text, `"field":"lines[2]"`)
	require.Contains(t, text, "rack 99: 10: ")
	require.Equal(t, before, count(), "no half of an office stays")
	status, text = create(`{"text":"office \"Forge\"\nvlan 10 staff\n","lines":["add rack switch, 8 ports","rack 1: 10"]}`)
	require.Equal(t, 200, status, text)
	var made struct{ ID, Revision int64 }
	require.NoError(t, json.Unmarshal([]byte(text), &made))
	require.EqualValues(t, 1, made.Revision, "one edit")
	d.office = made.ID
	_, now := d.ask("GET", "/notation", "")
	require.Contains(t, now["text"], "device rack switch\n  ports 1-8\n  1: 10\n")
}
