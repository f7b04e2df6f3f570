package order

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
)

// changes says what a step makes otherwise on a device's ports, before the whole values of
// its page: by VLAN what comes, turns and goes, then PVIDs and what is shut or opened.
//
//	25 tagged in 110 reception, it was not
//	PVID of 12 130, it was 1
func (n *node) changes() (out []string) {
	a := n.act
	if a.kind != Set && a.kind != Manage || n.w.p.words[a.dev] == nil {
		return nil
	}
	now, was := n.w.states[a.dev], n.prev.w.states[a.dev]
	d := n.w.o.Devices[a.dev]
	if now == nil || was == nil || len(now.Ports) != len(was.Ports) || len(now.Ports) != len(d.Ports) {
		return nil
	}
	by := map[string][]int{}
	var order []string
	say := func(port int, text string) {
		if by[text] == nil {
			order = append(order, text)
		}
		by[text] = append(by[text], port)
	}
	form := func(untagged, tagged *office.Set, v office.VID) string {
		switch {
		case untagged.Has(v):
			return "untagged"
		case tagged.Has(v):
			return "tagged"
		}
		return ""
	}
	var all office.Set
	for p := range now.Ports {
		x, y := now.Ports[p].Members(), was.Ports[p].Members()
		both := x.Xor(&y)
		turned := now.Ports[p].Tagged.Xor(&was.Ports[p].Tagged)
		all.AddAll(&both)
		all.AddAll(&turned)
	}
	for v := range all.All() {
		for p := range now.Ports {
			is, were := form(&now.Ports[p].Untagged, &now.Ports[p].Tagged, v), form(&was.Ports[p].Untagged, &was.Ports[p].Tagged, v)
			name := n.w.n.Name(v)
			switch {
			case d.Ports[p].Bundle > 0 || is == were:
			case is == "":
				say(p, "no more in "+name)
			case were == "":
				say(p, fmt.Sprintf("%s in %s, not in it before", is, name))
			default:
				say(p, fmt.Sprintf("%s in %s, %s before", is, name, were))
			}
		}
	}
	for p := range now.Ports {
		x, y := &now.Ports[p], &was.Ports[p]
		switch {
		case d.Ports[p].Bundle > 0:
		case x.Off && !y.Off:
			say(p, "shut")
		case !x.Off && y.Off:
			say(p, "open")
		case x.PVID != y.PVID && x.Untagged == y.Untagged: // else the untagged VLAN says it
			say(p, fmt.Sprintf("PVID %s, %s before", vidText(x.PVID), vidText(y.PVID)))
		}
	}
	for _, text := range order {
		slices.Sort(by[text])
		out = append(out, notation.Ports(d, by[text])+" "+text)
	}
	return out
}

func vidText(v office.VID) string {
	if v == 0 {
		return "none"
	}
	return fmt.Sprint(v)
}
