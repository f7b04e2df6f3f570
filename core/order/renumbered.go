package order

import (
	"fmt"
	"slices"

	"klammer/core/office"
)

// A VLAN is the same before and after if its name is, whatever its number. On the way the
// register has it under the old and under the new one, and a name is of a single VLAN: until
// all is done, the new one has a name of its own.
//
//	as it is               on the way                          as planned
//	vlan 10 desks          vlan 10 desks, vlan 110 desks-110   vlan 110 desks

// besides gives the VLANs of a plan that are renumbered names of their own.
func besides(was, plan *office.Office) *office.Office {
	numbers := map[string]office.VID{}
	names := map[string]bool{}
	for _, vlan := range was.VLANs {
		numbers[vlan.Name], names[vlan.Name] = vlan.VID, true
	}
	for _, vlan := range plan.VLANs {
		names[vlan.Name] = true
	}
	out := *plan
	out.VLANs = slices.Clone(plan.VLANs)
	changed := false
	for i, vlan := range plan.VLANs {
		if old, ok := numbers[vlan.Name]; !ok || old == vlan.VID {
			continue
		}
		next := *vlan
		next.Name = ownName(vlan, names)
		names[next.Name] = true
		out.VLANs[i], changed = &next, true
	}
	if !changed {
		return plan
	}
	return &out
}

// ownName is a name that nobody has: the VLAN's, and its number.
func ownName(vlan *office.VLAN, taken map[string]bool) string {
	tail := fmt.Sprintf("-%d", vlan.VID)
	name := vlan.Name[:min(len(vlan.Name), mostVLANName-len(tail))] + tail
	for k := 2; taken[name]; k++ {
		tail = fmt.Sprintf("-%d-%d", vlan.VID, k)
		name = vlan.Name[:min(len(vlan.Name), mostVLANName-len(tail))] + tail
	}
	return name
}

// mostVLANName is how long a VLAN's name is at most ([office.CheckVLANName]).
const mostVLANName = 32

// numbers is, by the number that a VLAN has as it is, the one that it is to have; without
// those whose new number is another VLAN's as it is: on the way nobody could tell which of
// the two a port is in.
type numbers map[office.VID]office.VID

// renumbered finds the VLANs that got another number and kept their name. A number that the other
// office uses, for anything, is no renumbering: then two VLANs have met, and what became of either
// cannot be told from names.
//
//	> renumber 160 to 165
//	1. core, set: Create VLAN 165 guests-165; VLAN 165 guests-165: untagged 4, tagged 7-8
//	2. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	3. core, save: Save, so that it stays after a power cut
//	4. floor, set: Create VLAN 165 guests-165; VLAN 165 guests-165: untagged none, tagged 8
//	   165 guests-165 passes now both ways over core 7 – floor 8.
//	5. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	6. floor, save: Save, so that it stays after a power cut
//	7. gate, set: Create VLAN 165 guests-165; add the sub-interface lan1.165: VLAN 165
//	    guests-165
//	   165 guests-165 passes now both ways over core 8 – gate lan1.
//	8. gate, check: Reach the management of gate at 10.61.190.1 (VLAN 190 devices)
//	9. gate, save: Save, so that it stays after a power cut
//	10. gate, set: VLAN 165 guests-165: address 10.61.160.1/24, hands out
//	    10.61.160.20-10.61.160.250, zone guests, and not in VLAN 160 guests
//	11. core, set: PVID of 4: 165
//	   core 4 is now in 165 guests-165, no longer in 160 guests.
//	12. floor, set: VLAN 165 guests-165: untagged 5, tagged 8
//	   floor 5 is now in 165 guests-165, no longer in 160 guests.
//	13. floor, set: VLAN 160 guests: untagged none, tagged none
//	   160 guests no longer passes both ways over core 7 – floor 8.
//	14. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	15. floor, save: Save, so that it stays after a power cut
//	16. gate, set: Remove the sub-interface lan1.160
//	   160 guests no longer passes both ways over core 8 – gate lan1.
//	17. gate, check: Reach the management of gate at 10.61.190.1 (VLAN 190 devices)
//	18. gate, save: Save, so that it stays after a power cut
//	19. core, set: VLAN 160 guests: untagged none, tagged none
//	20. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	21. core, save: Save, so that it stays after a power cut
func renumbered(was, plan *office.Office) numbers {
	out := numbers{}
	for _, vlan := range was.VLANs {
		for _, one := range plan.VLANs {
			if vlan.Name == one.Name && vlan.VID != one.VID && was.VLAN(one.VID) == nil && plan.VLAN(vlan.VID) == nil {
				out[vlan.VID] = one.VID
			}
		}
	}
	return out
}

// of is the number that a VLAN is known by: the one that it is to have.
func (x numbers) of(vid office.VID) office.VID {
	if now, ok := x[vid]; ok {
		return now
	}
	return vid
}

// before is the number that a VLAN had, 0 where it has always had its own.
func (x numbers) before(vid office.VID) office.VID {
	for old, now := range x {
		if now == vid {
			return old
		}
	}
	return 0
}
