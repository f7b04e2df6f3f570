package server_test

import (
	"fmt"
	query "net/url"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestSearch looks through every office that somebody may read, and through no other: by name, card in
// any way of writing, address, wall socket, serial number, place, note; signs of the database's own
// patterns are letters.
func TestSearch(t *testing.T) {
	h := newHouse(t)
	robin := h.first()
	for i, text := range []string{
		"vlan 10 desks \"100 % of them\"\ndevice rack switch\n  ports 1-4\n  1: 10\n  place \"mill/cellar\"\n  serial \"SN-4471\"\n  socket 2 \"A_12\"\nplug rack.1 \"label writer\" wants 10 at 10.61.10.9 card 02:00:5e:10:00:01 note \"leased\"\n",
		"vlan 10 desks\ndevice rack switch\n  ports 1-4\n  1: 10\nplug rack.1 \"label writer\" wants 10\n",
	} {
		status, v, _ := h.ask("POST", fmt.Sprintf("/api/offices/%d/edits", h.offices[i]), map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{text}}}}, robin...)
		require.Equal(t, 200, status, v)
	}
	search := func(text string, by []string) (out []string) {
		t.Helper()
		status, v, _ := h.ask("GET", "/api/search?q="+query.QueryEscape(text), nil, by...)
		require.Equal(t, 200, status, v)
		for _, one := range v["list"].([]any) {
			hit := one.(map[string]any)
			text := func(key string) string { word, _ := hit[key].(string); return word }
			out = append(out, fmt.Sprintf("%v %s %s.%s", hit["office"], text("what"), text("device"), text("port")))
		}
		return out
	}
	first, second := h.offices[0], h.offices[1]
	is := func(office int64, what, device, port string) string {
		return fmt.Sprintf("%d %s %s.%s", office, what, device, port)
	}
	require.ElementsMatch(t, []string{is(first, "label writer", "rack", "1"), is(second, "label writer", "rack", "1")}, search("LABEL", robin))
	for text, want := range map[string]string{
		"02:00:5e:10":    is(first, "02:00:5e:10:00:01", "rack", "1"),
		"0200.5E10.0001": is(first, "02:00:5e:10:00:01", "rack", "1"),
		"10.61.10":       is(first, "10.61.10.9", "rack", "1"),
		"a_12":           is(first, "A_12", "rack", "2"),
		"sn-44":          is(first, "SN-4471", "rack", ""),
		"cellar":         is(first, "mill/cellar", "rack", ""),
		"leased":         is(first, "leased", "rack", "1"),
		"100 %":          is(first, "100 % of them", "", ""),
	} {
		require.Equal(t, []string{want}, search(text, robin), text)
	}
	require.Empty(t, search("%%", robin))
	require.Empty(t, search("__", robin))

	ida := h.invites(robin, second, "reader", "Ida")
	require.Equal(t, []string{is(second, "label writer", "rack", "1")}, search("label", ida))
	require.Empty(t, search("SN-4471", ida), "she may not read that office")
	for _, bad := range []string{"", "x", "%00%00"} {
		status, v, _ := h.ask("GET", "/api/search?q="+bad, nil, robin...)
		require.Equal(t, 400, status, "%q %v", bad, v)
	}
}
