package server_test

import (
	"fmt"
	neturl "net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func line(text string) string { return fmt.Sprintf(`"lines":[%q]`, text) }

// TestTalk: the table and a way as they are, and as they were; what is not known is
// refused with its field and the nearest.
func TestTalk(t *testing.T) {
	d := open(t)
	way := func(from, to, service string, more ...string) (int, map[string]any) {
		q := neturl.Values{"from": {from}, "to": {to}, "service": {service}}
		return d.ask("GET", "/talk/way?"+q.Encode()+strings.Join(more, ""), "")
	}
	status, a := way("surgery 1 pc", "office printer", "tcp/9100")
	require.Equal(t, 200, status, a)
	require.Equal(t, "yes", a["verdict"])
	require.Equal(t, []any{120.0, 110.0}, []any{a["fromVid"], a["toVid"]})
	hop := a["there"].(map[string]any)["hops"].([]any)[0].(map[string]any)
	require.Equal(t, []any{"gate", "10.61.120.1", 120.0, 110.0, 4.0}, []any{hop["device"], hop["address"], hop["in"], hop["out"], hop["rule"]})

	status, v := d.ask("GET", "/talk", "")
	require.Equal(t, 200, status)
	areas, cells := v["areas"].([]any), v["cells"].([]any)
	require.Len(t, cells, len(areas))
	require.Equal(t, 0.0, areas[len(areas)-1], "the outside is last")
	require.Equal(t, byte('y'), cells[1].(string)[len(areas)-1], "reception gets outside")

	status, out := d.edit(1, line("gate rule 1 deny reception to outside"))
	require.Equal(t, 200, status, out)
	_, v = d.ask("GET", "/talk", "")
	require.Equal(t, byte('n'), v["cells"].([]any)[1].(string)[len(areas)-1])
	_, v = d.ask("GET", "/talk?at=1", "")
	require.Equal(t, byte('y'), v["cells"].([]any)[1].(string)[len(areas)-1], "as it was")
	_, a = way("reception", "outside", "", "&at=1")
	require.Equal(t, "yes", a["verdict"])

	for _, row := range []struct{ from, to, service, field, says string }{
		{"recepton", "outside", "", "from", "did you mean reception?"},
		{"reception", "10.61.130.9/24", "", "to", "nam"},
		{"reception", "4095", "", "to", "reserved"},
		{"reception", "outside", "tcp/0", "service", "1 to 65535"},
		{"reception", strings.Repeat("x", 3000), "", "to", "named"},
	} {
		status, a := way(row.from, row.to, row.service)
		require.Equal(t, 400, status, row)
		require.Equal(t, row.field, a["field"], row)
		require.Contains(t, a["error"], row.says, row)
	}
}

// TestRulesOfTwo: two people at one firewall. What one does to its rules does not
// stand in the way of the other's port or wish, and is not overwritten by the
// other's rule.
func TestRulesOfTwo(t *testing.T) {
	d := open(t)
	status, out := d.edit(1, line("gate rule 2 deny guests to cameras"))
	require.Equal(t, 200, status, out)
	other := d
	other.name = "Kim"
	status, out = other.edit(1, line("gate lan2: 110")) // made on the revision before
	require.Equal(t, 200, status, out)
	status, out = other.edit(1, line("never phones to payments"))
	require.Equal(t, 200, status, out)
	status, out = other.edit(1, line("gate rule 1 before 3"))
	require.Equal(t, 409, status, out)
	require.Contains(t, out["error"], "the rules of gate were changed meanwhile by Robin")
	_, text := d.ask("GET", "/notation", "")
	require.Contains(t, text["text"], "deny vlan 160 to vlan 170\n")
	require.Contains(t, text["text"], "lan2: 110")

	// Taken back, the rule is gone and the others' edits stay; again it cannot be.
	status, out = d.ask("POST", "/undo", `{"revision":2}`)
	require.Equal(t, 200, status, out)
	_, text = d.ask("GET", "/notation", "")
	require.NotContains(t, text["text"], "deny vlan 160 to vlan 170")
	require.Contains(t, text["text"], "never vlan 140 to vlan 150")

	// What a preview tells of who may talk.
	status, out = d.ask("POST", "/preview", `{"base":5,"commands":[{"lines":["deny guests to outside"]}]}`)
	require.Equal(t, 200, status, out)
	require.Equal(t, "guests lose everything to the outside", out["talk"].([]any)[0].(map[string]any)["text"])
	require.Contains(t, out["notes"].([]any)[0], "a new rule of gate, before rule 5")
}

// TestRulesAreFound: whether anybody looked at what a device lets pass is said; what somebody
// looked up is held against the plan, an order leads from it, and is known to have set it.
func TestRulesAreFound(t *testing.T) {
	d := open(t)
	router := func() map[string]any {
		_, v := d.ask("GET", "/talk", "")
		require.Len(t, v["routers"], 1)
		return v["routers"].([]any)[0].(map[string]any)
	}
	require.Equal(t, []any{"gate", "planned", "as planned; nobody has looked"}, []any{router()["device"], router()["known"], router()["text"]})

	rules := "allow 10.61.0.0/16 to zone clinical tcp/443\ngate allow zone staff,zone clinical,zone guests to outside\nallow zone guests to zone staff tcp/445\nallow zone nowhere to 110\nbetween zones deny"
	status, v := d.found(map[string]any{"device": "gate", "text": rules})
	require.Equal(t, 200, status, v)
	require.Equal(t, []any{"rules"}, v["routing"].(map[string]any)["tells"])
	require.Len(t, v["trouble"], 1)
	require.EqualValues(t, 4, v["trouble"].([]any)[0].(map[string]any)["row"])
	require.Equal(t, "planned", router()["known"], "it was not kept")

	status, v = d.found(map[string]any{"device": "gate", "text": rules, "keep": true})
	require.Equal(t, 200, status, v)
	x := router()
	require.Equal(t, []any{"typed", "otherwise than planned, typed in"}, []any{x["known"], x["text"]})
	text := fmt.Sprint(x["differs"])
	require.Contains(t, text, "gate lets tcp/445 pass from guests to reception, and should not")
	require.Contains(t, text, "gate stops tcp/443 from payments to the outside, and should let it pass")
	require.NotContains(t, text, "pass from reception to the outside", "that is as planned")
	_, v = d.ask("GET", "/found", "")
	require.Len(t, v["routing"].(map[string]any)["gate"], len(x["differs"].([]any)))
	_, v = d.ask("GET", "/sheet?device=gate", "")
	require.Len(t, v["found"].(map[string]any)["routing"].(map[string]any)["lines"], 5)
	_, v = d.ask("GET", "/talk?at=1", "")
	require.Empty(t, v["routers"], "as it was then")

	// Ports alone say nothing new of rules.
	status, v = d.found(map[string]any{"device": "gate", "text": "lan4: 110", "keep": true})
	require.Equal(t, 200, status, v)
	require.Equal(t, "typed", router()["known"])

	status, v = d.order(map[string]any{"from": "found"})
	require.Equal(t, 200, status, v)
	id, set := v["id"], false
	for k, s := range v["order"].(map[string]any)["steps"].([]any) {
		st := s.(map[string]any)
		set = set || st["device"] == "gate" && strings.Contains(fmt.Sprint(st["text"]), "take away rule 3")
		status, v := d.orderTick(id, k, true)
		require.Equal(t, 200, status, v)
	}
	require.True(t, set)
	x = router()
	require.Equal(t, "order", x["known"])
	require.Empty(t, x["differs"])
	require.Regexp(t, `^as planned, work order, step \d+$`, x["text"])
}
