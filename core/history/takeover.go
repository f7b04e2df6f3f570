package history

import (
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Piece is one thing that was tried in a copy: a port, a device, a cable, the rules of a
// device. Each is taken over or left for itself.
type Piece struct {
	Key office.Key
	// Then, Here and Tried are what the office said of it as it was copied, says now, and the
	// copy says now, as statements; "" for nothing.
	Then, Here, Tried string
}

// Clashes says whether it was changed here as well since it was copied, to something else:
// then somebody chooses one of both.
func (p Piece) Clashes() bool { return p.Here != p.Then && p.Here != p.Tried }

// Tried lists what was tried in a copy of an office, that is not so already: now is the office
// as it is, then as it was copied, copied the copy as it is. The name and the order of things
// are the office's own.
func Tried(now, then, copied *office.Office) ([]Piece, error) {
	tried, err := Diff(then, copied)
	if err != nil {
		return nil, err
	}
	var out []Piece
	seen := map[office.Key]bool{}
	for _, key := range tried.Keys() {
		if seen[key] || key == (office.Title("")).Key() || strings.HasPrefix(string(key), "order:") {
			continue
		}
		seen[key] = true
		one := Piece{Key: key, Then: whole(then, key), Here: whole(now, key), Tried: whole(copied, key)}
		if one.Here != one.Tried && one.Then != one.Tried {
			out = append(out, one)
		}
	}
	return out, nil
}

// whole is what an office says of a key, all rules of a device as one.
func whole(o *office.Office, key office.Key) string {
	name, ok := strings.CutPrefix(string(key), "rules:")
	if !ok {
		return Text(o, key)
	}
	device := o.Device(name)
	if device == nil {
		return ""
	}
	var lines []string
	for i := range device.Rules {
		lines = append(lines, notation.Thing(office.RuleAt{Device: name, Rule: &device.Rules[i]}))
	}
	return strings.Join(lines, "\n")
}

// TakeOver is an office with what was tried in a copy of it, as one edit: what differs between
// the office as it was copied and the copy, of the keys that are chosen; nil chooses all. What
// is so already is left; the name and the order of things are the office's own. The error is a
// [*Conflict].
func TakeOver(now, then, copied *office.Office, chosen map[office.Key]bool) (*office.Office, office.Edit, error) {
	tried, err := Diff(then, copied)
	if err != nil {
		return nil, nil, err
	}
	draft := office.NewDraft(now)
	done := map[office.Key]bool{} // rules that were taken over as a whole
	for _, change := range tried {
		key := change.Key()
		switch change.After.(type) {
		case office.Title, office.Order:
			continue
		}
		if chosen != nil && !chosen[key] || done[key] {
			continue
		}
		want := ""
		if change.After != nil {
			want = notation.Thing(change.After)
		}
		if Text(draft.Office(), key) == want {
			continue
		}
		put := draft.Put
		if name, ok := strings.CutPrefix(string(key), "rules:"); ok && chosen != nil && whole(now, key) != whole(then, key) {
			// They were changed here as well, so that places mean something else: all of them go,
			// and those that were tried come.
			done[key] = true
			put = func(office.Change) error { return sameRules(draft, name, copied) }
		}
		if err := put(change); err != nil {
			return nil, nil, &Conflict{fmt.Sprintf("%s cannot be taken over: %s", KeyName(key), err)}
		}
	}
	next, edit := draft.Done()
	return next, edit, nil
}

// sameRules gives a device the rules that it has in another office.
func sameRules(draft *office.Draft, name string, from *office.Office) error {
	device, other := draft.Office().Device(name), from.Device(name)
	if device == nil || other == nil {
		return fmt.Errorf("%s is not there", name)
	}
	for i := len(device.Rules) - 1; i >= 0; i-- {
		if err := draft.Put(office.Change{Before: office.RuleAt{Device: name, Rule: &device.Rules[i]}, At: i}); err != nil {
			return err
		}
	}
	for i := range other.Rules {
		if err := draft.Put(office.Change{After: office.RuleAt{Device: name, Rule: &other.Rules[i]}, At: i}); err != nil {
			return err
		}
	}
	return nil
}
