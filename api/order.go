package api

import (
	"slices"
	"time"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
)

// Order is the whole way from what devices are set to to what they should be: what
// `klammer order --json` prints.
type Order struct {
	Visits      []OrderVisit `json:"visits" required:"true" nullable:"false"`
	Steps       []OrderStep  `json:"steps" required:"true" nullable:"false"`
	Lockouts    int          `json:"lockouts" required:"true" description:"always 0: an order that locks somebody out is none"`
	Leaks       int          `json:"leaks" required:"true" description:"pairs of VLANs that meet and should not, times steps"`
	Blind       int          `json:"blind" required:"true" description:"devices out of reach that have steps left, times the steps done meanwhile"`
	Interrupted int          `json:"interrupted" required:"true" description:"pairs that reach each other before and after and not between, times steps"`
	Walks       int          `json:"walks" required:"true" description:"how often the laptop is plugged in elsewhere"`
	Told        string       `json:"told" required:"true" description:"what it comes to, in words"`
	Lent        []string     `json:"lent,omitempty" description:"ports that the laptop needs meanwhile"`
	Left        []string     `json:"left,omitempty" description:"what stays as it is, as it was not chosen or nobody reaches it"`
	Far         []string     `json:"far,omitempty" description:"devices that stand elsewhere than the laptop and may be lost on the way, with who is to be there or what they do by themselves"`
	Leaves      []string     `json:"leaves,omitempty" description:"what the plan itself takes from who has it today, for good: no order can help that"`
	Breaks      []Broken     `json:"breaks,omitempty" description:"findings of the plan that break, which the order leads to all the same"`
	Paper       []string     `json:"paper,omitempty" description:"statements of what differs and is nothing to do, where there are no steps"`
}

// Broken is a finding of the plan that breaks, in short.
type Broken struct {
	Code    finding.Code `json:"code" required:"true"`
	Text    string       `json:"text" required:"true"`
	Devices []string     `json:"devices" required:"true" nullable:"false" description:"where it is"`
}

// BrokenIn is the findings of an office that break.
func BrokenIn(report *finding.Report) (out []Broken) {
	for _, one := range report.List() {
		if one.Severity != finding.Breaks || one.Cause != "" {
			continue
		}
		broken := Broken{Code: one.Code, Text: one.Text, Devices: append([]string{}, one.Devices...)}
		for _, ref := range one.Ports {
			if !slices.Contains(broken.Devices, ref.Device) {
				broken.Devices = append(broken.Devices, ref.Device)
			}
		}
		out = append(out, broken)
	}
	return out
}

// OrderVisit is what is done at one device at one sitting.
type OrderVisit struct {
	Device string   `json:"device" required:"true"`
	At     string   `json:"at" required:"true" description:"where the laptop is: a port, or a device's console"`
	By     order.By `json:"by" required:"true"`
}

// OrderStep is a single act.
type OrderStep struct {
	Visit      int         `json:"visit" required:"true" description:"index into visits"`
	Device     string      `json:"device" required:"true"`
	Kind       order.Kind  `json:"kind" required:"true"`
	Page       string      `json:"page" required:"true" description:"of the device's interface"`
	Text       string      `json:"text" required:"true"`
	Lines      []string    `json:"lines" required:"true" nullable:"false" description:"statements of the line that lead from the office before to the one after"`
	Back       []string    `json:"back" required:"true" nullable:"false" description:"and back"`
	Changes    []string    `json:"changes" required:"true" nullable:"false" description:"what is otherwise on the device's ports, before the whole values of its page"`
	Undo       []string    `json:"undo" required:"true" nullable:"false" description:"the way back as somebody does it; empty for what needs none"`
	Told       []string    `json:"told" required:"true" nullable:"false" description:"what frames gain and lose by it, and who is interrupted, in words"`
	Interrupts []Interrupt `json:"interrupts" required:"true" nullable:"false"`
	Joins      []Joined    `json:"joins" required:"true" nullable:"false"`
	Blind      []string    `json:"blind" required:"true" nullable:"false" description:"devices that are out of reach from here on and still have steps"`
}

// Interrupt is who is cut off, and the index of the step that ends it.
type Interrupt struct {
	VLAN  office.VID `json:"vlan" required:"true"`
	Ports []string   `json:"ports" required:"true" nullable:"false"`
	Until int        `json:"until" required:"true"`
}

// Joined is VLANs that meet, and the index of the step that ends it.
type Joined struct {
	VLANs []office.VID `json:"vlans" required:"true" nullable:"false"`
	Until int          `json:"until" required:"true"`
}

// OrderOf tells an order.
func OrderOf(told *order.Order) *Order {
	out := &Order{
		Visits: []OrderVisit{}, Steps: []OrderStep{}, Leaks: told.Leaks, Blind: told.Price.Blind, Interrupted: told.Interrupted(),
		Walks: told.Price.Walks, Told: told.Summary(), Paper: told.Paper, Left: told.Left, Leaves: told.Leaves, Far: told.Far,
	}
	if len(told.Steps) > 0 {
		out.Breaks = BrokenIn(finding.Check(span.Compile(told.Planned)))
	}
	for _, ref := range told.Lent {
		out.Lent = append(out.Lent, ref.String())
	}
	for _, visit := range told.Visits {
		out.Visits = append(out.Visits, OrderVisit{visit.Device, visit.At, visit.By})
	}
	name := span.Compile(&office.Office{VLANs: told.Planned.VLANs}).Name
	for _, step := range told.Steps {
		st := OrderStep{
			Visit: step.Visit, Device: step.Device, Kind: step.Kind, Page: step.Page, Text: step.Text, Lines: orEmpty(step.Lines), Back: orEmpty(step.Back), Changes: orEmpty(step.Changes), Undo: orEmpty(step.Undo),
			Told: orEmpty(step.Told), Interrupts: []Interrupt{}, Joins: []Joined{}, Blind: orEmpty(step.Blind),
		}
		for _, interrupt := range step.Interrupts {
			st.Interrupts = append(st.Interrupts, Interrupt{interrupt.VLAN, interrupt.Ports, interrupt.Until})
			st.Told = append(st.Told, interrupt.Say(name))
		}
		for _, join := range step.Joins {
			st.Joins = append(st.Joins, Joined{join.VLANs[:], join.Until})
			st.Told = append(st.Told, join.Say(name))
		}
		for _, d := range step.Blind {
			st.Told = append(st.Told, d+" is out of reach from here on, until a later step brings it back: go on at once.")
		}
		out.Steps = append(out.Steps, st)
	}
	return out
}

func orEmpty(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// OrderRequest asks for an order.
type OrderRequest struct {
	From     string   `json:"from" required:"true" enum:"found,revision,factory,here,back,start" description:"what devices are set to: as found, as at a revision, some new from the factory, where the last order stands; or back from there to its beginning, or to that of the evening"`
	Revision int64    `json:"revision,omitempty" description:"for revision"`
	Devices  []string `json:"devices,omitempty" description:"for factory: those that are new" maxItems:"200"`
	New      []string `json:"new,omitempty" description:"devices that new ones of the same name take the place of" maxItems:"200"`
	Only     []string `json:"only,omitempty" description:"the devices that are set; all others stay as they are" maxItems:"1000"`
}

// OrderView is an order with what is done of it.
type OrderView struct {
	ID       int64       `json:"id" required:"true" description:"0 where there never was one"`
	Revision int64       `json:"revision" required:"true" description:"of the plan that it leads to, or came from"`
	Back     bool        `json:"back" required:"true" description:"it leads back"`
	Moved    bool        `json:"moved" required:"true" description:"the plan has moved on since"`
	Ended    bool        `json:"ended" required:"true" description:"another took its place"`
	Author   string      `json:"author" required:"true"`
	At       time.Time   `json:"at" required:"true"`
	Order    *Order      `json:"order,omitempty"`
	Working  int         `json:"working,omitempty" description:"somebody has one worked out just now: how much of what differs is in order, in hundredths"`
	Ticks    []OrderDone `json:"ticks" required:"true" nullable:"false" description:"in order; the first steps are those that are done"`
	Carry    *CarryView  `json:"carry,omitempty" description:"a visit that its device carries out, or where that stopped"`
	Said     []OrderSaid `json:"said,omitempty" description:"which steps the device refused, or gave no answer to, in order"`
	Reached  []string    `json:"reached,omitempty" description:"where the next step was refused or not answered: the devices that are reached as things stand"`
	Lost     []string    `json:"lost,omitempty" description:"and those that are not"`
	Evening  bool        `json:"evening,omitempty" description:"other orders of the same evening came before it"`
}

// OrderSaid is what was said of a step of an order.
type OrderSaid struct {
	Order    int64     `json:"order" required:"true"`
	Step     int       `json:"step" required:"true"`
	Device   string    `json:"device" required:"true"`
	Text     string    `json:"text" required:"true" description:"the step"`
	Said     string    `json:"said" required:"true" enum:"done,undone,refused,silent" description:"silent: no answer came"`
	Words    string    `json:"words" required:"true" description:"what the device said"`
	ByDevice bool      `json:"byDevice" required:"true" description:"the device did it itself"`
	Author   string    `json:"author" required:"true"`
	At       time.Time `json:"at" required:"true"`
}

// ProtocolOrder is an order of the protocol.
type ProtocolOrder struct {
	ID       int64     `json:"id" required:"true"`
	Evening  int64     `json:"evening" required:"true" description:"the order that the evening began with"`
	Revision int64     `json:"revision" required:"true"`
	Back     bool      `json:"back" required:"true"`
	Author   string    `json:"author" required:"true"`
	At       time.Time `json:"at" required:"true"`
	Told     string    `json:"told" required:"true"`
	Steps    int       `json:"steps" required:"true"`
}

// Protocol is what was done by orders, the newest last.
type Protocol struct {
	Orders []ProtocolOrder `json:"orders" required:"true" nullable:"false"`
	Said   []OrderSaid     `json:"said" required:"true" nullable:"false"`
}

// OrderTick ticks the next step off, or takes the last tick away.
type OrderTick struct {
	Order int64  `json:"order" required:"true"`
	Step  int    `json:"step" required:"true" minimum:"0" maximum:"100000"`
	On    bool   `json:"on" required:"true"`
	Said  string `json:"said,omitempty" enum:"done,refused,silent" description:"refused and silent (no answer came) are written down and tick nothing; the step is the next one"`
	Words string `json:"words,omitempty" maxLength:"2000" description:"what the device said"`
	// At is when it was, where it was said while the server was not heard.
	At *time.Time `json:"at,omitempty" nullable:"false" description:"when it was, where it is handed in later: at most 30 days ago"`
}

// OrderDone is a step that somebody said is done.
type OrderDone struct {
	Step   int       `json:"step" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// Taken is what a run knows of the steps of an order.
func (o *Order) Taken() []order.Taken {
	out := make([]order.Taken, len(o.Steps))
	for i, st := range o.Steps {
		out[i] = order.Taken{Visit: st.Visit, Device: st.Device, Kind: st.Kind, Lines: st.Lines}
	}
	return out
}
