package api

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
)

// Sheet is the values and the steps to enter on one device, in its wording.
type Sheet struct {
	Device    string          `json:"device" required:"true"`
	Wording   string          `json:"wording" required:"true"`
	Tables    []wording.Table `json:"tables" required:"true" nullable:"false"`
	Steps     []SheetStep     `json:"steps" required:"true" nullable:"false"`
	Unsayable []Unsayable     `json:"unsayable" required:"true" nullable:"false"`
	Problem   string          `json:"problem,omitempty" description:"why there are no steps, or not all"`
	Caution   string          `json:"caution,omitempty" description:"who suffers by the steps, or what stands against an order for this device alone"`
}

// SheetStep is one step, and the page of the device where it is done.
type SheetStep struct {
	Where string `json:"where" required:"true"`
	Text  string `json:"text" required:"true"`
}

// Unsayable is what a device's wording cannot say of some ports.
type Unsayable struct {
	Port    string `json:"port" required:"true"`
	Shape   string `json:"shape" required:"true"`
	Why     string `json:"why" required:"true"`
	Nearest string `json:"nearest" required:"true"`
}

// SheetOf is the sheet of device i: what it should be set to, with the steps
// that lead there from its factory state: those of the order that takes it out of
// its box into the office as planned. Where nobody said where the operator sits, or
// there is no such order, they are the steps that the device alone accepts, and what
// stands against the order is said. What its wording cannot say is said as near as it
// can. A device whose wording is not said has the plain one; nil where there is nothing
// to set.
func SheetOf(net *span.Net, i int) *Sheet {
	out := TablesOf(net, i)
	if out == nil {
		return nil
	}
	device := wording.For(net, i)
	plan, unsaid := wording.Sayable(device, wording.Planned(net, i))
	if without, err := order.Without(net.Office, []string{device.Name}); err == nil && len(unsaid) == 0 {
		var ok bool
		if out.Steps, out.Caution, ok = orderedSteps(without, net, device.Name); ok {
			return out
		}
	}
	steps, err := wording.FromFactory(device, plan)
	for _, step := range steps {
		out.Steps = append(out.Steps, SheetStep{step.Where, step.Text})
	}
	if err != nil {
		out.Problem = err.Error()
	}
	return out
}

// TablesOf is a sheet's values without its steps; nil for a device that knows no VLANs.
func TablesOf(net *span.Net, i int) *Sheet {
	device := wording.For(net, i)
	if device == nil {
		return nil
	}
	plan, unsaid := wording.Sayable(device, wording.Planned(net, i))
	out := &Sheet{Device: device.Name, Wording: device.WordingName(), Steps: []SheetStep{}, Unsayable: []Unsayable{}}
	for _, unsayable := range unsaid {
		port := office.PortRef{Device: device.Name, Port: device.Ports[unsayable.Port].Name}
		out.Unsayable = append(out.Unsayable, Unsayable{port.String(), notation.Shape(unsayable.Was.Shape()), unsayable.Why, notation.Shape(unsayable.Nearest.Shape())})
	}
	out.Tables = append(wording.Write(device, plan), wording.Fixed(device)...)
	if table := trusted(net, i); table.Rows != nil {
		out.Tables = append(out.Tables, table)
	}
	return out
}

// What an order is worked out for to be a sheet's steps.
const (
	mostSheetDevices = 60
	mostSheetTries   = 3000
)

// orderedSteps is the steps that an order for one device has there, all others being as they
// are planned; false where there is none, with what stands against it, and where nobody said
// where the operator sits.
func orderedSteps(was *office.Office, net *span.Net, device string) (steps []SheetStep, problem string, ok bool) {
	seated := slices.ContainsFunc(net.Office.Plugs, func(plug office.Plug) bool { return plug.Operator })
	if !seated || len(net.Office.Devices) > mostSheetDevices {
		return []SheetStep{}, "", false
	}
	told, err := order.Make(order.Seated(was), net.Office, order.Options{Only: []string{device}, Most: mostSheetTries})
	var no *order.Impossible
	switch {
	case errors.As(err, &no):
		return []SheetStep{}, "By itself it cannot be set so that nobody is locked out: " + no.Reasons[0].Text + " An order for all devices may have a way.", false
	case err != nil || told.Silent != nil:
		return []SheetStep{}, "", false
	}
	times := map[string]int{} // a step is ticked by its text
	for _, step := range told.Steps {
		text := step.Text
		if times[text]++; times[text] > 1 {
			text = fmt.Sprintf("%s (for the %s time)", text, ordinal(times[text]))
		}
		steps = append(steps, SheetStep{cmp.Or(step.Page, sheetPages[step.Kind]), text})
	}
	if harm := told.Harm(); harm != nil {
		problem = "On the way: " + strings.Join(harm, "; ") + ". An order for all devices may do it with less."
	}
	return steps, problem, len(steps) > 0
}

func ordinal(k int) string {
	words := []string{"second", "third", "fourth", "fifth"}
	if k-2 < len(words) {
		return words[k-2]
	}
	return fmt.Sprintf("%dth", k)
}

// sheetPages is where steps are done that are on no page.
var sheetPages = map[order.Kind]string{order.Laptop: "Laptop", order.CableStep: "Cables"}

// trusted is, of each guarded VLAN that a device carries, the ports that may answer
// for its hand-out: those behind which somebody hands out addresses.
func trusted(net *span.Net, i int) wording.Table {
	table := wording.Table{Title: "Hand-out", Head: []string{"VLAN", "Name", "Ports to trust"}}
	for _, vlan := range net.Office.VLANs {
		carries := false
		for _, compiled := range net.Tables[i].Ports {
			set := compiled.Members()
			carries = carries || set.Has(vlan.VID)
		}
		if !vlan.Guarded || !carries {
			continue
		}
		ports := "none"
		if at := finding.Trusted(net, i, vlan.VID); len(at) > 0 {
			ports = notation.Ports(net.Office.Devices[i], at)
		}
		table.Rows = append(table.Rows, []string{fmt.Sprint(vlan.VID), vlan.Name, ports})
	}
	return table
}
