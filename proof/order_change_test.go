package proof

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/proof/short"
)

// change is what is planned beside what is set on ports: other devices and cables.
type change struct {
	name  string
	was   *office.Office
	plan  *office.Office
	opt   order.Options
	wrong error // in drawing it: a draw that fails is drawn anew, unseen
}

// drawChange draws a pair whose plan has another switch, cable or bundle in it.
func drawChange(t *rapid.T) change {
	was, plan := drawnPair(t, 4)
	var stay []office.Cable // in both
	for _, c := range was.Cables {
		if slices.ContainsFunc(plan.Cables, c.Same) {
			stay = append(stay, c)
		}
	}
	kind := rapid.SampledFrom([]string{"between", "bundle", "new", "places", "point"}).Draw(t, "change")
	if len(stay) == 0 {
		kind = "new"
	}
	out := change{name: kind, was: was}
	lines := func(all ...string) {
		for _, line := range all {
			next, _, err := notation.Line(plan, line)
			if err != nil {
				out.wrong = fmt.Errorf("%s: %w\n%s", line, err, notation.Print(plan))
				return
			}
			plan = next
		}
	}
	shape := func(ref office.PortRef) string {
		d := plan.Device(ref.Device)
		s, _ := plan.Effective(d, d.Port(ref.Port))
		return notation.Shape(*s)
	}
	free := func(device string) string { // a port without a cable and without a plug, before and after
		for p := 6; p > 1; p-- {
			ref := office.PortRef{Device: device, Port: fmt.Sprint(p)}
			taken := false
			for _, o := range []*office.Office{was, plan} {
				taken = taken || slices.ContainsFunc(o.Cables, func(c office.Cable) bool { return c.A == ref || c.B == ref }) || slices.ContainsFunc(o.Plugs, func(g office.Plug) bool { return g.Port == ref })
			}
			if !taken {
				return ref.Port
			}
		}
		return ""
	}
	switch kind {
	case "between":
		c := rapid.SampledFrom(stay).Draw(t, "cable")
		words := rapid.SampledFrom([]string{"", "by-port", "by-vlan"}).Draw(t, "wording of the new one")
		head := "device mid switch\n  ports 1-4\n  1: " + shape(c.A) + "\n  2: " + shape(c.B) + "\n  3-4: 10\n"
		if words != "" {
			head += "  wording " + words + "\n"
		}
		if d := plan.Device(c.A.Device); d.Manage != nil && rapid.Bool().Draw(t, "managed") {
			head += fmt.Sprintf("  manage %d 10.0.%d.99\n", d.Manage.VID, d.Manage.VID)
		}
		lines(head, fmt.Sprintf("-cable %s %s", c.A, c.B), fmt.Sprintf("cable %s mid.1", c.A), fmt.Sprintf("cable mid.2 %s", c.B))
	case "bundle":
		c := rapid.SampledFrom(stay).Draw(t, "cable")
		p, q := free(c.A.Device), free(c.B.Device)
		if p == "" || q == "" {
			t.Skip()
		}
		sa, sb := shape(c.A), shape(c.B)
		lines(fmt.Sprintf("-cable %s %s", c.A, c.B))
		sides := map[string][]string{c.A.Device: {c.A.Port, p, sa}, c.B.Device: {c.B.Port, q, sb}}
		draft := office.NewDraft(plan)
		for i, d := range plan.Devices {
			if side := sides[d.Name]; side != nil {
				was, d := d, d.Clone()
				for _, member := range side[:2] {
					d.Ports[d.Port(member)].Shape = nil
				}
				if out.wrong = d.AddBundle("up", office.Static, side[:2]); out.wrong == nil {
					out.wrong = draft.Put(office.Change{Before: was, After: d.Seal(), At: i})
				}
			}
		}
		plan, _ = draft.Done()
		lines(fmt.Sprintf("%s up: %s", c.A.Device, sa), fmt.Sprintf("%s up: %s", c.B.Device, sb), fmt.Sprintf("cable %s.up %s.up", c.A.Device, c.B.Device))
	case "point": // an access point with one port, from its box
		device := rapid.SampledFrom(plan.Devices).Draw(t, "device")
		port := free(device.Name)
		if port == "" || device.Unaware() || device.Manage == nil {
			t.Skip()
		}
		vid, guests := device.Manage.VID, plan.VLANs[0].VID
		if guests == vid {
			guests = plan.VLANs[1].VID
		}
		head := fmt.Sprintf("device point wap\n  ports eth0\n  eth0: %d [%d]\n  inner guests ssid: %d\n  manage %d 10.0.%d.98\n", vid, guests, guests, vid, vid)
		if rapid.Bool().Draw(t, "said how it is set") {
			head += "  wording by-inner-port\n"
		}
		lines(head, fmt.Sprintf("%s %s: %d [%d]", device.Name, port, vid, guests), fmt.Sprintf("cable %s.%s point.eth0", device.Name, port))
	case "places": // two or three plugs go round, with what is behind them
		var ports []office.PortRef
		for _, plug := range was.Plugs {
			if !plug.Operator && !slices.Contains(ports, plug.Port) && slices.ContainsFunc(plan.Plugs, func(x office.Plug) bool { return x.Name == plug.Name && x.Port == plug.Port }) {
				ports = append(ports, plug.Port)
			}
		}
		ports = ports[:min(len(ports), rapid.IntRange(2, 3).Draw(t, "how many"))]
		var away, again []string
		for _, plug := range plan.Plugs {
			if i := slices.Index(ports, plug.Port); i >= 0 && !plug.Operator {
				away = append(away, "-plug "+notation.Ref(plug.Port)+" "+office.Quote(plug.Name))
				plug.Port = ports[(i+1)%len(ports)]
				again = append(again, notation.Thing(plug))
			}
		}
		lines(slices.Concat(away, again)...)
	case "new": // another of the same name takes its place
		d := rapid.SampledFrom(plan.Devices[1:]).Draw(t, "device")
		out.opt.New = []string{d.Name}
	}
	out.plan = plan
	return out
}

// TestOrdersOfChanges: what people plug otherwise, drawn: a switch put into an uplink, a cable
// that becomes a bundle, a device replaced by another of its kind, plugs that change places, an access
// point from its box. The witness of [TestOrders]
// judges each step.
func TestOrdersOfChanges(t *testing.T) {
	short.Skip(t)
	t.Parallel()
	sums := map[string]*tally{}
	draws := rapid.Custom(drawChange)
	for seed := number("KLAMMER_CHANGES_FROM", 0); seed < number("KLAMMER_CHANGES", 30); seed++ {
		c := draws.Example(seed)
		sum := sums[c.name]
		if sum == nil {
			sum = &tally{}
			sums[c.name] = sum
		}
		require.NoError(t, c.wrong)
		o, err := order.Make(c.was, c.plan, c.opt)
		if err != nil {
			sum.none++
			t.Logf("%s %d has no order: %s", c.name, seed, err)
			continue
		}
		sum.made++
		witnessed(t, seed, o, c.name != "new", sum)
	}
	var all []string
	for name, sum := range sums {
		all = append(all, fmt.Sprintf("%s %+v", name, *sum))
	}
	slices.Sort(all)
	t.Log(strings.Join(all, "\n"))
	require.NotEmpty(t, sums)
}
