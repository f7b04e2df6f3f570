// Package look is what a laptop's own system says of the network that it is in, and what one
// can try there without rights: ping by the system's own command, connections, and questions
// that a service answers. Linux, Windows and macOS are asked by their own files and commands;
// how each answer is read is tried on answers that were recorded.
package look

import (
	"bufio"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"net"
	"net/netip"
	"strconv"
	"strings"
)

// Lease is what a system says of one of its network cards; each zero where it does not tell.
type Lease struct {
	On      string // the card, as the system calls it
	Addr    netip.Addr
	Bits    int // of the mask
	Gateway netip.Addr
	Server  netip.Addr   // that handed the address out (RFC 2131, option 54)
	DNS     []netip.Addr // whom it asks for names
}

// hold keeps of a lease what another knows and it does not.
func (l *Lease) hold(more Lease) {
	if !l.Addr.IsValid() {
		l.Addr, l.Bits = more.Addr, more.Bits
	}
	if l.Bits == 0 {
		l.Bits = more.Bits
	}
	if !l.Gateway.IsValid() {
		l.Gateway = more.Gateway
	}
	if !l.Server.IsValid() {
		l.Server = more.Server
	}
	if len(l.DNS) == 0 {
		l.DNS = more.DNS
	}
}

// addr is an address of a text; the zero one for none.
func addr(text string) netip.Addr {
	one, err := netip.ParseAddr(strings.Trim(strings.TrimSpace(text), `"'{};`))
	if err != nil || one.Zone() != "" || one.IsUnspecified() {
		return netip.Addr{}
	}
	return one.Unmap()
}

// addrs is the addresses of a text, with blanks or commas between.
func addrs(text string) (out []netip.Addr) {
	for _, x := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" ,;{}\t", r) }) {
		if one := addr(x); one.IsValid() {
			out = append(out, one)
		}
	}
	return out
}

// bits is the length of a mask, as "255.255.255.0" or "24"; 0 for none.
func bits(mask string) int {
	mask = strings.Trim(strings.TrimSpace(mask), `"';`)
	if n, err := strconv.Atoi(mask); err == nil && n >= 0 && n <= 128 {
		return n
	}
	if ip := net.ParseIP(mask).To4(); ip != nil {
		n, size := net.IPMask(ip).Size()
		if size == 32 {
			return n
		}
	}
	return 0
}

// routes is the default gateway of /proc/net/route, with the least metric, and its card.
func routes(table string) (on string, gateway netip.Addr) {
	least := -1
	scan := bufio.NewScanner(strings.NewReader(table))
	for scan.Scan() {
		f := strings.Fields(scan.Text())
		if len(f) < 8 || f[1] != "00000000" || f[7] != "00000000" {
			continue
		}
		raw, err := hex.DecodeString(f[2])
		metric, wrong := strconv.Atoi(f[6])
		if err != nil || wrong != nil || len(raw) != 4 || least >= 0 && metric >= least {
			continue
		}
		least = metric
		var b [4]byte
		binary.BigEndian.PutUint32(b[:], binary.LittleEndian.Uint32(raw))
		on, gateway = f[0], netip.AddrFrom4(b)
	}
	return on, gateway
}

// keys is a lease of lines "KEY=value", by the names that one program gives them.
func keys(text string, by map[string]func(lease *Lease, value string)) (lease Lease) {
	scan := bufio.NewScanner(strings.NewReader(text))
	for scan.Scan() {
		key, value, ok := strings.Cut(scan.Text(), "=")
		if set := by[strings.TrimSpace(key)]; ok && set != nil {
			set(&lease, value)
		}
	}
	return lease
}

func setAddr(lease *Lease, v string)   { lease.Addr = addr(v) }
func setMask(lease *Lease, v string)   { lease.Bits = bits(v) }
func setServer(lease *Lease, v string) { lease.Server = addr(v) }
func setDNS(lease *Lease, v string)    { lease.DNS = addrs(v) }
func setGateway(lease *Lease, v string) {
	if all := addrs(v); len(all) > 0 {
		lease.Gateway = all[0]
	}
}

// networkd is a lease as systemd-networkd keeps it in /run/systemd/netif/leases.
func networkd(text string) Lease {
	return keys(text, map[string]func(*Lease, string){"ADDRESS": setAddr, "NETMASK": setMask, "ROUTER": setGateway, "SERVER_ADDRESS": setServer, "DNS": setDNS})
}

// dhcpOptions is a lease of lines "name = value" as NetworkManager tells it of a device, or
// "name=value" as dhcpcd does.
func dhcpOptions(text string) Lease {
	by := map[string]func(*Lease, string){
		"ip_address": setAddr, "subnet_mask": setMask, "routers": setGateway, "dhcp_server_identifier": setServer, "domain_name_servers": setDNS, "subnet_cidr": setMask,
	}
	var plain []string
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "DHCP4.OPTION[") { // DHCP4.OPTION[7]:routers = 10.0.0.1
			_, line, _ = strings.Cut(line, "]:")
		}
		key, value, _ := strings.Cut(line, "=")
		plain = append(plain, strings.TrimPrefix(strings.TrimSpace(key), "new_")+"="+strings.TrimSpace(value))
	}
	return keys(strings.Join(plain, "\n"), by)
}

// dhclient is the last lease of a card in a file of dhclient's.
func dhclient(text, on string) (last Lease) {
	for _, part := range strings.Split(text, "lease {")[1:] {
		body, _, _ := strings.Cut(part, "\n}")
		if !strings.Contains(body, `interface "`+on+`"`) {
			continue
		}
		last = Lease{}
		for line := range strings.Lines(body) {
			line = strings.TrimSuffix(strings.TrimSpace(line), ";")
			line = strings.TrimPrefix(line, "option ")
			key, value, _ := strings.Cut(line, " ")
			switch key {
			case "fixed-address":
				setAddr(&last, value)
			case "subnet-mask":
				setMask(&last, value)
			case "routers":
				setGateway(&last, value)
			case "dhcp-server-identifier":
				setServer(&last, value)
			case "domain-name-servers":
				setDNS(&last, value)
			}
		}
	}
	return last
}

// resolvers is whom /etc/resolv.conf names, those on the laptop itself left out.
func resolvers(text string) (out []netip.Addr) {
	for line := range strings.Lines(text) {
		f := strings.Fields(line)
		if len(f) >= 2 && f[0] == "nameserver" {
			if one := addr(f[1]); one.IsValid() && !one.IsLoopback() {
				out = append(out, one)
			}
		}
	}
	return out
}

// windowsQuery is what tells of the cards of Windows that have addresses, as JSON in words that
// no language changes.
const windowsQuery = `Get-CimInstance Win32_NetworkAdapterConfiguration -Filter 'IPEnabled=TRUE' | Select-Object Description,InterfaceIndex,IPAddress,IPSubnet,DefaultIPGateway,DHCPServer,DNSServerSearchOrder | ConvertTo-Json -Depth 3`

// list is one text or several: PowerShell makes a list of one item a text at times.
type list []string

func (l *list) UnmarshalJSON(data []byte) error {
	var one string
	if json.Unmarshal(data, &one) == nil {
		*l = nil
		if one != "" {
			*l = list{one}
		}
		return nil
	}
	return json.Unmarshal(data, (*[]string)(l))
}

// windows is the leases of the cards that [windowsQuery] tells, those with a gateway first.
func windows(text []byte) (out []Lease, err error) {
	type card struct {
		Description          string
		IPAddress            list
		IPSubnet             list
		DefaultIPGateway     list
		DHCPServer           string
		DNSServerSearchOrder list
	}
	var all []card
	if err := json.Unmarshal(text, &all); err != nil {
		var one card
		if json.Unmarshal(text, &one) != nil {
			return nil, err
		}
		all = []card{one}
	}
	var without []Lease
	for _, other := range all {
		lease := Lease{On: other.Description, Server: addr(other.DHCPServer)}
		for i, text := range other.IPAddress {
			if one := addr(text); one.Is4() && !lease.Addr.IsValid() {
				lease.Addr = one
				if i < len(other.IPSubnet) {
					lease.Bits = bits(other.IPSubnet[i])
				}
			}
		}
		for _, text := range other.DefaultIPGateway {
			if one := addr(text); one.Is4() && !lease.Gateway.IsValid() {
				lease.Gateway = one
			}
		}
		for _, text := range other.DNSServerSearchOrder {
			if one := addr(text); one.IsValid() {
				lease.DNS = append(lease.DNS, one)
			}
		}
		if lease.Gateway.IsValid() {
			out = append(out, lease)
		} else {
			without = append(without, lease)
		}
	}
	return append(out, without...), nil
}

// macRoute is the card and the gateway that macOS tells with "route -n get default".
func macRoute(text string) (on string, gateway netip.Addr) {
	for line := range strings.Lines(text) {
		key, value, _ := strings.Cut(strings.TrimSpace(line), ":")
		switch key {
		case "interface":
			on = strings.TrimSpace(value)
		case "gateway":
			gateway = addr(value)
		}
	}
	return on, gateway
}

// macPacket is what a card of macOS was given, as "ipconfig getpacket" tells it.
func macPacket(text string) (lease Lease) {
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if value, ok := strings.CutPrefix(line, "yiaddr ="); ok {
			setAddr(&lease, value)
			continue
		}
		key, value, _ := strings.Cut(line, "):")
		switch name, _, _ := strings.Cut(key, " "); name {
		case "subnet_mask":
			setMask(&lease, value)
		case "server_identifier":
			setServer(&lease, value)
		case "router":
			setGateway(&lease, value)
		case "domain_name_server":
			setDNS(&lease, value)
		}
	}
	return lease
}
