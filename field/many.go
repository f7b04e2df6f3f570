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
func (x Dialer) Ways(device *office.Device) ([]office.Speaks, error) {
	if at := x.At[device.Name]; at != "" {
		return []office.Speaks{{Protocol: office.SNMP, At: at}}, nil
	}
	said := device.Speaks
	if more, ok := x.Speaks[device.Name]; ok {
		said = more
	}
	if len(said) == 0 {
		return nil, fmt.Errorf("nobody said how %s is spoken to: say so, as in %s speaks snmp", device.Name, device.Name)
	}
	out := make([]office.Speaks, 0, len(said))
	for _, speaks := range said {
		if speaks.At == "" {
			if device.Manage == nil || !device.Manage.Addr.IsValid() {
				return nil, fmt.Errorf("nobody said where %s is: give it a management address, or say speaks %s at ADDRESS", device.Name, speaks.Protocol)
			}
			speaks.At = device.Manage.Addr.String()
		}
		out = append(out, speaks)
	}
	return out, nil
}

// Open opens a device by one way. Nothing is sent yet, but where the protocol needs
// a connection.
func (x Dialer) Open(ctx context.Context, device *office.Device, speaks office.Speaks) (Device, error) {
	var cred *Credentials
	if speaks.With != "" {
		var err error
		if x.Secrets == nil {
			return nil, fmt.Errorf("there are no credentials %s", speaks.With)
		}
		scheme, at := "", speaks.At
		if speaks.Protocol == office.OVSDB {
			scheme, at, _ = strings.Cut(at, ":")
			scheme += ":"
		}
		if cred, err = x.Secrets(speaks.With); err == nil && scheme != "unix:" {
			at, err = cred.within(ctx, at)
		}
		speaks.At = scheme + at
		if err != nil {
			return nil, err
		}
		if x.Used != nil {
			x.Used(speaks.With, device.Name)
		}
	}
	over, err := talking.take(ctx, device.Name+" at "+speaks.At)
	if err != nil {
		return nil, err
	}
	var dev *bounded
	switch speaks.Protocol {
	case office.SNMP:
		dev, err = within(dialSNMP(ctx, speaks.At, speaks.Save, cred))
	case office.OVSDB:
		dev, err = within(dialOVSDB(ctx, speaks.At, device.Name, cred))
	case office.SSH:
		dev, err = within(dialSSH(ctx, speaks.At, device.Name, cred))
	default:
		err = fmt.Errorf("%q is no protocol", speaks.Protocol)
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
func (x Dialer) Talk(ctx context.Context, o *office.Office, device *office.Device) (Device, *Reading, error) {
	ways, err := x.Ways(device)
	if err != nil {
		return nil, nil, err
	}
	var all []error
	for _, speaks := range ways {
		dev, err := x.Open(ctx, device, speaks)
		if err == nil {
			var reading *Reading
			if reading, err = dev.Read(ctx); err == nil {
				if err = another(o, device, reading); err == nil {
					reading.Device = device.Name
					return dev, reading, nil
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
func another(o *office.Office, device *office.Device, reading *Reading) error {
	if reading.Name == "" || reading.Name == device.Name {
		return nil
	}
	if other := heardDevice(o, reading.Name); other != nil && other != device {
		return fmt.Errorf("%s answers as %s, which is another device of this office: is the address of one of them wrong?", reading.Source, other.Name)
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
	for _, device := range devices {
		wg.Go(func() {
			select {
			case turns <- struct{}{}:
				defer func() { <-turns }()
			case <-ctx.Done():
			}
			res := Result{Device: device.Name, Err: ctx.Err()}
			if res.Err == nil {
				res.Err = mishap.Try(func() (err error) {
					var dev Device
					if dev, res.Reading, err = x.Talk(ctx, o, device); err == nil {
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
