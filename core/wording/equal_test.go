package wording_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/wording"
	"klammer/proof/equality"
)

// TestSettingsEqual: two settings are the same only if they forward alike in
// every respect; of two shut ports nothing else counts.
func TestSettingsEqual(t *testing.T) {
	require.Empty(t, equality.Uncounted(wording.Setting.Equal))
	require.True(t, wording.Setting{Off: true, PVID: 7}.Equal(wording.Setting{Off: true}))
}

// TestOrderOfSteps: a port that is shut is set before it is opened, and one that
// is to be shut is shut before anything else; what is saved is saved last.
func TestOrderOfSteps(t *testing.T) {
	for _, name := range []string{"by-vlan", "by-port", "by-choice", "linux"} {
		d, plan := device(t, "  ports 1-3\n  wording "+name+"\n", "  1: 110\n  2: off\n  3: 120\n")
		from := wording.Factory(d).With(0, wording.Setting{Off: true, Filter: true})
		steps, err := wording.Steps(d, from, plan)
		require.NoError(t, err, name)
		require.Equal(t, wording.Shut, steps[0].Op, name)
		require.Equal(t, wording.Open, steps[len(steps)-2].Op, name)
		require.Equal(t, wording.Save, steps[len(steps)-1].Op, name)
		now := from
		for _, s := range steps {
			if s.Op == wording.Open {
				is := now.Ports[0]
				is.Off = false
				require.True(t, is.Equal(plan.Ports[0]), "%s: port 1 is opened before it is set", name)
			}
			now, err = wording.Apply(d, now, s)
			require.NoError(t, err, name)
		}
		require.True(t, now.Equal(plan), name)
	}
}

// TestGroupsAtTheLimit: as many groups and rows as a device takes are said; one
// more is refused.
func TestGroupsAtTheLimit(t *testing.T) {
	for _, row := range []struct {
		limit, says string
	}{{"vlans 3", ""}, {"vlans 2", "there are 2 groups"}, {"rows 2", ""}, {"rows 1", "there are 1 rows"}} {
		d, plan := device(t, "  forwarding grouped\n  ports 1-2\n  limit "+row.limit+"\n  wording by-group\n", "  1: 110 [120]\n  2: 110 [120]\n")
		_, err := wording.Steps(d, wording.Factory(d), plan)
		if row.says == "" {
			require.NoError(t, err, row.limit)
		} else {
			require.ErrorContains(t, err, row.says)
		}
	}
}

// TestAddressesWhereTheyAre: an address stands with the port that it is on, not
// with every port that carries its VLAN; and what a sheet has beside the
// memberships is all there.
func TestAddressesWhereTheyAre(t *testing.T) {
	d, plan := device(t, "  forwarding routed\n  ports lan1 1G, lan2 10G\n  wording by-sub-interface\n",
		"  lan1: 110 [120]\n  lan2: [120]\n  address 120 10.0.120.1/24 on lan2 zone voice handout 10.0.120.50-10.0.120.99\n  address 110 10.0.110.1/24 on lan1\n")
	require.Equal(t, "Interfaces: lan1 | untagged | 110 | staff | 10.0.110.1/24\nInterfaces: lan1 | tagged | 120 | phones\n"+
		"Interfaces: lan2 | tagged | 120 | phones | 10.0.120.1/24 | 10.0.120.50-10.0.120.99 | voice", told(wording.Write(d, plan)))
	require.Equal(t, "Speeds: lan1 | 1G\nSpeeds: lan2 | 10G", told(wording.Fixed(d)))

	d, _ = device(
		t,
		"  ports 1-4 1G\n  wording by-vlan\n  bundle up lacp 3-4\n  manage 110 10.0.110.9\n",
		"  up: [120]\n  address 120 10.0.120.1/24 handout 10.0.120.50-10.0.120.99\n",
	)
	require.Equal(
		t,
		"Bundles: up | lacp | 3-4\nSpeeds: 1-4 | 1G\nAddresses: 120 | phones | 10.0.120.1/24 |  | 10.0.120.50-10.0.120.99\nManagement: 110 | staff | 10.0.110.9",
		told(wording.Fixed(d)),
	)
}
