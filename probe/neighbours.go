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
func neighbour(packet gopacket.Packet) (one Neighbour, ok bool) {
	discovery, ok := packet.Layer(layers.LayerTypeLinkLayerDiscovery).(*layers.LinkLayerDiscovery)
	if !ok {
		return one, false
	}
	one.Chassis = idText(discovery.ChassisID.ID, discovery.ChassisID.Subtype == layers.LLDPChassisIDSubTypeMACAddr)
	one.Port = idText(discovery.PortID.ID, discovery.PortID.Subtype == layers.LLDPPortIDSubtypeMACAddr)
	for _, value := range discovery.Values {
		switch value.Type {
		case layers.LLDPTLVSysName:
			one.Device = readable(value.Value)
		case layers.LLDPTLVPortDescription:
			one.PortText = readable(value.Value)
		case layers.LLDPTLVSysCapabilities:
			one.Bridge = len(value.Value) >= 4 && binary.BigEndian.Uint16(value.Value[2:])&4 != 0
		case layers.LLDPTLVMgmtAddress: // length, subtype, address, …
			if len(value.Value) > 1 && int(value.Value[0]) >= 1 && len(value.Value) > int(value.Value[0]) {
				if a, ok := netip.AddrFromSlice(value.Value[2 : 1+int(value.Value[0])]); ok {
					one.Management = append(one.Management, a)
				}
			}
		case layers.LLDPTLVOrgSpecific:
			if len(value.Value) >= 6 && [4]byte(value.Value[:4]) == [4]byte{0x00, 0x80, 0xc2, 1} {
				one.PVID = office.VID(binary.BigEndian.Uint16(value.Value[4:]) & 0xfff)
			}
		}
	}
	return one, true
}

// idText is an ID as people read it.
func idText(b []byte, card bool) string {
	if card && len(b) == 6 {
		return net.HardwareAddr(b).String()
	}
	if text := readable(b); text != "" {
		return text
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
