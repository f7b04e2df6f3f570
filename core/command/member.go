package command

import (
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Form is how a VLAN stands on a port: "untagged", "tagged" or "none".
type Form string

// Forms are all of them, with what they mean and how a summary says it.
var Forms = []struct {
	Form Form
	as   office.Membership
	says string
}{
	{"untagged", office.Untagged, "%s untagged on %s"},
	{"tagged", office.Tagged, "%s tagged on %s"},
	{"none", office.NotMember, "%s off %s"},
}

// Enum is every form, for descriptions of what holds one.
func (Form) Enum() (out []any) {
	for _, f := range Forms {
		out = append(out, f.Form)
	}
	return out
}

// Member sets how VLANs stand on some ports. A port has one untagged VLAN, so
// untagged takes one.
type Member struct {
	VIDs  []int
	Ports []string // as device.port
	As    Form
}

// do makes ports members of a VLAN untagged or tagged, or takes them out, and keeps what else they
// are.
func (c Member) do(net *span.Net) (*Result, error) {
	at := -1
	for i, f := range Forms {
		if f.Form == c.As {
			at = i
		}
	}
	if at < 0 {
		return nil, fault(NotAForm, "as", "%q is no way to be in a VLAN: untagged, tagged or none", c.As)
	}
	as := Forms[at].as
	var names []string
	var vids []office.VID
	for i, k := range c.VIDs {
		vid, err := office.VIDOf(k)
		if err != nil {
			return nil, fault(NotAVID, fmt.Sprintf("vids[%d]", i), "%s", err)
		}
		vids, names = append(vids, vid), append(names, net.Name(vid))
	}
	if len(vids) == 0 {
		return nil, fault(NothingSaid, "vids", "no VLAN is named")
	}
	if as == office.Untagged && len(vids) > 1 {
		return nil, fault(OneUntagged, "vids", "a port has one untagged VLAN: select one row")
	}
	result, ports, err := setEach(net, "vids", c.Ports, func(dev, port int) office.Shape {
		was, _ := net.Shape(dev, port)
		shape := *was
		for _, vid := range vids {
			stands := net.Tables[dev].Ports[port].Of(vid) == as && !shape.Off
			if stands && (as != office.Untagged || len(shape.Untagged) == 1 && !shape.PVIDSet) {
				continue
			}
			shape = net.Expand(dev, port, shape, vid, as).With(vid, as)
		}
		return shape
	})
	if err != nil {
		return nil, err
	}
	result.Summary = fmt.Sprintf(Forms[at].says, strings.Join(names, ", "), ports)
	return result, nil
}

// PVID sets the VLAN that untagged frames join on some ports; 0 is none.
type PVID struct {
	VID   int
	Ports []string
}

// do sets the PVID of ports alone, their memberships as they are.
func (c PVID) do(net *span.Net) (*Result, error) {
	name := "none"
	if c.VID != 0 {
		vid, err := office.VIDOf(c.VID)
		if err != nil {
			return nil, fault(NotAVID, "vid", "%s", err)
		}
		name = net.Name(vid)
	}
	result, ports, err := setEach(net, "vid", c.Ports, func(dev, port int) office.Shape {
		shape, _ := net.Shape(dev, port)
		return shape.WithPVID(office.VID(c.VID))
	})
	if err != nil {
		return nil, err
	}
	result.Summary = fmt.Sprintf("PVID %s on %s", name, ports)
	return result, nil
}

// setEach sets each port to its shape, minding plans, and gives the ports' names.
// field is what is to blame where a port cannot be set so.
func setEach(net *span.Net, field string, names []string, shape func(dev, port int) office.Shape) (*Result, string, error) {
	refs, err := Ports(net.Office, names)
	if err != nil {
		return nil, "", err
	}
	draft := office.NewDraft(net.Office)
	for _, ref := range refs {
		dev := net.Topo.DeviceIndex(ref.Device)
		if err := draft.SetTo(ref, shape(dev, net.Office.Devices[dev].Port(ref.Port))); err != nil {
			return nil, "", fault(NotSettable, field, "%s: %s", ref, err)
		}
	}
	o, edit := draft.Done()
	return &Result{Office: o, Edit: edit}, PortNames(net.Office, refs), nil
}

// Ports finds ports by their names, each once; members of a bundle stand for
// their bundle, as that is what can be set. The error is a [*Fault].
//
//	> bring 160 to core.9
//	! column 14: core has no port 9: its front has 1 to 8
//	> bring 160 to core.1,floor.1
//	! column 14: core has no port 1,floor.1: its front has 1 to 8
func Ports(o *office.Office, names []string) ([]office.PortRef, error) {
	if len(names) == 0 {
		return nil, fault(NothingSaid, "ports", "no port is named")
	}
	if len(names) > Most {
		return nil, fault(TooMany, "ports", "%d ports at once: at most %d", len(names), Most)
	}
	var refs []office.PortRef
	seen := map[office.PortRef]bool{}
	for i, text := range names {
		ref, err := notation.PortRef(o, text)
		if err != nil {
			return nil, fault(NoSuchPort, fmt.Sprintf("ports[%d]", i), "%s", err)
		}
		device := o.Device(ref.Device)
		ref.Port = device.Ports[device.Logical(device.Port(ref.Port))].Name
		if !seen[ref] {
			seen[ref] = true
			refs = append(refs, ref)
		}
	}
	return refs, nil
}

// PortNames is ports by device, as people say them: "rack 1-4, ward-east 6".
func PortNames(o *office.Office, refs []office.PortRef) string {
	var out []string
	for i := 0; i < len(refs); {
		device := o.Device(refs[i].Device)
		var at []int
		j := i
		for ; j < len(refs) && refs[j].Device == device.Name; j++ {
			at = append(at, device.Port(refs[j].Port))
		}
		out = append(out, device.Name+" "+notation.Ports(device, at))
		i = j
	}
	if len(out) > 4 {
		out = append(out[:3], fmt.Sprintf("%d more devices", len(out)-3))
	}
	return strings.Join(out, ", ")
}
