package notation

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// ReadThing reads back what [Thing] printed: one thing of office o, whatever o
// says of it now. The error is a [*Mistakes], or says what is no statement.
func ReadThing(o *office.Office, text string) (office.Thing, error) {
	one := *o // without the thing itself, so that it can be stated
	kind, rest, _ := strings.Cut(text, " ")
	second, _, _ := strings.Cut(rest, " ")
	if kind == "order" { // only in the history: an order is no statement
		return readOrder(rest)
	}
	switch kind {
	case "vlan":
		one.VLANs = without(o.VLANs, func(v *office.VLAN) bool { return fmt.Sprint(v.VID) == second })
	case "device":
		one.Devices = without(o.Devices, func(device *office.Device) bool { return device.Name == second })
	case "use":
		one.Uses = without(o.Uses, func(use *office.Use) bool { return use.Name == second })
	case "plan":
		second, _, _ = strings.Cut(second, "\n")
		one.Plans = without(o.Plans, func(plan *office.Plan) bool { return plan.Name == second })
	case "cable":
		one.Cables = nil
	case "plug":
		one.Plugs = nil
	case "service":
		one.Services = without(o.Services, func(named *office.NamedService) bool { return named.Name == second })
	case "must", "never":
		one.Wishes = nil
	case "office":
		one.Title = ""
	default:
		if second == "allow" || second == "deny" {
			return readRule(o, text)
		}
		return readSetting(o, text)
	}
	r := &reader{name: "edit", draft: office.NewDraft(&one), onLine: true, history: true}
	r.run(r.split(text))
	if len(r.mistakes) > 0 {
		return nil, (&Mistakes{"edit", r.mistakes}).sorted()
	}
	n, edit := r.draft.Done()
	if kind == "office" {
		return office.Title(n.Title), nil
	}
	if len(edit) != 1 {
		return nil, fmt.Errorf("%q is not one thing", text)
	}
	return edit[0].After, nil
}

// readOrder reads how the entries of a list are arranged, as an edit of the history keeps it.
func readOrder(text string) (office.Thing, error) {
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 || len(toks) == 0 {
		return nil, fmt.Errorf("%q is no order: %s", text, why)
	}
	order := office.Order{List: toks[0].text, Items: []string{}}
	for _, tok := range toks[1:] {
		order.Items = append(order.Items, tok.text)
	}
	return order, nil
}

// readRule reads DEVICE and a rule, whatever rules the device has.
func readRule(o *office.Office, text string) (office.Thing, error) {
	one := &reader{name: "edit", draft: office.NewDraft(o), onLine: true, history: true}
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 || len(toks) < 2 {
		return nil, fmt.Errorf("%q is no rule: %s", text, why)
	}
	rule, wrong := one.rule(&cursor{toks: toks, at: 2, end: len(text)}, office.Action(toks[1].text), nil)
	if wrong != nil {
		return nil, fmt.Errorf("%s: %s", text, wrong.text)
	}
	return office.RuleAt{Device: toks[0].text, Rule: rule}, nil
}

// readSetting reads what one port is set to as an edit of the history keeps it; with a minus before
// it the port has no setting of its own.
func readSetting(o *office.Office, text string) (office.Thing, error) {
	one := &reader{name: "edit", draft: office.NewDraft(o), onLine: true, history: true}
	body, remove := strings.CutPrefix(text, "-")
	toks, _, bad, why := scan(body, nil)
	if bad >= 0 || len(toks) < 2 {
		return nil, fmt.Errorf("%q is no setting of a port: %s", text, why)
	}
	device, err := one.draft.FindDevice(toks[0].text)
	if err != nil {
		return nil, err
	}
	cur := &cursor{toks: toks, at: 1, end: len(body)}
	var setting office.Setting
	var at []int
	var wrong *fault
	if remove {
		var list []item
		if list, wrong = portList(cur); wrong == nil {
			at, wrong = resolveAll(device, list)
		}
	} else {
		at, setting.Shape, setting.Because, wrong = one.setting(device, cur)
	}
	if wrong != nil {
		return nil, fmt.Errorf("%s: %s", text, wrong.text)
	}
	if len(at) != 1 {
		return nil, fmt.Errorf("%q sets %d ports, not one", text, len(at))
	}
	setting.Port = office.PortRef{Device: device.Name, Port: device.Ports[at[0]].Name}
	return setting, nil
}

func without[T any](xs []T, gone func(T) bool) []T {
	return slices.DeleteFunc(slices.Clone(xs), gone)
}

// ReadShape reads a shape that names its VLANs by number, as [Shape] prints
// one.
func ReadShape(text string) (office.Shape, error) {
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return office.Shape{}, fmt.Errorf("%s", why)
	}
	cur := &cursor{toks: toks, end: len(text)}
	one, wrong := shape(office.NewDraft(&office.Office{}), cur)
	if wrong == nil {
		wrong = cur.done("a shape")
	}
	if wrong != nil {
		return office.Shape{}, fmt.Errorf("%s", wrong.text)
	}
	return one, nil
}
