package field

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/wording"
)

// Found is what a reading comes to on a device of an office, onto what it was taken
// to be set to: what the device does not tell stays as that.
func (r *Reading) Found(o *office.Office, d *office.Device, m Match, base wording.State) *found.Result {
	out := &found.Result{Form: r.Source, State: wording.State{Ports: slices.Clone(base.Ports)}}
	var known office.Set
	var every []string // ports that carry all
	r.nowhere(o, d, m, base.Ports)
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 || m[p] < 0 {
			continue
		}
		x := &r.Ports[m[p]]
		if !x.Bridged {
			if why := r.outside(m[p]); why != "" {
				out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("port %s %s: what it is in is not told", d.Ports[p].Name, why)})
			}
			continue
		}
		if x.Unsaid != "" {
			out.Trouble = append(out.Trouble, found.Trouble{Text: x.Unsaid + ": it stays as it was taken to be, and is never set"})
			continue
		}
		if x.AllVLANs {
			every = append(every, d.Ports[p].Name)
		}
		s := &out.State.Ports[p]
		was := *s
		*s = r.said(o, x)
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
	r.apart(o, d, m, out)
	for _, v := range r.VLANs {
		known.Add(v.VID)
	}
	out.State = out.State.WithAll(nil).Knowing(known)
	if len(every) > 0 {
		out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s carry every VLAN, those that are in no register too: those of the register are shown", strings.Join(every, ", "))})
	}
	for i, t := range r.Trouble {
		out.Trouble = append(out.Trouble, found.Trouble{Row: i + 1, Text: t})
	}
	for at := range r.Ports {
		if x := &r.Ports[at]; r.Whole && x.Bridged && !x.Inner && m.Front(at) < 0 {
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s is no port of %s", x.Name, d.Name)})
		}
	}
	for p := range d.Ports {
		switch {
		case m[p] >= 0 || d.Ports[p].Bundle > 0 || !r.Tells(TellsVLANs):
		case d.Ports[p].Kind == office.Bundle && r.Tells(TellsBundles):
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s tells of no bundle %s: it is not made", d.Name, d.Ports[p].Name)})
		case d.Ports[p].Kind == office.Bundle:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s does not tell of bundles: look yourself whether %s is made before its second cable is in", d.Name, d.Ports[p].Name)})
		default:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s tells of no port that is its %s: say what it calls it, as in %s ports %s as NAME", d.Name, d.Ports[p].Name, d.Name, d.Ports[p].Name)})
		}
	}
	return out
}

// outside is why a port has no VLANs of its own on a device that has some; "" where there is
// nothing to say.
func (r *Reading) outside(at int) string {
	some := false
	for k := range r.Ports {
		some = some || r.Ports[k].Bridged
		if slices.Contains(r.Ports[k].Members, at) {
			return "is in the bundle " + r.Ports[k].Name + " there, and in none here"
		}
	}
	if some && r.Whole {
		return "is in no bridge there"
	}
	return ""
}

// apart finds the ports that should be in a bundle, and are not: each has a setting of its
// own. A bundle that nobody told of is not there.
func (r *Reading) apart(o *office.Office, d *office.Device, m Match, out *found.Result) {
	if !r.Tells(TellsBundles) {
		return
	}
	for b := range d.Ports {
		var is []int // places of what is in it
		if m[b] >= 0 {
			if is = r.Ports[m[b]].Members; len(is) == 0 {
				continue // it has the bundle's name
			}
		}
		for _, q := range d.Ports[b].Members {
			if m[q] < 0 || slices.Contains(is, m[q]) {
				continue
			}
			out.State.Apart = append(out.State.Apart, q)
			out.State.Ports[q] = wording.Setting{Filter: true}
			if x := &r.Ports[m[q]]; x.Bridged {
				out.State.Ports[q] = r.said(o, x)
			}
			out.Said = append(out.Said, q)
		}
		if len(d.Ports[b].Members) > 0 && m[b] < 0 {
			out.State.Ports[b] = wording.Setting{Filter: true}
		}
	}
	slices.Sort(out.State.Apart)
	slices.Sort(out.Said)
}

// said is a setting of a port in VLANs of the office: one that carries all there are carries
// those of the register, and one whose untagged frames are in no VLAN has them in the one that
// stands for that.
func (r *Reading) said(o *office.Office, p *Port) wording.Setting {
	x := p.Set
	if p.NoVLAN && r.none != 0 {
		x.PVID = r.none
		x.Untagged.Add(r.none)
	}
	if p.AllVLANs {
		every := o.Registered()
		every = every.Minus(&x.Untagged)
		x.Tagged.AddAll(&every)
	}
	return x
}

// nowhere finds the VLAN that stands for frames in no VLAN, which a switch passes among ports
// that are in none (Open vSwitch: without a tag, or with tag 0). It is one that nobody has: as
// it was taken to be, or else the last that is free. Where such a port is alone its frames get
// nowhere, and nothing stands for that.
func (r *Reading) nowhere(o *office.Office, d *office.Device, m Match, base []wording.Setting) {
	taken := o.Registered()
	var names []string
	for at := range r.Ports {
		all := r.Ports[at].Set.Members()
		taken.AddAll(&all)
	}
	before := office.VID(0)
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 || m[p] < 0 || !r.Ports[m[p]].NoVLAN {
			continue
		}
		names = append(names, d.Ports[p].Name)
		if base != nil && base[p].PVID != 0 && !taken.Has(base[p].PVID) && base[p].Untagged.Has(base[p].PVID) {
			before = base[p].PVID
		}
	}
	r.none = 0
	if len(names) < 2 && before == 0 { // and nobody foretold otherwise
		return
	}
	for v := office.MaxVID; v > 0 && before == 0; v-- {
		if !taken.Has(v) {
			before = v
		}
	}
	if r.none = before; before == 0 {
		return
	}
	text := fmt.Sprintf("untagged frames pass among the ports %s in no VLAN: that is shown as VLAN %d, which nobody has", strings.Join(names, ", "), before)
	if !slices.Contains(r.Trouble, text) {
		r.wrong("%s", text)
	}
}
