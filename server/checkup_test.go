package server_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// TestCheckup: what differs from the plan, what breaks in it and what was proved stands in a
// check-up; the next one says what is new and what is gone. By the timer it is told outside.
func TestCheckup(t *testing.T) {
	d, own, _, _ := alone(t)
	hook := newHook(t)
	check := func() map[string]any {
		t.Helper()
		status, v := d.ask("POST", "/checkups", `{}`)
		require.Equal(t, 200, status, v)
		return v["newest"].(map[string]any)
	}
	found := func(lines string) {
		t.Helper()
		status, v := d.ask("POST", "/found", fmt.Sprintf(`{"device":"rack","text":%q,"base":"plan","keep":true}`, lines))
		require.Equal(t, 200, status, v)
	}
	rack := func(checkup map[string]any) map[string]any {
		for _, one := range checkup["devices"].([]any) {
			if device := one.(map[string]any); device["device"] == "rack" {
				return device
			}
		}
		return nil
	}
	one := check()
	require.Empty(t, rack(one)["differs"])
	require.False(t, rack(one)["found"].(bool))
	require.Len(t, one["findings"], 7)
	require.Nil(t, one["findings"].([]any)[0].(map[string]any)["fresh"], "there was none before")
	require.Contains(t, one["told"], "0 of ")

	found("rack 9: 120")
	two := check()
	differs := rack(two)["differs"].([]any)
	require.Len(t, differs, 1)
	require.Equal(t, map[string]any{"port": "rack.9", "found": "120", "planned": "130", "fresh": true}, differs[0])
	require.Contains(t, two["told"], "1 set otherwise than planned")
	status, v := d.edit(1, `"lines":["rack 9: 120 because \"the X-ray is in repair\"","rack 19: 190 [120 130 140 170]"]`) // on purpose; and a fault mended
	require.Equal(t, 200, status, v)
	three := check()
	gone := fmt.Sprint(three["gone"])
	require.Contains(t, gone, "rack 9 is set otherwise: 120")
	require.Contains(t, gone, "130 imaging ends at the cable rack 19")
	require.Len(t, rack(three)["differs"], 1, "the device does not know of the mend yet")
	require.Equal(t, "rack.19", rack(three)["differs"].([]any)[0].(map[string]any)["port"])
	_, v = d.ask("GET", "/checkups", "")
	require.Len(t, v["before"], 2)

	// By the timer, told to who wants to hear of it.
	status, v = d.ask("POST", "/notices", fmt.Sprintf(`{"way":"webhook","target":%q,"kinds":["checkup"]}`, hook.URL))
	require.Equal(t, 200, status, v)
	hook.set(func() { hook.secret = v["secret"].(string) })
	status, v = d.ask("PUT", "/checkups/every", `{"days":400}`)
	require.Equal(t, 400, status, v)
	status, v = d.ask("PUT", "/checkups/every", `{"days":30}`)
	require.Equal(t, 200, status, v)
	require.Equal(t, 30.0, v["every"])
	conn, err := pgx.Connect(t.Context(), own)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "UPDATE office SET check_at = now() - interval '31 days' WHERE id = $1", d.office)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return len(hook.said()) == 1 }, 30*time.Second, 20*time.Millisecond)
	require.True(t, strings.HasPrefix(hook.said()[0], "Check-up: "), hook.said()[0])
	_, v = d.ask("GET", "/checkups", "")
	require.Len(t, v["before"], 3)
	require.Equal(t, "the timer", v["newest"].(map[string]any)["by"])
}
