package store

import (
	"net/netip"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"klammer/core/office"
)

// writer turns changes into statements, which go to the server in one batch.
type writer struct {
	office int64
	batch  *pgx.Batch
}

func (w *writer) queue(sql string, args ...any) { w.batch.Queue(sql, args...) }

// portID finds a port by office, device and name: $1, $2 and $3.
const portID = "(SELECT p.id FROM port p JOIN device d ON d.id = p.device_id WHERE d.office_id = $1 AND d.name = $2 AND p.name = $3)"

func (w *writer) change(change office.Change) {
	switch t := change.After.(type) {
	case office.Title:
		w.queue("UPDATE office SET title = $2 WHERE id = $1", w.office, string(t))
	case *office.VLAN:
		w.vlan(t)
	case *office.Use:
		w.named("port_use", t.Name, change)
		w.shape("use_id", "(SELECT id FROM port_use WHERE office_id = $1 AND name = $2)", []any{t.Name}, &t.Shape)
	case *office.Plan:
		w.plan(t, change)
	case *office.Device:
		w.device(t, change)
	case office.Setting:
		w.queue("UPDATE port SET because = $4 WHERE id = "+portID, w.office, t.Port.Device, t.Port.Port, t.Because)
		w.portShape(t.Port, t.Shape)
	case office.Cable:
		w.makeRoom("cable", change.At)
		w.queue(`WITH c AS (INSERT INTO cable (office_id, place) VALUES ($1, $2) RETURNING id)
			INSERT INTO cable_end (port_id, cable_id, side)
			SELECT p.id, c.id, e.side FROM c, (VALUES ($3, $4, 'a'), ($5, $6, 'b')) AS e (device, port, side)
			JOIN device d ON d.office_id = $1 AND d.name = e.device JOIN port p ON p.device_id = d.id AND p.name = e.port`,
			w.office, change.At, t.A.Device, t.A.Port, t.B.Device, t.B.Port)
	case office.Plug:
		w.plug(t, change)
	case *office.NamedService:
		w.service(t, change)
	case *office.Wish:
		w.wish(t, change.At)
	case office.RuleAt:
		w.ruleAt(t.Device, change.At, t.Rule)
	case office.Order:
		w.order(t)
	case nil:
		w.remove(change)
	}
}

func (w *writer) remove(change office.Change) {
	switch t := change.Before.(type) {
	case *office.VLAN:
		w.queue("DELETE FROM vlan WHERE office_id = $1 AND vid = $2", w.office, t.VID)
	case *office.Use:
		w.queue("DELETE FROM port_use WHERE office_id = $1 AND name = $2", w.office, t.Name)
		w.closeUp("port_use", change.At)
	case *office.Plan:
		w.queue("DELETE FROM port_plan WHERE office_id = $1 AND name = $2", w.office, t.Name)
		w.closeUp("port_plan", change.At)
	case *office.Device:
		w.queue("DELETE FROM device WHERE office_id = $1 AND name = $2", w.office, t.Name)
		w.closeUp("device", change.At)
	case office.Cable:
		w.queue("DELETE FROM cable WHERE id = (SELECT cable_id FROM cable_end WHERE port_id = "+portID+")", w.office, t.A.Device, t.A.Port)
		w.closeUp("cable", change.At)
	case office.Plug:
		w.queue("DELETE FROM plug WHERE port_id = "+portID+" AND name = $4", w.office, t.Port.Device, t.Port.Port, t.Name)
		w.closeUp("plug", change.At)
	case *office.NamedService:
		w.queue("DELETE FROM service WHERE office_id = $1 AND name = $2", w.office, t.Name)
		w.closeUp("service", change.At)
	case *office.Wish:
		w.queue("DELETE FROM wish WHERE office_id = $1 AND said = $2", w.office, t.String())
		w.closeUp("wish", change.At)
	case office.RuleAt:
		w.ruleAt(t.Device, change.At, nil)
	}
}

// order gives the things of a list the places of an order.
func (w *writer) order(order office.Order) {
	const set = " SET place = o.place - 1 FROM unnest($2::text[]) WITH ORDINALITY AS o (item, place)"
	switch order.List {
	case "uses":
		w.queue("UPDATE port_use x"+set+" WHERE x.office_id = $1 AND x.name = o.item", w.office, order.Items)
	case "services":
		w.queue("UPDATE service x"+set+" WHERE x.office_id = $1 AND x.name = o.item", w.office, order.Items)
	case "wishes":
		w.queue("UPDATE wish x"+set+" WHERE x.office_id = $1 AND x.said = o.item", w.office, order.Items)
	case "plans":
		w.queue("UPDATE port_plan x"+set+" WHERE x.office_id = $1 AND x.name = o.item", w.office, order.Items)
	case "devices":
		w.queue("UPDATE device x"+set+" WHERE x.office_id = $1 AND x.name = o.item", w.office, order.Items)
	case "cables": // by one of their ends: there is one cable a port
		w.queue("UPDATE cable x"+set+`, cable_end e, port p, device d WHERE x.office_id = $1 AND e.cable_id = x.id AND p.id = e.port_id AND d.id = p.device_id
			AND (o.item = d.name || '.' || p.name || ' ' || (SELECT f.name || '.' || q.name FROM cable_end z JOIN port q ON q.id = z.port_id JOIN device f ON f.id = q.device_id WHERE z.cable_id = x.id AND z.port_id <> e.port_id))`, w.office, order.Items)
	case "plugs":
		w.queue(
			"UPDATE plug x"+set+", port p, device d WHERE x.office_id = $1 AND p.id = x.port_id AND d.id = p.device_id AND o.item = d.name || '.' || p.name || ' ' || x.name",
			w.office,
			order.Items,
		)
	}
}

// makeRoom and closeUp keep the places of an ordered list without gaps.
func (w *writer) makeRoom(table string, at int) {
	w.queue("UPDATE "+table+" SET place = place + 1 WHERE office_id = $1 AND place >= $2", w.office, at)
}

func (w *writer) closeUp(table string, at int) {
	w.queue("UPDATE "+table+" SET place = place - 1 WHERE office_id = $1 AND place > $2", w.office, at)
}

func (w *writer) vlan(vlan *office.VLAN) {
	w.queue(`INSERT INTO vlan (office_id, vid, name, note, is_local, is_guarded) VALUES ($1, $2, $3, $4, $5, $6)
		ON CONFLICT (office_id, vid) DO UPDATE SET name = $3, note = $4, is_local = $5, is_guarded = $6`, w.office, vlan.VID, vlan.Name, vlan.Note, vlan.Local, vlan.Guarded)
	w.queue("DELETE FROM vlan_net WHERE office_id = $1 AND vid = $2", w.office, vlan.VID)
	for i, prefix := range vlan.Nets {
		w.queue("INSERT INTO vlan_net (office_id, vid, place, net) VALUES ($1, $2, $3, $4)", w.office, vlan.VID, i, prefix)
	}
}

// named adds a row of a table of names, if it is new.
func (w *writer) named(table, name string, change office.Change) {
	if change.Before == nil {
		w.makeRoom(table, change.At)
		w.queue("INSERT INTO "+table+" (office_id, place, name) VALUES ($1, $2, $3)", w.office, change.At, name)
	}
}

func (w *writer) plan(plan *office.Plan, change office.Change) {
	w.named("port_plan", plan.Name, change)
	const id = "(SELECT id FROM port_plan WHERE office_id = $1 AND name = $2)"
	w.queue("DELETE FROM plan_line WHERE plan_id = "+id, w.office, plan.Name)
	for i, l := range plan.Lines {
		w.queue("INSERT INTO plan_line (plan_id, place) VALUES ("+id+", $3)", w.office, plan.Name, i)
		const line = "(SELECT id FROM plan_line WHERE plan_id = " + id + " AND place = $3)"
		for port, r := range l.Ports {
			w.queue("INSERT INTO plan_range (line_id, place, from_place, to_place) VALUES ("+line+", $4, $5, $6)", w.office, plan.Name, i, port, r.From, r.To)
		}
		w.shape("plan_line_id", line, []any{plan.Name, i}, &l.Shape)
	}
}

// facts is what is noted of a thing, by its words.
func facts(one *office.Facts) map[string]string {
	if words := one.ByWord(); words != nil {
		return words
	}
	return map[string]string{}
}

func addr(one netip.Addr) any {
	if !one.IsValid() {
		return nil
	}
	return one
}

func null[T comparable](v T) any {
	var zero T
	if v == zero {
		return nil
	}
	return v
}

// device writes a device, or what differs from the one before: ports keep
// their rows by name, so that cables and plugs keep their ports.
func (w *writer) device(device *office.Device, change office.Change) {
	var manageVID, manageAddr, manageVia, factoryAt, factoryVID any
	bits, alone := 0, false
	if manage := device.Manage; manage != nil {
		manageVID, manageAddr, manageVia, bits, alone = manage.VID, addr(manage.Addr), addr(manage.Via), manage.Bits, manage.Alone
	}
	if factory := device.Factory; factory != nil {
		factoryAt, factoryVID = factory.Prefix, factory.VID
	}
	habits := device.Wording.Habits
	if habits == nil {
		habits = []office.Habit{}
	}
	if change.Before == nil {
		w.makeRoom("device", change.At)
	}
	w.queue(`INSERT INTO device (office_id, name, place, kind, follows, forwarding, wording, habits,
			max_vlans, max_addresses, max_zones, max_rows, max_rules, adjacent, has_console, manage_vid, manage_addr,
			manage_bits, manage_via, manage_alone, factory_at, factory_vid, confirms, no_routing, keeps, between_zones, within_zones, facts)
		VALUES (@office, @name, @place, @kind, @follows, @forwarding, @wording, @habits,
			@vlans, @addresses, @zones, @rows, @rules, @adjacent, @console, @manage_vid, @manage_addr,
			@manage_bits, @manage_via, @manage_alone, @factory_at, @factory_vid, @confirms, @no_routing, @keeps, @between, @within, @facts)
		ON CONFLICT (office_id, name) DO UPDATE SET kind = @kind, follows = @follows, forwarding = @forwarding, wording = @wording, habits = @habits,
			max_vlans = @vlans, max_addresses = @addresses, max_zones = @zones, max_rows = @rows, max_rules = @rules, adjacent = @adjacent, has_console = @console,
			manage_vid = @manage_vid, manage_addr = @manage_addr, manage_bits = @manage_bits, manage_via = @manage_via, manage_alone = @manage_alone,
			factory_at = @factory_at, factory_vid = @factory_vid, confirms = @confirms, no_routing = @no_routing, keeps = @keeps, between_zones = @between, within_zones = @within, facts = @facts`, pgx.NamedArgs{
		"office": w.office, "name": device.Name, "place": change.At, "kind": string(device.Kind), "follows": null(device.Follows),
		"forwarding": device.Forwarding.String(), "wording": device.Wording.Name, "habits": habits,
		"vlans": device.Limits.VLANs, "addresses": device.Limits.Addresses, "zones": device.Limits.Zones, "rows": device.Limits.Rows, "rules": device.Limits.Rules,
		"no_routing": device.NoRouting, "keeps": string(device.State), "between": string(device.Between), "within": string(device.Within),
		"adjacent": device.Adjacent, "console": device.Console, "manage_vid": manageVID, "manage_addr": manageAddr,
		"manage_bits": bits, "manage_via": manageVia, "manage_alone": alone, "factory_at": factoryAt, "factory_vid": factoryVID, "confirms": device.Wording.Confirms, "facts": facts(&device.Facts),
	})
	const id = "(SELECT id FROM device WHERE office_id = $1 AND name = $2)"
	w.queue("DELETE FROM address WHERE device_id = "+id, w.office, device.Name)
	w.queue("DELETE FROM bundle_member WHERE port_id IN (SELECT id FROM port WHERE device_id = "+id+")", w.office, device.Name)
	w.ports(device)
	var was *office.Device
	if change.Before != nil {
		was = change.Before.(*office.Device)
	}
	for _, port := range device.Ports {
		if was != nil {
			if at := was.Port(port.Name); at >= 0 && was.Ports[at].Shape == port.Shape {
				continue
			}
		} else if port.Shape == nil {
			continue
		}
		w.portShape(office.PortRef{Device: device.Name, Port: port.Name}, port.Shape)
	}
	for _, port := range device.Ports {
		for k, at := range port.Members {
			w.queue("INSERT INTO bundle_member (port_id, bundle_id, place) VALUES ("+portID+
				", (SELECT p.id FROM port p JOIN device d ON d.id = p.device_id WHERE d.office_id = $1 AND d.name = $2 AND p.name = $4), $5)",
				w.office, device.Name, device.Ports[at].Name, port.Name, k)
		}
	}
	w.queue("DELETE FROM speaks WHERE device_id = "+id, w.office, device.Name)
	for i, speaks := range device.Speaks {
		w.queue("INSERT INTO speaks (device_id, place, protocol, at, credentials, saves) VALUES ("+id+", $3, $4, $5, $6, $7)",
			w.office, device.Name, i, string(speaks.Protocol), speaks.At, speaks.With, speaks.Save)
	}
	for i, address := range device.Addresses {
		w.queue(`INSERT INTO address (device_id, place, vid, addr, on_port, zone, hand_from, hand_to, is_gateway, admits_some)
			VALUES ((SELECT id FROM device WHERE office_id = $1 AND name = $2), $4, $5, $6, `+portID+`, $7, $8, $9, $10, $11)`,
			w.office, device.Name, address.On, i, address.VID, address.Prefix, address.Zone, addr(address.From), addr(address.To), address.Gateway, address.Admits != nil)
	}
	w.policy(device, was)
}

// ports writes all ports of a device in one statement, as there may be thousands.
func (w *writer) ports(device *office.Device) {
	n := len(device.Ports)
	names, kinds, insides, becauses := make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	speeds, modes, flavours := make([]int32, n), make([]*string, n), make([]*string, n)
	noted := make([]map[string]string, n)
	text := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	for i, port := range device.Ports {
		names[i], kinds[i], insides[i], becauses[i] = port.Name, portKinds[port.Kind], port.Inside, port.Because
		speeds[i], modes[i], flavours[i] = int32(port.Speed), text(string(port.Mode)), text(string(port.Flavour))
		noted[i] = facts(port.Facts)
	}
	const id = "(SELECT id FROM device WHERE office_id = $1 AND name = $2)"
	w.queue("DELETE FROM port WHERE device_id = "+id+" AND name <> ALL ($3)", w.office, device.Name, names)
	w.queue(`INSERT INTO port (device_id, place, name, kind, inside, speed, mode, flavour, because, facts)
		SELECT `+id+`, p.place - 1, p.name, p.kind, p.inside, p.speed, p.mode, p.flavour, p.because, p.facts
		FROM unnest($3::text[], $4::text[], $5::text[], $6::int[], $7::text[], $8::text[], $9::text[], $10::jsonb[]) WITH ORDINALITY
			AS p (name, kind, inside, speed, mode, flavour, because, facts, place)
		ON CONFLICT (device_id, name) DO UPDATE SET place = EXCLUDED.place, kind = EXCLUDED.kind, inside = EXCLUDED.inside,
			speed = EXCLUDED.speed, mode = EXCLUDED.mode, flavour = EXCLUDED.flavour, because = EXCLUDED.because, facts = EXCLUDED.facts`,
		w.office, device.Name, names, kinds, insides, speeds, modes, flavours, becauses, noted)
}

var portKinds = [...]string{office.Physical: "physical", office.Bundle: "bundle", office.Inner: "inner"}

func (w *writer) portShape(ref office.PortRef, shape *office.Shape) {
	w.shape("port_id", portID, []any{ref.Device, ref.Port}, shape)
}

// shape replaces the shape of an owner; ownerID finds the owner's row from
// $1, the office, and the arguments that follow.
func (w *writer) shape(owner, ownerID string, args []any, shape *office.Shape) {
	args = append([]any{w.office}, args...)
	w.queue("DELETE FROM shape WHERE "+owner+" = "+ownerID, args...)
	if shape == nil {
		return
	}
	n := len(args)
	p := func(i int) string { return "$" + string(rune('0'+(n+i)/10)) + string(rune('0'+(n+i)%10)) }
	var vids, wires []*int32
	var tagged []bool
	add := func(vid office.VID, tag bool) {
		x := int32(vid)
		vids, tagged, wires = append(vids, &x), append(tagged, tag), append(wires, nil)
	}
	for _, vid := range shape.Untagged {
		add(vid, false)
	}
	var plain office.Set // tagged under their own VID
	for _, vid := range shape.Tagged {
		plain.Add(vid)
	}
	for _, ride := range shape.Rides {
		plain.Remove(ride.VLAN)
		x := int32(ride.Wire)
		add(ride.VLAN, true)
		wires[len(wires)-1] = &x
	}
	var pvid any
	if shape.PVIDSet && shape.PVID != 0 {
		pvid = shape.PVID
	}
	w.queue(`WITH s AS (INSERT INTO shape (office_id, `+owner+`, is_off, use_name, rest, pvid_said, pvid, admit, filter, tagged)
		VALUES ($1, `+ownerID+`, `+p(1)+`, `+p(2)+`, `+p(3)+`, `+p(4)+`, `+p(5)+`, `+p(6)+`, `+p(7)+`, `+p(11)+`) RETURNING id)
		INSERT INTO shape_vlan (shape_id, vid, tagged, wire)
		SELECT s.id, v.vid, v.tagged, v.wire FROM s, unnest(`+p(8)+`::int[], `+p(9)+`::boolean[], `+p(10)+`::int[]) AS v (vid, tagged, wire)`,
		append(args, shape.Off, null(shape.Use), rests[shape.Rest], shape.PVIDSet, pvid, shape.Admit.String(), !shape.FilterOff, vids, tagged, wires, multirange(&plain))...)
}

// multirange is a set as ranges, each with its first VLAN and the one behind its last.
func multirange(set *office.Set) pgtype.Multirange[pgtype.Range[int32]] {
	out := pgtype.Multirange[pgtype.Range[int32]]{}
	for vid := range set.All() {
		at := int32(vid)
		if last := len(out) - 1; last >= 0 && out[last].Upper == at {
			out[last].Upper++
			continue
		}
		out = append(out, pgtype.Range[int32]{Lower: at, Upper: at + 1, LowerType: pgtype.Inclusive, UpperType: pgtype.Exclusive, Valid: true})
	}
	return out
}

// ranged reads [multirange] back; PostgreSQL gives ranges of whole numbers in that form.
func ranged(ranges pgtype.Multirange[pgtype.Range[int32]]) (vids []office.VID) {
	for _, one := range ranges {
		for at := one.Lower; at < one.Upper; at++ {
			vids = append(vids, office.VID(at))
		}
	}
	return vids
}

var rests = [...]string{office.RestNone: "none", office.RestAll: "all", office.RestNeeded: "needed"}

func (w *writer) plug(plug office.Plug, change office.Change) {
	if change.Before == nil {
		w.makeRoom("plug", change.At)
	}
	w.queue(`INSERT INTO plug (office_id, port_id, name, place, wants, tagged, is_operator, own_addr, own_mac, facts)
		SELECT @office, p.id, @name, @place, @wants, @tagged, @operator, @addr, @mac::macaddr, @facts
		FROM port p JOIN device d ON d.id = p.device_id WHERE d.office_id = @office AND d.name = @device AND p.name = @port
		ON CONFLICT (port_id, name) DO UPDATE SET wants = @wants, tagged = @tagged, is_operator = @operator, own_addr = @addr, own_mac = @mac::macaddr, facts = @facts`, pgx.NamedArgs{
		"office": w.office, "device": plug.Port.Device, "port": plug.Port.Port, "name": plug.Name, "place": change.At,
		"wants": plug.Wants, "tagged": plug.Tagged, "operator": plug.Operator, "addr": addr(plug.At), "mac": null(string(plug.MAC)), "facts": facts(&plug.Facts),
	})
}
