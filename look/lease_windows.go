package look

import (
	"context"
	"errors"
	"fmt"
	"strings"
)

// Card is what the system says of a network card, of the one towards the default gateway where
// on is "".
func Card(ctx context.Context, on string) (Lease, error) {
	text, err := run(ctx, "powershell", "-NoProfile", "-NonInteractive", "-Command", windowsQuery)
	if err != nil {
		return Lease{}, fmt.Errorf("Windows does not tell of its network cards: %w", err)
	}
	all, err := windows([]byte(text))
	if err != nil {
		return Lease{}, fmt.Errorf("Windows tells of its network cards in another way than expected: %w", err)
	}
	for _, l := range all {
		if on == "" || strings.EqualFold(l.On, on) {
			return l, nil
		}
	}
	return Lease{}, errors.New("no network card has an address: is the cable in?")
}
