package office_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/office"
	"klammer/proof/equality"
)

func TestShapesEqual(t *testing.T) {
	require.Empty(t, equality.Uncounted(office.Shape.Equal))
}

// TestSetTo: a port is set, and its plan and its use are minded.
func TestSetTo(t *testing.T) {
	desk, room := office.Shape{Untagged: []office.VID{10}}, office.Shape{Untagged: []office.VID{20}}
	draft := office.NewDraft(&office.Office{})
	require.NoError(t, draft.PutUse(&office.Use{Name: "desk", Shape: desk}))
	require.NoError(t, draft.PutPlan(&office.Plan{Name: "p", Lines: []office.PlanLine{{Ports: []office.PlanRange{{From: 1, To: 1}}, Shape: office.Shape{Use: "desk"}}}}))
	d := &office.Device{Name: "a", Kind: office.Switch, Follows: "p"}
	for _, name := range []string{"1", "2"} {
		require.NoError(t, d.AddPort(name, "", 0))
	}
	require.NoError(t, d.AddInner("vm", office.VirtualMachine, &desk))
	require.NoError(t, draft.PutDevice(d))
	o, _ := draft.Done()
	set := func(o *office.Office, port string, s office.Shape) (*office.Office, office.Edit) {
		draft := office.NewDraft(o)
		require.NoError(t, draft.SetTo(office.PortRef{Device: "a", Port: port}, s))
		return draft.Done()
	}
	shape := func(o *office.Office, port string) *office.Shape {
		d := o.Device("a")
		return d.Ports[d.Port(port)].Shape
	}

	_, e := set(o, "1", desk)
	require.Empty(t, e, "it stands so already, by a use of its plan")
	_, e = set(o, "2", office.Shape{})
	require.Empty(t, e, "it is in no VLAN already")
	other, e := set(o, "1", room)
	require.Len(t, e, 1)
	require.Equal(t, &room, shape(other, "1"), "an exception")

	draft = office.NewDraft(other)
	require.NoError(t, draft.Set(office.PortRef{Device: "a", Port: "1"}, &room, "a camera"))
	other, _ = draft.Done()
	shut, _ := set(other, "1", office.Shape{Off: true})
	require.Equal(t, "a camera", shut.Device("a").Ports[0].Because, "another exception has the reason of the one before")
	back, e := set(other, "1", desk)
	require.Len(t, e, 1)
	require.Nil(t, shape(back, "1"), "back to what the plan says")
	require.Empty(t, back.Device("a").Ports[0].Because, "and its reason with it")

	none, _ := set(o, "1", office.Shape{})
	require.NotNil(t, shape(none, "1"), "in no VLAN is an exception where the plan speaks")
	own, _ := set(o, "2", room)
	own, _ = set(own, "2", office.Shape{})
	require.Nil(t, shape(own, "2"), "and nothing where it does not")
	inner, _ := set(o, "vm", office.Shape{})
	require.NotNil(t, shape(inner, "vm"), "an inner port always has a shape")
}
