package command

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/finding"
	"klammer/core/office"
)

// Proposal is the next VLAN as the office's habit has it.
type Proposal struct {
	VID        office.VID
	Like       office.VID // the VLAN that it was made after; 0 for none
	Statements []string   // that register it and give it its addresses
}

// Next proposes a VLAN like the others: the next free number in the step that
// the others keep, a subnet that shows it where theirs do, and an address and a
// hand-out range where the one before has them. With vid not 0 that number is
// taken. The error says what is wrong with the name or the number.
func Next(o *office.Office, name string, vid office.VID) (*Proposal, error) {
	if err := office.CheckVLANName(name); err != nil {
		fits := office.Fitting(name, "")
		if fits == "" || len(name) > office.MostName {
			return nil, err
		}
		name = fits // as the notation takes it
	}
	for _, vlan := range o.VLANs {
		if vlan.Name == name {
			return nil, fmt.Errorf("VLAN %d is named %s already: names are unique", vlan.VID, name)
		}
	}
	if vid == 0 {
		vid = nextVID(o)
		if vid == 0 {
			return nil, fmt.Errorf("all VIDs are taken")
		}
	}
	if o.VLAN(vid) != nil {
		return nil, office.FaultOf(office.OfVID, "VLAN %d is %s already: the next free number is %d", vid, o.VLAN(vid).Name, nextVID(o))
	}
	proposal := &Proposal{VID: vid}
	line := fmt.Sprintf("vlan %d %s", vid, name)
	like := model(o, vid)
	if like == nil {
		proposal.Statements = []string{line}
		return proposal, nil
	}
	proposal.Like = like.VID
	type pair struct{ old, now netip.Prefix }
	var pairs []pair
	for _, prefix := range like.Nets {
		other, ok := showing(o, prefix, like.VID, vid)
		if !ok || overlaps(o, other) || !usual(o, prefix.Addr().Is4()) {
			continue
		}
		pairs = append(pairs, pair{prefix, other})
		line += " net " + other.String()
	}
	proposal.Statements = []string{line}
	for _, device := range o.Devices {
		for _, address := range device.Addresses {
			i := slices.IndexFunc(pairs, func(other pair) bool { return other.old.Contains(address.Prefix.Addr()) })
			if address.VID != like.VID || i < 0 {
				continue
			}
			to := func(addr netip.Addr) netip.Addr { return moved(addr, pairs[i].old, pairs[i].now) }
			text := fmt.Sprintf("%s address %d %s/%d", device.Name, vid, to(address.Prefix.Addr()), address.Prefix.Bits())
			if address.On != "" {
				text += " on " + address.On
			}
			if address.From.IsValid() {
				text += fmt.Sprintf(" handout %s-%s", to(address.From), to(address.To))
			}
			proposal.Statements = append(proposal.Statements, text)
		}
	}
	return proposal, nil
}

// ordinary are the VLANs that a habit is read from: not the default, none that
// is meant to be local.
func ordinary(o *office.Office) []*office.VLAN {
	return slices.DeleteFunc(slices.Clone(o.VLANs), func(vlan *office.VLAN) bool { return vlan.VID == office.DefaultVID || vlan.Local })
}

// nextVID is the first free number after the highest that is in step with the
// one below it; 0 where there is none.
func nextVID(o *office.Office) office.VID {
	vs := ordinary(o)
	step, at := office.VID(10), office.VID(0)
	steps := map[office.VID]int{}
	for i := 1; i < len(vs); i++ {
		steps[vs[i].VID-vs[i-1].VID]++
	}
	for vid, n := range steps {
		if n > steps[step] || n == steps[step] && vid < step {
			step = vid
		}
	}
	for i, vlan := range vs {
		if i == 0 || vlan.VID-vs[i-1].VID <= step {
			at = vlan.VID
		}
	}
	for v := int(at + step); v <= int(office.MaxVID); v += int(step) {
		if o.VLAN(office.VID(v)) == nil {
			return office.VID(v)
		}
	}
	for vid := office.VID(2); vid <= office.MaxVID; vid++ {
		if o.VLAN(vid) == nil {
			return vid
		}
	}
	return 0
}

// model is the VLAN to make another like: with a subnet that shows its number,
// an address and a hand-out if any has them, the nearest below vid.
func model(o *office.Office, vid office.VID) *office.VLAN {
	var best *office.VLAN
	score := func(vlan *office.VLAN) int {
		if !slices.ContainsFunc(vlan.Nets, func(prefix netip.Prefix) bool {
			_, ok := showing(o, prefix, vlan.VID, vid)
			return ok && finding.ShowsVID(prefix, vlan.VID)
		}) {
			return -1
		}
		s := 0
		for _, device := range o.Devices {
			for _, address := range device.Addresses {
				if address.VID == vlan.VID {
					s |= 1
					if address.From.IsValid() {
						s |= 2
					}
				}
			}
		}
		return s
	}
	for _, vlan := range ordinary(o) {
		s := score(vlan)
		if s < 0 {
			continue
		}
		if best == nil || s > score(best) || s == score(best) && vlan.VID < vid {
			best = vlan
		}
	}
	return best
}

// usual says whether most VLANs have a subnet of that kind.
func usual(o *office.Office, v4 bool) bool {
	with, all := 0, 0
	for _, vlan := range ordinary(o) {
		all++
		if slices.ContainsFunc(vlan.Nets, func(prefix netip.Prefix) bool { return prefix.Addr().Is4() == v4 }) {
			with++
		}
	}
	return 2*with > all
}

func overlaps(o *office.Office, prefix netip.Prefix) bool {
	return slices.ContainsFunc(o.VLANs, func(vlan *office.VLAN) bool {
		return slices.ContainsFunc(vlan.Nets, func(other netip.Prefix) bool { return prefix.Overlaps(other) })
	})
}
