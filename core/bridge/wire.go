// Package bridge compiles shapes and forwarding kinds to one table a device:
// ingress (port, wire) to a domain or a reason to drop, egress (domain, port)
// to a wire or nothing. Everything else that Klammer computes reads only these
// tables, whatever a device's make.
//
// A port with the shape 190 [130] puts an untagged frame into domain 190 and
// lets it out of every other member of 190; a frame with VID 130 goes into
// domain 130; one with VID 120 is dropped, as the port is no member of 120.
package bridge

import (
	"fmt"
	"strconv"

	"klammer/core/office"
)

// Wire is what a frame wears: [Untagged], [Priority], or a VID from 1 to 4094.
type Wire int16

const (
	Untagged Wire = -1
	Priority Wire = 0 // a tag with VID 0 (IEEE 802.1Q clause 9.6)
)

// VID is the wire's VID, 0 for untagged and priority-tagged frames.
func (w Wire) VID() office.VID { return office.VID(max(w, 0)) }

// String is "untagged", "priority" or the VID in brackets.
func (w Wire) String() string {
	switch w {
	case Untagged:
		return "untagged"
	case Priority:
		return "priority-tagged"
	}
	return "[" + strconv.Itoa(int(w)) + "]"
}

// ParseWire reads "untagged", "priority" or a VID.
func ParseWire(text string) (Wire, error) {
	switch text {
	case "untagged":
		return Untagged, nil
	case "priority", "0":
		return Priority, nil
	}
	vid, err := office.ParseVID(text)
	if err != nil {
		return 0, fmt.Errorf("%w; or say untagged or priority", err)
	}
	return Wire(vid), nil
}

// Domain is where a frame is inside a device. Two ports that put frames into
// the same domain can reach each other. The zero Domain is none.
type Domain struct {
	VID  office.VID // the VLAN; for a grouped device the group; 0 in an unaware device
	Port int16      // of a routed device: 1 + the port, as its ports do not bridge
	Keep bool       // the frame keeps what it wears, Kept, all the way through
	Kept Wire
}

// Reason is why a frame is dropped at a port.
type Reason uint8

const (
	Passed     Reason = iota
	PortOff           // the port is shut
	NotAdmit          // the port's acceptable frame types exclude it
	NoPVID            // an untagged frame, and the port has no PVID
	NotMember         // ingress filtering: the port is no member of the frame's VLAN
	DropsTags         // the device drops frames with a tag
	NoGroup           // a grouped device's port sits in no group
	numReasons = iota
)

// String says it as the second half of a sentence about the port.
func (r Reason) String() string {
	return [numReasons]string{
		"passed",
		"the port is shut",
		"the port does not admit such frames",
		"the port has no PVID, so an untagged frame has no VLAN",
		"the port is not a member of the frame's VLAN, and ingress filtering drops it",
		"the device drops frames with a tag",
		"the port sits in no group",
	}[r]
}
