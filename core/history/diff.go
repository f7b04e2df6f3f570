package history

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
)

// Diff is the edit that leads from one office to another: what differs, and no
// more, with the order of things last where that differs.
func Diff(from, to *office.Office) (office.Edit, error) {
	draft := office.NewDraft(from)
	do := func(err error) error {
		if err != nil {
			return fmt.Errorf("what differs cannot be one edit: %w", err)
		}
		return nil
	}
	draft.SetTitle(to.Title)
	// What goes, from the leaves to the roots.
	plugs, cables := map[office.Plug]bool{}, map[office.Key]office.Cable{}
	for _, p := range to.Plugs {
		plugs[p] = true
	}
	for _, c := range to.Cables {
		cables[c.Key()] = c
	}
	for _, p := range from.Plugs {
		if !plugs[p] {
			if err := do(draft.Unplug(p.Port, p.Name)); err != nil {
				return nil, err
			}
		}
	}
	// Wishes and rules before the zones and the services that they name. What names
	// a zone that moves between devices goes, and comes again.
	moving := movingZones(from, to)
	for _, w := range from.Wishes {
		if moving.named(w.From, w.To) || !slices.ContainsFunc(to.Wishes, func(x *office.Wish) bool { return x.Key() == w.Key() }) {
			if err := do(draft.RemoveWish(w)); err != nil {
				return nil, err
			}
		}
	}
	for _, was := range from.Devices {
		is := to.Device(was.Name)
		if is == nil {
			is = &office.Device{}
		}
		kept := keptRules(was.Rules, is.Rules, moving)
		for i := len(was.Rules) - 1; i >= 0; i-- {
			if !kept[i] {
				if err := do(draft.RemoveRule(was.Name, i)); err != nil {
					return nil, err
				}
			}
		}
	}
	for _, c := range from.Cables {
		if cables[c.Key()] != c {
			if err := do(draft.Disconnect(c)); err != nil {
				return nil, err
			}
		}
	}
	for _, x := range from.Devices {
		if to.Device(x.Name) == nil {
			if err := do(draft.RemoveDevice(x.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, v := range from.VLANs {
		if w := to.VLAN(v.VID); w == nil || !same(v, w) {
			if err := do(draft.RemoveVLAN(v.VID)); err != nil {
				return nil, err
			}
		}
	}
	// What comes or changes, from the roots to the leaves.
	for _, v := range to.VLANs {
		if draft.Office().VLAN(v.VID) == nil {
			if err := do(draft.PutVLAN(v)); err != nil {
				return nil, err
			}
		}
	}
	for i, s := range to.Services {
		if was := from.Service(s.Name); was == nil || !same(was, s) {
			if err := do(draft.Put(office.Change{After: s, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, u := range to.Uses {
		if was := from.Use(u.Name); was == nil || !same(was, u) {
			if err := do(draft.Put(office.Change{After: u, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, p := range to.Plans {
		if was := from.Plan(p.Name); was == nil || !same(was, p) {
			if err := do(draft.Put(office.Change{After: p, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, device := range to.Devices {
		was := draft.Office().Device(device.Name) // with the rules that both have
		if len(device.Rules) > 0 {                // theirs come last
			device = device.Clone()
			device.Rules = nil
			if was != nil {
				device.Rules = was.Rules
			}
			device.Seal()
		}
		if was != nil && onlySet(was, device) {
			for p := range device.Ports { // port by port, so that what others set meanwhile stays
				if err := do(draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[p].Name}, device.Ports[p].Shape, device.Ports[p].Because)); err != nil &&
					device.Ports[p].Bundle == 0 {
					return nil, err
				}
			}
			continue
		}
		if was == nil || !same(was, device) {
			if err := do(draft.Put(office.Change{After: device, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for _, device := range to.Devices {
		now := draft.Office().Device(device.Name).Rules
		for i := range device.Rules {
			if i < len(now) && now[i].Equal(&device.Rules[i]) {
				continue
			}
			if err := do(draft.PutRule(device.Name, &device.Rules[i], i)); err != nil {
				return nil, err
			}
			now = draft.Office().Device(device.Name).Rules
		}
	}
	for _, p := range from.Plans {
		if to.Plan(p.Name) == nil {
			if err := do(draft.RemovePlan(p.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, u := range from.Uses {
		if to.Use(u.Name) == nil {
			if err := do(draft.RemoveUse(u.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, s := range from.Services {
		if to.Service(s.Name) == nil {
			if err := do(draft.RemoveService(s.Name)); err != nil {
				return nil, err
			}
		}
	}
	for i, c := range to.Cables {
		if !slices.Contains(draft.Office().Cables, c) {
			if err := do(draft.Put(office.Change{After: c, At: i})); err != nil {
				return nil, err
			}
		}
	}
	here := map[office.Plug]bool{}
	for _, p := range draft.Office().Plugs {
		here[p] = true
	}
	for i, p := range to.Plugs {
		if !here[p] {
			if err := do(draft.Put(office.Change{After: p, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, w := range to.Wishes {
		if !slices.ContainsFunc(draft.Office().Wishes, func(x *office.Wish) bool { return x.Key() == w.Key() }) {
			if err := do(draft.Put(office.Change{After: w, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for _, list := range office.Lists {
		if err := do(draft.Put(office.Change{After: office.OrderOf(to, list)})); err != nil {
			return nil, err
		}
	}
	_, e := draft.Done()
	return e, nil
}

// onlySet says whether two devices differ in nothing but what their ports are
// set to.
func onlySet(a, b *office.Device) bool {
	if len(a.Ports) != len(b.Ports) {
		return false
	}
	c := a.Clone()
	for p := range c.Ports {
		if c.Ports[p].Name != b.Ports[p].Name {
			return false
		}
		c.Ports[p].Shape, c.Ports[p].Because = b.Ports[p].Shape, b.Ports[p].Because
	}
	return notation.Thing(c.Seal()) == notation.Thing(b)
}

// same says whether two things say the same.
func same[T interface {
	comparable
	office.Thing
}](a, b T) bool {
	return a == b || notation.Thing(a) == notation.Thing(b)
}

// zones is a set of zones.
type zones map[string]bool

// movingZones is the zones that other devices have in one office than in another.
func movingZones(from, to *office.Office) zones {
	holders := func(o *office.Office) map[string]string {
		out := map[string]string{}
		for _, d := range o.Devices {
			for i, a := range d.Addresses {
				if a.Zone != "" && !slices.ContainsFunc(d.Addresses[:i], func(b office.Address) bool { return b.Zone == a.Zone }) {
					out[a.Zone] += d.Name + " "
				}
			}
		}
		return out
	}
	was, is := holders(from), holders(to)
	moving := zones{}
	for z := range was {
		moving[z] = was[z] != is[z]
	}
	return moving
}

func (z zones) named(sides ...[]office.Side) bool {
	return slices.ContainsFunc(slices.Concat(sides...), func(s office.Side) bool { return s.Kind == office.SideZone && z[s.Zone] })
}

// mostRules bounds the lists that are compared rule by rule; of longer ones the
// middle that differs goes and comes as a whole.
const mostRules = 2000

// keptRules says which rules of a list another one has too, in order: a longest
// common part.
func keptRules(was, is []office.Rule, moving zones) []bool {
	kept := make([]bool, len(was))
	equal := func(a, b *office.Rule) bool { return a.Equal(b) && !moving.named(a.From, a.To) }
	head := 0
	for head < min(len(was), len(is)) && equal(&was[head], &is[head]) {
		kept[head] = true
		head++
	}
	tail := 0
	for tail < min(len(was), len(is))-head && equal(&was[len(was)-1-tail], &is[len(is)-1-tail]) {
		tail++
		kept[len(was)-tail] = true
	}
	a, b := was[head:len(was)-tail], is[head:len(is)-tail]
	if len(a)*len(b) > mostRules*mostRules {
		return kept
	}
	best := make([][]int32, len(a)+1) // the longest common part from here on
	for i := range best {
		best[i] = make([]int32, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if equal(&a[i], &b[j]) {
				best[i][j] = best[i+1][j+1] + 1
			} else {
				best[i][j] = max(best[i+1][j], best[i][j+1])
			}
		}
	}
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case equal(&a[i], &b[j]):
			kept[head+i] = true
			i, j = i+1, j+1
		case best[i+1][j] >= best[i][j+1]:
			i++
		default:
			j++
		}
	}
	return kept
}
