package look

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os/exec"
	"time"
)

// patience is how long a command of the system may take.
const patience = 10 * time.Second

// run is what a command of the system prints.
func run(ctx context.Context, name string, args ...string) (string, error) {
	ctx, stop := context.WithTimeout(ctx, patience)
	defer stop()
	out, err := exec.CommandContext(ctx, name, args...).Output()
	return string(out), err
}

// addresses is the first address of IPv4 that a card has, else of IPv6 beyond its link.
func addresses(on string) (lease Lease, index int, err error) {
	lease.On = on
	card, err := net.InterfaceByName(on)
	if err != nil {
		return lease, 0, fmt.Errorf("this machine has no network card %q", on)
	}
	all, err := card.Addrs()
	if err != nil {
		return lease, 0, err
	}
	for _, one := range all {
		ip, ok := one.(*net.IPNet)
		if !ok {
			continue
		}
		at, ok := netip.AddrFromSlice(ip.IP)
		at = at.Unmap()
		if !ok || at.IsLinkLocalUnicast() || at.IsLoopback() || lease.Addr.Is4() || lease.Addr.IsValid() && !at.Is4() {
			continue
		}
		lease.Addr = at
		lease.Bits, _ = ip.Mask.Size()
	}
	return lease, card.Index, nil
}

// chosen is the card that is asked for, else the one towards the default gateway, else the first
// that has an address; with what is known of it so far, and its number, 0 where nobody asks for it.
func chosen(on, towards string, gateway netip.Addr) (Lease, int, error) {
	if on == "" {
		on = towards
	}
	if on == "" {
		lease, err := first()
		return lease, 0, err
	}
	other, index, err := addresses(on)
	if on == towards {
		other.Gateway = gateway
	}
	return other, index, err
}

// first is the first card that has an address, where none leads to a gateway.
func first() (Lease, error) {
	all, err := net.Interfaces()
	if err != nil {
		return Lease{}, err
	}
	for _, card := range all {
		if card.Flags&net.FlagUp == 0 || card.Flags&net.FlagLoopback != 0 {
			continue
		}
		if lease, _, err := addresses(card.Name); err == nil && lease.Addr.IsValid() {
			return lease, nil
		}
	}
	return Lease{}, errors.New("no network card has an address: is the cable in, and does anybody hand addresses out?")
}
