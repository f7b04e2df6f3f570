package field_test

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field"
)

// start runs an Open vSwitch of its own in user space: its database, and the
// switch where that is allowed.
func start(t *testing.T) (address string, vsctl func(args ...string)) {
	for _, p := range []string{"ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovsdb-tool"} {
		if _, err := exec.LookPath(p); err != nil {
			t.Skipf("a real switch needs %s: apt-get install openvswitch-switch (./run test does)", p)
		}
	}
	dir := t.TempDir()
	env := append(os.Environ(), "OVS_RUNDIR="+dir, "OVS_LOGDIR="+dir, "OVS_DBDIR="+dir)
	run := func(name string, args ...string) {
		cmd := exec.Command(name, args...)
		cmd.Env = env
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s %v: %s", name, args, out)
	}
	daemon := func(socket, name string, args ...string) {
		cmd := exec.Command(name, args...)
		cmd.Env = env
		require.NoError(t, cmd.Start())
		t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
		require.Eventually(t, func() bool { _, err := os.Stat(socket); return err == nil }, 10*time.Second, 20*time.Millisecond, name)
	}
	run("ovsdb-tool", "create", filepath.Join(dir, "conf.db"), "/usr/share/openvswitch/vswitch.ovsschema")
	daemon(dir+"/db.sock", "ovsdb-server", dir+"/conf.db", "--remote=punix:"+dir+"/db.sock", "--unixctl="+dir+"/db.ctl")
	address = "unix:" + dir + "/db.sock"
	vsctl = func(args ...string) {
		run("ovs-vsctl", append([]string{"--db=" + address, "--no-wait", "--timeout=20"}, args...)...)
	}
	vsctl("init")
	if os.Geteuid() == 0 {
		daemon(dir+"/vswitchd.ctl", "ovs-vswitchd", "--disable-system", "unix:"+dir+"/db.sock", "--unixctl="+dir+"/vswitchd.ctl")
	}
	return address, vsctl
}

// TestOVSDB reads a running Open vSwitch into a found state, in each of the
// modes that its ports have.
func TestOVSDB(t *testing.T) {
	address, vsctl := start(t)
	vsctl("add-br", "br0", "--", "set", "bridge", "br0", "datapath_type=netdev",
		"--", "add-port", "br0", "p1", "tag=110",
		"--", "add-port", "br0", "p2", "trunks=110,120",
		"--", "add-port", "br0", "p3", "tag=190", "trunks=110,190", "vlan_mode=native-untagged",
		"--", "add-port", "br0", "p4", "tag=190", "trunks=110", "vlan_mode=native-tagged",
		"--", "add-port", "br0", "p5",
		"--", "add-port", "br0", "tap9", "tag=120")
	ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	ports, err := field.OVSDB(ctx, address, "")
	require.NoError(t, err)

	f, err := notation.Read("plan", `vlan 110 staff
vlan 120 phones
vlan 190 devices
device h host
  ports p1-p6
  wording linux
  p1-p6: 110
`)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	d := f.Office.Devices[0]
	r := field.Found(f.Office, d, wording.Planned(n, 0), ports, "br0")
	var got []string
	for p := range d.Ports {
		got = append(got, d.Ports[p].Name+": "+notation.Shape(r.State.Ports[p].Shape()))
	}
	require.Equal(t, []string{"p1: 110", "p2: [110 120]", "p3: 190 [110]", "p4: [110 190] pvid 190", "p5: [110 120 190]", "p6: 110"}, got, "p6 is not there, and stays as planned")
	require.Len(t, r.Said, 5)
	require.Len(t, r.Trouble, 1)
	require.Contains(t, r.Trouble[0].Text, "tap9 is no port of h")

	vsctl("add-br", "br1", "--", "set", "bridge", "br1", "datapath_type=netdev")
	_, err = field.OVSDB(ctx, address, "")
	require.ErrorContains(t, err, "has 2 bridges (br")
	_, err = field.OVSDB(ctx, address, "br7")
	require.ErrorContains(t, err, "no bridge br7")
	ports, err = field.OVSDB(ctx, address, "br1")
	require.NoError(t, err)
	require.Len(t, ports, 1)
	require.Equal(t, "br1", ports[0].Name)
	require.Empty(t, ports[0].Trunks)
}

// TestOVSDBFails: no server, a server that says something else, and one that
// asks for an echo before it answers.
func TestOVSDBFails(t *testing.T) {
	ctx, stop := context.WithTimeout(t.Context(), 2*time.Second)
	defer stop()
	_, err := field.OVSDB(ctx, "nowhere", "")
	require.ErrorContains(t, err, "unix:PATH or tcp:HOST:PORT")
	_, err = field.OVSDB(ctx, "unix:"+t.TempDir()+"/none", "")
	require.ErrorContains(t, err, "no OVSDB server answers")
	serve := func(say func(c net.Conn)) string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		go func() {
			if c, err := l.Accept(); err == nil {
				say(c)
				c.Close()
			}
		}()
		return "tcp:" + l.Addr().String()
	}
	_, err = field.OVSDB(ctx, serve(func(c net.Conn) { _, _ = c.Write([]byte("HTTP/1.1 400 no\r\n")) }), "")
	require.ErrorContains(t, err, "invalid character")
	_, err = field.OVSDB(ctx, serve(func(c net.Conn) {
		_, _ = c.Write([]byte(`{"id":1,"error":{"error":"unknown database"},"result":null}`))
	}), "")
	require.ErrorContains(t, err, "unknown database")
	answered := make(chan string, 1)
	ports, err := field.OVSDB(ctx, serve(func(c net.Conn) {
		_, _ = c.Write([]byte(`{"method":"echo","params":["x"],"id":"echo"}`))
		buf := make([]byte, 4096)
		text := ""
		for !strings.Contains(text, `"echo"`) {
			k, err := c.Read(buf)
			if err != nil {
				break
			}
			text += string(buf[:k])
		}
		answered <- text
		_, _ = c.Write([]byte(`{"id":1,"error":null,"result":[{"rows":[{"name":"b","ports":["set",[]]}]},{"rows":[]},{"rows":[]}]}`))
	}), "b")
	require.NoError(t, err)
	require.Empty(t, ports)
	require.Contains(t, <-answered, `"result":["x"]`)
}

// TestSetAsMatched: a port that was read by what it is matched to is set there, whatever the
// office calls it: a real Open vSwitch whose ports are not called as they are planned.
func TestSetAsMatched(t *testing.T) {
	address, vsctl := start(t)
	vsctl("add-br", "br0", "--", "set", "bridge", "br0", "datapath_type=netdev",
		"--", "add-port", "br0", "swp1", "tag=110", "--", "add-port", "br0", "swp2", "tag=110", "--", "add-port", "br0", "swp3", "tag=120", "--", "add-port", "br0", "swp4", "tag=120")
	f, err := notation.Read("plan", "vlan 110 staff\nvlan 120 phones\ndevice sw switch\n  ports 1-4\n  wording linux\n  speaks ovsdb at "+address+"\n  1-2: 110\n  3-4: 120\n")
	require.NoError(t, err)
	after, _, err := notation.Line(f.Office, "sw 2: 120")
	require.NoError(t, err)
	ctx, stop := context.WithTimeout(t.Context(), time.Minute)
	defer stop()
	if os.Geteuid() != 0 {
		t.Skip("the switch itself needs root")
	}
	carrier := field.Carrier{}
	defer carrier.Close()
	require.NoError(t, carrier.Step(ctx, f.Office, after, "sw", order.Set))
	ports, err := field.OVSDB(ctx, address, "")
	require.NoError(t, err)
	tags := map[string]string{}
	for _, p := range ports {
		if p.Name != "br0" {
			tags[p.Name] = fmt.Sprint(p.Tag)
		}
	}
	require.Equal(t, tags["swp4"], tags["swp2"])
	require.NotEqual(t, tags["swp4"], tags["swp1"])
}
