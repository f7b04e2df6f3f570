package server_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
)

func (d desk) order(q map[string]any) (int, map[string]any) {
	text, err := json.Marshal(q)
	require.NoError(d.t, err)
	return d.ask("POST", "/orders", string(text))
}

func (d desk) orderTick(order any, step int, on bool) (int, map[string]any) {
	return d.ask("PUT", "/orders/ticks", fmt.Sprintf(`{"order":%v,"step":%d,"on":%v}`, order, step, on))
}

// TestOrders: an order from what was found is ticked off by two people, moves what
// is found on, is made anew when the plan moved on, and leads back.
func TestOrders(t *testing.T) {
	d := open(t)
	_, v := d.ask("GET", "/orders", "")
	require.EqualValues(t, 0, v["id"], "there never was one")
	_, v = d.found(map[string]any{"device": "ward-east", "text": "1: 110 [140]\n5: 120", "keep": true})
	require.Nil(t, v["error"])
	heard := d.listen("t2")

	status, v := d.order(map[string]any{"from": "found"})
	require.Equal(t, 200, status, v)
	id := v["id"]
	steps := v["order"].(map[string]any)["steps"].([]any)
	require.Greater(t, len(steps), 2)
	require.EqualValues(t, 0, v["order"].(map[string]any)["lockouts"])
	left := fmt.Sprint(v["order"].(map[string]any)["left"])
	require.Regexp(t, `Nobody saw what .*\brack\b.* are set to, and this order takes that as planned`, left)
	require.NotContains(t, left, "ward-east", "somebody did")
	require.Contains(t, heard("order", 5*time.Second), `"order":true`)

	// The board before, and after all.
	_, v = d.ask("GET", "/orders/at?step=0", "")
	require.Contains(t, fmt.Sprint(v["devices"]), "name:5 plugs:")
	status, v = d.ask("GET", "/orders/at?step=9999", "")
	require.Equal(t, 200, status, v["error"])

	// Two people: the second to tick the same step is told; so is who ticks out of turn.
	status, _ = d.orderTick(id, 0, true)
	require.Equal(t, 200, status)
	for _, step := range []int{0, 2} {
		status, v = d.orderTick(id, step, true)
		require.Equal(t, 409, status, v)
		require.Contains(t, v["error"], "1 steps are done")
	}
	for k := 1; k < len(steps); k++ {
		status, v = d.orderTick(id, k, true)
		require.Equal(t, 200, status, v)
	}
	require.Len(t, v["ticks"], len(steps))
	_, v = d.ask("GET", "/found", "")
	require.Empty(t, v["ports"], "the device is set as planned")
	status, v = d.orderTick(id, len(steps)-1, false)
	require.Equal(t, 200, status, v)
	require.Len(t, v["ticks"], len(steps)-1)

	// The plan moves on: the order says so, and is made anew from here.
	d.lines("ward-east 2: 110 [140]")
	_, v = d.ask("GET", "/orders", "")
	require.Equal(t, true, v["moved"])
	status, v = d.order(map[string]any{"from": "here"})
	require.Equal(t, 200, status, v)
	require.NotEqual(t, id, v["id"])
	require.Equal(t, false, v["moved"])
	require.NotEmpty(t, v["order"].(map[string]any)["steps"])
	status, v = d.orderTick(id, 0, true)
	require.Equal(t, 409, status, "the old one has ended: %v", v)
	status, _ = d.orderTick(mustID(d), 0, true)
	require.Equal(t, 200, status)

	status, v = d.order(map[string]any{"from": "back"})
	require.Equal(t, 200, status, v)
	require.Equal(t, true, v["back"])
	require.NotEmpty(t, v["order"].(map[string]any)["steps"])

	status, v = d.order(map[string]any{"from": "revision", "revision": 1})
	require.Equal(t, 200, status, v)
	status, v = d.order(map[string]any{"from": "factory", "devices": []string{"annex"}})
	require.Equal(t, 200, status, v)
	require.Contains(t, fmt.Sprint(v["order"].(map[string]any)["steps"]), "Unpack annex")
}

// TestProtocol: a step that is refused, or not answered, is written down and ticks nothing;
// what is still reached is said at once; the evening goes on with the rest worked out anew,
// and the way back to before it stays, whatever was worked out anew meanwhile.
func TestProtocol(t *testing.T) {
	d := open(t)
	_, v := d.found(map[string]any{"device": "ward-east", "text": "1: 110 [140]\n5: 120", "keep": true})
	require.Nil(t, v["error"])
	_, before := d.ask("GET", "/orders/at?step=0", "")
	require.NotNil(t, before)
	status, v := d.order(map[string]any{"from": "found"})
	require.Equal(t, 200, status, v)
	first := v["id"]
	_, was := d.ask("GET", "/orders/at?step=0", "")
	status, _ = d.orderTick(first, 0, true)
	require.Equal(t, 200, status)
	say := func(order any, step int, said, words string) (int, map[string]any) {
		return d.ask("PUT", "/orders/ticks", fmt.Sprintf(`{"order":%v,"step":%d,"on":true,"said":%q,"words":%q}`, order, step, said, words))
	}
	status, v = say(first, 1, "refused", "Value out of range")
	require.Equal(t, 200, status, v)
	require.Len(t, v["ticks"], 1, "a refused step is not done")
	require.Contains(t, fmt.Sprint(v["said"]), "Value out of range")
	require.Contains(t, v["reached"], "rack")
	status, v = say(first, 1, "silent", "")
	require.Equal(t, 200, status, v)
	require.Len(t, v["said"], 2)
	status, v = say(first, 0, "refused", "")
	require.Equal(t, 409, status, v)
	status, v = say(first, 1, "shouted", "")
	require.Equal(t, 400, status, v)
	status, v = say(first, 1, "refused", strings.Repeat("x", 2001))
	require.Equal(t, 400, status, v)
	ago := time.Now().Add(-time.Hour).UTC().Truncate(time.Second)
	in := func(at time.Time) (int, map[string]any) { // it was done in the end, and is handed in now
		return d.ask("PUT", "/orders/ticks", fmt.Sprintf(`{"order":%v,"step":1,"on":true,"at":%q}`, first, at.Format(time.RFC3339)))
	}
	status, v = in(ago.AddDate(0, 0, -40))
	require.Equal(t, 400, status, v)
	status, v = in(time.Now().Add(time.Hour))
	require.Equal(t, 400, status, v)
	status, v = in(ago)
	require.Equal(t, 200, status, v)
	kept, err := time.Parse(time.RFC3339, v["ticks"].([]any)[1].(map[string]any)["at"].(string))
	require.NoError(t, err)
	require.True(t, ago.Equal(kept), "with its time: %s, and not %s", ago, kept)
	require.Nil(t, v["reached"])

	status, v = d.order(map[string]any{"from": "here"})
	require.Equal(t, 200, status, v)
	second := v["id"]
	require.Equal(t, true, v["evening"])
	status, v = say(first, 1, "refused", "")
	require.Equal(t, 409, status, "it has ended: %v", v)
	status, _ = d.orderTick(second, 0, true)
	require.Equal(t, 200, status)
	status, v = d.order(map[string]any{"from": "start"})
	require.Equal(t, 200, status, v)
	steps := len(v["order"].(map[string]any)["steps"].([]any))
	require.NotZero(t, steps)
	require.Equal(t, true, v["back"])
	_, end := d.ask("GET", fmt.Sprintf("/orders/at?step=%d", steps), "")
	require.Equal(t, fmt.Sprint(was["devices"]), fmt.Sprint(end["devices"]), "it ends where the evening began")

	_, v = d.ask("GET", "/orders/protocol", "")
	require.Len(t, v["orders"], 2)
	var told []string
	for _, x := range v["said"].([]any) {
		y := x.(map[string]any)
		require.NotEmpty(t, y["text"])
		require.NotEmpty(t, y["author"])
		told = append(told, fmt.Sprint(y["step"], " ", y["said"]))
	}
	require.Equal(t, []string{"0 done", "1 refused", "1 silent", "1 done", "0 done"}, told)
	evenings := map[any]bool{}
	for _, o := range v["orders"].([]any) {
		evenings[o.(map[string]any)["evening"]] = true
	}
	require.Equal(t, map[any]bool{first: true}, evenings)
}

func mustID(d desk) any {
	_, v := d.ask("GET", "/orders", "")
	return v["id"]
}

// TestOrdersRefused: what stands against an order is said, and nothing is kept.
func TestOrdersRefused(t *testing.T) {
	d := open(t)
	for _, row := range []struct {
		q           map[string]any
		field, says string
	}{
		{map[string]any{"from": "yesterday"}, "from", "found"},
		{map[string]any{"from": "here"}, "from", "there is no order yet"},
		{map[string]any{"from": "back"}, "from", "there is no order yet"},
		{map[string]any{"from": "revision", "revision": 77}, "revision", "the revisions 1 to 1"},
		{map[string]any{"from": "factory"}, "devices", "say which devices are new"},
		{map[string]any{"from": "factory", "devices": []string{"anex"}}, "devices", "did you mean annex?"},
		{map[string]any{"from": "factory", "devices": []string{"rack"}}, "order", "As it is, no plug is the operator's"},
	} {
		status, v := d.order(row.q)
		require.Equal(t, 400, status, "%v: %v", row.q, v)
		require.Equal(t, row.field, v["field"], "%v: %v", row.q, v)
		require.Contains(t, v["error"], row.says)
	}
	_, v := d.ask("GET", "/orders", "")
	require.EqualValues(t, 0, v["id"])
	status, v := d.ask("GET", "/orders/at?step=1", "")
	require.Equal(t, 400, status, v)
	status, v = d.orderTick(1, 0, true)
	require.Equal(t, 409, status, v)
}

// TestOrderStopped: an order that takes long says how far it is, keeps a second one
// of the same office away, and is stopped by whoever says so; nothing is kept of it.
func TestOrderStopped(t *testing.T) {
	short.Skip(t)
	var b strings.Builder
	var lines []string
	b.WriteString("vlan 1 default local\nvlan 190 devices\n")
	const switches = 90
	for i := range switches {
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-8\n  wording by-vlan pvid-apart\n  manage 1 10.0.1.%d\n  1-8: 1 [190]\n", i, i+2)
		lines = append(lines, fmt.Sprintf("s%d manage 190 10.0.190.%d", i, i+2), fmt.Sprintf("s%d 1-8: 190 [1]", i))
		if i > 0 {
			fmt.Fprintf(&b, "cable s%d.1 s%d.%d\n", i, (i-1)/5, 2+(i-1)%5)
		}
	}
	b.WriteString("plug s0.8 \"laptop\" wants 1 operator\n")
	d := openWith(t, b.String())
	v := d.lines(append(lines, `plug s0.8 "laptop" wants 190 operator`)...)
	require.Nil(t, v["error"])

	ended := make(chan map[string]any)
	go func() {
		status, v := d.order(map[string]any{"from": "revision", "revision": 1})
		v["status"] = status
		ended <- v
	}()
	require.Eventually(t, func() bool {
		_, v := d.ask("GET", "/orders", "")
		return v["working"] != nil
	}, 20*time.Second, 5*time.Millisecond)
	status, v := d.order(map[string]any{"from": "revision", "revision": 1})
	require.Equal(t, 409, status, v)
	require.Contains(t, v["error"], "being worked out already")
	status, v = d.ask("DELETE", "/orders", "")
	require.Equal(t, 200, status, v)
	v = <-ended
	require.Equal(t, 409, v["status"], v)
	require.Contains(t, v["error"], "stopped")
	_, v = d.ask("GET", "/orders", "")
	require.EqualValues(t, 0, v["id"])
	require.Nil(t, v["working"])
}
