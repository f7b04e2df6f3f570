package probe

import (
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"unicode"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"klammer/core/office"
)

// Neighbour is who says that it is at the other end of the cable (IEEE 802.1AB).
type Neighbour struct {
	Device     string       // its name; "" where it tells none
	Chassis    string       // a card's address, or what else it is known by
	Port       string       // the port's ID
	PortText   string       // its description
	Management []netip.Addr // nil for none
	PVID       office.VID   // of that port (IEEE 802.1Q, D.2.1); 0 where not told
	Bridge     bool         // it says that it is a bridge
}

// neighbour reads a frame of LLDP.
func neighbour(p gopacket.Packet) (n Neighbour, ok bool) {
	x, ok := p.Layer(layers.LayerTypeLinkLayerDiscovery).(*layers.LinkLayerDiscovery)
	if !ok {
		return n, false
	}
	n.Chassis = idText(x.ChassisID.ID, x.ChassisID.Subtype == layers.LLDPChassisIDSubTypeMACAddr)
	n.Port = idText(x.PortID.ID, x.PortID.Subtype == layers.LLDPPortIDSubtypeMACAddr)
	for _, v := range x.Values {
		switch v.Type {
		case layers.LLDPTLVSysName:
			n.Device = readable(v.Value)
		case layers.LLDPTLVPortDescription:
			n.PortText = readable(v.Value)
		case layers.LLDPTLVSysCapabilities:
			n.Bridge = len(v.Value) >= 4 && binary.BigEndian.Uint16(v.Value[2:])&4 != 0
		case layers.LLDPTLVMgmtAddress: // length, subtype, address, …
			if len(v.Value) > 1 && int(v.Value[0]) >= 1 && len(v.Value) > int(v.Value[0]) {
				if a, ok := netip.AddrFromSlice(v.Value[2 : 1+int(v.Value[0])]); ok {
					n.Management = append(n.Management, a)
				}
			}
		case layers.LLDPTLVOrgSpecific:
			if len(v.Value) >= 6 && [4]byte(v.Value[:4]) == [4]byte{0x00, 0x80, 0xc2, 1} {
				n.PVID = office.VID(binary.BigEndian.Uint16(v.Value[4:]) & 0xfff)
			}
		}
	}
	return n, true
}

// idText is an ID as people read it.
func idText(b []byte, card bool) string {
	if card && len(b) == 6 {
		return net.HardwareAddr(b).String()
	}
	if s := readable(b); s != "" {
		return s
	}
	return fmt.Sprintf("%x", b)
}

// readable is a text from outside without what nobody can see.
func readable(b []byte) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) || r == unicode.ReplacementChar {
			return -1
		}
		return r
	}, string(b)))
}
