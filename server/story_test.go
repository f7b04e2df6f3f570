package server_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestStory: what happened stands in one list, the newest first, and is narrowed down by who did
// it, by device, port, VLAN and kind; a port's is what made it so: its use and plan, too.
func TestStory(t *testing.T) {
	d := open(t)
	revision := 1
	edit := func(lines string) {
		t.Helper()
		status, v := d.edit(revision, `"lines":[`+lines+`]`)
		require.Equal(t, 200, status, v)
		revision++
	}
	edit(`"rack 9: 120"`)
	edit(`"use desk 110 [140 150]"`)
	edit(`"plan ward-8","  1-4: use treatment","  5-6: use console","  7: 150","  last: use uplink"`)
	edit(`"vlan 130 scans"`)
	edit(`"plug rack.10 \"printer\" wants 130"`)
	edit(`"gate deny vlan 160 to vlan 130"`)
	texts := func(query string) (out []string) {
		t.Helper()
		status, v := d.ask("GET", "/story?"+query, "")
		require.Equal(t, 200, status, v)
		last := ""
		for _, one := range v["entries"].([]any) {
			entry := one.(map[string]any)
			out = append(out, fmt.Sprintf("%s %v", entry["kind"], entry["revision"]))
			if at := entry["at"].(string); last != "" {
				require.GreaterOrEqual(t, last, at)
			}
			last = entry["at"].(string)
		}
		return out
	}
	require.Equal(t, []string{"edit 7", "edit 6", "edit 5", "edit 4", "edit 3", "edit 2", "edit 1"}, texts(""))
	require.Equal(t, []string{"edit 3", "edit 1"}, texts("port=rack.1"), "its use; and the beginning, that set all")
	require.Equal(t, []string{"edit 2", "edit 1"}, texts("port=rack.9"))
	require.Equal(t, []string{"edit 6", "edit 1"}, texts("port=rack.10"), "what hangs there")
	require.Equal(t, []string{"edit 4", "edit 1"}, texts("port=ward-east.7"), "the plan that it follows")
	require.Equal(t, []string{"edit 7", "edit 1"}, texts("device=gate"))
	require.Equal(t, []string{"edit 7", "edit 6", "edit 5", "edit 1"}, texts("vlan=130"))
	require.Empty(t, texts("who=Nobody"))
	require.Empty(t, texts("kinds=order,proof"))

	// An order and its steps, an answer of a plug test.
	status, v := d.ask("POST", "/orders", `{"from":"revision","revision":1}`)
	require.Equal(t, 200, status, v)
	order := v["id"]
	status, v = d.ask("PUT", "/orders/ticks", fmt.Sprintf(`{"order":%v,"step":0,"on":true}`, order))
	require.Equal(t, 200, status, v)
	all := texts("")
	require.Equal(t, []string{"step <nil>", "order <nil>"}, all[:2])
	require.Equal(t, []string{"step <nil>"}, texts("kinds=step"))

	// A name is one revision's.
	name := func(revision int, name string) (int, map[string]any) {
		return d.ask("PUT", fmt.Sprintf("/history/%d/name", revision), fmt.Sprintf(`{"name":%q}`, name))
	}
	status, v = name(2, "before the move")
	require.Equal(t, 200, status, v)
	status, v = name(3, "before the move")
	require.Equal(t, 400, status, v)
	status, v = name(99, "after")
	require.Equal(t, 400, status, v)
	_, v = d.ask("GET", "/story?port=rack.9", "")
	require.Equal(t, "before the move", v["entries"].([]any)[0].(map[string]any)["name"])
	status, v = name(2, "")
	require.Equal(t, 200, status, v)

	// Any two revisions.
	status, v = d.ask("GET", "/compare?at=2&to=3", "")
	require.Equal(t, 200, status, v)
	require.Contains(t, v["lines"], "+use desk 110 [140 150]")
	require.NotContains(t, fmt.Sprint(v["lines"]), "scans")
	for _, bad := range []string{"port=" + "rack.99", "vlan=5000", "kinds=tea", "until=yesterday", "before=x"} {
		status, v = d.ask("GET", "/story?"+bad, "")
		require.Equal(t, 400, status, "%s %v", bad, v)
	}
}
