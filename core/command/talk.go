package command

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// May lets somebody talk to somebody, or forbids it: where rules must stand for
// that is worked out.
//
//	> allow guests to 10.61.110.20 printing
//	gate rule 3 allow vlan 160 to 10.61.110.20 printing
//	# a new rule of gate, after all others
func May(net *span.Net, wish *office.Wish) (*Result, error) {
	lines, err := talk.Place(net, wish)
	if err != nil {
		return nil, err
	}
	o, edit, err := notation.Line(net.Office, strings.Join(lines, "\n"))
	if err != nil {
		return nil, err
	}
	result := &Result{Office: o, Edit: edit}
	for _, line := range lines {
		result.Notes = append(result.Notes, placed(net.Office, line))
	}
	return result, nil
}

// placed says in words where a rule goes.
func placed(o *office.Office, line string) string {
	ws := strings.SplitN(line, " ", 4)
	if rest, ok := strings.CutPrefix(line, "-"); ok {
		device, rule, _ := strings.Cut(rest, " rule ")
		return fmt.Sprintf("rule %s of %s goes: it said the opposite of the same", rule, device)
	}
	if ws[1] != "rule" {
		return fmt.Sprintf("a new rule of %s, after all others", ws[0])
	}
	var at int
	_, _ = fmt.Sscan(ws[2], &at)
	if device := o.Device(ws[0]); at >= 1 && at <= len(device.Rules) {
		return fmt.Sprintf("a new rule of %s, before rule %d, which would decide otherwise: %s", ws[0], at, &device.Rules[at-1])
	}
	return fmt.Sprintf("a new rule of %s, after all others", ws[0])
}

// doMay reads allow or deny, without a device, and what follows.
func doMay(net *span.Net, text string) (*Result, error) {
	word, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	as := "must "
	if word == string(office.Deny) {
		as = "never "
	}
	wish, err := notation.ReadWish(net.Office, as+rest)
	if err != nil {
		var mistakes *notation.Mistakes
		if errors.As(err, &mistakes) {
			for i := range mistakes.List {
				mistakes.List[i].Column += len(word) + 1 - len(as)
			}
		}
		return nil, err
	}
	result, err := May(net, wish)
	if err != nil {
		return nil, mistake(1, 0, err.Error())
	}
	return result, nil
}

// doTalks reads: talks VLAN like VLAN.
func doTalks(net *span.Net, args *args) (*Result, error) {
	vid := args.vlan()
	if !args.accept("like") {
		args.wrong(args.end, "like whom")
	}
	like := args.vlan()
	if !args.done() {
		return nil, nil
	}
	return TalksLike(net.Office, vid, like)
}

// zonesLike puts the addresses of a VLAN into the zones of another, at each device.
func zonesLike(draft *office.Draft, vid, like office.VID) error {
	for _, device := range slices.Clone(draft.Office().Devices) {
		zone, other, changed := device.ZoneOf(like), device.Clone(), false
		if device.ZoneOf(vid) == zone {
			continue
		}
		for i := range other.Addresses {
			if address := &other.Addresses[i]; address.VID == vid {
				address.Zone, changed = zone, true
			}
		}
		if !changed { // it has no address there
			continue
		}
		if err := draft.PutDevice(other); err != nil {
			return err
		}
	}
	return nil
}

// TalksLike gives a VLAN the rules of another: it is named wherever the other is,
// and nowhere else, and is in the same zones.
//
//	> talks 160 like 190
//	-gate rule 1
//	gate rule 1 allow zone staff to outside
//	gate address 160 10.61.160.1/24 on lan1 zone devices handout 10.61.160.20-10.61.160.250
//
// Many branches: rules, wishes and zones each name a VLAN in their own way.
func TalksLike(o *office.Office, vid, like office.VID) (*Result, error) {
	if vid == like {
		return nil, fmt.Errorf("VLAN %d talks like itself", vid)
	}
	nets := func(other office.VID) (all []netip.Prefix) {
		if vlan := o.VLAN(other); vlan != nil {
			all = append(all, vlan.Nets...)
		}
		return all
	}
	mine, theirs := nets(vid), nets(like)
	shared := map[string]bool{} // zones that other VLANs are in, too
	for _, device := range o.Devices {
		for _, address := range device.Addresses {
			shared[address.Zone] = shared[address.Zone] || address.VID != vid
		}
	}
	of := func(side office.Side) bool { // names this VLAN, by itself
		return side.Kind == office.SideVLAN && side.VID == vid || side.Kind == office.SideNet && slices.Contains(mine, side.Net) || side.Kind == office.SideZone && !shared[side.Zone]
	}
	beside := func(sides []office.Side) (out []office.Side) {
		for _, side := range sides {
			if of(side) {
				continue
			}
			out = append(out, side)
			switch {
			case side.Kind == office.SideVLAN && side.VID == like:
				out = append(out, office.Side{Kind: office.SideVLAN, VID: vid})
			case side.Kind == office.SideNet && slices.Contains(theirs, side.Net):
				for _, prefix := range mine {
					if prefix.Addr().Is4() == side.Net.Addr().Is4() {
						out = append(out, office.Side{Kind: office.SideNet, Net: prefix})
					}
				}
			}
		}
		return out
	}
	draft := office.NewDraft(o)
	if err := everyRule(draft, beside); err != nil {
		return nil, err
	}
	if err := everyWish(draft, func(sides []office.Side) []office.Side { // its zone may go: it is meant all the same
		sides = slices.Clone(sides)
		for i, side := range sides {
			if side.Kind == office.SideZone && !shared[side.Zone] {
				sides[i] = office.Side{Kind: office.SideVLAN, VID: vid}
			}
		}
		return sides
	}); err != nil {
		return nil, err
	}
	if err := zonesLike(draft, vid, like); err != nil {
		return nil, err
	}
	next, edit := draft.Done()
	if len(edit) == 0 {
		return nil, fmt.Errorf("VLAN %d talks like VLAN %d already", vid, like)
	}
	return &Result{Office: next, Edit: edit}, nil
}

// everyRule changes the sides of every rule; one that has none left goes.
func everyRule(draft *office.Draft, f func([]office.Side) []office.Side) error {
	for _, device := range slices.Clone(draft.Office().Devices) {
		for i := len(device.Rules) - 1; i >= 0; i-- {
			rule := device.Rules[i]
			rule.From, rule.To = f(rule.From), f(rule.To)
			if rule.Equal(&device.Rules[i]) {
				continue
			}
			if err := draft.RemoveRule(device.Name, i); err != nil {
				return err
			}
			if len(rule.From) == 0 || len(rule.To) == 0 {
				continue
			}
			if err := draft.PutRule(device.Name, &rule, i); err != nil {
				return err
			}
		}
	}
	return nil
}

// everyWish changes the sides of every wish, in the same way.
func everyWish(draft *office.Draft, f func([]office.Side) []office.Side) error {
	for i, wish := range slices.Clone(draft.Office().Wishes) {
		next := &office.Wish{Must: wish.Must, From: f(wish.From), To: f(wish.To), Services: wish.Services}
		if next.String() == wish.String() {
			continue
		}
		if err := draft.RemoveWish(wish); err != nil {
			return err
		}
		if len(next.From) == 0 || len(next.To) == 0 || slices.ContainsFunc(draft.Office().Wishes, func(other *office.Wish) bool { return other.Key() == next.Key() }) {
			continue
		}
		if err := draft.Put(office.Change{After: next, At: min(i, len(draft.Office().Wishes))}); err != nil {
			return err
		}
	}
	return nil
}
