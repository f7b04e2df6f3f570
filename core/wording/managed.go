package wording

import (
	"net/netip"

	"klammer/core/office"
	"klammer/core/span"
)

// Managed is what is typed into a device for its management, whole: what was not said of
// it is its VLAN's.
type Managed struct {
	Address string // with its prefix length where a subnet is known; "" for none
	Gateway string // the default gateway; "none" where it has none, "" where nobody knows one
	Text    string // as a step: Management in VLAN 190 devices: address …, default gateway …
}

// ManagedIn is a device's management in an office, the zero Managed for none.
func ManagedIn(n *span.Net, m *office.Manage) (out Managed) {
	if m == nil {
		return out
	}
	out.Text = "Management in VLAN " + n.Name(m.VID)
	if !m.Addr.IsValid() {
		return out
	}
	out.Address = m.Addr.String()
	if net := m.Net(n.Office.VLAN(m.VID)); net.IsValid() {
		out.Address = netip.PrefixFrom(m.Addr, net.Bits()).String()
	}
	out.Text += ", address " + out.Address
	if gate := m.Gateway(n.Gateways()); gate.IsValid() && gate != m.Addr {
		out.Gateway = gate.String()
		out.Text += ", default gateway " + out.Gateway
	} else if m.Alone {
		out.Gateway = "none"
		out.Text += ", no default gateway"
	}
	return out
}
