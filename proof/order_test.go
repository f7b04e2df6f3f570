package proof

import (
	"fmt"
	"os"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/proof/short"
)

// orderWordings are the ways to ask that devices of drawn pairs have.
var orderWordings = []string{
	"by-vlan pvid-apart", "by-vlan pvid-apart", "by-vlan pvid-follows", "by-vlan starts-tagged", "by-vlan leaves-last", "by-vlan keeps-pvid-vlan",
	"by-vlan pvid-follows starts-tagged leaves-last", "by-vlan starts-tagged leaves-last keeps-pvid-vlan",
	"by-port", "by-port native-outside", "by-port starts-all", "by-port modes access,trunk", "by-choice", "by-group", "by-inner-port", "linux", "",
}

// drawnPair is an office as it is and as it is planned, of up to most devices in a
// tree of cables: VLANs move, trunks change their native VLAN, management moves, a
// switch comes from the factory, a cable is plugged elsewhere.
func drawnPair(t *rapid.T, most int) (was, plan *office.Office) {
	vlans := []int{1, 10, 20, 30}
	n := rapid.IntRange(2, most).Draw(t, "devices")
	one := func(what string) int { return rapid.SampledFrom(vlans).Draw(t, what) }
	manage := [2]int{one("management"), one("management planned")}
	native := [2]int{one("native"), one("native planned")}
	if rapid.IntRange(0, 2).Draw(t, "native stays") == 0 {
		native[1] = native[0]
	}
	if rapid.IntRange(0, 2).Draw(t, "management stays") == 0 {
		manage[1] = manage[0]
	}
	var heads []string
	var bodies [2][]string
	var cables [2][]string
	used := map[int]int{}
	trunks := [2]map[string]bool{{}, {}}
	factory := rapid.IntRange(0, 3).Draw(t, "from the factory") == 0
	if factory {
		manage[0], native[0] = 1, 1
	}
	for i := range n {
		words := rapid.SampledFrom(orderWordings).Draw(t, "wording")
		head := fmt.Sprintf("device s%d switch\n  ports 1-7\n", i)
		if words != "" {
			head += "  wording " + words + "\n"
		}
		if words == "by-group" {
			head += "  forwarding grouped\n"
		}
		if rapid.IntRange(0, 5).Draw(t, "console") == 0 {
			head += "  console\n"
		}
		heads = append(heads, head)
		if i > 0 {
			up := rapid.IntRange(0, i-1).Draw(t, "up")
			if used[up] > 2 {
				up = i - 1
			}
			for side := range 2 {
				if side == 1 && i == n-1 && rapid.IntRange(0, 3).Draw(t, "plugged elsewhere") == 0 {
					if up = rapid.IntRange(0, i-1).Draw(t, "where"); used[up] > 2 {
						continue // it is not plugged in at all
					}
				} else if side == 1 {
					used[up]--
				}
				port := fmt.Sprintf("s%d.%d", up, 4+used[up])
				cables[side] = append(cables[side], fmt.Sprintf("cable s%d.7 %s\n", i, port))
				trunks[side][port], trunks[side][fmt.Sprintf("s%d.7", i)] = true, true
				used[up]++
			}
		}
	}
	for side := range 2 {
		for i := range n {
			var b strings.Builder
			if side == 0 && factory {
				b.WriteString("  1-7: 1\n")
			} else {
				for p := 1; p <= 7; p++ {
					name := fmt.Sprintf("s%d.%d", i, p)
					if !trunks[side][name] {
						v := one("edge")
						if side == 1 && rapid.IntRange(0, 3).Draw(t, "edge stays") > 0 && !factory && !trunks[0][name] {
							continue
						}
						tag := ""
						if x := one("tag"); x != v && rapid.IntRange(0, 4).Draw(t, "tagged too") == 0 {
							tag = fmt.Sprintf(" [%d]", x)
						}
						if i == 0 && p == 1 {
							v, tag = manage[side], ""
						}
						if i == 0 && p == 2 && rapid.IntRange(0, 1).Draw(t, "a free port") == 0 {
							v, tag = manage[1], ""
						}
						fmt.Fprintf(&b, "  %d: %d%s\n", p, v, tag)
						continue
					}
					var tags []string
					for _, v := range vlans {
						if v != native[side] && (v == manage[side] || rapid.IntRange(0, 4).Draw(t, "carried") > 0) {
							tags = append(tags, fmt.Sprint(v))
						}
					}
					fmt.Fprintf(&b, "  %d: %d [%s]\n", p, native[side], strings.Join(tags, " "))
				}
			}
			fmt.Fprintf(&b, "  manage %d 10.0.%d.%d\n", manage[side], manage[side], i+2)
			bodies[side] = append(bodies[side], b.String())
		}
	}
	var out [2]*office.Office
	for side := range 2 {
		var b strings.Builder
		for _, v := range vlans {
			fmt.Fprintf(&b, "vlan %d v%d\n", v, v)
		}
		for i := range n {
			b.WriteString(heads[i])
			body := bodies[side][i]
			if side == 1 { // edges that stay
				for _, line := range strings.SplitAfter(bodies[0][i], "\n") {
					port, _, _ := strings.Cut(strings.TrimSpace(line), ":")
					if line != "" && !strings.Contains(line, "manage") && !strings.Contains(body, "  "+port+":") && (i > 0 || port != "1") && port != "1-7" {
						body = line + body
					}
				}
				if i == 0 && !strings.Contains(body, "  1:") {
					body = fmt.Sprintf("  1: %d\n", manage[1]) + body
				}
			}
			b.WriteString(body)
		}
		for _, c := range cables[side] {
			b.WriteString(c)
		}
		fmt.Fprintf(&b, "plug s0.1 \"laptop\" wants %d operator\n", manage[side])
		f, err := notation.Read("pair", b.String())
		if err != nil {
			t.Fatalf("%s\n%s", err, b.String())
		}
		o := f.Office
		for i := range o.Devices { // what the wording cannot say, as near as it can
			net := span.Compile(o)
			state, unsaid := wording.Sayable(wording.For(net, i), wording.Planned(net, i))
			if len(unsaid) > 0 {
				if o, err = found.As(net, map[int]wording.State{i: state}); err != nil {
					t.Fatal(err)
				}
			}
		}
		out[side] = o
	}
	return out[0], out[1]
}

// witness judges an order again, by single frames and plain maps, and knows nothing
// of how it was found.
type witness struct {
	was, plan map[string]map[string]bool
	ends      []string
	vlan      [2]map[string]office.VID // that an end is in, before and after
}

const inside = "_inside"

// heard is who hears whom: ports without a cable in each form, and each device's
// management as one more port inside it.
func heard(o *office.Office) map[string]map[string]bool {
	o = withInside(o)
	p := NewPlain(o)
	cabled := map[office.PortRef]bool{}
	for _, c := range o.Cables {
		cabled[c.A], cabled[c.B] = true, true
	}
	out := map[string]map[string]bool{}
	for i, d := range o.Devices {
		for _, name := range p.devs[i].order {
			if cabled[office.PortRef{Device: d.Name, Port: name}] || len(p.devs[i].ports[name].cables) > 0 {
				continue
			}
			for _, w := range []int{-1, 1, 10, 20, 30} {
				from := fmt.Sprintf("%s.%s %d", d.Name, name, w)
				if name == inside {
					from = fmt.Sprintf("%s.%s-%d -1", d.Name, name, d.Manage.VID)
				}
				out[from] = map[string]bool{}
				for _, a := range p.Arrivals(i, name, w) {
					dev, rest, _ := strings.Cut(a, ".")
					if strings.HasPrefix(rest, inside) {
						if !strings.HasSuffix(rest, " -1") {
							continue // it does not look at what wears a tag
						}
						a = fmt.Sprintf("%s.%s-%d -1", dev, inside, o.Device(dev).Manage.VID)
					}
					out[from][a] = true
				}
				if name == inside {
					break
				}
			}
		}
	}
	return out
}

// withInside is an office with a port inside each device, in the VLAN that it is
// managed in.
func withInside(o *office.Office) *office.Office {
	out := *o
	out.Devices = slices.Clone(o.Devices)
	for i, d := range out.Devices {
		if d.Manage == nil {
			continue
		}
		x := d.Clone()
		if err := x.AddInner(inside, office.VirtualMachine, &office.Shape{Untagged: []office.VID{d.Manage.VID}}); err != nil {
			panic(err)
		}
		out.Devices[i] = x.Seal()
	}
	return &out
}

// terminal says whether somebody sits at an end: a port that is in the VLAN whose
// frames it hears, by what is written there.
func ends(o *office.Office) map[string]office.VID {
	out := map[string]office.VID{}
	p := NewPlain(withInside(o))
	for i, d := range p.o.Devices {
		for _, name := range p.devs[i].order {
			q := p.devs[i].ports[name]
			if len(q.cables) > 0 || q.off {
				continue
			}
			if name == inside {
				out[fmt.Sprintf("%s.%s-%d -1", d.Name, name, d.Manage.VID)] = d.Manage.VID
				continue
			}
			if len(q.untagged) > 0 {
				out[fmt.Sprintf("%s.%s -1", d.Name, name)] = q.pvid
			}
			for v, w := range q.tagged {
				out[fmt.Sprintf("%s.%s %d", d.Name, name, w)] = v
			}
		}
	}
	return out
}

func newWitness(was, plan *office.Office, lent []office.PortRef) *witness {
	w := &witness{was: heard(was), plan: heard(plan)}
	a, b := ends(was), ends(plan)
	w.vlan = [2]map[string]office.VID{a, b}
	for _, side := range []struct {
		heard map[string]map[string]bool
		ends  map[string]office.VID
	}{{w.was, a}, {w.plan, b}} {
		for from := range side.heard {
			if _, ok := side.ends[from]; !ok {
				side.heard[from] = nil
			}
			for to := range side.heard[from] {
				if _, ok := side.ends[to]; !ok {
					delete(side.heard[from], to)
				}
			}
		}
	}
	for e := range a {
		w.ends = append(w.ends, e)
	}
	for e := range b {
		if _, ok := a[e]; !ok {
			w.ends = append(w.ends, e)
		}
	}
	w.ends = slices.DeleteFunc(w.ends, func(e string) bool { // nobody but the laptop is there
		port, _, _ := strings.Cut(e, " ")
		return slices.ContainsFunc(lent, func(r office.PortRef) bool { return r.String() == port })
	})
	slices.Sort(w.ends)
	return w
}

// stays says whether somebody is there before and after.
func (w *witness) stays(end string) bool {
	_, before := w.vlan[0][end]
	_, after := w.vlan[1][end]
	return before && after
}

// look counts pairs that are cut, and pairs that hear each other and never should.
func (w *witness) look(o *office.Office, now map[string]map[string]bool) (cut, leaks []string) {
	there := ends(o)
	for i, a := range w.ends {
		for _, b := range w.ends[i+1:] {
			both := func(m map[string]map[string]bool) bool { return m[a][b] && m[b][a] }
			one := w.vlan[0][a] == w.vlan[0][b] && w.vlan[0][a] == w.vlan[1][a] && w.vlan[0][a] == w.vlan[1][b]
			some := func(m map[string]map[string]bool) bool { return m[a][b] || m[b][a] }
			switch {
			case both(w.was) && both(w.plan) && one:
				if !both(now) {
					cut = append(cut, a+" – "+b)
				}
			case !some(w.was) && !some(w.plan) && w.stays(a) && w.stays(b):
				_, x := there[a]
				if _, y := there[b]; some(now) && x && y {
					leaks = append(leaks, a+" – "+b)
				}
			}
		}
	}
	return cut, leaks
}

// reached says whether the operator reaches a device: his plug hears its
// management, and it hears him.
func reached(o *office.Office, now map[string]map[string]bool, dev string) bool {
	i := slices.IndexFunc(o.Plugs, func(p office.Plug) bool { return p.Operator })
	if i < 0 {
		return false
	}
	d := o.Device(dev)
	if d == nil || d.Manage == nil {
		return false
	}
	wire := -1
	if o.Plugs[i].Tagged {
		wire = int(o.Plugs[i].Wants)
	}
	me := fmt.Sprintf("%s.%s %d", o.Plugs[i].Port.Device, o.Plugs[i].Port.Port, wire)
	it := fmt.Sprintf("%s.%s-%d -1", dev, inside, d.Manage.VID)
	return now[me][it] && now[it][me]
}

// accepted says whether a device takes the step from one office to the next as one
// page, with the VLANs that it needs created before.
func accepted(was, is *office.Office, dev string) error {
	a, b := span.Compile(was), span.Compile(is)
	i := a.Topo.DeviceIndex(dev)
	if b.Topo.DeviceIndex(dev) != i {
		return nil
	}
	d := wording.For(a, i)
	from, to := wording.Planned(a, i), wording.Planned(b, i)
	if len(from.Ports) != len(to.Ports) || from.Equal(to) {
		return nil
	}
	vids := []office.VID{1, 10, 20, 30}
	all := office.SetOf(vids...)
	for known := range 1 << len(vids) { // what it learnt on the way
		from := from
		for k, v := range vids {
			if known>>k&1 == 1 {
				from = from.Knowing(office.SetOf(v))
			}
		}
		for _, st := range wording.Pages(d, from, to) {
			if next, err := wording.Apply(d, from, st); err == nil && next.Equal(to) {
				return nil
			}
		}
		// What the device does of its own accord leads elsewhere than a page asks for:
		// any page of any VLAN, untagged and tagged, as the ports then are.
		for v := range all.All() {
			for _, st := range guesses(d, from, to, v) {
				if next, err := wording.Apply(d, from, st); err == nil && next.Equal(to) {
					return nil
				}
			}
		}
	}
	return fmt.Errorf("%s (%s) does not take %v to %v in one page", dev, d.Wording, wording.Write(d, from), wording.Write(d, to))
}

// guesses are steps that a device could have been given.
func guesses(d *wording.Device, from, to wording.State, v office.VID) (out []wording.Step) {
	var un, tg, turned []int
	for p := range d.Ports {
		switch {
		case to.Ports[p].Untagged.Has(v):
			un = append(un, p)
		case to.Ports[p].Tagged.Has(v):
			tg = append(tg, p)
		}
		if !from.Ports[p].Equal(to.Ports[p]) {
			turned = append(turned, p)
		}
	}
	out = append(out, wording.Step{Op: wording.Page, VLAN: v, Untagged: un, Tagged: tg}, wording.Step{Op: wording.Create, VLAN: v}, wording.Step{Op: wording.Delete, VLAN: v},
		wording.Step{Op: wording.PVID, VLAN: v, Ports: turned})
	for _, p := range turned {
		out = append(out, wording.Step{Op: wording.Port, Ports: turned, Set: to.Ports[p]}, wording.Step{Op: wording.Port, Ports: []int{p}, Set: to.Ports[p]})
	}
	return out
}

// tally is what became of the drawn pairs.
type tally struct{ made, none, steps, interrupted, leaky, blind, walks, visits int }

// TestOrders: drawn pairs of offices, every wording and habit. A witness replays
// the lines of each step and works out the promises anew.
func TestOrders(t *testing.T) {
	short.Skip(t)
	t.Parallel()
	var sum tally
	pairs := rapid.Custom(func(t *rapid.T) [2]*office.Office {
		was, plan := drawnPair(t, 6)
		return [2]*office.Office{was, plan}
	})
	for seed := number("KLAMMER_ORDERS_FROM", 0); seed < number("KLAMMER_ORDERS", 40); seed++ {
		pair := pairs.Example(seed)
		o, err := order.Make(pair[0], pair[1], order.Options{})
		if err != nil {
			sum.none++
			t.Logf("pair %d has no order: %s", seed, err)
			continue
		}
		sum.made++
		witnessed(t, seed, o, true, &sum)
	}
	t.Logf("%+v", sum)
}

// witnessed holds an order against what a witness sees. Where one device takes the place of
// another, whose ends are whose is not told from outside: counted is false, and who is cut off
// is not judged.
func witnessed(t *testing.T, seed int, o *order.Order, counted bool, sum *tally) {
	show := func() string { return fmt.Sprintf("pair %d\n%s", seed, shownOrder(o)) }
	w := newWitness(o.Was, o.Planned, o.Lent)
	now, cuts, leaks := o.Was, 0, 0
	hears := heard(now)
	left := map[string]int{}
	onIt := func(st order.Step) int { // where the laptop goes is no step on the device
		if st.Kind == order.Laptop || st.Kind == order.CableStep {
			return 0
		}
		return 1
	}
	for _, st := range o.Steps {
		left[st.Device] += onIt(st)
	}
	endsWithAnAct(t, o)
	for i, st := range o.Steps {
		before, heardBefore := now, hears
		v := o.Visits[st.Visit]
		if st.Kind != order.Laptop && st.Kind != order.CableStep && v.By != order.AtConsole {
			require.True(t, reached(now, hears, st.Device), "step %d: %s is out of reach\n%s", i, st.Device, show())
		}
		for _, line := range st.Lines {
			next, _, err := notation.Line(now, line)
			require.NoError(t, err, "step %d: %s\n%s", i, line, show())
			now = next
		}
		require.Equal(t, notation.Print(st.After), notation.Print(now))
		if len(st.Lines) > 0 {
			hears = heard(now)
		}
		if st.Kind == order.Set {
			require.NoError(t, accepted(before, now, st.Device), "step %d\n%s", i, show())
		}
		if len(st.Lines) > 0 {
			back := now
			for _, line := range st.Back {
				next, _, err := notation.Line(back, line)
				require.NoError(t, err, "step %d, back: %s\n%s", i, line, show())
				back = next
			}
			require.True(t, !counted || reflect.DeepEqual(heardBefore, heard(back)), "step %d: the way back leads elsewhere\n%s", i, show())
		}
		require.Equal(t, st.Kind == order.Check || st.Kind == order.Save, len(st.Undo) == 0, "step %d: every act has its way back\n%s", i, show())
		if st.Kind == order.Set && i > 0 {
			d, x := before.Device(st.Device), now.Device(st.Device)
			differ := d != nil && x != nil && len(d.Ports) == len(x.Ports) && settingsDiffer(before, now, st.Device)
			require.True(t, !differ || len(st.Changes) > 0, "step %d: what changes is not said\n%s", i, show())
		}
		require.LessOrEqual(t, unsayable(now), max(unsayable(o.Was), unsayable(o.Planned)), "step %d leads to what no device can be set to\n%s", i, show())
		var c, l []string
		if counted {
			c, l = w.look(now, hears)
		}
		cuts, leaks = cuts+len(c), leaks+len(l)
		said := slices.ContainsFunc(o.Steps[:i+1], func(s order.Step) bool {
			return slices.ContainsFunc(s.Joins, func(j order.Join) bool { return j.Until > i })
		})
		require.False(t, len(l) > 0 && !said, "step %d: leaks that were not said: %v\n%s", i, l, show())
		said = slices.ContainsFunc(o.Steps[:i+1], func(s order.Step) bool {
			return slices.ContainsFunc(s.Interrupts, func(x order.Interrupt) bool { return x.Until > i })
		})
		require.True(t, !counted || len(c) > 0 == said, "step %d: cut %v\n%s", i, c, show())
		left[st.Device] -= onIt(st)
		// Who loses the way to a device that has steps left goes there next, or has said so.
		for dev, k := range left {
			if !counted || k == 0 || st.Kind == order.Laptop || len(now.Plugs) == 0 || len(before.Plugs) == 0 || reached(now, hears, dev) || !reached(before, heardBefore, dev) || slices.Contains(st.Blind, dev) {
				continue
			}
			require.True(t, i+1 < len(o.Steps) && o.Steps[i+1].Kind == order.Laptop, "step %d: %s is lost\n%s", i, dev, show())
		}
	}
	require.Equal(t, things(o.Planned), things(now), show())
	require.True(t, !counted || o.Price.Interrupted == cuts, "%d told, %d seen: %s", o.Price.Interrupted, cuts, show())
	require.LessOrEqual(t, min(leaks, 1), o.Leaks, show())
	sum.steps += len(o.Steps)
	sum.walks += o.Price.Walks
	sum.visits += o.Price.Visits
	sum.interrupted += min(1, cuts)
	sum.leaky += min(1, o.Leaks)
	sum.blind += min(1, o.Price.Blind)
}

// things is what an office has, whatever the order it is written in.
func things(o *office.Office) []string {
	var all []string
	for _, text := range strings.Split(strings.TrimSpace(notation.Print(o)), "\n\n") {
		switch {
		case strings.HasPrefix(text, "device "):
			all = append(all, text)
		case !strings.HasPrefix(text, "cable "):
			all = append(all, strings.Split(text, "\n")...)
		}
	}
	for _, c := range o.Cables { // each by itself, also those of bundles
		all = append(all, fmt.Sprintf("cable %s %s", min(c.A.String(), c.B.String()), max(c.A.String(), c.B.String())))
	}
	slices.Sort(all)
	return all
}

// settingsDiffer says whether a port of a device forwards otherwise in one VLAN or another.
func settingsDiffer(a, b *office.Office, device string) bool {
	x, y := a.Device(device), b.Device(device)
	for i := range x.Ports {
		s, _ := a.Effective(x, i)
		u, _ := b.Effective(y, i)
		if s.Rest == 0 && u.Rest == 0 && (!slices.Equal(s.Normal().Untagged, u.Normal().Untagged) || !slices.Equal(s.Normal().Tagged, u.Normal().Tagged)) && !s.Off && !u.Off {
			return true
		}
	}
	return false
}

// unsayable counts the ports that stand as their device's habits do not allow: out of the
// VLAN of their PVID, or in two untagged.
func unsayable(o *office.Office) (n int) {
	for _, d := range o.Devices {
		keeps, one := slices.Contains(d.Wording.Habits, office.KeepsPVIDVLAN), slices.Contains(d.Wording.Habits, office.LeavesLast)
		for i := range d.Ports {
			s, _ := o.Effective(d, i)
			if v := s.PortVID(); keeps && v != 0 && s.Of(v) == office.NotMember || one && len(s.Untagged) > 1 {
				n++
			}
		}
	}
	return n
}

// number is how many to try: more where the environment says so.
func number(name string, usual int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return usual
}

// endsWithAnAct: what is cut off for a while is so until something is done; neither a look nor
// saving nor a way of the laptop ends it.
func endsWithAnAct(t *testing.T, o *order.Order) {
	for i, st := range o.Steps {
		for _, x := range st.Interrupts {
			require.Greater(t, x.Until, i, shownOrder(o))
			require.Contains(t, []order.Kind{order.Set, order.Manage, order.CableStep}, o.Steps[x.Until].Kind, "step %d: %+v\n%s", i, x, shownOrder(o))
		}
	}
}

func shownOrder(o *order.Order) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n=====\n%s\n=====\n", notation.Print(o.Was), notation.Print(o.Planned))
	for i, st := range o.Steps {
		fmt.Fprintf(&b, "%d %s [%s] %s | %v | back %v | %v %v %v\n", i, st.Device, st.Kind, st.Text, st.Lines, st.Back, st.Interrupts, st.Joins, st.Blind)
	}
	return b.String()
}
