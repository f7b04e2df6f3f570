package command

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// doAdd adds a device that is described in words: kind, ports, speed.
//
//	add attic: switch, 24 ports 1G and 4 ports 10G, by port
func doAdd(net *span.Net, args *args) (*Result, error) {
	name := args.next()
	if args.bad != nil {
		return nil, nil
	}
	lines, err := Describe(net.Office, strings.TrimSuffix(name.text, ":"), strings.TrimLeft(args.text[name.at+len(name.text):], " :"))
	if err != nil {
		return nil, mistake(1, name.at, err.Error())
	}
	args.at = len(args.words)
	o, edit, err := notation.Line(net.Office, strings.Join(lines, "\n"))
	if err != nil {
		mistakes := err.(*notation.Mistakes)
		return nil, mistake(1, name.at, mistakes.List[0].Text)
	}
	return &Result{Office: o, Edit: edit}, nil
}

// kindWords are what people call devices, beside the words of the notation.
var kindWords = map[string]string{
	"access point": "wap", "ap": "wap", "wireless access point": "wap", "server": "host", "storage": "host", "nas": "host",
	"unmanaged switch": "switch", "gateway": "router",
}

var (
	countPorts = regexp.MustCompile(`^(\d+)\s*(?:x\s*)?(?:ports?\s*)?(\d+(?:\.\d)?[MG])?\s*(?:ports?)?$`)
	namedPorts = regexp.MustCompile(`^ports?\s+(.+)$`)
	managedIn  = regexp.MustCompile(`^(?:managed?)\s+(?:in\s+)?(\S+)(?:\s+(?:at\s+)?(\S+))?$`)
	// "8-port switch", "switch 8 ports", "unmanaged 8 port switch": kind and ports
	// without a comma between.
	portsFirst = regexp.MustCompile(`(?i)^((?:un)?managed\s+)?(\d+)[-\s]?ports?\s+(.+)$`)
	portsLast  = regexp.MustCompile(`(?i)^(.*?[a-z])\s+(?:with\s+)?(\d+)\s*(?:x\s*)?ports?(\s+\d+(?:\.\d)?[MG])?$`)
	commas     = regexp.MustCompile(`\s*,\s*|\s+(?:and|with)\s+`)
)

// Describe turns a device said in words into statements: "switch, 24 ports 1G
// and 2 10G, by VLAN, follows desks, managed in 190". What it does not know it
// names, with what it does.
//
//	> add attic switch, 8 ports, by port, follows floor, managed in 190
//	device attic switch follows floor
//	  ports 1-8
//	  wording by-port
//	  manage 190
func Describe(o *office.Office, name, words string) ([]string, error) {
	if !plain(name) {
		return nil, fmt.Errorf(
			"%q is no name of a device: letters, digits, hyphens and underscores, with a letter or digit first, such as %s",
			name,
			office.Fitting(name, "switch-1"),
		)
	}
	if o.Device(name) != nil {
		return nil, fmt.Errorf("a device is named %s already", name)
	}
	kind, follows := "", ""
	front := 0
	var ports, body []string
	forwarding, wording := "", ""
	for _, p := range apart(commas.Split(strings.TrimSpace(words), -1)) {
		low := strings.ToLower(p)
		dashed := strings.ReplaceAll(low, " ", "-")
		switch {
		case p == "":
		case slices.Contains(office.Kinds, office.Kind(low)):
			kind = low
		case kindWords[low] != "":
			kind = kindWords[low]
			if low == "unmanaged switch" {
				forwarding = "unaware"
			}
		case countPorts.MatchString(p):
			m := countPorts.FindStringSubmatch(p)
			k, _ := strconv.Atoi(m[1])
			if k < 1 || k > 512 {
				return nil, fmt.Errorf("%s ports: a front has 1 to 512", m[1])
			}
			text := fmt.Sprintf("%d-%d", front+1, front+k)
			if k == 1 {
				text = strconv.Itoa(front + 1)
			}
			front += k
			ports = append(ports, strings.TrimSpace(text+" "+m[2]))
		case namedPorts.MatchString(p):
			ports = append(ports, namedPorts.FindStringSubmatch(p)[1])
		case strings.HasPrefix(low, "follows "):
			follows = strings.TrimSpace(p[len("follows "):])
		case managedIn.MatchString(low):
			m := managedIn.FindStringSubmatch(low)
			body = append(body, strings.TrimSpace("manage "+m[1]+" "+m[2]))
		case low == "unmanaged" || low == "unaware":
			forwarding = "unaware"
		case low == "routed" || low == "routes":
			forwarding = "routed"
		case slices.Contains(office.Wordings, office.WordingName(dashed)):
			wording = dashed
			if dashed == "by-group" && forwarding == "" {
				forwarding = "grouped"
			}
		case slices.Contains(office.Habits, office.Habit(dashed)):
			wording += " " + dashed
		default:
			return nil, fmt.Errorf(
				"%q says nothing that is known here: a kind (%s), 24 ports, ports lan1-lan4, by VLAN, unmanaged, routed, follows PLAN, managed in VLAN",
				p,
				strings.Join(kindList(), ", "),
			)
		}
	}
	switch {
	case kind == "":
		return nil, fmt.Errorf("say what kind of device %s is: %s", name, strings.Join(kindList(), ", "))
	case len(ports) == 0:
		return nil, fmt.Errorf("say which ports %s has: 24 ports, or ports lan1-lan4", name)
	case strings.HasPrefix(wording, " "):
		return nil, fmt.Errorf("the habit%s belongs to a wording: say by VLAN or another before it", wording)
	}
	if forwarding == "" && (kind == "router" || kind == "firewall") {
		forwarding = "routed"
	}
	head := "device " + name + " " + kind
	if follows != "" {
		head += " follows " + follows
	}
	lines := []string{head}
	if forwarding != "" {
		lines = append(lines, "  forwarding "+forwarding)
	}
	lines = append(lines, "  ports "+strings.Join(ports, ", "))
	if wording != "" {
		lines = append(lines, "  wording "+wording)
	}
	for _, b := range body {
		lines = append(lines, "  "+b)
	}
	return lines, nil
}

// apart cuts kind and ports where they stand without a comma between.
//
//	> add attic unmanaged 5 port switch
//	device attic switch
//	  forwarding unaware
//	  ports 1-5
//	> add attic 8-port switch by VLAN
//	! column 5: "8-port switch by VLAN" says nothing that is known here: a kind (switch,
//	    router, firewall, wap, host, other), 24 ports, ports lan1-lan4, by VLAN, unmanaged,
//	    routed, follows PLAN, managed in VLAN
//	> add attic box
//	! column 5: "box" says nothing that is known here: a kind (switch, router, firewall, wap,
//	    host, other), 24 ports, ports lan1-lan4, by VLAN, unmanaged, routed, follows PLAN,
//	    managed in VLAN
func apart(parts []string) (out []string) {
	known := func(text string) bool {
		low := strings.ToLower(strings.TrimSpace(text))
		return slices.Contains(office.Kinds, office.Kind(low)) || kindWords[low] != ""
	}
	for _, p := range parts {
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
