package round

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// trial is something that a laptop in a VLAN tries across devices that route.
type trial struct {
	from  office.VID
	to    netip.Addr
	what  office.Service
	reach Reach // as planned
}

// difference is what a laptop in a VLAN can use, or can no more, of somebody; its trial is one
// of it that is easily tried.
type difference struct {
	trial
	all *talk.Services
}

// laptop is somebody in a VLAN, with an address as most have there, whom the gateway
// answers: not one that a rule names, which is somebody else's.
type laptop struct {
	vlan office.VID
	addr netip.Addr
	gate int // a post
}

// laptops are one in each VLAN where somebody can be plugged in and the gateway answers
// him.
func (w *world) laptops(talks *talk.Map) (out []laptop) {
	taken := map[netip.Addr]bool{}
	for k := range w.posts {
		taken[w.posts[k].addr] = true
	}
	known := map[office.VID]bool{}
	for a := range w.asks {
		vid := w.asks[a].vlan
		if vid == 0 || known[vid] || !w.asksAcross(a) {
			continue
		}
		known[vid] = true
		one := laptop{vlan: vid, gate: -1}
		var last netip.Addr
		handed := false
		for _, k := range w.sets[w.plan[a]] {
			post := &w.posts[k]
			if post.gateway && one.gate < 0 {
				one.gate = k
				if !handed {
					one.addr, last = post.net.Addr().Next(), office.LastOf(post.net)
				}
			}
			if post.hands && !handed {
				handed, one.addr, last = true, post.from, post.to
			}
		}
		one.addr = talks.Usual(one.addr, last, func(addr netip.Addr) bool { return taken[addr] })
		out = append(out, one)
	}
	return out
}

// asksAcross says whether a laptop at an ask has somebody who sends on what it sends.
func (w *world) asksAcross(a int) bool {
	return slices.ContainsFunc(w.sets[w.plan[a]], func(k int) bool { return w.posts[k].gateway })
}

// target is somebody whom laptops try across VLANs.
type target struct {
	addr netip.Addr
	name string
}

// findTargets lists every address that answers, those that rules and wishes name, and
// one of each part of the outside that rules or routes tell apart.
func (w *world) findTargets(talks *talk.Map) {
	known := map[netip.Addr]bool{}
	add := func(addr netip.Addr, name string) {
		if addr.IsValid() && !known[addr] {
			known[addr] = true
			w.targets = append(w.targets, target{addr, name})
		}
	}
	// Hosts first: what gets to a device that routes need not get through it.
	for _, routes := range []bool{false, true} {
		for k := range w.posts {
			if w.posts[k].gateway == routes {
				add(w.posts[k].addr, w.posts[k].called())
			}
		}
	}
	name := func(sides []office.Side) {
		for _, side := range sides {
			if side.Kind == office.SideNet && side.Net.IsSingleIP() {
				add(side.Net.Addr(), side.Net.Addr().String())
			}
		}
	}
	for _, wish := range w.net.Office.Wishes {
		name(wish.To)
	}
	for _, device := range w.net.Office.Devices {
		for k := range device.Rules {
			name(device.Rules[k].To)
		}
	}
	for _, part := range talks.Outside().Parts() {
		if part.Net.Bits() == 0 {
			add(part.Addr, string(office.SideOutside))
		} else {
			add(part.Addr, part.Addr.String())
		}
	}
}

// between is the services that each laptop can use at targets of another VLAN; the
// others are as planned.
func (w *world) between(net *span.Net, targets []int) (open [][]*talk.Services) {
	talks := talk.New(net)
	to := make([]*talk.Who, len(w.targets))
	for _, k := range targets {
		to[k] = talks.Own(w.targets[k].addr)
	}
	for i, laptop := range w.who {
		from := talks.At(laptop.vlan, w.nodes(net, &w.posts[laptop.gate]), laptop.addr)
		row := make([]*talk.Services, len(to))
		if w.passes != nil {
			copy(row, w.passes[i])
		}
		for _, k := range targets {
			row[k] = talk.None
			if to[k].VID != laptop.vlan {
				row[k] = talks.Open(from, to[k])
			}
		}
		open = append(open, row)
	}
	return open
}

// signs says of each post which posts of devices that route it hears, by the first of
// each that hear each other; false where some hear what does not hear them.
func (w *world) signs(net *span.Net) (out []string, plain bool) {
	places := make([][]span.Place, len(w.posts))
	first := map[*span.Span]int{}
	for k := range w.posts {
		places[k] = w.nodes(net, &w.posts[k])
		for _, at := range places[k] {
			if at.Span.OneWay {
				return nil, false
			}
			if _, ok := first[at.Span]; !ok && w.posts[k].gateway {
				first[at.Span] = k
			}
		}
	}
	for k := range w.posts {
		var hears []int
		for _, at := range places[k] {
			if f, ok := first[at.Span]; ok {
				hears = append(hears, f)
			}
		}
		slices.Sort(hears)
		out = append(out, fmt.Sprint(slices.Compact(hears)))
	}
	return out, true
}

// all is every target.
func (w *world) all() (out []int) {
	for k := range w.targets {
		out = append(out, k)
	}
	return out
}

// stirred is the targets of which a mistake may change what laptops reach: those that
// hear other devices that route than before, those that are nobody's; all where devices
// that route hear others, or that is not plain.
func (w *world) stirred(net *span.Net) []int {
	now, ok := w.signs(net)
	all := w.signed == nil || !ok
	by := map[netip.Addr]bool{}
	some := false
	for k := range w.posts {
		differs := all || now[k] != w.signed[k]
		some = some || differs
		all = all || differs && w.posts[k].gateway
		by[w.posts[k].addr] = by[w.posts[k].addr] || differs
	}
	var out []int
	for k, target := range w.targets {
		differs, posted := by[target.addr]
		if all || differs || some && !posted {
			out = append(out, k)
		}
	}
	return out
}

// otherwise is what is otherwise than planned: what can be used no more, and what can.
func (w *world) otherwise(plan, now [][]*talk.Services) (out []difference) {
	for i, laptop := range w.who {
		for k, target := range w.targets {
			if plan[i][k] == now[i][k] {
				continue
			}
			for _, side := range []struct {
				differs *talk.Services
				ok      bool
			}{{plan[i][k].Minus(now[i][k]), true}, {now[i][k].Minus(plan[i][k]), false}} {
				if side.differs.Empty() {
					continue
				}
				one := trial{from: laptop.vlan, to: target.addr, what: oneOf(side.differs), reach: Reach{To: target.name, OK: side.ok, Across: true}}
				one.reach.Service, one.reach.What = one.what.String(), one.what
				out = append(out, difference{one, side.differs})
			}
		}
	}
	return out
}

// shareTries says at which of the asks of a round each mistake across VLANs is tried: once, at
// the first that shows it, as they are walked.
func (w *world) shareTries(chosen []int) {
	w.tried = map[int][]int{}
	known := map[int]bool{}
	for _, a := range chosen {
		w.tried[a] = []int{}
		for _, m := range w.shows[a] {
			if w.seen[m][a] < 0 && !known[m] {
				known[m] = true
				w.tried[a] = append(w.tried[a], m)
			}
		}
	}
}

// tells says whether one of some tries ends otherwise under what is otherwise across VLANs.
func (w *world) tells(trials []trial, now sight) bool {
	return slices.ContainsFunc(trials, func(trial trial) bool {
		return slices.ContainsFunc(w.across[-1-now], func(difference difference) bool { return w.covers(&difference, trial) })
	})
}

// covers says whether a trial ends otherwise because of a difference.
func (w *world) covers(difference *difference, trial trial) bool {
	return difference.trial == trial || difference.from == trial.from && difference.to == trial.to && difference.reach.OK == trial.reach.OK && difference.all.Meets(talk.Of(w.net.Office, []office.Service{trial.what}))
}

// trials is the fewest tries, greedily, that show each mistake across VLANs that is tried at
// an ask: that first which shows most of what is left.
func (w *world) trials(a int, whole bool) (out []trial) {
	shows := map[trial][]int{}
	var order []trial // as they came, so that each round is the same
	left := map[int]bool{}
	mine, some := w.tried[a]
	some = some && !whole
	for _, m := range w.showing(a) {
		sight := w.seen[m][a]
		if sight >= 0 || some && !slices.Contains(mine, m) {
			continue
		}
		left[m] = true
		for _, difference := range w.across[-1-sight] {
			if shows[difference.trial] == nil {
				order = append(order, difference.trial)
				shows[difference.trial] = []int{}
			}
		}
	}
	for _, one := range order {
		for m := range left {
			if w.tells([]trial{one}, w.seen[m][a]) {
				shows[one] = append(shows[one], m)
			}
		}
	}
	for len(left) > 0 {
		best, most := -1, 0
		for i, trial := range order {
			fresh := 0
			for _, m := range shows[trial] {
				if left[m] {
					fresh++
				}
			}
			if fresh > most {
				best, most = i, fresh
			}
		}
		out = append(out, order[best])
		for _, m := range shows[order[best]] {
			delete(left, m)
		}
	}
	return out
}

// pinging is the service that answers a ping.
var pinging = office.Service{Protocol: office.Ping}

// lets says whether a laptop in a VLAN can use a service of an address across devices that
// route, as planned.
func (w *world) lets(vid office.VID, to netip.Addr, what office.Service) bool {
	from := slices.IndexFunc(w.who, func(laptop laptop) bool { return laptop.vlan == vid && vid != 0 })
	k := slices.IndexFunc(w.targets, func(target target) bool { return target.addr == to })
	return from >= 0 && k >= 0 && w.passes[from][k] != nil && w.passes[from][k].Meets(talk.Of(w.net.Office, []office.Service{what}))
}

// oneOf is a service of a set that is easy to try.
func oneOf(open *talk.Services) office.Service {
	service := open.List()[0]
	if service.Protocol == office.AnyProtocol {
		service.Protocol = office.Ping
	}
	if service.Protocol != office.Ping {
		service.Last = service.First
	}
	return service
}

// otherAcross notes what is otherwise between VLANs by the asks that would see it.
func (w *world) otherAcross(trials []difference) map[int]sight {
	by := map[office.VID]sight{}
	for _, one := range trials {
		if _, ok := by[one.from]; ok {
			continue
		}
		var mine []difference
		key := ""
		for _, difference := range trials {
			if difference.from == one.from {
				mine = append(mine, difference)
				key += fmt.Sprint(difference.trial, difference.all.List())
			}
		}
		id, ok := w.known[key]
		if !ok {
			w.across = append(w.across, mine)
			id = sight(-len(w.across))
			w.known[key] = id
		}
		by[one.from] = id
	}
	out := map[int]sight{}
	for a := range w.asks {
		if sight, ok := by[w.asks[a].vlan]; ok && w.asksAcross(a) {
			out[a] = sight
		}
	}
	return out
}
