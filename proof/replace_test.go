package proof

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/order"
	"klammer/core/round"
	"klammer/core/span"
	"klammer/field"
	"klammer/proof/rfc4363"
)

// TestReplacedToTheEnd: a switch of 24 ports is replaced by another make whose ports have other
// names, and stays as a spare: one edit; the order of it; each step on the new one carried out on
// an agent of RFC 4363 that comes from the factory; then it forwards as planned, port by port, and
// the round asks at the ports where those people are now.
func TestReplacedToTheEnd(t *testing.T) {
	var names []string
	var text strings.Builder
	text.WriteString("vlan 10 desks\nvlan 20 phones\nvlan 90 devices\ndevice rack switch\n  ports 1-24\n  wording by-vlan\n  manage 90 10.0.90.2\n  1-10: 10 [20]\n  11-20: 10\n  21-22: 90\n  24: 90 [10 20]\ndevice ward switch\n  ports 1-8\n  wording by-vlan\n  manage 90 10.0.90.3\n  1-6: 10 [20]\n  7: 90\n  8: 90 [10 20]\ncable rack.24 ward.8\nplug ward.7 \"laptop\" wants 90 operator\nplug ward.1 \"pc\" wants 10\n")
	for p := range 24 {
		names = append(names, fmt.Sprintf("x%d", p+1))
		if p < 20 {
			fmt.Fprintf(&text, "plug rack.%d \"pc %[1]d\" wants 10\n", p+1)
		}
	}
	was := readText(t, text.String())
	agent, err := rfc4363.New("rack", names, rfc4363.Habits{})
	require.NoError(t, err)
	defer agent.Close()
	for p := range names {
		agent.Put(p, []int{1}, nil, 1, 1)
	}

	done, err := command.Do(span.Compile(was), command.Line{Text: "replace rack by switch, ports x1-x24, by VLAN, old as rack-spare"})
	require.NoError(t, err)
	plan, _, err := notation.Line(done.Office, fmt.Sprintf("rack speaks snmp at %s with quick", agent.At()))
	require.NoError(t, err)
	o, err := order.Make(was, plan, order.Options{New: []string{"rack"}})
	require.NoError(t, err)
	quick := &field.Credentials{Community: "private", Timeout: "200ms", Retries: new(2)}
	carrier := field.Carrier{Dialer: field.Dialer{Secrets: func(string) (*field.Credentials, error) { return quick, nil }}}
	defer carrier.Close()
	ctx, stop := context.WithTimeout(t.Context(), 2*time.Minute)
	defer stop()
	now, set := was, 0
	for _, st := range o.Steps {
		if st.Kind == order.Set && st.Device == "rack" {
			require.NoError(t, carrier.Step(ctx, now, st.After, "rack", st.Kind), "%s\n%s", st.Text, shownOrder(o))
			set++
		}
		now = st.After
	}
	require.Equal(t, things(plan), things(now), shownOrder(o))
	require.Greater(t, set, 5, shownOrder(o))

	rack := plan.Device("rack").Clone()
	for p := range rack.Ports {
		shape, _ := plan.Effective(plan.Device("rack"), p)
		rack.Ports[p].Shape = shape
	}
	for in := range names {
		for _, tag := range []int{0, 1, 10, 20, 90} {
			require.Equal(t, ownForward(rack, in, tag), agent.Out(in, tag), "into %d with %d\n%s", in+1, tag, agent.Told())
		}
	}
	var asked []string
	for _, test := range round.Make(plan).Tests {
		asked = append(asked, test.Port.String())
	}
	require.Contains(t, asked, "rack.x1")
	require.NotContains(t, strings.Join(asked, " "), "rack-spare")
}
