// Package field speaks to real devices over open protocols: it reads what they are
// set to and what they see, and sets them, a step of a work order at a time, each
// read back.
//
//	SNMP (RFC 3416)  Q-BRIDGE-MIB (RFC 4363), BRIDGE-MIB (RFC 4188), IF-MIB
//	                 (RFC 2863), LLDP-MIB and IEEE8023-LAG-MIB
//	OVSDB (RFC 7047) the schema Open_vSwitch
//	SSH              a Linux host's iproute2
//
// What a device does not tell is listed ([Reading.NotTold]) and never guessed.
package field

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode"

	"klammer/core/office"
	"klammer/core/wording"
)

// Device is a device that is spoken to. It is used by one at a time.
type Device interface {
	// Read reads everything. The error names what was asked for.
	Read(ctx context.Context) (*Reading, error)
	// Set leads the device from one state to another in as few requests as it
	// takes, on the ports that were read; ports that the match does not name stay.
	// The caller reads back.
	Set(ctx context.Context, device *office.Device, match Match, from, to wording.State) error
	// Save keeps what runs over a power cut; [ErrNoSave] where the protocol has no
	// way to say so.
	Save(ctx context.Context) error
	Close() error
}

// ErrNoSave says that a device cannot be told to save over its protocol.
var ErrNoSave = fmt.Errorf("this protocol has no word for saving: save on the device's own page")

// Told is something that a device may tell of, or not.
type Told string

const (
	TellsVLANs      Told = "vlans"      // which VLANs its ports are in
	TellsUntagged   Told = "untagged"   // in which form
	TellsPVID       Told = "pvid"       // where untagged frames go
	TellsAdmit      Told = "admit"      // acceptable frame types
	TellsFilter     Told = "filter"     // ingress filtering
	TellsLink       Told = "link"       // whether something is plugged in, and how fast
	TellsLearnt     Told = "learnt"     // which network cards it has learnt where
	TellsNeighbours Told = "neighbours" // which devices it hears
	TellsBundles    Told = "bundles"    // which ports are one
)

// All that a device may tell.
var All = []Told{TellsVLANs, TellsUntagged, TellsPVID, TellsAdmit, TellsFilter, TellsLink, TellsLearnt, TellsNeighbours, TellsBundles}

// Reading is what a device told, in its own names and numbers.
type Reading struct {
	Device     string // in the office
	Source     string // "snmp at 127.0.0.1:20161"
	Took       time.Duration
	Requests   int // that were answered
	Name       string
	About      string
	Up         time.Duration // since it was started; 0 where it does not tell
	Ports      []Port
	VLANs      []VLAN
	Learnt     []Learnt
	Neighbours []Neighbour
	Addresses  []string // its own, "eth0 10.0.0.2/24"
	NotTold    []Told
	Trouble    []string // what it told and cannot be
	Router     *Router  // nil where it does not route, or does not tell
	Whole      bool     // all its ports are told: one that is none of the office's is said

	none office.VID // stands for frames in no VLAN, once [Reading.Found] has found one
}

// Port is a port as its device has it.
type Port struct {
	Number   int    // dot1dBasePort; 0 where the device has no such number
	Index    int    // ifIndex
	Name     string // ifName, or what the device calls it
	Alias    string // what somebody wrote there
	Descr    string
	Inner    bool   // in software: no plug fits it
	Members  []int  // of a bundle: places in Reading.Ports
	Link     string // "up", "down", "" where not told
	Shut     bool   // by who set it
	Mbps     int    // 0 where not told
	Bridged  bool   // it is in VLANs at all
	Set      wording.Setting
	AllVLANs bool   // it carries, tagged, every VLAN there is
	NoPVID   bool   // the device tells of PVIDs, and of none here
	NoVLAN   bool   // frames without a tag are in no VLAN here, and pass among all such ports
	Self     bool   // it is the bridge of a host itself
	Unsaid   string // why what it is set to cannot be said: it is left as it is
}

// VLAN is one that a device knows.
type VLAN struct {
	VID  office.VID `json:"vid"`
	Name string     `json:"name"`
}

// Learnt is a network card that a device has learnt at a port.
type Learnt struct {
	MAC  office.MAC
	Port int // a place in Reading.Ports
	VID  office.VID
}

// Neighbour is a device that is heard at a port (IEEE 802.1AB).
type Neighbour struct {
	Port       int // a place in Reading.Ports
	Device     string
	RemotePort string

	Card        office.MAC // of its port; "" where it goes by another name
	Phone       bool       // it says that it is one
	PVID        office.VID // of its port; 0 where it does not tell
	Voice       office.VID // where it has its voice; 0 where it does not tell
	VoiceTagged bool
	Aggregated  bool // its port is in a bundle
}

func (r *Reading) wrong(format string, args ...any) {
	if len(r.Trouble) < mostTrouble {
		r.Trouble = append(r.Trouble, fmt.Sprintf(format, args...))
	}
}

// Tells says whether a device told of something.
func (r *Reading) Tells(one Told) bool {
	for _, t := range r.NotTold {
		if t == one {
			return false
		}
	}
	return true
}

// plain is text of a device as it may be shown: without control characters, and not
// longer than a name.
func plain(text string) string {
	text = strings.Map(func(c rune) rune {
		if c == unicode.ReplacementChar || unicode.IsControl(c) || unicode.Is(unicode.Cf, c) {
			return -1
		}
		return c
	}, strings.ToValidUTF8(text, ""))
	if r := []rune(strings.TrimSpace(text)); len(r) > office.MostName {
		return string(r[:office.MostName])
	}
	return strings.TrimSpace(text)
}
