package store

import (
	"net/netip"
	"strconv"

	"klammer/core/office"
)

// policy writes what a device has for routing, or what differs from the one
// before; its ports and addresses stand already.
func (w *writer) policy(device, was *office.Device) {
	const id = "(SELECT id FROM device WHERE office_id = $1 AND name = $2)"
	w.queue("DELETE FROM route WHERE device_id = "+id, w.office, device.Name)
	w.queue("DELETE FROM outside_line WHERE device_id = "+id, w.office, device.Name)
	for i, line := range device.Outsides {
		w.queue("INSERT INTO outside_line (device_id, place, name, port_id, vid, addr, via) VALUES ("+id+", $4, $5, "+portID+", $6, $7, $8)",
			w.office, device.Name, line.On, i, line.Name, null(line.VID), prefixOrNull(line.Prefix), addr(line.Via))
	}
	for i, route := range device.Routes {
		w.queue("INSERT INTO route (device_id, place, to_net, via, line) VALUES ("+id+", $3, $4, $5, $6)",
			w.office, device.Name, i, prefixOrNull(route.To), addr(route.Via), null(route.Line))
	}
	for i, address := range device.Addresses {
		if len(address.Admits) == 0 {
			continue
		}
		rows := partsOf([][]office.Service{address.Admits})
		w.queue("INSERT INTO service_part (device_id, address, place, protocol, first_port, last_port, named_id) SELECT "+id+", $3, "+partRow+" FROM "+partRows(4),
			append([]any{w.office, device.Name, i}, rows.args()...)...)
	}
	if was != nil && office.SameRules(was.Rules, device.Rules) {
		return
	}
	w.queue("DELETE FROM rule WHERE device_id = "+id, w.office, device.Name)
	w.rules(device.Name, 0, device.Rules)
}

func prefixOrNull(prefix netip.Prefix) any {
	if !prefix.IsValid() {
		return nil
	}
	return prefix
}

// rules writes rules of a device into free places from one on, all in one
// statement, as there may be thousands.
func (w *writer) rules(device string, at int, rules []office.Rule) {
	if len(rules) == 0 {
		return
	}
	places, actions, notes := make([]int32, len(rules)), make([]string, len(rules)), make([]string, len(rules))
	var rows sideRows
	services := make([][]office.Service, len(rules))
	for i := range rules {
		rule := &rules[i]
		places[i], actions[i], notes[i] = int32(at+i), string(rule.Do), rule.Note
		rows.add(i, true, rule.From)
		rows.add(i, false, rule.To)
		services[i] = rule.Services
	}
	args := append([]any{w.office, device, places, actions, notes, int32(at)}, rows.args()...)
	args = append(args, partsOf(services).args()...)
	w.queue(`WITH r AS (INSERT INTO rule (device_id, place, action, note)
			SELECT (SELECT id FROM device WHERE office_id = $1 AND name = $2), x.place, x.action, x.note
			FROM unnest($3::int[], $4::text[], $5::text[]) AS x (place, action, note) RETURNING id, place),
		s AS (INSERT INTO side (rule_id, is_from, place, kind, zone, vid, net)
			SELECT r.id, `+sideRow+` FROM r JOIN `+sideRowsAt(7)+` ON r.place = $6 + s.item)
		INSERT INTO service_part (rule_id, place, protocol, first_port, last_port, named_id)
		SELECT r.id, `+partRow+` FROM r JOIN `+partRows(14)+` ON r.place = $6 + p.item`, args...)
}

// ruleAt puts a rule into a device's list, or takes it out.
func (w *writer) ruleAt(device string, at int, rule *office.Rule) {
	const shift = "UPDATE rule SET place = place + $4 WHERE device_id = (SELECT id FROM device WHERE office_id = $1 AND name = $2) AND place >= $3"
	if rule == nil {
		w.queue("DELETE FROM rule WHERE device_id = (SELECT id FROM device WHERE office_id = $1 AND name = $2) AND place = $3", w.office, device, at)
		w.queue(shift, w.office, device, at, -1)
		return
	}
	w.queue(shift, w.office, device, at, 1)
	w.rules(device, at, []office.Rule{*rule})
}

// service writes what a name stands for.
func (w *writer) service(s *office.NamedService, change office.Change) {
	w.named("service", s.Name, change)
	const id = "(SELECT id FROM service WHERE office_id = $1 AND name = $2)"
	w.queue("DELETE FROM service_part WHERE service_id = "+id, w.office, s.Name)
	w.queue("INSERT INTO service_part (service_id, place, protocol, first_port, last_port, named_id) SELECT "+id+", "+partRow+" FROM "+partRows(3),
		append([]any{w.office, s.Name}, partsOf([][]office.Service{s.Is}).args()...)...)
}

func (w *writer) wish(wish *office.Wish, at int) {
	w.makeRoom("wish", at)
	var rows sideRows
	rows.add(0, true, wish.From)
	rows.add(0, false, wish.To)
	args := append([]any{w.office, at, wish.Must, wish.String()}, rows.args()...)
	args = append(args, partsOf([][]office.Service{wish.Services}).args()...)
	w.queue(`WITH w AS (INSERT INTO wish (office_id, place, is_must, said) VALUES ($1, $2, $3, $4) RETURNING id),
		s AS (INSERT INTO side (wish_id, is_from, place, kind, zone, vid, net) SELECT w.id, `+sideRow+` FROM w, `+sideRowsAt(5)+`)
		INSERT INTO service_part (wish_id, place, protocol, first_port, last_port, named_id) SELECT w.id, `+partRow+` FROM w, `+partRows(12), args...)
}

// sideRows are sides as columns; item says whose they are.
type sideRows struct {
	item, place []int32
	from        []bool
	kind        []string
	zone        []*string
	vid         []*int32
	net         []*netip.Prefix
}

func (r *sideRows) add(item int, from bool, sides []office.Side) {
	for i, side := range sides {
		r.item, r.place, r.from, r.kind = append(r.item, int32(item)), append(r.place, int32(i)), append(r.from, from), append(r.kind, string(side.Kind))
		var zone *string
		var vid *int32
		var net *netip.Prefix
		switch side.Kind {
		case office.SideZone:
			zone = &side.Zone
		case office.SideVLAN:
			v := int32(side.VID)
			vid = &v
		case office.SideNet:
			net = &side.Net
		}
		r.zone, r.vid, r.net = append(r.zone, zone), append(r.vid, vid), append(r.net, net)
	}
}

func (r *sideRows) args() []any {
	return []any{r.item, r.from, r.place, r.kind, r.zone, r.vid, r.net}
}

const sideRow = "s.is_from, s.at, s.kind, s.zone, s.vid, s.net"

// sideRowsAt is the rows of [sideRows.args] from an argument on, as s.
func sideRowsAt(n int) string {
	return columns(n, "s (item, is_from, at, kind, zone, vid, net)", "int[]", "boolean[]", "int[]", "text[]", "text[]", "int[]", "cidr[]")
}

// serviceRows are services as columns.
type serviceRows struct {
	item, place []int32
	protocol    []string
	first, last []*int32
	named       []*string
}

func partsOf(lists [][]office.Service) *serviceRows {
	rows := &serviceRows{}
	for item, list := range lists {
		for i, service := range list {
			rows.item, rows.place, rows.protocol = append(rows.item, int32(item)), append(rows.place, int32(i)), append(rows.protocol, string(service.Protocol))
			var first, last *int32
			var named *string
			if service.First > 0 {
				a, b := int32(service.First), int32(service.Last)
				first, last = &a, &b
			}
			if service.Protocol == office.Named {
				named = &service.Name
			}
			rows.first, rows.last, rows.named = append(rows.first, first), append(rows.last, last), append(rows.named, named)
		}
	}
	return rows
}

func (r *serviceRows) args() []any {
	return []any{r.item, r.place, r.protocol, r.first, r.last, r.named}
}

const partRow = "p.at, p.protocol, p.first, p.last, (SELECT n.id FROM service n WHERE n.office_id = $1 AND n.name = p.named)"

// partRows is the rows of [serviceRows.args] from an argument on, as p.
func partRows(n int) string {
	return columns(n, "p (item, at, protocol, first, last, named)", "int[]", "int[]", "text[]", "int[]", "int[]", "text[]")
}

func columns(n int, as string, types ...string) string {
	text := "unnest("
	for i, t := range types {
		if i > 0 {
			text += ", "
		}
		text += "$" + strconv.Itoa(n+i) + "::" + t
	}
	return text + ") AS " + as
}

// ---- reading ----

// parts is all services of the office by whose they are.
type parts struct {
	rule, wish, service map[int64][]office.Service
	address             map[[2]int64][]office.Service
}

func (l *loader) parts() (*parts, error) {
	one := &parts{map[int64][]office.Service{}, map[int64][]office.Service{}, map[int64][]office.Service{}, map[[2]int64][]office.Service{}}
	var rule, wish, service, device *int64
	var address, first, last *int32
	var protocol string
	var named *string
	err := l.each(`SELECT p.rule_id, p.wish_id, p.service_id, p.device_id, p.address, p.protocol, p.first_port, p.last_port, n.name
		FROM service_part p LEFT JOIN service n ON n.id = p.named_id
		LEFT JOIN rule r ON r.id = p.rule_id LEFT JOIN device d ON d.id = COALESCE(r.device_id, p.device_id)
		LEFT JOIN wish w ON w.id = p.wish_id LEFT JOIN service s ON s.id = p.service_id
		WHERE COALESCE(d.office_id, w.office_id, s.office_id) = $1 ORDER BY p.place`,
		[]any{&rule, &wish, &service, &device, &address, &protocol, &first, &last, &named}, func() error {
			x := office.Service{Protocol: office.Protocol(protocol)}
			if first != nil {
				x.First, x.Last = uint16(*first), uint16(*last)
			}
			if named != nil {
				x.Name = *named
			}
			switch {
			case rule != nil:
				one.rule[*rule] = append(one.rule[*rule], x)
			case wish != nil:
				one.wish[*wish] = append(one.wish[*wish], x)
			case service != nil:
				one.service[*service] = append(one.service[*service], x)
			default:
				k := [2]int64{*device, int64(*address)}
				one.address[k] = append(one.address[k], x)
			}
			return nil
		})
	return one, err
}

// sides reads all sides of the office by whose they are; from first, then to.
func (l *loader) sides() (rules, wishes map[int64][2][]office.Side, err error) {
	rules, wishes = map[int64][2][]office.Side{}, map[int64][2][]office.Side{}
	var rule, wish *int64
	var from bool
	var kind string
	var zone *string
	var vid *int32
	var net *netip.Prefix
	err = l.each(`SELECT s.rule_id, s.wish_id, s.is_from, s.kind, s.zone, s.vid::int, s.net FROM side s
		LEFT JOIN rule r ON r.id = s.rule_id LEFT JOIN device d ON d.id = r.device_id LEFT JOIN wish w ON w.id = s.wish_id
		WHERE COALESCE(d.office_id, w.office_id) = $1 ORDER BY s.place`,
		[]any{&rule, &wish, &from, &kind, &zone, &vid, &net}, func() error {
			side := office.Side{Kind: office.SideKind(kind)}
			if zone != nil {
				side.Zone = *zone
			}
			if vid != nil {
				side.VID = office.VID(*vid)
			}
			if net != nil {
				side.Net = *net
			}
			of, id := rules, rule
			if wish != nil {
				of, id = wishes, wish
			}
			both := of[*id]
			i := 1
			if from {
				i = 0
			}
			both[i] = append(both[i], side)
			of[*id] = both
			return nil
		})
	return rules, wishes, err
}

func (l *loader) services() (err error) {
	if l.allParts, err = l.parts(); err != nil {
		return err
	}
	if l.ruleSides, l.wishSides, err = l.sides(); err != nil {
		return err
	}
	var id int64
	var name string
	return l.each("SELECT id, name FROM service WHERE office_id = $1 ORDER BY place", []any{&id, &name}, func() error {
		return l.draft.PutService(&office.NamedService{Name: name, Is: l.allParts.service[id]})
	})
}

// routing reads the lines, routes and rules of all devices.
func (l *loader) routing(byID map[int64]*office.Device) error {
	var dev, id int64
	var name, port, action, note string
	var vid *int32
	var prefix *netip.Prefix
	var via *netip.Addr
	var line *string
	err := l.each(`SELECT o.device_id, o.name, p.name, o.vid::int, o.addr, o.via FROM outside_line o JOIN port p ON p.id = o.port_id
		JOIN device d ON d.id = o.device_id WHERE d.office_id = $1 ORDER BY o.device_id, o.place`,
		[]any{&dev, &name, &port, &vid, &prefix, &via}, func() error {
			x := office.Outside{Name: name, On: port}
			if vid != nil {
				x.VID = office.VID(*vid)
			}
			if prefix != nil {
				x.Prefix = *prefix
			}
			if via != nil {
				x.Via = *via
			}
			byID[dev].Outsides = append(byID[dev].Outsides, x)
			return nil
		})
	if err != nil {
		return err
	}
	err = l.each(`SELECT r.device_id, r.to_net, r.via, r.line FROM route r JOIN device d ON d.id = r.device_id WHERE d.office_id = $1 ORDER BY r.device_id, r.place`,
		[]any{&dev, &prefix, &via, &line}, func() error {
			route := office.Route{}
			if prefix != nil {
				route.To = *prefix
			}
			if via != nil {
				route.Via = *via
			}
			if line != nil {
				route.Line = *line
			}
			byID[dev].Routes = append(byID[dev].Routes, route)
			return nil
		})
	if err != nil {
		return err
	}
	return l.each("SELECT r.device_id, r.id, r.action, r.note FROM rule r JOIN device d ON d.id = r.device_id WHERE d.office_id = $1 ORDER BY r.device_id, r.place",
		[]any{&dev, &id, &action, &note}, func() error {
			sides := l.ruleSides[id]
			byID[dev].Rules = append(byID[dev].Rules, office.Rule{Do: office.Action(action), From: sides[0], To: sides[1], Services: l.allParts.rule[id], Note: note})
			return nil
		})
}

func (l *loader) wishes() error {
	var id int64
	var must bool
	return l.each("SELECT id, is_must FROM wish WHERE office_id = $1 ORDER BY place", []any{&id, &must}, func() error {
		sides := l.wishSides[id]
		return l.draft.PutWish(&office.Wish{Must: must, From: sides[0], To: sides[1], Services: l.allParts.wish[id]})
	})
}
