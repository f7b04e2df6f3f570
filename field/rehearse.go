package field

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/order"
	"klammer/mishap"
)

// A rehearsal reads a device and works out every write that a step would send, and sends
// none. What would be sent is listed where it would be sent, so that the list is of the
// same writes.

type rehearsalKey struct{}

// rehearsing is where writes are listed; nil where they are sent.
func rehearsing(ctx context.Context) *[]string {
	list, _ := ctx.Value(rehearsalKey{}).(*[]string)
	return list
}

// Rehearsal is a step that is looked at and not carried out, with the offices around it.
type Rehearsal struct {
	Begun         *office.Office // as the visit began, which devices are set to now
	Before, After *office.Office // the step
	Device        string
	Kind          order.Kind
}

// Rehearse says what a step would write to its device. What the device is set to now has to
// be what the order began its visit with; the steps of the visit before this one are taken
// as done, as none of them was sent. The error is that of [Carrier.Step].
func (c *Carrier) Rehearse(ctx context.Context, step Rehearsal) (writes []string, err error) {
	err = mishap.Try(func() error {
		writes, err = c.rehearse(ctx, step)
		return err
	})
	return writes, err
}

// rehearse tells what a step would send to the device and sends nothing that sets anything. It asks
// the same of the device as the step itself would; what differs is told the same way.
func (c *Carrier) rehearse(ctx context.Context, step Rehearsal) ([]string, error) {
	begun, before, after, device, kind := step.Begun, step.Before, step.After, step.Device, step.Kind
	one := before.Device(device)
	switch {
	case kind != order.Set && kind != order.Check && kind != order.Save:
		return nil, &ByHand{"this is done by hand"}
	case one == nil || begun.Device(device) == nil:
		return nil, &ByHand{"there is no " + device + " yet"}
	}
	dev, reading, err := c.talk(ctx, before, one)
	if err != nil {
		return nil, err
	}
	match := MatchPorts(one, reading)
	if x := begun.Device(device); len(x.Ports) == len(one.Ports) {
		state := stateOf(begun, device)
		if differs := unlike(one, reading.Found(begun, x, match, state).State, state); len(differs) > 0 {
			return nil, &Unforetold{Device: one.Name, Differs: differs}
		}
	}
	switch kind {
	case order.Check:
		return []string{}, nil
	case order.Save:
		return []string{"what runs is saved, where the protocol can"}, nil
	}
	x := after.Device(device)
	routes, ok := rerouted(one, x)
	if !ok || routes && reading.Router == nil {
		return nil, &ByHand{byHandRouting}
	}
	list := []string{}
	ctx = context.WithValue(ctx, rehearsalKey{}, &list)
	if routes {
		err = c.reroute(ctx, turn{before, after, one, x}, dev, reading)
		return list, err
	}
	other, b := stateOf(before, device), stateOf(after, device)
	err = dev.Set(ctx, one, match, other, b.Knowing(other.VLANs))
	return list, err
}

// pduText is an object and the value that it would be set to.
func pduText(object object) string {
	value := fmt.Sprint(object.pdu.Value)
	if b, ok := object.pdu.Value.([]byte); ok {
		value = hex.EncodeToString(b)
	}
	kind := map[gosnmp.Asn1BER]string{gosnmp.Integer: "INTEGER", gosnmp.OctetString: "OCTET STRING", gosnmp.Gauge32: "Gauge32"}[object.pdu.Type]
	return strings.TrimSpace(fmt.Sprintf("%s: %s = %s %s", object.what, object.pdu.Name, kind, value))
}

// opText is an operation on a database.
func opText(op any) string {
	b, err := json.Marshal(op)
	if err != nil {
		return err.Error()
	}
	return string(b)
}
