package proof

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/proof/short"
)

// TestRealFrames sends real frames through one to three real 802.1Q switches
// (Open vSwitch in user space, cabled by veth pairs) with generated shapes, and
// compares every arrival with what core says. It runs in namespaces of its own,
// so that nothing collides and nothing is left behind.
func TestRealFrames(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		realFrames(t)
		return
	}
	t.Log(insideOnly(t, "frames sent", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovs-appctl", "ovsdb-tool", "ip"))
}

// insideOnly runs a test again in namespaces of its own and gives the line of what it
// printed that has some words in it; it skips where that cannot be.
func insideOnly(t *testing.T, words string, programs ...string) string {
	t.Helper()
	if os.Geteuid() != 0 {
		t.Skip("this needs root: network namespaces and raw sockets")
	}
	for _, p := range programs {
		if _, err := exec.LookPath(p); err != nil {
			t.Skipf("this needs %s: apt-get install openvswitch-switch iproute2 iputils-ping (./run test does)", p)
		}
	}
	t.Parallel() // each in a world of its own, where most of the time is waiting
	cmd := exec.Command("/proc/self/exe", "-test.run", "^"+t.Name()+"$", "-test.v")
	cmd.Env = append(os.Environ(), "KLAMMER_INSIDE=1")
	cmd.SysProcAttr = &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWNET | syscall.CLONE_NEWNS | syscall.CLONE_NEWPID, Pdeathsig: syscall.SIGKILL}
	out, err := cmd.CombinedOutput()
	if strings.Contains(string(out), "--- SKIP") {
		t.Skip(string(out))
	}
	require.NoError(t, err, string(out))
	var told []string
	for l := range strings.SplitSeq(string(out), "\n") {
		if strings.Contains(l, words) {
			told = append(told, strings.TrimSpace(l))
		}
	}
	return strings.Join(told, "\n")
}

// inSpace does something in a network namespace.
func inSpace(t *testing.T, name string, f func()) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		runtime.LockOSThread() // and not given back: the thread is in another namespace
		fd, err := unix.Open("/run/netns/"+name, unix.O_RDONLY|unix.O_CLOEXEC, 0)
		if err == nil {
			err = unix.Setns(fd, unix.CLONE_NEWNET)
			_ = unix.Close(fd)
		}
		if err != nil {
			t.Errorf("into %s: %v", name, err)
			return
		}
		f()
	}()
	<-done
}

const (
	realBridges = 3
	realPorts   = 3 // outside ports of each
	etherType   = 0x88b5
)

var realVIDs = []int{1, 17, 42, 300, 4094}

// lab is the switches and the far ends of their outside ports.
type lab struct {
	t    *testing.T
	dir  string
	ends map[string]int // sockets by b1.p1
}

func (l *lab) must(name string, args ...string) {
	cmd := exec.Command(name, args...)
	cmd.Env = append(os.Environ(), "OVS_RUNDIR="+l.dir, "OVS_LOGDIR="+l.dir, "OVS_DBDIR="+l.dir)
	out, err := cmd.CombinedOutput()
	require.NoError(l.t, err, "%s %v: %s", name, args, out)
}

func (l *lab) vsctl(args ...string) {
	l.must("ovs-vsctl", append([]string{"--db=unix:" + l.dir + "/db.sock", "--timeout=20", "--retry"}, args...)...)
}

// start brings the daemon up and waits for its socket.
func (l *lab) daemon(socket, name string, args ...string) {
	cmd := exec.Command(name, args...)
	cmd.Env = append(os.Environ(), "OVS_RUNDIR="+l.dir, "OVS_LOGDIR="+l.dir, "OVS_DBDIR="+l.dir)
	log, err := os.Create(filepath.Join(l.dir, name+".out"))
	require.NoError(l.t, err)
	cmd.Stdout, cmd.Stderr = log, log
	require.NoError(l.t, cmd.Start())
	if !assert.Eventually(l.t, func() bool { _, err := os.Stat(socket); return err == nil }, 30*time.Second, 20*time.Millisecond) {
		text, _ := os.ReadFile(log.Name())
		l.t.Fatalf("%s does not come up: %s", name, text)
	}
}

func newLab(t *testing.T) *lab {
	l := &lab{t: t, dir: t.TempDir(), ends: map[string]int{}}
	_ = os.WriteFile("/proc/sys/net/ipv6/conf/all/disable_ipv6", []byte("1"), 0o644)
	_ = os.WriteFile("/proc/sys/net/ipv6/conf/default/disable_ipv6", []byte("1"), 0o644)
	l.must("ovsdb-tool", "create", l.dir+"/conf.db", "/usr/share/openvswitch/vswitch.ovsschema")
	l.daemon(l.dir+"/db.sock", "ovsdb-server", l.dir+"/conf.db", "--remote=punix:"+l.dir+"/db.sock", "--unixctl="+l.dir+"/db.ctl")
	l.vsctl("--no-wait", "init")
	l.daemon(l.dir+"/vswitchd.ctl", "ovs-vswitchd", "unix:"+l.dir+"/db.sock", "--unixctl="+l.dir+"/vswitchd.ctl")
	pair := func(a, b string) {
		l.must("ip", "link", "add", a, "type", "veth", "peer", "name", b)
		l.must("ip", "link", "set", a, "up")
		l.must("ip", "link", "set", b, "up")
	}
	var add []string
	for b := 1; b <= realBridges; b++ {
		add = append(add, "--", "add-br", fmt.Sprintf("b%d", b), "--", "set", "bridge", fmt.Sprintf("b%d", b), "datapath_type=netdev")
	}
	l.vsctl(add[1:]...)
	add = nil
	for b := 1; b <= realBridges; b++ {
		for p := 1; p <= realPorts; p++ {
			inside, outside := fmt.Sprintf("b%dp%d", b, p), fmt.Sprintf("e%dp%d", b, p)
			pair(inside, outside)
			add = append(add, "--", "add-port", fmt.Sprintf("b%d", b), inside)
			l.ends[fmt.Sprintf("b%d.p%d", b, p)] = l.socket(outside)
		}
	}
	for c := 1; c < realBridges; c++ { // right end of b1 to left end of b2, and so on
		a, b := fmt.Sprintf("b%dr", c), fmt.Sprintf("b%dl", c+1)
		pair(a, b)
		add = append(add, "--", "add-port", fmt.Sprintf("b%d", c), a, "--", "add-port", fmt.Sprintf("b%d", c+1), b)
	}
	l.vsctl(add[1:]...)
	return l
}

// socket opens a raw socket. Received tags come in PACKET_AUXDATA only, which
// has to be asked for before the first frame.
func (l *lab) socket(dev string) int {
	i, err := net.InterfaceByName(dev)
	require.NoError(l.t, err)
	fd, err := unix.Socket(unix.AF_PACKET, unix.SOCK_RAW|unix.SOCK_NONBLOCK, 0)
	require.NoError(l.t, err)
	require.NoError(l.t, unix.SetsockoptInt(fd, unix.SOL_PACKET, unix.PACKET_AUXDATA, 1))
	require.NoError(l.t, unix.SetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_RCVBUF, 1<<21))
	require.NoError(l.t, unix.Bind(fd, &unix.SockaddrLinklayer{Protocol: htons(unix.ETH_P_ALL), Ifindex: i.Index}))
	return fd
}

func htons(v uint16) uint16 { return v<<8 | v>>8 }

// frame is a broadcast frame that carries its number.
func frame(w bridge.Wire, from byte, number uint32) []byte {
	f := []byte{0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 2, 0, 0, 0, 0, from}
	if w != bridge.Untagged {
		f = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16(f, 0x8100), uint16(w))
	}
	f = binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint16(f, etherType), number)
	return append(f, make([]byte, 64-len(f))...)
}

// receive takes one frame of ours off a socket.
func receive(fd int) (number uint32, w bridge.Wire, ok bool) {
	buf, oob := make([]byte, 2048), make([]byte, 256)
	for {
		n, oobn, _, from, err := unix.Recvmsg(fd, buf, oob, 0)
		if err != nil {
			return 0, 0, false
		}
		if ll, isLL := from.(*unix.SockaddrLinklayer); isLL && ll.Pkttype == unix.PACKET_OUTGOING || n < 18 {
			continue
		}
		w = bridge.Untagged
		at := 12
		if binary.BigEndian.Uint16(buf[at:]) == 0x8100 {
			w = bridge.Wire(binary.BigEndian.Uint16(buf[at+2:]) & 0xfff)
			at += 4
		}
		msgs, _ := unix.ParseSocketControlMessage(oob[:oobn])
		for _, m := range msgs {
			if m.Header.Level == unix.SOL_PACKET && m.Header.Type == unix.PACKET_AUXDATA && len(m.Data) >= 18 {
				status := binary.NativeEndian.Uint32(m.Data)
				if status&unix.TP_STATUS_VLAN_VALID != 0 {
					w = bridge.Wire(binary.NativeEndian.Uint16(m.Data[16:]) & 0xfff)
				}
			}
		}
		if binary.BigEndian.Uint16(buf[at:]) != etherType {
			continue
		}
		return binary.BigEndian.Uint32(buf[at+2:]), w, true
	}
}

// drawReal draws a shape that the switch can be set to, in its words and ours.
func drawReal(r *rand.Rand) (theirs []string, ours string) {
	v := realVIDs[r.IntN(len(realVIDs))]
	var trunks, rest []string
	for _, x := range realVIDs {
		if r.IntN(2) == 0 {
			trunks = append(trunks, fmt.Sprint(x))
			if x != v {
				rest = append(rest, fmt.Sprint(x))
			}
		}
	}
	if len(trunks) == 0 { // an empty list means all
		trunks, rest = []string{"2000"}, []string{"2000"}
	}
	brackets := func(vs []string) string {
		if len(vs) == 0 {
			return ""
		}
		return " [" + strings.Join(vs, " ") + "]"
	}
	switch r.IntN(4) {
	case 0: // takes no tags at all
		return []string{"vlan_mode=access", fmt.Sprintf("tag=%d", v), "trunks=[]"}, fmt.Sprintf("%d admit untagged", v)
	case 1:
		return []string{"vlan_mode=trunk", "tag=[]", "trunks=" + strings.Join(trunks, ",")}, strings.TrimSpace(brackets(trunks))
	case 2: // the native VLAN passes even if it is not in the list
		return []string{"vlan_mode=native-tagged", fmt.Sprintf("tag=%d", v), "trunks=" + strings.Join(trunks, ",")},
			strings.TrimSpace(brackets(append(rest, fmt.Sprint(v)))) + fmt.Sprintf(" pvid %d", v)
	}
	return []string{"vlan_mode=native-untagged", fmt.Sprintf("tag=%d", v), "trunks=" + strings.Join(trunks, ",")}, fmt.Sprint(v) + brackets(rest)
}

func realFrames(t *testing.T) {
	l := newLab(t)
	const cases = 36
	sent := 0
	for seed := range cases {
		r := rand.New(rand.NewPCG(uint64(seed), 2))
		bridges := 1 + seed%realBridges
		var set []string
		text := ""
		shape := func(port string) string {
			theirs, ours := drawReal(r)
			set = append(append(set, "--", "set", "port", port), theirs...)
			return ours
		}
		for b := 1; b <= bridges; b++ {
			text += fmt.Sprintf("device b%d switch\n  ports p1-p%d, l, r\n", b, realPorts)
			for p := 1; p <= realPorts; p++ {
				text += fmt.Sprintf("  p%d: %s\n", p, shape(fmt.Sprintf("b%dp%d", b, p)))
			}
			if b > 1 {
				text += "  l: " + shape(fmt.Sprintf("b%dl", b)) + "\n"
			}
			if b < bridges {
				text += "  r: " + shape(fmt.Sprintf("b%dr", b)) + "\n"
			} else if b < realBridges { // the cable is there: nothing may pass it
				set = append(set, "--", "set", "port", fmt.Sprintf("b%dr", b), "vlan_mode=trunk", "tag=[]", "trunks=2001")
			}
		}
		for c := 1; c < bridges; c++ {
			text += fmt.Sprintf("cable b%d.r b%d.l\n", c, c+1)
		}
		l.vsctl(set[1:]...)
		l.must("ovs-appctl", "--target="+l.dir+"/vswitchd.ctl", "revalidator/purge") // nothing remembered of the last office
		f, err := notation.Read("real", text)
		require.NoError(t, err, text)
		sent += l.compare(span.Compile(f.Office), bridges, uint32(seed)<<16, text)
	}
	t.Logf("%d frames sent in %d offices, every arrival as computed", sent, cases)
}

// compare sends every wire into every outside port and waits for what should
// come out, and a little longer for what should not.
func (l *lab) compare(n *span.Net, bridges int, first uint32, text string) int {
	for _, fd := range l.ends { // what is left of the last office
		for _, _, ok := receive(fd); ok; _, _, ok = receive(fd) {
		}
	}
	wires := []bridge.Wire{bridge.Untagged, bridge.Priority, 99}
	for _, v := range realVIDs {
		wires = append(wires, bridge.Wire(v))
	}
	type key struct {
		from, wire string
		frame      []byte
		want       []string
	}
	var keys []key
	want := map[string]bool{}
	for b := 1; b <= bridges; b++ {
		for p := 1; p <= realPorts; p++ {
			name := fmt.Sprintf("b%d.p%d", b, p)
			ref := office.PortRef{Device: fmt.Sprintf("b%d", b), Port: fmt.Sprintf("p%d", p)}
			for _, w := range wires {
				number := first + uint32(len(keys))
				k := key{from: name, wire: w.String(), frame: frame(w, byte(b*16+p), number)}
				way, err := walk.Broadcast(n, ref, w)
				require.NoError(l.t, err)
				for _, a := range way.Arrivals {
					if a.Port.Port != "l" && a.Port.Port != "r" { // outside ports only
						k.want = append(k.want, fmt.Sprintf("%s %s -> %s %s", name, w, a.Port, a.Wire))
						want[k.want[len(k.want)-1]] = true
					}
				}
				keys = append(keys, k)
			}
		}
	}
	got := map[string]bool{}
	same := func() bool {
		if len(got) != len(want) {
			return false
		}
		for k := range want {
			if !got[k] {
				return false
			}
		}
		return true
	}
	// A busy machine may lose a frame on the way to the switch, as a network may:
	// what did not come is sent again a few times. What comes and should not is
	// never forgiven.
	send := func() {
		for _, k := range keys {
			if slices.ContainsFunc(k.want, func(s string) bool { return !got[s] }) || len(got) == 0 {
				require.NoError(l.t, unix.Send(l.ends[k.from], k.frame, 0))
			}
		}
	}
	var doors []unix.PollFd
	for _, fd := range l.ends {
		doors = append(doors, unix.PollFd{Fd: int32(fd), Events: unix.POLLIN})
	}
	send()
	quiet, again := 0, time.Now()
	for start := time.Now(); time.Since(start) < 6*time.Second && quiet < 4; {
		if time.Since(again) > 500*time.Millisecond {
			send()
			again = time.Now()
		}
		news := false
		for name, fd := range l.ends {
			for {
				number, w, ok := receive(fd)
				if !ok {
					break
				}
				news = true
				if number-first < uint32(len(keys)) { // else a late one of the last office
					k := keys[number-first]
					got[fmt.Sprintf("%s %s -> %s %s", k.from, k.wire, name, w)] = true
				}
			}
		}
		if same() && !news {
			quiet++
		} else {
			quiet = 0
		}
		_, _ = unix.Poll(doors, 5) // until something comes, 5 ms at most
	}
	list := func(m map[string]bool) []string {
		out := []string{}
		for k := range m {
			out = append(out, k)
		}
		sort.Strings(out)
		return out
	}
	require.Equal(l.t, list(want), list(got), text)
	return len(keys)
}
