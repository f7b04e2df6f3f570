package talk_test

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
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/proof/short"
)

// borders are addresses at the borders of every prefix that an office names: of
// every part at least one.
func borders(o *office.Office) (all []netip.Addr) {
	seen := map[netip.Addr]bool{}
	add := func(a netip.Addr) {
		if a.IsValid() && !seen[a] {
			seen[a] = true
			all = append(all, a)
		}
	}
	prefix := func(p netip.Prefix) {
		if !p.IsValid() || p.Bits() == 0 {
			return
		}
		last := p.Addr().AsSlice()
		for i := p.Bits(); i < len(last)*8; i++ {
			last[i/8] |= 1 << (7 - i%8)
		}
		end, _ := netip.AddrFromSlice(last)
		for _, a := range []netip.Addr{p.Addr(), end} {
			add(a)
			add(a.Prev())
			add(a.Next())
		}
	}
	for _, v := range o.VLANs {
		for _, n := range v.Nets {
			prefix(n)
			add(n.Addr().Next().Next().Next().Next().Next()) // nobody's own
		}
	}
	for _, d := range o.Devices {
		for _, a := range d.Addresses {
			add(a.Prefix.Addr())
		}
		for _, r := range d.Rules {
			for _, s := range slices.Concat(r.From, r.To) {
				prefix(s.Net)
			}
		}
		for _, r := range d.Routes {
			prefix(r.To)
		}
	}
	for _, w := range o.Wishes {
		for _, s := range slices.Concat(w.From, w.To) {
			prefix(s.Net)
		}
	}
	add(netip.MustParseAddr("192.0.2.10"))
	add(netip.MustParseAddr("2001:db8::10"))
	return all
}

// named says whether a rule or a wish names one address.
func named(o *office.Office, a netip.Addr) bool {
	var all []office.Side
	for _, d := range o.Devices {
		for _, r := range d.Rules {
			all = append(append(all, r.From...), r.To...)
		}
	}
	for _, w := range o.Wishes {
		all = append(append(all, w.From...), w.To...)
	}
	return slices.ContainsFunc(all, func(s office.Side) bool { return s.Net.IsSingleIP() && s.Net.Addr() == a })
}

var probes = []packet{{proto: office.Ping}, {proto: office.TCP, port: 1}, {proto: office.TCP, port: 21}, {proto: office.TCP, port: 22}, {proto: office.TCP, port: 80},
	{proto: office.TCP, port: 90}, {proto: office.TCP, port: 91}, {proto: office.TCP, port: 443}, {proto: office.TCP, port: 1023}, {proto: office.TCP, port: 1024},
	{proto: office.TCP, port: 65535}, {proto: office.UDP, port: 1}, {proto: office.UDP, port: 53}, {proto: office.UDP, port: 54}, {proto: office.UDP, port: 65535}}

func (k packet) String() string {
	if k.proto == office.Ping {
		return "ping"
	}
	return fmt.Sprintf("%s/%d", k.proto, k.port)
}

// spots is where an address may be: where its device stands, or in the building
// that the table begins with.
func (p *plain) spots(m *talk.Map, a netip.Addr) spot {
	v, _ := p.vlanOf(a)
	if d, x := p.owner(a); d != nil {
		return p.stand(d, x.VID)
	}
	return spot{v, false}
}

// TestPlain: every single packet, at the borders of all parts, as the plain version
// has it; and the table as its packets are.
func TestPlain(t *testing.T) {
	yes, no := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		text, p := drawTalk(t)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		p.o = f.Office
		for v := range p.cut { // where a VLAN is cut, an address does not say in which part it is
			if p.cut[v] {
				t.Skip("a VLAN is cut: by ports, below")
			}
		}
		m := talk.New(span.Compile(f.Office))
		table := talk.NewTable(span.Compile(f.Office))
		addrs := borders(f.Office)
		type cell struct{ yes, no bool }
		cells := map[[2]office.VID]*cell{}
		for _, src := range addrs {
			from, err := m.Who(src.String())
			require.NoError(t, err)
			for _, dst := range addrs {
				if src.Is4() != dst.Is4() || src == dst {
					continue
				}
				sv, sn := p.vlanOf(src)
				dv, _ := p.vlanOf(dst)
				if sv == 0 && (dv == 0 || src.IsPrivate()) || dv == 0 && dst.IsPrivate() {
					continue
				}
				to, err := m.Who(dst.String())
				require.NoError(t, err)
				open := m.Ask(from, to, talk.All).Open
				for _, k := range probes {
					k.src, k.dst = src, dst
					want := p.talks(k, p.spots(m, src), p.spots(m, dst))
					got := slices.ContainsFunc(open.List(), func(s office.Service) bool { return p.serviceFits([]office.Service{s}, k) })
					require.Equal(t, want, got, "%s to %s %s\n%s", src, dst, k, text)
					if want {
						yes++
					} else {
						no++
					}
					// a device's own address counts where something names it, and as somebody who asks it does not
					mine, _ := p.owner(dst)
					if d, _ := p.owner(src); d == nil && (mine == nil || named(f.Office, dst)) && sv != dv && !sn.Contains(dst) {
						c := cells[[2]office.VID{sv, dv}]
						if c == nil {
							c = &cell{}
							cells[[2]office.VID{sv, dv}] = c
						}
						c.yes, c.no = c.yes || want, c.no || !want
						shares(t, table, sv, dv, src, dst, func(s *talk.Services) bool {
							return slices.ContainsFunc(s.List(), func(s office.Service) bool { return p.serviceFits([]office.Service{s}, k) })
						}, want, text)
					}
				}
			}
		}
		for _, x := range table.Pairs() {
			c := cells[[2]office.VID{x.From, x.To}]
			if c == nil {
				continue
			}
			want := map[cell]talk.Verdict{{true, true}: talk.Some, {true, false}: talk.Yes, {false, true}: talk.No}[*c]
			if want == talk.No && x.Verdict == talk.Some { // open between the services that are probed
				continue
			}
			require.Equal(t, want, x.Verdict, "%d to %d: %s\n%s", x.From, x.To, x.Open, text)
		}
	})
	short.Met(t, yes, no)
}

// shares: what is said of a pair in part is so of the addresses that it names: the narrowest
// that has the target counts, and of that the narrowest that has who asks.
func shares(t *rapid.T, table *talk.Table, from, to office.VID, src, dst netip.Addr, fits func(*talk.Services) bool, want bool, text string) {
	all := table.Shares(from, to)
	has := func(p netip.Prefix, a netip.Addr) bool { return !p.IsValid() || p.Contains(a) }
	var target netip.Prefix
	found := false
	for _, s := range all {
		if has(s.To, dst) {
			target, found = s.To, true
		}
	}
	got := false
	for _, s := range all {
		if found && s.To == target && has(s.From, src) {
			got = fits(s.Open)
		}
	}
	require.Equal(t, want, got, "%d to %d, %s to %s: %v\n%s", from, to, src, dst, all, text)
}

// TestCutVLANs: where a VLAN is in two buildings, each of its devices is asked for
// by its own address.
func TestCutVLANs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text, p := drawTalk(t)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		p.o = f.Office
		m := talk.New(span.Compile(f.Office))
		for _, d := range f.Office.Devices {
			for _, a := range d.Addresses {
				for _, e := range f.Office.Devices {
					for _, b := range e.Addresses {
						src, dst := a.Prefix.Addr(), b.Prefix.Addr()
						if src == dst || d == e || src.Is4() != dst.Is4() {
							continue
						}
						from, _ := m.Who(src.String())
						to, _ := m.Who(dst.String())
						open := m.Ask(from, to, talk.All).Open
						for _, k := range probes {
							k.src, k.dst = src, dst
							got := slices.ContainsFunc(open.List(), func(s office.Service) bool { return p.serviceFits([]office.Service{s}, k) })
							require.Equal(t, p.talks(k, p.spots(m, src), p.spots(m, dst)), got, "%s to %s %s\n%s", src, dst, k, text)
						}
					}
				}
			}
		}
	})
}

// TestUnusedIsExact: a rule is said to be unused just if no packet that can come to
// its device meets it first.
func TestUnusedIsExact(t *testing.T) {
	unused, used := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		text, p := drawTalk(t)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		p.o = f.Office
		addrs := borders(f.Office)
		for _, d := range f.Office.Devices {
			met := map[int]bool{}
			ifs := map[office.VID]bool{}
			if len(d.Outsides) > 0 {
				ifs[0] = true
			}
			for _, a := range d.Addresses {
				ifs[a.VID] = true
			}
			behind := func(v office.VID, a netip.Addr) bool {
				x, _ := p.vlanOf(a)
				return v == 0 || x == v || slices.ContainsFunc(f.Office.Devices, func(e *office.Device) bool {
					return e != d && p.routes(e) && slices.ContainsFunc(e.Addresses, func(b office.Address) bool { return b.VID == v })
				})
			}
			for in := range ifs {
				for out := range ifs {
					for _, src := range addrs {
						for _, dst := range addrs {
							if src.Is4() != dst.Is4() || !behind(in, src) || !behind(out, dst) {
								continue
							}
							for _, k := range append(probes, packet{proto: office.UDP, port: 1024}, packet{proto: office.TCP, port: 79}, packet{proto: office.TCP, port: 81}) {
								k.src, k.dst = src, dst
								met[p.meets(d, in, out, k)] = true
							}
						}
					}
				}
			}
			said := map[int]bool{}
			for _, u := range talk.UnusedRules(f.Office, d) {
				said[u.Rule] = true
			}
			for i := range d.Rules {
				require.Equal(t, !met[i], said[i], "rule %d of %s, %s\n%s", i+1, d.Name, &d.Rules[i], text)
				if said[i] {
					unused++
				} else {
					used++
				}
			}
		}
	})
	short.Met(t, unused, used)
}

// TestUnusedOfMany: where a rule fits more VLANs than the index of boxes keeps one
// by one, it still takes what it fits, and no more.
func TestUnusedOfMany(t *testing.T) {
	var b strings.Builder
	b.WriteString("office \"many\"\n")
	for i := range 100 {
		fmt.Fprintf(&b, "vlan %d v%d net 10.0.%d.0/24 net fd00:%d::/64\n", 100+i, i, i, i)
	}
	b.WriteString("device gate firewall\n  forwarding routed\n  ports lan\n  lan: [all]\n")
	for i := range 100 {
		fmt.Fprintf(&b, "  address %d 10.0.%d.1/24 on lan zone %s\n", 100+i, i, map[bool]string{true: "big", false: "rest"}[i < 70])
	}
	rules := []struct {
		line string
		by   []int // the rules that take all of it, from 0
	}{
		{"allow any to any tcp/22", nil},
		{"allow zone big to zone big udp/53", nil},
		{"allow vlan 101 to vlan 102 tcp/22", []int{0}},
		{"allow vlan 101 to vlan 102 udp/53", []int{1}},
		{"allow vlan 101 to vlan 190 udp/53", nil}, // 190 is of the rest
		{"allow zone big to any tcp/22", []int{0}},
		{"allow any to zone big udp/53", nil},
		{"allow any to vlan 101 tcp/22,udp/53", []int{0, 1, 6}},
		{"allow any to any tcp/22-23", nil},
		{"allow any to any tcp/23", []int{8}},
	}
	for _, r := range rules {
		b.WriteString("  " + r.line + "\n")
	}
	f, err := notation.Read("many", b.String())
	require.NoError(t, err)
	by := map[int][]int{}
	for _, u := range talk.UnusedRules(f.Office, f.Office.Devices[0]) {
		by[u.Rule] = u.Earlier
	}
	for i, r := range rules {
		require.Equal(t, r.by, by[i], r.line)
	}
}

// told is all that a table says.
func told(t *talk.Table) string {
	var b strings.Builder
	for _, p := range t.Pairs() {
		fmt.Fprintln(&b, p.From, p.To, p.Verdict, p.Open)
	}
	for _, x := range t.Troubles() {
		fmt.Fprintf(&b, "%+v\n", *x)
	}
	for _, j := range t.Wishes() {
		fmt.Fprintln(&b, j.Wish, j.Holds, j.From, j.To, j.Covers, j.Bad)
	}
	fmt.Fprintln(&b, t.Nowhere)
	return b.String()
}

// TestKeptOverEdits: after any edits the table is what working it out from nothing
// gives.
func TestKeptOverEdits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text, _ := drawTalk(t)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		n := span.Compile(f.Office)
		table := talk.NewTable(n)
		for range rapid.IntRange(1, 5).Draw(t, "edits") {
			o := n.Office
			d := rapid.SampledFrom(o.Devices).Draw(t, "device")
			v, w := rapid.SampledFrom(o.VLANs).Draw(t, "from").VID, rapid.SampledFrom(o.VLANs).Draw(t, "to").VID
			k := len(d.Rules)
			i, j := rapid.IntRange(1, max(k, 1)).Draw(t, "rule"), rapid.IntRange(1, max(k, 1)).Draw(t, "other")
			line := rapid.SampledFrom([]string{
				fmt.Sprintf("%s rule %d allow %d to %d tcp/80", d.Name, i, v, w),
				fmt.Sprintf("%s deny 10.0.%d.64/27 to any", d.Name, v),
				fmt.Sprintf("%s rule %d before %d", d.Name, i, j), fmt.Sprintf("%s rule %d last", d.Name, i), fmt.Sprintf("-%s rule %d", d.Name, i),
				d.Name + " between zones deny", d.Name + " within zones deny", fmt.Sprintf("%s route 10.0.%d.0/24 via 10.0.%d.1", d.Name, v, w),
				fmt.Sprintf("must %d to %d udp/53", v, w), fmt.Sprintf("floor 20: [%d]", v), fmt.Sprintf("floor 7: %d", v), "floor 3: -", "-cable floor.20 annex.20",
				fmt.Sprintf("plug floor.8 \"x\" wants %d", v), fmt.Sprintf("vlan %d v%d", v, v), "service web tcp/8080", fmt.Sprintf("annex 2: %d", v),
			}).Draw(t, "line")
			next, _, err := notation.Line(o, line)
			if err != nil {
				continue
			}
			n = n.Update(next)
			table = table.Update(n)
			require.Equal(t, told(talk.NewTable(span.Compile(next))), told(table), "%s\n%s", line, text)
		}
	})
}

// TestPlace: what is asked for is so afterwards, by rules that are needed, or it is
// said why not, and nothing is proposed.
func TestPlace(t *testing.T) {
	placed := 0
	rapid.Check(t, func(t *rapid.T) {
		text, _ := drawTalk(t)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		n := span.Compile(f.Office)
		v, w := rapid.SampledFrom(f.Office.VLANs).Draw(t, "from").VID, rapid.SampledFrom(f.Office.VLANs).Draw(t, "to").VID
		wish, err := notation.ReadWish(f.Office, fmt.Sprintf("%s %d to %s %s", rapid.SampledFrom([]string{"must", "never"}).Draw(t, "wish"), v,
			rapid.SampledFrom([]string{fmt.Sprint(w), "outside", fmt.Sprintf("10.0.%d.7", w)}).Draw(t, "whom"), rapid.SampledFrom([]string{"", "tcp/443", "ping,udp/53"}).Draw(t, "services")))
		require.NoError(t, err)
		lines, err := talk.Place(n, wish)
		if err != nil {
			require.Empty(t, lines)
			require.NotEmpty(t, err.Error())
			return
		}
		placed++
		require.False(t, talk.New(n, wish).Judge(wish).Holds)
		for i, line := range lines { // each as typed on what the last left
			o, _, err := notation.Line(n.Office, line)
			require.NoError(t, err, "%s\n%s", line, text)
			n = n.Update(o)
			require.Equal(t, i == len(lines)-1, talk.New(n, wish).Judge(wish).Holds, "%v is placed by %q\n%s", wish, lines, text)
		}
	})
	short.Met(t, placed)
}

// TestNamedWhereNothingRoutes: a device's own address is a part where something names it,
// be it a rule of a device that routes nothing.
func TestNamedWhereNothingRoutes(t *testing.T) {
	const text = `vlan 10 a net 10.0.10.0/24
vlan 40 b net 10.0.40.0/24
device floor switch
  ports 1-6
  1-3: [10 40]
  4: 10
  5: 40
device near firewall
  forwarding routed
  ports lan
  lan: [10 40]
  address 10 10.0.10.1/24 on lan
  address 40 10.0.40.1/24 on lan
  between zones allow
device gate router
  forwarding routed
  ports lan, wan
  lan: [10 40]
  address 10 10.0.10.3/24 on lan gateway
  address 40 10.0.40.3/24 on lan gateway
  outside fibre on wan
cable near.lan floor.1
cable gate.lan floor.2
`
	for more, want := range map[string]talk.Verdict{"": talk.Yes, "device idle router\n  ports lan\n  allow 10.0.10.1 to any\n": talk.Some} {
		f, err := notation.Read("named", text+more)
		require.NoError(t, err)
		pairs := talk.NewTable(span.Compile(f.Office)).Pairs()
		k := slices.IndexFunc(pairs, func(x talk.Pair) bool { return x.From == 40 && x.To == 10 })
		require.Equal(t, want, pairs[k].Verdict, more)
	}
}
