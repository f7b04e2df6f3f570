package api

import (
	"time"

	"klammer/core/found"
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
	Meaning     []PortChange    `json:"meaning,omitempty" description:"what ports gain and lose when the plan is carried out; where it was asked for"`
	Steps       []SheetStep     `json:"steps" required:"true" nullable:"false" description:"from what was found to the plan"`
	Problem     string          `json:"problem,omitempty" description:"why there are no steps"`
	Caution     string          `json:"caution,omitempty" description:"who suffers by the steps, or what stands against an order for this device alone"`
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
	for _, change := range cs {
		out = append(out, PortChange{change.Port.String(), Refs(change.Gains), Refs(change.Loses), Refs(change.Otherwise)})
	}
	return out
}

// FoundOf compares what device i was found to be set to with the plan.
func FoundOf(net *span.Net, i int, state wording.State) *Found {
	device := net.Office.Devices[i]
	out := &Found{Device: device.Name, Tables: []wording.Table{}, Differences: []Difference{}, Steps: []SheetStep{}}
	for _, difference := range found.Differences(net, i, state) {
		out.Differences = append(out.Differences, Difference{
			office.PortRef{Device: device.Name, Port: device.Ports[difference.Port].Name}.String(), notation.Shape(difference.Planned), notation.Shape(difference.Found),
			VIDs(difference.OnlyPlanned.VIDs()), VIDs(difference.OnlyFound.VIDs()), VIDs(difference.Otherwise.VIDs()),
		})
	}
	tables, steps, problem := found.Steps(net, i, state)
	out.Tables, out.Problem = append(out.Tables, tables...), problem
	if was, err := found.As(net, map[int]wording.State{i: state}); err == nil && problem == "" && len(steps) > 0 {
		ordered, why, ok := orderedSteps(was, net, device.Name)
		if ok {
			out.Steps, out.Caution = ordered, why
			return out
		}
		out.Caution = why
	}
	for _, step := range steps {
		out.Steps = append(out.Steps, SheetStep{step.Where, step.Text})
	}
	return out
}

// FoundStateOf is a state, who found it and when, beside the plan.
func FoundStateOf(net *span.Net, i int, state wording.State, routing *found.Routing, made FoundMade) *FoundState {
	out := &FoundState{FoundMade: made, Found: *FoundOf(net, i, state), Ports: []FoundPort{}, Routing: FoundRoutingOf(net.Office, net.Office.Devices[i], routing)}
	device := net.Office.Devices[i]
	for port := range device.Ports {
		if device.Ports[port].Bundle == 0 {
			out.Ports = append(out.Ports, FoundPort{device.Ports[port].Name, notation.Shape(state.Ports[port].Shape())})
		}
	}
	return out
}

// SheetView is a device's sheet: what it should be set to, what it was found to
// be set to, and the steps between.
type SheetView struct {
	Sheet    *Sheet      `json:"sheet,omitempty" description:"the plan in the device's wording; absent where it has none"`
	Why      string      `json:"why,omitempty" description:"why there is no sheet"`
	Found    *FoundState `json:"found,omitempty" description:"the newest"`
	Before   []FoundMade `json:"before" required:"true" nullable:"false" description:"when it was found before, the newest first"`
	Ticks    []TickView  `json:"ticks" required:"true" nullable:"false"`
	Revision int64       `json:"revision" required:"true"`
}

// FoundMade is who found out and when.
type FoundMade struct {
	How    string    `json:"how" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// FoundState is what a device was found to be set to, beside the plan.
type FoundState struct {
	FoundMade
	Found
	Ports   []FoundPort   `json:"ports" required:"true" nullable:"false"`
	Routing *FoundRouting `json:"routing,omitempty" description:"of a device that routes, where somebody looked"`
}

// FoundRouting is what of a device's addresses, routes and rules was found.
type FoundRouting struct {
	How     string       `json:"how" required:"true"`
	At      string       `json:"at" required:"true" format:"date-time"`
	Tells   []found.Part `json:"tells" required:"true" nullable:"false" description:"addresses, routes, rules, handouts, admits: what was told; the rest is as planned"`
	Lines   []string     `json:"lines" required:"true" nullable:"false" description:"as statements of the device"`
	Differs []string     `json:"differs" required:"true" nullable:"false" description:"from the plan, in words"`
	Unsaid  []string     `json:"unsaid" required:"true" nullable:"false" description:"what was found and cannot be said"`
}

// FoundRoutingOf is what was found of how a device routes, beside the plan; nil where nobody
// looked.
func FoundRoutingOf(o *office.Office, device *office.Device, routing *found.Routing) *FoundRouting {
	if routing == nil {
		return nil
	}
	return &FoundRouting{
		How: routing.How, At: routing.At, Tells: append([]found.Part{}, routing.Tells...), Lines: append([]string{}, routing.Lines(device)...),
		Differs: append([]string{}, routing.Differs(o, device)...), Unsaid: append([]string{}, routing.Unsaid...),
	}
}

// FoundPort is a port and what it was found to be set to.
type FoundPort struct {
	Port  string `json:"port" required:"true"`
	Shape string `json:"shape" required:"true"`
}

// TickView is a step that is done.
type TickView struct {
	Step   string    `json:"step" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// FoundNow is where devices are set otherwise than they should be.
type FoundNow struct {
	Devices []string            `json:"devices" required:"true" nullable:"false" description:"those of which something was found"`
	Ports   map[string]string   `json:"ports" required:"true" nullable:"false" description:"ports that differ from the plan, with what they are set to"`
	Routing map[string][]string `json:"routing" required:"true" nullable:"false" description:"by device: what of its addresses, routes and rules differs from the plan, in words"`
}

// FoundRequest is what somebody got out of a device.
type FoundRequest struct {
	Device string `json:"device" required:"true"`
	Text   string `json:"text,omitempty" description:"lines in notation, a table, or what bridge vlan show prints, with -json or without"`
	Book   string `json:"book,omitempty" description:"a workbook (XLSX) in base64"`
	Sheet  string `json:"sheet,omitempty" description:"the sheet of the workbook; the device's, else the first"`
	Base   string `json:"base,omitempty" enum:"plan,factory,found" description:"what ports are taken to be that the text does not mention"`
	How    string `json:"how,omitempty" maxLength:"100" description:"where it is from, for the record"`
	Keep   bool   `json:"keep,omitempty" description:"keep it; otherwise it is only shown"`
}

// FoundAnswer is what was understood of it.
type FoundAnswer struct {
	Form    string        `json:"form" required:"true"`
	Said    int           `json:"said" required:"true" description:"how many ports it says something of"`
	Trouble []TroubleView `json:"trouble" required:"true" nullable:"false"`
	Found   FoundState    `json:"found" required:"true"`
	Routing *FoundRouting `json:"routing,omitempty" description:"what it says of addresses, routes and rules, where it does"`
}

// TroubleView is something that could not be understood.
type TroubleView struct {
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true" description:"0 where the whole row is meant"`
	Text   string `json:"text" required:"true"`
}

// TickRequest ticks a step off, or takes the tick away; with no step and off,
// all ticks of the device.
type TickRequest struct {
	Device string `json:"device" required:"true"`
	Step   string `json:"step" required:"true" maxLength:"500"`
	On     bool   `json:"on" required:"true"`
}
