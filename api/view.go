package api

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// What a view holds at the most, beside devices and the register: nobody reads
// further.
const (
	mostFindings = 600
	mostListed   = 128 // VLANs of a port that are sent one by one; more go as ranges
	mostUnknown  = 64  // rows of VLANs that the register does not know
)

// listed is a set one by one, or as ranges where it is large.
func listed(s *office.Set) (some []int, ranges string) {
	if s.Len() <= mostListed {
		return VIDs(s.VIDs()), ""
	}
	return []int{}, s.Ranges()
}

// View draws a whole office, with what its devices were found to be set to.
func View(id, revision int64, r *finding.Report, seen found.Beside) *OfficeView {
	n := r.Net
	v := &OfficeView{ID: id, Title: n.Office.Title, Revision: revision, Whole: true, Order: outwards(n), Devices: []DeviceView{}, Links: []LinkView{}}
	v.Findings, v.More = findingViews(r)
	v.VLANs, v.Unlisted = vlanViews(n, nil, nil)
	v.Uses, v.Plans = UsesOf(n), PlansOf(n)
	v.Services, v.Wishes = servicesOf(n.Office), wishesOf(r.Talk())
	for i := range n.Office.Devices {
		v.Devices = append(v.Devices, DeviceOf(n, i))
	}
	labels := labelsOf(r.List())
	for i := range n.Topo.Links {
		v.Links = append(v.Links, linkView(n, i, labels))
	}
	v.Found = FoundNowOf(n, seen)
	return v
}

// Change draws an office after an edit from how it was drawn before, anew only
// where something became otherwise: the whole of it, and what there is to tell to
// those who have the old one.
func Change(old *OfficeView, revision int64, r *finding.Report, d *finding.Delta, seen found.Beside) (whole, told *OfficeView) {
	n := r.Net
	if d.Whole {
		whole = View(old.ID, revision, r, seen)
		return whole, whole
	}
	v := *old
	v.Title, v.Revision, v.Order = n.Office.Title, revision, outwards(n)
	t := v
	t.Whole = false
	t.Devices, t.Links, t.VLANs, t.Findings, t.Uses, t.Plans, t.Found = []DeviceView{}, []LinkView{}, []VLANView{}, []Finding{}, nil, nil, nil
	t.Services, t.Wishes = nil, nil

	v.Devices = slices.Clone(old.Devices)
	for _, i := range d.Devices {
		v.Devices[i] = DeviceOf(n, i)
		t.Devices = append(t.Devices, otherwise(&old.Devices[i], v.Devices[i]))
	}

	v.VLANs, v.Unlisted = vlanViews(n, old.VLANs, &d.VLANs)
	t.Unlisted = v.Unlisted
	rows := map[int]bool{}
	for _, x := range v.VLANs {
		rows[x.VID] = true
		if d.VLANs.Has(office.VID(x.VID)) {
			t.VLANs = append(t.VLANs, x)
		}
	}
	for _, x := range old.VLANs {
		if !rows[x.VID] {
			t.GoneVLANs = append(t.GoneVLANs, x.VID)
		}
	}

	if uses := UsesOf(n); !reflect.DeepEqual(uses, old.Uses) {
		v.Uses, t.Uses = uses, uses
	}
	if plans := PlansOf(n); !reflect.DeepEqual(plans, old.Plans) {
		v.Plans, t.Plans = plans, plans
	}
	if services := servicesOf(n.Office); !reflect.DeepEqual(services, old.Services) {
		v.Services, t.Services = services, services
	}
	if wishes := wishesOf(r.Talk()); !reflect.DeepEqual(wishes, old.Wishes) {
		v.Wishes, t.Wishes = wishes, wishes
	}

	v.Links = slices.Clone(old.Links)
	labels := labelsOf(r.List())
	for _, i := range d.Drawn(n) {
		if x := linkView(n, i, labels); !reflect.DeepEqual(x, v.Links[i]) {
			v.Links[i] = x
			t.Links = append(t.Links, x)
		}
	}

	v.Findings, v.More = findingViews(r)
	t.More = v.More
	come := map[string]bool{}
	for _, f := range d.Come {
		come[f.ID] = true
	}
	had, has := map[string]bool{}, map[string]bool{}
	for i := range old.Findings {
		had[old.Findings[i].ID] = true
	}
	after := ""
	for i := range v.Findings {
		f := &v.Findings[i]
		has[f.ID] = true
		if come[f.ID] || !had[f.ID] { // one that was beyond the list may come into it
			x := *f
			x.After = ptr(after)
			t.Findings = append(t.Findings, x)
		}
		after = f.ID
	}
	for i := range old.Findings {
		if id := old.Findings[i].ID; !has[id] {
			t.Gone = append(t.Gone, id)
		}
	}
	for _, f := range r.List() {
		if !come[f.ID] && f.Mendable() && d.Touches(n, f) {
			t.Stale = append(t.Stale, f.ID)
		}
	}

	if len(seen) > 0 {
		v.Found = FoundNowOf(n, seen)
		for _, i := range d.Devices {
			name := n.Office.Devices[i].Name
			if differ, ok := seen[name]; ok {
				if t.Found == nil {
					t.Found = newFoundNow()
				}
				t.Found.put(name, differ)
			}
		}
	}
	return &v, &t
}

// otherwise is a device with only the ports that are not as they were, where its
// ports are the same ones.
func otherwise(was *DeviceView, is DeviceView) DeviceView {
	if !slices.EqualFunc(was.Ports, is.Ports, func(a, b PortView) bool { return a.Name == b.Name }) {
		return is
	}
	if reflect.DeepEqual(was.Rules, is.Rules) {
		is.Rules, is.SameRules = nil, true
	}
	all := is.Ports
	is.Some, is.Ports = true, []PortView{}
	for p := range all {
		if !reflect.DeepEqual(was.Ports[p], all[p]) {
			is.Ports = append(is.Ports, all[p])
		}
	}
	return is
}

func ptr[T any](x T) *T { return &x }

// Nothing is what there is to tell where nothing became otherwise.
func Nothing(v *OfficeView) *OfficeView {
	return &OfficeView{
		ID:       v.ID,
		Title:    v.Title,
		Revision: v.Revision,
		Order:    v.Order,
		Devices:  []DeviceView{},
		Links:    []LinkView{},
		VLANs:    []VLANView{},
		Findings: []Finding{},
		More:     v.More,
		Unlisted: v.Unlisted,
	}
}

func outwards(n *span.Net) []string {
	out := []string{}
	for _, i := range n.Topo.Outwards(n.Office) {
		out = append(out, n.Office.Devices[i].Name)
	}
	return out
}

// findingViews are the findings, without mends: those are tried when somebody
// looks.
func findingViews(r *finding.Report) (out []Finding, more int) {
	list := r.List()
	return Findings(r, list[:min(len(list), mostFindings)], 0), max(0, len(list)-mostFindings)
}

// FoundNowOf is where devices are set otherwise than they should be.
func FoundNowOf(n *span.Net, seen found.Beside) *FoundNow {
	out := newFoundNow()
	for _, d := range n.Office.Devices {
		if differ, ok := seen[d.Name]; ok {
			out.put(d.Name, differ)
		}
	}
	return out
}

func newFoundNow() *FoundNow {
	return &FoundNow{Devices: []string{}, Ports: map[string]string{}, Routing: map[string][]string{}}
}

// put is what of a device is otherwise than planned.
func (f *FoundNow) put(device string, differ found.Apart) {
	f.Devices = append(f.Devices, device)
	for port, shape := range differ.Ports {
		f.Ports[device+"."+port] = shape
	}
	if len(differ.Routing) > 0 {
		f.Routing[device] = differ.Routing
	}
}

// vlanViews are the rows of the board; those of a former view are kept but for
// the VLANs that are anew.
func vlanViews(n *span.Net, old []VLANView, anew *office.Set) (out []VLANView, unlisted int) {
	out = []VLANView{}
	was := map[int]*VLANView{}
	for i := range old {
		was[old[i].VID] = &old[i]
	}
	there := onPorts(n)
	unknown := 0
	rows := *n.Used()
	for _, t := range n.Tables { // a PVID shows, also of a VLAN that nothing is in
		for _, p := range t.Ports {
			if p.PVID != 0 {
				rows.Add(p.PVID)
			}
		}
	}
	for vid := range rows.All() {
		registered := n.Office.VLAN(vid) != nil
		if r := n.VLAN(vid); !registered && r != nil && r.State == span.Unused && !there.Has(vid) {
			continue
		}
		if !registered {
			if unknown++; unknown > mostUnknown {
				unlisted++
				continue
			}
		}
		if x := was[int(vid)]; x != nil && !anew.Has(vid) {
			out = append(out, *x)
			continue
		}
		out = append(out, vlanView(n, vid))
	}
	return out, unlisted
}

func vlanView(n *span.Net, vid office.VID) VLANView {
	x := VLANView{VID: int(vid), Nets: []string{}, State: span.Unused.String()}
	if r := n.VLAN(vid); r != nil {
		x.State, x.Parts = r.State.String(), r.Parts
	}
	if reg := n.Office.VLAN(vid); reg != nil {
		x.Registered, x.Name, x.Note, x.Local, x.Guarded = true, reg.Name, reg.Note, reg.Local, reg.Guarded
		x.Shows = command.ShowsNumber(n.Office, reg)
		for _, p := range reg.Nets {
			x.Nets = append(x.Nets, p.String())
		}
	}
	x.Only = only(n, vid)
	x.Gateway = gateway(n, vid)
	x.Addresses = addressViews(n.Office, vid)
	return x
}

// only says who alone is in a VLAN, "" where others are, or nobody.
func only(n *span.Net, vid office.VID) string {
	if n.IsParked(vid) {
		return "parked"
	}
	r := n.VLAN(vid)
	if r == nil || r.State != span.Whole || slices.ContainsFunc(n.Office.Plugs, func(p office.Plug) bool { return p.Wants == vid }) {
		return ""
	}
	for _, s := range r.Spans {
		if len(n.Terminals(s, vid)) > 0 {
			return ""
		}
	}
	if slices.ContainsFunc(n.Office.Devices, func(d *office.Device) bool { return d.Manage != nil && d.Manage.VID == vid }) {
		return "management"
	}
	return "gateway"
}

// onPorts is the VLANs that a port has, or a PVID.
func onPorts(n *span.Net) (set office.Set) {
	for i, t := range n.Tables {
		for p, c := range t.Ports {
			if n.Office.Devices[i].Ports[p].Kind != office.Inner {
				set.AddAll(&c.Untagged)
				set.AddAll(&c.Tagged)
				set.Add(c.PVID)
			}
		}
	}
	set.Remove(0)
	return set
}

func addressViews(o *office.Office, v office.VID) (out []AddressView) {
	for _, d := range o.Devices {
		for _, a := range d.Addresses {
			if a.VID != v {
				continue
			}
			x := AddressView{Device: d.Name, Address: a.Prefix.String(), On: a.On, Zone: a.Zone, Gateway: a.Gateway}
			if a.Admits != nil {
				x.Admits = office.Services(a.Admits)
			}
			if a.From.IsValid() {
				x.From, x.To = a.From.String(), a.To.String()
			}
			out = append(out, x)
		}
	}
	return out
}

func shapeView(o *office.Office, s *office.Shape) ShapeView {
	r := o.Resolve(s)
	return ShapeView{notation.Shape(*s), VIDs(r.Untagged), VIDs(r.Tagged), int(r.PortVID()), [...]string{"", "all", "needed"}[r.Rest], s.Use}
}

// UsesOf draws the uses.
func UsesOf(n *span.Net) []UseView {
	out, at := []UseView{}, map[string]int{}
	for i, u := range n.Office.Uses {
		out = append(out, UseView{Name: u.Name, Shape: shapeView(n.Office, &u.Shape)})
		at[u.Name] = i
	}
	for _, d := range n.Office.Devices {
		for p := range d.Ports {
			if s, _ := n.Office.Written(d, p); s.Use != "" {
				out[at[s.Use]].Ports++
			}
		}
	}
	return out
}

// PlansOf draws the port plans.
func PlansOf(n *span.Net) []PlanView {
	out := []PlanView{}
	for _, p := range n.Office.Plans {
		x := PlanView{Name: p.Name, Text: notation.Thing(p), Lines: []PlanLineView{}}
		texts := strings.Split(x.Text, "\n")[1:]
		for i, l := range p.Lines {
			y := PlanLineView{Places: [][]int{}, Shape: shapeView(n.Office, &l.Shape)}
			for _, r := range l.Ports {
				y.Places = append(y.Places, []int{r.From, r.To})
			}
			y.Ports, _, _ = strings.Cut(strings.TrimSpace(texts[i]), ":")
			x.Lines = append(x.Lines, y)
		}
		out = append(out, x)
	}
	return out
}

// gateway is the gateway of a VLAN by name and address, as in "gate 10.61.110.1"; ""
// where it has none.
func gateway(n *span.Net, v office.VID) string {
	gate := n.Gateways().First(v)
	if !gate.Is() {
		return ""
	}
	return n.Office.Devices[gate.Dev].Name + " " + gate.Addr().String()
}

var portKinds = [...]string{office.Physical: "physical", office.Bundle: "bundle", office.Inner: "inner"}

// DeviceOf draws device i.
func DeviceOf(n *span.Net, i int) DeviceView {
	device := n.Office.Devices[i]
	v := DeviceView{Name: device.Name, Kind: device.Kind, Forwarding: device.Forwarding, Follows: device.Follows, Ports: make([]PortView, len(device.Ports))}
	v.Wording = device.Wording.String()
	v.Adjacent, v.Console, v.Facts = device.Adjacent, device.Console, device.Facts.ByWord()
	limits := device.Limits
	for _, name := range office.LimitNames {
		if most := *limits.Of(name); most > 0 {
			v.Limits = strings.TrimSpace(fmt.Sprintf("%s %s %d", v.Limits, name, most))
		}
	}
	if device.Manage != nil {
		v.ManageVID = int(device.Manage.VID)
		v.Manage = n.Name(device.Manage.VID)
		if device.Manage.Addr.IsValid() {
			v.Manage += " " + device.Manage.Addr.String()
		}
		v.ManageText = strings.TrimPrefix(notation.ManageText(device.Manage), "manage ")
	}
	if f := device.Factory; f != nil {
		v.Factory = notation.FactoryText(f)
	}
	for _, s := range device.Speaks {
		v.Speaks = append(v.Speaks, s.String())
	}
	v.policy(device)
	sources := [...]string{office.FromNothing: "nothing", office.FromPort: "port", office.FromPlan: "plan", office.FromException: "exception"}
	var last *bridge.Port
	var tagged []int
	var ranges string
	for port := range device.Ports {
		x, compiled := &device.Ports[port], n.Tables[i].Ports[port]
		pv := PortView{Name: x.Name, Kind: portKinds[x.Kind], Flavour: x.Flavour, Speed: x.Speed.String(), Mode: x.Mode, Because: x.Because, Facts: x.Facts.ByWord()}
		for _, m := range x.Members {
			pv.Members = append(pv.Members, device.Ports[m].Name)
		}
		if x.Bundle > 0 {
			pv.Bundle = device.Ports[x.Bundle-1].Name
		} else {
			pv.Off = compiled.Off
		}
		w, src := n.Office.Written(device, port)
		pv.Shape, pv.Source, pv.Use, pv.Inside = notation.Shape(*w), sources[src], w.Use, x.Inside
		if src == office.FromException {
			s, _ := n.Office.Planned(device, port)
			pv.Planned = notation.Shape(*s)
		}
		pv.Untagged, pv.PVID = VIDs(compiled.Untagged.VIDs()), int(compiled.PVID)
		if compiled != last { // neighbours are often alike
			last = compiled
			tagged, ranges = listed(&compiled.Tagged)
		}
		pv.Tagged, pv.Ranges = tagged, ranges
		for _, l := range n.Topo.LinksAt(i, port) {
			k := &n.Topo.Links[l]
			to := k.B
			if to.Dev == i && to.Port == port {
				to = k.A
			}
			pv.Cabled = append(pv.Cabled, n.Ref(to).String())
		}
		v.Ports[port] = pv
	}
	for _, k := range n.Topo.PlugsAt(i) {
		g := n.Office.Plugs[k]
		pv := &v.Ports[device.Port(g.Port.Port)]
		pv.Plugs = append(pv.Plugs, PlugView{g.Name, int(g.Wants), g.Tagged, g.Operator, addrText(g.At), string(g.MAC), g.Facts.ByWord()})
	}
	return v
}

// cableLabels are what findings write on cables, by the names of both ends.
type cableLabels map[[2]string]struct {
	labels []string
	breaks bool
}

func labelsOf(list []*finding.Finding) cableLabels {
	out := cableLabels{}
	for _, f := range list {
		if f.Label != "" && (f.Severity == finding.Breaks || f.Code == finding.NeededDiffers && f.Cause == "") && len(f.Ports) == 2 {
			k := [2]string{f.Ports[0].String(), f.Ports[1].String()}
			x := out[k]
			x.labels, x.breaks = append(x.labels, f.Label), x.breaks || f.Severity == finding.Breaks
			out[k] = x
		}
	}
	return out
}

func linkView(n *span.Net, i int, labels cableLabels) LinkView {
	link := &n.Topo.Links[i]
	a, b := n.Ref(link.A), n.Ref(link.B)
	v := LinkView{A: a.String(), B: b.String(), Cables: len(link.Cables), Labels: []string{}}
	v.Mode = n.Office.Devices[link.A.Dev].Ports[link.A.Port].Mode
	c := n.Carry(i)
	any := c.AB
	any.AddAll(&c.BA)
	v.VLANs, v.Ranges = listed(&any)
	if pa, pb := n.Port(link.A), n.Port(link.B); n.Aware(link.A.Dev) && n.Aware(link.B.Dev) && !pa.Off && !pb.Off {
		v.Uneven = pa.Untagged != pb.Untagged || pa.Tagged != pb.Tagged
	}
	if x := labels[[2]string{v.A, v.B}]; x.labels != nil {
		v.Broken, v.Labels = x.breaks, x.labels
	}
	return v
}
