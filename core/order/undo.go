package order

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
)

// undo is the way back of a step as somebody does it: on the device's pages, or by hand.
// Nothing is undone of a look and of saving.
//
//	> floor 5: 110
//	1. floor, set: VLAN 110 reception: untagged 1-5, tagged 8
//	   floor 5 is now in 110 reception, no longer in 160 guests.
//	2. floor, save: Save, so that it stays after a power cut
func (n *node) undo() (out []string) {
	act, was := n.act, n.prev.world
	switch {
	case act.kind == Check || act.kind == Save:
		return nil
	case act.kind == Laptop && was.at.away:
		return []string{"Take the laptop out"}
	case act.kind == Laptop && was.at.console:
		return []string{"Go back to the console of " + was.office.Devices[was.at.dev].Name}
	case act.kind == Laptop:
		return []string{"Plug the laptop back into " + portText(office.PortRef{Device: was.office.Devices[was.at.dev].Name, Port: was.at.port})}
	case act.kind == CableStep:
		return []string{act.task.undo}
	}
	device, one := n.world.office.Devices[act.dev], was.office.Devices[act.dev] // as it is, and as it is to be again
	out = n.undoPorts()
	if !sameManage(one.Manage, device.Manage) && one.Manage != nil {
		out = append(out, wording.ManagedIn(was.net, one.Manage).Text)
	}
	for _, address := range device.Addresses {
		if !hasAddress(one, &address) {
			out = append(out, "VLAN "+was.net.Name(address.VID)+": no address "+address.Prefix.String())
		}
	}
	for _, address := range one.Addresses {
		if !slices.ContainsFunc(device.Addresses, func(c office.Address) bool { return c.Equal(&address) }) {
			out = append(out, "VLAN "+was.net.Name(address.VID)+": "+notation.AddressText(address))
		}
	}
	if lines, _ := policyLines(device, one); len(lines) > 0 {
		out = append(out, typed(one.Name, lines))
	}
	if len(out) == 0 && act.task != nil {
		out = append(out, typed(one.Name, act.task.back))
	}
	return out
}

// undoPorts is the way back of what a step did to the ports and the list of VLANs of its device.
func (n *node) undoPorts() (out []string) {
	device, was := n.act.dev, n.prev.world
	now, to := n.world.states[device], was.states[device]
	if now == nil || to == nil {
		return nil
	}
	if n.world.problem.words[device] != nil && len(now.Ports) == len(to.Ports) && !now.Equal(*to) {
		steps, err := wording.Steps(n.world.word(device), *now, *to)
		for _, st := range steps {
			if err == nil && st.Op != wording.Save {
				out = append(out, st.Text)
			}
		}
		ports := was.office.Devices[device].Ports
		for port := range to.Ports { // what the device came to by itself is no goal of its own: port by port then
			if err != nil && ports[port].Bundle == 0 && !now.Ports[port].Alike(&to.Ports[port]) {
				out = append(out, fmt.Sprintf("Port %s back to %s", ports[port].Name, notation.Shape(to.Ports[port].Shape())))
			}
		}
	}
	if len(out) > 0 {
		return out
	}
	again, more := to.VLANs.Minus(&now.VLANs), now.VLANs.Minus(&to.VLANs) // a list of VLANs alone
	for vid := range again.All() {
		out = append(out, "Create VLAN "+was.net.Name(vid))
	}
	for vid := range more.All() {
		out = append(out, "Delete VLAN "+was.net.Name(vid))
	}
	return out
}
