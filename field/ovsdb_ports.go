package field

import (
	"encoding/json"
	"fmt"
	"strings"

	"klammer/core/office"
	"klammer/core/wording"
)

// switchPort is a port of Open vSwitch as its database has it (the Port table
// of the Open_vSwitch schema).
type switchPort struct {
	Name   string
	Mode   string // access, trunk, native-tagged, native-untagged, dot1q-tunnel; "" where it follows from the rest
	Tag    int    // -1 where none is set
	Trunks []int  // empty: all VLANs

	uuid    string
	row     dbRow // as it was read
	members []member
	wrong   []string // what its columns say that cannot be
}

// member is an interface of a port: several are a bond.
type member struct {
	name, link, kind string
	to               string // where one that is no plug leads: "to the port r of another bridge"
	mbps             int
}

// noVLAN is what a port carries that is in no VLAN, as an empty list means all: a
// number that no frame has (IEEE 802.1Q, table 9-2).
const noVLAN = 4095

// told takes what the columns tag and trunks say. What is no VLAN is not told; 0, which is
// that of frames without a tag, and 4095, which is nobody's, are as the schema has them.
func (p *switchPort) told(tag, trunks []int) {
	odd := func(v int) bool { return v < 0 || v > 4095 }
	p.Tag = -1
	if len(tag) > 0 {
		if p.Tag = tag[0]; odd(tag[0]) {
			p.wrong = append(p.wrong, fmt.Sprintf("port %s has tag %d, which is no VLAN: taken for none", p.Name, tag[0]))
			p.Tag = noVLAN
		}
	}
	for _, v := range trunks {
		switch {
		case !odd(v) && len(p.Trunks) <= 4096:
			p.Trunks = append(p.Trunks, v)
		case odd(v) && len(p.wrong) < 3:
			p.wrong = append(p.wrong, fmt.Sprintf("port %s has %d in its trunks, which is no VLAN: left out", p.Name, v))
		}
	}
	if len(trunks) > 0 && len(p.Trunks) == 0 { // it is not that it carries all
		p.Trunks = []int{noVLAN}
	}
}

// setting is what a port's columns come to (ovs-vswitchd.conf.db, Port table): whether it
// carries every VLAN there is; whether its frames without a tag are in no VLAN, where they
// pass among all such ports; and why it cannot be said, where it cannot.
func (p *switchPort) setting() (setting wording.Setting, all, none bool, unsaid string) {
	setting.Filter = true
	mode := p.Mode
	if mode == "" {
		mode = "trunk"
		if p.Tag >= 0 { // and what is in trunks does not count
			mode = "access"
		}
	}
	switch mode {
	case "access":
		setting.Admit = office.AdmitUntagged // its own tag, too, is refused
	case "dot1q-tunnel":
		return setting, false, false, fmt.Sprintf("port %s is a tunnel (dot1q-tunnel, tag %d): it puts a tag of its own around others, which is not said here", p.Name, p.Tag)
	default:
		all = len(p.Trunks) == 0
		for _, v := range p.Trunks {
			if vid, err := office.VIDOf(v); err == nil {
				setting.Tagged.Add(vid)
			}
			none = none || v == 0
		}
	}
	native, err := office.VIDOf(p.Tag)
	switch {
	case mode == "trunk":
		return setting, all, none || all, ""
	case p.Tag <= 0 && mode != "access" && !none && !all:
		return setting, all, false, fmt.Sprintf("port %s is %s without a tag: it takes untagged frames, and sends none, which is not said here", p.Name, mode)
	case p.Tag <= 0: // without a tag, or with 0, they are in no VLAN (bridge.c and ofproto of Open vSwitch)
		return setting, all, true, ""
	case err != nil:
		return setting, all, false, ""
	}
	setting.PVID = native
	if mode == "native-tagged" {
		setting.Tagged.Add(native) // it always passes, in trunks or not
		return setting, all, false, ""
	}
	setting.Tagged.Remove(native)
	setting.Untagged.Add(native)
	return setting, all, false, ""
}

// columns is what a port's setting comes to in the Port table; the error says what the switch
// cannot. none is the VLAN that stands for frames in no VLAN, 0 where nothing does.
//
// Many branches: one switch, a case a mode of a port.
func columns(setting *wording.Setting, none office.VID) (map[string]any, error) {
	list := func(s office.Set, more ...any) []any {
		all := more
		for vid := range s.All() {
			all = append(all, int(vid))
		}
		if len(all) == 0 {
			all = []any{noVLAN}
		}
		return []any{"set", all}
	}
	empty := []any{"set", []any{}}
	row := func(mode string, tag, trunks any) map[string]any {
		return map[string]any{"vlan_mode": mode, "tag": tag, "trunks": trunks}
	}
	m := setting.Untagged
	one := m.Len() == 1 && m.Has(setting.PVID)
	in := setting.Members()
	switch {
	case setting.Off:
		return nil, fmt.Errorf("OVSDB cannot shut a port")
	case !setting.Filter || len(setting.Rides) > 0:
		return nil, fmt.Errorf("Open vSwitch has no translation of VIDs by OVSDB, and always filters")
	case one && setting.Tagged.Empty() && setting.Admit == office.AdmitUntagged && setting.PVID == none:
		return row("access", empty, empty), nil
	case one && setting.Tagged.Empty() && setting.Admit == office.AdmitUntagged:
		return row("access", int(setting.PVID), empty), nil
	case one && setting.Admit == office.AdmitAll && setting.PVID == none:
		return row("trunk", empty, list(setting.Tagged, 0)), nil
	case one && setting.Admit == office.AdmitAll:
		return row("native-untagged", int(setting.PVID), list(in)), nil
	case m.Empty() && setting.Tagged.Has(setting.PVID) && setting.Admit == office.AdmitAll:
		return row("native-tagged", int(setting.PVID), list(setting.Tagged)), nil
	case m.Empty() && setting.Admit != office.AdmitUntagged && (setting.Admit == office.AdmitTagged || !in.Has(setting.PVID)):
		return row("trunk", empty, list(setting.Tagged)), nil
	}
	return nil, fmt.Errorf("a port of Open vSwitch has one untagged VLAN, its PVID, or none, and takes tags of all that it carries, or none")
}

// unchanged has a transaction wait for a row to be as it was read: not at all, as it is given
// up at once where another wrote meanwhile (RFC 7047, 5.2.6).
func unchanged(port *switchPort) map[string]any {
	row := map[string]json.RawMessage{}
	names := []string{"vlan_mode", "tag", "trunks"}
	for _, c := range names {
		row[c] = port.row[c]
	}
	return map[string]any{
		"op": "wait", "timeout": 0, "table": "Port", "where": []any{[]any{"_uuid", "==", []any{"uuid", port.uuid}}},
		"columns": names, "until": "==", "rows": []any{row},
	}
}

// options is where an interface leads that is no plug (options of the Interface table).
func options(message json.RawMessage) string {
	var pair []json.RawMessage
	var all [][2]string
	if json.Unmarshal(message, &pair) != nil || len(pair) != 2 || json.Unmarshal(pair[1], &all) != nil {
		return ""
	}
	for _, x := range all {
		switch x[0] {
		case "peer":
			return "to the port " + plain(x[1]) + " of another bridge"
		case "remote_ip":
			return "through a tunnel to " + plain(strings.TrimSpace(x[1]))
		}
	}
	return ""
}
