package finding

// Code names a rule of what is wrong or unwise. The codes are public: they stand
// in the command line's JSON and in scripts of those who use it, and are never
// changed.
//
// Each constant says when it is found and shows the smallest office that has it;
// a test reads them and finds it.
type Code string

const (
	// NotCarried is found when a VLAN is split, and this cable, on the shortest
	// way between two parts, does not carry it both ways.
	//
	//	vlan 130 imaging
	//	device a switch
	//	  ports 1-2
	//	  1: 130
	//	  2: -
	//	device b switch
	//	  ports 1-2
	//	  1: 130
	//	  2: [130]
	//	cable a.2 b.2
	NotCarried Code = "not-carried"

	// UntaggedMismatch is found when untagged frames leave one end of a cable as
	// one VLAN and join another at the other end.
	//
	//	device a switch
	//	  ports 1-2
	//	  2: 190 [110]
	//	device b switch
	//	  ports 1-2
	//	  2: 1 [110]
	//	cable a.2 b.2
	UntaggedMismatch Code = "untagged-mismatch"

	// OneWay is found when a VLAN passes a cable, or two ports of a device, in
	// one direction only: a free port or an inner port too, that sends it and
	// does not take it back.
	//
	//	device a switch
	//	  ports 1-2
	//	  2: [110]
	//	device b switch
	//	  ports 1-2
	//	  2: 110
	//	cable a.2 b.2
	OneWay Code = "one-way"

	// Split is found when a VLAN's terminals are in several spans.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1: 110
	//	device b switch
	//	  ports 1-2
	//	  1: 110
	Split Code = "split"

	// Merged is found when a VLAN's span holds another VLAN's terminals.
	//
	//	device a switch
	//	  ports 1-2
	//	  1-2: 110
	//	device b switch
	//	  ports 1-2
	//	  1-2: 120
	//	cable a.2 b.2
	Merged Code = "merged"

	// PVIDNotMember is found when the PVID is not among the port's members, and
	// filtering drops what arrives untagged.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 130 pvid 1
	PVIDNotMember Code = "pvid-not-member"

	// PlugUnserved is found when a plug wants a VLAN that its port does not give
	// in that form, both ways; or it shares a port with a cable.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 120
	//	plug a.1 "pc" wants 110
	PlugUnserved Code = "plug-unserved"

	// TagIntoUnaware is found when tagged frames leave into a device that drops
	// them, or a plug that wants untagged finds only tagged.
	//
	//	device a switch
	//	  ports 1-2
	//	  2: 110 [120]
	//	device u switch
	//	  forwarding unaware drops-tagged
	//	  ports 1-2
	//	cable a.2 u.2
	TagIntoUnaware Code = "tag-into-unaware"

	// BundleOneSided is found when the cables of a bundle end in ports that are
	// in none.
	//
	//	device a switch
	//	  ports 1-2
	//	  bundle up lacp 1-2
	//	  up: [110]
	//	device b switch
	//	  ports 1-2
	//	  1-2: [110]
	//	cable a.1 b.1
	//	cable a.2 b.2
	BundleOneSided Code = "bundle-one-sided"

	// BundleCrossed is found when the cables of a bundle end in two places.
	//
	//	device a switch
	//	  ports 1-2
	//	  bundle up lacp 1-2
	//	  up: [110]
	//	device b switch
	//	  ports 1
	//	  1: [110]
	//	device c switch
	//	  ports 1
	//	  1: [110]
	//	cable a.1 b.1
	//	cable a.2 c.1
	BundleCrossed Code = "bundle-crossed"

	// BundleUneven is found when the speeds of a bundle's ports, or of its two
	// ends, differ.
	//
	//	device a switch
	//	  ports 1 1G, 2 10G
	//	  bundle up lacp 1-2
	//	  up: [110]
	BundleUneven Code = "bundle-uneven"

	// BundleMode is found when lacp meets static (IEEE 802.1AX).
	//
	//	device a switch
	//	  ports 1-2
	//	  bundle up lacp 1-2
	//	  up: [110]
	//	device b switch
	//	  ports 1-2
	//	  bundle up static 1-2
	//	  up: [110]
	//	cable a.1 b.1
	//	cable a.2 b.2
	BundleMode Code = "bundle-mode"

	// BundleGap is found when the members of a bundle are not neighbours where
	// the device wants it.
	//
	//	device a switch
	//	  ports 1-4
	//	  bundles adjacent
	//	  bundle up lacp 1,3
	BundleGap Code = "bundle-gap"

	// BundlePartial is found when a bundle that is plugged in has ports without a
	// cable: it is slower than it is meant to be, and falls with what is plugged.
	//
	//	device a switch
	//	  ports 1-4
	//	  bundle up lacp 1-2
	//	  up: [110]
	//	device b switch
	//	  ports 1-4
	//	  bundle up lacp 1-2
	//	  up: [110]
	//	cable a.1 b.1
	BundlePartial Code = "bundle-partial"

	// ManagementCut is found when from the operator's plug no way there and
	// back, by span or through addresses, to a device's management.
	//
	//	vlan 190 devices
	//	device a switch
	//	  ports 1-2
	//	  manage 190
	//	  1: 110
	//	plug a.1 "admin laptop" wants 110 operator
	ManagementCut Code = "management-cut"

	// LimitPassed is found when a device has more VLANs, addresses, zones or
	// rows than it takes.
	//
	//	device a switch
	//	  ports 1-2
	//	  limit vlans 1
	//	  1: 110 [120]
	LimitPassed Code = "limit-passed"

	// Unsayable is found when the device's wording cannot say a port's shape, so
	// the plan cannot be entered.
	//
	//	device a switch
	//	  ports 1-2
	//	  wording by-choice
	//	  1: 110 [120]
	//	  2: 130
	Unsayable Code = "unsayable"

	// AddressOutside is found when an address is in none of its VLAN's subnets,
	// or is none that a host can have.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device gate router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.61.120.1/24
	AddressOutside Code = "address-outside"

	// PlugAddress is found when a plug's own address is outside its VLAN's subnet, is
	// somebody else's, or nobody's at all; a risk where it is in the range that is
	// handed out, and may be given to another.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device a switch
	//	  ports 1-2
	//	  1-2: 110
	//	plug a.1 "pc" wants 110 at 10.61.120.7
	PlugAddress Code = "plug-address"

	// SubnetOverlap is found when the subnets of two VLANs overlap.
	//
	//	vlan 110 reception net 10.61.0.0/16
	//	vlan 120 surgery net 10.61.120.0/24
	SubnetOverlap Code = "subnet-overlap"

	// HandoutOutside is found when a hand-out range leaves the address's subnet,
	// or holds an address that is taken.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device gate router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.61.110.1/24 handout 10.61.110.200-10.61.111.20
	HandoutOutside Code = "handout-outside"

	// GatewayTwice is found when two devices have one address, or lead out of
	// one VLAN to different others.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device gate router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.61.110.1/24
	//	device core switch
	//	  ports 1-8
	//	  1: 110
	//	  address 110 10.61.110.1/24
	//	cable gate.lan core.1
	GatewayTwice Code = "gateway-twice"

	// HandoutTwice is found when two devices hand out addresses in one VLAN.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device gate router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.61.110.1/24 handout 10.61.110.50-10.61.110.99
	//	device nas host
	//	  ports 1
	//	  1: 110
	//	  address 110 10.61.110.2/24 handout 10.61.110.100-10.61.110.149
	//	cable gate.lan nas.1
	HandoutTwice Code = "handout-twice"

	// Loop is found when a VLAN goes round in a ring over cables.
	//
	//	device a switch
	//	  ports 1-3
	//	  1-3: 110
	//	device b switch
	//	  ports 1-3
	//	  1-3: 110
	//	cable a.1 b.1
	//	cable a.2 b.2
	Loop Code = "loop"

	// PVIDDiffers is found when the way in and the way out of a port differ.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 110 [120] pvid 120
	PVIDDiffers Code = "pvid-differs"

	// ManyUntagged is found when several VLANs leave a port untagged.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 110+120 pvid 110
	ManyUntagged Code = "many-untagged"

	// OpenEdge is found when an uncabled port takes tagged frames of VLANs that
	// it should not.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 110 [190]
	OpenEdge Code = "open-edge"

	// Unregistered is found when a VID on a port is not in the register.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1: 110 [777]
	Unregistered Code = "unregistered"

	// NoGateway is found when a VLAN with terminals, not local, has no address
	// on any device that routes.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1: 110
	NoGateway Code = "no-gateway"

	// ManagementShared is found when devices are managed in a VLAN that ordinary
	// plugs are in.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  manage 110
	//	  1: 110
	//	plug a.1 "pc" wants 110
	ManagementShared Code = "management-shared"

	// ManagementAlone is found when the operator's question comes to a device's
	// management in another subnet, and no answer leaves it: it has no default
	// gateway, or one that is none.
	//
	//	vlan 10 desks net 10.0.10.0/24
	//	vlan 20 mgmt net 10.0.20.0/24
	//	device r router
	//	  ports 1-2
	//	  1: [10 20]
	//	  address 10 10.0.10.1/24
	//	  address 20 10.0.20.1/24
	//	device a switch
	//	  ports 1-2
	//	  manage 20 10.0.20.2/24 via none
	//	  1: [10 20]
	//	  2: 10
	//	cable r.1 a.1
	//	plug a.2 "admin laptop" wants 10 operator
	ManagementAlone Code = "management-alone"

	// NeededDiffers is found when one end of a cable is [needed] and the other,
	// written out, lacks some of it or has more.
	//
	//	vlan 30 x
	//	device a switch
	//	  ports 1-2
	//	  1: 90 [needed]
	//	  2: 30
	//	device b switch
	//	  ports 1-2
	//	  1: 90 [40]
	//	  2: 30
	//	cable a.1 b.1
	NeededDiffers Code = "needed-differs"

	// CarriesUnneeded is found when a cable carries, written out at an end,
	// VLANs that nothing beyond it needs.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1: 110
	//	  2: [110]
	//	device b switch
	//	  ports 1-2
	//	  2: [110]
	//	cable a.2 b.2
	CarriesUnneeded Code = "carries-unneeded"

	// LeftInDefault is found when a port is still in VLAN 1 beside the VLAN that
	// it was given.
	//
	//	device a switch
	//	  ports 1-2
	//	  1: 1+160 pvid 160
	LeftInDefault Code = "left-in-default"

	// Unused is a registered VLAN that nothing is in.
	//
	//	vlan 110 reception
	Unused Code = "unused"

	// ExceptionEqual is found when an exception says what its plan says.
	//
	//	plan ward-8
	//	  1-4: 120
	//	device w switch follows ward-8
	//	  ports 1-8
	//	  2: 120
	ExceptionEqual Code = "exception-equal"

	// ExceptionUnexplained is found when an exception does not say why it
	// departs from its plan.
	//
	//	plan ward-8
	//	  1-4: 120
	//	device w switch follows ward-8
	//	  ports 1-8
	//	  1: 130
	ExceptionUnexplained Code = "exception-unexplained"

	// NumberHabit is found when most VLANs show their number in the subnet, and
	// this one does not.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	vlan 120 surgery net 10.61.120.0/24
	//	vlan 130 imaging net 10.61.99.0/24
	NumberHabit Code = "number-habit"

	// MustFails is found when what is wished must be able to talk, and cannot.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device gate firewall
	//	  ports lan
	//	  lan: [110 120]
	//	  address 110 10.0.110.1/24 on lan
	//	  address 120 10.0.120.1/24 on lan
	//	must staff to lab tcp/443
	MustFails Code = "must-fails"

	// NeverFails is found when what is wished must never be able to talk, and can.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device gate router
	//	  ports lan
	//	  lan: [110 120]
	//	  address 110 10.0.110.1/24 on lan
	//	  address 120 10.0.120.1/24 on lan
	//	never staff to lab
	NeverFails Code = "never-fails"

	// RouteNowhere is found when the next hop of a route is in no connected subnet,
	// on no device, on one that does not route, or out of the span.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	device gate router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.0.110.1/24 on lan
	//	  route 10.9.0.0/16 via 10.0.110.9
	RouteNowhere Code = "route-nowhere"

	// RouteLoop is found when a destination is sent in a ring.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device a router
	//	  ports lan
	//	  lan: [110 120]
	//	  address 110 10.0.110.1/24 on lan gateway
	//	  address 120 10.0.120.1/24 on lan gateway
	//	  route default via 10.0.120.2
	//	device b router
	//	  forwarding routed
	//	  ports lan
	//	  lan: [120]
	//	  address 120 10.0.120.2/24 on lan
	//	  route default via 10.0.120.1
	//	cable a.lan b.lan
	RouteLoop Code = "route-loop"

	// WayBack is found when a question arrives and its answer does not: another
	// gateway, no state, no route.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device gate router
	//	  ports lan
	//	  lan: [110 120]
	//	  address 110 10.0.110.1/24 on lan
	//	  address 120 10.0.120.1/24 on lan
	//	device other router
	//	  ports lan
	//	  lan: [120]
	//	  address 120 10.0.120.2/24 on lan gateway
	//	cable gate.lan other.lan
	WayBack Code = "way-back"

	// WayBackDiffers is found when an answer takes another way than its question.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device a switch
	//	  ports 1-2
	//	  1: [110 120]
	//	  address 110 10.0.110.1/24 gateway
	//	  address 120 10.0.120.1/24
	//	device b switch
	//	  ports 1-2
	//	  1: [110 120]
	//	  address 110 10.0.110.2/24
	//	  address 120 10.0.120.2/24 gateway
	//	cable a.1 b.1
	WayBackDiffers Code = "way-back-differs"

	// SubnetDiffers is found when one VLAN has, on two devices, addresses in
	// different subnets.
	//
	//	vlan 110 staff
	//	device a router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.0.110.1/24 on lan
	//	device b router
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.0.111.1/24 on lan
	//	cable a.lan b.lan
	SubnetDiffers Code = "subnet-differs"

	// RuleUnused is found when no packet can meet a rule: earlier ones take all, its
	// zone or VLAN has no address on the device, or the outside no line.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device gate firewall
	//	  ports lan
	//	  lan: [110 120]
	//	  address 110 10.0.110.1/24 on lan
	//	  address 120 10.0.120.1/24 on lan
	//	  allow staff to any
	//	  deny staff to lab tcp/22
	RuleUnused Code = "rule-unused"

	// RuleOneWay is found when a device that keeps no state lets a service pass one
	// way, by a rule, and not its answer.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	vlan 120 lab net 10.0.120.0/24
	//	device core switch
	//	  ports 1
	//	  1: [110 120]
	//	  address 110 10.0.110.1/24
	//	  address 120 10.0.120.1/24
	//	  between zones deny
	//	  allow staff to lab tcp/443
	RuleOneWay Code = "rule-one-way"

	// NoOutside is found when a device routes and has a port for a line to the
	// outside, and nothing leads out of it.
	//
	//	vlan 110 reception net 10.61.110.0/24
	//	device gate firewall
	//	  forwarding routed
	//	  ports wan, lan
	//	  lan: [110]
	//	  address 110 10.61.110.1/24 on lan
	NoOutside Code = "no-outside"

	// GatewayUnclear is found when several addresses may be where the hosts of a
	// VLAN send what is for other subnets, and nothing says which.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	device a router
	//	  forwarding routed
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.0.110.1/24 on lan
	//	device b router
	//	  forwarding routed
	//	  ports lan
	//	  lan: 110
	//	  address 110 10.0.110.2/24 on lan
	//	device s switch
	//	  ports 1-3
	//	  1-3: 110
	//	cable a.lan s.1
	//	cable b.lan s.2
	GatewayUnclear Code = "gateway-unclear"

	// OutsideOpen is found when the outside may start connections to a VLAN at large,
	// not to a single address.
	//
	//	vlan 110 staff net 10.0.110.0/24
	//	device gate firewall
	//	  forwarding routed
	//	  ports wan, lan
	//	  lan: [110]
	//	  address 110 10.0.110.1/24 on lan
	//	  outside fibre on wan
	//	  allow outside to staff tcp/443
	OutsideOpen Code = "outside-open"

	// HandoutOpen is found when a VLAN is guarded and its hosts hear each other over
	// a device that cannot tell who may hand out addresses.
	//
	//	vlan 110 staff guarded
	//	device a switch
	//	  ports 1-2
	//	  1: 110
	//	device u switch
	//	  forwarding unaware
	//	  ports 1-3
	//	cable a.1 u.1
	//	plug u.2 "pc" wants 110
	HandoutOpen Code = "handout-open"

	// CableDiffers is found when a device hears, at a port, another port than the
	// plan's cable leads to (IEEE 802.1AB). What was seen stands as comments here.
	//
	//	device a switch
	//	  ports 1-2
	//	device b switch
	//	  ports 1-2
	//	cable a.1 b.1
	//	# heard a.1 b.2
	CableDiffers Code = "cable-differs"

	// PlugElsewhere is found when a network card that the plan knows is learnt at
	// another port than its plug is at.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1-2: 110
	//	plug a.1 "pc" wants 110 card 02:00:00:00:01:01
	//	# learnt a.2 110 02:00:00:00:01:01
	PlugElsewhere Code = "plug-elsewhere"

	// PlugInOther is found when a network card that the plan knows is learnt in
	// another VLAN than its plug wants.
	//
	//	vlan 110 reception
	//	vlan 120 surgery
	//	device a switch
	//	  ports 1-2
	//	  1-2: 110
	//	plug a.1 "pc" wants 110 card 02:00:00:00:01:01
	//	# learnt a.1 120 02:00:00:00:01:01
	PlugInOther Code = "plug-in-other"

	// PlugTest is found when a laptop, plugged in where a round says, saw something
	// else than is planned.
	//
	//	vlan 110 reception
	//	device a switch
	//	  ports 1-2
	//	  1-2: 110
	//	# failed a.1
	PlugTest Code = "plug-test"
)

// codes is every code with its severity, in the order of the list.
var codes = []struct {
	code     Code
	severity Severity
}{
	{NotCarried, Breaks},
	{UntaggedMismatch, Breaks},
	{OneWay, Breaks},
	{Split, Breaks},
	{Merged, Breaks},
	{PVIDNotMember, Breaks},
	{PlugUnserved, Breaks},
	{TagIntoUnaware, Breaks},
	{BundleOneSided, Breaks},
	{BundleCrossed, Breaks},
	{BundleUneven, Breaks},
	{BundleMode, Breaks},
	{BundleGap, Breaks},
	{ManagementCut, Breaks},
	{LimitPassed, Breaks},
	{Unsayable, Breaks},
	{AddressOutside, Breaks},
	{PlugAddress, Breaks},
	{SubnetOverlap, Breaks},
	{HandoutOutside, Breaks},
	{GatewayTwice, Breaks},
	{HandoutTwice, Breaks},
	{SubnetDiffers, Breaks},
	{RouteNowhere, Breaks},
	{RouteLoop, Breaks},
	{WayBack, Breaks},
	{MustFails, Breaks},
	{NeverFails, Breaks},
	{PlugInOther, Breaks},
	{PlugTest, Breaks},
	{BundlePartial, Risk},
	{Loop, Risk},
	{PVIDDiffers, Risk},
	{ManyUntagged, Risk},
	{OpenEdge, Risk},
	{Unregistered, Risk},
	{NoGateway, Risk},
	{ManagementShared, Risk},
	{ManagementAlone, Risk},
	{NeededDiffers, Risk},
	{WayBackDiffers, Risk},
	{RuleOneWay, Risk},
	{GatewayUnclear, Risk},
	{NoOutside, Risk},
	{OutsideOpen, Risk},
	{HandoutOpen, Risk},
	{CableDiffers, Risk},
	{CarriesUnneeded, Tidy},
	{LeftInDefault, Tidy},
	{Unused, Tidy},
	{RuleUnused, Tidy},
	{ExceptionEqual, Tidy},
	{ExceptionUnexplained, Tidy},
	{NumberHabit, Tidy},
	{PlugElsewhere, Tidy},
}

// rank is a code's severity and its place in the list.
type rank struct {
	severity Severity
	place    int
}

var ranks = func() map[Code]rank {
	all := map[Code]rank{}
	for i, c := range codes {
		all[c.code] = rank{c.severity, i}
	}
	return all
}()

// Codes lists every code in the order of the list.
func Codes() []Code {
	out := make([]Code, len(codes))
	for i, c := range codes {
		out[i] = c.code
	}
	return out
}

// Enum is every code, for descriptions of what holds one.
func (Code) Enum() (out []any) {
	for _, c := range codes {
		out = append(out, c.code)
	}
	return out
}

// Severity is how bad what a code finds is.
func (c Code) Severity() Severity { return ranks[c].severity }
