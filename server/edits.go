package server

import (
	"errors"
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/rework"
	"klammer/core/span"
)

// EditRequest is one edit, made on the revision that the browser shows.
// Exactly one of member, pvid and lines says what it is.
type EditRequest struct {
	Base   int64          `json:"base" required:"true" minimum:"0" description:"the revision that the edit was made on"`
	ID     string         `json:"id,omitempty" maxLength:"64" description:"a name that the page gave the request: asked again, it is not made again"`
	Again  bool           `json:"again,omitempty" description:"it may have been made already: ask first"`
	Member *MemberRequest `json:"member,omitempty"`
	PVID   *PVIDRequest   `json:"pvid,omitempty"`
	Lines  []string       `json:"lines,omitempty" description:"statements in bracket notation, or one of the verbs of the line"`
}

// MemberRequest sets how VLANs stand on some ports. A port has one untagged
// VLAN, so untagged takes one.
type MemberRequest struct {
	VIDs  []int    `json:"vids" required:"true" nullable:"false"`
	Ports []string `json:"ports" required:"true" nullable:"false"`
	As    string   `json:"as" required:"true" enum:"untagged,tagged,none"`
}

// PVIDRequest sets the VLAN that untagged frames join on some ports; 0 is none.
type PVIDRequest struct {
	VID   int      `json:"vid" required:"true" minimum:"0" maximum:"4094"`
	Ports []string `json:"ports" required:"true" nullable:"false"`
}

// badField is a request that cannot mean anything; it names the field.
type badField struct {
	field, text string
	mistakes    []MistakeView
}

// MistakeView is one thing wrong in a text, at its place.
type MistakeView struct {
	Line   int    `json:"line" required:"true"`
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true"`
}

func (b *badField) Error() string { return b.field + ": " + b.text }

func bad(field, format string, args ...any) error {
	return &badField{field: field, text: fmt.Sprintf(format, args...)}
}

// planned is a request worked out on an office: the office as it would be, the
// edit that leads there, what it does in a few words, and what else to know.
type planned struct {
	office  *office.Office
	edit    office.Edit
	summary string
	notes   []string
}

func plan(n *span.Net, q *EditRequest) (*planned, error) {
	said := 0
	for _, x := range []bool{q.Member != nil, q.PVID != nil, q.Lines != nil} {
		if x {
			said++
		}
	}
	if said != 1 {
		return nil, bad("member", "an edit says exactly one of member, pvid and lines; this one says %d of them", said)
	}
	switch {
	case q.Member != nil:
		return planMember(n, q.Member)
	case q.PVID != nil:
		return planPVID(n, q.PVID)
	}
	return planLines(n, q.Lines)
}

// ports finds the ports of a request and groups what can be set: members of a
// bundle stand for their bundle.
func ports(o *office.Office, field string, names []string) ([]office.PortRef, error) {
	if len(names) == 0 {
		return nil, bad(field, "no port is named")
	}
	if len(names) > 4096 {
		return nil, bad(field, "%d ports at once: at most 4096", len(names))
	}
	var refs []office.PortRef
	seen := map[office.PortRef]bool{}
	for i, s := range names {
		r, err := notation.PortRef(o, s)
		if err != nil {
			return nil, bad(fmt.Sprintf("%s[%d]", field, i), "%s", err)
		}
		d := o.Device(r.Device)
		r.Port = d.Ports[d.Logical(d.Port(r.Port))].Name
		if !seen[r] {
			seen[r] = true
			refs = append(refs, r)
		}
	}
	return refs, nil
}

func setAll(n *span.Net, field string, refs []office.PortRef, shape func(dev, port int) office.Shape) (*office.Office, office.Edit, error) {
	draft := office.NewDraft(n.Office)
	for _, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		d := n.Office.Devices[i]
		p := d.Port(r.Port)
		s := shape(i, p)
		set := &s
		if was, src := n.Office.Effective(d, p); was.Equal(s) && src != office.FromNothing {
			continue // nothing new: a use or a plan stays as it is
		} else if planned, ok := n.Office.Planned(d, p); ok && n.Office.Resolve(planned).Equal(s) {
			set = nil // back to what the plan says
		}
		because := d.Ports[p].Because
		if set == nil {
			because = ""
		}
		if err := draft.Set(r, set, because); err != nil {
			return nil, nil, bad(field, "%s: %s", r, err)
		}
	}
	o, e := draft.Done()
	return o, e, nil
}

func portNames(o *office.Office, refs []office.PortRef) string {
	var out []string
	for i := 0; i < len(refs); {
		d := o.Device(refs[i].Device)
		var at []int
		j := i
		for ; j < len(refs) && refs[j].Device == d.Name; j++ {
			at = append(at, d.Port(refs[j].Port))
		}
		out = append(out, d.Name+" "+notation.Ports(d, at))
		i = j
	}
	if len(out) > 4 {
		out = append(out[:3], fmt.Sprintf("%d more devices", len(out)-3))
	}
	return strings.Join(out, ", ")
}

func planMember(n *span.Net, q *MemberRequest) (*planned, error) {
	as, ok := map[string]office.Membership{"untagged": office.Untagged, "tagged": office.Tagged, "none": office.NotMember}[q.As]
	if !ok {
		return nil, bad("member.as", "%q is no way to be in a VLAN: untagged, tagged or none", q.As)
	}
	var names []string
	var vids []office.VID
	for i, k := range q.VIDs {
		v, err := office.VIDOf(k)
		if err != nil {
			return nil, bad(fmt.Sprintf("member.vids[%d]", i), "%s", err)
		}
		vids, names = append(vids, v), append(names, n.Name(v))
	}
	if len(vids) == 0 {
		return nil, bad("member.vids", "no VLAN is named")
	}
	if as == office.Untagged && len(vids) > 1 {
		return nil, bad("member.vids", "a port has one untagged VLAN: select one row")
	}
	refs, err := ports(n.Office, "member.ports", q.Ports)
	if err != nil {
		return nil, err
	}
	o, e, err := setAll(n, "member.vids", refs, func(dev, port int) office.Shape {
		was, _ := n.Shape(dev, port)
		s := *was
		for i, v := range vids {
			if now := n.Tables[dev].Ports[port].Of(v); now == as && !s.Off && (as != office.Untagged || len(s.Untagged) == 1 && !s.PVIDSet) {
				continue
			}
			if i == 0 {
				s = n.With(dev, port, v, as)
			} else {
				s = n.Expand(dev, port, s, v, as).With(v, as)
			}
		}
		return s
	})
	what := map[office.Membership]string{office.Untagged: "%s untagged on %s", office.Tagged: "%s tagged on %s", office.NotMember: "%s off %s"}[as]
	return &planned{o, e, cut(fmt.Sprintf(what, strings.Join(names, ", "), portNames(n.Office, refs))), nil}, err
}

func planPVID(n *span.Net, q *PVIDRequest) (*planned, error) {
	if q.VID != 0 {
		if _, err := office.VIDOf(q.VID); err != nil {
			return nil, bad("pvid.vid", "%s", err)
		}
	}
	refs, err := ports(n.Office, "pvid.ports", q.Ports)
	if err != nil {
		return nil, err
	}
	o, e, err := setAll(n, "pvid.vid", refs, func(dev, port int) office.Shape {
		s, _ := n.Shape(dev, port)
		return s.WithPVID(office.VID(q.VID))
	})
	name := "none"
	if q.VID != 0 {
		name = n.Name(office.VID(q.VID))
	}
	return &planned{o, e, fmt.Sprintf("PVID %s on %s", name, portNames(n.Office, refs)), nil}, err
}

func planLines(n *span.Net, lines []string) (*planned, error) {
	if len(lines) == 0 {
		return nil, bad("lines", "no statement is given")
	}
	r, err := rework.Line(n, strings.Join(lines, "\n"))
	if err != nil {
		return nil, mistaken("lines", err, len(lines) > 1)
	}
	return &planned{r.Office, r.Edit, cut(strings.Join(lines, "; ")), r.Notes}, nil
}

// mistaken names the places of what is wrong in a text in notation.
func mistaken(field string, err error, byLine bool) error {
	var m *notation.Mistakes
	if !errors.As(err, &m) {
		return bad(field, "%s", err)
	}
	out := &badField{field: field}
	var all []string
	for _, x := range m.List {
		out.mistakes = append(out.mistakes, MistakeView{x.Line, x.Column, x.Text})
		if byLine {
			all = append(all, fmt.Sprintf("line %d, column %d: %s", x.Line, x.Column, x.Text))
		} else {
			all = append(all, fmt.Sprintf("column %d: %s", x.Column, x.Text))
		}
	}
	out.text = strings.Join(all, "\n")
	return out
}

// cut shortens a summary to what fits a line of the history.
func cut(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > 120 {
		return string(r[:119]) + "…"
	}
	return s
}
