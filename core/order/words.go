package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/graph"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// told is what a step changes for frames, a sentence each: what passes a cable now
// and what no longer does, and which VLAN ports without a cable are in.
//
// Many branches: cables and ports each have a sentence for what comes and for what goes.
func told(a, b *span.Net) (out []string) {
	if a == b {
		return nil
	}
	if len(a.Topo.Links) == len(b.Topo.Links) && slices.EqualFunc(a.Topo.Links, b.Topo.Links, func(x, y graph.Link) bool { return a.Ref(x.A) == b.Ref(y.A) && a.Ref(x.B) == b.Ref(y.B) }) {
		for i := range a.Topo.Links {
			was, is := both(a, i), both(b, i)
			link := b.Topo.Links[i]
			name := fmt.Sprintf("%s – %s", portText(b.Ref(link.A)), portText(b.Ref(link.B)))
			if come := is.Minus(&was); !come.Empty() {
				out = append(out, fmt.Sprintf("%s %s now both ways over %s.", names(b, &come), verb(&come, "pass"), name))
			}
			if gone := was.Minus(&is); !gone.Empty() {
				out = append(out, fmt.Sprintf("%s no longer %s both ways over %s.", names(b, &gone), verb(&gone, "pass"), name))
			}
		}
	}
	for i, device := range b.Office.Devices {
		was := a.Topo.DeviceIndex(device.Name)
		if was < 0 || a.Tables[was] == b.Tables[i] || device.Unaware() {
			continue
		}
		by := map[string][]int{}
		var order []string
		for port := range device.Ports {
			at := a.Office.Devices[was].Port(device.Ports[port].Name)
			if at < 0 || device.Ports[port].Bundle > 0 || len(b.Topo.LinksAt(i, port)) > 0 || a.Office.Devices[was].Ports[at].Bundle > 0 {
				continue
			}
			vid, one := in(a, was, at), in(b, i, port)
			if vid == one || one == 0 {
				continue
			}
			text := " now in " + b.Name(one)
			if vid != 0 {
				text += ", no longer in " + b.Name(vid)
			}
			if by[text] == nil {
				order = append(order, text)
			}
			by[text] = append(by[text], port)
		}
		for _, text := range order {
			is := " is"
			if len(by[text]) > 1 {
				is = " are"
			}
			out = append(out, fmt.Sprintf("%s %s%s%s.", device.Name, notation.Ports(device, by[text]), is, text))
		}
	}
	return out
}

// both is the VLANs that pass a link in both directions, each as itself.
func both(net *span.Net, link int) office.Set {
	carry := net.Carry(link)
	return carry.AB.And(&carry.BA)
}

// in is the VLAN whose untagged frames a port sends and takes, 0 for none.
func in(net *span.Net, dev, port int) office.VID {
	if vid := net.Tables[dev].Ports[port].PVID; vid != 0 && net.Gives(dev, port, vid, false) {
		return vid
	}
	return 0
}

// names is VLANs by name, four of them and how many more.
func names(net *span.Net, set *office.Set) string {
	var list []string
	for vid := range set.All() {
		list = append(list, net.Name(vid))
	}
	return some(list, 4)
}

// verb puts a verb behind a set of VLANs: one passes, two pass.
func verb(set *office.Set, does string) string {
	if set.Len() == 1 {
		return does + "es"
	}
	return does
}

// some is a list in words, the first few by name.
func some(list []string, most int) string {
	switch n := len(list); {
	case n > most+1:
		return fmt.Sprintf("%s and %d more", strings.Join(list[:most], ", "), n-most)
	case n > 1:
		return strings.Join(list[:n-1], ", ") + " and " + list[n-1]
	}
	return strings.Join(list, "")
}

// Say is what an interruption means, in a sentence; the steps are counted from 1.
func (x Interrupt) Say(name func(office.VID) string) string {
	if x.Way != "" {
		return fmt.Sprintf("Interrupted until step %d: %s.", x.Until+1, x.Way)
	}
	ports := make([]string, len(x.Ports))
	for i, p := range x.Ports {
		ports[i] = strings.Replace(p, ".", " ", 1)
	}
	return fmt.Sprintf("Interrupted in %s until step %d: %s.", name(x.VLAN), x.Until+1, some(ports, 6))
}

// Say is what a join means, in a sentence; the steps are counted from 1.
func (x Join) Say(name func(office.VID) string) string {
	return fmt.Sprintf("LEAK until step %d: %s and %s meet.", x.Until+1, name(x.VLANs[0]), name(x.VLANs[1]))
}

// Summary is what an order comes to.
func (o *Order) Summary() string {
	if len(o.Steps) == 0 {
		if len(o.Paper) > 0 {
			return "There is nothing to do on any device: what differs is on paper."
		}
		return "There is nothing to do: everything is as planned."
	}
	count := func(n int, one string) string {
		if n == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %ss", n, one)
	}
	text := fmt.Sprintf("%s, %s", count(len(o.Visits), "visit"), count(len(o.Steps), "step"))
	if o.Price.Walks > 0 {
		text += ", " + count(o.Price.Walks, "walk") + " with the laptop"
	}
	if n := len(o.Silent); n > 0 {
		text += fmt.Sprintf("; %s out of reach and left as it is", count(n, "device"))
	}
	harm := o.Harm()
	// That nobody is locked out holds for a far device only as long as each step on it does
	// what it says: the headline does not say more than that.
	far := ""
	if n := len(o.Far); n > 0 {
		far = " " + count(n, "device") + " elsewhere may be lost if a step goes wrong."
	}
	ends := ""
	switch n := len(o.Leaves); {
	case n == 1:
		ends = "; the plan itself ends what works today"
	case n > 1:
		ends = fmt.Sprintf("; the plan itself ends %d things that work today", n)
	}
	switch {
	case harm != nil:
		return text + ". On the way: " + strings.Join(harm, "; ") + ends + "." + far
	case ends != "":
		return text + ". On the way nobody is cut off and nobody is locked out" + ends + "." + far
	}
	return text + ". Nobody is cut off, nobody is locked out." + far
}

// Harm says who suffers on the way, in words.
func (o *Order) Harm() (harm []string) {
	if o.Leaks > 0 {
		harm = append(harm, "VLANs meet for a while that should not")
	}
	if o.Price.Rings > 0 {
		harm = append(harm, "a ring is closed for a while")
	}
	if o.Price.Blind > 0 {
		harm = append(harm, "a device is out of reach for a while")
	}
	if o.Interrupted() > 0 {
		harm = append(harm, "somebody is cut off for a while")
	}
	return harm
}

// Safe says whether nobody suffers on the way.
func (o *Order) Safe() bool {
	return len(o.Silent) == 0 && o.Leaks == 0 && o.Price.Rings == 0 && o.Price.Blind == 0 && o.Interrupted() == 0
}

// Interrupted is pairs that are cut off, and ports with somebody that are in no VLAN, summed
// over the steps that leave them so.
func (o *Order) Interrupted() int { return o.Price.Interrupted + o.Parked }
