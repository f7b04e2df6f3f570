package api

import (
	"fmt"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
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
// that lead there from its factory state. What its wording cannot say is said
// as near as it can. A device whose wording is not said has the plain one; nil
// where there is nothing to set.
func SheetOf(n *span.Net, i int) *Sheet {
	device := wording.For(n, i)
	if device == nil {
		return nil
	}
	plan, unsaid := wording.Sayable(device, wording.Planned(n, i))
	out := &Sheet{Device: device.Name, Wording: device.WordingName(), Steps: []SheetStep{}, Unsayable: []Unsayable{}}
	for _, u := range unsaid {
		port := office.PortRef{Device: device.Name, Port: device.Ports[u.Port].Name}
		out.Unsayable = append(out.Unsayable, Unsayable{port.String(), notation.Shape(u.Was.Shape()), u.Why, notation.Shape(u.Nearest.Shape())})
	}
	out.Tables = append(wording.Write(device, plan), wording.Fixed(device)...)
	if t := trusted(n, i); t.Rows != nil {
		out.Tables = append(out.Tables, t)
	}
	steps, err := wording.FromFactory(device, plan)
	for _, s := range steps {
		out.Steps = append(out.Steps, SheetStep{s.Where, s.Text})
	}
	if err != nil {
		out.Problem = err.Error()
	}
	return out
}

// trusted is, of each guarded VLAN that a device carries, the ports that may answer
// for its hand-out: those behind which somebody hands out addresses.
func trusted(n *span.Net, i int) wording.Table {
	t := wording.Table{Title: "Hand-out", Head: []string{"VLAN", "Name", "Ports to trust"}}
	for _, v := range n.Office.VLANs {
		carries := false
		for _, p := range n.Tables[i].Ports {
			m := p.Members()
			carries = carries || m.Has(v.VID)
		}
		if !v.Guarded || !carries {
			continue
		}
		ports := "none"
		if at := finding.Trusted(n, i, v.VID); len(at) > 0 {
			ports = notation.Ports(n.Office.Devices[i], at)
		}
		t.Rows = append(t.Rows, []string{fmt.Sprint(v.VID), v.Name, ports})
	}
	return t
}
