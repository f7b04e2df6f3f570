package proof

import (
	"fmt"
	"strings"

	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
)

var vids = []int{1, 10, 20, 30, 222}

// drawShape draws a shape in bracket notation.
func drawShape(t *rapid.T, uses bool) string {
	switch rapid.IntRange(0, 19).Draw(t, "kind of shape") {
	case 0:
		return "off"
	case 1:
		return "-"
	case 2:
		if uses {
			return "use " + rapid.SampledFrom([]string{"desk", "uplink"}).Draw(t, "use")
		}
	}
	var parts []string
	un := rapid.SliceOfNDistinct(rapid.SampledFrom(vids), 0, 2, rapid.ID[int]).Draw(t, "untagged")
	if len(un) == 2 && rapid.IntRange(0, 3).Draw(t, "several untagged") > 0 {
		un = un[:1]
	}
	in := map[int]bool{}
	var us []string
	for _, v := range un {
		in[v] = true
		us = append(us, fmt.Sprint(v))
	}
	if len(us) > 0 {
		parts = append(parts, strings.Join(us, "+"))
	} else {
		parts = append(parts, "-")
	}
	var ts []string
	for _, v := range rapid.SliceOfNDistinct(rapid.SampledFrom(vids), 0, 4, rapid.ID[int]).Draw(t, "tagged") {
		if !in[v] {
			ts = append(ts, fmt.Sprint(v))
		}
	}
	if rapid.IntRange(0, 9).Draw(t, "translate") == 0 && len(ts) > 0 {
		ts[0] += "@777"
	}
	if r := rapid.IntRange(0, 7).Draw(t, "rest"); r < 2 {
		ts = append(ts, []string{"all", "needed"}[r])
	}
	if len(ts) > 0 {
		parts = append(parts, "["+strings.Join(ts, " ")+"]")
	}
	if len(un) == 2 || rapid.IntRange(0, 5).Draw(t, "odd pvid") == 0 {
		p := "none"
		if k := rapid.IntRange(0, len(vids)).Draw(t, "pvid"); k < len(vids) {
			p = fmt.Sprint(vids[k])
		}
		parts = append(parts, "pvid "+p)
	}
	if k := rapid.IntRange(0, 11).Draw(t, "admit"); k < 2 {
		parts = append(parts, "admit "+[]string{"tagged", "untagged"}[k])
	}
	if rapid.IntRange(0, 9).Draw(t, "filter") == 0 {
		parts = append(parts, "filter off")
	}
	return strings.Join(parts, " ")
}

// Draw draws an office of up to most devices: every way to forward, bundles,
// rings, translation, plans, odd PVIDs, inner ports, plugs, addresses. All of it
// is written in notation, so that the reader is in the loop.
//
// Many branches: one a kind of thing that is drawn.
func Draw(t *rapid.T, most int) *office.Office {
	var text strings.Builder
	for _, v := range vids[:4] {
		local := ""
		if rapid.IntRange(0, 2).Draw(t, "local") == 0 {
			local = " local"
		}
		fmt.Fprintf(&text, "vlan %d v%d%s\n", v, v, local)
	}
	fmt.Fprintf(&text, "use desk %s\nuse uplink %s\n", drawShape(t, false), drawShape(t, false))
	fmt.Fprintf(&text, "plan p\n  1: %s\n  last-1-last: %s\n", drawShape(t, true), drawShape(t, true))
	n := rapid.IntRange(1, most).Draw(t, "devices")
	var free []string
	for i := range n {
		fmt.Fprintf(&text, "device d%d %s", i, rapid.SampledFrom([]string{"switch", "switch", "switch", "host", "other"}).Draw(t, "kind"))
		if rapid.IntRange(0, 3).Draw(t, "follows") == 0 {
			text.WriteString(" follows p")
		}
		text.WriteString("\n  ports 1-5\n")
		f := rapid.SampledFrom([]string{"bridge", "bridge", "bridge", "routed", "unaware", "unaware drops-tagged", "grouped"}).Draw(t, "forwarding")
		fmt.Fprintf(&text, "  forwarding %s\n", f)
		if rapid.IntRange(0, 3).Draw(t, "worded") == 0 {
			fmt.Fprintf(&text, "  wording %s\n", rapid.SampledFrom([]string{"by-vlan", "by-port", "by-choice", "by-group"}).Draw(t, "wording"))
		}
		from := 1
		if rapid.IntRange(0, 2).Draw(t, "bundle") == 0 {
			fmt.Fprintf(&text, "  bundle up lacp 1-2\n  up: %s\n", drawShape(t, true))
			from = 3
		}
		for p := from; p <= 5; p++ {
			if rapid.IntRange(0, 5).Draw(t, "set") > 0 {
				fmt.Fprintf(&text, "  %d: %s\n", p, drawShape(t, true))
			}
		}
		if rapid.IntRange(0, 3).Draw(t, "inner") == 0 {
			fmt.Fprintf(&text, "  inner vm %s: %s\n", rapid.SampledFrom([]string{"vm", "cpu"}).Draw(t, "flavour"), drawShape(t, true))
		}
		if rapid.IntRange(0, 2).Draw(t, "manage") == 0 {
			fmt.Fprintf(&text, "  manage %d\n", rapid.SampledFrom(vids).Draw(t, "manage in"))
		}
		if rapid.IntRange(0, 2).Draw(t, "address") == 0 {
			// several addresses make it a device that routes
			for _, v := range rapid.SliceOfNDistinct(rapid.SampledFrom(vids), 1, 2, rapid.ID[int]).Draw(t, "addresses in") {
				on := ""
				if f == "routed" {
					on = fmt.Sprintf(" on %d", rapid.IntRange(from, 5).Draw(t, "address on"))
				}
				fmt.Fprintf(&text, "  address %d 10.%d.0.%d/24%s\n", v, v%256, i+1, on)
			}
		}
		for p := 1; p <= 5; p++ {
			free = append(free, fmt.Sprintf("d%d.%d", i, p))
		}
	}
	cables := rapid.IntRange(0, n+1).Draw(t, "cables")
	for range cables {
		if len(free) < 2 {
			break
		}
		take := func(what string) string {
			i := rapid.IntRange(0, len(free)-1).Draw(t, what)
			r := free[i]
			free = append(free[:i], free[i+1:]...)
			return r
		}
		fmt.Fprintf(&text, "cable %s %s\n", take("end"), take("other end"))
	}
	for k := range rapid.IntRange(0, 3).Draw(t, "plugs") {
		if len(free) == 0 {
			break
		}
		tag := rapid.SampledFrom([]string{"", " tagged"}).Draw(t, "plug tagged")
		fmt.Fprintf(&text, "plug %s \"g%d\" wants %d%s\n", rapid.SampledFrom(free).Draw(t, "plug"), k, rapid.SampledFrom(vids).Draw(t, "wants"), tag)
	}
	if rapid.Bool().Draw(t, "wished") {
		fmt.Fprintf(&text, "never %d to %d\nmust any to outside ping\n", vids[1], vids[2])
	}
	file, err := notation.Read("drawn", text.String())
	if err != nil {
		t.Fatalf("%s\n%s", text.String(), err)
	}
	return file.Office
}

// edits are the kinds of change that DrawEdit draws, each as statements for the
// line; what it draws may mean nothing in this office.
var edits = []struct {
	kind string
	draw func(t *rapid.T, o *office.Office, device *office.Device, port string) string
}{
	{"port", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("%s %s: %s", device.Name, port, drawShape(t, true))
	}},
	{"port unset", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("-%s %s", device.Name, port)
	}},
	{"use", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return "use desk " + drawShape(t, false)
	}},
	{"plan", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("plan p\n  1: %s\n  3-last: %s", drawShape(t, true), drawShape(t, true))
	}},
	{"follows", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("%s follows %s", device.Name, rapid.SampledFrom([]string{"p", "-"}).Draw(t, "follows"))
	}},
	{"cable", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		other := rapid.SampledFrom(o.Devices).Draw(t, "to")
		return fmt.Sprintf("cable %s.%s %s.%s", device.Name, port, other.Name, rapid.SampledFrom(other.Ports).Draw(t, "to port").Name)
	}},
	{"cable off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(o.Cables) == 0 {
			return ""
		}
		return "-" + notation.Thing(rapid.SampledFrom(o.Cables).Draw(t, "cable"))
	}},
	{"plug", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		form := rapid.SampledFrom([]string{"", " tagged", " operator"}).Draw(t, "form")
		return fmt.Sprintf("plug %s.%s \"new\" wants %d%s", device.Name, port, rapid.SampledFrom(vids).Draw(t, "wants"), form)
	}},
	{"noted", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return rapid.SampledFrom([]string{
			fmt.Sprintf("%s note \"in the attic\"", device.Name), fmt.Sprintf("-%s note", device.Name), fmt.Sprintf("%s port %s note \"here\"", device.Name, port),
			fmt.Sprintf("%s socket %s \"2.01\"", device.Name, port), fmt.Sprintf("-%s port %s", device.Name, port),
		}).Draw(t, "noted")
	}},
	{"plug off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(o.Plugs) == 0 {
			return ""
		}
		plug := rapid.SampledFrom(o.Plugs).Draw(t, "unplug")
		return fmt.Sprintf("-plug %s.%s %q", plug.Port.Device, plug.Port.Port, plug.Name)
	}},
	{"manage", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("%s manage %d", device.Name, rapid.SampledFrom(vids).Draw(t, "manage in"))
	}},
	{"address", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		v := rapid.SampledFrom(vids).Draw(t, "address in")
		on := ""
		if device.Forwarding == office.Routed {
			on = " on " + port
		}
		return fmt.Sprintf("%s address %d 10.%d.0.%d/24%s", device.Name, v, v%256, rapid.IntRange(20, 30).Draw(t, "host"), on)
	}},
	{"address off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(device.Addresses) == 0 {
			return ""
		}
		address := rapid.SampledFrom(device.Addresses).Draw(t, "address")
		return fmt.Sprintf("-%s address %d %s", device.Name, address.VID, address.Prefix)
	}},
	{"vlan", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		v := rapid.SampledFrom(append([]int{777}, vids...)).Draw(t, "register")
		return fmt.Sprintf("vlan %d w%d%s", v, v, rapid.SampledFrom([]string{"", " local", fmt.Sprintf(" net 10.%d.0.0/24", v%256)}).Draw(t, "entry"))
	}},
	{"vlan off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(o.VLANs) == 0 {
			return ""
		}
		return fmt.Sprintf("-vlan %d", rapid.SampledFrom(o.VLANs).Draw(t, "vlan").VID)
	}},
	{"bundle", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		text := ""
		for _, name := range []string{"4", "5"} {
			if at := device.Port(name); at >= 0 && device.Ports[at].Shape != nil { // the bundle is set instead
				text += fmt.Sprintf("-%s %s\n", device.Name, name)
			}
		}
		name := rapid.SampledFrom([]string{"new", "up"}).Draw(t, "bundle")
		return text + fmt.Sprintf("%s bundle %s %s 4-5", device.Name, name, rapid.SampledFrom([]string{"lacp", "static"}).Draw(t, "mode"))
	}},
	{"bundle off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("-%s bundle up", device.Name)
	}},
	{"limit", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("%s limit vlans %d", device.Name, rapid.IntRange(1, 3).Draw(t, "limit"))
	}},
	{"device", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("device e%d %s\n  ports 1-2", rapid.IntRange(0, 1).Draw(t, "number"), rapid.SampledFrom([]string{"switch", "router", "host"}).Draw(t, "kind"))
	}},
	{"device off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(o.Devices) < 3 {
			return ""
		}
		return "-device " + device.Name
	}},
	{"rule", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		at := ""
		if k := len(device.Rules); k > 0 {
			at = fmt.Sprintf("rule %d ", rapid.IntRange(1, k+1).Draw(t, "place"))
		}
		return fmt.Sprintf("%s %s%s %s to %s %s", device.Name, at, rapid.SampledFrom([]string{"allow", "deny"}).Draw(t, "do"), drawSide(t), drawSide(t), drawServices(t))
	}},
	{"rule moved", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		k := len(device.Rules)
		if k < 2 { // so that there is something to move
			return fmt.Sprintf("%s deny %s to any udp/53\n%s allow any to %s\n%s rule %d before 1", device.Name, drawSide(t), device.Name, drawSide(t), device.Name, k+2)
		}
		return fmt.Sprintf("%s rule %d %s", device.Name, rapid.IntRange(1, k).Draw(t, "rule"), rapid.SampledFrom([]string{"last", fmt.Sprintf("before %d", rapid.IntRange(1, k).Draw(t, "before"))}).Draw(t, "to"))
	}},
	{"rule off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(device.Rules) == 0 {
			return fmt.Sprintf("%s allow any to any ping\n-%s allow any to any ping", device.Name, device.Name)
		}
		return fmt.Sprintf("-%s rule %d", device.Name, rapid.IntRange(1, len(device.Rules)).Draw(t, "rule"))
	}},
	{"wish", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("%s %s to %s %s", rapid.SampledFrom([]string{"must", "never"}).Draw(t, "wish"), drawSide(t), drawSide(t), drawServices(t))
	}},
	{"wish off", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(o.Wishes) == 0 {
			return ""
		}
		return "-" + rapid.SampledFrom(o.Wishes).Draw(t, "wish").String()
	}},
	{"service", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return rapid.SampledFrom([]string{"service web tcp/80", "service web tcp/80,tcp/443", "-service web"}).Draw(t, "service")
	}},
	{"route", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		v, w := rapid.SampledFrom(vids).Draw(t, "to"), rapid.SampledFrom(vids).Draw(t, "by")
		return rapid.SampledFrom([]string{fmt.Sprintf("%s route 10.%d.0.0/24 via 10.%d.0.%d", device.Name, v%256, w%256, rapid.IntRange(20, 30).Draw(t, "hop")), fmt.Sprintf("-%s route 10.%d.0.0/24", device.Name, v%256),
			fmt.Sprintf("%s route default via 10.%d.0.21", device.Name, w%256)}).Draw(t, "route")
	}},
	{"line outside", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return rapid.SampledFrom([]string{fmt.Sprintf("%s outside fibre on %s", device.Name, port), fmt.Sprintf("%s outside fibre on %s vlan %d", device.Name, port, rapid.SampledFrom(vids).Draw(t, "rides in")),
			fmt.Sprintf("-%s outside fibre", device.Name)}).Draw(t, "line")
	}},
	{"routing", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return device.Name + " " + rapid.SampledFrom([]string{"stateful", "stateless", "routing off", "between zones deny", "within zones deny"}).Draw(t, "routing")
	}},
	{"guarded", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		v := rapid.SampledFrom(vids).Draw(t, "guarded")
		return fmt.Sprintf("vlan %d w%d net 10.%d.0.0/24 guarded", v, v, v%256)
	}},
	{"zone", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		if len(device.Addresses) == 0 {
			return ""
		}
		address := rapid.SampledFrom(device.Addresses).Draw(t, "address")
		address.Zone, address.Gateway = rapid.SampledFrom([]string{"", "in", "out"}).Draw(t, "zone"), rapid.Bool().Draw(t, "gateway")
		return device.Name + " " + notation.AddressText(address)
	}},
	{"title", func(t *rapid.T, o *office.Office, device *office.Device, port string) string {
		return fmt.Sprintf("office \"number %d\"", rapid.IntRange(0, 3).Draw(t, "title"))
	}},
}

// drawSide is whom a rule or a wish names.
func drawSide(t *rapid.T) string {
	v := rapid.SampledFrom(vids).Draw(t, "side in")
	return rapid.SampledFrom([]string{"any", "outside", "zone in", fmt.Sprintf("vlan %d", v), fmt.Sprintf("vlan %d", v), fmt.Sprintf("10.%d.0.0/24", v%256), fmt.Sprintf("10.%d.0.21", v%256)}).Draw(t, "side")
}

func drawServices(t *rapid.T) string {
	return rapid.SampledFrom([]string{"", "ping", "tcp/80", "udp/53,tcp/1024-65535", "web"}).Draw(t, "services")
}

// DrawEdit draws a change and says of which kind it is: half of them set a port,
// as people do.
func DrawEdit(t *rapid.T, o *office.Office) (kind, text string) {
	device := rapid.SampledFrom(o.Devices).Draw(t, "device")
	port := rapid.SampledFrom(device.Ports).Draw(t, "port").Name
	e := edits[max(0, rapid.IntRange(-len(edits)/2, len(edits)-1).Draw(t, "edit"))]
	return e.kind, e.draw(t, o, device, port)
}
