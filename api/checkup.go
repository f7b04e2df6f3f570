package api

import "time"

// Checkup is how an office was on a day, and what of it is otherwise than at the one before.
type Checkup struct {
	ID       int64           `json:"id" required:"true"`
	At       time.Time       `json:"at" required:"true"`
	By       string          `json:"by" required:"true"`
	Revision int64           `json:"revision" required:"true"`
	Devices  []CheckedDevice `json:"devices" required:"true" nullable:"false"`
	Findings []CheckedLine   `json:"findings" required:"true" nullable:"false" description:"of the plan: what breaks or is a risk"`
	Gone     []string        `json:"gone" required:"true" nullable:"false" description:"what was at the check-up before, and is not any more"`
	Proof    CheckedProof    `json:"proof" required:"true"`
	Backups  string          `json:"backups,omitempty" description:"where backups are made by themselves"`
	Note     string          `json:"note,omitempty" description:"what else was said of that day"`
	Told     string          `json:"told" required:"true" description:"what it comes to, in a sentence"`
}

// CheckedDevice is one device of a check-up.
type CheckedDevice struct {
	Device  string        `json:"device" required:"true"`
	Speaks  bool          `json:"speaks" required:"true" description:"it is read by Klammer; others are looked at by somebody"`
	Read    *time.Time    `json:"read,omitempty" description:"when it was tried last"`
	Why     string        `json:"why,omitempty" description:"why it told nothing then"`
	Found   bool          `json:"found" required:"true" description:"it is known what it is set to"`
	Differs []CheckedPort `json:"differs" required:"true" nullable:"false" description:"where it is set otherwise than planned"`
}

// CheckedPort is a port, or something of routing, that is set otherwise than planned.
type CheckedPort struct {
	Port    string `json:"port,omitempty" description:"empty for addresses, routes and rules"`
	Found   string `json:"found" required:"true" description:"the shape that it was found in, in notation; else in words"`
	Planned string `json:"planned,omitempty" description:"the shape that is planned"`
	Fresh   bool   `json:"fresh,omitempty" description:"it was not so at the check-up before"`
	Since   string `json:"since,omitempty" description:"since when it is known to be so"`
}

// CheckedLine is a finding of the plan.
type CheckedLine struct {
	Text     string `json:"text" required:"true"`
	Severity string `json:"severity" required:"true"`
	Fresh    bool   `json:"fresh,omitempty" description:"it was not there at the check-up before"`
}

// CheckedProof is what of the plan was proved by plugging in.
type CheckedProof struct {
	Places int        `json:"places" required:"true" description:"of the full round"`
	Proved int        `json:"proved" required:"true" description:"as planned, and planned so still"`
	Failed int        `json:"failed" required:"true"`
	Oldest *time.Time `json:"oldest,omitempty" description:"of what is proved, the longest ago"`
}

// CheckupsView is the newest check-up, and those before.
type CheckupsView struct {
	Every  int            `json:"every" required:"true" description:"days after which an office is checked by itself; 0 for never"`
	Newest *Checkup       `json:"newest,omitempty"`
	Before []CheckupEntry `json:"before" required:"true" nullable:"false"`
}

// CheckupEntry is one of those before.
type CheckupEntry struct {
	ID   int64     `json:"id" required:"true"`
	At   time.Time `json:"at" required:"true"`
	By   string    `json:"by" required:"true"`
	Told string    `json:"told" required:"true"`
}

// CheckRequest makes a check-up.
type CheckRequest struct {
	Note string `json:"note,omitempty" maxLength:"500" description:"what else is to be known of that day"`
}

// CheckEvery says after how many days an office is checked by itself.
type CheckEvery struct {
	Days int `json:"days" minimum:"0" maximum:"366" description:"0 for never"`
}
