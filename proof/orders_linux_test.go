package proof

import (
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"testing"
	"unsafe"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/proof/short"
)

// realOrder is a chain of three switches, a host behind each, and a laptop at the
// first; management is in the VLAN that is untagged on the trunks.
func realOrder(vid int) string {
	var b strings.Builder
	b.WriteString("vlan 1 one\nvlan 10 staff\nvlan 190 devices\n")
	for i, d := range []string{"b1", "b2", "b3"} {
		fmt.Fprintf(&b, "device %s switch\n  ports p1-p3,l,r\n  wording by-port\n  manage %d 10.9.%d.%d\n  p3: 10\n", d, vid, vid, i+1)
		if i == 0 {
			b.WriteString("  p1: 1\n  p2: 190\n  l: -\n")
		} else {
			fmt.Fprintf(&b, "  p1-p2: -\n  l: %d [10]\n", vid)
		}
		if i < 2 {
			fmt.Fprintf(&b, "  r: %d [10]\n", vid)
		}
	}
	fmt.Fprintf(&b, "cable b1.r b2.l\ncable b2.r b3.l\nplug b1.p%d \"laptop\" wants %d operator\n", map[int]int{1: 1, 190: 2}[vid], vid)
	return b.String()
}

// TestRealOrder carries an order out on three real switches (Open vSwitch), over the
// very links that change: each switch is told over OVSDB, by TCP to its own
// management address in the VLAN that it is managed in at that time. After each step
// everybody pings everybody, and what is lost is what was said.
func TestRealOrder(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		carriedOut(t)
		return
	}
	t.Log(insideOnly(t, "carried out", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovsdb-tool", "ip", "ping"))
}

// site is the switches of [lab] with namespaces around them.
type site struct {
	*lab
	now *office.Office
}

// space makes a namespace with one interface, whose other end is a port of a switch.
func (s *site) space(name, bridge, port, set string) {
	s.must("ip", "netns", "add", name)
	s.must("ip", "link", "add", port, "type", "veth", "peer", "name", "eth0", "netns", name)
	s.must("ip", "link", "set", port, "up")
	s.must("ip", "-n", name, "link", "set", "lo", "up")
	s.must("ip", "-n", name, "link", "set", "eth0", "up")
	inSpace(s.t, name, func() { plainSums(s.t, "eth0") })
	s.vsctl(append([]string{"add-port", bridge, port, "--", "set", "port", port}, strings.Fields(set)...)...)
}

// plainSums has an interface write checksums itself: nothing behind a switch in user
// space does it for it.
func plainSums(t *testing.T, dev string) {
	fd, err := unix.Socket(unix.AF_INET, unix.SOCK_DGRAM, 0)
	require.NoError(t, err)
	defer unix.Close(fd)
	value := struct{ cmd, data uint32 }{0x17, 0} // ETHTOOL_STXCSUM
	var req struct {
		name [unix.IFNAMSIZ]byte
		data unsafe.Pointer
		_    [16]byte
	}
	copy(req.name[:], dev)
	req.data = unsafe.Pointer(&value)
	_, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(fd), unix.SIOCETHTOOL, uintptr(unsafe.Pointer(&req)))
	runtime.KeepAlive(&value)
	require.Zero(t, errno, "checksums of %s: %v", dev, errno)
}

// serve lets a switch's database be asked at its management address, in its
// namespace and nowhere else.
func (s *site) serve(name string) {
	inSpace(s.t, name, func() {
		l, err := net.Listen("tcp4", "0.0.0.0:6640")
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
				go func() {
					defer c.Close()
					db, err := net.Dial("unix", s.dir+"/db.sock")
					if err != nil {
						return
					}
					defer db.Close()
					go func() { _, _ = io.Copy(db, c) }()
					_, _ = io.Copy(c, db)
				}()
			}
		}()
	})
}

// address gives a namespace one address.
func (s *site) address(name, addr string) {
	s.must("ip", "-n", name, "addr", "flush", "dev", "eth0")
	s.must("ip", "-n", name, "addr", "add", addr+"/24", "dev", "eth0")
}

// theirs is a port's shape as the switch has it; false where it has none.
func theirs(s *office.Shape) (string, bool) {
	pvid := s.PortVID()
	list := func(vs []office.VID) string {
		var out []string
		for _, v := range vs {
			out = append(out, fmt.Sprint(v))
		}
		return strings.Join(out, ",")
	}
	switch {
	case len(s.Untagged) == 1 && s.Untagged[0] == pvid && len(s.Tagged) == 0:
		return fmt.Sprintf("vlan_mode=access tag=%d trunks=[]", pvid), true
	case len(s.Untagged) == 1 && s.Untagged[0] == pvid:
		return fmt.Sprintf("vlan_mode=native-untagged tag=%d trunks=%s", pvid, list(s.Tagged)), true
	case len(s.Untagged) == 0 && pvid == 0 && len(s.Tagged) > 0:
		return "vlan_mode=trunk tag=[] trunks=" + list(s.Tagged), true
	case len(s.Untagged) == 0 && s.Of(pvid) == office.Tagged:
		return fmt.Sprintf("vlan_mode=native-tagged tag=%d trunks=%s", pvid, list(s.Tagged)), true
	case len(s.Untagged) == 0 && pvid == 0:
		return "vlan_mode=trunk tag=[] trunks=4000", true // an empty list means all
	}
	return "", false
}

// tell sets ports of a switch from where the laptop is.
func (s *site) tell(device string, args ...string) error {
	addr := s.now.Device(device).Manage.Addr
	cmd := exec.Command("ip", append([]string{"netns", "exec", "laptop", "ovs-vsctl", fmt.Sprintf("--db=tcp:%s:6640", addr), "--timeout=10"}, args...)...)
	out, err := cmd.CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s at %s: %s", device, addr, out)
	}
	return nil
}

// pings says whether somebody is answered. Who should be is waited for, as the switches and
// this machine may be busy; who should not be is asked three times within a second.
func (s *site) pings(from, to string, should bool) bool {
	ask := []string{"-c", "3", "-i", "0.2", "-W", "1"}
	if should {
		ask = []string{"-c", "1", "-i", "0.2", "-w", "20"} // ends at the first answer
	}
	return exec.Command("ip", append(append([]string{"netns", "exec", from, "ping"}, ask...), to)...).Run() == nil
}

func carriedOut(t *testing.T) {
	require.NoError(t, os.MkdirAll("/run/netns", 0o755))
	require.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""))
	require.NoError(t, unix.Mount("tmpfs", "/run/netns", "tmpfs", 0, ""))
	read := func(vid int) *office.Office {
		f, err := notation.Read("office", realOrder(vid))
		require.NoError(t, err)
		return f.Office
	}
	was, plan := read(1), read(190)
	o, err := order.Make(was, plan, order.Options{})
	require.NoError(t, err)
	require.True(t, o.Safe(), shownOrder(o))

	s := &site{lab: newLab(t), now: was}
	for i, d := range was.Devices {
		for q := range d.Ports {
			port := d.Name + d.Ports[q].Name
			if cabled := i > 0 && d.Ports[q].Name == "l" || i < 2 && d.Ports[q].Name == "r"; !cabled {
				continue
			}
			set, ok := theirs(d.Ports[q].Shape)
			require.True(t, ok)
			s.vsctl(append([]string{"set", "port", port}, strings.Fields(set)...)...)
		}
		s.space("m"+d.Name, d.Name, "m"+d.Name, "tag=1")
		s.address("m"+d.Name, d.Manage.Addr.String())
		s.serve("m" + d.Name)
		s.space("h"+d.Name, d.Name, "h"+d.Name, "tag=10")
		s.address("h"+d.Name, fmt.Sprintf("10.9.10.%d", i+1))
	}
	s.space("laptop", "b1", "laptop", "tag=1")
	s.address("laptop", "10.9.1.100")

	pings := 0
	look := func(step string) {
		n := span.Compile(s.now)
		laptop := s.now.Plugs[0]
		from, _ := n.PlugAt(&laptop)
		for i, d := range s.now.Devices {
			said := false
			for _, x := range n.Standing(i, d.Manage.VID, "") {
				said = said || from != nil && x.Span == from && !from.OneWay
			}
			if from != nil && from.OneWay {
				said = reached(s.now, heard(s.now), d.Name)
			}
			require.Equal(t, said, s.pings("laptop", d.Manage.Addr.String(), said), "%s: the laptop and %s", step, d.Name)
			pings++
			for k := range i {
				require.True(t, s.pings("h"+d.Name, fmt.Sprintf("10.9.10.%d", k+1), true), "%s: the hosts of %s and b%d: nobody said that they are cut off", step, d.Name, k+1)
				pings++
			}
		}
	}
	look("before")
	for i, st := range o.Steps {
		step := fmt.Sprintf("step %d, %s", i+1, st.Text)
		before := s.now
		switch st.Kind {
		case order.Set:
			var args []string
			was, is := before.Device(st.Device), st.After.Device(st.Device)
			for q := range is.Ports {
				if a, b := was.Ports[q].Shape, is.Ports[q].Shape; a == b || a == nil || b == nil || a.Equal(*b) || is.Ports[q].Name[0] == 'p' {
					continue
				}
				set, ok := theirs(is.Ports[q].Shape)
				require.True(t, ok, "%s: %s", step, notation.Shape(*is.Ports[q].Shape))
				args = append(append(args, "--", "set", "port", st.Device+is.Ports[q].Name), strings.Fields(set)...)
			}
			if args != nil {
				require.NoError(t, s.tell(st.Device, args[1:]...), step)
			}
		case order.Manage:
			m := st.After.Device(st.Device).Manage
			// The answer may be lost, as the way that it would come is the one that moves.
			_ = s.tell(st.Device, "--no-wait", "--timeout=3", "set", "port", "m"+st.Device, fmt.Sprintf("tag=%d", m.VID))
			out, err := exec.Command("ovs-vsctl", "--db=unix:"+s.dir+"/db.sock", "get", "port", "m"+st.Device, "tag").Output()
			require.NoError(t, err)
			require.Equal(t, fmt.Sprint(m.VID), strings.TrimSpace(string(out)), step)
			s.address("m"+st.Device, m.Addr.String())
		case order.Laptop:
			plug := st.After.Plugs[0]
			s.vsctl("set", "port", "laptop", fmt.Sprintf("tag=%d", plug.Wants)) // plugged into the other port
			s.address("laptop", fmt.Sprintf("10.9.%d.100", plug.Wants))
		}
		s.now = st.After
		if len(st.Lines) > 0 {
			look(step)
		}
	}
	require.Equal(t, notation.Print(plan), notation.Print(s.now))
	t.Logf("%d steps carried out on three switches over the links that change; %d pings, none lost that was not said", len(o.Steps), pings)
}
