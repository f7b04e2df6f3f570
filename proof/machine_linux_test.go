package proof

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
	"golang.org/x/sys/unix"

	"klammer/core/notation"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/field"
)

// realMachine is a whole machine under software emulation, with a kernel whose bridge filters
// VLANs.
type realMachine struct {
	t    *testing.T
	at   string
	keys []string // of the host, each kind's
	key  []byte   // that root and the others let in
}

// newMachine starts one; it skips where there is none to start.
func newMachine(t *testing.T) *realMachine {
	dir := os.Getenv("KLAMMER_MACHINE")
	if dir == "" {
		t.Skip("a whole machine takes minutes: ./run prove builds and starts it")
	}
	for _, file := range []string{"vmlinuz", "initrd.gz"} {
		if _, err := os.Stat(filepath.Join(dir, file)); err != nil {
			t.Skipf("no machine is built in %s: %s", dir, err)
		}
	}
	if _, err := exec.LookPath("qemu-system-x86_64"); err != nil {
		t.Skip("this needs qemu-system-x86_64: apt-get install qemu-system-x86 (./run prove does)")
	}
	work := t.TempDir()
	tree := filepath.Join(work, "tree", "machine")
	require.NoError(t, os.MkdirAll(tree, 0o755))
	out, err := exec.Command("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", filepath.Join(work, "key")).CombinedOutput()
	require.NoError(t, err, "%s", out)
	self, err := os.Executable()
	require.NoError(t, err)
	for from, to := range map[string]string{filepath.Join(work, "key.pub"): "allowed", "machine/init": "init", self: "proof.test"} {
		text, err := os.ReadFile(from)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(tree, to), text, 0o755))
	}
	out, err = exec.Command("sh", "-c", `cd "$1/tree" && find . -print0 | cpio --null -o -H newc --quiet | gzip -1 > "$1/more.gz" && cat "$2/initrd.gz" "$1/more.gz" > "$1/initrd"`, "sh", work, dir).CombinedOutput()
	require.NoError(t, err, "%s", out)
	l, err := net.Listen("tcp", "127.0.0.1:0") // a port that is free
	require.NoError(t, err)
	at := l.Addr().String()
	_ = l.Close()
	cmd := exec.Command("qemu-system-x86_64", "-m", "2048", "-smp", "2", "-nographic", "-no-reboot", "-kernel", filepath.Join(dir, "vmlinuz"), "-initrd", filepath.Join(work, "initrd"),
		"-append", "console=ttyS0 rdinit=/machine/init quiet panic=1", "-nic", "user,model=virtio-net-pci,hostfwd=tcp:"+at+"-:22")
	said := &bytes.Buffer{}
	log, err := os.Create(filepath.Join(work, "console"))
	require.NoError(t, err)
	cmd.Stdout, cmd.Stderr = log, log
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	require.Eventually(t, func() bool {
		text, _ := os.ReadFile(log.Name())
		said.Reset()
		said.Write(text)
		return strings.Contains(said.String(), "READY")
	}, 4*time.Minute, 200*time.Millisecond, said)
	m := &realMachine{t: t, at: at}
	for line := range strings.Lines(said.String()) {
		if words := strings.Fields(line); len(words) > 2 && strings.HasSuffix(words[0], "KEY") {
			m.keys = append(m.keys, words[2])
		}
	}
	require.Len(t, m.keys, 3)
	m.key, err = os.ReadFile(filepath.Join(work, "key"))
	require.NoError(t, err)
	return m
}

// as is how the machine is spoken to by somebody.
func (m *realMachine) as(user, password string, key int) field.Dialer {
	c := &field.Credentials{User: user, Password: password, HostKey: m.keys[key], Timeout: "10s"}
	if password == "" {
		c.Key = string(m.key)
	}
	return field.Dialer{Secrets: func(string) (*field.Credentials, error) { return c, nil }}
}

// do runs a command on the machine, as root, past Klammer.
func (m *realMachine) do(command, input string) string {
	signer, err := ssh.ParsePrivateKey(m.key)
	require.NoError(m.t, err)
	client, err := ssh.Dial("tcp", m.at, &ssh.ClientConfig{User: "root", Auth: []ssh.AuthMethod{ssh.PublicKeys(signer)}, HostKeyCallback: ssh.InsecureIgnoreHostKey()})
	require.NoError(m.t, err)
	defer client.Close()
	session, err := client.NewSession()
	require.NoError(m.t, err)
	session.Stdin = strings.NewReader(input)
	out, err := session.CombinedOutput(command)
	require.NoError(m.t, err, "%s: %s", command, out)
	return string(out)
}

// cutter passes on what is sent to a machine, and cuts the line off in the middle of a step
// when it is told to.
func (m *realMachine) cutter() (at string, cut *atomic.Int32) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(m.t, err)
	m.t.Cleanup(func() { _ = l.Close() })
	cut = &atomic.Int32{} // after so many more packets from here; 0: never
	go func() {
		for {
			here, err := l.Accept()
			if err != nil {
				return
			}
			there, err := net.Dial("tcp", m.at)
			if err != nil {
				_ = here.Close()
				continue
			}
			go func() { _, _ = io.Copy(here, there); _ = here.Close() }()
			go func() {
				defer there.Close()
				defer here.Close()
				buf := make([]byte, 1<<15)
				for {
					n, err := here.Read(buf)
					if err != nil {
						return
					}
					if _, err := there.Write(buf[:n]); err != nil {
						return
					}
					if left := cut.Load(); left > 0 && cut.Add(-1) == 0 {
						return
					}
				}
			}()
		}
	}()
	return l.Addr().String(), cut
}

// TestInsideMachine sends frames into the bridge of the machine that it runs on, and holds
// what comes out against an office.
func TestInsideMachine(t *testing.T) {
	file := os.Getenv("KLAMMER_MACHINE_OFFICE")
	if file == "" {
		t.Skip("this runs on the machine of TestRealHost")
	}
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	l := &lab{t: t, ends: map[string]int{}}
	for p := 1; p <= realPorts; p++ {
		l.ends[fmt.Sprintf("b1.p%d", p)] = l.socket(fmt.Sprintf("xp%d", p))
	}
	t.Logf("%d frames", l.compare(span.Compile(readText(t, string(text))), 1, 1, string(text)))
	for _, fd := range l.ends {
		_ = unix.Close(fd)
	}
}

// TestRealHost: a whole Debian with its own kernel, sshd, sudo and iproute2. Its bridge is
// read where it has no VLAN, orders are carried out on it by everybody who may, frames go as
// planned; what is refused half way, or whose connection is lost, is whole or not begun.
func TestRealHost(t *testing.T) {
	m := newMachine(t)
	at, cut := m.cutter()
	of := func(shapes ...string) string {
		var b strings.Builder
		for _, v := range realVIDs {
			fmt.Fprintf(&b, "vlan %d v%d\n", v, v)
		}
		fmt.Fprintf(&b, "vlan 99 v99\ndevice b1 switch\n  ports p1-p4\n  wording linux\n  manage 99 10.0.99.2\n  speaks ssh at %s with hosts\n", at)
		for p, s := range append(shapes, "99") {
			fmt.Fprintf(&b, "  p%d: %s\n", p+1, s)
		}
		return b.String() + "plug b1.p4 \"laptop\" wants 99 operator\n"
	}
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Minute)
	defer stop()
	plan := readText(t, of("17", "42 [300]", "[300 4094]"))
	is := func(by field.Dialer) string {
		dev, r, err := by.Talk(ctx, plan, plan.Devices[0])
		require.NoError(t, err)
		_ = dev.Close()
		o, err := field.AsFound(plan, map[string]*field.Reading{"b1": r})
		require.NoError(t, err)
		var out []string
		for p := range o.Devices[0].Ports {
			out = append(out, notation.Shape(*o.Devices[0].Ports[p].Shape))
		}
		return strings.Join(out, " | ")
	}

	// Whatever kind of key was pinned, it is the host; and a port in no VLAN is in none.
	for k := range m.keys {
		require.Equal(t, "- | - | - | -", is(m.as("neither", "", k)))
	}
	_, _, err := m.as("root", "wrong-word", 0).Talk(ctx, plan, plan.Devices[0])
	require.ErrorContains(t, err, "root is refused: is the password or the key another there")

	// Who may set it does, in whatever way he may.
	step := func(by field.Dialer, was, then string) error {
		c := field.Carrier{Dialer: by}
		defer c.Close()
		return c.Step(ctx, readText(t, was), readText(t, then), "b1", order.Set)
	}
	var no *field.Refused
	err = step(m.as("neither", "secret-word", 0), of("-", "-", "-"), of("-", "-", "-"))
	require.Error(t, err, "99 is not on p4 yet")
	m.do("bridge vlan add dev p4 vid 99 pvid untagged", "")
	err = step(m.as("neither", "secret-word", 0), of("-", "-", "-"), of("17", "-", "-"))
	require.ErrorAs(t, err, &no)
	require.ErrorContains(t, err, "NOPASSWD: /usr/sbin/ip, /usr/sbin/bridge")
	require.NotContains(t, err.Error(), "secret-word")
	require.NoError(t, step(m.as("sudoer", "", 1), of("-", "-", "-"), of("17", "-", "-")))
	require.NoError(t, step(m.as("asked", "secret-word", 2), of("17", "-", "-"), of("17", "42 [300]", "-")))
	root := m.as("root", "", 0)
	require.Equal(t, "17 | 42 [300] | - | 99", is(root))

	// What is refused half way is taken back.
	m.do("cat > /usr/local/bin/bridge && chmod 755 /usr/local/bin/bridge", `#!/bin/sh
[ "$1" = -batch ] || exec /usr/sbin/bridge "$@"
head -n 2 | /usr/sbin/bridge -batch -
echo "RTNETLINK answers: No space left on device" >&2
rm /usr/local/bin/bridge
exit 1
`)
	err = step(root, of("17", "42 [300]", "-"), of("17", "300 [42]", "[300 4094]"))
	require.ErrorContains(t, err, "what it had done of the step is taken back")
	require.ErrorContains(t, err, "No space left on device")
	require.Equal(t, "17 | 42 [300] | - | 99", is(root))

	// A connection that is lost somewhere in a step: it is done, or it is not.
	lost := 0
	now := of("17", "42 [300]", "-")
	for after := int32(1); after <= 12; after++ {
		then := of("17", []string{"42 [300]", "300 [42]"}[after%2], "-")
		cut.Store(8 + 2*after)
		err := step(root, now, then)
		if cut.Swap(0) == 0 {
			lost++
		}
		if err == nil {
			now = then
			continue
		}
		require.True(t, strings.Contains(err.Error(), "nothing of the step is done") || strings.Contains(err.Error(), "taken back") || !strings.Contains(err.Error(), "refused"), err)
		shape := map[bool]string{true: "42 [300]", false: "300 [42]"}[strings.Contains(now, "p2: 42")]
		require.Equal(t, "17 | "+shape+" | - | 99", is(root), "%v", err)
	}
	require.Positive(t, lost)

	// Orders, and frames.
	frames, steps := 0, 0
	for seed := range number("KLAMMER_MACHINE_ORDERS", 8) {
		rnd := rand.New(rand.NewPCG(uint64(seed), 11))
		shape := func() string {
			for {
				if _, ours := drawReal(rnd); !strings.Contains(ours, "admit") && !strings.Contains(ours, "2000") {
					return ours
				}
			}
		}
		then := of(shape(), shape(), shape())
		was, next := readText(t, now), readText(t, then)
		o, err := order.Make(was, next, order.Options{})
		require.NoError(t, err, "%s\n%s", now, then)
		c := field.Carrier{Dialer: root}
		for _, st := range o.Steps {
			err := c.Step(ctx, was, st.After, st.Device, st.Kind)
			var hand *field.ByHand
			if !errors.As(err, &hand) {
				require.NoError(t, err, "%s\n%s\n%s", st.Text, now, then)
			}
			was = st.After
			steps++
		}
		c.Close()
		m.do("cat > /tmp/office.klm", then)
		said := m.do("cd /tmp && KLAMMER_MACHINE_OFFICE=/tmp/office.klm /machine/proof.test -test.v -test.run TestInsideMachine", "")
		require.Contains(t, said, "PASS", said)
		for line := range strings.Lines(said) {
			if i := strings.Index(line, " frames"); i > 0 {
				var n int
				_, _ = fmt.Sscan(line[strings.LastIndexByte(line[:i], ' ')+1:], &n)
				frames += n
			}
		}
		now = then
	}
	require.Positive(t, frames)

	// What was set is gone when the bridge is made anew; with what the host is told to be given,
	// it is there again.
	before := is(root)
	c := field.Carrier{Dialer: root}
	o := readText(t, now)
	var hand *field.ByHand
	require.ErrorAs(t, c.Step(ctx, o, o, "b1", order.Save), &hand)
	c.Close()
	_, file, ok := strings.Cut(hand.Why, "/etc/network/interfaces.d/klammer\n")
	require.True(t, ok, hand.Why)
	m.do("mkdir -p /etc/network/interfaces.d && cat > /etc/network/interfaces", "auto b1\niface b1 inet manual\n  pre-up ip link add b1 type bridge vlan_filtering 1 vlan_default_pvid 0\n  pre-up for p in p1 p2 p3 p4; do ip link set $p master b1 up; done\n  up ip link set b1 up\nsource /etc/network/interfaces.d/*\n")
	anew := func() { m.do("ip link del b1; ifdown --force b1 2>/dev/null; ifup --force b1", "") }
	anew()
	require.Equal(t, "- | - | - | -", is(root))
	m.do("sed 's/^    //' > /etc/network/interfaces.d/klammer", file)
	anew()
	require.Equal(t, before, is(root), hand.Why)
	t.Logf("%d steps carried out, %d frames of the kernel's bridge as planned, %d connections lost", steps, frames, lost)
}
