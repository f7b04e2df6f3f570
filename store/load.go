package store

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
)

// Load reads an office and its revision, as they were at one moment.
func (s *Store) Load(ctx context.Context, id int64) (*office.Office, int64, error) {
	var one loader
	err := pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		one = loader{ctx: ctx, tx: tx, id: id, draft: office.NewDraft(&office.Office{})}
		return one.load()
	})
	if err != nil {
		return nil, 0, err
	}
	o, _ := one.draft.Done()
	return o, one.revision, nil
}

type loader struct {
	ctx      context.Context
	tx       pgx.Tx
	id       int64
	draft    *office.Draft
	revision int64
	shapes   map[owner]*office.Shape
	known    map[string]*office.Shape // ports with the same shape share it

	allParts             *parts
	ruleSides, wishSides map[int64][2][]office.Side
}

// owner is the row that a shape belongs to.
type owner struct {
	kind string
	id   int64
}

// each runs a query and calls f for every row.
func (l *loader) each(sql string, into []any, f func() error) error {
	rows, err := l.tx.Query(l.ctx, sql, l.id)
	if err != nil {
		return err
	}
	_, err = pgx.ForEachRow(rows, into, f)
	return err
}

func (l *loader) load() error {
	var title string
	err := l.tx.QueryRow(l.ctx, "SELECT title, revision FROM office WHERE id = $1", l.id).Scan(&title, &l.revision)
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNoOffice
	}
	if err != nil {
		return err
	}
	l.draft.SetTitle(title)
	for _, step := range []func() error{l.vlans, l.services, l.readShapes, l.uses, l.plans, l.devices, l.cables, l.plugs, l.wishes} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (l *loader) vlans() error {
	nets := map[office.VID][]netip.Prefix{}
	var vid int32
	var net netip.Prefix
	err := l.each("SELECT vid, net FROM vlan_net WHERE office_id = $1 ORDER BY vid, place", []any{&vid, &net}, func() error {
		nets[office.VID(vid)] = append(nets[office.VID(vid)], net)
		return nil
	})
	if err != nil {
		return err
	}
	var vlan office.VLAN
	return l.each("SELECT vid, name, note, is_local, is_guarded FROM vlan WHERE office_id = $1 ORDER BY vid", []any{&vid, &vlan.Name, &vlan.Note, &vlan.Local, &vlan.Guarded}, func() error {
		return l.draft.PutVLAN(&office.VLAN{VID: office.VID(vid), Name: vlan.Name, Note: vlan.Note, Local: vlan.Local, Guarded: vlan.Guarded, Nets: nets[office.VID(vid)]})
	})
}

func (l *loader) readShapes() error {
	l.shapes, l.known = map[owner]*office.Shape{}, map[string]*office.Shape{}
	var (
		kind, rest, admit string
		id                int64
		off, said, filter bool
		plain             pgtype.Multirange[pgtype.Range[int32]]
		use               *string
		pvid              *int32
		vids, wires       []*int32
		tagged            []*bool
	)
	return l.each(`SELECT CASE WHEN port_id IS NOT NULL THEN 'port' WHEN use_id IS NOT NULL THEN 'use' ELSE 'line' END,
			COALESCE(port_id, use_id, plan_line_id), is_off, use_name, rest, pvid_said, pvid::int, admit, filter, s.tagged,
			array_agg(v.vid::int ORDER BY v.vid), array_agg(v.tagged ORDER BY v.vid), array_agg(v.wire::int ORDER BY v.vid)
		FROM shape s LEFT JOIN shape_vlan v ON v.shape_id = s.id WHERE s.office_id = $1 GROUP BY s.id`,
		[]any{&kind, &id, &off, &use, &rest, &said, &pvid, &admit, &filter, &plain, &vids, &tagged, &wires}, func() error {
			shape := office.Shape{Off: off, PVIDSet: said, FilterOff: !filter}
			if use != nil {
				shape.Use = *use
			}
			if pvid != nil {
				shape.PVID = office.VID(*pvid)
			}
			for i, r := range rests {
				if r == rest {
					shape.Rest = office.Rest(i)
				}
			}
			for _, one := range []office.Admit{office.AdmitTagged, office.AdmitUntagged} {
				if one.String() == admit {
					shape.Admit = one
				}
			}
			shape.Tagged = ranged(plain)
			for i, v := range vids {
				switch {
				case v == nil: // no member at all
				case *tagged[i]:
					shape.Tagged = append(shape.Tagged, office.VID(*v))
					if wires[i] != nil {
						shape.Rides = append(shape.Rides, office.Ride{VLAN: office.VID(*v), Wire: office.VID(*wires[i])})
					}
				default:
					shape.Untagged = append(shape.Untagged, office.VID(*v))
				}
			}
			shape = shape.Normal()
			key := notation.Shape(shape)
			if l.known[key] == nil {
				l.known[key] = &shape
			}
			l.shapes[owner{kind, id}] = l.known[key]
			return nil
		})
}

func (l *loader) uses() error {
	var id int64
	var name string
	return l.each("SELECT id, name FROM port_use WHERE office_id = $1 ORDER BY place", []any{&id, &name}, func() error {
		return l.draft.PutUse(&office.Use{Name: name, Shape: *l.shapes[owner{"use", id}]})
	})
}

func (l *loader) plans() error {
	var (
		plans    []*office.Plan
		name     string
		line     *int64
		from, to *int32
		last     int64
	)
	err := l.each(`SELECT p.name, l.id, r.from_place, r.to_place FROM port_plan p
		LEFT JOIN plan_line l ON l.plan_id = p.id LEFT JOIN plan_range r ON r.line_id = l.id
		WHERE p.office_id = $1 ORDER BY p.place, l.place, r.place`, []any{&name, &line, &from, &to}, func() error {
		if len(plans) == 0 || plans[len(plans)-1].Name != name {
			plans = append(plans, &office.Plan{Name: name})
		}
		plan := plans[len(plans)-1]
		if line == nil {
			return nil
		}
		if *line != last {
			last = *line
			plan.Lines = append(plan.Lines, office.PlanLine{Shape: *l.shapes[owner{"line", last}]})
		}
		one := &plan.Lines[len(plan.Lines)-1]
		one.Ports = append(one.Ports, office.PlanRange{From: int(*from), To: int(*to)})
		return nil
	})
	if err != nil {
		return err
	}
	for _, plan := range plans {
		if err := l.draft.PutPlan(plan); err != nil {
			return err
		}
	}
	return nil
}

func (l *loader) devices() error {
	var (
		list       []*office.Device
		byID       = map[int64]*office.Device{}
		id         int64
		name, kind string
		follows    *string
		forwarding string
		wording    office.Wording
		limits     office.Limits
		adjacent   bool
		console    bool
		manageVID  *int32
		manage     office.Manage
		manageAddr *netip.Addr
		manageVia  *netip.Addr
		factoryAt  *netip.Prefix
		factoryVID *int32
		noRouting  bool
		state      office.State
		between    office.Action
		within     office.Action
		noted      map[string]string
	)
	err := l.each(
		`SELECT id, name, kind, follows, forwarding, wording, habits, max_vlans, max_addresses, max_zones, max_rows, max_rules, adjacent, has_console, manage_vid::int, manage_addr,
			manage_bits, manage_via, manage_alone, factory_at, factory_vid::int, confirms,
			no_routing, keeps, between_zones, within_zones, facts
		FROM device WHERE office_id = $1 ORDER BY place`,
		[]any{
			&id,
			&name,
			&kind,
			&follows,
			&forwarding,
			&wording.Name,
			&wording.Habits,
			&limits.VLANs,
			&limits.Addresses,
			&limits.Zones,
			&limits.Rows,
			&limits.Rules,
			&adjacent,
			&console,
			&manageVID,
			&manageAddr,
			&manage.Bits,
			&manageVia,
			&manage.Alone,
			&factoryAt,
			&factoryVID,
			&wording.Confirms,
			&noRouting,
			&state,
			&between,
			&within,
			&noted,
		},
		func() error {
			device, err := office.NewDevice(name, office.Kind(kind))
			if err != nil {
				return err
			}
			device.Limits, device.Adjacent, device.Console = limits, adjacent, console
			device.Facts = office.FactsBy(noted, office.DeviceFact)
			noted = nil
			device.NoRouting, device.State, device.Between, device.Within = noRouting, state, between, within
			device.Wording = office.Wording{Name: wording.Name, Confirms: wording.Confirms}
			if len(wording.Habits) > 0 {
				device.Wording.Habits = append([]office.Habit(nil), wording.Habits...)
			}
			if follows != nil {
				device.Follows = *follows
			}
			for one := office.Bridge; one <= office.Grouped; one++ {
				if one.String() == forwarding {
					device.Forwarding = one
				}
			}
			if manageVID != nil {
				device.Manage = &office.Manage{VID: office.VID(*manageVID), Bits: manage.Bits, Alone: manage.Alone}
				if manageAddr != nil {
					device.Manage.Addr = *manageAddr
				}
				if manageVia != nil {
					device.Manage.Via = *manageVia
				}
			}
			if factoryAt != nil && factoryVID != nil {
				device.Factory = &office.Factory{Prefix: *factoryAt, VID: office.VID(*factoryVID)}
			}
			list = append(list, device)
			byID[id] = device
			return nil
		},
	)
	if err != nil {
		return err
	}
	if err := l.ports(byID); err != nil {
		return err
	}
	if err := l.addresses(byID); err != nil {
		return err
	}
	var speaker int64
	var speaks office.Speaks
	err = l.each(`SELECT s.device_id, s.protocol, s.at, s.credentials, s.saves FROM speaks s JOIN device d ON d.id = s.device_id
		WHERE d.office_id = $1 ORDER BY s.device_id, s.place`, []any{&speaker, &speaks.Protocol, &speaks.At, &speaks.With, &speaks.Save}, func() error {
		byID[speaker].Speaks = append(byID[speaker].Speaks, speaks)
		return nil
	})
	if err != nil {
		return err
	}
	if err := l.routing(byID); err != nil {
		return err
	}
	return l.draft.PutDevices(list)
}

func (l *loader) ports(byID map[int64]*office.Device) error {
	type place struct {
		d  *office.Device
		at int
	}
	at := map[int64]place{}
	var (
		dev, id        int64
		name, kind, in string
		speed          int
		mode, flavour  *string
		because        string
		bundle, member int64
		noted          map[string]string
		kinds          = map[string]office.PortKind{"physical": office.Physical, "bundle": office.Bundle, "inner": office.Inner}
	)
	err := l.each(`SELECT p.device_id, p.id, p.name, p.kind, p.inside, p.speed, p.mode, p.flavour, p.because, p.facts
		FROM port p JOIN device d ON d.id = p.device_id WHERE d.office_id = $1 ORDER BY p.device_id, p.place`,
		[]any{&dev, &id, &name, &kind, &in, &speed, &mode, &flavour, &because, &noted}, func() error {
			device := byID[dev]
			if device == nil {
				return fmt.Errorf("port %s has no device", name)
			}
			port := office.Port{Name: name, Kind: kinds[kind], Inside: in, Speed: office.Speed(speed), Because: because, Shape: l.shapes[owner{"port", id}]}
			if len(noted) > 0 {
				facts := office.FactsBy(noted, office.PortFact)
				port.Facts, noted = &facts, nil
			}
			if mode != nil {
				port.Mode = office.BundleMode(*mode)
			}
			if flavour != nil {
				port.Flavour = office.Flavour(*flavour)
			}
			at[id] = place{device, len(device.Ports)}
			device.Ports = append(device.Ports, port)
			return nil
		})
	if err != nil {
		return err
	}
	return l.each(`SELECT m.bundle_id, m.port_id FROM bundle_member m JOIN port p ON p.id = m.port_id JOIN device d ON d.id = p.device_id
		WHERE d.office_id = $1 ORDER BY m.bundle_id, m.place`, []any{&bundle, &member}, func() error {
		other := at[bundle]
		other.d.Ports[other.at].Members = append(other.d.Ports[other.at].Members, at[member].at)
		return nil
	})
}

func (l *loader) addresses(byID map[int64]*office.Device) error {
	var (
		dev      int64
		vid      int32
		prefix   netip.Prefix
		on       *string
		zone     string
		from, to *netip.Addr
		gateway  bool
		some     bool
		place    int64
	)
	return l.each(`SELECT a.device_id, a.vid::int, a.addr, p.name, a.zone, a.hand_from, a.hand_to, a.is_gateway, a.admits_some, a.place FROM address a
		JOIN device d ON d.id = a.device_id LEFT JOIN port p ON p.id = a.on_port WHERE d.office_id = $1 ORDER BY a.device_id, a.place`,
		[]any{&dev, &vid, &prefix, &on, &zone, &from, &to, &gateway, &some, &place}, func() error {
			address := office.Address{VID: office.VID(vid), Prefix: prefix, Zone: zone, Gateway: gateway}
			if some {
				address.Admits = append([]office.Service{}, l.allParts.address[[2]int64{dev, place}]...)
			}
			if on != nil {
				address.On = *on
			}
			if from != nil {
				address.From, address.To = *from, *to
			}
			byID[dev].Addresses = append(byID[dev].Addresses, address)
			return nil
		})
}

func (l *loader) cables() error {
	var ref, other office.PortRef
	return l.each(`SELECT da.name, pa.name, db.name, pb.name FROM cable c
		JOIN cable_end ea ON ea.cable_id = c.id AND ea.side = 'a' JOIN port pa ON pa.id = ea.port_id JOIN device da ON da.id = pa.device_id
		JOIN cable_end eb ON eb.cable_id = c.id AND eb.side = 'b' JOIN port pb ON pb.id = eb.port_id JOIN device db ON db.id = pb.device_id
		WHERE c.office_id = $1 ORDER BY c.place`, []any{&ref.Device, &ref.Port, &other.Device, &other.Port}, func() error {
		return l.draft.Connect(office.Cable{A: ref, B: other})
	})
}

func (l *loader) plugs() error {
	var plug office.Plug
	var vid int32
	var at *netip.Addr
	var mac *string
	var noted map[string]string
	return l.each(`SELECT d.name, p.name, g.name, g.wants::int, g.tagged, g.is_operator, g.own_addr, g.own_mac::text, g.facts FROM plug g
		JOIN port p ON p.id = g.port_id JOIN device d ON d.id = p.device_id WHERE g.office_id = $1 ORDER BY g.place`,
		[]any{&plug.Port.Device, &plug.Port.Port, &plug.Name, &vid, &plug.Tagged, &plug.Operator, &at, &mac, &noted}, func() error {
			plug.Wants, plug.At, plug.MAC, plug.Facts = office.VID(vid), netip.Addr{}, "", office.FactsBy(noted, office.PlugFact)
			noted = nil
			if mac != nil {
				plug.MAC = office.MAC(*mac)
			}
			if at != nil {
				plug.At = *at
			}
			return l.draft.PutPlug(plug)
		})
}

// Made is an edit that was made, and when.
type Made struct {
	history.Made
	At    time.Time
	Token string // the name of the request, "" where it has none
}

// Edits are made edits without their times.
func Edits(all []Made) []history.Made {
	out := make([]history.Made, len(all))
	for i := range all {
		out[i] = all[i].Made
	}
	return out
}

// Edit is one edit; false where there is none of that revision.
func (s *Store) Edit(ctx context.Context, id, revision int64) (Made, bool, error) {
	all, err := s.HistoryPage(ctx, id, revision-1, revision+1, 1)
	if err != nil || len(all) == 0 {
		return Made{}, false, err
	}
	return all[0], true, nil
}

// History lists the edits after revision since with their changes, the newest
// first, at most max of them.
func (s *Store) History(ctx context.Context, id, since int64, max int) ([]Made, error) {
	return s.HistoryPage(ctx, id, since, 0, max)
}

// HistoryPage is [Store.History] for edits before a revision; 0 is no bound.
func (s *Store) HistoryPage(ctx context.Context, id, since, before int64, max int) ([]Made, error) {
	rows, err := s.pool.Query(
		ctx,
		`WITH e AS (SELECT * FROM edit WHERE office_id = @office AND revision > @since AND (@before::bigint = 0 OR revision < @before::bigint) ORDER BY revision DESC LIMIT @max)
		SELECT e.revision, e.author, e.made_at, e.summary, e.turn, COALESCE(e.undoes, 0), COALESCE(e.token, ''),
			COALESCE((SELECT max(u.revision) FROM edit u WHERE u.office_id = e.office_id AND u.undoes = e.revision), 0),
			c.key, COALESCE(c.before, ''), COALESCE(c.after, ''), c.at_place
		FROM e JOIN edit_change c ON c.office_id = e.office_id AND c.revision = e.revision
		ORDER BY e.revision DESC, c.place`,
		pgx.NamedArgs{"office": id, "since": since, "before": before, "max": max},
	)
	if err != nil {
		return nil, err
	}
	var all []Made
	var made Made
	var change history.Change
	_, err = pgx.ForEachRow(rows, []any{&made.Revision, &made.Author, &made.At, &made.Summary, &made.Turn, &made.Undoes, &made.Token, &made.UndoneBy, &change.Key, &change.Before, &change.After, &change.At}, func() error {
		if len(all) == 0 || all[len(all)-1].Revision != made.Revision {
			other := made
			other.Changes = nil
			all = append(all, other)
		}
		last := &all[len(all)-1]
		last.Changes = append(last.Changes, change)
		return nil
	})
	return all, err
}
