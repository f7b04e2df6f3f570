package server_test

import (
	"encoding/base64"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
)

func (d desk) found(q map[string]any) (int, map[string]any) {
	text, err := json.Marshal(q)
	require.NoError(d.t, err)
	return d.ask("POST", "/found", string(text))
}

// TestFoundIsKept: what was found is kept with who and when; ports that came
// later are taken to be as planned, those that went are forgotten.
func TestFoundIsKept(t *testing.T) {
	d := open(t)
	status, v := d.ask("GET", "/sheet?device=ward-east", "")
	require.Equal(t, 200, status)
	require.Nil(t, v["found"])
	require.Len(t, v["sheet"].(map[string]any)["tables"], 4, "VLANs and ports, and beside them speeds and management")

	status, v = d.found(map[string]any{"device": "ward-east", "text": "5-6: 120\n7: 4095", "how": "  read  by hand "})
	require.Equal(t, 200, status, v)
	require.Len(t, v["trouble"], 1)
	require.Len(t, v["found"].(map[string]any)["differences"], 2)
	_, v = d.ask("GET", "/found", "")
	require.Empty(t, v["ports"], "what was only shown is not kept")

	status, _ = d.found(map[string]any{"device": "ward-east", "text": "5-6: 120", "keep": true, "how": "read by hand"})
	require.Equal(t, 200, status)
	status, _ = d.found(map[string]any{"device": "ward-east", "text": "5: 130", "base": "found", "keep": true})
	require.Equal(t, 200, status)
	_, v = d.ask("GET", "/sheet?device=ward-east", "")
	f := v["found"].(map[string]any)
	require.Equal(t, "Robin", f["author"])
	require.Len(t, f["differences"], 1, "port 5 was put right, 6 is as found before")
	require.Len(t, v["before"], 1)
	_, v = d.ask("GET", "/found", "")
	require.Equal(t, map[string]any{"ward-east.6": "120"}, v["ports"])
	_, v = d.ask("GET", "/found/view", "")
	require.EqualValues(t, 1, v["revision"])

	d.lines("ward-east bundle pair lacp 1-2") // what was found stands: each of the two by itself
	_, v = d.ask("GET", "/found", "")
	require.Equal(t, map[string]any{"ward-east.6": "120", "ward-east.pair": "-"}, v["ports"], "the bundle is not made")
}

func TestFoundRefuses(t *testing.T) {
	d := open(t)
	for _, row := range []struct {
		q     map[string]any
		field string
		says  string
	}{
		{map[string]any{"device": "ward-eats", "text": "1: 110"}, "device", "did you mean ward-east?"},
		{map[string]any{"device": "foyer", "text": "1: 110"}, "device", "knows no VLANs"},
		{map[string]any{"device": "rack", "text": ""}, "text", "nothing to read"},
		{map[string]any{"device": "rack", "text": "hello"}, "text", "no columns that are known"},
		{map[string]any{"device": "rack", "text": "1: 110", "base": "yesterday"}, "base", "plan, factory or found"},
		{map[string]any{"device": "rack", "book": "%%%"}, "book", "not base64"},
		{map[string]any{"device": "rack", "book": base64.StdEncoding.EncodeToString([]byte("PK\x03\x04half a workbook"))}, "book", "no workbook"},
		{map[string]any{"device": "rack", "text": "VLAN;Untagged\n110;99", "keep": true}, "text", "says nothing of any port"},
	} {
		status, v := d.found(row.q)
		require.Equal(t, 400, status, "%v: %v", row.q, v)
		require.Equal(t, row.field, v["field"])
		require.Contains(t, v["error"], row.says)
	}
	_, v := d.ask("GET", "/found", "")
	require.Empty(t, v["devices"])
}

func TestTicks(t *testing.T) {
	d := open(t)
	status, _ := d.ask("PUT", "/ticks", `{"device":"rack","step":"Create VLAN 110 reception","on":true}`)
	require.Equal(t, 200, status)
	status, _ = d.ask("PUT", "/ticks", `{"device":"rack","step":"Create VLAN 110 reception","on":true}`)
	require.Equal(t, 200, status, "twice is once")
	_, v := d.ask("GET", "/sheet?device=rack", "")
	require.Len(t, v["ticks"], 1)
	status, v = d.ask("PUT", "/ticks", `{"device":"rack","step":"","on":true}`)
	require.Equal(t, 400, status)
	require.Equal(t, "step", v["field"])
	status, _ = d.ask("PUT", "/ticks", `{"device":"rack","step":"","on":false}`)
	require.Equal(t, 200, status)
	_, v = d.ask("GET", "/sheet?device=rack", "")
	require.Empty(t, v["ticks"])
	for _, path := range []string{"/workbook", "/grid?device=rack"} {
		status, _ := d.ask("GET", path, "")
		require.Equal(t, 200, status, path)
	}
}
