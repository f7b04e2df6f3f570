package order

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
)

// takes says what the plan itself takes from those who have it today, for good: from a plug its
// VLAN, or the way to its gateway; from the laptop a device's management; from a VLAN with
// somebody in it another one, or the outside; and the subnet whose addresses its hosts have. No
// order can help that, and it is said first.
func (p *problem) takes() []string {
	out, told := leaves(p.was.from, p.plan.from)
	for i, device := range p.plan.net.Office.Devices {
		if p.cut[i] && p.reachedAtFirst(i) {
			out = append(out, fmt.Sprintf("The plan takes the way to the management of %s: it is reached today.", device.Name))
		}
	}
	out = append(out, p.shut(told)...)
	return append(out, p.resettled()...)
}

// reachedAtFirst says whether the laptop reaches a device's management as things are.
func (p *problem) reachedAtFirst(i int) bool {
	return p.was.net.Office.Devices[i].Manage != nil && p.start().reachable(i)
}

// shut says between which VLANs, and whether to the outside, nothing passes any more, or less; of
// those that plugs are in before and after. Of VLANs whose plugs lose their gateway, as told has
// it, that is said already.
func (p *problem) shut(told map[office.VID]bool) (out []string) {
	lives := map[office.VID]int{}
	for k, o := range []*office.Office{p.was.from.Office, p.plan.from.Office} {
		for _, plug := range o.Plugs {
			vid := plug.Wants
			if k == 0 {
				vid = p.numbers.of(vid)
			}
			lives[vid] |= 1 << k
		}
	}
	there := func(vid office.VID) bool { return vid == 0 || lives[vid] == 3 }
	whole, part := map[office.VID][]office.VID{}, map[office.VID][]office.VID{}
	for way, before := range p.across.was {
		if !there(way.from) || !there(way.to) || told[way.from] || told[way.to] {
			continue
		}
		after := p.across.plan[way]
		for family := range before {
			lost := before.open(family).Minus(after.open(family))
			if lost == talk.None {
				continue
			}
			if after.open(0) == talk.None && after.open(1) == talk.None {
				whole[way.from] = append(whole[way.from], way.to)
			} else {
				part[way.from] = append(part[way.from], way.to)
			}
			break
		}
	}
	say := func(shut map[office.VID][]office.VID, format string) {
		for _, from := range slices.Sorted(maps.Keys(shut)) {
			slices.Sort(shut[from])
			var to []string
			for _, vid := range shut[from] {
				to = append(to, nameOf(p.plan.net, vid))
			}
			out = append(out, fmt.Sprintf(format, nameOf(p.plan.net, from), some(to, 3)))
		}
	}
	say(whole, "The plan takes from %s the way to %s: it is open today.")
	say(part, "The plan takes from %s a part of what it may do at %s today.")
	return out
}

// resettled says of VLANs with plugs that the plan gives another subnet: hosts keep the address
// that they have until they ask for a new one, and nobody answers it then.
func (p *problem) resettled() (out []string) {
	subnets := func(o *office.Office, vid office.VID) (all []netip.Prefix) {
		for _, device := range o.Devices {
			for _, address := range device.Addresses {
				if address.VID == vid {
					all = append(all, address.Prefix.Masked())
				}
			}
		}
		return all
	}
	for _, vlan := range p.was.from.Office.VLANs {
		vid := p.numbers.of(vlan.VID)
		now := subnets(p.plan.from.Office, vid)
		used := func(o *office.Office, vid office.VID) bool {
			return slices.ContainsFunc(o.Plugs, func(plug office.Plug) bool { return plug.Wants == vid && !plug.Operator })
		}
		if len(now) == 0 || !used(p.was.from.Office, vlan.VID) || !used(p.plan.from.Office, vid) {
			continue
		}
		for _, subnet := range subnets(p.was.from.Office, vlan.VID) {
			if !slices.Contains(now, subnet) {
				out = append(out, fmt.Sprintf("The plan gives %s another subnet: who has an address of %s has no gateway any more until he asks for a new address.", p.plan.net.Name(vid), subnet))
			}
		}
	}
	return slices.Compact(out)
}

// leaves says it of plugs; told is the VLANs of those that it says something of.
//
//	> vlan 170 cameras; core 7: 190 [110 140 160 170]; floor 8: 190 [110 140 160 170]; floor 6: 170
//	1. floor, set: Create VLAN 170 cameras; VLAN 170 cameras: untagged 6, tagged 8
//	   floor 6 is now in 170 cameras.
//	2. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	3. floor, save: Save, so that it stays after a power cut
//	4. core, set: Create VLAN 170 cameras; VLAN 170 cameras: untagged none, tagged 7
//	   170 cameras passes now both ways over core 7 – floor 8.
//	5. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	6. core, save: Save, so that it stays after a power cut
func leaves(was, plan *span.Net) (out []string, told map[office.VID]bool) {
	told = map[office.VID]bool{}
	type id struct {
		at   office.PortRef
		name string
	}
	before := map[id]*office.Plug{}
	for i := range was.Office.Plugs {
		plug := &was.Office.Plugs[i]
		before[id{plug.Port, plug.Name}] = plug
	}
	has := func(net *span.Net, h *reach.Hearing, plug *office.Plug) (vlan, gateway bool) {
		here := reach.Plug(net, plug)
		if here == nil {
			return false, false
		}
		gate := net.Gateways().First(plug.Wants)
		return true, gate.Is() && h.Both(here, reach.Address(net, gate.Dev, gate.Address))
	}
	hears, will := reach.In(was), reach.In(plan)
	for i := range plan.Office.Plugs {
		plug := &plan.Office.Plugs[i]
		old := before[id{plug.Port, plug.Name}]
		if old == nil || plug.Operator {
			continue
		}
		vlan, gateway := has(was, hears, old)
		now, leads := has(plan, will, plug)
		told[plug.Wants] = told[plug.Wants] || vlan && !now || gateway && !leads
		switch {
		case vlan && !now:
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without %s: it works today.", plug.Name, portText(plug.Port), plan.Name(plug.Wants)))
		case gateway && !leads && plan.Gateways().First(plug.Wants).Is():
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without a way to its gateway in %s: it has one today.", plug.Name, portText(plug.Port), plan.Name(plug.Wants)))
		}
	}
	return out, told
}
