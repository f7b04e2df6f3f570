package look

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
)

// Card is what the system says of a network card, of the one towards the default gateway where
// on is "".
func Card(ctx context.Context, on string) (Lease, error) {
	table, err := os.ReadFile("/proc/net/route")
	if err != nil {
		return Lease{}, err
	}
	towards, gateway := routes(string(table))
	lease, index, err := chosen(on, towards, gateway)
	if err != nil {
		return lease, err
	}
	on = lease.On
	read := func(file string) string {
		text, _ := os.ReadFile(file) // it need not be there
		return string(text)
	}
	more := networkd(read("/run/systemd/netif/leases/" + strconv.Itoa(index)))
	if text, err := run(ctx, "nmcli", "-t", "-f", "DHCP4", "device", "show", on); err == nil {
		more.hold(dhcpOptions(text))
	}
	if text, err := run(ctx, "dhcpcd", "-U", on); err == nil {
		more.hold(dhcpOptions(text))
	}
	for _, where := range []string{"/var/lib/dhcp/*.leases", "/var/lib/dhclient/*.lease*", "/var/lib/NetworkManager/dhclient*.lease", "/run/dhclient*.lease*"} {
		files, err := filepath.Glob(where)
		if err != nil {
			return lease, fmt.Errorf("looking for leases: %w", err)
		}
		for _, file := range files {
			more.hold(dhclient(read(file), on))
		}
	}
	if more.Addr.IsValid() && more.Addr != lease.Addr {
		more = Lease{} // of another day
	}
	lease.hold(more)
	lease.hold(Lease{DNS: resolvers(read("/etc/resolv.conf"))})
	return lease, nil
}
