package field_test

import (
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/wording"
)

// TestLinux carries the steps of a sheet out on a real bridge with iproute2 and
// reads back what it is then set to: the plan. It needs root and a kernel with
// bridge VLAN filtering.
func TestLinux(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("a real bridge needs root: a network namespace")
	}
	f, err := notation.Read("plan", `vlan 110 staff
vlan 120 phones
vlan 190 devices
device h host
  ports p1-p3
  wording linux
  p1: 110
  p2: 190 [110 120]
  p3: [120]
`)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	d := wording.For(n, 0)
	plan := wording.Planned(n, 0)
	steps, err := wording.Steps(d, wording.Factory(d), plan)
	require.NoError(t, err)
	script := "set -e\nip link add br0 type bridge vlan_filtering 1\n"
	for _, p := range []string{"p1", "p2", "p3"} {
		script += "ip link add " + p + " type veth peer name x" + p + "\nip link set " + p + " master br0\nip link set " + p + " up\n"
	}
	for _, s := range steps {
		if strings.HasPrefix(s.Text, "bridge ") {
			script += s.Text + "\n"
		}
	}
	// Whether the kernel can is asked by itself, so that a step which it refuses
	// is a failure and not a reason to skip.
	can := "ip link add br0 type bridge vlan_filtering 1 && ip link add p1 type veth peer name xp1 && ip link set p1 master br0 && bridge vlan add dev p1 vid 7"
	if out, err := exec.Command("unshare", "-n", "sh", "-c", can).CombinedOutput(); err != nil {
		t.Skipf("this kernel has no bridge with VLAN filtering: %.200s", out)
	}
	out, err := exec.Command("unshare", "-n", "sh", "-c", script+"bridge -json vlan show\nip -json -details link").CombinedOutput()
	require.NoError(t, err, "%s", out)
	require.Contains(t, string(out), `"vlans"`)
	text := string(out[strings.IndexByte(string(out), '['):])
	r, err := found.Text(f.Office, f.Office.Devices[0], wording.Factory(d), text)
	require.NoError(t, err)
	require.True(t, r.State.Equal(plan), "%v", r.State)
}
