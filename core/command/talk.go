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
func May(n *span.Net, wish *office.Wish) (*Result, error) {
	lines, err := talk.Place(n, wish)
	if err != nil {
		return nil, err
	}
	o, edit, err := notation.Line(n.Office, strings.Join(lines, "\n"))
	if err != nil {
		return nil, err
	}
	result := &Result{Office: o, Edit: edit}
	for _, line := range lines {
		result.Notes = append(result.Notes, placed(n.Office, line))
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
	if d := o.Device(ws[0]); at >= 1 && at <= len(d.Rules) {
		return fmt.Sprintf("a new rule of %s, before rule %d, which would decide otherwise: %s", ws[0], at, &d.Rules[at-1])
	}
	return fmt.Sprintf("a new rule of %s, after all others", ws[0])
}

// doMay reads allow or deny, without a device, and what follows.
func doMay(n *span.Net, text string) (*Result, error) {
	word, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	as := "must "
	if word == string(office.Deny) {
		as = "never "
	}
	wish, err := notation.ReadWish(n.Office, as+rest)
	if err != nil {
		var m *notation.Mistakes
		if errors.As(err, &m) {
			for i := range m.List {
				m.List[i].Column += len(word) + 1 - len(as)
			}
		}
		return nil, err
	}
	r, err := May(n, wish)
	if err != nil {
		return nil, mistake(1, 0, err.Error())
	}
	return r, nil
}

func doTalks(n *span.Net, a *args) (*Result, error) {
	v := a.vlan()
	if !a.accept("like") {
		a.wrong(a.end, "like whom")
	}
	like := a.vlan()
	if !a.done() {
		return nil, nil
	}
	return TalksLike(n.Office, v, like)
}

// TalksLike gives a VLAN the rules of another: it is named wherever the other is,
// and nowhere else, and is in the same zones.
func TalksLike(o *office.Office, v, like office.VID) (*Result, error) {
	if v == like {
		return nil, fmt.Errorf("VLAN %d talks like itself", v)
	}
	nets := func(v office.VID) (all []netip.Prefix) {
		if x := o.VLAN(v); x != nil {
			all = append(all, x.Nets...)
		}
		return all
	}
	mine, theirs := nets(v), nets(like)
	shared := map[string]bool{} // zones that other VLANs are in, too
	for _, d := range o.Devices {
		for _, a := range d.Addresses {
			shared[a.Zone] = shared[a.Zone] || a.VID != v
		}
	}
	of := func(s office.Side) bool { // names this VLAN, by itself
		return s.Kind == office.SideVLAN && s.VID == v || s.Kind == office.SideNet && slices.Contains(mine, s.Net) || s.Kind == office.SideZone && !shared[s.Zone]
	}
	beside := func(sides []office.Side) (out []office.Side) {
		for _, s := range sides {
			if of(s) {
				continue
			}
			out = append(out, s)
			switch {
			case s.Kind == office.SideVLAN && s.VID == like:
				out = append(out, office.Side{Kind: office.SideVLAN, VID: v})
			case s.Kind == office.SideNet && slices.Contains(theirs, s.Net):
				for _, p := range mine {
					if p.Addr().Is4() == s.Net.Addr().Is4() {
						out = append(out, office.Side{Kind: office.SideNet, Net: p})
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
		for i, s := range sides {
			if s.Kind == office.SideZone && !shared[s.Zone] {
				sides[i] = office.Side{Kind: office.SideVLAN, VID: v}
			}
		}
		return sides
	}); err != nil {
		return nil, err
	}
	for _, d := range slices.Clone(draft.Office().Devices) {
		zone := d.ZoneOf(like)
		if y := d.Clone(); d.ZoneOf(v) != zone && slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == v }) {
			for i := range y.Addresses {
				if y.Addresses[i].VID == v {
					y.Addresses[i].Zone = zone
				}
			}
			if err := draft.PutDevice(y); err != nil {
				return nil, err
			}
		}
	}
	next, e := draft.Done()
	if len(e) == 0 {
		return nil, fmt.Errorf("VLAN %d talks like VLAN %d already", v, like)
	}
	return &Result{Office: next, Edit: e}, nil
}

// everyRule changes the sides of every rule; one that has none left goes.
func everyRule(draft *office.Draft, f func([]office.Side) []office.Side) error {
	for _, d := range slices.Clone(draft.Office().Devices) {
		for i := len(d.Rules) - 1; i >= 0; i-- {
			r := d.Rules[i]
			r.From, r.To = f(r.From), f(r.To)
			if r.Equal(&d.Rules[i]) {
				continue
			}
			if err := draft.RemoveRule(d.Name, i); err != nil {
				return err
			}
			if len(r.From) == 0 || len(r.To) == 0 {
				continue
			}
			if err := draft.PutRule(d.Name, &r, i); err != nil {
				return err
			}
		}
	}
	return nil
}

// everyWish changes the sides of every wish, in the same way.
func everyWish(draft *office.Draft, f func([]office.Side) []office.Side) error {
	for i, w := range slices.Clone(draft.Office().Wishes) {
		next := &office.Wish{Must: w.Must, From: f(w.From), To: f(w.To), Services: w.Services}
		if next.String() == w.String() {
			continue
		}
		if err := draft.RemoveWish(w); err != nil {
			return err
		}
		if len(next.From) == 0 || len(next.To) == 0 || slices.ContainsFunc(draft.Office().Wishes, func(x *office.Wish) bool { return x.Key() == next.Key() }) {
			continue
		}
		if err := draft.Put(office.Change{After: next, At: min(i, len(draft.Office().Wishes))}); err != nil {
			return err
		}
	}
	return nil
}
