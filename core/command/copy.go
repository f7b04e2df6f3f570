package command

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// doCopy reads: copy DEVICE [as] NAME.
func doCopy(net *span.Net, args *args) (*Result, error) {
	old := args.next()
	args.accept("as")
	name := args.next()
	if !args.done() {
		return nil, nil
	}
	result, err := Copy(net.Office, old.text, name.text)
	if err != nil {
		return nil, mistake(1, old.at, err.Error())
	}
	return result, nil
}

// Copy starts a device as another is: its front, bundles, inner ports, shapes,
// wording, limits, model. Cables, plugs, what is noted, addresses, routes and rules stay with the first.
//
//	> copy floor as attic
//	device attic switch follows floor
//	  ports 1-8 1G
//	  wording by-vlan pvid-follows leaves-last
//	  manage 190
//	  5: 160
//	  6-7: -
//	# addresses stay with floor
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
	other := device.Clone()
	other.Name, other.Addresses = name, nil
	other.Outsides, other.Routes, other.Rules = nil, nil, nil // which mean something at its place
	other.Facts = office.Facts{Model: device.Facts.Model}
	for i := range other.Ports {
		other.Ports[i].Facts = nil
	}
	if device.Manage != nil {
		other.Manage = &office.Manage{VID: device.Manage.VID}
	}
	at := slices.Index(o.Devices, device) + 1
	if err := draft.Put(office.Change{After: other, At: at}); err != nil {
		return nil, err
	}
	next, edit := draft.Done()
	result := &Result{Office: next, Edit: edit}
	if len(device.Addresses) > 0 || device.Manage != nil && device.Manage.Addr.IsValid() {
		result.Notes = append(result.Notes, "addresses stay with "+old)
	}
	return result, nil
}
