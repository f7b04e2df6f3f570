package notation

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// Described is a device as people say it in a sentence.
type Described struct {
	Kind    office.Kind
	Follows string   // a port plan; "" for none
	Lines   []string // what stands in the device, in the order of the notation
}

// kindWords are what people call devices, beside the words of the notation.
var kindWords = map[string]string{
	"access point": "wap", "access-point": "wap", "accesspoint": "wap", "ap": "wap", "server": "host", "storage": "host", "nas": "host",
	"unmanaged switch": "switch", "gateway": "router",
}

// adjectives are what people say of a device that is nothing to frames.
var adjectives = []string{"managed", "smart", "poe", "poe+", "gigabit", "small", "big", "old", "new", "desktop", "rack", "wireless", "wifi", "ceiling"}

var (
	countPorts = regexp.MustCompile(`^(\d+)\s*(?:x\s*)?(?:ports?\s*)?(\d+(?:\.\d)?[MG])?\s*(?:ports?)?$`)
	namedPorts = regexp.MustCompile(`^ports?\s+(.+)$`)
	managedIn  = regexp.MustCompile(`^(?:managed?)\s+(?:in\s+)?(\S+)(?:\s+(?:at\s+)?(\S+))?$`)
	// "8-port switch", "switch 8 ports", "unmanaged 8 port switch": kind and ports
	// without a comma between.
	portsFirst = regexp.MustCompile(`(?i)^((?:un)?managed\s+)?(\d+)[-\s]?ports?\s+(.+)$`)
	portsLast  = regexp.MustCompile(`(?i)^(.*?[a-z])\s+(?:with\s+)?(\d+)\s*(?:x\s*)?ports?(\s+\d+(?:\.\d)?[MG])?$`)
	// "4 lan ports", "a wan port", "wan": ports by their name.
	lanPorts  = regexp.MustCompile(`^(\d+)\s*(?:x\s*)?([a-z]+)[-\s]ports?(?:\s+(\d+(?:\.\d)?[mg]))?$`)
	byWording = regexp.MustCompile(`(?i)^(.+?)\s+(by[-\s].+)$`)
	radioNets = regexp.MustCompile(`^(\d+)\s*(?:x\s*)?ssids?$`)
	onePort   = regexp.MustCompile(`^((?:wan|lan|dmz|eth|sfp|uplink|ge)\d*)(?:[-\s]port)?$`)
	articles  = regexp.MustCompile(`(?i)^\s*(?:an?|the|one)\s+`)
	commas    = regexp.MustCompile(`\s*,\s*|\s+(?:and|with)\s+`)
)

// kindOf is the kind of device that words name, and whether they say that it runs Linux. What is
// said of every device of its kind says nothing.
func kindOf(words string) (kind office.Kind, linux bool) {
	low := strings.ToLower(strings.TrimSpace(words))
	for {
		if slices.Contains(office.Kinds, office.Kind(low)) {
			return office.Kind(low), linux
		}
		if is := kindWords[low]; is != "" {
			return office.Kind(is), linux
		}
		first, rest, more := strings.Cut(low, " ")
		if !more || !slices.Contains(adjectives, first) && first != "linux" {
			return "", false
		}
		linux = linux || first == "linux"
		low = rest
	}
}

// Describe reads a device said in words: "switch, 24 ports 1G and 2 10G, by VLAN, follows desks,
// managed in 190", "8-port switch", "firewall with wan and 4 lan ports", "Linux server". A host or
// an access point of which no ports are said has eth0. What it does not know it names, with what
// it does.
//
//	> device attic 8-port switch
//	device attic switch
//	  ports 1-8
//	> device fence firewall with wan and 4 lan ports
//	device fence firewall
//	  forwarding routed
//	  ports wan, lan1-lan4
//	> device shop Linux server
//	device shop host
//	  ports eth0
//	  wording linux
//	> device hall access point with 2 SSIDs
//	device hall wap
//	  ports eth0
//	  inner "SSID 1" ssid: off
//	  inner "SSID 2" ssid: off
//	> device Attic Room 24-port PoE switch, by port
//	device attic-room switch
//	  ports 1-24
//	  wording by-port
func Describe(words string) (*Described, error) {
	d := &describing{}
	for _, part := range apart(Parts(words)) {
		if err := d.take(part); err != nil {
			return nil, err
		}
	}
	switch {
	case d.Kind == "":
		return nil, fmt.Errorf("say what kind of device it is: %s", strings.Join(kindList(), ", "))
	case len(d.ports) == 0 && (d.Kind == office.Host || d.Kind == office.AccessPoint):
		d.ports = []string{"eth0"}
	case len(d.ports) == 0:
		return nil, fmt.Errorf("say which ports it has: 24 ports, or ports lan1-lan4")
	case strings.HasPrefix(d.wording, " "):
		return nil, fmt.Errorf("the habit%s belongs to a wording: say by VLAN or another before it", d.wording)
	}
	if d.forwarding == "" && (d.Kind == office.Router || d.Kind == office.Firewall) {
		d.forwarding = "routed"
	}
	if d.forwarding != "" {
		d.Lines = append(d.Lines, "forwarding "+d.forwarding)
	}
	d.Lines = append(d.Lines, "ports "+strings.Join(d.ports, ", "))
	if d.wording != "" {
		d.Lines = append(d.Lines, "wording "+d.wording)
	}
	if d.managed != "" {
		d.Lines = append(d.Lines, d.managed)
	}
	d.Lines = append(d.Lines, d.inner...)
	return &d.Described, nil
}

// Parts are the parts of a sentence: between commas, and and with.
func Parts(words string) []string { return commas.Split(strings.TrimSpace(words), -1) }

// describing is a sentence while it is read.
type describing struct {
	Described
	front                        int // ports of the front so far
	ports                        []string
	inner                        []string // lines of its radio's networks
	forwarding, wording, managed string
}

// take reads one part of a sentence.
//
// Many branches: one switch, a case a phrase that is understood.
func (d *describing) take(part string) error {
	low := strings.ToLower(part)
	dashed := strings.ReplaceAll(low, " ", "-")
	kind, linux := kindOf(part)
	switch {
	case part == "":
	case kind != "" && d.Kind != "" && kind != d.Kind:
		return fmt.Errorf("%q is another kind than %s: a device is one", part, d.Kind)
	case kind != "":
		d.Kind = kind
		if linux {
			d.wording = string(office.Linux)
		}
		if low == "unmanaged switch" {
			d.forwarding = "unaware"
		}
	case countPorts.MatchString(part):
		m := countPorts.FindStringSubmatch(part)
		return d.count(m[1], "", m[2])
	case lanPorts.MatchString(low):
		m := lanPorts.FindStringSubmatch(low)
		return d.count(m[1], m[2], m[3])
	case radioNets.MatchString(low):
		return d.networks(radioNets.FindStringSubmatch(low)[1])
	case namedPorts.MatchString(part):
		d.ports = append(d.ports, namedPorts.FindStringSubmatch(part)[1])
	case onePort.MatchString(low):
		d.ports = append(d.ports, onePort.FindStringSubmatch(low)[1])
	case strings.HasPrefix(low, "follows "):
		d.Follows = strings.TrimSpace(part[len("follows "):])
	case managedIn.MatchString(low):
		m := managedIn.FindStringSubmatch(low)
		d.managed = strings.TrimSpace("manage " + m[1] + " " + m[2])
	case low == "unmanaged" || low == "unaware":
		d.forwarding = "unaware"
	case low == "routed" || low == "routes":
		d.forwarding = "routed"
	case slices.Contains(office.Wordings, office.WordingName(dashed)):
		d.wording = dashed
		if dashed == string(office.ByGroup) && d.forwarding == "" {
			d.forwarding = "grouped"
		}
	case slices.Contains(office.Habits, office.Habit(dashed)):
		d.wording += " " + dashed
	default:
		return fmt.Errorf(
			"%q says nothing that is known here: a kind (%s), 24 ports, ports lan1-lan4, by VLAN, unmanaged, routed, follows PLAN, managed in VLAN",
			part,
			strings.Join(kindList(), ", "),
		)
	}
	return nil
}

// mostNetworks is how many SSIDs a sentence may say: what radios take.
const mostNetworks = 32

// networks adds as many SSIDs as are said, which have no VLAN yet.
func (d *describing) networks(many string) error {
	k, err := strconv.Atoi(many)
	if err != nil || k < 1 || k > mostNetworks {
		return fmt.Errorf("%s SSIDs: an access point has 1 to %d", many, mostNetworks)
	}
	for range k {
		d.inner = append(d.inner, fmt.Sprintf("inner \"SSID %d\" ssid: off", len(d.inner)+1))
	}
	return nil
}

// count adds as many ports as are said, numbered on the front or behind a name.
func (d *describing) count(many, name, speed string) error {
	k, err := strconv.Atoi(many)
	if err != nil || k < 1 || k > 512 {
		return fmt.Errorf("%s ports: a front has 1 to 512", many)
	}
	first := 1
	if name == "" {
		first = d.front + 1
		d.front += k
	}
	text := fmt.Sprintf("%s%d-%s%d", name, first, name, first+k-1)
	if k == 1 {
		text = fmt.Sprintf("%s%d", name, first)
	}
	d.ports = append(d.ports, strings.TrimSpace(text+" "+strings.ToUpper(speed)))
	return nil
}

// apart cuts kind and ports where they stand without a comma between.
//
//	> add attic unmanaged 5 port switch
//	device attic switch
//	  forwarding unaware
//	  ports 1-5
//	> add attic 8-port switch by VLAN
//	device attic switch
//	  ports 1-8
//	  wording by-vlan
//	> add attic box
//	! column 5: "box" says nothing that is known here: a kind (switch, router, firewall, wap,
//	    host, other), 24 ports, ports lan1-lan4, by VLAN, unmanaged, routed, follows PLAN,
//	    managed in VLAN
func apart(parts []string) (out []string) {
	known := func(text string) bool {
		kind, _ := kindOf(text)
		return kind != ""
	}
	for _, p := range parts {
		p = articles.ReplaceAllString(p, "")
		if m := byWording.FindStringSubmatch(p); m != nil {
			out = append(append(out, apart(m[1:2])...), m[2])
			continue
		}
		if m := portsFirst.FindStringSubmatch(p); m != nil && known(strings.TrimSpace(m[1]+m[3])) {
			out = append(out, strings.TrimSpace(m[1]+m[3]), m[2]+" ports")
		} else if m := portsFirst.FindStringSubmatch(p); m != nil && known(m[3]) {
			out = append(out, m[3], m[2]+" ports")
		} else if m := portsLast.FindStringSubmatch(p); m != nil && known(m[1]) {
			out = append(out, m[1], m[2]+" ports"+m[3])
		} else {
			out = append(out, p)
		}
	}
	return out
}

// kindList is the kinds of device, for the mistake that names them.
func kindList() []string {
	var out []string
	for _, kind := range office.Kinds {
		out = append(out, string(kind))
	}
	return out
}
