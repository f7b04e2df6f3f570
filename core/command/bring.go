package command

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
)

// Answer is what bringing or withdrawing a VLAN comes to.
type Answer struct {
	Office *office.Office // as it would be
	Edit   office.Edit    // that leads there
	Net    *span.Net

	Learn     []string         // devices that did not know the VLAN and must
	Followers []office.PortRef // changed ports that become exceptions from a port plan
	Limits    []string         // what would be passed, in sentences
	Remarks   []string         // where it does not get through, and why
}

// Bring puts vid on a port, tagged or untagged, and tags it on both ends of each
// cable on the shortest way (see [span.Net.Route]) to the VLAN's gateway, or to
// the largest of its spans. Where no way exists the port is set all the same,
// and a remark says where the VLAN ends.
//
// What it would take away is remarked on: towards a device that knows no tags a
// cable gives a single VLAN, and what it gave before is cut off there.
//
//	> bring 160 to floor.2
//	floor 2: 160 [140]
//	# Departs from its port plan: floor.2
func Bring(net *span.Net, vid office.VID, to office.PortRef, as office.Membership) (*Answer, error) {
	if _, err := office.VIDOf(int(vid)); err != nil {
		return nil, err
	}
	one, err := begin(net, to)
	if err != nil {
		return nil, err
	}
	target := goal(net, vid)
	if net.Aware(one.dev) {
		shape := net.Carrying(one.dev, one.port, as, vid)
		if net.Gives(one.dev, one.port, vid, as == office.Tagged) {
			shape = *one.shape(one.dev, one.port) // as it is
		}
		if err := one.set(one.dev, one.port, shape); err != nil {
			return nil, err
		}
	} else if as == office.Tagged && net.Office.Devices[one.dev].Forwarding == office.UnawareDrops {
		return nil, fmt.Errorf("%s drops frames with a tag: bring VLAN %d to it untagged", to.Device, vid)
	}
	if target == nil { // nobody is in the VLAN yet: there is nowhere to go
		return one.answer(vid)
	}
	now := net.Update(one.draft.Office()) // what follows by itself, on cables that carry what is needed, is done
	hub := now.Topo.HubOf(one.dev, one.port)
	way, ok := now.Route(vid, []int{hub}, func(h int) bool { return target[h] })
	if !ok {
		one.out.Remarks = append(one.out.Remarks, fmt.Sprintf("no cable leads from %s to the rest of %s", to.Device, net.Name(vid)))
		return one.answer(vid)
	}
	through := one.through(now, way, vid)
	for _, l := range way {
		if both, _ := now.Carries(l, vid); !both {
			if err := one.carry(now, l, vid, through); err != nil {
				return nil, err
			}
		}
	}
	answer, err := one.answer(vid)
	if err != nil {
		return nil, err
	}
	if !answer.reaches(hub, one.dev, vid, target) {
		answer.Remarks = append(answer.Remarks, fmt.Sprintf("%s still does not get through from %s both ways: a port on the way shows it otherwise", net.Name(vid), to.Device))
	}
	return answer, nil
}

// reaches says whether a hub hears one of the target, and is heard there.
func (a *Answer) reaches(hub, dev int, vid office.VID, target map[int]bool) bool {
	if !a.Net.Aware(dev) {
		return a.Net.Served(hub, vid) || a.Net.SpanAt(hub, vid) != nil
	}
	part := a.Net.SpanAt(hub, vid)
	if part == nil {
		return false
	}
	for node := range a.Net.Mutual(part, span.Node{Hub: hub, Label: span.Label(vid)}) {
		if target[node.Hub] && node.Label == span.Label(vid) {
			return true
		}
	}
	return false
}

// goal is where a VLAN is: the hubs of its span with the gateway, else of the
// largest one; nil where nothing is in it. Of a span that some of it hears and
// does not answer, it is what the gateway talks with both ways.
func goal(net *span.Net, vid office.VID) map[int]bool {
	vlan := net.VLAN(vid)
	if vlan == nil || vlan.Parts == 0 && !net.IsParked(vid) {
		return nil
	}
	for _, part := range vlan.Spans {
		if best := talking(net, part, vid); best != nil {
			return best
		}
	}
	return nil // only addresses that nobody reaches
}

// talking is the hubs of a span that talk with each other both ways: those with the gateway,
// else the most of them, else the first by name. Where a span is whole, that is all of it.
func talking(net *span.Net, part *span.Span, vid office.VID) (best map[int]bool) {
	seen := map[int]bool{}
	name := func(set map[int]bool) (first string) {
		for hub := range set {
			if one := net.HubName(hub); first == "" || office.NaturalCompare(one, first) < 0 {
				first = one
			}
		}
		return first
	}
	gateway := func(set map[int]bool) int {
		for h := range set {
			if net.AtGateway(h, vid) {
				return 1
			}
		}
		return 0
	}
	for _, node := range part.Nodes {
		if node.Label != span.Label(vid) || seen[node.Hub] {
			continue
		}
		net.Effort().Spend(1 + len(part.Nodes)/4)
		set := map[int]bool{}
		for other := range net.Mutual(part, node) {
			if other.Label == span.Label(vid) {
				set[other.Hub], seen[other.Hub] = true, true
			}
		}
		if best == nil || cmp.Or(cmp.Compare(gateway(set), gateway(best)), cmp.Compare(len(set), len(best)), office.NaturalCompare(name(best), name(set))) > 0 {
			best = set
		}
	}
	return best
}

// Withdraw takes vid off a port, and off every cable that needed it before and no
// longer does. Ports that carry all VLANs, or what is needed, go on saying so:
// what is written out beside it goes.
//
//	> withdraw 160 from floor.5
//	-floor 5
//	# tablet at floor.5 still wants 160 guests
func Withdraw(net *span.Net, vid office.VID, from office.PortRef) (*Answer, error) {
	way, err := begin(net, from)
	if err != nil {
		return nil, err
	}
	if !net.Tables[way.dev].Ports[way.port].Has(vid) {
		return nil, fmt.Errorf("%s is not in VLAN %d", from, vid)
	}
	off := func(now *span.Net, dev, port int) error {
		shape, _ := now.Shape(dev, port)
		return way.set(dev, port, shape.With(vid, office.NotMember))
	}
	if err := off(net, way.dev, way.port); err != nil {
		return nil, err
	}
	now := net.Update(way.draft.Office())
	for link := range net.Topo.Links {
		if now.Needed(link).Has(vid) || !net.Needed(link).Has(vid) && !net.IsParked(vid) {
			continue
		}
		for _, end := range net.Topo.Links[link].Ends() {
			shape, _ := now.Shape(end.Dev, end.Port)
			if shape.Of(vid) == office.Tagged || shape.Of(vid) == office.Untagged && !net.Aware(net.Topo.Links[link].Opposite(end).Dev) {
				if err := off(now, end.Dev, end.Port); err != nil {
					return nil, err
				}
			}
		}
	}
	after := now.Update(way.draft.Office())
	if shape, _ := after.Shape(way.dev, way.port); shape.Rest != office.RestNone {
		if after.Tables[way.dev].Ports[way.port].Has(vid) {
			way.out.Remarks = append(
				way.out.Remarks,
				fmt.Sprintf(
					"%s stays on %s, which takes %s",
					net.Name(vid),
					from,
					map[office.Rest]string{office.RestAll: "all VLANs", office.RestNeeded: "what its cable needs"}[shape.Rest],
				),
			)
		}
	}
	answer, err := way.answer(vid)
	if err != nil {
		return nil, err
	}
	for _, plug := range net.Office.Plugs {
		if plug.Port == from && plug.Wants == vid {
			answer.Remarks = append(answer.Remarks, fmt.Sprintf("%s at %s still wants %s", plug.Name, from, net.Name(vid)))
		}
	}
	return answer, nil
}

// way is an answer being made.
type way struct {
	net       *span.Net
	dev, port int
	draft     *office.Draft
	out       Answer
}

// begin starts a way at a port; a member of a bundle stands for the bundle.
func begin(net *span.Net, ref office.PortRef) (*way, error) {
	one := &way{net: net, draft: office.NewDraft(net.Office)}
	device, err := one.draft.FindDevice(ref.Device)
	if err != nil {
		return nil, err
	}
	p, err := device.FindPort(ref.Port)
	if err != nil {
		return nil, err
	}
	one.dev, one.port = net.Topo.DeviceIndex(ref.Device), device.Logical(p)
	return one, nil
}

func (w *way) shape(dev, port int) *office.Shape {
	shape, _ := w.net.Shape(dev, port)
	return shape
}

// set sets a port, minding its plan.
func (w *way) set(dev, port int, shape office.Shape) error {
	device := w.draft.Office().Devices[dev]
	return w.draft.SetTo(office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, shape)
}

// carry makes a cable carry vid: tagged at both ends under its own VID, or
// untagged towards a device that knows no tags.
//
// Through is set where it goes tagged over devices that do not look at tags.
func (w *way) carry(net *span.Net, link int, vid office.VID, through bool) error {
	one := &net.Topo.Links[link]
	as := office.Tagged
	if !through && (!net.Aware(one.A.Dev) || !net.Aware(one.B.Dev)) {
		as = office.Untagged
	}
	for _, end := range one.Ends() {
		if !net.Aware(end.Dev) {
			continue
		}
		compiled := net.Port(end)
		if compiled.Of(vid) == as && compiled.WireOf(vid).VID() == vid && net.Hears(end.Dev, end.Port, vid) {
			continue
		}
		for other := range compiled.Untagged.All() {
			if as == office.Untagged && other != vid {
				w.out.Remarks = append(w.out.Remarks, fmt.Sprintf("%s gives %s untagged so far, and only a single VLAN can be: what is behind it loses %s",
					net.Ref(end), net.Name(other), net.Name(other)))
			}
		}
		shape := net.Carrying(end.Dev, end.Port, as, vid)
		if slices.ContainsFunc(shape.Rides, func(ride office.Ride) bool { return ride.Wire == vid }) && as == office.Tagged {
			return fmt.Errorf("VID %d is taken on the wire at %s, where another VLAN rides it", vid, net.Ref(end))
		}
		if err := w.set(end.Dev, end.Port, shape); err != nil {
			return err
		}
	}
	return nil
}

// through says whether a VLAN goes tagged over the devices on its way that do not look at
// tags: they pass tags, who it is brought to knows them, and untagged another VLAN goes there
// already.
func (w *way) through(net *span.Net, links []int, vid office.VID) bool {
	other := false
	for _, link := range links {
		one := &net.Topo.Links[link]
		for _, end := range one.Ends() {
			far := one.Opposite(end)
			switch {
			case net.Office.Devices[end.Dev].Forwarding == office.UnawareDrops:
				return false
			case net.Aware(end.Dev) && !net.Aware(far.Dev):
				untagged := net.Port(end).Untagged
				untagged.Remove(vid)
				other = other || !untagged.Empty()
			}
		}
	}
	return other && net.Aware(w.dev)
}

// answer works out what the change comes to.
func (w *way) answer(vid office.VID) (*Answer, error) {
	answer := w.out
	answer.Office, answer.Edit = w.draft.Done()
	place := func(change office.Change) (int, int) { // by device, then by port
		ref := change.After.(office.Setting).Port
		i := w.net.Topo.DeviceIndex(ref.Device)
		return i, answer.Office.Devices[i].Port(ref.Port)
	}
	slices.SortStableFunc(answer.Edit, func(x, y office.Change) int {
		xd, xp := place(x)
		yd, yp := place(y)
		return cmp.Or(cmp.Compare(xd, yd), cmp.Compare(xp, yp))
	})
	answer.Net = w.net.Update(answer.Office)
	for i, device := range answer.Office.Devices {
		if device == w.net.Office.Devices[i] && answer.Net.Tables[i] == w.net.Tables[i] {
			continue
		}
		if has(answer.Net, i, vid) && !has(w.net, i, vid) {
			answer.Learn = append(answer.Learn, device.Name)
		}
		answer.Limits = append(answer.Limits, finding.LimitsPassed(w.net, answer.Net, i)...)
		for port := range device.Ports {
			was, is := w.net.Office.Devices[i].Ports[port].Shape, device.Ports[port].Shape
			if _, covered := answer.Office.Planned(device, port); covered && was == nil && is != nil {
				answer.Followers = append(answer.Followers, office.PortRef{Device: device.Name, Port: device.Ports[port].Name})
			}
		}
	}
	return &answer, nil
}

// has says whether any port of a device is in a VLAN.
func has(net *span.Net, dev int, vid office.VID) bool {
	for _, compiled := range net.Tables[dev].Ports {
		if compiled.Has(vid) {
			return true
		}
	}
	return false
}

// doBring reads: bring VLAN [to] PORTS [untagged|tagged].
func doBring(net *span.Net, args *args) (*Result, error) {
	vid, to := args.vlan(), args.ports("tagged")
	as := office.Untagged
	if args.accept("tagged") {
		as = office.Tagged
	}
	if !args.done() {
		return nil, nil
	}
	return each(net, to, func(other *span.Net, ref office.PortRef) (*Answer, error) { return Bring(other, vid, ref, as) })
}

// doWithdraw reads: withdraw VLAN from PORTS.
func doWithdraw(net *span.Net, args *args) (*Result, error) {
	vid, from := args.vlan(), args.ports("")
	if !args.done() {
		return nil, nil
	}
	return each(net, from, func(other *span.Net, ref office.PortRef) (*Answer, error) { return Withdraw(other, vid, ref) })
}

// each does one port after the other, each on what the last one left, as one
// edit.
func each(net *span.Net, ports []office.PortRef, do func(*span.Net, office.PortRef) (*Answer, error)) (*Result, error) {
	out := &Result{Office: net.Office}
	for _, ref := range ports {
		answer, err := do(net, ref)
		if err != nil {
			return nil, err
		}
		net, out.Office, out.Edit = answer.Net, answer.Office, append(out.Edit, answer.Edit...)
		for _, text := range notes(answer) {
			if !slices.Contains(out.Notes, text) {
				out.Notes = append(out.Notes, text)
			}
		}
	}
	return out, nil
}

// notes is what a bring or a withdraw has to say beside its edit.
func notes(answer *Answer) []string {
	var out []string
	if len(answer.Learn) > 0 {
		out = append(out, "Has to learn the VLAN: "+strings.Join(answer.Learn, ", "))
	}
	if len(answer.Followers) > 0 {
		var at []string
		for _, ref := range answer.Followers {
			at = append(at, ref.String())
		}
		out = append(out, "Departs from its port plan: "+strings.Join(at, ", "))
	}
	return append(append(out, answer.Limits...), answer.Remarks...)
}
