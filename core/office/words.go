package office

// The words of the model. Each stands here once, as a typed constant and in its
// list; what people read or type of them (the notation, completion, the
// description of the interface, the page) is made from the lists or tested
// against them.

// Kind is what a device is sold as.
type Kind string

const (
	Switch      Kind = "switch"
	Router      Kind = "router"
	Firewall    Kind = "firewall"
	AccessPoint Kind = "wap"
	Host        Kind = "host"
	Other       Kind = "other"
)

// Kinds lists the kinds there are.
var Kinds = []Kind{Switch, Router, Firewall, AccessPoint, Host, Other}

// Enum is all of them, for descriptions of what holds one. So are the others
// below.
func (Kind) Enum() []any { return anyOf(Kinds) }

// Forwarding is how a device passes frames between its ports.
type Forwarding uint8

const (
	Bridge        Forwarding = iota // IEEE 802.1Q clause 8.6
	Routed                          // ports do not bridge to each other
	Unaware                         // every frame leaves every other port as it came
	UnawareDrops                    // as Unaware, but frames with a VID are dropped
	Grouped                         // port groups with a table of tagged VIDs
	numForwarding = iota
)

var forwardings = [numForwarding]string{"bridge", "routed", "unaware", "unaware drops-tagged", "grouped"}

func (f Forwarding) String() string { return forwardings[f] }

// MarshalText writes it as in notation.
func (f Forwarding) MarshalText() ([]byte, error) { return []byte(f.String()), nil }

// Forwardings lists the ways there are, as in notation.
func Forwardings() []string { return forwardings[:] }

func (Forwarding) Enum() []any { return anyOf(Forwardings()) }

// WordingName names a way to ask for memberships.
type WordingName string

const (
	ByVLAN         WordingName = "by-vlan"
	ByPort         WordingName = "by-port"
	ByChoice       WordingName = "by-choice"
	ByGroup        WordingName = "by-group"
	BySubInterface WordingName = "by-sub-interface"
	ByInnerPort    WordingName = "by-inner-port"
	Linux          WordingName = "linux"
)

// Wordings lists the names of the wordings there are.
var Wordings = []WordingName{ByVLAN, ByPort, ByChoice, ByGroup, BySubInterface, ByInnerPort, Linux}

// Habit is what a device does of its own accord when its values are set.
type Habit string

const (
	PVIDApart     Habit = "pvid-apart"
	PVIDFollows   Habit = "pvid-follows"
	StartsTagged  Habit = "starts-tagged"
	LeavesLast    Habit = "leaves-last"
	KeepsPVIDVLAN Habit = "keeps-pvid-vlan"
	NativeOutside Habit = "native-outside"
	StartsAll     Habit = "starts-all"
	NoMixed       Habit = "modes access,trunk" // a by-port device without a mixed mode
)

// Habits lists the habits there are.
var Habits = []Habit{PVIDApart, PVIDFollows, StartsTagged, LeavesLast, KeepsPVIDVLAN, NativeOutside, StartsAll, NoMixed}

// Limit is what a device takes only so much of.
type Limit string

const (
	LimitVLANs     Limit = "vlans"
	LimitAddresses Limit = "addresses"
	LimitZones     Limit = "zones"
	LimitRows      Limit = "rows" // of tagged VIDs, over all ports
	LimitRules     Limit = "rules"
)

// LimitNames lists the limits there are.
var LimitNames = []Limit{LimitVLANs, LimitAddresses, LimitZones, LimitRows, LimitRules}

// Of is the limit of that name, to be read and set.
func (l *Limits) Of(name Limit) *int {
	switch name {
	case LimitVLANs:
		return &l.VLANs
	case LimitAddresses:
		return &l.Addresses
	case LimitZones:
		return &l.Zones
	case LimitRows:
		return &l.Rows
	case LimitRules:
		return &l.Rules
	}
	return nil
}

// BundleMode is how a bundle is agreed on.
type BundleMode string

const (
	LACP   BundleMode = "lacp"   // IEEE 802.1AX clause 6.4
	Static BundleMode = "static" // nothing is negotiated
)

// BundleModes lists the modes there are.
var BundleModes = []BundleMode{LACP, Static}

func (BundleMode) Enum() []any { return anyOf(BundleModes) }

// Flavour is what an inner port is.
type Flavour string

const (
	SSID           Flavour = "ssid" // a wireless network
	VirtualMachine Flavour = "vm"
	Processor      Flavour = "cpu" // the device itself: its addresses stand behind it
)

// Flavours lists the flavours of inner ports.
var Flavours = []Flavour{SSID, VirtualMachine, Processor}

func (Flavour) Enum() []any { return anyOf(Flavours) }

// Action is what becomes of a packet where it would cross a device that routes.
type Action string

const (
	Allow Action = "allow"
	Deny  Action = "deny"
)

// Actions lists them.
var Actions = []Action{Allow, Deny}

func (Action) Enum() []any { return anyOf(Actions) }

// State is whether a device remembers what it let pass.
type State string

const (
	Stateful  State = "stateful"
	Stateless State = "stateless" // each packet by itself; the answer needs its own rule
)

// States lists them.
var States = []State{Stateful, Stateless}

func (State) Enum() []any { return anyOf(States) }

// SideKind is what a side of a rule or of a wish names.
type SideKind string

const (
	SideAny     SideKind = "any"
	SideOutside SideKind = "outside"
	SideZone    SideKind = "zone"
	SideVLAN    SideKind = "vlan"
	SideNet     SideKind = "net" // an address or a prefix; written as itself
)

// SideKinds lists them.
var SideKinds = []SideKind{SideAny, SideOutside, SideZone, SideVLAN, SideNet}

func (SideKind) Enum() []any { return anyOf(SideKinds) }

// Protocol is what of the Internet protocols a service is.
type Protocol string

const (
	AnyProtocol Protocol = "any"
	Ping        Protocol = "ping" // echo and its answer, in ICMP (RFC 792) and ICMPv6 (RFC 4443)
	TCP         Protocol = "tcp"
	UDP         Protocol = "udp"
	Named       Protocol = "service" // it stands for what is behind a name; written as that
)

// Protocols lists them.
var Protocols = []Protocol{AnyProtocol, Ping, TCP, UDP, Named}

func (Protocol) Enum() []any { return anyOf(Protocols) }

// sideWords cannot name a VLAN, a zone or a service: they start a side of a rule,
// or part two.
var sideWords = []string{string(SideAny), string(SideOutside), string(SideZone), string(SideVLAN), "to"}

// anyOf is a list as one of anything.
func anyOf[T any](all []T) []any {
	out := make([]any, len(all))
	for i, x := range all {
		out[i] = x
	}
	return out
}
