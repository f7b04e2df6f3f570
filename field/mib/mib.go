// Package mib is the objects of the MIBs that switches are read and set by, with the
// values of their enumerations. A column is without its index.
package mib

import "klammer/core/office"

// System and interfaces.
const (
	SysDescr    = "1.3.6.1.2.1.1.1.0" // RFC 3418
	SysObjectID = "1.3.6.1.2.1.1.2.0"
	SysUpTime   = "1.3.6.1.2.1.1.3.0"
	SysName     = "1.3.6.1.2.1.1.5.0"

	IfDescr       = "1.3.6.1.2.1.2.2.1.2" // RFC 2863, by ifIndex
	IfType        = "1.3.6.1.2.1.2.2.1.3"
	IfSpeed       = "1.3.6.1.2.1.2.2.1.5" // bit/s, as far as 32 bits go
	IfPhysAddress = "1.3.6.1.2.1.2.2.1.6"
	IfAdminStatus = "1.3.6.1.2.1.2.2.1.7"
	IfOperStatus  = "1.3.6.1.2.1.2.2.1.8"
	IfName        = "1.3.6.1.2.1.31.1.1.1.1"
	IfHighSpeed   = "1.3.6.1.2.1.31.1.1.1.15" // Mbit/s
	IfAlias       = "1.3.6.1.2.1.31.1.1.1.18"
)

// The bridge (RFC 4188) and its VLANs (RFC 4363).
const (
	BaseNumPorts    = "1.3.6.1.2.1.17.1.2.0"
	BasePortIfIndex = "1.3.6.1.2.1.17.1.4.1.2" // by base port

	NumVLANs         = "1.3.6.1.2.1.17.7.1.1.4.0"
	FdbCount         = "1.3.6.1.2.1.17.7.1.2.1.1.2" // by table
	FdbPort          = "1.3.6.1.2.1.17.7.1.2.2.1.2" // by table and address
	FdbStatus        = "1.3.6.1.2.1.17.7.1.2.2.1.3"
	CurrentFdbID     = "1.3.6.1.2.1.17.7.1.4.2.1.3" // by time mark and VLAN
	CurrentEgress    = "1.3.6.1.2.1.17.7.1.4.2.1.4"
	CurrentUntagged  = "1.3.6.1.2.1.17.7.1.4.2.1.5"
	CurrentStatus    = "1.3.6.1.2.1.17.7.1.4.2.1.6"
	StaticTable      = "1.3.6.1.2.1.17.7.1.4.3.1" // by VLAN
	StaticName       = "1.3.6.1.2.1.17.7.1.4.3.1.1"
	StaticEgress     = "1.3.6.1.2.1.17.7.1.4.3.1.2"
	StaticForbidden  = "1.3.6.1.2.1.17.7.1.4.3.1.3"
	StaticUntagged   = "1.3.6.1.2.1.17.7.1.4.3.1.4"
	StaticRowStatus  = "1.3.6.1.2.1.17.7.1.4.3.1.5"
	PVID             = "1.3.6.1.2.1.17.7.1.4.5.1.1" // by base port
	Acceptable       = "1.3.6.1.2.1.17.7.1.4.5.1.2"
	IngressFiltering = "1.3.6.1.2.1.17.7.1.4.5.1.3"
)

// Neighbours (IEEE 802.1AB, clause 11) and bundles (IEEE 802.1AX, clause 7).
const (
	LocPortIDSubtype  = "1.0.8802.1.1.2.1.3.7.1.2" // by local port
	LocPortID         = "1.0.8802.1.1.2.1.3.7.1.3"
	LocPortDesc       = "1.0.8802.1.1.2.1.3.7.1.4"
	RemChassisSubtype = "1.0.8802.1.1.2.1.4.1.1.4" // by time mark, local port and a number
	RemChassisID      = "1.0.8802.1.1.2.1.4.1.1.5"
	RemPortIDSubtype  = "1.0.8802.1.1.2.1.4.1.1.6"
	RemPortID         = "1.0.8802.1.1.2.1.4.1.1.7"
	RemPortDesc       = "1.0.8802.1.1.2.1.4.1.1.8"
	RemSysName        = "1.0.8802.1.1.2.1.4.1.1.9"

	RemCapEnabled = "1.0.8802.1.1.2.1.4.1.1.12"

	// Extensions of 802.1, of 802.3 and of LLDP-MED, by the index of the neighbour; of a policy
	// by its application, too.
	Dot1RemPVID      = "1.0.8802.1.1.2.1.5.32962.1.3.1.1.1"
	Dot3RemAggStatus = "1.0.8802.1.1.2.1.5.4623.1.3.3.1.1"
	MedRemClass      = "1.0.8802.1.1.2.1.5.4795.1.3.1.1.3"
	MedRemVLAN       = "1.0.8802.1.1.2.1.5.4795.1.3.2.1.2"
	MedRemTagged     = "1.0.8802.1.1.2.1.5.4795.1.3.2.1.6"

	AttachedAggID = "1.2.840.10006.300.43.1.2.1.1.13" // by the member's ifIndex
)

// Of stand-ins, in the branch for trying things out (RFC 1155, 3.1.3): what they call
// themselves, and the object that saves, set to 1, as no standard has one.
const (
	StandIn     = "1.3.6.1.3.99"
	StandInSave = "1.3.6.1.3.99.1.0"
)

// Values of enumerations.
const (
	TypeEthernet = 6 // IANAifType-MIB
	TypeVirtual  = 53
	TypeWireless = 71
	TypeLAG      = 161

	StatusUp   = 1
	StatusDown = 2

	AdmitAll    = 1 // RFC 4363
	AdmitTagged = 2
	// AdmitUntagged is what agents say that refuse tagged frames (IEEE 802.1Q, 6.9),
	// beside the two of RFC 4363.
	AdmitUntagged = 3

	True  = 1 // RFC 2579, TruthValue
	False = 2

	RowActive        = 1 // RFC 2579, RowStatus
	RowCreateAndGo   = 4
	RowCreateAndWait = 5
	RowDestroy       = 6

	FdbLearnt     = 3
	StatusDynamic = 3 // RFC 4363, dot1qVlanStatus: dynamicGvrp

	PortIDMAC    = 3 // IEEE 802.1AB
	PortIDIfName = 5
	ChassisIDMAC = 4

	CapTelephone = 0x80 >> 5 // the first bit of LldpSystemCapabilitiesMap is 0: other
	Aggregated   = 0x80 >> 1 // of LldpLinkAggStatusMap: it may be, and it is
	MedClass3    = 3         // a communication device endpoint: a phone
	MedVoice     = 1         // the application of a policy
)

// AdmitOf is acceptable frames as a value.
func AdmitOf(admit office.Admit) int {
	return map[office.Admit]int{office.AdmitAll: AdmitAll, office.AdmitTagged: AdmitTagged, office.AdmitUntagged: AdmitUntagged}[admit]
}

// Truth is a TruthValue.
func Truth(b bool) int {
	if b {
		return True
	}
	return False
}
