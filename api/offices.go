package api

import "time"

// OfficeSummary is an office in a list.
type OfficeSummary struct {
	ID       int64  `json:"id" required:"true"`
	Title    string `json:"title" required:"true"`
	Revision int64  `json:"revision" required:"true"`
	CopyOf   int64  `json:"copyOf,omitempty" description:"the office that it was started from, to try things on"`

	Checked *OfficeStanding `json:"checked,omitempty" description:"how it was at its newest check-up, if there is one"`
}

// OfficeStanding is how an office was at its newest check-up.
type OfficeStanding struct {
	At      time.Time  `json:"at" required:"true"`
	Breaks  int        `json:"breaks" required:"true" description:"findings of the plan"`
	Risks   int        `json:"risks" required:"true"`
	Differs int        `json:"differs" required:"true" description:"ports that were set otherwise than planned"`
	Silent  int        `json:"silent" required:"true" description:"devices that told nothing"`
	Proved  *time.Time `json:"proved,omitempty" description:"of what is proved by plugging in, the longest ago"`
}

// Hit is something of an office that a text was found in.
type Hit struct {
	Office int64  `json:"office" required:"true"`
	Title  string `json:"title" required:"true" description:"the office's"`
	What   string `json:"what" required:"true" description:"what it was found in, as it stands there"`
	Device string `json:"device,omitempty"`
	Port   string `json:"port,omitempty"`
	VLAN   int    `json:"vlan,omitempty"`
}

// NewOffice says how an office starts: from a text in notation, as a copy of
// another, or empty. A title wins over the one in the text.
type NewOffice struct {
	Title string   `json:"title,omitempty" maxLength:"200"`
	Text  string   `json:"text,omitempty" description:"a whole office in bracket notation"`
	Lines []string `json:"lines,omitempty" maxItems:"200" description:"lines of the line, done one after the other on what the text makes: all, or no office is made"`
	Copy  int64    `json:"copy,omitempty" office:"reader" minimum:"0" description:"the office to start as"`
	ID    string   `json:"id,omitempty" maxLength:"64" description:"a name that the page gave the request: asked again, it is not done again"`
	Again bool     `json:"again,omitempty" description:"it may have been done already"`
	Try   bool     `json:"try,omitempty" description:"only say whether the text can be read"`
}

// Comparison is what differs from one office to another, in lines and in what
// it means.
type Comparison struct {
	Title string       `json:"title" required:"true" description:"the other office's"`
	Lines []string     `json:"lines" required:"true" nullable:"false" description:"what differs in notation, a sign before each line; before each piece @ and the device that it is of"`
	Ports []PortChange `json:"ports" required:"true" nullable:"false"`
	Talk  []TalkShift  `json:"talk" required:"true" nullable:"false" description:"who gains and loses what to whom"`
	Come  []Finding    `json:"come" required:"true" nullable:"false"`
	Go    []Finding    `json:"go" required:"true" nullable:"false"`
}
