package api

import (
	"klammer/core/command"
)

// EditRequest is one edit, made on the revision that the browser shows: a list of
// commands, each done on what the last one left.
type EditRequest struct {
	Base     int64            `json:"base" required:"true" minimum:"0" description:"the revision that the edit was made on"`
	ID       string           `json:"id,omitempty" maxLength:"64" description:"a name that the page gave the request: asked again, it is not made again"`
	Again    bool             `json:"again,omitempty" description:"it may have been made already: ask first"`
	Look     *LookRequest     `json:"look,omitempty" description:"what to explain of the office that it leads to"`
	Commands []CommandRequest `json:"commands" required:"true" nullable:"false" minItems:"1" maxItems:"4096"`
}

// LookRequest is what a page shows beside the board: ports and a VLAN in plain
// words.
type LookRequest struct {
	Ports []string `json:"ports" required:"true" nullable:"false"`
	VLAN  int      `json:"vlan" required:"true" description:"0 for none"`
}

// CommandRequest is one command: exactly one of member, pvid and lines.
type CommandRequest struct {
	Member *MemberRequest `json:"member,omitempty"`
	PVID   *PVIDRequest   `json:"pvid,omitempty"`
	Lines  []string       `json:"lines,omitempty" description:"statements in bracket notation, or one of the verbs of the line"`
}

// MemberRequest sets how VLANs stand on some ports. A port has one untagged
// VLAN, so untagged takes one.
type MemberRequest struct {
	VIDs  []int        `json:"vids" required:"true" nullable:"false"`
	Ports []string     `json:"ports" required:"true" nullable:"false"`
	As    command.Form `json:"as" required:"true"`
}

// PVIDRequest sets the VLAN that untagged frames join on some ports; 0 is none.
type PVIDRequest struct {
	VID   int      `json:"vid" required:"true"`
	Ports []string `json:"ports" required:"true" nullable:"false"`
}

// MistakeView is one thing wrong in a text, at its place.
type MistakeView struct {
	Line   int    `json:"line" required:"true"`
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true"`
}

// Health is whether all is well.
type Health struct {
	Database bool `json:"database" required:"true"`
}

// Mends are ways out of a finding: statements that, done, take it away and bring
// nothing that breaks.
type Mends struct {
	Finding string     `json:"finding" required:"true"`
	Mends   [][]string `json:"mends" required:"true" nullable:"false"`
}

// Preview is what an edit would do, before it is done.
type Preview struct {
	Ports   int          `json:"ports" required:"true" description:"how many ports change"`
	Changed []string     `json:"changed" required:"true" nullable:"false"`
	Lines   []string     `json:"lines" required:"true" nullable:"false"`
	Notes   []string     `json:"notes" required:"true" nullable:"false" description:"what else to know: devices that must learn a VLAN, limits passed, exceptions made"`
	Devices []DeviceView `json:"devices" required:"true" nullable:"false" description:"the devices whose ports change, as they would be"`
	Uses    []UseView    `json:"uses,omitempty" description:"all uses as they would be, where one changes"`
	Plans   []PlanView   `json:"plans,omitempty" description:"all port plans as they would be, where one or a use changes"`
	Talk    []TalkShift  `json:"talk,omitempty" description:"who gains and loses what to whom"`
	Edit    bool         `json:"edit" required:"true" description:"whether there is anything to change"`
	Come    []Finding    `json:"come" required:"true" nullable:"false"`
	Go      []Finding    `json:"go" required:"true" nullable:"false"`
}
