package proof

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
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
	"klammer/proof/rfc4363"
)

// makers is how agents of bridges are unlike each other, with the wording's habits that an
// administrator says of them.
var makers = []struct {
	name   string
	habits rfc4363.Habits
	words  string // of the wording by-vlan; "-": it is not said
	may    string // why it may refuse; "": it takes all
}{
	{"to the letter", rfc4363.Habits{}, "", ""},
	{"short lists, other numbers", rfc4363.Habits{ShortLists: true, BaseIsIndex: true}, "", ""},
	{"one object a request", rfc4363.Habits{OneObject: true, UntaggedWithin: true}, "", ""},
	{"in order, as far as it gets", rfc4363.Habits{InOrder: true, UntaggedWithin: true}, "", ""},
	{"createAndWait alone", rfc4363.Habits{CreateAndWait: true}, "", ""},
	{"the PVID is a member", rfc4363.Habits{PVIDMember: true}, " keeps-pvid-vlan", "a port is in no VLAN on the way"},
	{"the PVID is a member, one object", rfc4363.Habits{PVIDMember: true, OneObject: true}, " keeps-pvid-vlan", "a port is in no VLAN on the way"},
	{"the PVID is a member, unsaid", rfc4363.Habits{PVIDMember: true}, "-", "a port is in no VLAN on the way"},
	{"the PVID follows", rfc4363.Habits{PVIDFollows: true, LeavesLast: true}, " pvid-follows leaves-last", ""},
	{"starts on all", rfc4363.Habits{StartsOnAll: true}, " starts-tagged", ""},
	{"no acceptable frames", rfc4363.Habits{NoAcceptable: true}, "", ""},
	{"answers get lost", rfc4363.Habits{LostAnswers: 2}, "", ""},
	{"forbidden ports", rfc4363.Habits{ForbiddenSticks: true}, "", ""},
	{"refuses in the middle", rfc4363.Habits{OneObject: true, RefuseAt: 14}, "", "it refuses one request"},
	{"refuses in the middle, in order", rfc4363.Habits{InOrder: true, UntaggedWithin: true, RefuseAt: 7}, "", "it refuses one request"},
	{"a row of the maker's own", rfc4363.Habits{InOrder: true, UntaggedWithin: true, RefuseVLAN: 20}, "", "nobody changes VLAN 20"},
	{"the current table alone", rfc4363.Habits{CurrentOnly: true}, "", ""},
}

var agentVIDs = []office.VID{10, 20, 30, 99}

var agentTags = []int{0, 1, 10, 20, 30, 99}

const agentPorts = 7 // and the operator's

// drawSetting is what a port may be set to.
func drawSetting(rnd *rand.Rand) string {
	v := func() office.VID { return agentVIDs[rnd.IntN(3)] }
	a, b := v(), v()
	switch rnd.IntN(7) {
	case 0, 1, 2:
		return fmt.Sprint(a)
	case 3:
		return fmt.Sprintf("[%d]", a)
	case 4:
		return "[10 20 30]"
	case 5:
		if a != b {
			return fmt.Sprintf("%d [%d]", a, b)
		}
		return fmt.Sprintf("99 [%d]", a)
	}
	return "-"
}

// ownForward is where a frame comes out of one switch, from what is written of its ports
// alone: untagged 0, else a VID.
func ownForward(d *office.Device, in, tag int) map[int]int {
	out := map[int]int{}
	x := d.Ports[in].Shape
	vid := tag
	if tag == 0 {
		vid = int(x.PortVID())
	}
	has := func(p int) (member, untagged bool) {
		s := d.Ports[p].Shape
		untagged = slices.Contains(s.Untagged, office.VID(vid))
		return untagged || slices.Contains(s.Tagged, office.VID(vid)), untagged
	}
	if member, _ := has(in); vid == 0 || !member {
		return out
	}
	for p := range d.Ports {
		if member, untagged := has(p); p != in && member {
			out[p] = vid
			if untagged {
				out[p] = 0
			}
		}
	}
	return out
}

// TestOrdersOnAgents: orders on agents that know RFC 4363 and nothing of Klammer, of many
// makers: each is carried out, and frames go as planned; or it is refused, and then nothing is
// half done, or the words say what is.
func TestOrdersOnAgents(t *testing.T) {
	words := []string{"", "by-vlan", "by-port", "by-group"}
	plans := number("KLAMMER_AGENTS", 2)
	for _, m := range makers {
		t.Run(m.name, func(t *testing.T) {
			t.Parallel()
			carried, refused, steps, plans := 0, 0, 0, plans
			if m.habits.LostAnswers > 0 { // each of which is waited for
				plans = (plans + 1) / 2
			}
			for seed := range plans {
				for _, w := range words {
					if w == "by-vlan" && m.words != "-" {
						w += m.words
					} else if m.words == " pvid-follows leaves-last" {
						continue // nothing else says that of a device
					}
					ok, n := orderOnAgent(t, m.habits, m.may != "" && !strings.Contains(w, "keeps-pvid-vlan"), w, uint64(seed))
					switch {
					case ok:
						carried++
					case n < 0: // no such order
					default:
						refused++
					}
					steps += max(n, 0)
				}
			}
			require.Positive(t, carried+refused)
			t.Logf("%d orders carried out in %d steps, %d refused", carried, steps, refused)
		})
	}
}

// forwards is where frames come out of an agent, by where they go in.
func forwards(a *rfc4363.Agent) (out []map[int]int) {
	for in := range agentPorts + 1 {
		for _, tag := range agentTags {
			out = append(out, a.Out(in, tag))
		}
	}
	return out
}

// orderOnAgent draws an order and carries it out; it gives whether all was done, and how many
// steps; -1 where there is no order to carry out.
func orderOnAgent(t *testing.T, habits rfc4363.Habits, may bool, words string, seed uint64) (bool, int) {
	rnd := rand.New(rand.NewPCG(seed, uint64(len(words))))
	var names, shapes [agentPorts + 1]string
	for p := range names {
		names[p] = fmt.Sprintf("ge-0/0/%d", p+1)
	}
	a, err := rfc4363.New("x", names[:], habits)
	require.NoError(t, err)
	defer a.Close()
	text := func() string {
		var b strings.Builder
		b.WriteString("vlan 10 staff\nvlan 20 guests\nvlan 30 cameras\nvlan 99 devices\ndevice x switch\n  ports 1-8\n")
		if words != "" {
			b.WriteString("  wording " + words + "\n")
		}
		fmt.Fprintf(&b, "  manage 99 10.0.99.2\n  speaks snmp at %s with quick\n", a.At())
		for p, s := range shapes {
			fmt.Fprintf(&b, "  %d: %s\n", p+1, s)
		}
		return b.String() + "plug x.8 \"laptop\" wants 99 operator\n"
	}
	draw := func() *office.Office {
		for p := range shapes {
			shapes[p] = drawSetting(rnd)
			for habits.PVIDMember && shapes[p] == "-" {
				shapes[p] = drawSetting(rnd)
			}
		}
		shapes[agentPorts] = "99"
		return readText(t, text())
	}
	was, plan := draw(), draw()
	for _, o := range []*office.Office{was, plan} {
		n := span.Compile(o)
		if len(wording.Cannot(wording.For(n, 0), wording.Planned(n, 0))) > 0 {
			return false, -1
		}
	}
	whole := func(all []office.VID) (out []int) {
		for _, v := range all {
			out = append(out, int(v))
		}
		return out
	}
	for p := range was.Devices[0].Ports {
		s := was.Devices[0].Ports[p].Shape
		pvid, admit := int(s.PortVID()), 1
		if pvid == 0 { // none: in one of the ways that there are
			pvid = 1
			if len(s.Tagged) > 0 && !habits.NoAcceptable && (habits.PVIDMember || rnd.IntN(2) == 0) {
				pvid, admit = int(s.Tagged[0]), 2
			}
		}
		a.Put(p, whole(s.Untagged), whole(s.Tagged), pvid, admit)
	}
	if habits.ForbiddenSticks {
		for p := range agentPorts {
			for _, v := range agentVIDs[:3] {
				if s := was.Devices[0].Ports[p].Shape; rnd.IntN(2) == 0 && !slices.Contains(s.Untagged, v) && !slices.Contains(s.Tagged, v) {
					a.Forbid(int(v), p)
				}
			}
		}
	}
	o, err := order.Make(was, plan, order.Options{})
	var no *order.Impossible
	if errors.As(err, &no) {
		return false, -1
	}
	require.NoError(t, err, notation.Print(plan))
	ctx, stop := context.WithTimeout(t.Context(), 2*time.Minute)
	defer stop()
	quick := &field.Credentials{Community: "private", Timeout: "200ms", Retries: new(2)}
	c := field.Carrier{Dialer: field.Dialer{Secrets: func(string) (*field.Credentials, error) { return quick, nil }}}
	defer c.Close()
	now := was
	for i, st := range o.Steps {
		told := forwards(a)
		err := c.Step(ctx, now, st.After, st.Device, st.Kind)
		var hand *field.ByHand
		switch {
		case errors.As(err, &hand):
			require.Equal(t, order.Save, st.Kind, "%s: %v", st.Text, err)
		case err != nil:
			require.Equal(t, told, forwards(a), "%s: half done, after %s: %v\n%s", words, st.Text, err, notation.Print(was))
			require.True(t, may, "%s: %s: %v\n%s\n%s", words, st.Text, err, notation.Print(was), notation.Print(plan))
			return false, i
		}
		now = st.After
	}
	for in := range agentPorts + 1 {
		for _, tag := range agentTags {
			require.Equal(t, ownForward(plan.Devices[0], in, tag), a.Out(in, tag), "%s: into %d with %d\n%s\n%s\n%s", words, in+1, tag, a.Told(), notation.Print(was), notation.Print(plan))
		}
	}
	return true, len(o.Steps)
}
