package api

import (
	"time"

	"klammer/core/office"
	"klammer/field"
)

// ReadingView is what devices told of themselves and of what is around them.
type ReadingView struct {
	Running     *ReadingRun       `json:"running,omitempty" description:"devices are being read just now"`
	Every       int               `json:"every" required:"true" description:"minutes after which all are read by themselves; 0 for never"`
	Sealed      bool              `json:"sealed" required:"true" description:"this server can keep credentials"`
	Devices     []DeviceReading   `json:"devices" required:"true" nullable:"false"`
	Phones      []field.Phone     `json:"phones" required:"true" nullable:"false" description:"as devices hear them, at ports without a cable"`
	Cards       []CardView        `json:"cards" required:"true" nullable:"false" description:"network cards, at ports without a cable"`
	Cables      []field.CableSeen `json:"cables" required:"true" nullable:"false"`
	Findings    []Finding         `json:"findings" required:"true" nullable:"false" description:"what was seen otherwise than planned, with its mends"`
	Drift       []DriftView       `json:"drift" required:"true" nullable:"false" description:"what was found otherwise than before, the newest first"`
	Credentials []CredentialView  `json:"credentials" required:"true" nullable:"false"`
	Places      []string          `json:"places" required:"true" nullable:"false" description:"networks and addresses that the plan's devices are managed at"`
}

// ReadingRun is how far a reading is.
type ReadingRun struct {
	Done   int    `json:"done" required:"true"`
	Of     int    `json:"of" required:"true"`
	Author string `json:"author" required:"true"`
}

// DeviceReading is what a device told last.
type DeviceReading struct {
	Device string         `json:"device" required:"true"`
	Speaks bool           `json:"speaks" required:"true" description:"it is said how it is spoken to, and where"`
	At     *time.Time     `json:"at,omitempty" description:"when it was tried last"`
	Why    string         `json:"why,omitempty" description:"why it told nothing then"`
	Told   *field.Telling `json:"told,omitempty" description:"what it told last, maybe before that"`
}

// CardView is a network card at a port.
type CardView struct {
	MAC    string    `json:"mac" required:"true"`
	Device string    `json:"device" required:"true"`
	Port   string    `json:"port" required:"true"`
	VID    int       `json:"vid" required:"true"`
	Since  time.Time `json:"since" required:"true"`
	Name   string    `json:"name,omitempty" description:"of the plug that has it"`
}

// DriftView is a port that was found otherwise than before.
type DriftView struct {
	Device string    `json:"device" required:"true"`
	Said   string    `json:"said" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// CredentialView is credentials without their secrets.
type CredentialView struct {
	Name   string    `json:"name" required:"true"`
	Kind   string    `json:"kind" required:"true" description:"SNMP v2c, SNMP v3, SSH"`
	User   string    `json:"user,omitempty"`
	Hosts  []string  `json:"hosts,omitempty" description:"where they are sent alone; none: wherever a device is said to be"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// CredentialRequest keeps credentials. They are written and never read back.
type CredentialRequest struct {
	Name      string   `json:"name" required:"true" minLength:"1" maxLength:"64"`
	Community string   `json:"community,omitempty" maxLength:"200"`
	User      string   `json:"user,omitempty" maxLength:"64"`
	Auth      string   `json:"auth,omitempty" maxLength:"16" description:"SHA, SHA-224, SHA-256, SHA-384 or SHA-512"`
	AuthKey   string   `json:"authKey,omitempty" maxLength:"200"`
	Privacy   string   `json:"privacy,omitempty" maxLength:"16" description:"AES, AES-192 or AES-256"`
	PrivKey   string   `json:"privacyKey,omitempty" maxLength:"200"`
	Password  string   `json:"password,omitempty" maxLength:"200"`
	Key       string   `json:"key,omitempty" maxLength:"16000" description:"a private key, PEM"`
	Cert      string   `json:"cert,omitempty" maxLength:"16000" description:"a certificate of TLS, PEM, that the private key belongs to"`
	HostKey   string   `json:"hostKey,omitempty" maxLength:"100" description:"SHA256:… of the host's key, or of the server's certificate"`
	Hosts     []string `json:"hosts,omitempty" maxItems:"64" description:"addresses and networks that they are sent to, and nowhere else; none: wherever a device is said to be"`
	Timeout   string   `json:"timeout,omitempty" maxLength:"10" description:"how long a device has for an answer, 5s or 500ms; none: 2s, and more where it turns out to be slow"`
	Retries   *int     `json:"retries,omitempty" minimum:"0" maximum:"5" description:"how often SNMP asks again; none: twice"`
}

// ReadRequest has devices read.
type ReadRequest struct {
	Devices []string `json:"devices" required:"true" nullable:"false" maxItems:"2000" description:"none: all that say how they are spoken to"`
}

// DiscoverRequest asks who answers at some addresses.
type DiscoverRequest struct {
	Addresses []string `json:"addresses" required:"true" nullable:"false" minItems:"1" maxItems:"64" description:"HOST or HOST:PORT, or a range 10.0.0.2-20"`
	With      string   `json:"with,omitempty" maxLength:"64" description:"the name of credentials"`
}

// DiscoverAnswer is what would be taken from there into the office.
type DiscoverAnswer struct {
	Parts  []field.Part `json:"parts" required:"true" nullable:"false"`
	Failed []Silent     `json:"failed" required:"true" nullable:"false"`
}

// Silent is an address at which nothing was read.
type Silent struct {
	At  string `json:"at" required:"true"`
	Why string `json:"why" required:"true"`
}

// ReadEvery says how often devices are read by themselves.
type ReadEvery struct {
	Minutes int `json:"minutes" required:"true" minimum:"0" maximum:"10080" description:"0 for never"`
}

// CarryRequest has a visit of the order carried out by its device.
type CarryRequest struct {
	Order int64 `json:"order" required:"true"`
	Visit int   `json:"visit" required:"true" minimum:"0"`
	Back  bool  `json:"back,omitempty" description:"take back, on the device, the step at which it stopped"`
}

// Rehearsal is what the next steps of a visit would write to its device; nothing was sent.
type Rehearsal struct {
	Steps  []RehearsedStep `json:"steps" required:"true" nullable:"false"`
	Breaks []Broken        `json:"breaks" required:"true" nullable:"false" description:"findings of the plan that break at the device"`
}

// RehearsedStep is the writes of a step.
type RehearsedStep struct {
	Step   int      `json:"step" required:"true"`
	Text   string   `json:"text" required:"true"`
	Writes []string `json:"writes" required:"true" nullable:"false"`
	Hand   string   `json:"hand,omitempty" description:"why a person does it"`
	Wrong  string   `json:"wrong,omitempty" description:"what would stop it here"`
}

// CarryView is a visit that is carried out by its device, or where that stopped.
type CarryView struct {
	Visit   int    `json:"visit" required:"true"`
	Step    int    `json:"step" required:"true" description:"that is done now, or at which it stopped"`
	Running bool   `json:"running" required:"true"`
	Ended   string `json:"ended,omitempty" enum:"done,hand,otherwise,failed,stopped"`
	Text    string `json:"text,omitempty" description:"why it stopped"`
	Back    bool   `json:"back,omitempty" description:"the device took the step, and is not as foretold: it can be taken back"`
}

// NamedCard says beside where a network card is whose it is, where the office has its address.
func NamedCard(o *office.Office, view CardView) CardView {
	for _, plug := range o.Plugs {
		if string(plug.MAC) == view.MAC {
			view.Name = plug.Name
		}
	}
	return view
}
