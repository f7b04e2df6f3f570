// Package field reads real devices over open protocols: what they are set to
// becomes a found state. It changes nothing on them.
package field

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/wording"
)

// SwitchPort is a port of Open vSwitch as its database has it (the Port table
// of the Open_vSwitch schema).
type SwitchPort struct {
	Name   string
	Mode   string // access, trunk, native-tagged, native-untagged; "" where it follows from the rest
	Tag    int    // 0 where none is set
	Trunks []int  // empty: all VLANs
}

// OVSDB reads the ports of one bridge over the Open vSwitch Database Management
// Protocol (RFC 7047). The address is unix:PATH or tcp:HOST:PORT; an empty
// bridge is the only one that is there.
func OVSDB(ctx context.Context, address, bridge string) ([]SwitchPort, error) {
	network, where, ok := strings.Cut(address, ":")
	if !ok || network != "unix" && network != "tcp" {
		return nil, fmt.Errorf("%q is no address of an OVSDB server: unix:PATH or tcp:HOST:PORT", address)
	}
	var dial net.Dialer
	conn, err := dial.DialContext(ctx, network, where)
	if err != nil {
		return nil, fmt.Errorf("no OVSDB server answers at %s: %w", address, err)
	}
	defer conn.Close()
	deadline, ok := ctx.Deadline()
	if !ok {
		deadline = time.Now().Add(10 * time.Second)
	}
	_ = conn.SetDeadline(deadline)
	rows, err := transact(conn, []any{"Open_vSwitch", query("Bridge", "name", "ports"), query("Port", "_uuid", "name", "tag", "trunks", "vlan_mode")})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", address, err)
	}
	var names []string
	var of map[string]bool
	for _, b := range rows[0] {
		var name string
		_ = json.Unmarshal(b["name"], &name)
		names = append(names, name)
		if name == bridge || bridge == "" && len(rows[0]) == 1 {
			of = map[string]bool{}
			for _, id := range uuids(b["ports"]) {
				of[id] = true
			}
		}
	}
	switch {
	case of == nil && bridge == "":
		return nil, fmt.Errorf("%s has %d bridges (%s): say which", address, len(names), strings.Join(names, ", "))
	case of == nil:
		return nil, fmt.Errorf("%s has no bridge %s: %s", address, bridge, strings.Join(names, ", "))
	}
	var out []SwitchPort
	for _, r := range rows[1] {
		if ids := uuids(r["_uuid"]); len(ids) != 1 || !of[ids[0]] {
			continue
		}
		var p SwitchPort
		_ = json.Unmarshal(r["name"], &p.Name)
		if t := ints(r["tag"]); len(t) > 0 {
			p.Tag = t[0]
		}
		p.Trunks = ints(r["trunks"])
		_ = json.Unmarshal(r["vlan_mode"], &p.Mode) // an empty set leaves it empty
		out = append(out, p)
	}
	slices.SortFunc(out, func(a, b SwitchPort) int { return office.NaturalCompare(a.Name, b.Name) })
	return out, nil
}

func query(table string, columns ...string) map[string]any {
	return map[string]any{"op": "select", "table": table, "where": []any{}, "columns": columns}
}

type dbRow map[string]json.RawMessage

// transact sends one transaction and gives the rows of each of its queries. The
// server may ask for an echo in between, which has to be answered (RFC 7047,
// 4.1.11).
func transact(conn net.Conn, params []any) ([][]dbRow, error) {
	enc, dec := json.NewEncoder(conn), json.NewDecoder(conn)
	if err := enc.Encode(map[string]any{"method": "transact", "params": params, "id": 1}); err != nil {
		return nil, err
	}
	for {
		var m struct {
			Method string          `json:"method"`
			Params json.RawMessage `json:"params"`
			ID     json.RawMessage `json:"id"`
			Error  json.RawMessage `json:"error"`
			Result []struct {
				Rows    []dbRow `json:"rows"`
				Error   string  `json:"error"`
				Details string  `json:"details"`
			} `json:"result"`
		}
		if err := dec.Decode(&m); err != nil {
			return nil, err
		}
		if m.Method == "echo" {
			if err := enc.Encode(map[string]any{"result": m.Params, "error": nil, "id": m.ID}); err != nil {
				return nil, err
			}
			continue
		}
		if string(m.ID) != "1" {
			continue
		}
		if len(m.Error) > 0 && string(m.Error) != "null" {
			return nil, fmt.Errorf("the database refuses: %s", m.Error)
		}
		var out [][]dbRow
		for _, r := range m.Result {
			if r.Error != "" {
				return nil, fmt.Errorf("the database refuses: %s %s", r.Error, r.Details)
			}
			out = append(out, r.Rows)
		}
		if len(out) != len(params)-1 {
			return nil, fmt.Errorf("the database answered %d of %d questions", len(out), len(params)-1)
		}
		return out, nil
	}
}

// set is a value of OVSDB as a list: ["set", […]] or the one value (RFC 7047, 5.1).
func set(v json.RawMessage) []json.RawMessage {
	var pair []json.RawMessage
	if json.Unmarshal(v, &pair) == nil && len(pair) == 2 && string(pair[0]) == `"set"` {
		var all []json.RawMessage
		_ = json.Unmarshal(pair[1], &all)
		return all
	}
	if len(v) == 0 {
		return nil
	}
	return []json.RawMessage{v}
}

func ints(v json.RawMessage) []int {
	var out []int
	for _, x := range set(v) {
		var n int
		if json.Unmarshal(x, &n) == nil {
			out = append(out, n)
		}
	}
	return out
}

func uuids(v json.RawMessage) []string {
	var out []string
	for _, x := range set(v) {
		var pair [2]string
		if json.Unmarshal(x, &pair) == nil && pair[0] == "uuid" {
			out = append(out, pair[1])
		}
	}
	return out
}

// Found is what the ports of a switch come to on a device, onto what it was
// taken to be set to. A port without tag and trunks carries all VLANs: those of
// the register. Ports are found by their names, or by their names inside the
// device; the bridge's own is passed over.
func Found(o *office.Office, device *office.Device, base wording.State, ports []SwitchPort, bridge string) *found.Result {
	r := &found.Result{Form: "Open vSwitch", State: wording.State{VLANs: base.VLANs, Ports: slices.Clone(base.Ports)}}
	for i, p := range ports {
		at := slices.IndexFunc(device.Ports, func(q office.Port) bool { return q.Inside == p.Name || q.Inside == "" && q.Name == p.Name })
		if at < 0 {
			if p.Name != bridge {
				r.Trouble = append(r.Trouble, found.Trouble{Row: i + 1, Text: fmt.Sprintf("%s is no port of %s", p.Name, device.Name)})
			}
			continue
		}
		at = device.Logical(at)
		r.State.Ports[at] = setting(o, p)
		r.Said = append(r.Said, at)
	}
	slices.Sort(r.Said)
	return r
}

// setting is what a port's columns come to (ovs-vswitchd.conf.db, Port table).
func setting(o *office.Office, p SwitchPort) wording.Setting {
	x := wording.Setting{Filter: true}
	mode := p.Mode
	if mode == "" {
		mode = "trunk"
		if p.Tag != 0 {
			mode = "access"
		}
	}
	tag := office.VID(p.Tag)
	if mode != "access" {
		for _, v := range p.Trunks {
			if vid, err := office.VIDOf(v); err == nil {
				x.Tagged.Add(vid)
			}
		}
		if len(p.Trunks) == 0 {
			x.Tagged = o.Registered()
		}
	}
	if mode == "trunk" || tag == 0 {
		return x
	}
	x.PVID = tag
	if mode == "native-tagged" {
		x.Tagged.Add(tag) // it always passes, in trunks or not
		return x
	}
	x.Tagged.Remove(tag)
	x.Untagged.Add(tag)
	return x
}
