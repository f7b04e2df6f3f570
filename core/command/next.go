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
		return nil, err
	}
	for _, v := range o.VLANs {
		if v.Name == name {
			return nil, fmt.Errorf("VLAN %d is named %s already: names are unique", v.VID, name)
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
	p := &Proposal{VID: vid}
	line := fmt.Sprintf("vlan %d %s", vid, name)
	like := model(o, vid)
	if like == nil {
		p.Statements = []string{line}
		return p, nil
	}
	p.Like = like.VID
	type pair struct{ old, now netip.Prefix }
	var pairs []pair
	for _, n := range like.Nets {
		q, ok := showing(o, n, like.VID, vid)
		if !ok || overlaps(o, q) || !usual(o, n.Addr().Is4()) {
			continue
		}
		pairs = append(pairs, pair{n, q})
		line += " net " + q.String()
	}
	p.Statements = []string{line}
	for _, device := range o.Devices {
		for _, address := range device.Addresses {
			i := slices.IndexFunc(pairs, func(x pair) bool { return x.old.Contains(address.Prefix.Addr()) })
			if address.VID != like.VID || i < 0 {
				continue
			}
			to := func(x netip.Addr) netip.Addr { return moved(x, pairs[i].old, pairs[i].now) }
			text := fmt.Sprintf("%s address %d %s/%d", device.Name, vid, to(address.Prefix.Addr()), address.Prefix.Bits())
			if address.On != "" {
				text += " on " + address.On
			}
			if address.From.IsValid() {
				text += fmt.Sprintf(" handout %s-%s", to(address.From), to(address.To))
			}
			p.Statements = append(p.Statements, text)
		}
	}
	return p, nil
}

// ordinary are the VLANs that a habit is read from: not the default, none that
// is meant to be local.
func ordinary(o *office.Office) []*office.VLAN {
	return slices.DeleteFunc(slices.Clone(o.VLANs), func(v *office.VLAN) bool { return v.VID == office.DefaultVID || v.Local })
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
	for s, n := range steps {
		if n > steps[step] || n == steps[step] && s < step {
			step = s
		}
	}
	for i, v := range vs {
		if i == 0 || v.VID-vs[i-1].VID <= step {
			at = v.VID
		}
	}
	for v := int(at + step); v <= int(office.MaxVID); v += int(step) {
		if o.VLAN(office.VID(v)) == nil {
			return office.VID(v)
		}
	}
	for v := office.VID(2); v <= office.MaxVID; v++ {
		if o.VLAN(v) == nil {
			return v
		}
	}
	return 0
}

// model is the VLAN to make another like: with a subnet that shows its number,
// an address and a hand-out if any has them, the nearest below vid.
func model(o *office.Office, vid office.VID) *office.VLAN {
	var best *office.VLAN
	score := func(vlan *office.VLAN) int {
		if !slices.ContainsFunc(vlan.Nets, func(p netip.Prefix) bool {
			_, ok := showing(o, p, vlan.VID, vid)
			return ok && finding.ShowsVID(p, vlan.VID)
		}) {
			return -1
		}
		s := 0
		for _, d := range o.Devices {
			for _, a := range d.Addresses {
				if a.VID == vlan.VID {
					s |= 1
					if a.From.IsValid() {
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
	for _, v := range ordinary(o) {
		all++
		if slices.ContainsFunc(v.Nets, func(p netip.Prefix) bool { return p.Addr().Is4() == v4 }) {
			with++
		}
	}
	return 2*with > all
}

func overlaps(o *office.Office, p netip.Prefix) bool {
	return slices.ContainsFunc(o.VLANs, func(v *office.VLAN) bool {
		return slices.ContainsFunc(v.Nets, func(q netip.Prefix) bool { return p.Overlaps(q) })
	})
}
