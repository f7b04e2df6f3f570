package notation

import (
	"fmt"
	"strconv"
	"strings"

	"klammer/core/office"
)

// item is one element of a port list: a name, or a range of names.
type item struct {
	from    string
	literal bool // it stood in quotes: a name and nothing else
	at      int
}

// portList reads "1-4,7, last" up to a token that is no part of it.
func portList(cur *cursor) ([]item, *fault) {
	var list []item
	for {
		tok, wrong := cur.text("a port")
		if wrong != nil {
			return nil, wrong
		}
		if tok.kind == quoted {
			list = append(list, item{from: tok.text, literal: true, at: tok.at})
		} else {
			list = append(list, item{from: tok.text, at: tok.at})
		}
		if !cur.accept(",") {
			return list, nil
		}
	}
}

// cuts yields the ways to read a word as a range: every hyphen may part it.
func cuts(text string) func(yield func(a, b string) bool) {
	return func(yield func(a, b string) bool) {
		for i := 1; i < len(text)-1; i++ {
			if text[i] == '-' && !yield(text[:i], text[i+1:]) {
				return
			}
		}
	}
}

// fromEnd reads last and last-N: 0 and -N.
func fromEnd(text string) (int, bool) {
	if text == "last" {
		return 0, true
	}
	if n, ok := strings.CutPrefix(text, "last-"); ok && allDigits(n) {
		k, err := strconv.Atoi(n)
		return -k, err == nil && k > 0 && k < 4096
	}
	return 0, false
}

// resolve finds the ports that an item names on a device: their places in
// Device.Ports. A range goes along the front.
//
// Many branches: a name, a number from the end and a range look alike, and each mistake is
// told for what it is.
func resolve(device *office.Device, it item) ([]int, *fault) {
	one := func(text string) int {
		if i := device.Port(text); i >= 0 {
			return i
		}
		if k, ok := fromEnd(text); ok && device.Front()+k > 0 {
			return device.Front() - 1 + k
		}
		return -1
	}
	if it.literal {
		i, err := device.FindPort(it.from)
		if err != nil {
			return nil, faultf(it.at, "%s", err)
		}
		return []int{i}, nil
	}
	if i := one(it.from); i >= 0 {
		return []int{i}, nil
	}
	backwards := ""
	for a, b := range cuts(it.from) {
		i, j := one(a), one(b)
		if j < 0 && i >= 0 && allDigits(b) { // lan1-4 for lan1-lan4
			stem := strings.TrimRight(a, "0123456789")
			j = one(stem + b)
		}
		if i < 0 || j < 0 {
			continue
		}
		if device.Ports[i].Kind != office.Physical || device.Ports[j].Kind != office.Physical {
			return nil, faultf(it.at, "%s is not a range: a range goes along the ports of the front", it.from)
		}
		if j < i {
			backwards = b + "-" + a
			continue
		}
		r := make([]int, 0, j-i+1)
		for k := i; k <= j; k++ {
			r = append(r, k)
		}
		return r, nil
	}
	if backwards != "" {
		return nil, faultf(it.at, "the range %s runs backwards: write %s", it.from, backwards)
	}
	missing := it.from
	for a, b := range cuts(it.from) { // name the end that is missing
		if one(a) >= 0 {
			missing = b
		} else if one(b) >= 0 {
			missing = a
		}
	}
	_, err := device.FindPort(missing)
	return nil, faultf(it.at, "%s", err)
}

// resolveAll is [resolve] for a whole list; a port named twice is a mistake.
func resolveAll(device *office.Device, list []item) ([]int, *fault) {
	if len(list) == 1 {
		return resolve(device, list[0])
	}
	var all []int
	seen := make([]bool, len(device.Ports))
	for _, it := range list {
		is, wrong := resolve(device, it)
		if wrong != nil {
			return nil, wrong
		}
		for _, i := range is {
			if seen[i] {
				return nil, faultf(it.at, "port %s is named twice in this list", device.Ports[i].Name)
			}
			seen[i] = true
		}
		all = append(all, is...)
	}
	return all, nil
}

// expand makes the names that an item declares: "lan1-lan4", "1-24", "wan".
//
//	> core lan1-lan3: 110
//	! column 6: core has no port lan1-lan3: its front has 1 to 8
//	> core 3-1: 110
//	! column 6: the range 3-1 runs backwards: write 1-3
func expand(it item) ([]string, *fault) {
	if it.literal {
		return []string{it.from}, nil
	}
	for a, b := range cuts(it.from) {
		stem := strings.TrimRight(a, "0123456789")
		lo, hi := a[len(stem):], strings.TrimPrefix(b, stem)
		if !allDigits(lo) || !allDigits(hi) || len(lo) > 4 || len(hi) > 4 {
			continue
		}
		i, _ := strconv.Atoi(lo)
		j, _ := strconv.Atoi(hi)
		if j < i {
			return nil, faultf(it.at, "the range %s runs backwards: write %s%d-%s%d", it.from, stem, j, stem, i)
		}
		if j-i >= 4096 {
			return nil, faultf(it.at, "%s is %d ports: a device has at most 4096", it.from, j-i+1)
		}
		names := make([]string, 0, j-i+1)
		for k := i; k <= j; k++ {
			names = append(names, stem+strconv.Itoa(k))
		}
		return names, nil
	}
	if _, ok := fromEnd(it.from); ok {
		return nil, faultf(it.at, "%s counts from the end of a front and cannot name a port", it.from)
	}
	if !plainName(it.from) {
		return nil, faultf(it.at, "%q cannot name a port: letters and digits, then also _ . and -; anything else in quotes", it.from)
	}
	return []string{it.from}, nil
}

// planRange reads places on a front: 1-4, 7, last, last-1, 5-last.
//
//	> plan hall; 1-6: use desk; last-1-last: use uplink
//	plan hall
//	  1-6: use desk
//	  last-1-last: use uplink
func planRange(it item) (office.PlanRange, *fault) {
	place := func(text string) (int, bool) {
		if k, ok := fromEnd(text); ok {
			return k, true
		}
		k, err := strconv.Atoi(text)
		return k, err == nil && k >= 1 && k <= 4096 && allDigits(text)
	}
	if !it.literal {
		if k, ok := place(it.from); ok {
			return office.PlanRange{From: k, To: k}, nil
		}
		for a, b := range cuts(it.from) {
			i, ok := place(a)
			j, ok2 := place(b)
			if !ok || !ok2 {
				continue
			}
			if j < i && (i > 0) == (j > 0) {
				return office.PlanRange{}, faultf(it.at, "the range %s runs backwards: write %s-%s", it.from, b, a)
			}
			if i <= 0 && j > 0 {
				return office.PlanRange{}, faultf(it.at, "the range %s starts from the end and ends from the start: write the start first", it.from)
			}
			return office.PlanRange{From: i, To: j}, nil
		}
	}
	return office.PlanRange{}, faultf(it.at, "%q is no place on a front: a port plan counts places, 1, 1-4, last, last-1", it.from)
}

// placeText prints a place of a plan: 1 and up from the first port of the front, 0 and down from
// the last (last, last-1), as places follow a front whatever its length.
func placeText(k int) string {
	switch {
	case k > 0:
		return strconv.Itoa(k)
	case k == 0:
		return "last"
	}
	return "last-" + strconv.Itoa(-k)
}

// portRef reads device.port, the port in quotes where it has spaces.
func portRef(draft *office.Draft, cur *cursor) (office.PortRef, *fault) {
	tok, wrong := cur.word("a port, as device.port,")
	if wrong != nil {
		return office.PortRef{}, wrong
	}
	dev, port, ok := strings.Cut(tok.text, ".")
	if !ok {
		return office.PortRef{}, faultf(tok.at, "%s names no port: write device.port", tok.text)
	}
	if port == "" && cur.peek().kind == quoted && cur.peek().glued {
		port = cur.next().text
	}
	device, err := draft.FindDevice(dev)
	if err != nil {
		return office.PortRef{}, faultf(tok.at, "%s", err)
	}
	if i := device.Port(port); i >= 0 {
		return office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, nil
	}
	if k, ok := fromEnd(port); ok && device.Front()+k > 0 {
		return office.PortRef{Device: device.Name, Port: device.Ports[device.Front()-1+k].Name}, nil
	}
	_, err = device.FindPort(port)
	return office.PortRef{}, faultf(tok.at, "%s", err)
}

// Ref prints a port reference, its port in quotes where it needs them.
func Ref(ref office.PortRef) string { return ref.Device + "." + name(ref.Port) }

// listName prints a port's name where a list is read: a name that would be
// taken for a range or for a word of the notation stands in quotes.
func listName(text string) string {
	if !plainName(text) || keywords[text] {
		return quote(text)
	}
	if names, wrong := expand(item{from: text}); wrong != nil || len(names) != 1 {
		return quote(text)
	}
	for a, b := range cuts(text) {
		if (allDigits(a) || strings.HasPrefix(a, "last")) && (allDigits(b) || strings.HasPrefix(b, "last")) {
			return quote(text)
		}
	}
	return text
}

// span prints the run of a front from port i to port j.
func rangeText(device *office.Device, i, j int) string {
	a, b := device.Ports[i].Name, device.Ports[j].Name
	if i == j {
		return listName(a)
	}
	if listName(a) == a && listName(b) == b && !strings.Contains(a+b, "-") {
		return a + "-" + b
	}
	var s []string
	for port := i; port <= j; port++ {
		s = append(s, listName(device.Ports[port].Name))
	}
	return strings.Join(s, ",")
}

// Ports prints places of a device as a list in its shortest form.
func Ports(device *office.Device, at []int) string {
	var s []string
	for i := 0; i < len(at); {
		j := i
		for device.Ports[at[i]].Kind == office.Physical && j+1 < len(at) && at[j+1] == at[j]+1 && device.Ports[at[j+1]].Kind == office.Physical {
			j++
		}
		s = append(s, rangeText(device, at[i], at[j]))
		i = j + 1
	}
	return strings.Join(s, ",")
}

// PortRef reads device.port as it is written on a command line: the port as it
// is named, or in quotes.
func PortRef(o *office.Office, s string) (office.PortRef, error) {
	dev, port, ok := strings.Cut(s, ".")
	if !ok {
		return office.PortRef{}, fmt.Errorf("%q names no port: write device.port", s)
	}
	if len(port) > 1 && port[0] == '"' {
		if text, n := unquote(port); n == len(port) {
			port = text
		}
	}
	device, err := office.NewDraft(o).FindDevice(dev)
	if err != nil {
		return office.PortRef{}, err
	}
	i, err := device.FindPort(port)
	if err != nil {
		return office.PortRef{}, err
	}
	return office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, nil
}

// PortList reads a list of a device's ports as it is written in a line of the
// device: 1-8,24 or lan1-lan4,"Waiting room". An empty text is no port.
func PortList(device *office.Device, text string) ([]int, error) {
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return nil, fmt.Errorf("%s", why)
	}
	if len(toks) == 0 {
		return nil, nil
	}
	cur := &cursor{toks: toks, end: len(text)}
	list, wrong := portList(cur)
	if wrong == nil {
		wrong = cur.done("a list of ports")
	}
	if wrong != nil {
		return nil, fmt.Errorf("%s", wrong.text)
	}
	at, wrong := resolveAll(device, list)
	if wrong != nil {
		return nil, fmt.Errorf("%s", wrong.text)
	}
	return at, nil
}

// portsOf reads a list of ports of a device.
//
//	> core 1-2,4: off
//	core 1-2,4: off
func portsOf(device *office.Device, cur *cursor) ([]int, *fault) {
	list, wrong := portList(cur)
	if wrong != nil {
		return nil, wrong
	}
	return resolveAll(device, list)
}
