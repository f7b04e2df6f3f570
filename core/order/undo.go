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
func (n *node) undo() (out []string) {
	a, was := n.act, n.prev.w
	switch {
	case a.kind == Check || a.kind == Save:
		return nil
	case a.kind == Laptop && was.at.away:
		return []string{"Take the laptop out"}
	case a.kind == Laptop && was.at.console:
		return []string{"Go back to the console of " + was.o.Devices[was.at.dev].Name}
	case a.kind == Laptop:
		return []string{"Plug the laptop back into " + portText(office.PortRef{Device: was.o.Devices[was.at.dev].Name, Port: was.at.port})}
	case a.kind == CableStep:
		return []string{a.task.undo}
	}
	y, x := n.w.o.Devices[a.dev], was.o.Devices[a.dev] // as it is, and as it is to be again
	if now, to := n.w.states[a.dev], was.states[a.dev]; n.w.p.words[a.dev] != nil && now != nil && to != nil && len(now.Ports) == len(to.Ports) && !now.Equal(*to) {
		steps, err := wording.Steps(n.w.word(a.dev), *now, *to)
		for _, st := range steps {
			if err == nil && st.Op != wording.Save {
				out = append(out, st.Text)
			}
		}
		for q := range to.Ports { // what the device came to by itself is no goal of its own: port by port then
			if err != nil && x.Ports[q].Bundle == 0 && !now.Ports[q].Alike(&to.Ports[q]) {
				out = append(out, fmt.Sprintf("Port %s back to %s", x.Ports[q].Name, notation.Shape(to.Ports[q].Shape())))
			}
		}
	}
	if now, to := n.w.states[a.dev], was.states[a.dev]; len(out) == 0 && now != nil && to != nil { // a list of VLANs alone
		again, more := to.VLANs.Minus(&now.VLANs), now.VLANs.Minus(&to.VLANs)
		for v := range again.All() {
			out = append(out, "Create VLAN "+was.n.Name(v))
		}
		for v := range more.All() {
			out = append(out, "Delete VLAN "+was.n.Name(v))
		}
	}
	if !sameManage(x.Manage, y.Manage) && x.Manage != nil {
		out = append(out, wording.ManagedIn(was.n, x.Manage).Text)
	}
	for _, b := range y.Addresses {
		if !hasAddress(x, &b) {
			out = append(out, "VLAN "+was.n.Name(b.VID)+": no address "+b.Prefix.String())
		}
	}
	for _, b := range x.Addresses {
		if !slices.ContainsFunc(y.Addresses, func(c office.Address) bool { return c.Equal(&b) }) {
			out = append(out, "VLAN "+was.n.Name(b.VID)+": "+notation.AddressText(b))
		}
	}
	if lines, _ := policyLines(y, x); len(lines) > 0 {
		out = append(out, typed(x.Name, lines))
	}
	if len(out) == 0 && a.task != nil {
		out = append(out, typed(x.Name, a.task.back))
	}
	return out
}
