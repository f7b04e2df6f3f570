package api

// Explanation is what ports do in plain words, and where a VLAN goes.
type Explanation struct {
	Title string     `json:"title" required:"true" description:"the ports, folded: ward-east 5-6"`
	Shape string     `json:"shape" required:"true" description:"their shape in bracket notation, empty where they differ"`
	Words []string   `json:"words" required:"true" nullable:"false"`
	Reach *ReachView `json:"reach,omitempty"`
}

// ReachView is where one VLAN goes.
type ReachView struct {
	VID   int          `json:"vid" required:"true"`
	Roots []BranchView `json:"roots" required:"true" nullable:"false"`
	Ports []string     `json:"ports" required:"true" nullable:"false" description:"all ports of its spans"`
	Cut   []string     `json:"cut" required:"true" nullable:"false" description:"those that its gateway does not reach"`
}

// BranchView is a device in a VLAN's reach, seen from the gateway outwards.
type BranchView struct {
	Device   string       `json:"device" required:"true"`
	Port     string       `json:"port" required:"true"`
	Via      string       `json:"via" required:"true"`
	Broken   bool         `json:"broken" required:"true"`
	Cut      bool         `json:"cut" required:"true"`
	Ends     string       `json:"ends" required:"true" description:"the ports where it ends there, folded"`
	Count    int          `json:"count" required:"true" description:"how many they are"`
	Branches []BranchView `json:"branches" required:"true" nullable:"false"`
	Places   []PlaceView  `json:"places" required:"true" nullable:"false"`
}

// PlaceView is a port where a VLAN ends, and what is there.
type PlaceView struct {
	Port  string   `json:"port" required:"true"`
	As    string   `json:"as" required:"true" enum:"untagged,tagged,none"`
	Kind  string   `json:"kind" required:"true" enum:"physical,bundle,inner"`
	Plugs []string `json:"plugs" required:"true" nullable:"false"`
}

// WalkView is what becomes of a frame, and its way to one port if one is asked
// for.
type WalkView struct {
	Walk    Walk     `json:"walk" required:"true"`
	Journey *Journey `json:"journey,omitempty"`
	From    string   `json:"from" required:"true" description:"the port that was meant"`
	Wire    string   `json:"wire" required:"true" description:"what the frame wears"`
	To      string   `json:"to,omitempty" description:"what was meant to be reached"`
	Address string   `json:"address" required:"true" description:"whether what is at the port gets an address, and from whom"`
}

// ProposalView is the next VLAN like the others.
type ProposalView struct {
	VID   int      `json:"vid" required:"true"`
	Like  int      `json:"like" required:"true" description:"the VLAN that it was made after, 0 for none"`
	Lines []string `json:"lines" required:"true" nullable:"false"`
}
