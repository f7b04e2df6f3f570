package proof

import (
	"bufio"
	"context"
	"encoding/hex"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field"
	"klammer/field/mib"
	"klammer/field/standin"
	"klammer/proof/short"
)

const played = `vlan 1 default local
vlan 110 staff
vlan 120 phones
vlan 190 devices
device rack switch
  ports 1-10
  wording by-vlan pvid-apart
  manage 190 10.0.190.2
  1-4: 110 [120]
  5: 190
  10: 190 [110 120]
device far switch
  ports 1-4
  manage 190 10.0.190.3
  4: 190 [110 120]
cable rack.10 far.4
plug rack.1 "pc" wants 110 card 02:00:00:00:00:0a
`

func readText(t testing.TB, text string) *office.Office {
	f, err := notation.Read("office", text)
	require.NoError(t, err)
	return f.Office
}

// play starts stand-ins and gives where each listens.
func play(t testing.TB, o *office.Office, opt standin.Options) (*standin.Network, map[string]string) {
	ctx, stop := context.WithCancel(t.Context())
	w, at, err := standin.Start(ctx, o, nil, 0, opt)
	require.NoError(t, err)
	t.Cleanup(func() { stop(); w.Wait() })
	where := map[string]string{}
	for _, l := range at {
		where[l.Device] = l.At
	}
	return w, where
}

// has skips where programs are missing.
func has(t *testing.T, packages string, programs ...string) {
	for _, p := range programs {
		if _, err := exec.LookPath(p); err != nil {
			t.Skipf("a real peer needs %s: apt-get install %s (./run test does)", p, packages)
		}
	}
}

// TestTools: net-snmp's own tools do everything with a stand-in that Klammer does.
func TestTools(t *testing.T) {
	has(t, "snmp", "snmpget", "snmpwalk", "snmpbulkwalk", "snmpset")
	w, at := play(t, readText(t, played), standin.Options{})
	tool := func(name string, args ...string) string {
		all := append([]string{"-v2c", "-c", "private", "-On", "-Oe", "-t", "2", "-r", "1", at["rack"]}, args...)
		out, _ := exec.Command(name, all...).CombinedOutput()
		return string(out)
	}
	require.Contains(t, tool("snmpget", mib.SysName), `"rack"`)
	require.Contains(t, tool("snmpget", mib.StaticEgress+".110"), "Hex-STRING: F0 40")
	require.Contains(t, tool("snmpget", mib.StaticEgress+".77"), "No Such Instance")
	require.Contains(t, tool("snmpget", "1.3.6.1.2.1.99.1"), "No Such Object")
	one, many := tool("snmpwalk", "1.3"), tool("snmpbulkwalk", "1.3")
	clean := func(s string) []string { // the clock goes on
		return slices.DeleteFunc(strings.Split(s, "\n"), func(l string) bool { return strings.HasPrefix(l, "."+mib.SysUpTime) })
	}
	require.Greater(t, len(clean(one)), 150)
	require.Equal(t, clean(one), clean(many), "walked one by one and many at once")
	require.Contains(t, tool("snmpwalk", "1.0.8802"), `"far"`)

	shape := func(port string) string {
		o := w.Running()
		return notation.Shape(*o.Device("rack").Ports[o.Device("rack").Port(port)].Shape)
	}
	require.Contains(t, tool("snmpset", mib.StaticRowStatus+".130", "i", "4", mib.StaticName+".130", "s", "imaging", mib.StaticEgress+".130", "x", "0840", mib.StaticUntagged+".130", "x", "0800"), "imaging")
	require.Equal(t, "130+190 pvid 190", shape("5"))
	tool("snmpset", mib.PVID+".5", "u", "130")
	tool("snmpset", mib.StaticEgress+".190", "x", "0040", mib.StaticUntagged+".190", "x", "0040")
	require.Equal(t, "130", shape("5"))
	for _, x := range []struct {
		says string
		args []string
	}{
		{"wrongType", []string{mib.PVID + ".5", "s", "110"}},
		{"wrongType", []string{mib.StaticRowStatus + ".140", "s", "4"}},
		{"wrongValue", []string{mib.PVID + ".5", "u", "4095"}},
		{"wrongValue", []string{mib.IngressFiltering + ".5", "i", "3"}},
		{"notWritable", []string{mib.SysName, "s", "mine"}},
		{"noCreation", []string{mib.PVID + ".99", "u", "110"}},
		{"inconsistentName", []string{mib.StaticEgress + ".140", "x", "80"}},
		{"inconsistentValue", []string{mib.StaticRowStatus + ".110", "i", "4"}}, // it is there already
		{"inconsistentValue", []string{mib.PVID + ".5", "u", "150"}},            // it knows no such VLAN
		{"inconsistentValue", []string{mib.StaticRowStatus + ".130", "i", "6"}}, // it is the PVID of a port
		{"inconsistentValue", []string{mib.StaticRowStatus + ".1", "i", "6"}},   // it cannot go
	} {
		require.Contains(t, tool("snmpset", x.args...), x.says, "%v", x.args)
		require.Equal(t, "130", shape("5"))
	}
	tool("snmpset", mib.StaticEgress+".130", "x", "0040", mib.StaticUntagged+".130", "x", "0000", mib.PVID+".5", "u", "1")
	require.Contains(t, tool("snmpset", mib.StaticRowStatus+".130", "i", "6"), "INTEGER: 6")
	require.Contains(t, tool("snmpget", mib.StaticEgress+".130"), "No Such Instance")
	require.NoError(t, w.PowerCut("rack"))
	require.Equal(t, "190", shape("5"), "nothing was saved")
	out, _ := exec.Command("snmpget", "-v2c", "-c", "wrong", "-t", "0.2", "-r", "0", at["rack"], mib.SysName).CombinedOutput()
	require.Contains(t, string(out), "Timeout")
}

// passing answers snmpd for the tables of a bridge (pass_persist of snmpd.conf): it
// asks a stand-in.
func passing() {
	host, port, _ := strings.Cut(os.Getenv("KLAMMER_PASS"), ":")
	n, _ := strconv.ParseUint(port, 10, 16)
	g := &gosnmp.GoSNMP{Target: host, Port: uint16(n), Transport: "udp", Version: gosnmp.Version2c, Community: "public", Timeout: time.Second, Retries: 1, MaxOids: 9}
	if g.Connect() != nil {
		os.Exit(1)
	}
	in := bufio.NewScanner(os.Stdin)
	line := func() string { in.Scan(); return in.Text() }
	for in.Scan() {
		var p *gosnmp.SnmpPacket
		var err error
		switch in.Text() {
		case "":
			continue
		case "PING":
			fmt.Println("PONG")
			continue
		case "get":
			p, err = g.Get([]string{line()})
		case "getnext":
			p, err = g.GetNext([]string{line()})
		case "set":
			oid := line()
			kind, value, _ := strings.Cut(line(), " ")
			v := gosnmp.SnmpPDU{Name: oid}
			whole, _ := strconv.Atoi(value)
			switch kind {
			case "integer":
				v.Type, v.Value = gosnmp.Integer, whole
			case "gauge", "unsigned":
				v.Type, v.Value = gosnmp.Gauge32, uint32(whole)
			default:
				b, _ := hex.DecodeString(strings.ReplaceAll(strings.Trim(value, `"`), " ", ""))
				v.Type, v.Value = gosnmp.OctetString, b
			}
			if p, err = g.Set([]gosnmp.SnmpPDU{v}); err == nil && p.Error == gosnmp.NoError {
				fmt.Println("DONE")
			} else {
				fmt.Println("inconsistent-value")
			}
			continue
		}
		if err != nil || len(p.Variables) != 1 || p.Variables[0].Value == nil || !strings.HasPrefix(p.Variables[0].Name, ".1.3.6.1.2.1.17") {
			fmt.Println("NONE")
			continue
		}
		v := p.Variables[0]
		kind, value := map[gosnmp.Asn1BER]string{gosnmp.Integer: "integer", gosnmp.Gauge32: "gauge", gosnmp.Counter32: "counter"}[v.Type], fmt.Sprint(v.Value)
		if b, ok := v.Value.([]byte); ok {
			kind, value = "octet", fmt.Sprintf("% x", b)
		}
		fmt.Printf("%s\n%s\n%s\n", v.Name, kind, value)
	}
	os.Exit(0)
}

// TestAgents: Klammer against snmpd, with the neighbours that lldpd tells it by
// AgentX and the tables of a bridge by pass_persist, over v2c and v3.
func TestAgents(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_PASS") != "" {
		passing()
	}
	if os.Getenv("KLAMMER_INSIDE") != "" {
		agents(t)
		return
	}
	has(t, "snmpd lldpd iproute2", "snmpd", "lldpd", "lldpcli", "ip")
	t.Log(insideOnly(t, "agents read", "ip"))
}

// logged is a file that is read when it is printed.
type logged string

func (l logged) String() string {
	text, _ := os.ReadFile(string(l))
	return string(text)
}

func agents(t *testing.T) {
	require.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""))
	require.NoError(t, unix.Mount("tmpfs", "/run", "tmpfs", 0, ""))
	dir := "/run/peers" // where those get to that are not root
	for _, d := range []string{"/run/netns", "/run/lldpd", dir} {
		require.NoError(t, os.MkdirAll(d, 0o755))
	}
	must := func(name string, args ...string) {
		out, err := exec.Command(name, args...).CombinedOutput()
		require.NoError(t, err, "%s %v: %s", name, args, out)
	}
	start := func(env string, name string, args ...string) (kill func()) {
		cmd := exec.Command(name, args...)
		cmd.Env = append(os.Environ(), env, "MIBS=")
		cmd.Stderr = os.Stderr
		require.NoError(t, cmd.Start(), name)
		kill = sync.OnceFunc(func() { _ = cmd.Process.Signal(unix.SIGTERM); _ = cmd.Wait() }) // it writes down how often it started
		t.Cleanup(kill)
		return kill
	}
	must("ip", "netns", "add", "far")
	must("ip", "link", "add", "e1", "type", "veth", "peer", "name", "e9", "netns", "far")
	must("ip", "netns", "add", "desk")
	must("ip", "link", "add", "e2", "type", "veth", "peer", "name", "e8", "netns", "desk")
	for _, l := range [][]string{{"link", "set", "e2", "up"}, {"-n", "desk", "link", "set", "e8", "up"}, {"link", "set", "lo", "up"}, {"link", "set", "e1", "up"}, {"-n", "far", "link", "set", "e9", "up"}} {
		must("ip", l...)
	}
	_, at := play(t, readText(t, played), standin.Options{})
	conf := func(name, port, more string) (kill func()) {
		file := filepath.Join(dir, name+".conf")
		require.NoError(t, os.WriteFile(file, []byte("agentAddress udp:127.0.0.1:"+port+"\nrwcommunity public\nsysName "+name+"\n"+
			"createUser klammer SHA-256 \"authauthauth\" AES \"privprivpriv\"\nrwuser klammer priv\n"+more), 0o600))
		kill = start("KLAMMER_PASS="+at["rack"], "snmpd", "-f", "-Lf", filepath.Join(dir, name+".log"), "-C", "-c", file, "-p", filepath.Join(dir, name+".pid"), "--persistentDir="+filepath.Join(dir, name))
		require.Eventually(t, func() bool {
			return exec.Command("snmpget", "-v2c", "-c", "public", "-t", "0.3", "-r", "0", "127.0.0.1:"+port, mib.SysName).Run() == nil
		}, 10*time.Second, 50*time.Millisecond, "%s: %s", name, logged(filepath.Join(dir, name+".log")))
		return kill
	}
	conf("near", "1161", "master agentx\nagentXSocket unix:"+dir+"/agentx\n")
	self, err := os.Readlink("/proc/self/exe")
	require.NoError(t, err)
	pass := "pass_persist .1.3.6.1.2.1.17 " + self + " -test.run ^TestAgents$\n"
	kill := conf("rack", "1162", pass)
	var ends []func()
	told := func(sock, name string) {
		require.Eventually(t, func() bool {
			return exec.Command("lldpcli", "-u", dir+sock, "configure", "system", "hostname", name).Run() == nil && exec.Command("lldpcli", "-u", dir+sock, "update").Run() == nil
		}, 10*time.Second, 100*time.Millisecond, name)
	}
	speak := func() { // both, anew
		for _, kill := range ends {
			kill()
		}
		ends = []func(){
			start("", "lldpd", "-d", "-x", "-X", dir+"/agentx", "-S", "near", "-u", dir+"/near.sock", "-L", "/usr/sbin/lldpcli"),
			start("", "ip", "netns", "exec", "far", "lldpd", "-d", "-S", "distant", "-u", dir+"/far.sock", "-L", "/usr/sbin/lldpcli"),
			start("", "ip", "netns", "exec", "desk", "lldpd", "-d", "-M", "3", "-S", "desk phone", "-u", dir+"/desk.sock", "-L", "/usr/sbin/lldpcli"),
		}
		told("/near.sock", "near")
		told("/far.sock", "distant")
		told("/desk.sock", "desk-phone")
		must("lldpcli", "-u", dir+"/desk.sock", "configure", "med", "policy", "application", "voice", "tagged", "vlan", "120", "priority", "voice", "dscp", "46")
	}
	speak()

	o := readText(t, `vlan 110 staff
vlan 120 phones
device near host
  ports e1-e2
  e2: 110 [120]
  speaks snmp at 127.0.0.1:1161
device distant switch
  ports e9
device rack switch
  ports 1-10
  wording by-vlan pvid-apart
  speaks snmp at 127.0.0.1:1162 with three
`)
	right := field.Credentials{User: "klammer", Auth: "SHA-256", AuthKey: "authauthauth", Privacy: "AES", PrivKey: "privprivpriv"}
	dial := func(c field.Credentials) field.Dialer {
		return field.Dialer{Secrets: func(string) (*field.Credentials, error) { return &c, nil }}
	}
	ctx, stop := context.WithTimeout(t.Context(), 120*time.Second)
	defer stop()

	// IF-MIB and LLDP-MIB: the port by its name, the neighbour as soon as it is heard.
	var r *field.Reading
	tries := 0
	require.Eventually(t, func() bool {
		dev, got, err := dial(right).Talk(ctx, o, o.Device("near"))
		require.NoError(t, err)
		require.NoError(t, dev.Close())
		r = got
		hears := func(name string) bool {
			return slices.ContainsFunc(r.Neighbours, func(x field.Neighbour) bool { return x.Device == name && (x.Voice == 120) == (name == "desk-phone") })
		}
		if hears("distant") && hears("desk-phone") {
			return true
		}
		// It may have spoken before anybody listened, or before it was called so, and does so
		// every 30 s only; and an lldpd is deaf, or mute, at times, for as long as it lives.
		if tries++; tries%10 == 0 {
			t.Log("both lldpd are started again, as one hears nothing of the other")
			speak()
		}
		for _, sock := range []string{"/far.sock", "/desk.sock"} {
			_ = exec.Command("lldpcli", "-u", dir+sock, "update").Run()
		}
		return false
	}, 60*time.Second, 300*time.Millisecond)
	v := r.Telling(o, o.Device("near"), field.MatchPorts(o.Device("near"), r))
	require.Len(t, v.Neighbours, 2)
	require.Equal(t, "e1 distant e9", strings.Join([]string{v.Neighbours[0].Port, v.Neighbours[0].Device, v.Neighbours[0].RemotePort}, " "))
	phones := field.Phones(o, []*field.Telling{v})
	require.Len(t, phones, 1, "of what speaks, one says that it is a phone")
	require.Equal(t, "near.e2 desk-phone 120 true", fmt.Sprint(phones[0].Port, " ", phones[0].Name, " ", phones[0].Voice, " ", phones[0].Tagged))
	require.Regexp(t, `^plug near\.e2 "?desk-phone"? wants 120 tagged card [0-9a-f:]{17}$`, strings.TrimSpace(phones[0].Line))
	_, err = notation.Read("with its phone", notation.Print(o)+phones[0].Line+"\n")
	require.NoError(t, err)
	require.Equal(t, "up", *v.Ports[0].Link)
	require.Contains(t, v.NotTold, field.TellsVLANs, "snmpd is no bridge")
	require.Contains(t, v.NotTold, field.TellsLearnt)

	// The bridge over v3, read and set, one object a request as pass_persist has it.
	dev, r, err := dial(right).Talk(ctx, o, o.Device("rack"))
	require.NoError(t, err)
	d := o.Device("rack")
	n := span.Compile(o)
	now := r.Found(o, d, field.MatchPorts(d, r), wording.Planned(n, 2)).State
	require.Equal(t, "110 [120]", notation.Shape(now.Ports[0].Shape()))
	require.Equal(t, "190 [110 120]", notation.Shape(now.Ports[9].Shape()))
	to := now.With(4, wording.Of(&office.Shape{Untagged: []office.VID{110}})).Knowing(now.VLANs)
	require.NoError(t, dev.Set(ctx, d, field.MatchPorts(d, r), now, to))
	r, err = dev.Read(ctx)
	require.NoError(t, err)
	require.Equal(t, "110", notation.Shape(r.Found(o, d, field.MatchPorts(d, r), now).State.Ports[4].Shape()))
	kill() // it starts again, and its clock with it: both sides agree anew (RFC 3414, 2.3)
	conf("rack", "1162", pass)
	r, err = dev.Read(ctx)
	require.NoError(t, err)
	require.Equal(t, "110", notation.Shape(r.Found(o, d, field.MatchPorts(d, r), now).State.Ports[4].Shape()))
	require.NoError(t, dev.Close()) // a device has one conversation
	read := 4

	// What is wrong is said, and quickly.
	for _, x := range []struct {
		says, text string
		change     func(*field.Credentials)
	}{
		{"another user", "does not take the user nobody", func(c *field.Credentials) { c.User = "nobody" }},
		{"another key of authentication", "with this key of authentication", func(c *field.Credentials) { c.AuthKey = "otherother" }},
		{"another key of privacy", "is the key of privacy another there", func(c *field.Credentials) { c.PrivKey = "otherother" }},
		{"no privacy", "authorizationError", func(c *field.Credentials) { c.Privacy, c.PrivKey = "", "" }},
		{"another way to authenticate", "key of authentication", func(c *field.Credentials) { c.Auth = "SHA-512" }},
	} {
		c := right
		x.change(&c)
		_, _, err := dial(c).Talk(ctx, o, d)
		require.ErrorContains(t, err, x.text, x.says)
		require.NotContains(t, err.Error(), "auth"+"authauth")
		require.NotContains(t, err.Error(), "otherother")
	}
	t.Logf("%d agents read, %d requests of the last", read, r.Requests)
}

// sshdAt runs sshd at an address, started by some words before it, and gives what one logs in
// with.
func sshdAt(t *testing.T, addr, port string, before ...string) *field.Credentials {
	require.NoError(t, os.MkdirAll("/run/sshd", 0o755))
	dir, err := os.MkdirTemp("/run", "ssh")
	require.NoError(t, err)
	must := func(name string, args ...string) string {
		out, err := exec.Command(name, args...).CombinedOutput()
		require.NoError(t, err, "%s %v: %s", name, args, out)
		return string(out)
	}
	for _, k := range []string{"host", "user"} {
		must("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", dir+"/"+k)
	}
	must("cp", dir+"/user.pub", dir+"/allowed")
	must("chmod", "700", dir)
	words := append(before, "/usr/sbin/sshd", "-D", "-e", "-f", "/dev/null", "-p", port, "-h", dir+"/host", "-o", "AuthorizedKeysFile="+dir+"/allowed", "-o", "StrictModes=no", "-o", "UsePAM=no", "-o", "PidFile=none", "-o", "PermitRootLogin=yes", "-o", "ListenAddress="+addr)
	cmd := exec.Command(words[0], words[1:]...)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", net.JoinHostPort(addr, port))
		if err == nil {
			c.Close()
		}
		return err == nil
	}, 30*time.Second, 50*time.Millisecond)
	key, err := os.ReadFile(dir + "/user")
	require.NoError(t, err)
	print := strings.Fields(must("ssh-keygen", "-lf", dir+"/host.pub"))
	require.True(t, slices.ContainsFunc(print, func(w string) bool { return strings.HasPrefix(w, "SHA256:") }))
	return &field.Credentials{User: "root", Key: string(key), HostKey: print[1]}
}

// TestHost: a host over SSH with a key, its own key pinned; another key is refused
// before anything is sent.
func TestHost(t *testing.T) {
	short.Skip(t)
	if os.Getenv("KLAMMER_INSIDE") != "" {
		sshHost(t)
		return
	}
	has(t, "openssh-server iproute2", "sshd", "ssh-keygen", "ip", "bridge")
	t.Log(insideOnly(t, "host read", "ip"))
}

func sshHost(t *testing.T) {
	require.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""))
	require.NoError(t, unix.Mount("tmpfs", "/run", "tmpfs", 0, ""))
	must := func(name string, args ...string) {
		out, err := exec.Command(name, args...).CombinedOutput()
		require.NoError(t, err, "%s %v: %s", name, args, out)
	}
	must("ip", "link", "set", "lo", "up")
	must("ip", "link", "add", "e1", "type", "veth", "peer", "name", "e2")
	must("ip", "addr", "add", "10.9.8.7/24", "dev", "e1")
	must("ip", "link", "set", "e1", "up")
	right := sshdAt(t, "127.0.0.1", "2222")
	o := readText(t, "device h host\n  ports e1, e2\n  wording linux\n  speaks ssh at 127.0.0.1:2222 with hosts\n")
	d := o.Devices[0]
	dial := func(hostKey string) (field.Device, *field.Reading, error) {
		c := &field.Credentials{User: "root", Key: right.Key, HostKey: hostKey}
		return field.Dialer{Secrets: func(string) (*field.Credentials, error) { return c, nil }}.Talk(t.Context(), o, d)
	}
	dev, r, err := dial(right.HostKey)
	require.NoError(t, err)
	v := r.Telling(o, d, field.MatchPorts(d, r))
	require.Len(t, v.Ports, 2)
	require.False(t, v.Ports[0].Shut)
	require.True(t, v.Ports[1].Shut, "e2 was never set up")
	require.Contains(t, v.Addresses, "e1 10.9.8.7/24")
	require.Contains(t, v.NotTold, field.TellsVLANs, "there is no bridge")

	// A port is opened and shut again over it.
	n := span.Compile(o)
	now := r.Found(o, d, field.MatchPorts(d, r), wording.Planned(n, 0)).State
	off := now
	off.Ports = slices.Clone(now.Ports)
	off.Ports[0].Off = true
	require.NoError(t, dev.Set(t.Context(), d, field.MatchPorts(d, r), now, off))
	r, err = dev.Read(t.Context())
	require.NoError(t, err)
	require.True(t, r.Ports[field.MatchPorts(d, r)[0]].Shut)
	require.ErrorIs(t, dev.Save(t.Context()), field.ErrNoSave)
	require.NoError(t, dev.Close()) // a device has one conversation

	_, _, err = dial("SHA256:" + strings.Repeat("A", 43))
	require.ErrorContains(t, err, "it is another host, or was set up anew. Nothing was sent to it")
	_, _, err = dial("")
	require.ErrorContains(t, err, "shows the key "+right.HostKey)
	t.Log("host read and set over SSH")
}
