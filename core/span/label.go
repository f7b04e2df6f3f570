package span

import (
	"klammer/core/bridge"
	"klammer/core/office"
)

// Label names a domain at a hub: below 4096 the VLAN; else a domain that only
// that hub has.
type Label uint64

const (
	deadAt     Label = 1 << 61 // | hub<<24 | vlan: an address that no port lets out
	untaggedAt Label = 1 << 62 // | hub<<24: untagged frames inside an unaware device
	keptAt     Label = 1 << 63 // | hub<<24 | group<<12 | tag: a tag kept inside a group
)

// VID is the label's VLAN, 0 where it has none.
func (l Label) VID() office.VID {
	if l < 4096 {
		return office.VID(l)
	}
	return 0
}

// LabelOf names a domain at a hub.
func LabelOf(hub int, domain bridge.Domain) Label {
	switch {
	case !domain.Keep:
		return Label(domain.VID)
	case domain.VID != 0:
		return keptAt | Label(hub)<<24 | Label(domain.VID)<<12 | Label(domain.Kept)
	case domain.Kept == bridge.Untagged:
		return untaggedAt | Label(hub)<<24
	}
	return Label(domain.Kept)
}

// VLAN is the VLAN of a label, or the tag that is kept in a group.
func (l Label) VLAN() office.VID {
	if l&keptAt != 0 {
		return office.VID(l & 0xfff)
	}
	return l.VID()
}
