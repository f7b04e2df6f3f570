package found

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
	"klammer/core/wording"
)

// fromLinux reads what `bridge -json vlan show` prints, with what `ip -json
// -details link` prints before or behind it, as iproute2 writes them: a port of
// the one by its name there, which is the port's name inside the device where
// the plan says one.
//
// Many branches: two documents are read side by side, each with fields that older versions
// leave out.
func fromLinux(device *office.Device, base wording.State, text string) (*Result, error) {
	reading := linuxReading{begin(device, base, "Linux")}
	dec := json.NewDecoder(strings.NewReader(text))
	down := map[string]bool{}
	seen := false
	for dec.More() {
		var list []struct {
			Name  string `json:"ifname"`
			VLANs []struct {
				From  int      `json:"vlan"`
				To    int      `json:"vlanEnd"`
				Flags []string `json:"flags"`
			} `json:"vlans"`
			Flags []string `json:"flags"`
			Info  *struct {
				Kind string `json:"info_kind"`
				Data struct {
					Filtering *int `json:"vlan_filtering"`
				} `json:"info_data"`
			} `json:"linkinfo"`
			Index int `json:"ifindex"`
		}
		if err := dec.Decode(&list); err != nil {
			return nil, fmt.Errorf("at byte %d the JSON cannot be read (%w): take all of what bridge -json vlan show prints", dec.InputOffset(), err)
		}
		for i, x := range list {
			if x.Index > 0 && len(x.VLANs) == 0 { // of ip link
				if len(x.Flags) > 0 && !slices.Contains(x.Flags, "UP") {
					down[x.Name] = true
				}
				if x.Info != nil && x.Info.Kind == "bridge" && x.Info.Data.Filtering != nil && *x.Info.Data.Filtering == 0 {
					reading.wrong(i+1, 0, "the bridge %s has VLAN filtering off: it forwards every frame whatever its VLAN entries say", x.Name)
				}
				continue
			}
			seen = true
			set := reading.port(i+1, x.Name)
			for _, v := range x.VLANs {
				if set != nil && !reading.entry(i+1, set, entry{x.Name, v.From, max(v.From, v.To), slices.Contains(v.Flags, "PVID"), slices.Contains(v.Flags, "Egress Untagged")}) {
					break
				}
			}
		}
	}
	if !seen {
		return nil, fmt.Errorf("there are no VLAN entries in it: bridge -json vlan show prints them")
	}
	for name := range down {
		if port := slices.IndexFunc(device.Ports, func(one office.Port) bool { return one.Inside == name || one.Inside == "" && one.Name == name }); port >= 0 && reading.said[device.Logical(port)] &&
			device.Logical(port) == port {
			reading.out.State.Ports[port].Off = true
		}
	}
	return reading.done(), nil
}

// entry is one line of a bridge's VLAN table: VIDs from and to, and their flags.
type entry struct {
	port           string
	from, to       int
	pvid, untagged bool
}

// linuxReading reads the VLAN table of a Linux bridge.
type linuxReading struct{ *reading }

// port starts a port by its name there; nil where the device has none of it, which is said.
func (r linuxReading) port(row int, name string) *wording.Setting {
	port := slices.IndexFunc(r.device.Ports, func(one office.Port) bool { return one.Inside == name || one.Inside == "" && one.Name == name })
	if port < 0 {
		r.wrong(row, 0, "%s is no port of %s", name, r.device.Name)
		return nil
	}
	return r.start(r.device.Logical(port))
}

// entry takes an entry into a port; false where it has what is no VLAN.
func (r linuxReading) entry(row int, set *wording.Setting, one entry) bool {
	for k := one.from; k <= one.to; k++ {
		vid, err := office.VIDOf(k)
		if err != nil {
			r.wrong(row, 0, "%s: %s", one.port, err)
			return false
		}
		set.Untagged.Remove(vid) // of two entries for one VID the later counts, as in the kernel
		set.Tagged.Remove(vid)
		if one.untagged {
			set.Untagged.Add(vid)
		} else {
			set.Tagged.Add(vid)
		}
		if one.pvid {
			set.PVID = vid
		}
	}
	return true
}

// bridgeHead is the head of what `bridge vlan show` prints to be read by people, as iproute2 4 and
// later write it.
var bridgeHead = regexp.MustCompile(`(?i)^port\s+vlan[- ]ids?\s*$`)

// bridgeLine is a line of it: a port at its beginning or none, which goes on with the one above,
// and one VID or a range, with its flags.
var bridgeLine = regexp.MustCompile(`^(\S+)?\s+(?:(\d+)(?:-(\d+))?((?: PVID| Egress Untagged)*)|None)\s*$`)

// fromBridge reads what `bridge vlan show` prints. A port that stands there without a VLAN is in
// none.
//
//	> paste core
//	> port              vlan-id
//	> 1                 110 PVID Egress Untagged
//	>                   140-142
//	> 2                 160 PVID Egress Untagged
//	> 3                 None
//	Linux
//	1: planned 110 [140], found 110 [140-142]
//	2: planned 110 [140], found 160
//	3: planned 110 [140], found -
func fromBridge(device *office.Device, base wording.State, text string) (*Result, error) {
	reading := linuxReading{begin(device, base, "Linux")}
	name, headed := "", false
	var set *wording.Setting
	row := 0
	for line := range strings.SplitSeq(text, "\n") {
		row++
		line = strings.TrimRight(line, " \t\r")
		if head := bridgeHead.MatchString(line); line == "" || line[0] == '#' || head || !headed {
			headed = headed || head
			continue
		}
		found := bridgeLine.FindStringSubmatch(line)
		if found == nil && !strings.ContainsAny(line, " \t") { // a port alone
			found = []string{line, line, "", "", ""}
		}
		if found == nil || found[1] == "" && name == "" {
			reading.wrong(row, 0, "%q is no line of bridge vlan show: a port, a VLAN, and its flags", strings.TrimSpace(line))
			continue
		}
		if found[1] != "" {
			name = found[1]
			set = reading.port(row, name)
		}
		if set == nil || found[2] == "" {
			continue
		}
		from, _ := strconv.Atoi(found[2])
		to := from
		if found[3] != "" {
			to, _ = strconv.Atoi(found[3])
		}
		if to > 4095 { // whatever number it is, it is no VLAN, and not worth counting to
			to = from
		}
		reading.entry(row, set, entry{name, from, max(from, to), strings.Contains(found[4], "PVID"), strings.Contains(found[4], "Untagged")})
	}
	if len(reading.said) == 0 {
		return nil, fmt.Errorf("there is no port of %s in it", device.Name)
	}
	return reading.done(), nil
}
