package command

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

func doCopy(n *span.Net, a *args) (*Result, error) {
	old, name := a.next(), a.next()
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
// wording, limits. Cables, plugs and addresses stay with the first.
func Copy(o *office.Office, old, name string) (*Result, error) {
	d := office.NewDraft(o)
	x, err := d.FindDevice(old)
	if err != nil {
		return nil, err
	}
	if d.HasDevice(name) {
		return nil, fmt.Errorf("a device is named %s already", name)
	}
	if !plain(name) {
		return nil, fmt.Errorf("%q is no name of a device: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	y := x.Clone()
	y.Name, y.Addresses = name, nil
	if x.Manage != nil {
		y.Manage = &office.Manage{VID: x.Manage.VID}
	}
	at := slices.Index(o.Devices, x) + 1
	if err := d.Put(office.Change{After: y, At: at}); err != nil {
		return nil, err
	}
	next, e := d.Done()
	r := &Result{Office: next, Edit: e}
	if len(x.Addresses) > 0 || x.Manage != nil && x.Manage.Addr.IsValid() {
		r.Notes = append(r.Notes, "addresses stay with "+old)
	}
	return r, nil
}
