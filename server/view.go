package server

import (
	"fmt"
	"slices"
	"strings"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// OfficeView is a whole office as the browser draws it. After an edit the same
// form comes with only the devices that changed.
type OfficeView struct {
	ID       int64         `json:"id" required:"true"`
	Title    string        `json:"title" required:"true"`
	Revision int64         `json:"revision" required:"true"`
	Whole    bool          `json:"whole" required:"true"`
	Order    []string      `json:"order" required:"true" nullable:"false"`
	VLANs    []VLANView    `json:"vlans" required:"true" nullable:"false"`
	Uses     []UseView     `json:"uses" required:"true" nullable:"false"`
	Plans    []PlanView    `json:"plans" required:"true" nullable:"false"`
	Devices  []DeviceView  `json:"devices" required:"true" nullable:"false"`
	Links    []LinkView    `json:"links" required:"true" nullable:"false"`
	Findings []api.Finding `json:"findings" required:"true" nullable:"false" description:"without mends: those are tried when they are asked for"`
	More     int           `json:"more,omitempty" description:"how many further findings there are"`
	Unlisted int           `json:"unlisted,omitempty" description:"how many further VLANs are on ports that the register does not know"`
	Author   string        `json:"author,omitempty"`
	Summary  string        `json:"summary,omitempty"`
}

// VLANView is a row of the board.
type VLANView struct {
	VID        int      `json:"vid" required:"true"`
	Name       string   `json:"name" required:"true"`
	Note       string   `json:"note,omitempty"`
	Nets       []string `json:"nets" required:"true" nullable:"false"`
	Gateway    string   `json:"gateway,omitempty"`
	Local      bool     `json:"local" required:"true"`
	Registered bool     `json:"registered" required:"true"`
	State      string   `json:"state" required:"true" enum:"unused,whole,split,merged"`
	Parts      int      `json:"parts" required:"true"`
	Only       string   `json:"only,omitempty" description:"where nobody else is in it: gateway, management, or parked for ports that are put away"`

	Addresses []AddressView `json:"addresses,omitempty"`
}

// AddressView is an address that a VLAN has on a device.
type AddressView struct {
	Device  string `json:"device" required:"true"`
	Address string `json:"address" required:"true" description:"with its prefix length"`
	On      string `json:"on,omitempty"`
	Zone    string `json:"zone,omitempty"`
	From    string `json:"from,omitempty" description:"the first address handed out"`
	To      string `json:"to,omitempty"`
}

// UseView is a shape with a name.
type UseView struct {
	Name  string    `json:"name" required:"true"`
	Shape ShapeView `json:"shape" required:"true"`
	Ports int       `json:"ports" required:"true" description:"how many ports have it, through plans too"`
}

// ShapeView is a shape as written and what is in it.
type ShapeView struct {
	Text     string `json:"text" required:"true"`
	Untagged []int  `json:"untagged" required:"true" nullable:"false"`
	Tagged   []int  `json:"tagged" required:"true" nullable:"false"`
	PVID     int    `json:"pvid" required:"true"`
	Rest     string `json:"rest,omitempty" description:"all or needed, where such VLANs are tagged too"`
	Use      string `json:"use,omitempty"`
}

// PlanView is a port plan.
type PlanView struct {
	Name  string         `json:"name" required:"true"`
	Text  string         `json:"text" required:"true" description:"the plan in notation, lines after the first indented"`
	Lines []PlanLineView `json:"lines" required:"true" nullable:"false"`
}

// PlanLineView gives some places of a front a shape.
type PlanLineView struct {
	Places [][]int   `json:"places" required:"true" nullable:"false" description:"from and to, counted from 1; 0 is the last, -1 the one before"`
	Ports  string    `json:"ports" required:"true"`
	Shape  ShapeView `json:"shape" required:"true"`
}

// DeviceView is a group of columns of the board.
type DeviceView struct {
	Name       string     `json:"name" required:"true"`
	Kind       string     `json:"kind" required:"true"`
	Forwarding string     `json:"forwarding" required:"true"`
	Follows    string     `json:"follows,omitempty"`
	Wording    string     `json:"wording,omitempty"`
	Manage     string     `json:"manage,omitempty"`
	ManageVID  int        `json:"manageVid,omitempty"`
	Limits     string     `json:"limits,omitempty" description:"as in notation: vlans 64 rows 16"`
	Adjacent   bool       `json:"adjacent,omitempty" description:"bundles want adjacent ports"`
	Ports      []PortView `json:"ports" required:"true" nullable:"false"`
}

// PortView is a column of the board, before columns are folded.
type PortView struct {
	Name     string     `json:"name" required:"true"`
	Kind     string     `json:"kind" required:"true" enum:"physical,bundle,inner"`
	Flavour  string     `json:"flavour,omitempty"`
	Speed    string     `json:"speed,omitempty"`
	Mode     string     `json:"mode,omitempty"`
	Members  []string   `json:"members,omitempty"`
	Bundle   string     `json:"bundle,omitempty"`
	Inside   string     `json:"inside,omitempty" description:"its name inside the device, where it differs"`
	Shape    string     `json:"shape" required:"true"`
	Use      string     `json:"use,omitempty"`
	Planned  string     `json:"planned,omitempty" description:"what the plan says, where the port is an exception"`
	Off      bool       `json:"off,omitempty"`
	Untagged []int      `json:"untagged" required:"true" nullable:"false"`
	Tagged   []int      `json:"tagged" required:"true" nullable:"false"`
	Ranges   string     `json:"ranges,omitempty" description:"the tagged VLANs where they are many, and tagged is empty: 110,120-190"`
	PVID     int        `json:"pvid" required:"true"`
	Source   string     `json:"source" required:"true" enum:"nothing,port,plan,exception"`
	Because  string     `json:"because,omitempty"`
	Cabled   []string   `json:"cabled,omitempty"`
	Plugs    []PlugView `json:"plugs,omitempty"`
}

// PlugView is what is plugged into a port.
type PlugView struct {
	Name     string `json:"name" required:"true"`
	Wants    int    `json:"wants" required:"true"`
	Tagged   bool   `json:"tagged" required:"true"`
	Operator bool   `json:"operator" required:"true"`
}

// LinkView is a bracket under the board: a cable, or a bundle's cables as one.
type LinkView struct {
	A      string   `json:"a" required:"true"`
	B      string   `json:"b" required:"true"`
	Cables int      `json:"cables" required:"true"`
	Mode   string   `json:"mode,omitempty"`
	VLANs  []int    `json:"vlans" required:"true" nullable:"false"`
	Ranges string   `json:"ranges,omitempty" description:"the VLANs where they are many, and vlans is empty"`
	Broken bool     `json:"broken" required:"true"`
	Uneven bool     `json:"uneven,omitempty" description:"its ends are in different VLANs, and nothing breaks by that"`
	Labels []string `json:"labels" required:"true" nullable:"false"`
}

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
		return api.VIDs(s.VIDs()), ""
	}
	return []int{}, s.Ranges()
}

// view draws an office; before is what the browser has, nil for nothing.
func view(id, revision int64, r *finding.Report) *OfficeView {
	n := r.Net
	v := &OfficeView{ID: id, Title: n.Office.Title, Revision: revision, Whole: true, Order: []string{}, Devices: []DeviceView{}, Links: []LinkView{}}
	for _, i := range n.Topo.Outwards(n.Office) {
		v.Order = append(v.Order, n.Office.Devices[i].Name)
	}
	list := r.List()
	v.More = max(0, len(list)-mostFindings)
	v.Findings = api.Findings(r, list[:min(len(list), mostFindings)], 0)
	v.VLANs, v.Unlisted = vlanViews(n)
	v.Uses, v.Plans = useViews(n), planViews(n)
	for i := range n.Office.Devices {
		v.Devices = append(v.Devices, deviceView(n, i))
	}
	v.Links = linkViews(n, list)
	return v
}

// since is v with only the devices that differ from those of an older view.
func (v *OfficeView) since(old *OfficeView) *OfficeView {
	d := *v
	if old == nil || !slices.Equal(v.Order, old.Order) {
		return &d
	}
	was := make(map[string]*DeviceView, len(old.Devices))
	for i := range old.Devices {
		was[old.Devices[i].Name] = &old.Devices[i]
	}
	d.Whole = false
	d.Devices = slices.DeleteFunc(slices.Clone(v.Devices), func(x DeviceView) bool {
		o := was[x.Name]
		return o != nil && sameDevice(o, &x)
	})
	return &d
}

func sameDevice(a, b *DeviceView) bool {
	return a.Kind == b.Kind && a.Forwarding == b.Forwarding && a.Follows == b.Follows && a.Wording == b.Wording && a.Manage == b.Manage && a.ManageVID == b.ManageVID && a.Limits == b.Limits && a.Adjacent == b.Adjacent &&
		slices.EqualFunc(a.Ports, b.Ports, func(p, q PortView) bool {
			return p.Name == q.Name && p.Shape == q.Shape && p.Because == q.Because && p.Source == q.Source && p.PVID == q.PVID && p.Off == q.Off &&
				p.Bundle == q.Bundle && p.Use == q.Use && p.Planned == q.Planned && p.Inside == q.Inside && p.Ranges == q.Ranges && p.Flavour == q.Flavour && p.Kind == q.Kind && p.Mode == q.Mode && p.Speed == q.Speed && slices.Equal(p.Untagged, q.Untagged) && slices.Equal(p.Tagged, q.Tagged) &&
				slices.Equal(p.Cabled, q.Cabled) && slices.Equal(p.Plugs, q.Plugs) && slices.Equal(p.Members, q.Members)
		})
}

func vlanViews(n *span.Net) (out []VLANView, unlisted int) {
	out = []VLANView{}
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
	for v := range rows.All() {
		x := VLANView{VID: int(v), Nets: []string{}, State: span.Unused.String()}
		reg := n.Office.VLAN(v)
		if r := n.VLAN(v); r != nil {
			x.State, x.Parts = r.State.String(), r.Parts
			if reg == nil && r.State == span.Unused && !there.Has(v) {
				continue
			}
		}
		if reg == nil {
			if unknown++; unknown > mostUnknown {
				unlisted++
				continue
			}
		}
		if reg != nil {
			x.Registered, x.Name, x.Note, x.Local = true, reg.Name, reg.Note, reg.Local
			for _, p := range reg.Nets {
				x.Nets = append(x.Nets, p.String())
			}
		}
		x.Only = only(n, v)
		x.Gateway = gateway(n.Office, v)
		x.Addresses = addressViews(n.Office, v)
		out = append(out, x)
	}
	return out, unlisted
}

// only says who alone is in a VLAN, "" where others are, or nobody.
func only(n *span.Net, v office.VID) string {
	if n.IsParked(v) {
		return "parked"
	}
	r := n.VLAN(v)
	if r == nil || r.State != span.Whole || slices.ContainsFunc(n.Office.Plugs, func(p office.Plug) bool { return p.Wants == v }) {
		return ""
	}
	for _, s := range r.Spans {
		if len(n.Terminals(s, v)) > 0 {
			return ""
		}
	}
	if slices.ContainsFunc(n.Office.Devices, func(d *office.Device) bool { return d.Manage != nil && d.Manage.VID == v }) {
		return "management"
	}
	return "gateway"
}

// onPorts is the VLANs that a port has, or a PVID.
func onPorts(n *span.Net) (s office.Set) {
	for i, t := range n.Tables {
		for p, c := range t.Ports {
			if n.Office.Devices[i].Ports[p].Kind != office.Inner {
				s.AddAll(&c.Untagged)
				s.AddAll(&c.Tagged)
				s.Add(c.PVID)
			}
		}
	}
	s.Remove(0)
	return s
}

func addressViews(o *office.Office, v office.VID) (out []AddressView) {
	for _, d := range o.Devices {
		for _, a := range d.Addresses {
			if a.VID != v {
				continue
			}
			x := AddressView{Device: d.Name, Address: a.Prefix.String(), On: a.On, Zone: a.Zone}
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
	return ShapeView{notation.Shape(*s), api.VIDs(r.Untagged), api.VIDs(r.Tagged), int(r.PortVID()), [...]string{"", "all", "needed"}[r.Rest], s.Use}
}

func useViews(n *span.Net) []UseView {
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

func planViews(n *span.Net) []PlanView {
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

// gateway is "gate .1" or "gate 10.61.110.1": the first address of a VLAN.
func gateway(o *office.Office, v office.VID) string {
	for _, d := range o.Devices {
		for _, a := range d.Addresses {
			if a.VID == v {
				return d.Name + " " + a.Prefix.Addr().String()
			}
		}
	}
	return ""
}

var portKinds = [...]string{office.Physical: "physical", office.Bundle: "bundle", office.Inner: "inner"}

func deviceView(n *span.Net, i int) DeviceView {
	d := n.Office.Devices[i]
	v := DeviceView{Name: d.Name, Kind: string(d.Kind), Forwarding: d.Forwarding.String(), Follows: d.Follows, Ports: make([]PortView, len(d.Ports))}
	v.Wording = strings.Join(append([]string{d.Wording.Name}, d.Wording.Habits...), " ")
	v.Adjacent = d.Adjacent
	for _, l := range []struct {
		name string
		most int
	}{{"vlans", d.Limits.VLANs}, {"addresses", d.Limits.Addresses}, {"zones", d.Limits.Zones}, {"rows", d.Limits.Rows}} {
		if l.most > 0 {
			v.Limits = strings.TrimSpace(fmt.Sprintf("%s %s %d", v.Limits, l.name, l.most))
		}
	}
	if d.Manage != nil {
		v.ManageVID = int(d.Manage.VID)
		v.Manage = n.Name(d.Manage.VID)
		if d.Manage.Addr.IsValid() {
			v.Manage += " " + d.Manage.Addr.String()
		}
	}
	sources := [...]string{office.FromNothing: "nothing", office.FromPort: "port", office.FromPlan: "plan", office.FromException: "exception"}
	var last *bridge.Port
	var tagged []int
	var ranges string
	for p := range d.Ports {
		x, c := &d.Ports[p], n.Tables[i].Ports[p]
		pv := PortView{Name: x.Name, Kind: portKinds[x.Kind], Flavour: string(x.Flavour), Speed: x.Speed.String(), Mode: string(x.Mode), Because: x.Because}
		for _, m := range x.Members {
			pv.Members = append(pv.Members, d.Ports[m].Name)
		}
		if x.Bundle > 0 {
			pv.Bundle = d.Ports[x.Bundle-1].Name
		} else {
			pv.Off = c.Off
		}
		w, src := n.Office.Written(d, p)
		pv.Shape, pv.Source, pv.Use, pv.Inside = notation.Shape(*w), sources[src], w.Use, x.Inside
		if src == office.FromException {
			s, _ := n.Office.Planned(d, p)
			pv.Planned = notation.Shape(*s)
		}
		pv.Untagged, pv.PVID = api.VIDs(c.Untagged.VIDs()), int(c.PVID)
		if c != last { // neighbours are often alike
			last = c
			tagged, ranges = listed(&c.Tagged)
		}
		pv.Tagged, pv.Ranges = tagged, ranges
		for _, l := range n.Topo.LinksAt(i, p) {
			k := &n.Topo.Links[l]
			to := k.B
			if to.Dev == i && to.Port == p {
				to = k.A
			}
			pv.Cabled = append(pv.Cabled, n.Ref(to).String())
		}
		v.Ports[p] = pv
	}
	for _, k := range n.Topo.PlugsAt(i) {
		g := n.Office.Plugs[k]
		pv := &v.Ports[d.Port(g.Port.Port)]
		pv.Plugs = append(pv.Plugs, PlugView{g.Name, int(g.Wants), g.Tagged, g.Operator})
	}
	return v
}

func linkViews(n *span.Net, list []*finding.Finding) []LinkView {
	labels, breaks := map[[2]office.PortRef][]string{}, map[[2]office.PortRef]bool{}
	for _, f := range list {
		if f.Label != "" && (f.Severity == finding.Breaks || f.Code == "needed-differs" && f.Cause == "") && len(f.Ports) == 2 {
			k := [2]office.PortRef{f.Ports[0], f.Ports[1]}
			labels[k] = append(labels[k], f.Label)
			breaks[k] = breaks[k] || f.Severity == finding.Breaks
		}
	}
	out := []LinkView{}
	for i := range n.Topo.Links {
		l := &n.Topo.Links[i]
		a, b := n.Ref(l.A), n.Ref(l.B)
		v := LinkView{A: a.String(), B: b.String(), Cables: len(l.Cables), Labels: []string{}}
		v.Mode = string(n.Office.Devices[l.A.Dev].Ports[l.A.Port].Mode)
		c := n.Carry(i)
		any := c.AB
		any.AddAll(&c.BA)
		v.VLANs, v.Ranges = listed(&any)
		if pa, pb := n.Port(l.A), n.Port(l.B); n.Aware(l.A.Dev) && n.Aware(l.B.Dev) && !pa.Off && !pb.Off {
			v.Uneven = pa.Untagged != pb.Untagged || pa.Tagged != pb.Tagged
		}
		if ls := labels[[2]office.PortRef{a, b}]; ls != nil {
			v.Broken, v.Labels = breaks[[2]office.PortRef{a, b}], ls
		}
		out = append(out, v)
	}
	return out
}
