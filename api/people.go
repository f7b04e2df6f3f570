package api

import "time"

// Me is who asks.
type Me struct {
	Name       string            `json:"name" required:"true" description:"empty where nobody said, or signed in"`
	Accounts   bool              `json:"accounts" required:"true" description:"people sign in here"`
	Everywhere string            `json:"everywhere,omitempty" description:"the role in every office"`
	Alone      bool              `json:"alone,omitempty" description:"passkeys alone open the account"`
	Roles      map[string]string `json:"roles,omitempty" description:"by the number of an office"`
}

// Name says who a browser is, where nobody signs in.
type Name struct {
	Name string `json:"name" required:"true"`
}

// SignIn is how somebody comes in.
type SignIn struct {
	Name     string `json:"name" required:"true" maxLength:"60"`
	Password string `json:"password" required:"true" maxLength:"1024"`
}

// Invitation is what lets somebody make an account.
type Invitation struct {
	Secret string `json:"secret" required:"true" maxLength:"100"`
}

// Invited is what an invitation is for.
type Invited struct {
	By     string `json:"by" required:"true"`
	Office string `json:"office,omitempty" description:"its title; all offices without it"`
	Role   string `json:"role" required:"true"`
}

// Join makes an account.
type Join struct {
	Secret   string `json:"secret" required:"true" maxLength:"100"`
	Name     string `json:"name" required:"true" maxLength:"60"`
	Password string `json:"password" required:"true" maxLength:"1024"`
}

// NewPassword changes one's password.
type NewPassword struct {
	Old string `json:"old" required:"true" maxLength:"1024"`
	New string `json:"new" required:"true" maxLength:"1024"`
}

// PersonView is somebody who may come in.
type PersonView struct {
	ID         int64  `json:"id" required:"true"`
	Name       string `json:"name" required:"true"`
	Role       string `json:"role" required:"true" description:"here: in the office, or in all"`
	Everywhere string `json:"everywhere" required:"true" description:"in every office"`
	You        bool   `json:"you" required:"true"`
	Alone      bool   `json:"alone,omitempty" description:"passkeys alone open the account"`
}

// PeopleView is who may what in an office, or in all.
type PeopleView struct {
	People []PersonView `json:"people" required:"true" nullable:"false"`

	Invitations []InvitationView `json:"invitations" required:"true" nullable:"false" description:"those that are open"`

	Link string `json:"link,omitempty" description:"the invitation that was just made, told this once: the secret"`
}

// InvitationView is an invitation that nobody used yet. It holds as long as who gave it may
// give it.
type InvitationView struct {
	ID      int64     `json:"id" required:"true"`
	Office  string    `json:"office,omitempty" description:"its title; all offices without it"`
	Role    string    `json:"role" required:"true"`
	By      string    `json:"by" required:"true"`
	At      time.Time `json:"at" required:"true"`
	Expires time.Time `json:"expires" required:"true"`
}

// OwnPassword is one's own password, for what makes a difference who says it.
type OwnPassword struct {
	Password string `json:"password" required:"true" maxLength:"1024"`
}

// PasskeyForget forgets a passkey.
type PasskeyForget struct {
	Passkey  int64  `json:"passkey" required:"true" minimum:"1"`
	Password string `json:"password" required:"true" maxLength:"1024" description:"one's own"`
}

// Opens is what opens one's account, or acts in one's name, when the password has changed.
type Opens struct {
	Sessions []SessionView `json:"sessions" required:"true" nullable:"false"`
	Passkeys []string      `json:"passkeys" required:"true" nullable:"false" description:"by their names"`
	Tokens   []string      `json:"tokens" required:"true" nullable:"false" description:"by their names, with their offices"`
}

// RoleRequest gives somebody a role, or takes it away.
type RoleRequest struct {
	Person int64  `json:"person" required:"true" minimum:"1"`
	Role   string `json:"role" required:"true" enum:"nobody,reader,planner,technician,carrier,keeper"`
}

// InviteRequest asks for an invitation.
type InviteRequest struct {
	Role string `json:"role" required:"true" enum:"reader,planner,technician,carrier,keeper"`
}

// SessionView is somewhere that one is signed in.
type SessionView struct {
	ID    int64     `json:"id" required:"true"`
	About string    `json:"about" required:"true" description:"a browser, as it says of itself"`
	At    time.Time `json:"at" required:"true"`
	Seen  time.Time `json:"seen" required:"true" description:"to the minute"`
	Here  bool      `json:"here" required:"true" description:"the one that asks"`
}

// RecordEntry is something that was done that is no edit.
type RecordEntry struct {
	ID      int64     `json:"id" required:"true"`
	At      time.Time `json:"at" required:"true"`
	Who     string    `json:"who" required:"true"`
	What    string    `json:"what" required:"true"`
	Office  int64     `json:"office,omitempty"`
	About   string    `json:"about,omitempty"`
	Address string    `json:"address,omitempty"`
}

// PasskeyAsked is what a browser is asked (WebAuthn), and what its answer is known by.
type PasskeyAsked struct {
	Ceremony string `json:"ceremony" required:"true"`
	Options  any    `json:"options" required:"true" description:"publicKey, in the JSON of WebAuthn Level 3"`
}

// PasskeyAnswer is what a browser answers.
type PasskeyAnswer struct {
	Ceremony string `json:"ceremony" required:"true" maxLength:"100"`
	Name     string `json:"name,omitempty" maxLength:"60" description:"of a new passkey: by what one knows it"`
	Response any    `json:"response" required:"true" description:"the credential, in the JSON of WebAuthn Level 3"`
}

// PasskeysAlone says whether the password opens one's account beside passkeys.
type PasskeysAlone struct {
	Alone    bool   `json:"alone" required:"true"`
	Password string `json:"password" required:"true" maxLength:"1024" description:"one's own, as it makes a difference who says this"`
}

// PasskeyView is a passkey of one's own.
type PasskeyView struct {
	ID   int64      `json:"id" required:"true"`
	Name string     `json:"name" required:"true"`
	At   time.Time  `json:"at" required:"true"`
	Used *time.Time `json:"used" required:"true" nullable:"true"`
}
