package order

import "fmt"

// far finds the steps after which a device may be lost that stands elsewhere than the laptop:
// somebody is to be there, or it takes the step back by itself. Where nobody said where one of
// them stands, it is near.
//
//	> core manage 190 10.61.190.9/24 via 10.61.190.1
//	1. core, manage: Management in VLAN 190 devices, address 10.61.190.9/24, default gateway
//	    10.61.190.1
//	2. core, check: Reach the management of core at 10.61.190.9 (VLAN 190 devices)
//	3. core, save: Save, so that it stays after a power cut
func (p *problem) far(out *Order, acts []*node) {
	type lost struct {
		device string
		steps  []string
		after  int // minutes after which it takes a step back by itself; 0: it does not
	}
	var all []*lost
	by := map[int]*lost{}
	for k, node := range acts {
		i := node.act.dev
		if !node.act.risky || node.act.kind == CableStep || node.world.at.away || node.world.at.dev == i || node.world.by(i) != OverNetwork {
			continue
		}
		device := node.world.office.Devices[i]
		plan := p.plan.net.Office.Device(device.Name)
		here := p.plan.net.Office.Device(node.world.office.Devices[node.world.at.dev].Name)
		if plan == nil || here == nil || plan.Facts.Place == "" || here.Facts.Place == "" || plan.Facts.Place == here.Facts.Place {
			continue
		}
		if by[i] == nil {
			by[i] = &lost{device: fmt.Sprintf("%s (%s)", device.Name, plan.Facts.Place), after: device.Wording.Confirms}
			all = append(all, by[i])
		}
		by[i].steps = append(by[i].steps, fmt.Sprint(k+1))
		text := fmt.Sprintf("Somebody is at %s for this: if it is lost, nobody gets there from here.", by[i].device)
		if m := by[i].after; m > 0 {
			text = fmt.Sprintf("%s takes this back by itself unless it is confirmed within %s: look, and confirm it.", device.Name, minutes(m))
		}
		out.Steps[k].Told = append(out.Steps[k].Told, text)
	}
	for _, one := range all {
		steps := "step " + one.steps[0]
		if len(one.steps) > 1 {
			steps = "steps " + some(one.steps, 6)
		}
		if one.after > 0 {
			out.Far = append(out.Far, fmt.Sprintf("%s stands elsewhere than you sit: after %s it may be lost, and takes that back by itself in %s.", one.device, steps, minutes(one.after)))
			continue
		}
		out.Far = append(out.Far, fmt.Sprintf("%s stands elsewhere than you sit, and may be lost after %s: have somebody there.", one.device, steps))
	}
}

// minutes says how long a step keeps somebody away, in the words of a step.
func minutes(n int) string {
	if n == 1 {
		return "a minute"
	}
	return fmt.Sprintf("%d minutes", n)
}
