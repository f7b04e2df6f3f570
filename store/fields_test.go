package store_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

// full has something in every field of the model.
const full = `office "Full"
vlan 10 staff "who works here" net 10.0.10.0/24
vlan 20 guests
vlan 30 lab local
service web tcp/80,tcp/443
use desk 10
use trunk 10 [20 30]
plan eight
  1-2: use desk
  last: use trunk
device gate router
  forwarding routed
  ports wan, lan, spare
  wan: -
  lan: [10 20]
  address 10 10.0.10.1/24 on lan zone in handout 10.0.10.50-10.0.10.99
  address 20 10.0.20.1/24 on lan zone out admits ping,web
  outside fibre on wan 203.0.113.2/29 via 203.0.113.1
  route 10.9.0.0/16 via 10.0.10.9
  route default via fibre
  between zones deny
  allow zone in to vlan 20 web,udp/53-54 "the web"
  deny 10.0.10.0/24 to outside,any
device rack switch follows eight
  ports 1-8 1G
  wording by-vlan pvid-follows confirms 5
  limit vlans 8 addresses 4 zones 3 rows 32
  place "harbour/server room"
  model "eight ports"
  serial "A1B2"
  note "spare fan in the drawer"
  socket 1-4 "2.01-2.04"
  port 4-5 note "was damaged in May"
  bundles adjacent
  console
  bundle up lacp 6-7
  manage 10 10.0.10.9/24 via 10.0.10.1
  factory 192.168.1.1/24 in 1
  speaks snmp at 10.0.10.9:1161 with switches save 1.3.6.1.3.99.1.0=1
  2: 20 because "a camera"
  3: 10 [30@333]
  4: 10 [20] pvid 20 admit untagged
  5: 30 filter off
  up: [10 20]
device box host
  ports 1-2
  1: 10 [needed]
  2: off
  inner vm vm: 20
cable gate.lan rack.8
cable rack.6 box.1
plug rack.1 "pc" wants 10
plug rack.3 "recorder" wants 30 tagged
plug rack.5 "laptop" wants 30 operator at 10.0.30.5 card 02:00:00:00:30:05 note "leased"
must vlan 10 to vlan 20 web
never vlan 20 to vlan 10
`

// fields is, for each field of the model, a small change of the text that makes
// it another.
var fields = []struct{ field, old, now string }{
	{"Office.Title", `office "Full"`, `office "Other"`},
	{"Office.VLANs", "vlan 30 lab local\n", "vlan 30 lab local\nvlan 40 more\n"},
	{"Office.Uses", "use desk 10\n", "use desk 10\nuse other 20\n"},
	{"Office.Plans", "device gate", "plan other\n  1: 20\ndevice gate"},
	{"Office.Devices", "cable gate", "device more other\n  ports 1\ncable gate"},
	{"Office.Cables", "cable rack.6 box.1\n", ""},
	{"Office.Plugs", "plug rack.1 \"pc\" wants 10\n", ""},
	{"VLAN.VID", "vlan 30 lab", "vlan 31 lab"},
	{"VLAN.Name", "vlan 30 lab", "vlan 30 den"},
	{"VLAN.Note", "who works here", "who does not"},
	{"VLAN.Local", "vlan 20 guests", "vlan 20 guests local"},
	{"VLAN.Nets", "net 10.0.10.0/24", "net 10.0.10.0/24 net fd00:10::/64"},
	{"Use.Name", "use trunk 10 [20 30]\nplan eight\n  1-2: use desk\n  last: use trunk", "use wide 10 [20 30]\nplan eight\n  1-2: use desk\n  last: use wide"},
	{"Use.Shape", "use trunk 10 [20 30]", "use trunk 10 [20]"},
	{"Plan.Name", "plan eight", "plan nine"},
	{"Plan.Lines", "  1-2: use desk\n", "  1-2: use desk\n  3: 20\n"},
	{"PlanLine.Ports", "  1-2: use desk", "  1,3: use desk"},
	{"PlanLine.Shape", "  1-2: use desk", "  1-2: 20"},
	{"PlanRange.From", "  1-2: use desk", "  2: use desk"},
	{"PlanRange.To", "  1-2: use desk", "  1-3: use desk"},
	{"Shape.Off", "  2: off", "  2: -"},
	{"Shape.Use", "  1-2: use desk", "  1-2: use trunk"},
	{"Shape.Untagged", "  2: 20 because", "  2: 30 because"},
	{"Shape.Tagged", "  up: [10 20]", "  up: [10]"},
	{"Shape.Rides", "[30@333]", "[30]"},
	{"Shape.Rest", "[needed]", "[all]"},
	{"Shape.PVIDSet", " pvid 20", ""},
	{"Shape.PVID", " pvid 20", " pvid none"},
	{"Shape.Admit", "admit untagged", "admit tagged"},
	{"Shape.FilterOff", " filter off", ""},
	{"Ride.VLAN", "10 [30@333]", "10 [20@333]"},
	{"Ride.Wire", "[30@333]", "[30@334]"},
	{"Device.Name", "box", "tin"},
	{"Device.Kind", "rack switch", "rack wap"},
	{"Device.Follows", "device box host", "device box host follows eight"},
	{"Device.Forwarding", "wording by-vlan", "forwarding grouped\n  wording by-vlan"},
	{"Device.Wording", "by-vlan pvid-follows confirms 5", "by-port"},
	{"Device.Limits", "limit vlans 8", "limit vlans 9"},
	{"Device.Adjacent", "  bundles adjacent\n", ""},
	{"Device.Console", "  console\n", ""},
	{"Device.Manage", "  manage 10 10.0.10.9/24 via 10.0.10.1\n", ""},
	{"Device.Factory", "  factory 192.168.1.1/24 in 1\n", ""},
	{"Device.Ports", "  inner vm vm: 20\n", ""},
	{"Device.Addresses", "  address 20 10.0.20.1/24 on lan zone out admits ping,web\n", ""},
	{"Device.Facts", "  note \"spare fan in the drawer\"\n", ""},
	{"Port.Facts", "  port 4-5 note \"was damaged in May\"\n", ""},
	{"Plug.Facts", " note \"leased\"", ""},
	{"Facts.Place", "harbour/server room", "harbour/attic"},
	{"Facts.Model", "eight ports", "8 ports"},
	{"Facts.Serial", "A1B2", "A1B3"},
	{"Facts.Socket", "2.01-2.04", "2.11-2.14"},
	{"Facts.Note", "was damaged in May", "was damaged in June"},
	{"Wording.Name", "by-vlan pvid-follows confirms", "by-choice confirms"},
	{"Wording.Habits", "pvid-follows", "leaves-last"},
	{"Limits.VLANs", "vlans 8", "vlans 7"},
	{"Limits.Addresses", "addresses 4", "addresses 5"},
	{"Limits.Zones", "zones 3", "zones 4"},
	{"Limits.Rows", "rows 32", "rows 33"},
	{"Manage.VID", "manage 10 ", "manage 20 "},
	{"Manage.Addr", "manage 10 10.0.10.9", "manage 10 10.0.10.8"},
	{"Manage.Bits", "10.0.10.9/24", "10.0.10.9/16"},
	{"Manage.Via", "via 10.0.10.1", "via 10.0.10.2"},
	{"Manage.Alone", "via 10.0.10.1", "via none"},
	{"Factory.Prefix", "factory 192.168.1.1/24", "factory 192.168.1.254/24"},
	{"Factory.VID", "192.168.1.1/24 in 1", "192.168.1.1/24 in 2"},
	{"Wording.Confirms", "confirms 5", "confirms 6"},
	{"Port.Name", "inner vm vm", "inner vn vm"},
	{"Port.Kind", "  ports 1-2\n  1: 10 [needed]\n  2: off\n  inner vm vm: 20", "  ports 1-2, vm\n  1: 10 [needed]\n  2: off\n  vm: 20"},
	{"Port.Inside", "ports 1-8 1G", "ports 1-7 1G, 8 as ge0.8 1G"},
	{"Port.Speed", "ports 1-8 1G", "ports 1-7 1G, 8 10G"},
	{"Port.Mode", "up lacp", "up static"},
	{"Port.Members", "up lacp 6-7", "up lacp 1,7"},
	{"Port.Flavour", "vm vm: 20", "vm ssid: 20"},
	{"Port.Shape", "  5: 30 filter off\n", ""},
	{"Port.Because", "a camera", "a scanner"},
	{"PortRef.Device", "cable rack.6 box.1", "cable rack.6 gate.wan"},
	{"PortRef.Port", "plug rack.1", "plug rack.2"},
	{"Address.VID", "address 20 10", "address 30 10"},
	{"Address.Prefix", "10.0.20.1/24", "10.0.20.1/25"},
	{"Address.On", "10.0.20.1/24 on lan", "10.0.20.1/24 on wan"},
	{"Address.Zone", "zone out", "zone far"},
	{"Address.From", "handout 10.0.10.50", "handout 10.0.10.51"},
	{"Address.To", "10.0.10.99", "10.0.10.98"},
	{"Office.Services", "service web tcp/80,tcp/443\n", "service web tcp/80,tcp/443\nservice files tcp/445\n"},
	{"Office.Wishes", "never vlan 20 to vlan 10\n", ""},
	{"VLAN.Guarded", "vlan 20 guests", "vlan 20 guests guarded"},
	{"NamedService.Name", "web", "pages"},
	{"NamedService.Is", "tcp/80,tcp/443", "tcp/80"},
	{"Service.Protocol", "udp/53-54", "tcp/53-54"},
	{"Service.First", "udp/53-54", "udp/52-54"},
	{"Service.Last", "udp/53-54", "udp/53-55"},
	{"Service.Name", "web", "pages"},
	{"Wish.Must", "never vlan 20", "must vlan 20"},
	{"Wish.From", "never vlan 20", "never vlan 30"},
	{"Wish.To", "never vlan 20 to vlan 10", "never vlan 20 to vlan 30"},
	{"Wish.Services", "never vlan 20 to vlan 10", "never vlan 20 to vlan 10 ping"},
	{"Side.Kind", "deny 10.0.10.0/24 to outside,any", "deny any to outside,any"},
	{"Side.Zone", "allow zone in", "allow zone out"},
	{"Side.VID", "allow zone in to vlan 20", "allow zone in to vlan 30"},
	{"Side.Net", "deny 10.0.10.0/24", "deny 10.0.10.0/25"},
	{"Rule.Do", "deny 10.0.10.0/24", "allow 10.0.10.0/24"},
	{"Rule.From", "allow zone in to", "allow zone in,any to"},
	{"Rule.To", "to outside,any", "to outside"},
	{"Rule.Services", "web,udp/53-54", "web"},
	{"Rule.Note", "\"the web\"", "\"the page\""},
	{"Route.To", "route 10.9.0.0/16", "route 10.8.0.0/16"},
	{"Route.Via", "via 10.0.10.9", "via 10.0.10.8"},
	{"Route.Line", "route default via fibre", "route default via 203.0.113.1"},
	{"Outside.Name", "fibre", "glass"},
	{"Outside.On", "outside fibre on wan", "outside fibre on spare"},
	{"Outside.VID", "outside fibre on wan", "outside fibre on wan vlan 7"},
	{"Outside.Prefix", "203.0.113.2/29", "203.0.113.3/29"},
	{"Outside.Via", "via 203.0.113.1\n", "via 203.0.113.4\n"},
	{"Device.Outsides", "  route default via fibre\n", "  route default via fibre\n  outside mast on spare\n"},
	{"Device.Routes", "  route 10.9.0.0/16 via 10.0.10.9\n", ""},
	{"Device.NoRouting", "  bundles adjacent\n", "  bundles adjacent\n  routing off\n"},
	{"Device.State", "  bundles adjacent\n", "  bundles adjacent\n  stateful\n"},
	{"Device.Between", "between zones deny", "between zones allow"},
	{"Device.Within", "between zones deny", "between zones deny\n  within zones deny"},
	{"Device.Rules", "  deny 10.0.10.0/24 to outside,any\n", ""},
	{"Limits.Rules", "rows 32", "rows 32 rules 9"},
	{"Address.Admits", " admits ping,web", " admits -"},
	{"Address.Gateway", "on lan zone out admits", "on lan zone out gateway admits"},
	{"Plug.At", " at 10.0.30.5", ""},
	{"Plug.MAC", "02:00:00:00:30:05", "02:00:00:00:30:06"},
	{"Device.Speaks", "  2: 20 because", "  speaks ssh with hosts\n  2: 20 because"},
	{"Speaks.Protocol", "speaks snmp at 10.0.10.9:1161 with switches save 1.3.6.1.3.99.1.0=1", "speaks ssh at 10.0.10.9:1161 with switches"},
	{"Speaks.At", "10.0.10.9:1161", "10.0.10.9:1162"},
	{"Speaks.With", "with switches", "with others"},
	{"Speaks.Save", ".99.1.0=1", ".99.1.0=2"},
	{"Cable.A", "cable gate.lan rack.8", "cable gate.wan rack.8"},
	{"Cable.B", "cable rack.6 box.1", "cable rack.6 box.2"},
	{"Plug.Port", "plug rack.1", "plug rack.2"},
	{"Plug.Name", `"pc"`, `"mac"`},
	{"Plug.Wants", `"pc" wants 10`, `"pc" wants 20`},
	{"Plug.Tagged", " tagged", ""},
	{"Plug.Operator", " operator", ""},
}

// TestEveryFieldCounts: each field of the model is printed and read, differs as
// an edit, is kept by the store, drawn on the page and told to those who watch.
func TestEveryFieldCounts(t *testing.T) {
	s := open(t)
	named := map[string]bool{
		"Port.Bundle": true, // follows from the bundles' members
	}
	for _, row := range fields {
		named[row.field] = true
		t.Run(row.field, func(t *testing.T) {
			text := strings.Replace(full, row.old, row.now, 1)
			if strings.HasSuffix(row.field, ".Name") || row.field == "Plan.Name" { // a name stands wherever it is named
				text = strings.ReplaceAll(full, row.old, row.now)
				text = strings.ReplaceAll(text, "follows eight", "follows "+map[bool]string{true: "nine", false: "eight"}[row.field == "Plan.Name"])
			}
			from, to := model(t, full), model(t, text)
			require.NotEqual(t, values(from, row.field), values(to, row.field), "the row does not change its field")
			require.NotEqual(t, notation.Print(from), notation.Print(to), "it is not printed")

			edit, err := history.Diff(from, to)
			require.NoError(t, err)
			require.NotEmpty(t, edit, "it is no difference")
			next, err := office.Apply(from, edit)
			require.NoError(t, err)
			require.Equal(t, notation.Print(to), notation.Print(next))

			id, err := s.Import(t.Context(), from, store.Note{Author: "a", Summary: "first"})
			require.NoError(t, err)
			_, err = s.Commit(t.Context(), id, 1, edit, store.Note{Author: "a", Summary: row.field})
			require.NoError(t, err)
			kept, _, err := s.Load(t.Context(), id)
			require.NoError(t, err)
			require.Equal(t, notation.Print(to), notation.Print(kept), "it is not kept")
			again, err := s.Import(t.Context(), to, store.Note{Author: "a", Summary: "first"})
			require.NoError(t, err)
			kept, _, err = s.Load(t.Context(), again)
			require.NoError(t, err)
			require.Equal(t, notation.Print(to), notation.Print(kept), "it is not kept with a whole office")

			was := finding.Check(span.Compile(from))
			is := was.Update(was.Net.Update(next))
			old := api.View(1, 1, was, nil)
			require.NotEqual(t, drawn(t, old), drawn(t, api.View(1, 1, is, nil)), "it is not drawn")
			_, told := api.Change(old, 1, is, is.Since(was), nil)
			require.NotEqual(t, drawn(t, api.Nothing(old)), drawn(t, told), "it is not told")
		})
	}
	for _, x := range []any{office.Office{}, office.VLAN{}, office.Use{}, office.Plan{}, office.PlanLine{}, office.PlanRange{}, office.Shape{}, office.Ride{}, office.Device{},
		office.Wording{}, office.Limits{}, office.Manage{}, office.Port{}, office.PortRef{}, office.Address{}, office.Cable{}, office.Plug{},
		office.NamedService{}, office.Service{}, office.Wish{}, office.Side{}, office.Rule{}, office.Route{}, office.Outside{}} {
		for _, f := range reflect.VisibleFields(reflect.TypeOf(x)) {
			if f.IsExported() {
				name := reflect.TypeOf(x).Name() + "." + f.Name
				require.True(t, named[name], "nothing says that %s counts: give it a row", name)
			}
		}
	}
}

func model(t *testing.T, text string) *office.Office {
	f, err := notation.Read("full", text)
	require.NoError(t, err, text)
	return f.Office
}

// values collects what an office has in a field, in order.
func values(o *office.Office, field string) (out []string) {
	var walk func(v reflect.Value)
	walk = func(v reflect.Value) {
		switch v.Kind() {
		case reflect.Pointer:
			if !v.IsNil() {
				walk(v.Elem())
			}
		case reflect.Slice:
			for i := range v.Len() {
				walk(v.Index(i))
			}
		case reflect.Struct:
			for _, f := range reflect.VisibleFields(v.Type()) {
				if !f.IsExported() {
					continue
				}
				if v.Type().Name()+"."+f.Name == field {
					out = append(out, said(v.FieldByIndex(f.Index)))
				}
				walk(v.FieldByIndex(f.Index))
			}
		}
	}
	walk(reflect.ValueOf(o))
	return out
}

// said is a value as text, through its pointers.
func said(v reflect.Value) string {
	if v.Kind() == reflect.Pointer && !v.IsNil() {
		return said(v.Elem())
	}
	if v.Kind() == reflect.Slice {
		var all []string
		for i := range v.Len() {
			all = append(all, said(v.Index(i)))
		}
		return fmt.Sprint(all)
	}
	return fmt.Sprintf("%+v", v.Interface())
}

func drawn(t *testing.T, v *api.OfficeView) string {
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return string(text)
}
