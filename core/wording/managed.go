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
func ManagedIn(one *span.Net, manage *office.Manage) (out Managed) {
	if manage == nil {
		return out
	}
	out.Text = "Management in VLAN " + one.Name(manage.VID)
	if !manage.Addr.IsValid() {
		return out
	}
	out.Address = manage.Addr.String()
	if net := manage.Net(one.Office.VLAN(manage.VID)); net.IsValid() {
		out.Address = netip.PrefixFrom(manage.Addr, net.Bits()).String()
	}
	out.Text += ", address " + out.Address
	if gate := manage.Gateway(one.Gateways()); gate.IsValid() && gate != manage.Addr {
		out.Gateway = gate.String()
		out.Text += ", default gateway " + out.Gateway
	} else if manage.Alone {
		out.Gateway = "none"
		out.Text += ", no default gateway"
	}
	return out
}
