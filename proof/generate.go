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
func Draw(t *rapid.T, most int) *office.Office {
	var b strings.Builder
	for _, v := range vids[:4] {
		local := ""
		if rapid.IntRange(0, 2).Draw(t, "local") == 0 {
			local = " local"
		}
		fmt.Fprintf(&b, "vlan %d v%d%s\n", v, v, local)
	}
	fmt.Fprintf(&b, "use desk %s\nuse uplink %s\n", drawShape(t, false), drawShape(t, false))
	fmt.Fprintf(&b, "plan p\n  1: %s\n  last-1-last: %s\n", drawShape(t, true), drawShape(t, true))
	n := rapid.IntRange(1, most).Draw(t, "devices")
	var free []string
	for i := range n {
		fmt.Fprintf(&b, "device d%d %s", i, rapid.SampledFrom([]string{"switch", "switch", "switch", "host", "other"}).Draw(t, "kind"))
		if rapid.IntRange(0, 3).Draw(t, "follows") == 0 {
			b.WriteString(" follows p")
		}
		b.WriteString("\n  ports 1-5\n")
		f := rapid.SampledFrom([]string{"bridge", "bridge", "bridge", "routed", "unaware", "unaware drops-tagged", "grouped"}).Draw(t, "forwarding")
		fmt.Fprintf(&b, "  forwarding %s\n", f)
		from := 1
		if rapid.IntRange(0, 2).Draw(t, "bundle") == 0 {
			fmt.Fprintf(&b, "  bundle up lacp 1-2\n  up: %s\n", drawShape(t, true))
			from = 3
		}
		for p := from; p <= 5; p++ {
			if rapid.IntRange(0, 5).Draw(t, "set") > 0 {
				fmt.Fprintf(&b, "  %d: %s\n", p, drawShape(t, true))
			}
		}
		if rapid.IntRange(0, 3).Draw(t, "inner") == 0 {
			fmt.Fprintf(&b, "  inner vm %s: %s\n", rapid.SampledFrom([]string{"vm", "cpu"}).Draw(t, "flavour"), drawShape(t, true))
		}
		if rapid.IntRange(0, 2).Draw(t, "manage") == 0 {
			fmt.Fprintf(&b, "  manage %d\n", rapid.SampledFrom(vids).Draw(t, "manage in"))
		}
		if rapid.IntRange(0, 2).Draw(t, "address") == 0 {
			on := ""
			if f == "routed" {
				on = fmt.Sprintf(" on %d", rapid.IntRange(from, 5).Draw(t, "address on"))
			}
			v := rapid.SampledFrom(vids).Draw(t, "address in")
			fmt.Fprintf(&b, "  address %d 10.%d.0.%d/24%s\n", v, v%256, i+1, on)
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
		fmt.Fprintf(&b, "cable %s %s\n", take("end"), take("other end"))
	}
	for k := range rapid.IntRange(0, 3).Draw(t, "plugs") {
		if len(free) == 0 {
			break
		}
		tag := rapid.SampledFrom([]string{"", " tagged"}).Draw(t, "plug tagged")
		fmt.Fprintf(&b, "plug %s \"g%d\" wants %d%s\n", rapid.SampledFrom(free).Draw(t, "plug"), k, rapid.SampledFrom(vids).Draw(t, "wants"), tag)
	}
	f, err := notation.Read("drawn", b.String())
	if err != nil {
		t.Fatalf("%s\n%s", b.String(), err)
	}
	return f.Office
}

// DrawEdit draws a change of one or more ports, or of a cable or plug, as
// statements for the line; it may mean nothing in this office.
func DrawEdit(t *rapid.T, o *office.Office) string {
	d := rapid.SampledFrom(o.Devices).Draw(t, "device")
	p := rapid.SampledFrom(d.Ports).Draw(t, "port").Name
	switch rapid.IntRange(0, 14).Draw(t, "edit") {
	case 0:
		if len(o.Cables) > 0 {
			c := rapid.SampledFrom(o.Cables).Draw(t, "cable")
			return "-" + notation.Thing(c)
		}
	case 1:
		e := rapid.SampledFrom(o.Devices).Draw(t, "to")
		return fmt.Sprintf("cable %s.%s %s.%s", d.Name, p, e.Name, rapid.SampledFrom(e.Ports).Draw(t, "to port").Name)
	case 2:
		return fmt.Sprintf("-%s %s", d.Name, p)
	case 3:
		return fmt.Sprintf("use desk %s", drawShape(t, false))
	case 12:
		return fmt.Sprintf("plan p\n  1: %s\n  3-last: %s", drawShape(t, true), drawShape(t, true))
	case 13:
		if len(o.Plugs) > 0 {
			g := rapid.SampledFrom(o.Plugs).Draw(t, "unplug")
			return fmt.Sprintf("-plug %s.%s %q", g.Port.Device, g.Port.Port, g.Name)
		}
	case 4:
		return fmt.Sprintf("%s manage %d", d.Name, rapid.SampledFrom(vids).Draw(t, "manage in"))
	case 5:
		return fmt.Sprintf("plug %s.%s \"new\" wants %d", d.Name, p, rapid.SampledFrom(vids).Draw(t, "wants"))
	}
	return fmt.Sprintf("%s %s: %s", d.Name, p, drawShape(t, true))
}
