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
func listed(set *office.Set) (some []int, ranges string) {
	if set.Len() <= mostListed {
		return VIDs(set.VIDs()), ""
	}
	return []int{}, set.Ranges()
}

// View draws a whole office, with what its devices were found to be set to.
func View(id, revision int64, report *finding.Report, seen found.Beside) *OfficeView {
	net := report.Net
	view := &OfficeView{ID: id, Title: net.Office.Title, Revision: revision, Whole: true, Order: outwards(net), Devices: []DeviceView{}, Links: []LinkView{}}
	view.Findings, view.More = findingViews(report)
	view.VLANs, view.Unlisted = vlanViews(net, nil, nil)
	view.Uses, view.Plans = UsesOf(net), PlansOf(net)
	view.Services, view.Wishes = servicesOf(net.Office), wishesOf(report.Talk())
	for i := range net.Office.Devices {
		view.Devices = append(view.Devices, DeviceOf(net, i))
	}
	labels := labelsOf(report.List())
	for i := range net.Topo.Links {
		view.Links = append(view.Links, linkView(net, i, labels))
	}
	view.Found = FoundNowOf(net, seen)
	return view
}

// Change draws an office after an edit from how it was drawn before, anew only
// where something became otherwise: the whole of it, and what there is to tell to
// those who have the old one.
func Change(old *OfficeView, revision int64, report *finding.Report, delta *finding.Delta, seen found.Beside) (whole, told *OfficeView) {
	net := report.Net
	if delta.Whole {
		whole = View(old.ID, revision, report, seen)
		return whole, whole
	}
	view := *old
	view.Title, view.Revision, view.Order = net.Office.Title, revision, outwards(net)
	other := view
	other.Whole = false
	other.Devices, other.Links, other.VLANs, other.Findings, other.Uses, other.Plans, other.Found = []DeviceView{}, []LinkView{}, []VLANView{}, []Finding{}, nil, nil, nil
	other.Services, other.Wishes = nil, nil

	view.Devices = slices.Clone(old.Devices)
	for _, i := range delta.Devices {
		view.Devices[i] = DeviceOf(net, i)
		other.Devices = append(other.Devices, otherwise(&old.Devices[i], view.Devices[i]))
	}

	changeVLANs(net, old, delta, &view, &other)

	if uses := UsesOf(net); !reflect.DeepEqual(uses, old.Uses) {
		view.Uses, other.Uses = uses, uses
	}
	if plans := PlansOf(net); !reflect.DeepEqual(plans, old.Plans) {
		view.Plans, other.Plans = plans, plans
	}
	if services := servicesOf(net.Office); !reflect.DeepEqual(services, old.Services) {
		view.Services, other.Services = services, services
	}
	if wishes := wishesOf(report.Talk()); !reflect.DeepEqual(wishes, old.Wishes) {
		view.Wishes, other.Wishes = wishes, wishes
	}

	view.Links = slices.Clone(old.Links)
	labels := labelsOf(report.List())
	for _, i := range delta.Drawn(net) {
		if one := linkView(net, i, labels); !reflect.DeepEqual(one, view.Links[i]) {
			view.Links[i] = one
			other.Links = append(other.Links, one)
		}
	}

	changeFindings(old, report, delta, &view, &other)

	if len(seen) > 0 {
		view.Found = FoundNowOf(net, seen)
		for _, i := range delta.Devices {
			name := net.Office.Devices[i].Name
			if differ, ok := seen[name]; ok {
				if other.Found == nil {
					other.Found = newFoundNow()
				}
				other.Found.put(name, differ)
			}
		}
	}
	return &view, &other
}

// changeVLANs draws the rows of VLANs: of those that are told, the changed ones, and which are
// gone.
func changeVLANs(net *span.Net, old *OfficeView, delta *finding.Delta, view, other *OfficeView) {
	view.VLANs, view.Unlisted = vlanViews(net, old.VLANs, &delta.VLANs)
	other.Unlisted = view.Unlisted
	rows := map[int]bool{}
	for _, vlanview := range view.VLANs {
		rows[vlanview.VID] = true
		if delta.VLANs.Has(office.VID(vlanview.VID)) {
			other.VLANs = append(other.VLANs, vlanview)
		}
	}
	for _, vlanview := range old.VLANs {
		if !rows[vlanview.VID] {
			other.GoneVLANs = append(other.GoneVLANs, vlanview.VID)
		}
	}
}

// changeFindings lists the findings: told is those that came, each behind which, those that
// are gone, and those whose mends may be others now.
func changeFindings(old *OfficeView, report *finding.Report, delta *finding.Delta, view, other *OfficeView) {
	view.Findings, view.More = findingViews(report)
	other.More = view.More
	come := map[string]bool{}
	for _, one := range delta.Come {
		come[one.ID] = true
	}
	had, has := map[string]bool{}, map[string]bool{}
	for i := range old.Findings {
		had[old.Findings[i].ID] = true
	}
	after := ""
	for i := range view.Findings {
		one := &view.Findings[i]
		has[one.ID] = true
		if come[one.ID] || !had[one.ID] { // one that was beyond the list may come into it
			x := *one
			x.After = ptr(after)
			other.Findings = append(other.Findings, x)
		}
		after = one.ID
	}
	for i := range old.Findings {
		if id := old.Findings[i].ID; !has[id] {
			other.Gone = append(other.Gone, id)
		}
	}
	for _, one := range report.List() {
		if !come[one.ID] && one.Mendable() && delta.Touches(report.Net, one) {
			other.Stale = append(other.Stale, one.ID)
		}
	}
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
func Nothing(view *OfficeView) *OfficeView {
	return &OfficeView{
		ID:       view.ID,
		Title:    view.Title,
		Revision: view.Revision,
		Order:    view.Order,
		Devices:  []DeviceView{},
		Links:    []LinkView{},
		VLANs:    []VLANView{},
		Findings: []Finding{},
		More:     view.More,
		Unlisted: view.Unlisted,
	}
}

func outwards(net *span.Net) []string {
	out := []string{}
	for _, i := range net.Topo.Outwards(net.Office) {
		out = append(out, net.Office.Devices[i].Name)
	}
	return out
}

// findingViews are the findings, without mends: those are tried when somebody
// looks.
func findingViews(report *finding.Report) (out []Finding, more int) {
	list := report.List()
	return Findings(report, list[:min(len(list), mostFindings)], 0), max(0, len(list)-mostFindings)
}

// FoundNowOf is where devices are set otherwise than they should be.
func FoundNowOf(net *span.Net, seen found.Beside) *FoundNow {
	out := newFoundNow()
	for _, device := range net.Office.Devices {
		if differ, ok := seen[device.Name]; ok {
			out.put(device.Name, differ)
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
func vlanViews(net *span.Net, old []VLANView, anew *office.Set) (out []VLANView, unlisted int) {
	out = []VLANView{}
	was := map[int]*VLANView{}
	for i := range old {
		was[old[i].VID] = &old[i]
	}
	there := onPorts(net)
	unknown := 0
	rows := *net.Used()
	for _, table := range net.Tables { // a PVID shows, also of a VLAN that nothing is in
		for _, compiled := range table.Ports {
			if compiled.PVID != 0 {
				rows.Add(compiled.PVID)
			}
		}
	}
	for vid := range rows.All() {
		registered := net.Office.VLAN(vid) != nil
		if vlan := net.VLAN(vid); !registered && vlan != nil && vlan.State == span.Unused && !there.Has(vid) {
			continue
		}
		if !registered {
			if unknown++; unknown > mostUnknown {
				unlisted++
				continue
			}
		}
		if vlanview := was[int(vid)]; vlanview != nil && !anew.Has(vid) {
			out = append(out, *vlanview)
			continue
		}
		out = append(out, vlanView(net, vid))
	}
	return out, unlisted
}

func vlanView(net *span.Net, vid office.VID) VLANView {
	vlanview := VLANView{VID: int(vid), Nets: []string{}, State: span.Unused.String()}
	if vlan := net.VLAN(vid); vlan != nil {
		vlanview.State, vlanview.Parts = vlan.State.String(), vlan.Parts
	}
	if reg := net.Office.VLAN(vid); reg != nil {
		vlanview.Registered, vlanview.Name, vlanview.Note, vlanview.Local, vlanview.Guarded = true, reg.Name, reg.Note, reg.Local, reg.Guarded
		vlanview.Shows = command.ShowsNumber(net.Office, reg)
		for _, prefix := range reg.Nets {
			vlanview.Nets = append(vlanview.Nets, prefix.String())
		}
	}
	vlanview.Only = only(net, vid)
	vlanview.Gateway = gateway(net, vid)
	vlanview.Addresses = addressViews(net.Office, vid)
	return vlanview
}

// only says who alone is in a VLAN, "" where others are, or nobody.
func only(net *span.Net, vid office.VID) string {
	if net.IsParked(vid) {
		return "parked"
	}
	vlan := net.VLAN(vid)
	if vlan == nil || vlan.State != span.Whole || slices.ContainsFunc(net.Office.Plugs, func(plug office.Plug) bool { return plug.Wants == vid }) {
		return ""
	}
	for _, part := range vlan.Spans {
		if len(net.Terminals(part, vid)) > 0 {
			return ""
		}
	}
	if slices.ContainsFunc(net.Office.Devices, func(device *office.Device) bool { return device.Manage != nil && device.Manage.VID == vid }) {
		return "management"
	}
	return "gateway"
}

// onPorts is the VLANs that a port has, or a PVID.
func onPorts(net *span.Net) (set office.Set) {
	for i, table := range net.Tables {
		for port, compiled := range table.Ports {
			if net.Office.Devices[i].Ports[port].Kind != office.Inner {
				set.AddAll(&compiled.Untagged)
				set.AddAll(&compiled.Tagged)
				set.Add(compiled.PVID)
			}
		}
	}
	set.Remove(0)
	return set
}

func addressViews(o *office.Office, vid office.VID) (out []AddressView) {
	for _, device := range o.Devices {
		for _, address := range device.Addresses {
			if address.VID != vid {
				continue
			}
			view := AddressView{Device: device.Name, Address: address.Prefix.String(), On: address.On, Zone: address.Zone, Gateway: address.Gateway}
			if address.Admits != nil {
				view.Admits = office.Services(address.Admits)
			}
			if address.From.IsValid() {
				view.From, view.To = address.From.String(), address.To.String()
			}
			out = append(out, view)
		}
	}
	return out
}

func shapeView(o *office.Office, shape *office.Shape) ShapeView {
	other := o.Resolve(shape)
	return ShapeView{notation.Shape(*shape), VIDs(other.Untagged), VIDs(other.Tagged), int(other.PortVID()), [...]string{"", "all", "needed"}[other.Rest], shape.Use}
}

// UsesOf draws the uses.
func UsesOf(net *span.Net) []UseView {
	out, at := []UseView{}, map[string]int{}
	for i, use := range net.Office.Uses {
		out = append(out, UseView{Name: use.Name, Shape: shapeView(net.Office, &use.Shape)})
		at[use.Name] = i
	}
	for _, device := range net.Office.Devices {
		for port := range device.Ports {
			if shape, _ := net.Office.Written(device, port); shape.Use != "" {
				out[at[shape.Use]].Ports++
			}
		}
	}
	return out
}

// PlansOf draws the port plans.
func PlansOf(net *span.Net) []PlanView {
	out := []PlanView{}
	for _, plan := range net.Office.Plans {
		view := PlanView{Name: plan.Name, Text: notation.Thing(plan), Lines: []PlanLineView{}}
		texts := strings.Split(view.Text, "\n")[1:]
		for i, line := range plan.Lines {
			one := PlanLineView{Places: [][]int{}, Shape: shapeView(net.Office, &line.Shape)}
			for _, r := range line.Ports {
				one.Places = append(one.Places, []int{r.From, r.To})
			}
			one.Ports, _, _ = strings.Cut(strings.TrimSpace(texts[i]), ":")
			view.Lines = append(view.Lines, one)
		}
		out = append(out, view)
	}
	return out
}

// gateway is the gateway of a VLAN by name and address, as in "gate 10.61.110.1"; ""
// where it has none.
func gateway(net *span.Net, vid office.VID) string {
	gate := net.Gateways().First(vid)
	if !gate.Is() {
		return ""
	}
	return net.Office.Devices[gate.Dev].Name + " " + gate.Addr().String()
}

var portKinds = [...]string{office.Physical: "physical", office.Bundle: "bundle", office.Inner: "inner"}

// DeviceOf draws device i.
func DeviceOf(net *span.Net, i int) DeviceView {
	device := net.Office.Devices[i]
	view := DeviceView{Name: device.Name, Kind: device.Kind, Forwarding: device.Forwarding, Follows: device.Follows, Ports: make([]PortView, len(device.Ports))}
	view.Wording = device.Wording.String()
	view.Adjacent, view.Console, view.Facts, view.Spare = device.Adjacent, device.Console, device.Facts.ByWord(), net.Office.Spare(device)
	limits := device.Limits
	for _, name := range office.LimitNames {
		if most := *limits.Of(name); most > 0 {
			view.Limits = strings.TrimSpace(fmt.Sprintf("%s %s %d", view.Limits, name, most))
		}
	}
	if device.Manage != nil {
		view.ManageVID = int(device.Manage.VID)
		view.Manage = net.Name(device.Manage.VID)
		if device.Manage.Addr.IsValid() {
			view.Manage += " " + device.Manage.Addr.String()
		}
		view.ManageText = strings.TrimPrefix(notation.ManageText(device.Manage), "manage ")
	}
	if factory := device.Factory; factory != nil {
		view.Factory = notation.FactoryText(factory)
	}
	for _, speaks := range device.Speaks {
		view.Speaks = append(view.Speaks, speaks.String())
	}
	view.policy(device)
	sources := [...]string{office.FromNothing: "nothing", office.FromPort: "port", office.FromPlan: "plan", office.FromException: "exception"}
	var last *bridge.Port
	var tagged []int
	var ranges string
	for port := range device.Ports {
		one, compiled := &device.Ports[port], net.Tables[i].Ports[port]
		pv := PortView{Name: one.Name, Kind: portKinds[one.Kind], Flavour: one.Flavour, Speed: one.Speed.String(), Mode: one.Mode, Because: one.Because, Facts: one.Facts.ByWord()}
		for _, at := range one.Members {
			pv.Members = append(pv.Members, device.Ports[at].Name)
		}
		if one.Bundle > 0 {
			pv.Bundle = device.Ports[one.Bundle-1].Name
		} else {
			pv.Off = compiled.Off
		}
		shape, src := net.Office.Written(device, port)
		pv.Shape, pv.Source, pv.Use, pv.Inside = notation.Shape(*shape), sources[src], shape.Use, one.Inside
		if src == office.FromException {
			other, _ := net.Office.Planned(device, port)
			pv.Planned = notation.Shape(*other)
		}
		pv.Untagged, pv.PVID = VIDs(compiled.Untagged.VIDs()), int(compiled.PVID)
		if compiled != last { // neighbours are often alike
			last = compiled
			tagged, ranges = listed(&compiled.Tagged)
		}
		pv.Tagged, pv.Ranges = tagged, ranges
		for _, link := range net.Topo.LinksAt(i, port) {
			k := &net.Topo.Links[link]
			to := k.B
			if to.Dev == i && to.Port == port {
				to = k.A
			}
			pv.Cabled = append(pv.Cabled, net.Ref(to).String())
		}
		view.Ports[port] = pv
	}
	for _, k := range net.Topo.PlugsAt(i) {
		plug := net.Office.Plugs[k]
		pv := &view.Ports[device.Port(plug.Port.Port)]
		pv.Plugs = append(pv.Plugs, PlugView{plug.Name, int(plug.Wants), plug.Tagged, plug.Operator, addrText(plug.At), string(plug.MAC), plug.Facts.ByWord()})
	}
	return view
}

// cableLabels are what findings write on cables, by the names of both ends.
type cableLabels map[[2]string]struct {
	labels []string
	breaks bool
}

func labelsOf(list []*finding.Finding) cableLabels {
	out := cableLabels{}
	for _, one := range list {
		if one.Label != "" && (one.Severity == finding.Breaks || one.Code == finding.NeededDiffers && one.Cause == "") && len(one.Ports) == 2 {
			k := [2]string{one.Ports[0].String(), one.Ports[1].String()}
			x := out[k]
			x.labels, x.breaks = append(x.labels, one.Label), x.breaks || one.Severity == finding.Breaks
			out[k] = x
		}
	}
	return out
}

func linkView(net *span.Net, i int, labels cableLabels) LinkView {
	link := &net.Topo.Links[i]
	ref, other := net.Ref(link.A), net.Ref(link.B)
	view := LinkView{A: ref.String(), B: other.String(), Cables: len(link.Cables), Labels: []string{}}
	view.Mode = net.Office.Devices[link.A.Dev].Ports[link.A.Port].Mode
	carry := net.Carry(i)
	any := carry.AB
	any.AddAll(&carry.BA)
	view.VLANs, view.Ranges = listed(&any)
	if pa, pb := net.Port(link.A), net.Port(link.B); net.Aware(link.A.Dev) && net.Aware(link.B.Dev) && !pa.Off && !pb.Off {
		view.Uneven = pa.Untagged != pb.Untagged || pa.Tagged != pb.Tagged
	}
	if x := labels[[2]string{view.A, view.B}]; x.labels != nil {
		view.Broken, view.Labels = x.breaks, x.labels
	}
	return view
}
