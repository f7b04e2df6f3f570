package look

import "context"

// Card is what the system says of a network card, of the one towards the default gateway where
// on is "".
func Card(ctx context.Context, on string) (Lease, error) {
	towards, gateway := "", Lease{}.Gateway
	if text, err := run(ctx, "route", "-n", "get", "default"); err == nil {
		towards, gateway = macRoute(text)
	}
	l, _, err := chosen(on, towards, gateway)
	if err != nil {
		return l, err
	}
	if text, err := run(ctx, "ipconfig", "getpacket", l.On); err == nil {
		l.hold(macPacket(text))
	}
	return l, nil
}
