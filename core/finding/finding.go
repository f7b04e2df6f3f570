// Package finding says what is wrong or unwise in an office: one small
// function a code, each with the smallest office that has it.
//
// A finding names the VLANs and ports that it is about and says in one
// sentence what happens to frames. Where it can be computed it carries mends:
// each a list of statements in bracket notation that, typed on the line, would
// remove it. One fault has one root; findings that only follow from another
// name it as their cause.
package finding

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"

	"klammer/core/effort"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// Severity says how bad it is.
type Severity uint8

const (
	Breaks Severity = iota // frames do not go where they should
	Risk                   // they do now, and may not tomorrow
	Tidy                   // nothing happens, but it is in the way
)

func (s Severity) String() string { return [...]string{"breaks", "risk", "tidy"}[s] }

// Finding is one thing wrong or unwise.
type Finding struct {
	Code     Code
	Severity Severity
	VLANs    []office.VID
	Ports    []office.PortRef
	Text     string
	Label    string // a few words for a drawing of the cable; "" where it is about none
	// Mends are ways out, each a list of statements for the line. They are
	// proposals until [Report.Mends] has tried them.
	Mends [][]string
	// propose gives further ones, which take work to find; nil for none.
	propose func() [][]string
	// ID is the same as long as the fault is: the code and what it is about.
	ID string
	// Cause is the ID of the finding that this one follows from; "" for a root.
	Cause string

	// Devices is what it is about where it names no port.
	Devices []string
	Rule    int    // the rule of its device that it is about, counted from 1; 0 for none
	Wish    string // the wish that it is about, in notation; "" for none
}

// about is the id of a finding: its code and what it is about. It must not change while the fault
// is the same, as people tick findings off by it and mends are asked for by it.
func about(code Code, what ...any) string {
	var text strings.Builder
	text.WriteString(string(code))
	for _, w := range what {
		fmt.Fprintf(&text, " %v", w)
	}
	return text.String()
}

// compare is the stable order of the list: what breaks first, then by code,
// VLAN and port.
func compare(a, b *Finding) int {
	first := func(finding *Finding) (office.VID, office.PortRef) {
		var vid office.VID
		var ref office.PortRef
		if len(finding.VLANs) > 0 {
			vid = finding.VLANs[0]
		}
		if len(finding.Ports) > 0 {
			ref = finding.Ports[0]
		}
		return vid, ref
	}
	av, ap := first(a)
	bv, bp := first(b)
	return cmp.Or(cmp.Compare(ranks[a.Code].place, ranks[b.Code].place), cmp.Compare(av, bv), ap.Compare(bp),
		cmp.Compare(a.ID, b.ID))
}

// Report is the findings of an office, kept by what they depend on.
type Report struct {
	Net     *span.Net
	vlans   office.ByVID[[]Finding]
	faults  office.ByVID[[]cableFault] // what cables do to a VLAN
	cables  []Finding                  // made of them: a cable's faults are one, whatever VLANs they hit
	links   [][]Finding
	devices [][]Finding
	office  []Finding

	addressing []Finding
	talking    []Finding
	talk       *talk.Table
	list       *inOrder
}

// Within is the same report, looked at for a request that may cost so much.
func (r *Report) Within(one *effort.Effort) *Report {
	within := *r
	within.Net = r.Net.Within(one)
	return &within
}

// inOrder is the list of a report, made when somebody asks for it.
type inOrder struct {
	once sync.Once
	list []*Finding
}

// check is what the functions of one code write to.
type check struct {
	net    *span.Net
	talk   *talk.Table
	out    []Finding
	ports  []portFault
	faults []cableFault
}

func (c *check) add(finding Finding) {
	finding.Severity = ranks[finding.Code].severity
	c.out = append(c.out, finding)
}

// Check finds everything in an office.
func Check(net *span.Net) *Report { return new(Report).Update(net) }

// Update finds everything in an office that was updated from the report's own,
// looking anew only at what the update touched.
//
// Many branches: each list of findings has rules of its own for what it keeps and what is
// found anew.
func (r *Report) Update(net *span.Net) *Report {
	devices, links, vlans, fresh := net.Delta()
	report := *r
	report.Net, report.list = net, &inOrder{}
	fresh = fresh || r.Net == nil || !slices.Equal(r.Net.Office.Services, net.Office.Services) || manageMoved(r.Net.Office, net.Office, devices) || *r.Net.Parked() != *net.Parked()
	if fresh {
		report = Report{Net: net, list: &inOrder{}, links: make([][]Finding, len(net.Topo.Links)), devices: make([][]Finding, len(net.Office.Devices))}
		for i := range report.links {
			report.links[i] = findIn(net, func(check *check) { check.link(i) })
		}
		for i := range report.devices {
			report.devices[i] = findIn(net, func(check *check) { check.device(i) })
		}
		vlans = *net.Used()
		if r.Net != nil {
			vlans.AddAll(r.Net.Used())
		}
	} else {
		report.links, report.devices = slices.Clone(r.links), slices.Clone(r.devices)
		report.touched(devices, links)
		for vid := range net.Used().All() { // their sentences and mends speak of ports on the way
			if slices.ContainsFunc(report.vlans.Get(vid), func(finding Finding) bool { return finding.Code != NoGateway && finding.Code != Unused }) || report.faults.Get(vid) != nil {
				vlans.Add(vid)
			}
		}
	}
	for vid := range vlans.All() {
		report.vlan(vid)
	}
	report.cables = findIn(net, func(check *check) {
		for vid := range net.Used().All() {
			check.faults = append(check.faults, report.faults.Get(vid)...)
		}
		check.cables()
	})
	if fresh || addressesChanged(r.Net.Office, net.Office, devices) || wanted(r.Net.Office) != wanted(net.Office) {
		report.addressing = findIn(net, (*check).addressing)
	}
	switch {
	case r.Net == nil || fresh && !slices.Equal(r.Net.Office.Services, net.Office.Services):
		report.talk = talk.NewTable(net)
	default:
		report.talk = r.talk.Update(net)
	}
	report.office = findIn(net, func(check *check) {
		check.talk = report.talk
		check.management()
		check.gatewayUnclear()
		check.noOutside()
		check.plugAddresses()
		check.handoutOpen()
	})
	if fresh || !report.talk.Kept(r.talk) {
		report.talking = findIn(net, func(check *check) {
			check.talk = report.talk
			check.talks()
		})
	}
	return &report
}

// touched finds anew what is in devices and links that an edit touched.
func (r *Report) touched(devices, links []int) {
	net := r.Net
	todo := map[int]bool{}
	for _, l := range links {
		todo[l] = true
	}
	for i, found := range r.devices { // its mend moves a plug to another device's free port
		if slices.ContainsFunc(found, func(finding Finding) bool { return finding.Code == Unsayable }) && !slices.Contains(devices, i) {
			r.devices[i] = findIn(net, func(check *check) { check.device(i) })
		}
	}
	for _, i := range devices {
		r.devices[i] = findIn(net, func(check *check) { check.device(i) })
		for port := range net.Office.Devices[i].Ports {
			for _, l := range net.Topo.LinksAt(i, port) {
				todo[l] = true
			}
		}
	}
	for l := range todo {
		r.links[l] = findIn(net, func(check *check) { check.link(l) })
	}
}

// vlan finds anew what is in a VLAN.
func (r *Report) vlan(vid office.VID) {
	one := check{net: r.Net}
	if vlan := r.Net.VLAN(vid); vlan != nil {
		one.vlan(vlan)
	}
	if one.out != nil || r.vlans.Get(vid) != nil {
		r.vlans.Set(vid, one.out)
	}
	if one.faults != nil || r.faults.Get(vid) != nil {
		r.faults.Set(vid, one.faults)
	}
}

// manageMoved says whether a device came to be managed elsewhere: which VLAN is
// the management's decides which mend of any cable goes first.
func manageMoved(was, is *office.Office, devices []int) bool {
	return slices.ContainsFunc(devices, func(i int) bool { return was.Devices[i].Manage != is.Devices[i].Manage })
}

// addressesChanged says whether any of these devices has other addresses or another management than
// before; only then are findings about subnets worked out anew.
func addressesChanged(was, is *office.Office, devices []int) bool {
	return slices.ContainsFunc(devices, func(i int) bool {
		device, other := was.Devices[i], is.Devices[i]
		return !office.SameAddresses(device.Addresses, other.Addresses) || device.Manage != other.Manage
	})
}

// wanted is the VLANs that plugs want: two gateways are a fault where a host has
// to choose.
func wanted(o *office.Office) (vlans office.Set) {
	for _, plug := range o.Plugs {
		vlans.Add(plug.Wants)
	}
	return vlans
}

func findIn(net *span.Net, f func(one *check)) []Finding {
	one := check{net: net}
	f(&one)
	return one.out
}

// each yields the findings in no order that means anything.
func (r *Report) each(yield func(*Finding) bool) {
	all := func(fs []Finding) bool {
		for i := range fs {
			if !yield(&fs[i]) {
				return false
			}
		}
		return true
	}
	for vid := range r.Net.Used().All() {
		if !all(r.vlans.Get(vid)) {
			return
		}
	}
	for _, kept := range [][][]Finding{r.links, r.devices, {r.addressing, r.office, r.cables, r.talking}} {
		for _, fs := range kept {
			if !all(fs) {
				return
			}
		}
	}
}

// Talk is who may talk to whom in the report's office.
func (r *Report) Talk() *talk.Table { return r.talk }

// List gives the findings in their stable order. It is not to be changed.
func (r *Report) List() []*Finding {
	r.list.once.Do(func() { r.list.list = r.inOrder() })
	return r.list.list
}

// inOrder is the list as it is shown. Where the ends of a cable differ in what is needed and the
// cable does not carry just that, the first is said to come of the second.
func (r *Report) inOrder() []*Finding {
	list := slices.SortedStableFunc(r.each, compare)
	for i, finding := range list {
		if finding.Code != NeededDiffers {
			continue
		}
		for _, other := range list { // a cable that does not carry what is needed is that fault
			if other.Code == NotCarried && slices.Equal(finding.Ports, other.Ports) && !slices.ContainsFunc(finding.VLANs, func(vid office.VID) bool { return !slices.Contains(other.VLANs, vid) }) {
				same := *finding
				same.Cause = other.ID
				list[i] = &same
				break
			}
		}
	}
	return list
}

// Breaks says whether anything in the office breaks.
func (r *Report) Breaks() bool {
	for finding := range r.each {
		if finding.Severity == Breaks {
			return true
		}
	}
	return false
}

// Mends tries a finding's mends and gives those that remove it and bring
// nothing new that breaks. For several findings, [Report.Tries] is quicker.
func (r *Report) Mends(finding *Finding) [][]string { return r.Tries()(finding) }

// Tries is [Report.Mends] for any number of findings of the report.
func (r *Report) Tries() func(*Finding) [][]string {
	before := map[string]*Finding{}
	for finding := range r.each {
		before[finding.ID] = finding
	}
	holds := func(finding *Finding, lines []string) bool {
		o, _, err := notation.Line(r.Net.Office, strings.Join(lines, "\n"))
		if err != nil {
			return false
		}
		after := r.Net.Update(o)
		if !keepsService(r.Net, after) {
			return false
		}
		for other := range r.Update(after).each {
			if other.ID == finding.ID || other.Severity == Breaks && other.grown(before[other.ID]) || finding.Code == Loop && other.remains(finding) {
				return false
			}
		}
		return true
	}
	return func(finding *Finding) (good [][]string) {
		for _, one := range finding.Singly() {
			if m := one.Mends[0]; len(m) > 0 && holds(finding, m) {
				good = append(good, m)
			}
		}
		return good
	}
}

// Singly is the finding once for each of its mends, with that one alone: for those
// who try them one after the other.
func (f *Finding) Singly() (out []*Finding) {
	mends := f.Mends
	if f.propose != nil {
		mends = slices.Concat(mends, f.propose())
	}
	for _, m := range mends {
		one := *f
		one.Mends, one.propose = [][]string{m}, nil
		out = append(out, &one)
	}
	return out
}

// Mendable says whether there may be ways out of it.
func (f *Finding) Mendable() bool { return len(f.Mends) > 0 || f.propose != nil }

// remains says whether a loop is what is left of another.
func (f *Finding) remains(of *Finding) bool {
	return f.Code == of.Code && !beyond(f.Ports, of.Ports) && slices.ContainsFunc(f.VLANs, func(vid office.VID) bool { return slices.Contains(of.VLANs, vid) })
}

// grown says whether a finding is new, or about more than it was.
func (f *Finding) grown(was *Finding) bool {
	return was == nil || f != was && (beyond(f.Ports, was.Ports) || beyond(f.VLANs, was.VLANs))
}

// beyond says whether a list has what the other has not.
func beyond[T comparable](list, other []T) bool {
	if slices.Equal(list, other) || len(list) == 0 {
		return false
	}
	has := make(map[T]bool, len(other))
	for _, x := range other {
		has[x] = true
	}
	return slices.ContainsFunc(list, func(x T) bool { return !has[x] })
}

// ---- words ----

// port is "rack 19": a port as people say it.
func portName(ref office.PortRef) string {
	if strings.Contains(ref.Port, " ") {
		return fmt.Sprintf("%s “%s”", ref.Device, ref.Port)
	}
	return ref.Device + " " + ref.Port
}

// listed is "a, b and c".
func listed(names []string) string {
	switch len(names) {
	case 0:
		return ""
	case 1:
		return names[0]
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// some is listed, cut off after most.
func some(names []string, most int) string {
	if len(names) > most {
		return listed(append(slices.Clone(names[:most]), fmt.Sprintf("%d more", len(names)-most)))
	}
	return listed(names)
}

// portList names ports by device, neighbours folded: "ward-east 5-6 and barn dicom".
func (c *check) portList(refs []office.PortRef, most int) string {
	var names []string
	o := c.net.Office
	for i := 0; i < len(refs); {
		device := o.Devices[c.net.Topo.DeviceIndex(refs[i].Device)]
		var at []int
		j := i
		for ; j < len(refs) && refs[j].Device == device.Name; j++ {
			at = append(at, device.Port(refs[j].Port))
		}
		slices.Sort(at)
		names = append(names, device.Name+" "+strings.ReplaceAll(notation.Ports(device, at), ",", ", "))
		i = j
	}
	return some(names, most)
}

// set is the statement that gives a port a shape.
func set(ref office.PortRef, shape office.Shape) string {
	return notation.Thing(office.Setting{Port: ref, Shape: &shape})
}

// vlanNames is a list of VLANs, cut off where nobody would read on.
func (c *check) vlanNames(vs []office.VID) string {
	const most = 6
	var names []string
	for _, vid := range vs[:min(len(vs), most)] {
		names = append(names, c.net.Name(vid))
	}
	if len(vs) > most {
		names = append(names, fmt.Sprintf("%d more", len(vs)-most))
	}
	return listed(names)
}
