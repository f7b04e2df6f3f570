// Package history says how edits of several people become one office: whether
// an edit that was made on an older revision still holds, what the office was
// at a revision, how an edit is taken back, and what differs between two
// offices as one edit.
//
// The law that it keeps: the edits that were made, done again from nothing,
// give the office, with everything in its order; each look at the past is the
// same as doing them again up to there; and an edit is taken back exactly, or
// not at all, with the name of who built upon it.
package history

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Made is an edit that was made.
type Made struct {
	Revision int64
	Author   string
	Summary  string // of the edit itself, whether it is made, taken back or done again
	Turn     Turn
	Undoes   int64 // the revision that it takes back; 0 for none
	UndoneBy int64 // the revision that took it back; 0 for none
	Changes  []Change
}

// Turn is what an edit is to those before it.
type Turn string

const (
	Edit Turn = "edit" // it is made by itself
	Undo Turn = "undo" // it takes one back
	Redo Turn = "redo" // it takes an undoing back
)

// Back is what taking an edit back is.
func (t Turn) Back() Turn {
	if t == Undo {
		return Redo
	}
	return Undo
}

// Of is a summary of such an edit: "undo: 130 imaging tagged on rack 19".
func (t Turn) Of(summary string) string {
	if t == Edit {
		return summary
	}
	return string(t) + ": " + summary
}

// Enum is all of them, for descriptions of what holds one.
func (Turn) Enum() []any { return []any{Edit, Undo, Redo} }

// Change is one change of an edit: statements in bracket notation, "" for what
// was not there.
type Change struct {
	Key           office.Key
	Before, After string
	At            int
}

// Conflict says that an edit cannot be made, as somebody else's stands in its
// way.
type Conflict struct{ Text string }

func (c *Conflict) Error() string { return c.Text }

// back is a change turned round, read in the office that it left.
func back(o *office.Office, change Change) (office.Change, error) {
	one := office.Change{At: change.At}
	for _, side := range []struct {
		text string
		to   *office.Thing
	}{{change.After, &one.Before}, {change.Before, &one.After}} {
		if side.text == "" {
			continue
		}
		thing, err := notation.ReadThing(o, side.text)
		if err != nil {
			return one, err
		}
		*side.to = thing
	}
	return one, nil
}

// Past is the office as it was before some edits, which are all that were made
// since, the newest first.
func Past(o *office.Office, since []Made) (*office.Office, error) {
	draft := office.NewDraft(o)
	for _, made := range since {
		for i := len(made.Changes) - 1; i >= 0; i-- {
			change, err := back(draft.Office(), made.Changes[i])
			if err == nil {
				err = draft.Put(change)
			}
			if err != nil {
				return nil, fmt.Errorf("edit %d does not fit the office that it led to: %w", made.Revision, err)
			}
		}
	}
	o, _ = draft.Done()
	return o, nil
}

// TakeBack is the office without an edit, and the edit that leads there. All
// that the edit touched has to be as it left it; since is the edits after it,
// the newest first, as far as they are known, to name who stands in the way.
// The error is a [*Conflict].
func TakeBack(o *office.Office, made *Made, since []Made) (*office.Office, office.Edit, error) {
	draft := office.NewDraft(o)
	touched := map[office.Key]bool{}
	for _, change := range made.Changes {
		touched[change.Key] = true
	}
	refuse := func(key office.Key, why string) error {
		text := fmt.Sprintf("edit %d (%s) cannot be taken back: %s", made.Revision, made.Summary, why)
		if by := blame(since, key); by != nil {
			text += fmt.Sprintf("; %s built upon it (%s, edit %d)", by.Author, by.Summary, by.Revision)
		}
		return &Conflict{text}
	}
	for i := len(made.Changes) - 1; i >= 0; i-- {
		one := made.Changes[i]
		if rules, ok := strings.CutPrefix(string(one.Key), "rules:"); ok {
			if why := ruleMoved(draft.Office(), rules, one, since); why != "" {
				return nil, nil, refuse(one.Key, why)
			}
		} else if now := Text(draft.Office(), one.Key); now != one.After {
			what := KeyName(one.Key) + " is not as it left it"
			switch {
			case now == "":
				what = KeyName(one.Key) + " is gone"
			case one.After == "":
				what = KeyName(one.Key) + " is there again"
			}
			return nil, nil, refuse(one.Key, what)
		}
		change, err := back(draft.Office(), one)
		if err != nil {
			return nil, nil, refuse(one.Key, err.Error())
		}
		if one.Before == "" { // what others put upon it stays where it is
			if on := standsOn(draft.Office(), one.Key); on != "" {
				return nil, nil, refuse(on, KeyName(on)+" is there")
			}
		}
		if err := draft.Put(change); err != nil {
			return nil, nil, refuse(one.Key, err.Error())
		}
	}
	next, edit := draft.Done()
	for _, change := range edit {
		if !touched[change.Key()] {
			return nil, nil, refuse(change.Key(), KeyName(change.Key())+" would go, too")
		}
	}
	return next, edit, nil
}

// ruleMoved says why a change of a device's rules cannot be taken back, "" where it
// can: the rule that it put in is at its place, or nobody changed the rules since.
func ruleMoved(o *office.Office, device string, change Change, since []Made) string {
	one := o.Device(device)
	switch {
	case one == nil:
		return KeyName(change.Key) + " are gone"
	case change.After != "":
		if change.At >= len(one.Rules) || notation.Thing(office.RuleAt{Device: device, Rule: &one.Rules[change.At]}) != change.After {
			return fmt.Sprintf("rule %d of %s is not as it left it", change.At+1, device)
		}
	case change.At > len(one.Rules):
		return KeyName(change.Key) + " are not as it left them"
	default:
		for _, made := range Standing(since, 0) {
			if slices.ContainsFunc(made.Changes, func(other Change) bool { return other.Key == change.Key }) {
				return KeyName(change.Key) + " are not as it left them"
			}
		}
	}
	return ""
}

// standsOn is a cable or plug of a device that is to go, "" where nothing is.
func standsOn(o *office.Office, key office.Key) office.Key {
	name, ok := strings.CutPrefix(string(key), "device:")
	if !ok {
		return ""
	}
	for _, cable := range o.Cables {
		if cable.A.Device == name || cable.B.Device == name {
			return cable.Key()
		}
	}
	for _, plug := range o.Plugs {
		if plug.Port.Device == name {
			return plug.Key()
		}
	}
	return ""
}

// blame is the newest edit that touched a key, else the newest whose statements
// name what the key names; nil where none is known.
func blame(since []Made, key office.Key) *Made {
	since = Standing(since, 0)
	for i := range since {
		for _, change := range since[i].Changes {
			if key.Clashes(change.Key) {
				return &since[i]
			}
		}
	}
	_, rest, _ := strings.Cut(string(key), ":")
	names := strings.FieldsFunc(rest, func(r rune) bool { return r == ' ' || r == '.' })
	names = names[:min(len(names), 1)] // the device, the use, the plan
	for i := range since {
		for _, change := range since[i].Changes {
			said := strings.FieldsFunc(change.After, func(r rune) bool { return strings.ContainsRune(" \t\n:,.[]", r) })
			if slices.ContainsFunc(names, func(name string) bool { return slices.Contains(said, name) }) {
				return &since[i]
			}
		}
	}
	return nil
}

// Standing leaves out edits that were taken back again, together with what took
// them back: newest first, each one that stands cancels the one that it undoes.
// Only what came after a revision is known.
func Standing(all []Made, after int64) []Made {
	gone := map[int64]bool{}
	var out []Made
	for _, made := range all {
		switch {
		case gone[made.Revision]:
		case made.Undoes > after && made.Undoes != 0 && slices.ContainsFunc(all, func(other Made) bool { return other.Revision == made.Undoes }):
			gone[made.Undoes] = true
		default:
			out = append(out, made)
		}
	}
	return out
}

// Untouched says whether no edit since the one's base touches what it touches.
// The error is a [*Conflict] that names who changed what.
func Untouched(edit office.Edit, since []Made, base int64) error {
	keys := edit.Keys()
	for _, made := range Standing(since, base) {
		for _, change := range made.Changes {
			for _, key := range keys {
				if key.Clashes(change.Key) {
					verb, it := "was", "it"
					if strings.HasPrefix(string(change.Key), "rules:") {
						verb, it = "were", "them"
					}
					return &Conflict{fmt.Sprintf("%s %s changed meanwhile by %s (%s): look at %s as %s now, and do it again",
						KeyName(change.Key), verb, made.Author, made.Summary, it, map[string]string{"it": "it is", "them": "they are"}[it])}
				}
			}
		}
	}
	return nil
}

// KeyName is a key as people say it: "port rack.19", "VLAN 110".
func KeyName(key office.Key) string {
	kind, rest, ok := strings.Cut(string(key), ":")
	switch {
	case !ok:
		return "the office's name"
	case kind == "vlan":
		return "VLAN " + rest
	case kind == "order":
		return "the order of the " + rest
	case kind == "rules":
		return "the rules of " + rest
	case kind == "wish":
		return "the wish " + rest
	case kind == "cable":
		return "the cable " + strings.Replace(rest, " ", " to ", 1)
	case kind == "plug":
		if at, name, ok := strings.Cut(rest, " "); ok {
			return fmt.Sprintf("the plug %q in %s", name, at)
		}
	}
	return kind + " " + rest
}

// Text is what an office says of a key, as a statement; "" where it says
// nothing.
func Text(o *office.Office, key office.Key) string {
	if thing := Thing(o, key); thing != nil {
		return notation.Thing(thing)
	}
	return ""
}

// Thing is what an office says of a key, nil for nothing.
//
// Many branches: one switch, a case a kind of thing.
func Thing(o *office.Office, key office.Key) office.Thing {
	kind, rest, _ := strings.Cut(string(key), ":")
	switch kind {
	case "title":
		return office.Title(o.Title)
	case "order":
		return office.OrderOf(o, rest)
	case "vlan":
		for _, vlan := range o.VLANs {
			if vlan.Key() == key {
				return vlan
			}
		}
	case "use":
		if use := o.Use(rest); use != nil {
			return use
		}
	case "plan":
		if plan := o.Plan(rest); plan != nil {
			return plan
		}
	case "device":
		if device := o.Device(rest); device != nil {
			return device
		}
	case "service":
		if named := o.Service(rest); named != nil {
			return named
		}
	case "wish":
		for _, wish := range o.Wishes {
			if wish.Key() == key {
				return wish
			}
		}
	case "port":
		dev, port, _ := strings.Cut(rest, ".")
		if device := o.Device(dev); device != nil {
			if i := device.Port(port); i >= 0 {
				return office.Setting{Port: office.PortRef{Device: dev, Port: port}, Shape: device.Ports[i].Shape, Because: device.Ports[i].Because}
			}
		}
	case "cable":
		for _, cable := range o.Cables {
			if cable.Key() == key {
				return cable
			}
		}
	case "plug":
		for _, plug := range o.Plugs {
			if plug.Key() == key {
				return plug
			}
		}
	}
	return nil
}
