package proof

import (
	"fmt"
	"io"
	"net"
	"net/netip"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/proof/short"
)

// The offices that are built for real: each device that routes, each host and the
// outside is a network namespace, each VLAN a bridge; the kernel forwards, its
// filter (nftables) has the rules.
var realTalks = []string{
	// A firewall with zones and a line; an early rule that lets more pass than meant.
	`vlan 10 staff net 10.9.10.0/24
vlan 20 lab net 10.9.20.0/24
vlan 30 guests net 10.9.30.0/24
service pages tcp/80,tcp/443
device gate firewall
  forwarding routed
  ports wan, lan
  lan: [10 20 30]
  address 10 10.9.10.1/24 on lan zone inner
  address 20 10.9.20.1/24 on lan zone inner
  address 30 10.9.30.1/24 on lan zone guests
  outside fibre on wan 203.0.113.2/29 via 203.0.113.1
  within zones deny
  deny 10.9.30.128/25 to any udp/53
  allow vlan 30 to outside pages,ping
  allow vlan 10 to vlan 20 tcp/80-90
  deny zone inner to zone guests ping
  allow 10.9.10.9 to vlan 30
  allow zone inner to outside
  allow outside to 10.9.20.9 tcp/443
`,
	// A switch that keeps no state, and a firewall behind it: answers need rules.
	`vlan 10 staff net 10.9.10.0/24
vlan 20 between net 10.9.20.0/24
vlan 30 far net 10.9.30.0/24
device core switch
  forwarding routed
  ports lan
  lan: [10 20]
  address 10 10.9.10.1/24 on lan
  address 20 10.9.20.1/24 on lan gateway
  route default via 10.9.20.2
  between zones deny
  allow vlan 10 to any tcp/80,ping,udp/53
  allow 10.9.30.0/24 to vlan 10 tcp/1024-65535,ping
device gate firewall
  forwarding routed
  ports lan
  lan: [20 30]
  address 20 10.9.20.2/24 on lan
  address 30 10.9.30.1/24 on lan
  route 10.9.10.0/24 via 10.9.20.1
  allow any to vlan 30 tcp/80,ping,udp/53
`,
	// Two gateways, and answers that come back by the other one.
	`vlan 10 staff net 10.9.10.0/24
vlan 20 lab net 10.9.20.0/24
vlan 30 far net 10.9.30.0/24
device left router
  forwarding routed
  ports lan
  lan: [10 20]
  address 10 10.9.10.1/24 on lan gateway
  address 20 10.9.20.1/24 on lan
  route 10.9.30.0/24 via 10.9.20.2
device right switch
  forwarding routed
  ports lan
  lan: [10 20 30]
  address 10 10.9.10.2/24 on lan
  address 20 10.9.20.2/24 on lan gateway
  address 30 10.9.30.1/24 on lan
  deny vlan 30 to vlan 20 tcp/443
`,
}

// TestRealTalk builds offices out of Klammer's own model and asks the kernel by
// ping, TCP and UDP what talk says.
func TestRealTalk(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		for i, text := range realTalks {
			realTalk(t, i, text)
		}
		return
	}
	if os.Geteuid() != 0 {
		t.Skip("an office for real needs root: network namespaces")
	}
	for _, p := range []string{"ip", "nft", "ping"} {
		if _, err := exec.LookPath(p); err != nil {
			t.Skipf("an office for real needs %s: apt-get install iproute2 nftables iputils-ping (./run test does)", p)
		}
	}
	cmd := exec.Command("/proc/self/exe", "-test.run", "^TestRealTalk$", "-test.v")
	cmd.Env = append(os.Environ(), "KLAMMER_INSIDE=1")
	cmd.SysProcAttr = &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWNET | syscall.CLONE_NEWNS, Pdeathsig: syscall.SIGKILL}
	out, err := cmd.CombinedOutput()
	if strings.Contains(string(out), "--- SKIP") {
		t.Skip(string(out))
	}
	require.NoError(t, err, string(out))
	t.Log(strings.TrimSpace(string(out)))
}

// street is the namespaces of one office.
type street struct {
	t      *testing.T
	o      *office.Office
	number int // of the office: names are not used twice
	ends   int
	names  []string
}

func (s *street) ip(args ...string) { s.run("ip", args...) }

func (s *street) run(name string, args ...string) {
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(s.t, err, "%s %v: %s", name, args, out)
}

func (s *street) space(name string) {
	s.ip("netns", "add", name)
	s.names = append(s.names, name)
	s.ip("-n", name, "link", "set", "lo", "up")
}

// plug puts an interface of a namespace into a bridge.
func (s *street) plug(space, dev, bridge, addr string) {
	s.ends++
	end := fmt.Sprintf("e%d-%d", s.number, s.ends)
	s.ip("link", "add", end, "type", "veth", "peer", "name", dev, "netns", space)
	s.ip("link", "set", end, "master", fmt.Sprintf("%s-%d", bridge, s.number), "up")
	s.ip("-n", space, "addr", "add", addr, "dev", dev)
	s.ip("-n", space, "link", "set", dev, "up")
}

func host(net netip.Prefix) netip.Addr {
	b := net.Addr().As4()
	b[3] = 9
	return netip.AddrFrom4(b)
}

func realTalk(t *testing.T, number int, text string) {
	bare, err := notation.Read("real", text)
	require.NoError(t, err)
	text += "device floor switch\n  ports 1-9\n  1-9: [10 20 30]\n" // the bridges, as one switch
	for i, d := range bare.Office.Devices {
		text += fmt.Sprintf("cable floor.%d %s.lan\n", i+1, d.Name)
	}
	f, err := notation.Read("real", text)
	require.NoError(t, err)
	s := &street{t: t, o: f.Office, number: number + 1}
	if number == 0 {
		s.run("mount", "--make-rprivate", "/")
		s.run("mount", "-t", "tmpfs", "tmpfs", "/run")
	}
	defer func() {
		for _, n := range s.names {
			_ = exec.Command("ip", "netns", "del", n).Run()
		}
	}()
	for _, v := range f.Office.VLANs {
		s.bridge(fmt.Sprintf("br%d", v.VID))
	}
	s.bridge("brout")
	var back []string // what the outside knows of the inside
	for _, d := range bare.Office.Devices {
		back = append(back, s.router(d)...)
	}
	m := talk.New(span.Compile(f.Office))
	addrs := map[string]netip.Addr{}
	for _, v := range f.Office.VLANs {
		name := fmt.Sprintf("h%d", v.VID)
		s.space(name)
		addrs[name] = host(v.Nets[0])
		s.plug(name, "eth0", fmt.Sprintf("br%d", v.VID), fmt.Sprintf("%s/%d", addrs[name], v.Nets[0].Bits()))
		if gate := m.Net.Gateways().Of(v.VID, office.IPv4); gate.Is() {
			s.ip("-n", name, "route", "add", "default", "via", gate.Addr().String())
		}
	}
	if len(back) > 0 {
		s.space("out")
		s.plug("out", "eth0", "brout", "203.0.113.1/29")
		s.ip("-n", "out", "addr", "add", "198.51.100.10/32", "dev", "lo")
		addrs["out"] = netip.MustParseAddr("198.51.100.10")
		for _, b := range back {
			s.ip("-n", "out", "route", "add", b, "via", "203.0.113.2", "src", "198.51.100.10")
		}
	}
	for name := range addrs {
		s.serve(name)
	}
	asked, yes := s.kernelSays(t, fmt.Sprintf("office %d", number+1), f.Office, addrs)
	require.Positive(t, yes)
	require.Less(t, yes, asked)
	t.Logf("office %d: %d questions, %d yes", number+1, asked, yes)
}

// kernelSays asks the kernel, by ping, TCP and UDP, what talk says of an office.
func (s *street) kernelSays(t *testing.T, what string, o *office.Office, addrs map[string]netip.Addr) (asked, yes int) {
	m := talk.New(span.Compile(o))
	type question struct {
		from, to, service string
		got               bool
	}
	var all []*question
	for from := range addrs {
		for to := range addrs {
			for _, service := range []string{"ping", "tcp/80", "tcp/443", "udp/53"} {
				if from != to {
					all = append(all, &question{from: from, to: to, service: service})
				}
			}
		}
	}
	var asking sync.WaitGroup
	for _, q := range all {
		asking.Go(func() { q.got = s.ask(q.from, addrs[q.to], q.service) })
	}
	asking.Wait()
	for _, q := range all {
		src, err := m.Who(addrs[q.from].String())
		require.NoError(t, err)
		dst, err := m.Who(addrs[q.to].String())
		require.NoError(t, err)
		list, err := notation.ReadServices(o, q.service)
		require.NoError(t, err)
		a := m.Ask(src, dst, talk.Of(o, list))
		if (a.Verdict == talk.Yes) != q.got { // a packet may be lost: asked again, by itself
			q.got = s.ask(q.from, addrs[q.to], q.service)
		}
		require.Equal(t, q.got, a.Verdict == talk.Yes, "%s: %s to %s %s: the kernel says %v, and talk: %s", what, q.from, q.to, q.service, q.got, a.Why())
		if q.got {
			yes++
		}
	}
	return len(all), yes
}

func (s *street) bridge(name string) {
	name = fmt.Sprintf("%s-%d", name, s.number)
	s.ip("link", "add", name, "type", "bridge")
	s.ip("link", "set", name, "up")
}

// router makes a device that routes, and gives the subnets that the outside may
// send to over its line.
func (s *street) router(d *office.Device) (back []string) {
	s.space(d.Name)
	for _, v := range []string{"net.ipv4.ip_forward=1", "net.ipv4.conf.all.rp_filter=0", "net.ipv4.conf.default.rp_filter=0", "net.ipv4.conf.all.send_redirects=0", "net.ipv4.conf.default.send_redirects=0"} {
		key, value, _ := strings.Cut(v, "=")
		inSpace(s.t, d.Name, func() {
			require.NoError(s.t, os.WriteFile("/proc/sys/"+strings.ReplaceAll(key, ".", "/"), []byte(value), 0o644))
		})
	}
	for _, a := range d.Addresses {
		s.plug(d.Name, fmt.Sprintf("v%d", a.VID), fmt.Sprintf("br%d", a.VID), a.Prefix.String())
	}
	for _, l := range d.Outsides {
		s.plug(d.Name, "out", "brout", l.Prefix.String())
		s.ip("-n", d.Name, "route", "add", "default", "via", l.Via.String())
		for _, v := range s.o.VLANs {
			back = append(back, v.Nets[0].String())
		}
	}
	for _, r := range d.Routes {
		to := "default"
		if r.To.Bits() > 0 {
			to = r.To.String()
		}
		s.ip("-n", d.Name, "route", "add", to, "via", r.Via.String())
	}
	rules := s.filter(d)
	cmd := exec.Command("ip", "netns", "exec", d.Name, "nft", "-f", "-")
	cmd.Stdin = strings.NewReader(rules)
	out, err := cmd.CombinedOutput()
	require.NoError(s.t, err, "%s\n%s", out, rules)
	if d.KeepsState() {
		inSpace(s.t, d.Name, func() { _ = os.WriteFile("/proc/sys/net/netfilter/nf_conntrack_tcp_loose", []byte("0"), 0o644) })
	}
	return back
}

// filter writes a device's rules for nftables.
func (s *street) filter(d *office.Device) string {
	var b strings.Builder
	b.WriteString("table inet office {\n chain forward {\n  type filter hook forward priority 0; policy drop;\n")
	if d.KeepsState() {
		b.WriteString("  ct state established,related accept\n  ct state invalid drop\n")
	}
	side := func(x office.Side, dir string) []string {
		iface := map[string]string{"from": "iifname", "to": "oifname"}[dir]
		switch x.Kind {
		case office.SideAny:
			return []string{""}
		case office.SideOutside:
			return []string{iface + " out"}
		case office.SideVLAN:
			return []string{fmt.Sprintf("%s v%d", iface, x.VID)}
		case office.SideNet:
			return []string{map[string]string{"from": "ip saddr ", "to": "ip daddr "}[dir] + x.Net.String()}
		}
		var all []string
		for _, a := range d.Addresses {
			if a.Zone == x.Zone {
				all = append(all, fmt.Sprintf("%s v%d", iface, a.VID))
			}
		}
		return all
	}
	for _, r := range d.Rules {
		do := map[office.Action]string{office.Allow: "accept", office.Deny: "drop"}[r.Do]
		for _, x := range r.From {
			for _, y := range r.To {
				for _, from := range side(x, "from") {
					for _, to := range side(y, "to") {
						for _, service := range s.services(r.Services) {
							fmt.Fprintf(&b, "  %s %s %s %s\n", from, to, service, do)
						}
					}
				}
			}
		}
	}
	b.WriteString("  iifname out drop\n")
	for _, a := range d.Addresses {
		for _, c := range d.Addresses {
			do := d.BetweenZones()
			if a.VID == c.VID || a.Zone != "" && a.Zone == c.Zone {
				do = d.WithinZones()
			}
			if do == office.Allow {
				fmt.Fprintf(&b, "  iifname v%d oifname v%d accept\n", a.VID, c.VID)
			}
		}
		if d.BetweenZones() == office.Allow {
			fmt.Fprintf(&b, "  iifname v%d oifname out accept\n", a.VID)
		}
	}
	return b.String() + " }\n}\n"
}

func (s *street) services(list []office.Service) (out []string) {
	for _, x := range list {
		switch x.Protocol {
		case office.AnyProtocol:
			out = append(out, "")
		case office.Ping:
			out = append(out, "icmp type { echo-request, echo-reply }")
		case office.Named:
			out = append(out, s.services(s.o.Service(x.Name).Is)...)
		default:
			out = append(out, fmt.Sprintf("%s dport %d-%d", x.Protocol, x.First, x.Last))
		}
	}
	return out
}

// serve answers on all ports that are asked.
func (s *street) serve(name string) {
	inSpace(s.t, name, func() {
		for _, port := range []int{80, 443} {
			l, err := net.Listen("tcp4", fmt.Sprintf(":%d", port))
			if err != nil {
				s.t.Errorf("%s: %v", name, err)
				return
			}
			go func() {
				for {
					c, err := l.Accept()
					if err != nil {
						return
					}
					go func() { _, _ = io.Copy(c, c); _ = c.Close() }()
				}
			}()
			s.t.Cleanup(func() { _ = l.Close() })
		}
		p, err := net.ListenPacket("udp4", ":53")
		if err != nil {
			s.t.Errorf("%s: %v", name, err)
			return
		}
		go func() {
			buf := make([]byte, 100)
			for {
				n, from, err := p.ReadFrom(buf)
				if err != nil {
					return
				}
				_, _ = p.WriteTo(buf[:n], from)
			}
		}()
		s.t.Cleanup(func() { _ = p.Close() })
	})
}

// ask says whether a question is answered.
func (s *street) ask(from string, to netip.Addr, service string) (ok bool) {
	proto, port, _ := strings.Cut(service, "/")
	if proto == "ping" {
		return exec.Command("ip", "netns", "exec", from, "ping", "-c", "1", "-W", "2", to.String()).Run() == nil
	}
	inSpace(s.t, from, func() {
		d := net.Dialer{Timeout: 2 * time.Second}
		if from == "out" {
			own := net.ParseIP("198.51.100.10")
			d.LocalAddr = map[string]net.Addr{"tcp": &net.TCPAddr{IP: own}, "udp": &net.UDPAddr{IP: own}}[proto]
		}
		c, err := d.Dial(proto+"4", net.JoinHostPort(to.String(), port))
		if err != nil {
			return
		}
		defer c.Close()
		_ = c.SetDeadline(time.Now().Add(2 * time.Second))
		if _, err := c.Write([]byte("here")); err != nil {
			return
		}
		buf := make([]byte, 4)
		_, err = io.ReadFull(c, buf)
		ok = err == nil && slices.Equal(buf, []byte("here"))
	})
	return ok
}
