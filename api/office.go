package api

import (
	"klammer/core/history"
	"klammer/core/office"
)

// OfficeView is a whole office as the browser draws it. After an edit the same
// form, not whole, has only what became otherwise.
type OfficeView struct {
	ID       int64         `json:"id" required:"true"`
	Title    string        `json:"title" required:"true"`
	Revision int64         `json:"revision" required:"true"`
	Whole    bool          `json:"whole" required:"true"`
	Order    []string      `json:"order" required:"true" nullable:"false"`
	VLANs    []VLANView    `json:"vlans" required:"true" nullable:"false"`
	Uses     []UseView     `json:"uses,omitzero" nullable:"false" description:"all of them; after an edit only where one became otherwise"`
	Plans    []PlanView    `json:"plans,omitzero" nullable:"false" description:"all of them; after an edit only where one became otherwise"`
	Services []ServiceView `json:"services,omitzero" nullable:"false" description:"all of them; after an edit only where one became otherwise"`
	Wishes   []WishView    `json:"wishes,omitzero" nullable:"false" description:"all of them; after an edit only where one became otherwise"`
	Devices  []DeviceView  `json:"devices" required:"true" nullable:"false"`
	Links    []LinkView    `json:"links" required:"true" nullable:"false"`
	Findings []Finding     `json:"findings" required:"true" nullable:"false" description:"without mends: those are tried when they are asked for"`
	More     int           `json:"more,omitempty" description:"how many further findings there are"`
	Unlisted int           `json:"unlisted,omitempty" description:"how many further VLANs are on ports that the register does not know"`

	Found *FoundNow `json:"found,omitempty" description:"where devices are set otherwise; after an edit of the devices that it names"`

	GoneVLANs []int    `json:"goneVlans,omitempty" description:"after an edit: rows that are gone"`
	Gone      []string `json:"gone,omitempty" description:"after an edit: findings that are gone, by their ids"`
	Stale     []string `json:"stale,omitempty" description:"after an edit: findings whose mends have to be tried again"`

	Author  string       `json:"author,omitempty"`
	Turn    history.Turn `json:"turn,omitempty"`
	Summary string       `json:"summary,omitempty"`
	Look    *Explanation `json:"look,omitempty" description:"what the edit asked to see"`
	Made    int64        `json:"made,omitempty" description:"of a request that was asked again: the revision that it led to when it was made"`
}

// VLANView is a row of the board.
type VLANView struct {
	VID        int      `json:"vid" required:"true"`
	Name       string   `json:"name" required:"true"`
	Note       string   `json:"note,omitempty"`
	Nets       []string `json:"nets" required:"true" nullable:"false"`
	Gateway    string   `json:"gateway,omitempty"`
	Local      bool     `json:"local" required:"true"`
	Shows      bool     `json:"shows,omitempty" description:"a subnet shows its number: renumbered with its subnets, it moves along"`
	Guarded    bool     `json:"guarded,omitempty" description:"nobody but the device that hands out addresses may do so"`
	Registered bool     `json:"registered" required:"true"`
	State      string   `json:"state" required:"true" enum:"unused,whole,split,merged"`
	Parts      int      `json:"parts" required:"true"`
	Only       string   `json:"only,omitempty" description:"where nobody else is in it: gateway, management, or parked for ports that are put away"`

	Addresses []AddressView `json:"addresses,omitempty"`
}

// AddressView is an address that a VLAN has on a device.
type AddressView struct {
	Device  string `json:"device" required:"true"`
	Address string `json:"address" required:"true" description:"with its prefix length"`
	On      string `json:"on,omitempty"`
	Zone    string `json:"zone,omitempty"`
	From    string `json:"from,omitempty" description:"the first address handed out"`
	To      string `json:"to,omitempty"`
	Admits  string `json:"admits,omitempty" description:"what the device itself answers there, - for nothing; everything where it is not said"`
	Gateway bool   `json:"gateway,omitempty" description:"it is marked as the gateway"`
}

// ServiceView is a name for services.
type ServiceView struct {
	Name string `json:"name" required:"true"`
	Is   string `json:"is" required:"true" description:"what it stands for, in notation"`
}

// WishView is what must, or must never, be able to talk.
type WishView struct {
	Text  string `json:"text" required:"true" description:"in notation"`
	Must  bool   `json:"must" required:"true"`
	Holds bool   `json:"holds" required:"true"`
}

// OutsideView is a line to the outside.
type OutsideView struct {
	Name    string `json:"name" required:"true"`
	On      string `json:"on" required:"true"`
	VID     int    `json:"vid,omitempty" description:"in which it rides"`
	Address string `json:"address,omitempty"`
	Via     string `json:"via,omitempty"`
}

// RuleView is a rule of a device, in its order.
type RuleView struct {
	Text     string        `json:"text" required:"true" description:"in notation"`
	Do       office.Action `json:"do" required:"true"`
	From     string        `json:"from" required:"true"`
	To       string        `json:"to" required:"true"`
	Services string        `json:"services" required:"true"`
	Note     string        `json:"note,omitempty"`
}

// UseView is a shape with a name.
type UseView struct {
	Name  string    `json:"name" required:"true"`
	Shape ShapeView `json:"shape" required:"true"`
	Ports int       `json:"ports" required:"true" description:"how many ports have it, through plans too"`
}

// ShapeView is a shape as written and what is in it.
type ShapeView struct {
	Text     string `json:"text" required:"true"`
	Untagged []int  `json:"untagged" required:"true" nullable:"false"`
	Tagged   []int  `json:"tagged" required:"true" nullable:"false"`
	PVID     int    `json:"pvid" required:"true"`
	Rest     string `json:"rest,omitempty" description:"all or needed, where such VLANs are tagged too"`
	Use      string `json:"use,omitempty"`
}

// PlanView is a port plan.
type PlanView struct {
	Name  string         `json:"name" required:"true"`
	Text  string         `json:"text" required:"true" description:"the plan in notation, lines after the first indented"`
	Lines []PlanLineView `json:"lines" required:"true" nullable:"false"`
}

// PlanLineView gives some places of a front a shape.
type PlanLineView struct {
	Places [][]int   `json:"places" required:"true" nullable:"false" description:"from and to, counted from 1; 0 is the last, -1 the one before"`
	Ports  string    `json:"ports" required:"true"`
	Shape  ShapeView `json:"shape" required:"true"`
}

// DeviceView is a group of columns of the board.
type DeviceView struct {
	Name       string            `json:"name" required:"true"`
	Kind       office.Kind       `json:"kind" required:"true"`
	Forwarding office.Forwarding `json:"forwarding" required:"true"`
	Follows    string            `json:"follows,omitempty"`
	Wording    string            `json:"wording,omitempty"`
	Manage     string            `json:"manage,omitempty"`
	ManageVID  int               `json:"manageVid,omitempty"`
	ManageText string            `json:"manageText,omitempty" description:"in notation: 190 10.61.190.2/24 via 10.61.190.1"`
	Factory    string            `json:"factory,omitempty" description:"where it answers as it comes out of its box, in notation: 192.168.1.1/24 in 1"`
	Limits     string            `json:"limits,omitempty" description:"as in notation: vlans 64 rows 16"`
	Adjacent   bool              `json:"adjacent,omitempty" description:"bundles want adjacent ports"`
	Console    bool              `json:"console,omitempty" description:"it is set at its console, too, by who stands at it"`
	Spare      bool              `json:"spare,omitempty" description:"it lies on the shelf, and nothing is plugged into it"`
	Speaks     []string          `json:"speaks,omitempty" description:"how it is read and set, in notation: snmp at 10.0.0.2 with switches"`
	Routes     []string          `json:"routes,omitempty" description:"in notation: 10.0.0.0/8 via 10.61.250.2"`
	Outsides   []OutsideView     `json:"outsides,omitempty"`
	Rules      []RuleView        `json:"rules,omitempty" description:"in order; after an edit only where one became otherwise"`
	SameRules  bool              `json:"sameRules,omitempty" description:"after an edit: the rules are as before, and not said again"`
	Routing    bool              `json:"routing,omitempty" description:"it sends on what is not for itself"`
	RoutingOff bool              `json:"routingOff,omitempty" description:"it is said that it does not"`
	State      office.State      `json:"state,omitempty" description:"as said; by its kind where it is not"`
	KeepsState bool              `json:"keepsState,omitempty"`
	Between    office.Action     `json:"between,omitempty" description:"as said"`
	Within     office.Action     `json:"within,omitempty" description:"as said"`
	Otherwise  string            `json:"otherwise,omitempty" description:"what is done where no rule fits, in words, of a device that routes"`
	Facts      map[string]string `json:"facts,omitempty" description:"what is noted of it, by its words"`
	Some       bool              `json:"some,omitempty" description:"after an edit: ports are only those that became otherwise"`
	Ports      []PortView        `json:"ports" required:"true" nullable:"false"`
}

// PortView is a column of the board, before columns are folded.
type PortView struct {
	Name     string            `json:"name" required:"true"`
	Kind     string            `json:"kind" required:"true" enum:"physical,bundle,inner"`
	Flavour  office.Flavour    `json:"flavour,omitempty"`
	Speed    string            `json:"speed,omitempty"`
	Mode     office.BundleMode `json:"mode,omitempty"`
	Members  []string          `json:"members,omitempty"`
	Bundle   string            `json:"bundle,omitempty"`
	Inside   string            `json:"inside,omitempty" description:"its name inside the device, where it differs"`
	Shape    string            `json:"shape" required:"true"`
	Use      string            `json:"use,omitempty"`
	Planned  string            `json:"planned,omitempty" description:"what the plan says, where the port is an exception"`
	Off      bool              `json:"off,omitempty"`
	Untagged []int             `json:"untagged" required:"true" nullable:"false"`
	Tagged   []int             `json:"tagged" required:"true" nullable:"false"`
	Ranges   string            `json:"ranges,omitempty" description:"the tagged VLANs where they are many, and tagged is empty: 110,120-190"`
	PVID     int               `json:"pvid" required:"true"`
	Source   string            `json:"source" required:"true" enum:"nothing,port,plan,exception"`
	Because  string            `json:"because,omitempty"`
	Cabled   []string          `json:"cabled,omitempty"`
	Facts    map[string]string `json:"facts,omitempty" description:"what is noted of it, by its words"`
	Plugs    []PlugView        `json:"plugs,omitempty"`
}

// PlugView is what is plugged into a port.
type PlugView struct {
	Name     string            `json:"name" required:"true"`
	Wants    int               `json:"wants" required:"true"`
	Tagged   bool              `json:"tagged" required:"true"`
	Operator bool              `json:"operator" required:"true"`
	At       string            `json:"at,omitempty" description:"its own address"`
	MAC      string            `json:"mac,omitempty" description:"of its network card"`
	Facts    map[string]string `json:"facts,omitempty" description:"what is noted of it, by its words"`
}

// LinkView is a bracket under the board: a cable, or a bundle's cables as one.
type LinkView struct {
	A      string            `json:"a" required:"true"`
	B      string            `json:"b" required:"true"`
	Cables int               `json:"cables" required:"true"`
	Mode   office.BundleMode `json:"mode,omitempty"`
	VLANs  []int             `json:"vlans" required:"true" nullable:"false"`
	Ranges string            `json:"ranges,omitempty" description:"the VLANs where they are many, and vlans is empty"`
	Broken bool              `json:"broken" required:"true"`
	Uneven bool              `json:"uneven,omitempty" description:"its ends are in different VLANs, and nothing breaks by that"`
	Labels []string          `json:"labels" required:"true" nullable:"false"`
}
