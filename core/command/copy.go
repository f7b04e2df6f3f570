package command

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

func doCopy(n *span.Net, a *args) (*Result, error) {
	old := a.next()
	a.accept("as")
	name := a.next()
	if !a.done() {
		return nil, nil
	}
	r, err := Copy(n.Office, old.text, name.text)
	if err != nil {
		return nil, mistake(1, old.at, err.Error())
	}
	return r, nil
}

// Copy starts a device as another is: its front, bundles, inner ports, shapes,
// wording, limits, model. Cables, plugs, what is noted, addresses, routes and rules stay with the first.
func Copy(o *office.Office, old, name string) (*Result, error) {
	draft := office.NewDraft(o)
	device, err := draft.FindDevice(old)
	if err != nil {
		return nil, err
	}
	if draft.HasDevice(name) {
		return nil, fmt.Errorf("a device is named %s already", name)
	}
	if !plain(name) {
		return nil, fmt.Errorf("%q is no name of a device: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	y := device.Clone()
	y.Name, y.Addresses = name, nil
	y.Outsides, y.Routes, y.Rules = nil, nil, nil // which mean something at its place
	y.Facts = office.Facts{Model: device.Facts.Model}
	for i := range y.Ports {
		y.Ports[i].Facts = nil
	}
	if device.Manage != nil {
		y.Manage = &office.Manage{VID: device.Manage.VID}
	}
	at := slices.Index(o.Devices, device) + 1
	if err := draft.Put(office.Change{After: y, At: at}); err != nil {
		return nil, err
	}
	next, e := draft.Done()
	r := &Result{Office: next, Edit: e}
	if len(device.Addresses) > 0 || device.Manage != nil && device.Manage.Addr.IsValid() {
		r.Notes = append(r.Notes, "addresses stay with "+old)
	}
	return r, nil
}
