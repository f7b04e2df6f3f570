package field

import (
	"fmt"
	"slices"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/wording"
)

// Found is what a reading comes to on a device of an office, onto what it was taken
// to be set to: what the device does not tell stays as that.
func (r *Reading) Found(o *office.Office, d *office.Device, m Match, base wording.State) *found.Result {
	out := &found.Result{Form: r.Source, State: wording.State{Ports: slices.Clone(base.Ports)}}
	var known office.Set
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 || m[p] < 0 || !r.Ports[m[p]].Bridged {
			continue
		}
		x := &r.Ports[m[p]]
		s := &out.State.Ports[p]
		was := *s
		*s = everyVLAN(o, x.Set, x.AllVLANs)
		s.Rides = was.Rides // no protocol here tells of translation
		if !r.Tells(TellsUntagged) {
			all := x.Set.Members()
			s.Untagged = all.And(&was.Untagged)
			s.Tagged = all.Minus(&s.Untagged)
		}
		if !r.Tells(TellsPVID) {
			s.PVID = was.PVID
		}
		if !r.Tells(TellsAdmit) {
			s.Admit = was.Admit
		}
		if !r.Tells(TellsFilter) {
			s.Filter = was.Filter
		}
		if x.Shut {
			s.Off = true
		}
		off := s.Off
		s.Off, was.Off = false, false
		if s.ForwardsAs(&was) { // the same, in the words that it was said in
			*s = was
		}
		s.Off = off
		m := s.Members()
		known.AddAll(&m)
		out.Said = append(out.Said, p)
	}
	for _, v := range r.VLANs {
		known.Add(v.VID)
	}
	out.State = out.State.WithAll(nil).Knowing(known)
	for i, t := range r.Trouble {
		out.Trouble = append(out.Trouble, found.Trouble{Row: i + 1, Text: t})
	}
	for p := range d.Ports {
		switch {
		case m[p] >= 0 || d.Ports[p].Bundle > 0 || !r.Tells(TellsVLANs):
		case d.Ports[p].Kind == office.Bundle:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s tells of no bundle %s: it is not made yet, or has another name there", d.Name, d.Ports[p].Name)})
		default:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s tells of no port that is its %s: say what it calls it, as in %s ports %s as NAME", d.Name, d.Ports[p].Name, d.Name, d.Ports[p].Name)})
		}
	}
	return out
}

// everyVLAN is a setting of a port that carries all there are: those of the register.
func everyVLAN(o *office.Office, x wording.Setting, all bool) wording.Setting {
	if all {
		every := o.Registered()
		every = every.Minus(&x.Untagged)
		x.Tagged.AddAll(&every)
	}
	return x
}
