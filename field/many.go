package field

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"

	"klammer/core/office"
	"klammer/mishap"
)

// AtOnce is how many devices are read side by side.
const AtOnce = 16

// Secrets finds credentials by their name; the error says that there are none.
type Secrets func(name string) (*Credentials, error)

// Dialer opens devices.
type Dialer struct {
	Secrets Secrets
	Used    func(name, device string)  // is told which credentials are sent to which device; nil for nobody
	At      map[string]string          // by device: where it is instead, as a stand-in is
	Speaks  map[string][]office.Speaks // by device: how it is spoken to, whatever the office says
}

// Ways is how a device is spoken to, with where: at its management address where
// nothing else is said. The error says what is missing.
func (x Dialer) Ways(d *office.Device) ([]office.Speaks, error) {
	if at := x.At[d.Name]; at != "" {
		return []office.Speaks{{Protocol: office.SNMP, At: at}}, nil
	}
	said := d.Speaks
	if more, ok := x.Speaks[d.Name]; ok {
		said = more
	}
	if len(said) == 0 {
		return nil, fmt.Errorf("nobody said how %s is spoken to: say so, as in %s speaks snmp", d.Name, d.Name)
	}
	out := make([]office.Speaks, 0, len(said))
	for _, s := range said {
		if s.At == "" {
			if d.Manage == nil || !d.Manage.Addr.IsValid() {
				return nil, fmt.Errorf("nobody said where %s is: give it a management address, or say speaks %s at ADDRESS", d.Name, s.Protocol)
			}
			s.At = d.Manage.Addr.String()
		}
		out = append(out, s)
	}
	return out, nil
}

// Open opens a device by one way. Nothing is sent yet, but where the protocol needs
// a connection.
func (x Dialer) Open(ctx context.Context, d *office.Device, s office.Speaks) (Device, error) {
	var cred *Credentials
	if s.With != "" {
		var err error
		if x.Secrets == nil {
			return nil, fmt.Errorf("there are no credentials %s", s.With)
		}
		scheme, at := "", s.At
		if s.Protocol == office.OVSDB {
			scheme, at, _ = strings.Cut(at, ":")
			scheme += ":"
		}
		if cred, err = x.Secrets(s.With); err == nil && scheme != "unix:" {
			at, err = cred.within(ctx, at)
		}
		s.At = scheme + at
		if err != nil {
			return nil, err
		}
		if x.Used != nil {
			x.Used(s.With, d.Name)
		}
	}
	over, err := talking.take(ctx, d.Name+" at "+s.At)
	if err != nil {
		return nil, err
	}
	var dev *bounded
	switch s.Protocol {
	case office.SNMP:
		dev, err = within(dialSNMP(ctx, s.At, s.Save, cred))
	case office.OVSDB:
		dev, err = within(dialOVSDB(ctx, s.At, d.Name, cred))
	case office.SSH:
		dev, err = within(dialSSH(ctx, s.At, d.Name, cred))
	default:
		err = fmt.Errorf("%q is no protocol", s.Protocol)
	}
	if err != nil {
		over()
		return nil, err
	}
	dev.over = over
	return dev, nil
}

// within is a device that was dialled, within bounds.
func within[D interface {
	Device
	wire() *line
}](d D, err error) (*bounded, error) {
	if err != nil {
		return nil, said(err)
	}
	return &bounded{Device: d, line: d.wire()}, nil
}

// Talk opens a device by the first way on which it answers, and reads it.
func (x Dialer) Talk(ctx context.Context, o *office.Office, d *office.Device) (Device, *Reading, error) {
	ways, err := x.Ways(d)
	if err != nil {
		return nil, nil, err
	}
	var all []error
	for _, s := range ways {
		dev, err := x.Open(ctx, d, s)
		if err == nil {
			var r *Reading
			if r, err = dev.Read(ctx); err == nil {
				if err = another(o, d, r); err == nil {
					r.Device = d.Name
					return dev, r, nil
				}
			}
			_ = dev.Close()
		}
		all = append(all, err)
		if ctx.Err() != nil {
			break
		}
	}
	return nil, nil, said(errors.Join(all...))
}

// another says where an address leads to another device of the office than was meant.
func another(o *office.Office, d *office.Device, r *Reading) error {
	if r.Name == "" || r.Name == d.Name {
		return nil
	}
	if x := heardDevice(o, r.Name); x != nil && x != d {
		return fmt.Errorf("%s answers as %s, which is another device of this office: is the address of one of them wrong?", r.Source, x.Name)
	}
	return nil
}

// Result is what became of reading a device.
type Result struct {
	Device  string
	Reading *Reading // nil where it failed
	Err     error
}

// ReadAll reads devices side by side, and calls each as they come in, one at a time.
// What one costs, none of the others waits for.
func (x Dialer) ReadAll(ctx context.Context, o *office.Office, devices []*office.Device, each func(Result)) {
	var wg mishap.Group
	var mu sync.Mutex
	turns := make(chan struct{}, AtOnce)
	for _, d := range devices {
		wg.Go(func() {
			select {
			case turns <- struct{}{}:
				defer func() { <-turns }()
			case <-ctx.Done():
			}
			res := Result{Device: d.Name, Err: ctx.Err()}
			if res.Err == nil {
				res.Err = mishap.Try(func() (err error) {
					var dev Device
					if dev, res.Reading, err = x.Talk(ctx, o, d); err == nil {
						_ = dev.Close()
					}
					return err
				})
			}
			mu.Lock()
			defer mu.Unlock()
			each(res)
		})
	}
	wg.Wait()
}
