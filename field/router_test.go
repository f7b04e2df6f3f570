package field

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
)

// TestWhoRoutes: what a host forwards is held against the plan of a device that routes. A host
// with an address and a way out is none; one that is told not to, and does, is said.
func TestWhoRoutes(t *testing.T) {
	prints := map[string]string{
		"hostname": "nas", "cat /proc/sys/net/ipv4/ip_forward": "1", "bridge -json vlan show": "[]", "bridge -json fdb show": "[]", "ip -json -6 route show": "[]", "ip -json rule show": "[]",
		"ip -json -details link show": `[{"ifindex":2,"ifname":"e0","flags":["UP"]},{"ifindex":3,"ifname":"e1","flags":["UP"]},{"ifindex":4,"ifname":"docker0","flags":["UP"],"linkinfo":{"info_kind":"bridge"}}]`,
		"ip -json address show":       `[{"ifname":"e0","addr_info":[{"local":"10.0.10.9","prefixlen":24,"scope":"global"}]},{"ifname":"e1","addr_info":[{"local":"10.0.20.9","prefixlen":24,"scope":"global"}]},{"ifname":"docker0","addr_info":[{"local":"172.17.0.1","prefixlen":16,"scope":"global"}]}]`,
		"ip -json route show":         `[{"dst":"default","gateway":"10.0.10.1","dev":"e0"}]`,
		"nft -j list ruleset":         `{"nftables":[]}`,
	}
	said := func(command string) ([]byte, error) {
		for c, text := range prints {
			if c == command {
				return []byte(text), nil
			}
		}
		return nil, nil
	}
	differs := func(device string) []string {
		f, err := notation.Read("office", "vlan 10 staff net 10.0.10.0/24\nvlan 20 lab net 10.0.20.0/24\ndevice nas "+device)
		require.NoError(t, err)
		r, err := hostReading("192.0.2.1:22", "nas", said, said, nil)
		require.NoError(t, err)
		d := f.Office.Devices[0]
		return r.RoutingOn(f.Office, d, MatchPorts(d, r)).Differs(f.Office, d)
	}
	require.Empty(t, differs("host\n  ports e0, e1\n  e0: 10\n  address 10 10.0.10.9/24\n"))
	require.Equal(t, []string{"nas routes (forwarding is on), and should not"}, differs("host\n  ports e0, e1\n  e0: 10\n  e1: 20\n  address 10 10.0.10.9/24\n  address 20 10.0.20.9/24\n  routing off\n"))
	text := strings.Join(differs("router\n  forwarding routed\n  ports e0, e1\n  e0: 10\n  e1: 20\n  address 10 10.0.10.9/24 on e0\n  address 20 10.0.20.9/24 on e1\n  between zones deny\n"), "\n")
	require.Contains(t, text, "nas has the route default via 10.0.10.1, and should not")
	require.Contains(t, text, "nas lets everything pass from staff to lab, and should not")

	prints["ip -json address show"] = `[{"ifname":"e0","addr_info":[{"local":"10.0.10.1","prefixlen":24,"scope":"global"}]}]`
	prints["ip -json route show"] = "[]"
	require.Equal(t, []string{"nas has no address 10.0.20.1/24 in lab, and should have"},
		differs("router\n  forwarding routed\n  ports e0, e1\n  e0: 10\n  e1: 20\n  address 10 10.0.10.1/24 on e0 zone in\n  address 20 10.0.20.1/24 on e1 zone far\n  allow zone far,zone in to zone in\n  deny zone in to zone far ping\n"), "rules of a zone that is not there any more meet no packet")
}
