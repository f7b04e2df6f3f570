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
//
// Many branches: what comes, turns, goes, is shut and is opened is each said in words of
// its own.
func (n *node) changes() (out []string) {
	act := n.act
	if act.kind != Set && act.kind != Manage || n.world.problem.words[act.dev] == nil {
		return nil
	}
	now, was := n.world.states[act.dev], n.prev.world.states[act.dev]
	device := n.world.office.Devices[act.dev]
	if now == nil || was == nil || len(now.Ports) != len(was.Ports) || len(now.Ports) != len(device.Ports) {
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
	form := func(untagged, tagged *office.Set, vid office.VID) string {
		switch {
		case untagged.Has(vid):
			return "untagged"
		case tagged.Has(vid):
			return "tagged"
		}
		return ""
	}
	var all office.Set
	for port := range now.Ports {
		set, one := now.Ports[port].Members(), was.Ports[port].Members()
		both := set.Xor(&one)
		turned := now.Ports[port].Tagged.Xor(&was.Ports[port].Tagged)
		all.AddAll(&both)
		all.AddAll(&turned)
	}
	for vid := range all.All() {
		for port := range now.Ports {
			is, were := form(&now.Ports[port].Untagged, &now.Ports[port].Tagged, vid), form(&was.Ports[port].Untagged, &was.Ports[port].Tagged, vid)
			name := n.world.net.Name(vid)
			switch {
			case device.Ports[port].Bundle > 0 || is == were:
			case is == "":
				say(port, "no more in "+name)
			case were == "":
				say(port, fmt.Sprintf("%s in %s, not in it before", is, name))
			default:
				say(port, fmt.Sprintf("%s in %s, %s before", is, name, were))
			}
		}
	}
	for port := range now.Ports {
		setting, one := &now.Ports[port], &was.Ports[port]
		switch {
		case device.Ports[port].Bundle > 0:
		case setting.Off && !one.Off:
			say(port, "shut")
		case !setting.Off && one.Off:
			say(port, "open")
		case setting.PVID != one.PVID && setting.Untagged == one.Untagged: // else the untagged VLAN says it
			say(port, fmt.Sprintf("PVID %s, %s before", vidText(setting.PVID), vidText(one.PVID)))
		}
	}
	for _, text := range order {
		slices.Sort(by[text])
		out = append(out, notation.Ports(device, by[text])+" "+text)
	}
	return out
}

// vidText is a VID as a step says it, "none" for 0: no PVID.
func vidText(vid office.VID) string {
	if vid == 0 {
		return "none"
	}
	return fmt.Sprint(vid)
}
