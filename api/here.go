package api

// Here is where somebody is: a tab of a browser, and the cell that it is at.
type Here struct {
	Tab  string `json:"tab" required:"true" maxLength:"40" description:"a name that the tab gave itself"`
	Port string `json:"port" required:"true" maxLength:"100" description:"device.port, empty outside the board"`
	VID  int    `json:"vid" required:"true"`
	New  bool   `json:"new,omitempty" description:"the tab has just come: others say where they are"`
	Gone bool   `json:"gone,omitempty"`
}

// Somebody is a Here with the name that the browser said, as it goes to all.
type Somebody struct {
	Here
	Name   string `json:"name"`
	Office int64  `json:"office"`
	Found  string `json:"found,omitempty"` // a device of which something was found
	Order  bool   `json:"order,omitempty"` // a work order was made, or went on
	Read   bool   `json:"read,omitempty"`  // devices were read, or are
	Round  bool   `json:"round,omitempty"` // something became of a plug test

	// What ended: nobody hears anything by it any more.
	Sessions []int64 `json:"sessions,omitempty"`
	Person   int64   `json:"person,omitempty"` // whose role changed, with all his tokens
	Tokens   []int64 `json:"tokens,omitempty"`
}
