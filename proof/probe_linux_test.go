package proof

import (
	"encoding/json"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/probe"
	"klammer/proof/short"
)

// practice is an office with a gateway that has a cable for each VLAN.
const practice = `vlan 1 default local
vlan 110 staff
vlan 120 phones
vlan 130 imaging
vlan 140 guests
device gate firewall
  forwarding routed
  ports e110, e120, e130, e140
  e110: 110
  e120: 120
  e130: 130
  e140: 140
  address 110 10.9.110.1/24 on e110 zone staff handout 10.9.110.50-10.9.110.99
  address 110 fd09:0:0:110::1/64 on e110 zone staff
  address 120 10.9.120.1/24 on e120 zone phones handout 10.9.120.50-10.9.120.99
  address 130 10.9.130.1/24 on e130 zone imaging handout 10.9.130.50-10.9.130.99
  address 140 10.9.140.1/24 on e140 zone guests handout 10.9.140.50-10.9.140.99
  allow vlan 110 to 10.9.130.9 tcp/443
  allow vlan 110 to 10.9.130.9 ping
device rack switch
  ports p1-p4, u110, u120, u130, u140, srv, up
  p1: 110
  p2: 120
  p3: 110
  p4: [110 120 130 140]
  u110: 110
  u120: 120
  u130: 130
  u140: 140
  srv: 130
  up: [110 120 130 140]
device ward switch
  ports w1-w2, down
  w1: 120
  w2: [110 130]
  down: [110 120 130 140]
cable rack.up ward.down
cable gate.e110 rack.u110
cable gate.e120 rack.u120
cable gate.e130 rack.u130
cable gate.e140 rack.u140
plug rack.srv "pacs" wants 130 at 10.9.130.9
`

// TestProbe looks from laptops at real switches (Open vSwitch), with real servers
// (dnsmasq) and neighbours (lldpd), and compares with what is played into the office as
// it is set.
func TestProbe(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		probed(t)
		return
	}
	has(t, "dnsmasq-base lldpd nftables iproute2 libcap2-bin", "dnsmasq", "lldpd", "nft", "ip", "setcap")
	t.Log(insideOnly(t, map[bool]string{true: "PLANTED", false: "looks, each as played"}[os.Getenv("KLAMMER_PLANTED") != ""], "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovsdb-tool", "ip", "nft"))
}

func probed(t *testing.T) {
	require.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""))
	require.NoError(t, unix.Mount("tmpfs", "/run", "tmpfs", 0, ""))
	l := newLab(t)
	s := &site{lab: l}
	for _, d := range []string{"/run/netns", "/run/lldpd"} {
		require.NoError(t, os.MkdirAll(d, 0o755))
	}
	const klammer = "/run/klammer" // where somebody else than root gets to
	l.must("go", "build", "-o", klammer, "klammer/cmd/klammer")
	file := func(name, text string) string {
		path := filepath.Join(l.dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		return path
	}
	plan := file("plan.klm", practice)

	l.vsctl("add-br", "rack", "--", "set", "bridge", "rack", "datapath_type=netdev", "--", "add-br", "ward", "--", "set", "bridge", "ward", "datapath_type=netdev")
	l.must("ip", "netns", "add", "gate")
	l.must("ip", "-n", "gate", "link", "set", "lo", "up")
	for v := 110; v <= 140; v += 10 {
		port, inside := fmt.Sprintf("u%d", v), fmt.Sprintf("e%d", v)
		l.must("ip", "link", "add", port, "type", "veth", "peer", "name", inside, "netns", "gate")
		l.must("ip", "link", "set", port, "up")
		l.must("ip", "-n", "gate", "link", "set", inside, "up")
		l.must("ip", "-n", "gate", "addr", "add", fmt.Sprintf("10.9.%d.1/24", v), "dev", inside)
		inSpace(t, "gate", func() { plainSums(t, inside) })
		l.vsctl("add-port", "rack", port, "--", "set", "port", port, "vlan_mode=access", fmt.Sprintf("tag=%d", v))
	}
	in := func(space string, args ...string) { l.must("ip", append([]string{"netns", "exec", space}, args...)...) }
	in("gate", "sh", "-c", "echo 0 >/proc/sys/net/ipv6/conf/e110/disable_ipv6; echo 1 >/proc/sys/net/ipv4/ip_forward; ip addr add fd09:0:0:110::1/64 dev e110 nodad")
	rules := func(accept string) {
		text := "flush ruleset\ntable inet f {\nchain forward {\ntype filter hook forward priority 0; policy drop\nct state established accept\n" + accept + "\n}\nchain input {\ntype filter hook input priority 0; policy accept\n"
		for v := 110; v <= 140; v += 10 { // each answers for the address of its own VLAN
			text += fmt.Sprintf("iifname \"e%d\" ip daddr 10.9.0.0/16 ip daddr != {10.9.%d.1, 10.9.%d.255} drop\n", v, v, v)
		}
		in("gate", "nft", text+"}\n}")
	}
	const lets = "ip saddr 10.9.110.0/24 ip daddr 10.9.130.9 tcp dport 443 accept; ip saddr 10.9.110.0/24 ip daddr 10.9.130.9 icmp type echo-request accept"
	rules(lets)
	tags := func(port string, vids ...string) {
		l.vsctl("set", "port", port, "vlan_mode=trunk", "tag=[]", "trunks="+strings.Join(vids, ","))
	}
	access := func(port string, v int) {
		l.vsctl("set", "port", port, "vlan_mode=access", fmt.Sprintf("tag=%d", v), "trunks=[]")
	}
	four := []string{"110", "120", "130", "140"}
	l.must("ip", "link", "add", "xup", "type", "veth", "peer", "name", "xdown")
	for port, bridge := range map[string]string{"xup": "rack", "xdown": "ward"} {
		l.must("ip", "link", "set", port, "up")
		l.vsctl("add-port", bridge, port)
		tags(port, four...)
	}
	s.space("lap1", "rack", "p1", "vlan_mode=access tag=110")
	s.space("lap2", "rack", "p2", "vlan_mode=access tag=120")
	s.space("stray", "rack", "p3", "vlan_mode=access tag=110")
	s.space("lap4", "rack", "p4", "vlan_mode=trunk trunks="+strings.Join(four, ","))
	s.space("pacs", "rack", "srv", "vlan_mode=access tag=130")
	s.space("lapw", "ward", "w1", "vlan_mode=access tag=120")
	s.space("lapv", "ward", "w2", "vlan_mode=trunk trunks=110,130")
	// dnsmasq offers an address by a hash of the card: of cards by chance two laptops that look
	// at once would be offered the same at times, and disturb each other.
	for i, space := range []string{"lap1", "lap2", "lap4", "lapw", "lapv"} {
		in(space, "ip", "link", "set", "eth0", "down")
		in(space, "ip", "link", "set", "eth0", "address", fmt.Sprintf("02:00:00:09:00:%02x", 16+i))
		in(space, "ip", "link", "set", "eth0", "up")
	}
	in("pacs", "ip", "addr", "add", "10.9.130.9/24", "dev", "eth0")
	in("pacs", "ip", "route", "add", "default", "via", "10.9.130.1")
	inSpace(t, "pacs", func() {
		listen, err := net.Listen("tcp4", "10.9.130.9:443")
		if err != nil {
			t.Error(err)
			return
		}
		t.Cleanup(func() { listen.Close() })
	})

	serve := func(space string, args ...string) (stop func()) {
		log, err := os.Create(filepath.Join(l.dir, space+".log"))
		require.NoError(t, err)
		cmd := exec.Command("ip", append([]string{"netns", "exec", space, "dnsmasq", "--keep-in-foreground", "--port=0", "--conf-file=/dev/null", "--pid-file=", "--user=root", "--bind-interfaces", "--log-dhcp",
			"--dhcp-leasefile=" + filepath.Join(l.dir, space+".leases"), "--dhcp-authoritative"}, args...)...)
		cmd.Stdout, cmd.Stderr = log, log
		require.NoError(t, cmd.Start())
		t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
		require.Eventually(t, func() bool {
			out, err := exec.Command("ip", "netns", "exec", space, "cat", "/proc/net/udp").Output()
			return err == nil && strings.Contains(string(out), ":0043 ") // port 67
		}, time.Minute, 10*time.Millisecond)
		return func() { _ = cmd.Process.Kill(); _ = cmd.Wait() }
	}
	four4 := []string{"--enable-ra", "--dhcp-range=fd09:0:0:110::50,fd09:0:0:110::99,64,600"}
	for v := 110; v <= 140; v += 10 {
		four4 = append(four4, fmt.Sprintf("--interface=e%d", v), fmt.Sprintf("--dhcp-range=10.9.%d.50,10.9.%d.99,255.255.255.0,600", v, v))
	}
	quick := func(more ...string) func() {
		return serve("gate", append(append(slices.Clone(four4), "--no-ping"), more...)...)
	}
	stop := quick()

	// The switch says which port it is.
	for _, x := range []struct{ name, like string }{{"rack", "p*"}, {"ward", "w*"}} {
		conf := "/run/" + x.name + ".conf" // where it gets to that is not root then
		text := "configure system hostname " + x.name + ".practice.example\nconfigure lldp portidsubtype ifname\nconfigure lldp tx-interval 1\n"
		require.NoError(t, os.WriteFile(conf, []byte(text), 0o644))
		cmd := exec.Command("lldpd", "-d", "-I", x.like, "-u", "/run/"+x.name+".lldp", "-L", "/usr/sbin/lldpcli", "-O", conf)
		require.NoError(t, cmd.Start())
		t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	}

	looks := 0
	spaces := map[string]string{"lap1": "rack.p1", "lap2": "rack.p2", "lap4": "rack.p4", "lapw": "ward.w1", "lapv": "ward.w2"}
	look := func(space string, args ...string) (m api.Measured) {
		cmd := exec.Command("ip", append([]string{"netns", "exec", space, klammer, "probe", "--on", "eth0", "--into", plan, "--json", "--wait", "2s"}, args...)...)
		var says strings.Builder
		cmd.Stderr = &says
		out, err := cmd.Output()
		require.NoError(t, json.Unmarshal(out, &m), "%s %v %s%s", space, err, out, says.String())
		return m
	}
	// every looks from every laptop at once.
	every := func() map[string]api.Measured {
		out := map[string]api.Measured{}
		var mu sync.Mutex
		var w sync.WaitGroup
		for space, port := range spaces {
			w.Go(func() {
				m := look(space, "--port", port)
				mu.Lock()
				defer mu.Unlock()
				out[space] = m
			})
		}
		w.Wait()
		return out
	}
	// all looks from every laptop at once, and compares with what is played into the office
	// as it is: lines that are others, each and what stands there instead.
	all := func(changes ...string) map[string]api.Measured {
		was := file("was.klm", strings.NewReplacer(changes...).Replace(practice))
		out := every()
		for space, port := range spaces {
			played, _ := exec.Command(klammer, "probe", "--into", plan, "--as-is", was, "--port", port, "--json").Output()
			var p api.Probed
			require.NoError(t, json.Unmarshal(played, &p), string(played))
			m := out[space]
			require.NotNil(t, m.Probed, "%s", port)
			require.Len(t, m.Tests, len(p.Tests))
			if !slices.EqualFunc(p.Tests, m.Tests, func(a, b api.ProbedTest) bool { return a.Passed == b.Passed }) {
				t.Logf("%s %v: played %v, measured %v: once more, alone", port, changes, p.Tests, m.Tests) // frames are lost where the machine is busy
				m = look(space, "--port", port)
				out[space] = m
				require.Len(t, m.Tests, len(p.Tests))
			}
			for k := range p.Tests {
				require.Equal(t, p.Tests[k].Passed, m.Tests[k].Passed, "%s %v, %v: played %s, measured %s", port, m.Tests[k].Wire, changes, p.Tests[k].Wrong, m.Tests[k].Wrong)
				looks++
			}
		}
		return out
	}
	first := func(m api.Measured) string { return strings.Join(m.Suspects[0].Ways[0].Mistakes, ", and ") }

	got := all()
	offered := map[string]string{}
	for space, m := range got {
		for _, x := range m.Saw {
			for _, o := range x.Offers {
				if strings.Contains(o.Address, ".") {
					require.Contains(t, []string{"", space}, offered[o.Address], "%s and %s were offered %s: take other cards", space, offered[o.Address], o.Address)
					offered[o.Address] = space
				}
			}
		}
	}
	require.Contains(t, fmt.Sprint(got["lap1"].Saw[0].Tried), "it opens")
	require.NotEmpty(t, got["lap1"].Saw[0].Routers, "a router of IPv6")
	require.Contains(t, fmt.Sprint(got["lap1"].Saw[0].Offers), "fd09:0:0:110::")
	require.Contains(t, fmt.Sprint(got["lap1"].Saw[0].Answers), "fd09:0:0:110::1")

	tags("xup", "110", "130", "140")
	got = all("  up: [110 120 130 140]", "  up: [110 130 140]")
	require.True(t, slices.ContainsFunc(got["lapw"].Suspects, func(x api.Suspect) bool {
		return slices.ContainsFunc(x.Ways, func(w api.SuspectWay) bool { return slices.Equal(w.Mistakes, []string{"rack up lacks 120"}) })
	}), "%v", got["lapw"].Suspects)
	tags("xup", four...)

	access("p1", 130)
	got = all("  p1: 110", "  p1: 130")
	require.Equal(t, "rack p1 is in 130, and is to be in 110", first(got["lap1"]))
	access("p1", 110)

	rules(strings.ReplaceAll(lets, "tcp dport 443", "tcp dport 444"))
	got = all("  allow vlan 110 to 10.9.130.9 tcp/443\n", "")
	require.Contains(t, first(got["lap1"]), "tcp/443")
	rules(lets)

	// A server that nobody planned, one that is slow, none.
	in("stray", "ip", "addr", "add", "192.168.77.1/24", "dev", "eth0")
	end := serve("stray", "--interface=eth0", "--dhcp-range=192.168.77.10,192.168.77.20,600", "--no-ping")
	m := look("lap1", "--port", "rack.p1")
	require.Contains(t, strings.Join(m.Tests[0].Wrong, "; "), "192.168.77.1 hands out 192.168.77.")
	require.Len(t, m.Tests[0].Wrong, 1)
	end()
	stop()
	m = look("lap2")
	require.Equal(t, "rack.p2", m.Port, "by LLDP alone")
	require.Equal(t, []string{"gate is to hand out an address, and nobody does"}, m.Tests[0].Wrong)
	stop = serve("gate", four4...) // tries each address for 3 s before it offers it
	m = look("lap4", "--wait", "6s", "--port", "rack.p4")
	for k, x := range m.Saw[1:] {
		require.NotEmpty(t, x.Offers, "%v", *x.Wire)
		t.Logf("tagged %d: offered after %d ms by a server that tries an address first; passed %v", *x.Wire, x.Offers[0].After, m.Tests[k+1].Passed)
	}
	stop()
	stop = quick()
	late := firstOffer(t)

	// Mistakes planted in the real thing, one at a time, and what the laptops together make of them.
	if os.Getenv("KLAMMER_PLANTED") != "" {
		o, err := notation.Read("plan", practice)
		require.NoError(t, err)
		r := round.Make(o.Office)
		everybody := func() (out []round.Suspect, wrong []string) {
			var seen []round.Seen
			saws := every()
			for space, port := range spaces {
				tests, err := api.TestsAt(o.Office, r, port, nil)
				require.NoError(t, err)
				for k := range saws[space].Saw {
					x := &saws[space].Saw[k]
					test, err := api.TestOfWire(tests, x.Wire)
					require.NoError(t, err)
					judged := r.Judge(test, x.Round(r.Look(test)))
					seen = append(seen, judged.Seen)
					wrong = append(wrong, judged.Wrong...)
				}
			}
			return r.Suspects(seen), wrong
		}
		serving := func(args ...string) (func(), func()) { // instead of the gate's own server
			end := func() {}
			return func() { stop(); end = serve("gate", append(args, "--no-ping")...) }, func() { end(); stop = quick() }
		}
		ranges := func(v int, text string) (out []string) {
			for _, x := range four4 {
				if strings.HasPrefix(x, fmt.Sprintf("--dhcp-range=10.9.%d.", v)) {
					if text == "" {
						continue
					}
					x = "--dhcp-range=" + text
				}
				out = append(out, x)
			}
			return out
		}
		none, noneNot := serving(ranges(120, "")...)
		other, otherNot := serving(ranges(110, "10.9.110.150,10.9.110.199,255.255.255.0,600")...)
		mask, maskNot := serving(ranges(110, "10.9.110.50,10.9.110.99,255.255.255.128,600")...)
		gate, gateNot := serving(append(ranges(110, "set:staff,10.9.110.50,10.9.110.99,255.255.255.0,600"), "--dhcp-option=tag:staff,3,10.9.110.254")...)
		rival := func(args ...string) (func(), func()) {
			end := func() {}
			return func() { end = serve("stray", append(args, "--interface=eth0", "--no-ping")...) }, func() { end() }
		}
		server, serverNot := rival("--dhcp-range=192.168.77.10,192.168.77.20,600")
		in("stray", "sh", "-c", "echo 0 >/proc/sys/net/ipv6/conf/eth0/disable_ipv6; ip addr add fd99::1/64 dev eth0 nodad")
		six, sixNot := rival("--enable-ra", "--dhcp-range=fd99::,ra-only,64,600")
		named, listed := 0, 0
		planted := []struct {
			says      string
			set, back func()
		}{
			{"rack up lacks 120", func() { tags("xup", "110", "130", "140") }, func() { tags("xup", four...) }},
			{"ward down lacks 130", func() { tags("xdown", "110", "120", "140") }, func() { tags("xdown", four...) }},
			{"rack p1 is in 130, and is to be in 110", func() { access("p1", 130) }, func() { access("p1", 110) }},
			{"rack p1 was left in 1, and is to be in 110", func() { access("p1", 1) }, func() { access("p1", 110) }},
			{"ward w1 was left in 1, and is to be in 120", func() { access("w1", 1) }, func() { access("w1", 120) }},
			{"rack p1 was left as a trunk", func() { l.vsctl("set", "port", "p1", "vlan_mode=native-untagged", "tag=110", "trunks=120,130,140") }, func() { access("p1", 110) }},
			{"rack up is shut", func() { l.must("ip", "link", "set", "xup", "down") }, func() { l.must("ip", "link", "set", "xup", "up") }},
			{"ward down is as from the factory", func() { access("xdown", 1) }, func() { tags("xdown", four...) }},
			{"the cables in rack u110 and u120 are swapped", func() { access("u110", 120); access("u120", 110) }, func() { access("u110", 110); access("u120", 120) }},
			{"rack srv is in 140, and is to be in 130", func() { access("srv", 140) }, func() { access("srv", 130) }},
			{"gate lacks the rule allow vlan 110 to 10.9.130.9 tcp/443", func() { rules(strings.ReplaceAll(lets, "tcp dport 443", "tcp dport 444")) }, func() { rules(lets) }},
			{"gate lacks the rule allow vlan 110 to 10.9.130.9 ping", func() { rules(strings.Split(lets, ";")[0]) }, func() { rules(lets) }},
			{"gate has the rule allow vlan 110 to 10.9.130.9 tcp/443 for every service", func() { rules(strings.ReplaceAll(lets, "tcp dport 443", "")) }, func() { rules(lets) }},
			{"gate has the rule allow vlan 110 to 10.9.130.9 tcp/443 from anybody", func() { rules(strings.Replace(lets, "ip saddr 10.9.110.0/24 ", "", 1)) }, func() { rules(lets) }},
			{"gate lets everything pass", func() { in("gate", "nft", "flush ruleset") }, func() { rules(lets) }},
			{"gate hands out no addresses in 120", none, noneNot},
			{"gate hands out another range in 110", other, otherNot},
			{"gate hands out another mask in 110", mask, maskNot},
			{"gate hands out another gateway in 110", gate, gateNot},
			{"another server hands out addresses in 110", server, serverNot},
			{"somebody who is not of the plan routes IPv6 in 110", six, sixNot},
			{"gate e130 is shut", func() { in("gate", "ip", "link", "set", "e130", "down") }, func() { in("gate", "ip", "link", "set", "e130", "up") }},
			{"rack u140 lacks 140", func() { tags("u140", "999") }, func() { access("u140", 140) }},
			{"another server hands out addresses in 110 instead of gate", func() { stop(); stop = serve("gate", append(ranges(110, ""), "--no-ping")...); server() }, func() { serverNot(); stop(); stop = quick() }},
			// Last: the switch was seen not to take it back until another port is set.
			{"rack p4 lacks 130", func() { tags("p4", "110", "120", "140") }, func() { tags("p4", four...) }},
		}
		for _, x := range planted {
			x.set()
			place := func(all []round.Suspect) int {
				return slices.IndexFunc(all, func(s round.Suspect) bool {
					return slices.ContainsFunc(s.Mistakes, func(way []int) bool { return len(way) == 1 && strings.HasPrefix(r.Mistakes[way[0]].Text, x.says) })
				})
			}
			all, wrong := everybody()
			if place(all) < 0 {
				all, wrong = everybody() // frames are lost where the machine is busy
			}
			x.back()
			for range 2 { // the switch keeps flows for a while that it worked out before
				if _, still := everybody(); len(still) == 0 {
					break
				}
			}
			at := place(all)
			first := "nothing"
			if len(all) > 0 {
				first = r.Mistakes[all[0].Mistakes[0][0]].Text
			}
			switch {
			case at == 0:
				named++
				listed++
			case at > 0:
				listed++
				t.Logf("PLANTED %s: listed at %d, behind %s", x.says, at+1, first)
			default:
				t.Logf("PLANTED %s: not among %d suspects, the first of them %s; seen: %s", x.says, len(all), first, strings.Join(wrong, "; "))
			}
		}
		t.Logf("PLANTED %d mistakes in a real switch, gateway and servers: %d named first, %d among the suspects", len(planted), named, listed)
		require.GreaterOrEqual(t, listed, len(planted)-1)
	}
	defer stop()

	// No rights, no link, not up: said plainly.
	refused := func(says string, cmd *exec.Cmd) {
		out, err := cmd.CombinedOutput()
		require.Error(t, err)
		require.Contains(t, string(out), says)
	}
	plain := exec.Command(klammer, "probe", "--on", "u110")
	plain.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	refused("setcap cap_net_raw+p /run/klammer", plain)
	// With the right that the package gives the program, anybody may, and the laptop is as before.
	const free = "/run/klammer-free"
	l.must("cp", klammer, free)
	l.must("setcap", "cap_net_raw+p", free)
	l.must("cp", plan, "/run/plan.klm")
	as := func(cmd *exec.Cmd) *exec.Cmd {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		return cmd
	}
	state := func() string {
		out, err := exec.Command("ip", "netns", "exec", "lap1", "sh", "-c", "ip -o link; ip -o addr; ip -4 route; ip -4 neigh").Output()
		require.NoError(t, err)
		return regexp.MustCompile(`[0-9]+sec|REACHABLE|STALE|DELAY|PROBE`).ReplaceAllString(string(out), "") // what runs by itself; of IPv6 the kernel hears routers by itself, too
	}
	before := state()
	inSpace(t, "lap1", func() {
		out, err := as(exec.Command(free, "probe", "--on", "eth0", "--into", "/run/plan.klm", "--port", "rack.p1", "--wait", "2s")).CombinedOutput()
		assert.NoError(t, err, string(out))
		assert.Contains(t, string(out), "rack p1, untagged: as planned")
		cut := as(exec.Command(free, "probe", "--on", "eth0", "--into", "/run/plan.klm", "--port", "rack.p1", "--wait", "20s"))
		if assert.NoError(t, cut.Start()) {
			time.AfterFunc(time.Second, func() { _ = cut.Process.Signal(os.Interrupt) })
			assert.Error(t, cut.Wait(), "it was cut short")
		}
	})
	require.Equal(t, before, state(), "interfaces, addresses, routes and neighbours are as before, after an end and after Ctrl-C")
	// A laptop that has an address looks without any right: where it is, and what it reaches.
	looking := func(port string) (seen asking.Looking) {
		var says strings.Builder
		inSpace(t, "lap1", func() {
			cmd := as(exec.Command(klammer, "look", "--into", "/run/plan.klm", "--port", port, "--json"))
			cmd.Stderr = &says
			out, _ := cmd.Output() // its exit status says whether it is as planned
			assert.NoError(t, json.Unmarshal(out, &seen), says.String())
		})
		return seen
	}
	in("lap1", "ip", "addr", "add", "10.9.110.77/24", "dev", "eth0")
	in("lap1", "ip", "route", "add", "default", "via", "10.9.110.1")
	seen := looking("rack.p1")
	require.Equal(t, office.VID(110), *seen.VLAN)
	require.Equal(t, []string{"10.9.110.77", "10.9.110.1"}, []string{seen.Address, seen.Gateway})
	require.True(t, seen.Tests[0].Passed, "%v %v", seen.Tests[0].Wrong, seen.Tried)
	require.Contains(t, fmt.Sprint(seen.Tried), "{10.9.130.9 tcp/443 answered it opens}")
	require.False(t, looking("rack.p2").Tests[0].Passed, "in 120 as planned")
	in("gate", "nft", "flush ruleset")
	seen = looking("rack.p1")
	rules(lets)
	require.Contains(t, strings.Join(seen.Tests[0].Wrong, "; "), "is not to answer")
	in("lap1", "ip", "addr", "del", "10.9.110.77/24", "dev", "eth0")

	l.must("ip", "link", "set", "p1", "down")
	refused("eth0 has no link: is the cable in at both ends?", exec.Command("ip", "netns", "exec", "lap1", klammer, "probe", "--on", "eth0"))
	in("lap1", "ip", "link", "set", "eth0", "down")
	refused("eth0 is down: set it up first", exec.Command("ip", "netns", "exec", "lap1", klammer, "probe", "--on", "eth0"))
	t.Logf("%d looks, each as played; the first offer is told %s after it arrived", looks, late)
}

// firstOffer is how long after an offer came in it is told.
func firstOffer(t *testing.T) (late time.Duration) {
	inSpace(t, "lap1", func() {
		w, err := probe.Open("eth0")
		if err != nil {
			t.Error(err)
			return
		}
		began := time.Now()
		l := probe.Plug(w, probe.Options{Wait: time.Second, Offer: func(_ office.VID, o probe.Offer) {
			if late == 0 {
				late = time.Since(began) - o.After
			}
		}})
		defer l.Close()
		began = time.Now()
		if _, err := l.Look(t.Context(), []probe.Look{{}}); err != nil {
			t.Error(err)
		}
	})
	return late
}
