package office

import (
	"slices"
	"strconv"
	"strings"
)

// Key names one thing of an office, for telling whether two edits touch the
// same: "title", "vlan:110", "use:desk", "plan:ward-8", "device:rack",
// "port:rack.19", "cable:rack.19 ward-east.8", "plug:rack.1 reception pc",
// "service:pictures", "wish:never guests to payments", and "rules:gate" for all
// rules of a device, as their order is what they mean.
type Key string

// Clashes says whether an edit of k and one of key touch the same thing: a
// device and its ports do.
func (k Key) Clashes(key Key) bool {
	return k == key || k.within(key) || key.within(k)
}

// within says whether a thing is part of another: a port or the rules of a device.
func (k Key) within(key Key) bool {
	d, isDevice := strings.CutPrefix(string(key), "device:")
	p, isPort := strings.CutPrefix(string(k), "port:")
	r, isRules := strings.CutPrefix(string(k), "rules:")
	return isDevice && (isPort && strings.HasPrefix(p, d+".") || isRules && r == d)
}

// Thing is what an edit replaces: a [Title], *[VLAN], *[Use], *[Plan],
// *[Device], [Setting], [Cable], [Plug], *[NamedService], *[Wish], [RuleAt] or
// [Order].
type Thing interface{ Key() Key }

// Title is the office's name as a Thing.
type Title string

// Setting is what is set on one port; a nil Shape is nothing.
type Setting struct {
	Port    PortRef
	Shape   *Shape
	Because string
}

// RuleAt is a rule in a device's list. Its place is that of its [Change]: a rule
// is put before the one that stands there, and what goes is the one there.
type RuleAt struct {
	Device string
	Rule   *Rule
}

func (r RuleAt) Key() Key        { return Key("rules:" + r.Device) }
func (s *NamedService) Key() Key { return Key("service:" + s.Name) }
func (w *Wish) Key() Key         { return Key("wish:" + w.String()) }
func (Title) Key() Key           { return "title" }
func (v *VLAN) Key() Key         { return Key("vlan:" + strconv.Itoa(int(v.VID))) }
func (u *Use) Key() Key          { return Key("use:" + u.Name) }
func (p *Plan) Key() Key         { return Key("plan:" + p.Name) }
func (d *Device) Key() Key       { return Key("device:" + d.Name) }
func (s Setting) Key() Key       { return Key("port:" + s.Port.String()) }
func (p Plug) Key() Key          { return Key("plug:" + p.Port.Device + "." + p.Port.Port + " " + p.Name) }

// Key names a cable by its two ends, the lesser first, so that a cable is one however it was
// written.
func (c Cable) Key() Key {
	one, b := c.A, c.B
	if b.Compare(one) < 0 {
		one, b = b, one
	}
	return Key("cable:" + one.Device + "." + one.Port + " " + b.Device + "." + b.Port)
}

// Change replaces one thing; a nil Before adds it, a nil After removes it.
type Change struct {
	Before, After Thing
	At            int // its place in its list, so that undoing a removal restores the order
}

// Key names what the change touches.
func (c Change) Key() Key {
	if c.After != nil {
		return c.After.Key()
	}
	return c.Before.Key()
}

// Edit is changes that are made together or not at all.
type Edit []Change

// Inverse undoes e.
func (e Edit) Inverse() Edit {
	edit := make(Edit, 0, len(e))
	for _, change := range slices.Backward(e) {
		edit = append(edit, Change{Before: change.After, After: change.Before, At: change.At})
	}
	return edit
}

// Keys lists what e touches, without repeats.
func (e Edit) Keys() []Key {
	var ks []Key
	seen := map[Key]bool{}
	for _, change := range e {
		if key := change.Key(); !seen[key] {
			seen[key] = true
			ks = append(ks, key)
		}
	}
	return ks
}

// Apply makes e's changes to o, all or none.
func Apply(o *Office, edit Edit) (*Office, error) {
	draft := NewDraft(o)
	for _, change := range edit {
		if err := draft.Put(change); err != nil {
			return nil, err
		}
	}
	r, _ := draft.Done()
	return r, nil
}
