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

func about(code Code, what ...any) string {
	var b strings.Builder
	b.WriteString(string(code))
	for _, w := range what {
		fmt.Fprintf(&b, " %v", w)
	}
	return b.String()
}

// compare is the stable order of the list: what breaks first, then by code,
// VLAN and port.
func compare(a, b *Finding) int {
	first := func(f *Finding) (office.VID, office.PortRef) {
		var vid office.VID
		var ref office.PortRef
		if len(f.VLANs) > 0 {
			vid = f.VLANs[0]
		}
		if len(f.Ports) > 0 {
			ref = f.Ports[0]
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
func (r *Report) Within(e *effort.Effort) *Report {
	within := *r
	within.Net = r.Net.Within(e)
	return &within
}

// inOrder is the list of a report, made when somebody asks for it.
type inOrder struct {
	once sync.Once
	list []*Finding
}

// check is what the functions of one code write to.
type check struct {
	n      *span.Net
	talk   *talk.Table
	out    []Finding
	ports  []portFault
	faults []cableFault
}

func (c *check) add(f Finding) {
	f.Severity = ranks[f.Code].severity
	c.out = append(c.out, f)
}

// Check finds everything in an office.
func Check(n *span.Net) *Report { return new(Report).Update(n) }

// Update finds everything in an office that was updated from the report's own,
// looking anew only at what the update touched.
func (r *Report) Update(n *span.Net) *Report {
	devices, links, vlans, fresh := n.Delta()
	s := *r
	s.Net, s.list = n, &inOrder{}
	fresh = fresh || r.Net == nil || !slices.Equal(r.Net.Office.Services, n.Office.Services) || manageMoved(r.Net.Office, n.Office, devices) || *r.Net.Parked() != *n.Parked()
	if fresh {
		s = Report{Net: n, list: &inOrder{}, links: make([][]Finding, len(n.Topo.Links)), devices: make([][]Finding, len(n.Office.Devices))}
		for i := range s.links {
			s.links[i] = findIn(n, func(c *check) { c.link(i) })
		}
		for i := range s.devices {
			s.devices[i] = findIn(n, func(c *check) { c.device(i) })
		}
		vlans = *n.Used()
		if r.Net != nil {
			vlans.AddAll(r.Net.Used())
		}
	} else {
		s.links, s.devices = slices.Clone(r.links), slices.Clone(r.devices)
		todo := map[int]bool{}
		for _, l := range links {
			todo[l] = true
		}
		for i, found := range s.devices { // its mend moves a plug to another device's free port
			if slices.ContainsFunc(found, func(f Finding) bool { return f.Code == Unsayable }) && !slices.Contains(devices, i) {
				s.devices[i] = findIn(n, func(c *check) { c.device(i) })
			}
		}
		for _, i := range devices {
			s.devices[i] = findIn(n, func(c *check) { c.device(i) })
			for p := range n.Office.Devices[i].Ports {
				for _, l := range n.Topo.LinksAt(i, p) {
					todo[l] = true
				}
			}
		}
		for l := range todo {
			s.links[l] = findIn(n, func(c *check) { c.link(l) })
		}
	}
	if !fresh {
		for v := range n.Used().All() { // their sentences and mends speak of ports on the way
			if slices.ContainsFunc(s.vlans.Get(v), func(f Finding) bool { return f.Code != NoGateway && f.Code != Unused }) || s.faults.Get(v) != nil {
				vlans.Add(v)
			}
		}
	}
	for vid := range vlans.All() {
		c := check{n: n}
		if x := n.VLAN(vid); x != nil {
			c.vlan(x)
		}
		if c.out != nil || s.vlans.Get(vid) != nil {
			s.vlans.Set(vid, c.out)
		}
		if c.faults != nil || s.faults.Get(vid) != nil {
			s.faults.Set(vid, c.faults)
		}
	}
	s.cables = findIn(n, func(c *check) {
		for v := range n.Used().All() {
			c.faults = append(c.faults, s.faults.Get(v)...)
		}
		c.cables()
	})
	if fresh || addressesChanged(r.Net.Office, n.Office, devices) || wanted(r.Net.Office) != wanted(n.Office) {
		s.addressing = findIn(n, (*check).addressing)
	}
	switch {
	case r.Net == nil || fresh && !slices.Equal(r.Net.Office.Services, n.Office.Services):
		s.talk = talk.NewTable(n)
	default:
		s.talk = r.talk.Update(n)
	}
	s.office = findIn(n, func(c *check) {
		c.talk = s.talk
		c.management()
		c.gatewayUnclear()
		c.noOutside()
		c.plugAddresses()
		c.handoutOpen()
	})
	if fresh || !s.talk.Kept(r.talk) {
		s.talking = findIn(n, func(c *check) {
			c.talk = s.talk
			c.talks()
		})
	}
	return &s
}

// manageMoved says whether a device came to be managed elsewhere: which VLAN is
// the management's decides which mend of any cable goes first.
func manageMoved(was, is *office.Office, devices []int) bool {
	return slices.ContainsFunc(devices, func(i int) bool { return was.Devices[i].Manage != is.Devices[i].Manage })
}

func addressesChanged(was, is *office.Office, devices []int) bool {
	return slices.ContainsFunc(devices, func(i int) bool {
		a, b := was.Devices[i], is.Devices[i]
		return !office.SameAddresses(a.Addresses, b.Addresses) || a.Manage != b.Manage
	})
}

// wanted is the VLANs that plugs want: two gateways are a fault where a host has
// to choose.
func wanted(o *office.Office) (vlans office.Set) {
	for _, p := range o.Plugs {
		vlans.Add(p.Wants)
	}
	return vlans
}

func findIn(n *span.Net, f func(c *check)) []Finding {
	c := check{n: n}
	f(&c)
	return c.out
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
	for v := range r.Net.Used().All() {
		if !all(r.vlans.Get(v)) {
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

func (r *Report) inOrder() []*Finding {
	list := slices.SortedStableFunc(r.each, compare)
	for i, f := range list {
		if f.Code != NeededDiffers {
			continue
		}
		for _, g := range list { // a cable that does not carry what is needed is that fault
			if g.Code == NotCarried && slices.Equal(f.Ports, g.Ports) && !slices.ContainsFunc(f.VLANs, func(v office.VID) bool { return !slices.Contains(g.VLANs, v) }) {
				same := *f
				same.Cause = g.ID
				list[i] = &same
				break
			}
		}
	}
	return list
}

// Breaks says whether anything in the office breaks.
func (r *Report) Breaks() bool {
	for f := range r.each {
		if f.Severity == Breaks {
			return true
		}
	}
	return false
}

// Mends tries a finding's mends and gives those that remove it and bring
// nothing new that breaks. For several findings, [Report.Tries] is quicker.
func (r *Report) Mends(f *Finding) [][]string { return r.Tries()(f) }

// Tries is [Report.Mends] for any number of findings of the report.
func (r *Report) Tries() func(*Finding) [][]string {
	before := map[string]*Finding{}
	for f := range r.each {
		before[f.ID] = f
	}
	holds := func(f *Finding, lines []string) bool {
		o, _, err := notation.Line(r.Net.Office, strings.Join(lines, "\n"))
		if err != nil {
			return false
		}
		after := r.Net.Update(o)
		if !keepsService(r.Net, after) {
			return false
		}
		for g := range r.Update(after).each {
			if g.ID == f.ID || g.Severity == Breaks && g.grown(before[g.ID]) || f.Code == Loop && g.remains(f) {
				return false
			}
		}
		return true
	}
	return func(f *Finding) (good [][]string) {
		for _, one := range f.Singly() {
			if m := one.Mends[0]; len(m) > 0 && holds(f, m) {
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
	return f.Code == of.Code && !beyond(f.Ports, of.Ports) && slices.ContainsFunc(f.VLANs, func(v office.VID) bool { return slices.Contains(of.VLANs, v) })
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
func portName(r office.PortRef) string {
	if strings.Contains(r.Port, " ") {
		return fmt.Sprintf("%s “%s”", r.Device, r.Port)
	}
	return r.Device + " " + r.Port
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
	o := c.n.Office
	for i := 0; i < len(refs); {
		device := o.Devices[c.n.Topo.DeviceIndex(refs[i].Device)]
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
func set(r office.PortRef, s office.Shape) string {
	return notation.Thing(office.Setting{Port: r, Shape: &s})
}

// vlanNames is a list of VLANs, cut off where nobody would read on.
func (c *check) vlanNames(vs []office.VID) string {
	const most = 6
	var names []string
	for _, v := range vs[:min(len(vs), most)] {
		names = append(names, c.n.Name(v))
	}
	if len(vs) > most {
		names = append(names, fmt.Sprintf("%d more", len(vs)-most))
	}
	return listed(names)
}
