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
	told, err := field.ReadOVSDB(ctx, address, "")
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
	r := told.Found(f.Office, d, field.MatchPorts(d, told), wording.Planned(n, 0))
	var got []string
	for p := range d.Ports {
		got = append(got, d.Ports[p].Name+": "+notation.Shape(r.State.Ports[p].Shape()))
	}
	require.Equal(t, []string{"p1: 110 admit untagged", "p2: [110 120]", "p3: 190 [110]", "p4: [110 190] pvid 190", "p5: [110 120 190]", "p6: 110"}, got, "p6 is not there, and stays as planned")
	require.Len(t, r.Said, 5)
	require.Len(t, r.Trouble, 3)
	require.Contains(t, r.Trouble[0].Text, "p5 carry every VLAN")
	require.Contains(t, r.Trouble[1].Text, "tap9 is no port of h")
	require.Contains(t, r.Trouble[2].Text, "tells of no port that is its p6")

	vsctl("add-br", "br1", "--", "set", "bridge", "br1", "datapath_type=netdev")
	_, err = field.ReadOVSDB(ctx, address, "")
	require.ErrorContains(t, err, "has 2 bridges (br")
	_, err = field.ReadOVSDB(ctx, address, "br7")
	require.ErrorContains(t, err, "no bridge br7")
	told, err = field.ReadOVSDB(ctx, address, "br1")
	require.NoError(t, err)
	require.Len(t, told.Ports, 1)
	require.Equal(t, "br1", told.Ports[0].Name)
	require.True(t, told.Ports[0].AllVLANs)
}

// TestOVSDBFails: no server, a server that says something else, and one that
// asks for an echo before it answers.
func TestOVSDBFails(t *testing.T) {
	ctx, stop := context.WithTimeout(t.Context(), 2*time.Second)
	defer stop()
	_, err := field.ReadOVSDB(ctx, "nowhere", "")
	require.ErrorContains(t, err, "unix:PATH or tcp:HOST:PORT")
	_, err = field.ReadOVSDB(ctx, "unix:"+t.TempDir()+"/none", "")
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
	_, err = field.ReadOVSDB(ctx, serve(func(c net.Conn) { _, _ = c.Write([]byte("HTTP/1.1 400 no\r\n")) }), "")
	require.ErrorContains(t, err, "invalid character")
	_, err = field.ReadOVSDB(ctx, serve(func(c net.Conn) {
		_, _ = c.Write([]byte(`{"id":1,"error":{"error":"unknown database"},"result":null}`))
	}), "")
	require.ErrorContains(t, err, "unknown database")
	answered := make(chan string, 1)
	r, err := field.ReadOVSDB(ctx, serve(func(c net.Conn) {
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
	require.Empty(t, r.Ports)
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
	r, err := field.ReadOVSDB(ctx, address, "")
	require.NoError(t, err)
	tags := map[string]string{}
	for _, p := range r.Ports {
		if p.Name != "br0" {
			tags[p.Name] = fmt.Sprint(p.Set.PVID)
		}
	}
	require.Equal(t, tags["swp4"], tags["swp2"])
	require.NotEqual(t, tags["swp4"], tags["swp1"])
}

// TestGrown: a port that carries every VLAN carries the one, too, that a step makes: the order
// goes on, and afterwards the port carries what was foretold.
func TestGrown(t *testing.T) {
	address, vsctl := start(t)
	if os.Geteuid() != 0 {
		t.Skip("the switch itself needs root")
	}
	vsctl("add-br", "br0", "--", "set", "bridge", "br0", "datapath_type=netdev",
		"--", "add-port", "br0", "p1", "tag=10", "--", "add-port", "br0", "p2", "tag=20", "--", "add-port", "br0", "p3", "--", "add-port", "br0", "p4", "tag=99")
	of := func(vlan, p1, p3 string) *notation.File {
		f, err := notation.Read("plan", "vlan 10 staff\nvlan 20 phones\nvlan 99 devices\n"+vlan+"device br0 switch\n  ports p1-p4\n  wording linux\n  manage 99 10.0.99.2\n  speaks ovsdb at "+address+
			"\n  p1: "+p1+"\n  p2: 20\n  p3: "+p3+"\n  p4: 99\nplug br0.p4 \"laptop\" wants 99 operator\n")
		require.NoError(t, err)
		return f
	}
	was, plan := of("", "10", "[10 20 99]").Office, of("vlan 40 cameras\n", "40", "[10 20 99]").Office
	o, err := order.Make(was, plan, order.Options{})
	require.NoError(t, err)
	ctx, stop := context.WithTimeout(t.Context(), time.Minute)
	defer stop()
	c := field.Carrier{}
	defer c.Close()
	now := was
	for _, st := range o.Steps {
		require.NoError(t, c.Step(ctx, now, st.After, st.Device, st.Kind), st.Text)
		now = st.After
	}
	r, err := field.ReadOVSDB(ctx, address, "br0")
	require.NoError(t, err)
	d := plan.Devices[0]
	f := r.Found(plan, d, field.MatchPorts(d, r), wording.Planned(span.Compile(plan), 0))
	require.Equal(t, "40", notation.Shape(f.State.Ports[0].Shape()))
	require.Equal(t, "[10 20 99]", notation.Shape(f.State.Ports[2].Shape()), "and not in 40 as well")
}
