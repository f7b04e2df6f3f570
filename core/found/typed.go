package found

import (
	"errors"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// parts says which part of a device's routing a statement is of.
var parts = map[string]Part{"address": PartAddresses, "route": PartRoutes, "allow": PartRules, "deny": PartRules, "between": PartRules, "within": PartRules}

// typed takes the statements of a text that are about how a device routes: all of a part that
// is named, as it was looked up on the device. The rest of the text keeps its lines.
//
//	> paste gate
//	> lan1: 190 [110 140 160]
//	> allow zone staff to outside
//	> between zones deny
//	notation
func typed(o *office.Office, device *office.Device, text string) (rest string, routing *Routing, wrong []Trouble) {
	lines := strings.Split(text, "\n")
	type said struct {
		at   int
		text string
	}
	var all []said
	routing = RoutingOf(device)
	routing.Tells = nil
	for i, line := range lines {
		l := strings.TrimPrefix(strings.TrimSpace(line), device.Name+" ")
		word, _, _ := strings.Cut(l, " ")
		part, ok := parts[word]
		if !ok {
			continue
		}
		if !routing.Told(part) {
			routing.Tells = append(routing.Tells, part)
		}
		all, lines[i] = append(all, said{i + 1, l}), ""
	}
	if all == nil {
		return text, nil, nil
	}
	other := device.Clone()
	if routing.Told(PartAddresses) { // with what is handed out and admitted, which stand in them
		other.Addresses = nil
		routing.Tells = append(routing.Tells, PartHandouts, PartAdmits)
	}
	if routing.Told(PartRoutes) {
		other.Routes = nil
	}
	if routing.Told(PartRules) {
		other.Rules, other.Between, other.Within = nil, "", ""
	}
	draft := office.NewDraft(o)
	if err := draft.PutDevice(other.Seal()); err != nil {
		return text, nil, []Trouble{{all[0].at, 0, err.Error()}}
	}
	now, _ := draft.Done()
	slices.SortStableFunc(all, func(a, b said) int { // rules name zones, which stand at addresses
		first := func(one said) int {
			if strings.HasPrefix(one.text, "address ") {
				return 0
			}
			return 1
		}
		return first(a) - first(b)
	})
	for _, one := range all {
		next, _, err := notation.Line(now, device.Name+" "+one.text)
		var mistakes *notation.Mistakes
		if errors.As(err, &mistakes) {
			for _, mistake := range mistakes.List {
				wrong = append(wrong, Trouble{one.at, max(1, mistake.Column-len(device.Name)-1), mistake.Text})
			}
			continue
		}
		now = next
	}
	is := RoutingOf(now.Device(device.Name))
	is.Tells = routing.Tells
	return strings.Join(lines, "\n"), is, wrong
}
