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
func (r *Reading) Found(o *office.Office, device *office.Device, match Match, base wording.State) *found.Result {
	out := &found.Result{Form: r.Source, State: wording.State{Ports: slices.Clone(base.Ports)}}
	var known office.Set
	var every []string // ports that carry all
	r.nowhere(o, device, match, base.Ports)
	for port := range device.Ports {
		if device.Ports[port].Bundle > 0 || match[port] < 0 {
			continue
		}
		one := &r.Ports[match[port]]
		if !one.Bridged {
			if why := r.outside(match[port]); why != "" {
				out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("port %s %s: what it is in is not told", device.Ports[port].Name, why)})
			}
			continue
		}
		if one.Unsaid != "" {
			out.Trouble = append(out.Trouble, found.Trouble{Text: one.Unsaid + ": it stays as it was taken to be, and is never set"})
			continue
		}
		if one.AllVLANs {
			every = append(every, device.Ports[port].Name)
		}
		setting := &out.State.Ports[port]
		*setting = r.told(o, one, *setting)
		m := setting.Members()
		known.AddAll(&m)
		out.Said = append(out.Said, port)
	}
	r.apart(o, device, match, out)
	for _, vlan := range r.VLANs {
		known.Add(vlan.VID)
	}
	out.State = out.State.WithAll(nil).Knowing(known)
	if len(every) > 0 {
		out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s carry every VLAN, those that are in no register too: those of the register are shown", strings.Join(every, ", "))})
	}
	for i, text := range r.Trouble {
		out.Trouble = append(out.Trouble, found.Trouble{Row: i + 1, Text: text})
	}
	r.unmatched(device, match, out)
	return out
}

// told is what a port is set to, where it was taken to be set to something: what is not told
// stays as that, and what forwards the same is said in the same words.
func (r *Reading) told(o *office.Office, port *Port, was wording.Setting) wording.Setting {
	is := r.said(o, port)
	is.Rides = was.Rides // no protocol here tells of translation
	if !r.Tells(TellsUntagged) {
		all := port.Set.Members()
		is.Untagged = all.And(&was.Untagged)
		is.Tagged = all.Minus(&is.Untagged)
	}
	if !r.Tells(TellsPVID) {
		is.PVID = was.PVID
	}
	if !r.Tells(TellsAdmit) {
		is.Admit = was.Admit
	}
	if !r.Tells(TellsFilter) {
		is.Filter = was.Filter
	}
	off := is.Off || port.Shut
	is.Off, was.Off = false, false
	if is.ForwardsAs(&was) {
		is = was
	}
	is.Off = off
	return is
}

// unmatched says which ports of a reading are none of a device, and which of its own the
// reading does not tell of.
func (r *Reading) unmatched(device *office.Device, match Match, out *found.Result) {
	for at := range r.Ports {
		if port := &r.Ports[at]; r.Whole && port.Bridged && !port.Inner && match.Front(at) < 0 {
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s is no port of %s", port.Name, device.Name)})
		}
	}
	for port := range device.Ports {
		switch {
		case match[port] >= 0 || device.Ports[port].Bundle > 0 || !r.Tells(TellsVLANs):
		case device.Ports[port].Kind == office.Bundle && r.Tells(TellsBundles):
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s has no bundle %s as it is now: it still has to be made", device.Name, device.Ports[port].Name)})
		case device.Ports[port].Kind == office.Bundle:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s does not tell of bundles: look yourself whether %s is made before its second cable is in", device.Name, device.Ports[port].Name)})
		default:
			out.Trouble = append(out.Trouble, found.Trouble{Text: fmt.Sprintf("%s tells of no port that is its %s: say what it calls it, as in %s ports %s as NAME", device.Name, device.Ports[port].Name, device.Name, device.Ports[port].Name)})
		}
	}
}

// outside is why a port has no VLANs of its own on a device that has some; "" where there is
// nothing to say.
func (r *Reading) outside(at int) string {
	some := false
	for port := range r.Ports {
		some = some || r.Ports[port].Bridged
		if slices.Contains(r.Ports[port].Members, at) {
			return "is in the bundle " + r.Ports[port].Name + " there, and in none here"
		}
	}
	if some && r.Whole {
		return "is in no bridge there"
	}
	return ""
}

// apart finds the ports that should be in a bundle, and are not: each has a setting of its
// own. A bundle that nobody told of is not there.
func (r *Reading) apart(o *office.Office, device *office.Device, match Match, out *found.Result) {
	if !r.Tells(TellsBundles) {
		return
	}
	for port := range device.Ports {
		var is []int // places of what is in it
		if match[port] >= 0 {
			if is = r.Ports[match[port]].Members; len(is) == 0 {
				continue // it has the bundle's name
			}
		}
		for _, q := range device.Ports[port].Members {
			if match[q] < 0 || slices.Contains(is, match[q]) {
				continue
			}
			out.State.Apart = append(out.State.Apart, q)
			out.State.Ports[q] = wording.Setting{Filter: true}
			if one := &r.Ports[match[q]]; one.Bridged {
				out.State.Ports[q] = r.said(o, one)
			}
			out.Said = append(out.Said, q)
		}
		if len(device.Ports[port].Members) > 0 && match[port] < 0 {
			out.State.Ports[port] = wording.Setting{Filter: true}
		}
	}
	slices.Sort(out.State.Apart)
	slices.Sort(out.Said)
}

// said is a setting of a port in VLANs of the office: one that carries all there are carries
// those of the register, and one whose untagged frames are in no VLAN has them in the one that
// stands for that.
func (r *Reading) said(o *office.Office, port *Port) wording.Setting {
	setting := port.Set
	if port.NoVLAN && r.none != 0 {
		setting.PVID = r.none
		setting.Untagged.Add(r.none)
	}
	if port.AllVLANs {
		every := o.Registered()
		every = every.Minus(&setting.Untagged)
		setting.Tagged.AddAll(&every)
	}
	return setting
}

// nowhere finds the VLAN that stands for frames in no VLAN, which a switch passes among ports
// that are in none (Open vSwitch: without a tag, or with tag 0). It is one that nobody has: as
// it was taken to be, or else the last that is free. Where such a port is alone its frames get
// nowhere, and nothing stands for that.
func (r *Reading) nowhere(o *office.Office, device *office.Device, match Match, base []wording.Setting) {
	taken := o.Registered()
	var names []string
	for at := range r.Ports {
		all := r.Ports[at].Set.Members()
		taken.AddAll(&all)
	}
	before := office.VID(0)
	for p := range device.Ports {
		if device.Ports[p].Bundle > 0 || match[p] < 0 || !r.Ports[match[p]].NoVLAN {
			continue
		}
		names = append(names, device.Ports[p].Name)
		if base != nil && base[p].PVID != 0 && !taken.Has(base[p].PVID) && base[p].Untagged.Has(base[p].PVID) {
			before = base[p].PVID
		}
	}
	r.none = 0
	if len(names) < 2 && before == 0 { // and nobody foretold otherwise
		return
	}
	for vid := office.MaxVID; vid > 0 && before == 0; vid-- {
		if !taken.Has(vid) {
			before = vid
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
