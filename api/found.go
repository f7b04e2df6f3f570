package api

import (
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/core/wording"
)

// Found is what a device is set to, beside what it should be.
type Found struct {
	Device      string          `json:"device" required:"true"`
	Tables      []wording.Table `json:"tables" required:"true" nullable:"false" description:"as found, in the device's wording; empty where it has none or cannot say it"`
	Differences []Difference    `json:"differences" required:"true" nullable:"false"`
	Meaning     []PortChange    `json:"meaning" required:"true" nullable:"false" description:"what ports gain and lose when the plan is carried out"`
	Steps       []SheetStep     `json:"steps" required:"true" nullable:"false" description:"from what was found to the plan"`
	Problem     string          `json:"problem,omitempty" description:"why there are no steps"`
}

// Difference is a port that is set otherwise than it should be.
type Difference struct {
	Port    string `json:"port" required:"true"`
	Planned string `json:"planned" required:"true"`
	Found   string `json:"found" required:"true"`
	// Only lists VLANs that one side alone has, and those that both have in
	// another form.
	OnlyPlanned []int `json:"onlyPlanned" required:"true" nullable:"false"`
	OnlyFound   []int `json:"onlyFound" required:"true" nullable:"false"`
	Otherwise   []int `json:"otherwise" required:"true" nullable:"false" description:"VLANs that both have, tagged here and untagged there"`
}

// PortChange is which other ports a port gains and loses.
type PortChange struct {
	Port  string   `json:"port" required:"true"`
	Gains []string `json:"gains" required:"true" nullable:"false"`
	Loses []string `json:"loses" required:"true" nullable:"false"`

	Otherwise []string `json:"otherwise" required:"true" nullable:"false" description:"reached as before, but in another form: tagged, untagged, or under another VID"`
}

// PortChanges are changes as JSON, never null.
func PortChanges(cs []walk.Change) []PortChange {
	out := []PortChange{}
	for _, c := range cs {
		out = append(out, PortChange{c.Port.String(), Refs(c.Gains), Refs(c.Loses), Refs(c.Otherwise)})
	}
	return out
}

// FoundOf compares what device i was found to be set to with the plan.
func FoundOf(n *span.Net, i int, s wording.State) *Found {
	d := n.Office.Devices[i]
	plan := wording.Planned(n, i)
	out := &Found{Device: d.Name, Tables: []wording.Table{}, Differences: []Difference{}, Meaning: []PortChange{}, Steps: []SheetStep{}}
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 || plan.Ports[p].Equal(s.Ports[p]) {
			continue
		}
		a, b := plan.Ports[p], s.Ports[p]
		am, bm := a.Members(), b.Members()
		both := am.And(&bm)
		turned := a.Tagged.Xor(&b.Tagged)
		otherwise := both.And(&turned)
		out.Differences = append(out.Differences, Difference{
			office.PortRef{Device: d.Name, Port: d.Ports[p].Name}.String(), notation.Shape(a.Shape()), notation.Shape(b.Shape()),
			VIDs(minus(am, bm)), VIDs(minus(bm, am)), VIDs(otherwise.VIDs()),
		})
	}
	if o, err := As(n.Office, i, s); err == nil {
		out.Meaning = PortChanges(walk.Compare(n.Update(o), n))
	}
	w := wording.For(n, i)
	if w == nil {
		return out
	}
	if len(wording.Cannot(w, s)) > 0 {
		out.Problem = "What was found cannot be said in this device's wording: look at its ports again, or at its wording here."
		return out
	}
	out.Tables = wording.Write(w, s)
	if bad := wording.Cannot(w, plan); len(bad) > 0 {
		out.Problem = "The plan cannot be said in this device's wording; see what comes nearest."
		return out
	}
	steps, err := wording.Steps(w, s, plan)
	for _, x := range steps {
		out.Steps = append(out.Steps, SheetStep{x.Where, x.Text})
	}
	if err != nil {
		out.Problem = err.Error()
	}
	return out
}

func minus(a, b office.Set) []office.VID {
	m := a.Minus(&b)
	return m.VIDs()
}

// As is an office with device i set to a state: what it is, where the plan says
// what it should be.
func As(o *office.Office, i int, s wording.State) (*office.Office, error) {
	draft := office.NewDraft(o)
	d := o.Devices[i]
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 {
			continue
		}
		sh := s.Ports[p].Shape()
		if err := draft.Set(office.PortRef{Device: d.Name, Port: d.Ports[p].Name}, &sh, ""); err != nil {
			return nil, err
		}
	}
	next, _ := draft.Done()
	return next, nil
}
