package proof

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/field"
	"klammer/proof/short"
)

// ruledOffice is a firewall with three VLANs, a line and rules; the walls that it runs behind
// are nftables, as an administrator would write them.
const ruledOffice = `vlan 10 staff net 10.9.10.0/24
vlan 20 lab net 10.9.20.0/24
vlan 30 guests net 10.9.30.0/24
device gate firewall
  forwarding routed
  ports out, v10, v20, v30
  v10: 10
  v20: 20
  v30: 30
  wording linux
  address 10 10.9.10.1/24 on v10 zone inner handout 10.9.10.100-10.9.10.200
  address 20 10.9.20.1/24 on v20 zone inner
  address 30 10.9.30.1/24 on v30 zone guests
  outside fibre on out 203.0.113.2/29 via 203.0.113.1
  within zones deny
  allow 10 to 20 tcp/80,ping
  allow 10.9.10.9 to 30
  deny 30 to outside udp/53
  allow 30 to outside tcp/80,tcp/443,udp/53
  allow zone inner to outside
  allow outside to 10.9.20.9 tcp/443
  manage 10 10.9.10.1
  speaks ssh at 10.9.10.1 with hosts
device floor switch
  ports 1-4
  1,4: 10
  2: 20
  3: 30
cable floor.1 gate.v10
cable floor.2 gate.v20
cable floor.3 gate.v30
plug floor.4 "admin laptop" wants 10 at 10.9.10.250 operator
`

// writtenByHand is the same by hand: not in the words in which Klammer would write it.
const writtenByHand = `table inet filter {
 set pages { type inet_service; elements = { 80, 443 } }
 chain staff {
  oifname v20 meta l4proto { tcp } tcp dport 80 counter accept
  oifname v20 icmp type echo-request accept
  ip saddr 10.9.10.9 oifname v30 accept
  oifname "ou*" accept comment "to the world"
 }
 chain forward { type filter hook forward priority filter; policy drop;
  ct state vmap { established : accept, related : accept, invalid : drop }
  iifname v10 jump staff
  iifname v30 oifname out tcp dport @pages accept
  iifname v20 oifname out accept
  iifname out ip daddr 10.9.20.9 tcp dport 443 accept
  log prefix "refused " drop
 }
}
`

// TestRealRules: what a Linux router filters, routes and hands out is changed behind
// Klammer's back, and each change is named; what was read is what its kernel does with
// packets; and an order sets it right.
func TestRealRules(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		realRules(t)
		return
	}
	has(t, "openssh-server iproute2 nftables dnsmasq-base iputils-ping", "sshd", "ssh-keygen", "ip", "nft", "dnsmasq", "ping")
	t.Log(insideOnly(t, "changes named", "ip"))
}

// mischief is something that was done to a router behind Klammer's back.
type mischief struct {
	what   string
	do     string   // by a shell, in the router
	named  []string // each is said
	unsaid string   // and is this that cannot be said in ours
	byHand bool     // and no order sets it right
}

var mischiefs = []mischief{
	{what: "a rule let in at the top", do: `nft insert rule inet filter forward iifname v30 oifname v10 tcp dport 80 accept`, named: []string{"gate lets tcp/80 pass from guests to staff, and should not"}},
	{what: "a rule deleted", do: `nft -a list chain inet filter staff | sed -n 's/.*tcp dport 80.*handle //p' | xargs -I{} nft delete rule inet filter staff handle {}`, named: []string{"gate stops tcp/80 from staff to lab, and should let it pass"}},
	{what: "a policy turned round, and the last rule gone", do: `nft -a list chain inet filter forward | sed -n 's/.*refused.*handle //p' | xargs -I{} nft delete rule inet filter forward handle {}; nft chain inet filter forward '{ policy accept; }'`,
		named: []string{"gate lets everything pass from guests to staff, lab, and should not", "from the outside to staff", "udp/1-65535 pass from guests to the outside"}},
	{what: "all flushed", do: `nft flush ruleset`, named: []string{"gate lets everything pass from guests to staff, lab, and should not", "gate lets everything pass from lab to staff, guests"}},
	{what: "one host kept out", do: `nft insert rule inet filter staff ip saddr 10.9.10.9 drop`, named: []string{"gate stops everything from 10.9.10.9 (staff) to guests", "gate stops ping, tcp/80 from 10.9.10.9 (staff) to lab"}},
	{what: "let in from outside", do: `nft insert rule inet filter forward iifname out ip daddr 10.9.20.9 tcp dport 80 accept`, named: []string{"gate lets tcp/80 pass from the outside to 10.9.20.9 (lab), and should not"}},
	{what: "a rule in the wrong order", do: `nft insert rule inet filter forward iifname v30 oifname out udp dport 53 accept`, named: []string{"gate lets udp/53 pass from guests to the outside, and should not"}},
	{what: "a set that lacks an element", do: `nft delete element inet filter pages '{ 443 }'`, named: []string{"gate stops tcp/443 from guests to the outside, and should let it pass"}},
	{what: "a set with another element", do: `nft add element inet filter pages '{ 53 }'`, named: []string{"gate lets tcp/53 pass from guests to the outside, and should not"}},
	{what: "a jump taken out", do: `nft -a list chain inet filter forward | sed -n 's/.*jump staff.*handle //p' | xargs -I{} nft delete rule inet filter forward handle {}`, named: []string{"gate stops ping, tcp/80 from staff to lab", "gate stops everything from staff to the outside"}},
	{what: "half a subnet let through", do: `nft insert rule inet filter forward iifname v30 ip saddr 10.9.30.0/28 oifname v20 accept`, named: []string{"gate lets everything pass from 10.9.30.0/28 (guests) to lab, and should not"}},
	{what: "a second table that drops", do: `nft add table ip more; nft add chain ip more fw '{ type filter hook forward priority 10; policy accept; }'; nft add rule ip more fw iifname v10 oifname out tcp dport 80 drop`,
		named: []string{"gate stops tcp/80 from staff to the outside"}, byHand: true},
	{what: "answers not let back", do: `nft flush chain inet filter forward; nft add rule inet filter forward iifname v10 oifname out accept`, named: []string{"gate keeps no state, and should", "gate stops ping, tcp/80 from staff to lab"}},
	{what: "an address gone", do: `ip addr del 10.9.30.1/24 dev v30`, named: []string{"gate has no address 10.9.30.1/24 in guests, and should have"}},
	{what: "an address more", do: `ip addr add 10.9.31.1/24 dev v30`, named: []string{"gate has the address 10.9.31.1/24 in guests, and should not"}},
	{what: "a route more", do: `ip route add 10.70.0.0/16 via 10.9.20.9`, named: []string{"gate has the route 10.70.0.0/16 via 10.9.20.9, and should not"}},
	{what: "forwarding off", do: `sysctl -qw net.ipv4.ip_forward=0`, named: []string{"gate does not route (forwarding is off), and should"}},
	{what: "another range handed out", do: `sed -i s/10.9.10.100/10.9.10.50/ /run/gate.conf; stop; dnsmasq -C /run/gate.conf`, named: []string{"gate hands out 10.9.10.50-10.9.10.200 in staff, and should hand out 10.9.10.100-10.9.10.200"}},
	{what: "a range in another VLAN", do: `echo dhcp-range=10.9.30.10,10.9.30.99,1h >>/run/gate.conf; stop; dnsmasq -C /run/gate.conf`, named: []string{"gate hands out 10.9.30.10-10.9.30.99 in guests, and should hand out no addresses"}},
	{what: "another gateway handed out", do: `echo dhcp-option=3,10.9.10.254 >>/run/gate.conf; stop; dnsmasq -C /run/gate.conf`, unsaid: "it hands out the gateway 10.9.10.254, and its own address there is 10.9.10.1", byHand: true},
	{what: "nothing handed out", do: `stop`, named: []string{"gate hands out no addresses in staff, and should hand out 10.9.10.100-10.9.10.200"}, byHand: true},
	{what: "it answers less itself", do: `nft add table inet own; nft add chain inet own in '{ type filter hook input priority 0; policy accept; }'; nft add rule inet own in iifname v20 ip daddr 10.9.20.1 icmp type echo-request drop`,
		named: []string{"gate answers tcp/1-65535,udp/1-65535 at 10.9.20.1, and should answer everything"}, byHand: true},
	{what: "a port led inside", do: `nft add table ip nat; nft add chain ip nat pre '{ type nat hook prerouting priority dstnat; }'; nft add rule ip nat pre iifname out tcp dport 8443 dnat to 10.9.20.9:443`, unsaid: "leads packets to another address", byHand: true},
	{what: "a rule that nobody can foretell", do: `nft insert rule inet filter forward meta mark 7 iifname v30 accept`, unsaid: "rule 1 of chain inet filter forward", byHand: true},
	{what: "other tables for routes", do: `ip rule add from 10.9.30.0/24 table 77`, unsaid: "the table 77", byHand: true},
}

// stops ends what hands out in the network of a shell.
const stops = `stop() {
 for d in /proc/[0-9]*; do
  [ "$(cat $d/comm 2>/dev/null)" = dnsmasq ] && [ "$(readlink $d/ns/net)" = "$(readlink /proc/self/ns/net)" ] && kill ${d#/proc/}
 done
 sleep 0.3
}
`

func realRules(t *testing.T) {
	require.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""))
	require.NoError(t, unix.Mount("tmpfs", "/run", "tmpfs", 0, ""))
	require.NoError(t, unix.Mount("proc", "/proc", "proc", 0, "")) // of the processes in here
	f, err := notation.Read("ruled", ruledOffice)
	require.NoError(t, err)
	plan := f.Office
	s := &street{t: t, o: plan, number: 1}
	for _, v := range plan.VLANs {
		s.bridge(fmt.Sprintf("br%d", v.VID))
	}
	s.bridge("brout")
	gate := plan.Device("gate")
	back := s.router(gate)
	s.ip("addr", "add", "10.9.10.250/24", "dev", "br10-1") // the administrator's own
	addrs := map[string]netip.Addr{}
	for _, v := range plan.VLANs {
		name := fmt.Sprintf("h%d", v.VID)
		s.space(name)
		addrs[name] = host(v.Nets[0])
		s.plug(name, "eth0", fmt.Sprintf("br%d", v.VID), addrs[name].String()+"/24")
		s.ip("-n", name, "route", "add", "default", "via", v.Nets[0].Addr().Next().String())
	}
	s.space("out")
	s.plug("out", "eth0", "brout", "203.0.113.1/29")
	s.ip("-n", "out", "addr", "add", "198.51.100.10/32", "dev", "lo")
	addrs["out"] = netip.MustParseAddr("198.51.100.10")
	for _, b := range back {
		s.ip("-n", "out", "route", "add", b, "via", "203.0.113.2", "src", "198.51.100.10")
	}
	for name := range addrs {
		s.serve(name)
	}
	credentials := sshdAt(t, "10.9.10.1", "22", "ip", "netns", "exec", "gate")
	dial := field.Dialer{Secrets: func(string) (*field.Credentials, error) { return credentials, nil }}
	inGate := func(script string) {
		out, err := exec.Command("ip", "netns", "exec", "gate", "sh", "-c", stops+script).CombinedOutput()
		require.NoError(t, err, "%s: %s", script, out)
	}
	anew := func() {
		_ = exec.Command("ip", "netns", "exec", "gate", "sh", "-c", stops+"stop; ip rule del table 77; ip addr add 10.9.30.1/24 dev v30; ip addr del 10.9.31.1/24 dev v30; ip route del 10.70.0.0/16").Run()
		require.NoError(t, os.WriteFile("/run/gate.conf", []byte("port=0\npid-file=/run/gate.pid\nbind-dynamic\nuser=root\ndhcp-leasefile=/run/gate.leases\ndhcp-range=10.9.10.100,10.9.10.200,12h\n"), 0o644))
		require.NoError(t, os.WriteFile("/run/gate.nft", []byte("flush ruleset\n"+writtenByHand), 0o644))
		inGate("nft -f /run/gate.nft; sysctl -qw net.ipv4.ip_forward=1; ip route replace default via 203.0.113.1; sleep 0.2; dnsmasq -C /run/gate.conf")
	}
	read := func() *field.Reading {
		r := mustRead(t, dial, plan, gate)
		require.NotNil(t, r.Router)
		return r
	}
	asked, named := 0, 0
	for i, m := range append([]mischief{{what: "nothing at all"}, {what: "reject in place of drop", do: `nft add rule inet filter forward reject`}}, mischiefs...) {
		anew()
		if m.do != "" {
			inGate(m.do)
		}
		r := read()
		is, err := field.AsFound(plan, map[string]*field.Reading{"gate": r})
		require.NoError(t, err, m.what)
		match := field.MatchPorts(gate, r)
		differs := r.RoutingOn(plan, gate, match)
		text := strings.Join(differs.Differs(plan, gate), "\n")
		for _, want := range m.named {
			require.Contains(t, text, want, m.what)
		}
		if m.named == nil {
			require.Empty(t, text, m.what)
		}
		if m.unsaid != "" {
			require.Contains(t, strings.Join(differs.Unsaid, "\n"), m.unsaid, m.what)
		} else {
			require.Empty(t, differs.Unsaid, m.what)
		}
		if i > 1 {
			named++
		}
		if i%6 != 1 && number("KLAMMER_RULES", 0) == 0 { // ./run prove leads all of them back
			continue
		}
		if m.unsaid == "" && !differs.Stateless { // what was read is what the kernel does
			n, _ := s.kernelSays(t, m.what, is, addrs)
			asked += n
		}
		if m.byHand || m.do == "" {
			continue
		}
		// An order leads from what was read to the plan, and the router itself takes its steps.
		o, err := order.Make(is, plan, order.Options{})
		require.NoError(t, err, m.what)
		c := &field.Carrier{Dialer: dial}
		before := is
		for k := range o.Steps {
			st := &o.Steps[k]
			err := c.Step(t.Context(), before, st.After, st.Device, st.Kind)
			var hand *field.ByHand
			if st.Kind == order.Save {
				require.ErrorAs(t, err, &hand, m.what)
			} else if st.Device == "gate" {
				require.NoError(t, err, "%s: step %d: %s", m.what, k+1, st.Text)
			}
			before = st.After
		}
		c.Close()
		r = read()
		require.Empty(t, r.RoutingOn(plan, gate, match).Differs(plan, gate), m.what)
		n, _ := s.kernelSays(t, m.what+", set right", plan, addrs)
		asked += n
	}
	anew()
	drawn := 0
	for k := range number("KLAMMER_RULESETS", 3) {
		rules := drawnRules(rand.New(rand.NewPCG(uint64(k), 25)))
		require.NoError(t, os.WriteFile("/run/gate.nft", []byte("flush ruleset\n"+rules), 0o644))
		inGate("nft -f /run/gate.nft")
		r := read()
		is, err := field.AsFound(plan, map[string]*field.Reading{"gate": r})
		require.NoError(t, err, rules)
		require.Empty(t, r.RoutingOn(plan, gate, field.MatchPorts(gate, r)).Unsaid, rules)
		n, _ := s.kernelSays(t, rules, is, addrs)
		asked += n
		drawn++
	}
	anew()
	s.kea(t, inGate, func() *found.Routing { return read().RoutingOn(plan, gate, field.MatchPorts(gate, read())) }, dial)
	t.Logf("%d changes named; %d drawn lists of rules; %d questions to the kernel", named, drawn, asked)
}

// kea: another server hands out, is asked over its control socket, and set over it.
func (s *street) kea(t *testing.T, inGate func(string), routing func() *found.Routing, dial field.Dialer) {
	if _, err := exec.LookPath("kea-dhcp4"); err != nil {
		t.Log("without Kea: apt-get install kea-dhcp4-server (./run test does)")
		return
	}
	const conf = `// as it is installed
{"Dhcp4": {"interfaces-config": {"interfaces": ["v10"]}, /* asked here */ "control-socket": {"socket-type": "unix", "socket-name": "/run/kea/ctrl"},
 "lease-database": {"type": "memfile", "persist": false},
 "subnet4": [{"id": 1, "subnet": "10.9.10.0/24", "pools": [{"pool": "10.9.10.30 - 10.9.10.60"}], "option-data": [{"name": "routers", "data": "10.9.10.1"}]}]}} # that is all
`
	require.NoError(t, os.MkdirAll("/run/kea", 0o750))
	require.NoError(t, os.WriteFile("/run/kea/dhcp4.conf", []byte(conf), 0o600))
	inGate("nft -f /run/gate.nft; stop; KEA_PIDFILE_DIR=/run/kea KEA_LOCKFILE_DIR=none setsid kea-dhcp4 -c /run/kea/dhcp4.conf >/run/kea/log 2>&1 </dev/null & for i in $(seq 100); do [ -S /run/kea/ctrl ] && exit 0; sleep 0.1; done; cat /run/kea/log; exit 1")
	gate := s.o.Device("gate")
	is := routing()
	require.Contains(t, is.Differs(s.o, gate), "gate hands out 10.9.10.30-10.9.10.60 in staff, and should hand out 10.9.10.100-10.9.10.200", is.Unsaid)
	was, err := field.AsFound(s.o, map[string]*field.Reading{"gate": mustRead(t, dial, s.o, gate)})
	require.NoError(t, err)
	then := was
	for _, a := range was.Device("gate").Addresses {
		if a.VID == 30 {
			continue
		}
		a.From, a.To = netip.MustParseAddr("10.9.10.100"), netip.MustParseAddr("10.9.10.200")
		if a.VID == 20 {
			a.From, a.To = netip.MustParseAddr("10.9.20.5"), netip.MustParseAddr("10.9.20.9")
		}
		var err error
		then, _, err = notation.Line(then, fmt.Sprintf("-gate address %d %s\ngate %s", a.VID, a.Prefix, notation.AddressText(a)))
		require.NoError(t, err)
	}
	c := &field.Carrier{Dialer: dial}
	defer c.Close()
	require.NoError(t, c.Step(t.Context(), was, then, "gate", order.Set))
	text, err := os.ReadFile("/run/kea/dhcp4.conf")
	require.NoError(t, err)
	require.Contains(t, string(text), "10.9.10.100")
	require.Contains(t, string(text), "10.9.20.5", "a subnet that it had not")
}

func mustRead(t *testing.T, dial field.Dialer, o *office.Office, d *office.Device) *field.Reading {
	dev, r, err := dial.Talk(t.Context(), o, d)
	require.NoError(t, err)
	require.NoError(t, dev.Close())
	return r
}

// drawnRules is a list of rules as somebody may have made it.
func drawnRules(r *rand.Rand) string {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	rule := func(chains ...string) string {
		text := ""
		for _, x := range []string{
			pick("", "", "iifname v10", "iifname { v20, v30 }", `iifname "v*"`, "iif v30", "iifname != v10", "iifname out"),
			pick("", "", "oifname v20", "oifname { v10, out }", `oifname != "out"`, "oif v30"),
			pick("", "", "", "ip saddr 10.9.10.0/24", "ip saddr { 10.9.20.9, 10.9.30.0/28 }", "ip saddr != 10.9.30.0-10.9.30.20", "ip saddr @some"),
			pick("", "", "", "ip daddr 10.9.20.9", "ip daddr 10.9.0.0/19", "ip daddr != 198.51.100.10", "ip daddr . tcp dport { 10.9.20.9 . 80, 10.9.30.9 . 443 }"),
			pick("", "tcp dport 80", "tcp dport { 22, 80-90 }", "tcp dport != 443", "udp dport 53", "meta l4proto { tcp, udp } th dport 53-443", "icmp type echo-request", "meta l4proto icmp", "ip protocol tcp", "tcp dport >= 100", "tcp sport 1024-65535"),
		} {
			if x != "" && !strings.Contains(text, "dport") { // one of a kind
				text += " " + x
			}
		}
		return text + pick("", " counter", " ct state new") + " " + pick(append(chains, "accept", "accept", "accept", "drop", "reject", "return")...)
	}
	var b strings.Builder
	b.WriteString("table inet filter {\n set some { type ipv4_addr; flags interval; elements = { 10.9.10.8/30, 10.9.20.0/24 } }\n")
	for _, c := range []struct {
		name  string
		jumps []string
	}{{"last", nil}, {"first", []string{"jump last", "goto last"}}} {
		fmt.Fprintf(&b, " chain %s {\n", c.name)
		for range 1 + r.IntN(3) {
			fmt.Fprintln(&b, rule(c.jumps...))
		}
		b.WriteString(" }\n")
	}
	fmt.Fprintf(&b, " chain forward {\n type filter hook forward priority 0; policy %s;\n ct state established,related accept\n", pick("accept", "drop", "drop"))
	for range 2 + r.IntN(5) {
		fmt.Fprintln(&b, rule("jump first", "goto last", "jump last"))
	}
	b.WriteString(" }\n}\n")
	if r.IntN(3) == 0 {
		fmt.Fprintf(&b, "table ip more {\n chain fw {\n type filter hook forward priority %d; policy accept;\n ct state established,related accept\n%s\n }\n}\n", r.IntN(20)-10, strings.ReplaceAll(rule(), " ip saddr @some", ""))
	}
	return strings.ReplaceAll(b.String(), "\n ", "\n")
}
