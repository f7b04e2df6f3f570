package command

import (
	"fmt"

	"klammer/core/history"
	"klammer/core/office"
	"klammer/core/span"
)

// doRename changes the name of a device, VLAN, use or plan and everything that refers to it.
func doRename(net *span.Net, args *args) (*Result, error) {
	kind := args.next()
	old := args.next()
	name := args.next()
	if !args.done() {
		return nil, nil
	}
	if kind.text != "device" && kind.text != "vlan" && kind.text != "use" && kind.text != "plan" {
		args.wrong(kind.at, kind.text+" has no name to change")
		return nil, nil
	}
	result, err := Rename(net.Office, kind.text, old.text, name.text)
	if err != nil {
		return nil, mistake(1, old.at, err.Error())
	}
	return result, nil
}

// Rename gives a device, a VLAN, a use or a port plan another name, wherever it
// is named. kind is "device", "vlan", "use" or "plan".
//
//	> rename vlan guests to visitors
//	vlan 160 visitors net 10.61.160.0/24
func Rename(o *office.Office, kind, old, name string) (*Result, error) {
	if old == name {
		return nil, fmt.Errorf("it is named %s already", name)
	}
	if kind != "vlan" && !plain(name) {
		return nil, fmt.Errorf("%q is no name: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	if kind == "vlan" {
		return renameVLAN(o, old, name)
	}
	draft := office.NewDraft(o)
	var err error
	taken := false
	to := func(x string) string {
		if x == old {
			return name
		}
		return x
	}
	refs := &office.Refs{}
	switch kind {
	case "device":
		_, err = draft.FindDevice(old)
		taken, refs.Device = draft.HasDevice(name), to
	case "use":
		_, err = draft.FindUse(old)
		taken, refs.Use = o.Use(name) != nil, to
	case "plan":
		_, err = draft.FindPlan(old)
		taken, refs.Plan = o.Plan(name) != nil, to
	}
	switch {
	case err != nil:
		return nil, err
	case taken:
		return nil, fmt.Errorf("a %s is named %s already", map[string]string{"device": "device", "use": "use", "plan": "port plan"}[kind], name)
	}
	return refer(o, refs)
}

// renameVLAN changes the name of a registered VLAN; nothing else does, as all refer to its number.
func renameVLAN(o *office.Office, old, name string) (*Result, error) {
	vid, err := findVLAN(o, old)
	if err != nil {
		return nil, err
	}
	was := o.VLAN(vid)
	if was == nil {
		return nil, fmt.Errorf("VLAN %d is not in the register: register it with vlan %d %s", vid, vid, name)
	}
	draft := office.NewDraft(o)
	vlan := *was
	vlan.Name = name
	if err := draft.PutVLAN(&vlan); err != nil {
		return nil, err
	}
	next, edit := draft.Done()
	return &Result{Office: next, Edit: edit}, nil
}

// refer is the edit that gives every reference of an office anew.
func refer(o *office.Office, refs *office.Refs) (*Result, error) { return become(o, refs.Office(o)) }

// become is the edit that makes one office of another.
func become(o, to *office.Office) (*Result, error) {
	edit, err := history.Diff(o, to)
	if err != nil {
		return nil, err
	}
	next, err := office.Apply(o, edit)
	if err != nil {
		return nil, err
	}
	return &Result{Office: next, Edit: edit}, nil
}

// plain says whether a text is a word of the notation that needs no quotes: letters, digits, and
// inside of it - and _.
//
//	> rename device floor to first floor
//	! column 30: floor is too much: write rename device|vlan|use|plan NAME to NAME
func plain(text string) bool {
	for i, c := range text {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
		if !letter && (i == 0 || c != '-' && c != '_') {
			return false
		}
	}
	return text != ""
}
