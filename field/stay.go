package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// What a host was told runs until it is started anew: its own network settings are of several
// kinds, and are its administrator's. How it is made to stay is said in the kind that the host
// has.

// keeper is what sets a host's network up when it starts.
type keeper string

const (
	ifupdown keeper = "ifupdown" // interfaces(5)
	networkd keeper = "networkd" // systemd.network(5)
)

// askKeeper says which of them a host has: networkd where it runs.
const askKeeper = "sh -c 'if [ -e /run/systemd/netif/state ]; then echo networkd; elif [ -d /etc/network/interfaces.d ]; then echo ifupdown; fi'"

// Save says how what runs is made to stay: [ErrNoSave], as it is for a person.
func (h *host) Save(ctx context.Context) error {
	out, err := h.run(ctx, askKeeper, "")
	var no *Refused
	if err != nil && !errors.As(err, &no) {
		return err
	}
	if h.read == nil {
		return ErrNoSave
	}
	text := h.read.stays(keeper(strings.TrimSpace(string(out))))
	if text == "" {
		return ErrNoSave
	}
	return &kept{text}
}

// kept is how something is made to stay that runs only.
type kept struct{ text string }

func (k *kept) Error() string { return k.text }
func (k *kept) Unwrap() error { return ErrNoSave }

// stays is the files that make stay what was read; "" where nothing is known of the host.
func (r *Reading) stays(by keeper) string {
	var text strings.Builder
	text.WriteString("it runs, and is gone when the host is started anew. So that it stays:\n")
	switch by {
	case ifupdown:
		text.WriteString("/etc/network/interfaces.d/klammer\n")
		r.interfaces(&text)
	case networkd:
		r.networks(&text)
	default:
		text.WriteString("what sets up this host's network is not known here: write it down where that does, as bridge vlan show and ip address show print it\n")
	}
	if router := r.Router; router != nil {
		if by == ifupdown || by == networkd {
			fmt.Fprintf(&text, "/etc/sysctl.d/klammer.conf\n    net.ipv4.ip_forward = %d\n", map[bool]int{true: 1}[router.Forwards])
		}
		if router.Filter != nil {
			text.WriteString("nft list ruleset > /etc/nftables.conf (with flush ruleset before it), and systemctl enable nftables\n")
		}
	}
	return text.String()
}

// entries is the VLANs of a port, as bridge vlan shows them.
func (p *Port) entries() (out []string) {
	all := p.Set.Members()
	for vid := range all.All() {
		text := fmt.Sprintf("vid %d", vid)
		if p.Set.PVID == vid {
			text += " pvid"
		}
		if p.Set.Untagged.Has(vid) {
			text += " untagged"
		}
		out = append(out, text)
	}
	return out
}

// interfaces says what runs for ifupdown: a second paragraph of an interface adds to its own.
func (r *Reading) interfaces(text *strings.Builder) {
	for at := range r.Ports {
		port := &r.Ports[at]
		var up []string
		if port.Self {
			up = r.ofBridge(at)
		}
		for _, x := range r.ownAt(port.Name) {
			up = append(up, "ip address replace "+x+" dev "+port.Name)
		}
		if r.Router != nil {
			for _, route := range r.Router.Routes {
				if route.Dev == port.Name && route.Via != "" && route.Protocol != "kernel" {
					up = append(up, fmt.Sprintf("ip route replace %s via %s dev %s", plain(route.To), plain(route.Via), port.Name))
				}
			}
		}
		if len(up) == 0 || !linkName(port.Name) {
			continue
		}
		fmt.Fprintf(text, "    iface %s inet manual\n", port.Name)
		for _, line := range up {
			fmt.Fprintf(text, "        up %s\n", line)
		}
	}
}

// ofBridge is the commands that set the ports of a bridge, and the bridge itself, as they are.
func (r *Reading) ofBridge(bridge int) (up []string) {
	for at := range r.Ports {
		port := &r.Ports[at]
		if !port.Bridged || port.Unsaid != "" || !linkName(port.Name) || port.Self && at != bridge {
			continue
		}
		self := ""
		if port.Self {
			self = " self"
		}
		if !slices.Contains(port.entries(), "vid 1") { // where the kernel puts new ports
			up = append(up, fmt.Sprintf("bridge vlan del dev %s vid 1%s 2>/dev/null || true", port.Name, self))
		}
		for _, e := range port.entries() {
			up = append(up, fmt.Sprintf("bridge vlan add dev %s %s%s", port.Name, e, self))
		}
		if port.Shut {
			up = append(up, fmt.Sprintf("ip link set dev %s down", port.Name))
		}
	}
	return up
}

// ownAt is the addresses of an interface.
func (r *Reading) ownAt(name string) (out []string) {
	for _, a := range r.Addresses {
		if dev, text, _ := strings.Cut(a, " "); dev == name && r.Router != nil {
			out = append(out, text)
		}
	}
	return out
}

// networks says what runs for networkd: a file for each port of the bridge, which adds to the
// one that it has.
func (r *Reading) networks(text *strings.Builder) {
	for at := range r.Ports {
		port := &r.Ports[at]
		own := r.ownAt(port.Name)
		if !linkName(port.Name) || port.Unsaid != "" || !port.Bridged && len(own) == 0 {
			continue
		}
		fmt.Fprintf(text, "/etc/systemd/network/NAME.network.d/klammer.conf, where networkctl status %s says which NAME is its\n", port.Name)
		if len(own) > 0 {
			text.WriteString("    [Network]\n")
			for _, x := range own {
				fmt.Fprintf(text, "    Address=%s\n", x)
			}
		}
		all := port.Set.Members()
		for vid := range all.All() {
			fmt.Fprintf(text, "    [BridgeVLAN]\n    VLAN=%d\n", vid)
			if port.Set.PVID == vid {
				fmt.Fprintf(text, "    PVID=%d\n", vid)
			}
			if port.Set.Untagged.Has(vid) {
				fmt.Fprintf(text, "    EgressUntagged=%d\n", vid)
			}
		}
		if r.Router == nil {
			continue
		}
		for _, route := range r.Router.Routes {
			if route.Dev == port.Name && route.Via != "" && route.Protocol != "kernel" {
				to := plain(route.To)
				if to == "default" {
					to = map[bool]string{true: "::/0", false: "0.0.0.0/0"}[route.v6]
				}
				fmt.Fprintf(text, "    [Route]\n    Destination=%s\n    Gateway=%s\n", to, plain(route.Via))
			}
		}
	}
}
