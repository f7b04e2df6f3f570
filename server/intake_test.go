package server_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// post sends a request that belongs to no office.
func (d desk) post(path, body string) (int, string) {
	req, err := http.NewRequest("POST", d.base+path, strings.NewReader(body))
	require.NoError(d.t, err)
	req.Header.Set("Content-Type", "application/json")
	req.AddCookie(&http.Cookie{Name: "klammer_name", Value: d.name})
	resp, err := http.DefaultClient.Do(req)
	require.NoError(d.t, err)
	defer resp.Body.Close()
	var b strings.Builder
	_, err = fmt.Fprint(&b, resp.Status)
	require.NoError(d.t, err)
	text := make([]byte, 1<<20)
	n, _ := resp.Body.Read(text)
	return resp.StatusCode, string(text[:n])
}

// TestIntake: a table is understood, corrected, and taken as one edit, or as a
// new office.
func TestIntake(t *testing.T) {
	d := open(t)
	table := `"name":"plan.csv","text":"den\nVLAN,Name,1,2\n110,staff,U,x\n777,lab,T,U\n"`
	status, text := d.post("/api/intake", `{`+table+`}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"grids":[{"sheet":"plan.csv","row":2,"device":"den","kind":"switch","ports":2,"down":true,"skip":false}]`)
	require.Contains(t, text, `"vlans":["110 staff","777 lab"]`)
	require.Contains(t, text, `"row":3,"column":4`)
	require.NotContains(t, text, `"office"`)
	status, text = d.post(
		"/api/intake",
		fmt.Sprintf(`{%s,"into":%d,"take":true,"choices":[{"sheet":"plan.csv","row":2,"device":"cellar","kind":"wap","skip":false}]}`, table, d.office),
	)
	require.Equal(t, 200, status, text)
	_, v := d.ask("GET", "/notation", "")
	require.Contains(t, v["text"], "device cellar wap\n  ports 1-2\n  1: 110 [777]\n  2: 777\n")
	require.Contains(t, v["text"], "vlan 777 lab")
	_, v = d.ask("GET", "", "")
	require.EqualValues(t, 2, v["revision"], "one edit")
	status, text = d.post("/api/intake", `{`+table+`,"take":true,"title":"Fresh"}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"title":"Fresh"`)
	status, text = d.post("/api/intake", `{`+table+`,"cells":[{"sheet":"plan.csv","row":3,"column":4,"text":"T"}]}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"trouble":[]`)
	require.Contains(t, text, `2: 777 [110]`)
	for _, bad := range []string{`{` + table + `,"cells":[{"sheet":"plan.csv","row":30,"column":4,"text":"T"}]}`, `{"name":"x"}`, `{"name":"x","book":"%%%"}`, `{"name":"x","book":"UEsDBA=="}`, `{"name":""}`,
		`{` + table + `,"out":[{"sheet":"plan.csv","row":30}]}`, `{` + table + `,"heads":[{"sheet":"plan.csv","row":2,"column":1,"role":"king"}]}`, `{` + table + `,"heads":[{"sheet":"other","row":2,"column":1,"role":"port"}]}`,
	} {
		status, text = d.post("/api/intake", bad)
		require.Equal(t, 400, status, text)
	}
}

// TestRecipe: what heads of a file were taken for is known at the next one, whoever brings it and
// wherever; rows are left out, and what columns are is said where no head stands above.
func TestRecipe(t *testing.T) {
	d := open(t)
	file := `"name":"plan.csv","text":"Port,110,Dosen-Nr\n1,U,A-1\nsum,,1\n2,U,A-2\n"`
	status, text := d.post("/api/intake", `{`+file+`}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"known":[]`)
	status, text = d.post("/api/intake", `{`+file+`,"cells":[{"sheet":"plan.csv","row":1,"column":3,"text":"Socket"}],"out":[{"sheet":"plan.csv","row":3}],"take":true}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"trouble":[]`)
	require.Contains(t, text, `ports 1-2`)
	status, text = d.post("/api/intake", `{"name":"next.csv","text":"Port,110,DOSEN-NR \n1,U,B-1\n"}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"known":[{"head":"dosen-nr","word":"Socket"}]`)
	heads := ""
	for k, role := range []string{"note", "port", "untagged"} {
		heads += fmt.Sprintf(`,{"sheet":"bare.csv","row":1,"column":%d,"role":%q}`, k+1, role)
	}
	status, text = d.post("/api/intake", `{"name":"bare.csv","text":"till,7,110\nkiosk,8,160\n","heads":[`+heads[1:]+`]}`)
	require.Equal(t, 200, status, text)
	require.Contains(t, text, `"bare":true`)
	require.Contains(t, text, `ports 7-8`)
	require.Contains(t, text, `7: 110`)
}

// TestTakeover: what was tried in a copy is taken over as one edit, beside what
// others changed meanwhile; what both changed is told.
func TestTakeover(t *testing.T) {
	d := open(t)
	status, text := d.post("/api/offices", fmt.Sprintf(`{"copy":%d,"title":"What if"}`, d.office))
	require.Equal(t, 200, status, text)
	copied := d
	_, err := fmt.Sscanf(text, `{"id":%d`, &copied.office)
	require.NoError(t, err)
	status, v := copied.edit(1, `"lines":["rack 1: 120","device loft switch\n  ports 1-4","cable loft.1 rack.26"]`)
	require.Equal(t, 200, status, v)
	status, v = d.edit(1, `"lines":["rack 2: 130"]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/takeover", fmt.Sprintf(`{"from":%d}`, copied.office))
	require.Equal(t, 200, status, v)
	require.EqualValues(t, 3, v["revision"])
	_, v = d.ask("GET", "/notation", "")
	require.Contains(t, v["text"], "  1: 120\n  2: 130\n")
	require.Contains(t, v["text"], "cable loft.1 rack.26")
	require.Contains(t, v["text"], "Harbour Lane")
	status, v = d.edit(3, `"lines":["rack 3: 130"]`)
	require.Equal(t, 200, status, v)
	status, v = copied.edit(2, `"lines":["rack 3: 120"]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/takeover", fmt.Sprintf(`{"from":%d}`, copied.office))
	require.Equal(t, 409, status)
	require.Contains(t, v["error"], "Robin")

	// Piece by piece: what clashes stands there with both sides and whose it is, and is chosen.
	status, v = copied.edit(3, `"lines":["rack 5: 150","-plug rack.1 \"practice manager's pc\""]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("GET", fmt.Sprintf("/tried?from=%d", copied.office), "")
	require.Equal(t, 200, status, v)
	pieces := map[string]map[string]any{}
	for _, one := range v["pieces"].([]any) {
		pieces[one.(map[string]any)["key"].(string)] = one.(map[string]any)
	}
	require.Len(t, pieces, 3, "%v", pieces)
	require.Equal(t, map[string]any{"key": "port:rack.3", "name": "port rack.3", "then": "rack 3: use desk", "here": "rack 3: 130", "tried": "rack 3: 120", "clashes": true, "by": "Robin, edit 4"}, pieces["port:rack.3"])
	require.Nil(t, pieces["port:rack.5"]["clashes"])
	take := func(seen int, keys string) (int, map[string]any) {
		return d.ask("POST", "/takeover", fmt.Sprintf(`{"from":%d,"seen":%d,"keys":[%s]}`, copied.office, seen, keys))
	}
	status, v = take(99, `"port:rack.3"`)
	require.Equal(t, 400, status, v)
	status, v = d.edit(4, `"lines":["rack 3: 110"]`) // after somebody looked
	require.Equal(t, 200, status, v)
	status, v = take(4, `"port:rack.3","port:rack.5"`)
	require.Equal(t, 409, status, v)
	status, v = take(5, `"port:rack.3","port:rack.5"`)
	require.Equal(t, 200, status, v)
	_, v = d.ask("GET", "/notation", "")
	require.Contains(t, v["text"], "  3: 120\n  4: use desk\n  5: 150\n")
	require.Contains(t, v["text"], "practice manager's pc", "it was not chosen")
	status, v = d.ask("GET", fmt.Sprintf("/tried?from=%d", copied.office), "")
	require.Equal(t, 200, status, v)
	require.Len(t, v["pieces"], 1)

	status, v = copied.ask("POST", "/takeover", fmt.Sprintf(`{"from":%d}`, d.office))
	require.Equal(t, 400, status)
	require.Contains(t, v["error"], "no copy")
}
