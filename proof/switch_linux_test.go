package proof

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field"
)

// drawColumns draws what the columns of a port of Open vSwitch may say, whether or not it is
// what Klammer would write: no tag, tag 0, a tag beside trunks without a mode, trunks that are
// all, or that hold 0.
func drawColumns(r *rand.Rand) []string {
	tag, trunks := "tag=[]", "trunks=[]"
	switch r.IntN(5) {
	case 0:
		tag = "tag=0"
	case 1, 2, 3:
		tag = fmt.Sprintf("tag=%d", realVIDs[r.IntN(len(realVIDs))])
	}
	if r.IntN(3) > 0 {
		var some []string
		for _, v := range append([]int{0}, realVIDs...) {
			if r.IntN(2) == 0 {
				some = append(some, fmt.Sprint(v))
			}
		}
		trunks = "trunks=[" + strings.Join(some, ",") + "]"
	}
	mode := []string{"vlan_mode=[]", "vlan_mode=[]", "vlan_mode=access", "vlan_mode=trunk", "vlan_mode=native-tagged", "vlan_mode=native-untagged"}[r.IntN(6)]
	return []string{mode, tag, trunks}
}

// realSwitch is a lab of which the first bridge is spoken to.
func realSwitch(t *testing.T) (*lab, *office.Office) {
	l := newLab(t)
	var text strings.Builder
	for _, v := range realVIDs {
		fmt.Fprintf(&text, "vlan %d v%d\n", v, v)
	}
	text.WriteString("vlan 99 v99\n") // a port that carries all carries what is in no register too; here all that is sent is
	fmt.Fprintf(&text, "device b1 switch\n  wording linux\n  speaks ovsdb at unix:%s/db.sock\n  ports ", l.dir)
	var ports []string
	for p := 1; p <= realPorts; p++ {
		ports = append(ports, fmt.Sprintf("p%d as b1p%d", p, p))
	}
	text.WriteString(strings.Join(append(ports, "r as b1r"), ", ") + "\n  r: -\n")
	return l, readText(t, text.String())
}

// TestRealReading: whatever the columns of a switch say, frames go where the office says that
// was read from it.
func TestRealReading(t *testing.T) {
	if os.Getenv("KLAMMER_INSIDE") == "" {
		t.Log(insideOnly(t, "frames sent", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovs-appctl", "ovsdb-tool", "ip"))
		return
	}
	l, o := realSwitch(t)
	l.vsctl("set", "port", "b1r", "vlan_mode=trunk", "trunks=2001") // nothing passes to the next bridge
	ctx, stop := context.WithTimeout(t.Context(), 10*time.Minute)
	defer stop()
	sent, unsaid, offices := 0, 0, number("KLAMMER_SWITCHES", 30)
	for seed := range offices {
		rnd := rand.New(rand.NewPCG(uint64(seed), 8))
		var set []string
		for p := 1; p <= realPorts; p++ {
			set = append(append(set, "--", "set", "port", fmt.Sprintf("b1p%d", p)), drawColumns(rnd)...)
		}
		l.vsctl(set[1:]...)
		l.must("ovs-appctl", "--target="+l.dir+"/vswitchd.ctl", "revalidator/purge")
		dev, r, err := field.Dialer{}.Talk(ctx, o, o.Devices[0])
		require.NoError(t, err)
		_ = dev.Close()
		if slices.ContainsFunc(r.Ports, func(p field.Port) bool { return p.Unsaid != "" }) {
			unsaid++
			continue
		}
		is, err := field.AsFound(o, map[string]*field.Reading{"b1": r})
		require.NoError(t, err)
		sent += l.compare(span.Compile(is), 1, uint32(seed)<<16, strings.Join(set, " ")+"\n"+notation.Print(is))
	}
	require.Less(t, unsaid, offices/3)
	t.Logf("%d frames sent in %d offices, every arrival as read; %d could not be said", sent, offices-unsaid, unsaid)
}

// TestRealSet: ports of an Open vSwitch are set over OVSDB to what was drawn, read
// back, and frames go where core says before and after; whatever they were set to before,
// and where somebody else writes meanwhile nothing is.
func TestRealSet(t *testing.T) {
	if os.Getenv("KLAMMER_INSIDE") == "" {
		t.Log(insideOnly(t, "frames sent", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovs-appctl", "ovsdb-tool", "ip"))
		return
	}
	l, o := realSwitch(t)
	d := o.Devices[0]
	ctx, stop := context.WithTimeout(t.Context(), 10*time.Minute)
	defer stop()
	dev, r, err := field.Dialer{}.Talk(ctx, o, d)
	require.NoError(t, err)
	defer dev.Close()
	sent := 0
	for seed := range number("KLAMMER_SWITCHES", 8) {
		rnd := rand.New(rand.NewPCG(uint64(seed), 7))
		n := span.Compile(o)
		m := field.MatchPorts(d, r)
		now := r.Found(o, d, m, wording.Planned(n, 0)).State
		to := now
		for p := range realPorts {
			_, ours := drawReal(rnd)
			if rnd.IntN(3) == 0 { // takes its own tag
				ours = fmt.Sprint(realVIDs[rnd.IntN(len(realVIDs))])
			}
			s, err := notation.ReadShape(ours)
			require.NoError(t, err)
			to = to.With(p, wording.Of(&s))
		}
		to = to.With(realPorts, wording.Setting{Filter: true}) // nothing passes to the next bridge
		require.NoError(t, dev.Set(ctx, d, m, now, to))
		r, err = dev.Read(ctx)
		require.NoError(t, err)
		is := r.Found(o, d, m, to).State
		require.True(t, is.Equal(to), "%v, not %v", is, to)
		l.must("ovs-appctl", "--target="+l.dir+"/vswitchd.ctl", "revalidator/purge")
		draft := office.NewDraft(o)
		for p := range d.Ports {
			shape := to.Ports[p].Shape()
			require.NoError(t, draft.Set(office.PortRef{Device: "b1", Port: d.Ports[p].Name}, &shape, ""))
		}
		next, _ := draft.Done()
		sent += l.compare(span.Compile(next), 1, uint32(seed)<<16, notation.Print(next))
		var set []string // what a person wrote meanwhile
		for p := 1; p <= realPorts; p++ {
			columns := drawColumns(rnd)
			for strings.Contains(columns[0], "native") && (columns[1] == "tag=[]" || columns[1] == "tag=0") {
				columns = drawColumns(rnd) // which cannot be said, and is left as it is
			}
			set = append(append(set, "--", "set", "port", fmt.Sprintf("b1p%d", p)), columns...)
		}
		l.vsctl(set[1:]...)
		r, err = dev.Read(ctx)
		require.NoError(t, err)
	}
	was := r.Found(o, d, field.MatchPorts(d, r), wording.Planned(span.Compile(o), 0)).State
	l.vsctl("set", "port", "b1p2", "vlan_mode=access", "tag=300", "trunks=[]")
	tag, err := notation.ReadShape("17")
	require.NoError(t, err)
	err = dev.Set(ctx, d, field.MatchPorts(d, r), was, was.With(1, wording.Of(&tag)))
	require.ErrorContains(t, err, "somebody set one of its ports otherwise since it was read")
	l.vsctl("set", "port", "b1p2", "vlan_mode=dot1q-tunnel", "tag=300")
	r, err = dev.Read(ctx)
	require.NoError(t, err)
	f := r.Found(o, d, field.MatchPorts(d, r), was)
	require.Contains(t, fmt.Sprint(f.Trouble), "is a tunnel (dot1q-tunnel, tag 300)")
	err = dev.Set(ctx, d, field.MatchPorts(d, r), was, was.With(1, wording.Of(&tag)))
	require.ErrorContains(t, err, "it is left as it is")
	t.Logf("%d frames sent, every arrival as computed", sent)
}

// TestOrdersOnSwitch: orders from whatever a switch was set to are carried out to their end, and
// frames go as planned: what its ports carry in no VLAN goes with them.
func TestOrdersOnSwitch(t *testing.T) {
	if os.Getenv("KLAMMER_INSIDE") == "" {
		t.Log(insideOnly(t, "frames sent", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovs-appctl", "ovsdb-tool", "ip"))
		return
	}
	l, o := realSwitch(t)
	l.vsctl("set", "port", "b1r", "vlan_mode=access", "tag=99")
	text := strings.Replace(notation.Print(o), "r: -", "r: 99", 1) + "b1 manage 99 10.0.99.2\nplug b1.r \"laptop\" wants 99 operator\n"
	ctx, stop := context.WithTimeout(t.Context(), 10*time.Minute)
	defer stop()
	sent, steps := 0, 0
	for seed := range number("KLAMMER_SWITCHES", 8) {
		rnd := rand.New(rand.NewPCG(uint64(seed), 12))
		var set []string
		planned := text
		for p := 1; p <= realPorts; p++ {
			columns := drawColumns(rnd)
			for strings.Contains(columns[0], "native") && (columns[1] == "tag=[]" || columns[1] == "tag=0") {
				columns = drawColumns(rnd) // which cannot be said, and is left as it is
			}
			set = append(append(set, "--", "set", "port", fmt.Sprintf("b1p%d", p)), columns...)
			_, ours := drawReal(rnd)
			planned += fmt.Sprintf("b1 p%d: %s\n", p, strings.ReplaceAll(ours, "2000", "17"))
		}
		l.vsctl(set[1:]...)
		plan := readText(t, planned)
		dev, r, err := field.Dialer{}.Talk(ctx, plan, plan.Devices[0])
		require.NoError(t, err)
		_ = dev.Close()
		was, err := field.AsFound(plan, map[string]*field.Reading{"b1": r})
		require.NoError(t, err)
		made, err := order.Make(was, plan, order.Options{})
		require.NoError(t, err, "%s\n%s", notation.Print(was), planned)
		c := field.Carrier{}
		now := was
		for _, st := range made.Steps {
			require.NoError(t, c.Step(ctx, now, st.After, st.Device, st.Kind), "%s\n%v\n%s\n%s", st.Text, set, notation.Print(was), planned)
			now = st.After
			steps++
		}
		c.Close()
		l.must("ovs-appctl", "--target="+l.dir+"/vswitchd.ctl", "revalidator/purge")
		sent += l.compare(span.Compile(plan), 1, uint32(seed)<<16, planned)
	}
	t.Logf("%d frames sent after %d steps, every arrival as planned", sent, steps)
}
