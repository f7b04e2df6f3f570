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
func typed(o *office.Office, d *office.Device, text string) (rest string, r *Routing, wrong []Trouble) {
	lines := strings.Split(text, "\n")
	type said struct {
		at   int
		text string
	}
	var all []said
	r = RoutingOf(d)
	r.Tells = nil
	for i, line := range lines {
		l := strings.TrimPrefix(strings.TrimSpace(line), d.Name+" ")
		word, _, _ := strings.Cut(l, " ")
		part, ok := parts[word]
		if !ok {
			continue
		}
		if !r.Told(part) {
			r.Tells = append(r.Tells, part)
		}
		all, lines[i] = append(all, said{i + 1, l}), ""
	}
	if all == nil {
		return text, nil, nil
	}
	x := d.Clone()
	if r.Told(PartAddresses) { // with what is handed out and admitted, which stand in them
		x.Addresses = nil
		r.Tells = append(r.Tells, PartHandouts, PartAdmits)
	}
	if r.Told(PartRoutes) {
		x.Routes = nil
	}
	if r.Told(PartRules) {
		x.Rules, x.Between, x.Within = nil, "", ""
	}
	draft := office.NewDraft(o)
	if err := draft.PutDevice(x.Seal()); err != nil {
		return text, nil, []Trouble{{all[0].at, 0, err.Error()}}
	}
	now, _ := draft.Done()
	slices.SortStableFunc(all, func(a, b said) int { // rules name zones, which stand at addresses
		first := func(s said) int {
			if strings.HasPrefix(s.text, "address ") {
				return 0
			}
			return 1
		}
		return first(a) - first(b)
	})
	for _, s := range all {
		next, _, err := notation.Line(now, d.Name+" "+s.text)
		var m *notation.Mistakes
		if errors.As(err, &m) {
			for _, y := range m.List {
				wrong = append(wrong, Trouble{s.at, max(1, y.Column-len(d.Name)-1), y.Text})
			}
			continue
		}
		now = next
	}
	is := RoutingOf(now.Device(d.Name))
	is.Tells = r.Tells
	return strings.Join(lines, "\n"), is, wrong
}
