package proof

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/proof/short"
)

// gateway is a change at the device by which an office reaches the outside.
type gateway struct {
	name      string
	was, plan string
	opt       order.Options
}

// drawGateway draws an office of a gateway with a line and one to three switches, and what becomes
// of its gateway: another make in its place, of its kind or the other; the line at another port, or the cable;
// management in another VLAN, whose devices answer by its gateway; rules; a VLAN's gateway handed
// over to another router; devices that are managed at addresses that others had.
func drawGateway(t *rapid.T) gateway {
	kind := rapid.SampledFrom([]string{"router", "firewall"}).Draw(t, "gateway")
	type parts struct {
		head, ports, lan, line, manage, rules string
		guests, core                          string // where the guests' gateway is
		bundle                                string
		words                                 []string
		devices, host                         int // in which VLAN devices are managed, and from which address on
	}
	text := func(x parts, n int) string {
		var b strings.Builder
		b.WriteString("vlan 10 desks net 10.0.10.0/24 net fd00:0:0:10::/64\nvlan 20 guests net 10.0.20.0/24\nvlan 90 devices net 10.0.90.0/24\nvlan 95 racks net 10.0.95.0/24\n")
		fmt.Fprintf(&b, "device gate %s\n  forwarding routed\n  ports %s\n%s%s", x.head, x.ports, x.bundle, x.manage)
		fmt.Fprintf(&b, "  %s: 90 [10 20 95]\n  address 10 10.0.10.1/24 on %[1]s\n  address 10 fd00:0:0:10::1/64 on %[1]s\n  address 90 10.0.90.1/24 on %[1]s\n  address 95 10.0.95.1/24 on %[1]s\n  outside fibre on %s\n%s%s", x.lan, x.line, x.guests, x.rules)
		fmt.Fprintf(&b, "device core router\n  forwarding routed\n  ports lan\n  manage 90 10.0.90.2/24 via 10.0.90.1\n  lan: 90 [20]\n  address 90 10.0.90.2/24 on lan\n  route default via 10.0.90.1\n  between zones allow\n%s", x.core)
		var rest strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "device s%d switch\n  ports 1-8\n  manage %d 10.0.%[2]d.%d/24 via 10.0.%[2]d.1\n", i, x.devices, i+x.host)
			if x.words[i] != "" {
				fmt.Fprintf(&b, "  wording %s\n", x.words[i])
			}
			switch {
			case i == 0 && x.bundle != "":
				b.WriteString("  bundle top lacp 6,8\n  7: 90 [10 20 95]\n  top: 90 [10 20 95]\n")
			default:
				b.WriteString("  7-8: 90 [10 20 95]\n")
			}
			b.WriteString("  1-2: 10\n  3: 20\n")
			fmt.Fprintf(&rest, "plug s%d.1 \"d%d\" wants 10\nplug s%[1]d.3 \"g%[2]d\" wants 20\n", i, i)
			if i == 0 {
				b.WriteString("  4: 90\n  5: 90 [20]\n")
				rest.WriteString("cable core.lan s0.5\n")
				to := "s0.8"
				if x.bundle != "" {
					to = "s0.top"
				}
				fmt.Fprintf(&rest, "cable gate.%s %s\nplug s0.4 \"laptop\" wants 90 operator\n", x.lan, to)
			} else {
				fmt.Fprintf(&rest, "cable s%d.7 s%d.8\n", i-1, i)
			}
		}
		return b.String() + rest.String()
	}
	n := rapid.IntRange(1, 3).Draw(t, "switches")
	was := parts{head: kind, ports: "wan, lan1, lan2", lan: "lan1", line: "wan", manage: "  manage 90 10.0.90.1\n", rules: "  between zones allow\n", devices: 90, host: 12}
	was.guests = "  address 20 10.0.20.1/24 on " + was.lan + "\n"
	for range n {
		was.words = append(was.words, rapid.SampledFrom([]string{"", "by-vlan pvid-apart", "by-vlan keeps-pvid-vlan", "by-port"}).Draw(t, "wording"))
	}
	plan := was
	out := gateway{name: rapid.SampledFrom([]string{"replaced", "kind", "line", "management", "rules", "handed over", "shifted", "port", "bundle", "unbundle"}).Draw(t, "change")}
	switch out.name {
	case "replaced": // the same kind of another make
		plan.head += "\n  model Heron-5"
		plan.ports, plan.lan, plan.line = "up, x1-x4", "x1", "up"
		plan.guests = strings.Replace(was.guests, was.lan, plan.lan, 1)
		out.opt.New = []string{"gate"}
	case "kind":
		plan.head = map[string]string{"router": "firewall", "firewall": "router"}[kind]
		out.opt.New = []string{"gate"}
	case "line":
		plan.line = "lan2"
	case "management":
		plan.devices = 95
	case "rules":
		plan.rules = "  between zones deny\n  allow vlan 90,vlan 10 to any\n  allow vlan 20 to outside\n"
	case "port": // its cable goes into another port, with all that is on it
		plan.lan = "lan2"
		plan.guests = strings.Replace(was.guests, was.lan, plan.lan, 1)
	case "bundle", "unbundle": // its cable becomes one, or is one no more, with all that is on it
		plan.bundle, plan.lan = "  bundle up lacp lan1-lan2\n", "up"
		plan.guests = strings.Replace(was.guests, was.lan, plan.lan, 1)
		if out.name == "unbundle" {
			was, plan = plan, was
		}
	case "shifted": // each device is managed at the address of the one before
		plan.host = 11
	case "handed over": // the guests' gateway, to a router beside it
		plan.guests, plan.core = "  route 10.0.20.0/24 via 10.0.90.2\n", "  address 20 10.0.20.1/24 on lan\n"
	}
	out.was, out.plan = text(was, n), text(plan, n)
	return out
}

// TestOrdersOfGateways: whoever gets out before and after gets out at every step, or the order
// says that he does not; nobody talks to a VLAN meanwhile to which he talks neither before nor
// after, or the order says so; each device that is set is reached. The witness asks Talk after
// each step, and knows nothing of the search.
func TestOrdersOfGateways(t *testing.T) {
	draws := rapid.Custom(drawGateway)
	sums := map[string]*tally{}
	for seed := range number("KLAMMER_GATEWAYS", 25) {
		c := draws.Example(seed)
		if sums[c.name] == nil {
			sums[c.name] = &tally{}
		}
		sum := sums[c.name]
		was, err := notation.Read("was", c.was)
		require.NoError(t, err, c.was)
		plan, err := notation.Read("plan", c.plan)
		require.NoError(t, err, c.plan)
		o, err := order.Make(was.Office, plan.Office, c.opt)
		require.NoError(t, err, "%s %d\n%s\n====\n%s", c.name, seed, c.was, c.plan)
		sum.made, sum.steps, sum.walks, sum.visits = sum.made+1, sum.steps+len(o.Steps), sum.walks+o.Price.Walks, sum.visits+o.Price.Visits

		first, last := talked(was.Office, was.Office), talked(plan.Office, was.Office)
		gets := 0
		for pair := range first {
			if first[pair] && !last[pair] {
				require.NotEmpty(t, o.Leaves, "%s %d: the plan ends %s, and nothing is said of it\n%s", c.name, seed, pair, shownOrder(o))
				require.Contains(t, o.Summary(), "the plan itself ends")
			}
			if first[pair] && last[pair] && strings.HasSuffix(pair, "outside") {
				gets++
			}
		}
		require.NotZero(t, gets, "somebody gets out, before and after\n%s", c.was)
		endsWithAnAct(t, o)
		now := was.Office
		for i, st := range o.Steps {
			if slices.Contains([]order.Kind{order.Set, order.Manage, order.Check, order.Save}, st.Kind) && o.Visits[st.Visit].By != order.AtConsole {
				require.True(t, reached(now, heard(now), st.Device) || sits(now, st.Device) || routed(now, st.Device), "%s %d step %d: %s is out of reach\n%s", c.name, seed, i, st.Device, shownOrder(o))
			}
			for _, line := range st.Lines {
				if now, _, err = notation.Line(now, line); err != nil {
					require.NoError(t, err, "%d step %d: %s\n%s", seed, i+1, line, shownOrder(o))
				}
			}
			is := talked(now, was.Office)
			require.Empty(t, twice(now), "%s %d: after step %d two answer for one address\n%s", c.name, seed, i+1, shownOrder(o))
			for pair, open := range is {
				said := func(join bool) bool {
					return slices.ContainsFunc(o.Steps[:i+1], func(s order.Step) bool {
						if join {
							return slices.ContainsFunc(s.Joins, func(x order.Join) bool { return x.Until > i })
						}
						return slices.ContainsFunc(s.Interrupts, func(x order.Interrupt) bool { return x.Until > i })
					})
				}
				if first[pair] && last[pair] && !open {
					sum.interrupted++
					require.True(t, said(false), "%s %d: after step %d %s does not pass, and nothing is said of it\n%s", c.name, seed, i+1, pair, shownOrder(o))
				}
				if !first[pair] && !last[pair] && open {
					sum.leaky++
					require.True(t, said(true), "%s %d: after step %d %s passes, and nothing is said of it\n%s", c.name, seed, i+1, pair, shownOrder(o))
				}
			}
		}
		require.Equal(t, things(plan.Office), things(now), "%s %d\n%s", c.name, seed, shownOrder(o))
	}
	names := []string{}
	for name, sum := range sums {
		names = append(names, fmt.Sprintf("%s %+v", name, *sum))
	}
	slices.Sort(names)
	t.Log(strings.Join(names, "\n"))
	short.Met(t, len(sums))
}

// talked is who talks to whom by tcp/443: each plug of an office that is no laptop to the outside,
// and to each other one.
func talked(at, plugs *office.Office) map[string]bool {
	out := map[string]bool{}
	wired := *at // who has no cable answers nobody, whatever its addresses are
	wired.Devices = slices.Clone(at.Devices)
	for i, device := range at.Devices {
		if !slices.ContainsFunc(at.Cables, func(c office.Cable) bool { return c.A.Device == device.Name || c.B.Device == device.Name }) {
			loose := device.Clone()
			loose.Addresses, loose.Outsides, loose.Routes, loose.Rules = nil, nil, nil, nil
			wired.Devices[i] = loose.Seal()
		}
	}
	if old := at.Device("gate-old"); old != nil && len(old.Outsides) > 0 { // the wire of the line is in it
		at := slices.IndexFunc(wired.Devices, func(d *office.Device) bool { return d.Name == "gate" })
		dry := wired.Devices[at].Clone()
		dry.Outsides = nil
		wired.Devices[at] = dry.Seal()
	}
	m := talk.New(span.Compile(&wired))
	web := talk.Of(at, []office.Service{{Protocol: office.TCP, First: 443, Last: 443}})
	for _, plug := range plugs.Plugs {
		if plug.Operator {
			continue
		}
		from, err := m.Who(plug.Port.String())
		ask := func(name string, to *talk.Who, wrong error) {
			out[plug.Port.String()+" to "+name] = err == nil && wrong == nil && m.Ask(from, to, web).Verdict == talk.Yes
		}
		ask("outside", m.Outside(), nil)
		for _, other := range plugs.Plugs {
			if !other.Operator && other.Port != plug.Port {
				to, wrong := m.Who(other.Port.String())
				ask(other.Port.String(), to, wrong)
			}
		}
	}
	return out
}

// twice lists the addresses that two devices with a cable have in one VLAN.
func twice(o *office.Office) (found []string) {
	seen := map[string]bool{}
	for _, device := range o.Devices {
		if !slices.ContainsFunc(o.Cables, func(c office.Cable) bool { return c.A.Device == device.Name || c.B.Device == device.Name }) {
			continue
		}
		all := device.Addresses
		if m := device.Manage; m != nil && !slices.ContainsFunc(all, func(a office.Address) bool { return a.VID == m.VID && a.Prefix.Addr() == m.Addr }) {
			all = append(slices.Clone(all), office.Address{VID: m.VID, Prefix: netip.PrefixFrom(m.Addr, 32)})
		}
		for _, address := range all {
			key := fmt.Sprint(address.VID, address.Prefix.Addr())
			if seen[key] {
				found = append(found, key)
			}
			seen[key] = true
		}
	}
	return found
}

// sits says whether the laptop is plugged into a device itself.
func sits(o *office.Office, device string) bool {
	return slices.ContainsFunc(o.Plugs, func(p office.Plug) bool { return p.Operator && p.Port.Device == device })
}

// routed says whether the laptop's packets reach a device's management across others, and come back.
func routed(o *office.Office, device string) bool {
	m := talk.New(span.Compile(o))
	i := slices.IndexFunc(o.Plugs, func(p office.Plug) bool { return p.Operator })
	dev := slices.IndexFunc(o.Devices, func(d *office.Device) bool { return d.Name == device })
	if i < 0 || dev < 0 {
		return false
	}
	from, err := m.Who(o.Plugs[i].Port.String())
	if err != nil {
		return false
	}
	return m.Ask(from, m.Managed(dev), talk.Of(o, []office.Service{{Protocol: office.TCP, First: 443, Last: 443}})).Verdict == talk.Yes
}
