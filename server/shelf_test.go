package server_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestShelf: a plan goes from one office over the shelf into another, which follows it; a newer one
// is offered with what it would change there; who departs says why. What is no use and no plan, and
// what cannot be read, is refused.
func TestShelf(t *testing.T) {
	d := open(t)
	status, text := d.post("/api/offices", `{"title":"Second practice","text":"vlan 110 staff\nvlan 140 phones\nvlan 190 devices\ndevice sw switch\n  ports 1-8\n"}`)
	require.Equal(t, 200, status, text)
	other := d
	_, err := fmt.Sscanf(text, `{"id":%d`, &other.office)
	require.NoError(t, err)
	item := func(of desk, name string) map[string]any {
		t.Helper()
		status, v := of.ask("GET", "/shelf", "")
		require.Equal(t, 200, status, v)
		for _, one := range v["items"].([]any) {
			if one.(map[string]any)["name"] == name {
				return one.(map[string]any)
			}
		}
		return nil
	}
	for _, bad := range []string{`{"name":"x"}`, `{"name":"x","plans":["none"]}`, `{"name":"x","text":"vlan 10 desks"}`, `{"name":"x","text":"use desk 5000"}`, `{"name":" ","uses":["desk"]}`} {
		status, v := d.ask("POST", "/shelf", bad)
		require.Equal(t, 400, status, "%s %v", bad, v)
	}
	name := fmt.Sprintf("wards of %d", d.office)
	status, v := d.ask("POST", "/shelf", fmt.Sprintf(`{"name":%q,"plans":["ward-8"],"note":"eight ports"}`, name))
	require.Equal(t, 200, status, v)
	one := item(other, name)
	require.Equal(t, "Harbour Lane Veterinary Clinic", one["from"])
	require.Contains(t, one["text"], "use treatment 120 [140]")
	require.Len(t, one["would"], 4, "three uses and the plan")
	require.Empty(t, item(d, name)["would"])

	follow := func(of desk, revision int, because string) {
		t.Helper()
		status, v := of.ask("PUT", "/shelf/follow", fmt.Sprintf(`{"name":%q,"revision":%d,"because":%q}`, name, revision, because))
		require.Equal(t, 200, status, v)
	}
	take := func(of desk, base int) {
		t.Helper()
		lines := ""
		for i, line := range item(of, name)["would"].([]any) {
			if i > 0 {
				lines += ","
			}
			lines += fmt.Sprintf("%q", line)
		}
		status, v := of.edit(base, `"lines":[`+lines+`]`)
		require.Equal(t, 200, status, v)
	}
	take(other, 1)
	follow(other, 1, "")
	require.Empty(t, item(other, name)["would"])
	require.Empty(t, item(other, name)["departs"])
	others := item(d, name)["others"].([]any)
	require.Len(t, others, 1)
	require.Equal(t, "Second practice", others[0].(map[string]any)["title"])

	// It departs, and says why; a newer one is offered to both.
	status, v = other.edit(2, `"lines":["use treatment 110 [140]"]`)
	require.Equal(t, 200, status, v)
	follow(other, 1, "no surgery here")
	require.Equal(t, []any{"use treatment"}, item(other, name)["departs"])
	require.Equal(t, "no surgery here", item(other, name)["because"])
	status, v = d.edit(1, `"lines":["use console 130 [140]"]`)
	require.Equal(t, 200, status, v)
	status, v = d.ask("POST", "/shelf", fmt.Sprintf(`{"name":%q,"plans":["ward-8"]}`, name))
	require.Equal(t, 200, status, v)
	one = item(other, name)
	require.Equal(t, 2.0, one["revision"])
	require.Equal(t, 1.0, one["follows"])
	require.Equal(t, []any{"use treatment 120 [140]", "use console 130 [140]"}, one["would"])
	take(other, 3)
	follow(other, 2, "")
	require.Empty(t, item(other, name)["departs"])
	follow(other, 0, "")
	require.Equal(t, 0.0, item(other, name)["follows"])
	status, v = other.ask("PUT", "/shelf/follow", fmt.Sprintf(`{"name":%q,"revision":9}`, name))
	require.Equal(t, 400, status, v)
}
