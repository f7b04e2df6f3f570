package notation

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// fact reads the text of one fact, after its word.
//
//	> core place "cellar, rack 2" serial "X-100"
//	core place "cellar, rack 2"
//	core serial "X-100"
func (r *reader) fact(facts *office.Facts, fact *office.FactWord, cur *cursor) *fault {
	tok, wrong := cur.text(fmt.Sprintf("%s, in quotes (%s),", fact.Word, fact.Says))
	if wrong != nil {
		return wrong
	}
	if err := fact.Put(facts, tok.text); err != nil && !r.history { // what was kept once can be read
		return faultf(tok.at, "%s", err)
	}
	return nil
}

// facts reads a fact after its word, and others that follow it on the line.
func (r *reader) facts(facts *office.Facts, fact *office.FactWord, cur *cursor, of office.FactOf) *fault {
	for {
		if wrong := r.fact(facts, fact, cur); wrong != nil {
			return wrong
		}
		if !cur.more() {
			return nil
		}
		tok := cur.next()
		if fact = office.FactNamed(wordText(tok), of); fact == nil {
			return faultf(tok.at, "%s does not belong here: after it come %s", tok.shown(), strings.Join(factWords(of), ", "))
		}
	}
}

// factWords are the words of the facts that such a thing may have: a device has others than a port.
func factWords(of office.FactOf) (all []string) {
	for _, one := range office.FactWords {
		if one.Of&of != 0 {
			all = append(all, one.Word)
		}
	}
	return all
}

// portFacts reads what is noted of ports: port PORTS note "…", or a fact's own word,
// as in socket 1-8 "2.01-2.08", which gives a range to the ports in order.
//
//	> core socket 1-2 "A-11,A-14"
//	core port 1 socket "A-11"
//	core port 2 socket "A-14"
//	> core port 1 colour "red"
//	! column 13: after the ports comes what is noted of them: socket or note: found colour
func (r *reader) portFacts(device *office.Device, cur *cursor, tok token) (which string, wrong *fault) {
	at, wrong := portsOf(device, cur)
	if wrong != nil {
		return "", wrong
	}
	which = device.Ports[at[0]].Name
	if fact := office.FactNamed(tok.text, office.PortFact); tok.text != ofPort {
		text, f := cur.text(fmt.Sprintf("%s, in quotes (%s),", fact.Word, fact.Says))
		if f != nil {
			return which, f
		}
		texts := []string{text.text}
		if len(at) > 1 {
			if texts = series(text.text); len(texts) != len(at) {
				return which, faultf(text.at, "%q is %d, and there are %d ports: name as many, as in socket 1-8 \"2.01-2.08\"", text.text, len(texts), len(at))
			}
		}
		for i, p := range at {
			if f := notePort(device, p, fact, texts[i], text.at); f != nil {
				return which, f
			}
		}
		return which, cur.done(fact.Word + " and its text")
	}
	var noted office.Facts
	word := cur.next()
	w := office.FactNamed(wordText(word), office.PortFact)
	if w == nil {
		return which, faultf(word.at, "after the ports comes what is noted of them: %s%s", strings.Join(factWords(office.PortFact), " or "), found(word))
	}
	if f := r.facts(&noted, w, cur, office.PortFact); f != nil {
		return which, f
	}
	for i, p := range at {
		for fact, text := range noted.Noted() {
			if names := series(text); fact == socket && len(at) > 1 && len(names) == len(at) { // nobody has one socket three times
				text = names[i]
			}
			if f := notePort(device, p, fact, text, word.at); f != nil {
				return which, f
			}
		}
	}
	return which, nil
}

// notePort gives a port one fact, such as the wall socket that it leads to; an empty text takes it
// away.
func notePort(device *office.Device, port int, fact *office.FactWord, text string, at int) *fault {
	facts, err := device.Ports[port].Facts.With(fact, text)
	if err != nil {
		return faultf(at, "%s", err)
	}
	device.Ports[port].Facts = facts
	return nil
}

// removePortFacts reads the ports of which something is noted no more: one fact, or
// that which is named, or all.
func removePortFacts(device *office.Device, cur *cursor, fact *office.FactWord) *fault {
	at, wrong := portsOf(device, cur)
	if wrong != nil {
		return wrong
	}
	if fact == nil && cur.more() {
		tok := cur.next()
		if fact = office.FactNamed(wordText(tok), office.PortFact); fact == nil {
			return faultf(tok.at, "%s is not noted of ports: %s", tok.shown(), strings.Join(factWords(office.PortFact), " or "))
		}
	}
	for _, port := range at {
		if fact == nil {
			device.Ports[port].Facts = nil
		} else {
			device.Ports[port].Facts, _ = device.Ports[port].Facts.With(fact, "")
		}
	}
	return cur.done("what is to be removed")
}

// socket is the wall socket that a port leads to, of which each has its own.
var socket = office.FactNamed("socket", office.PortFact)

// mostSeries bounds how many names one text may stand for.
const mostSeries = 4096

// series is the names that a text stands for, in order: "2.01-2.08,3.01" is nine. What
// is no range is one name.
//
//	> core socket 1-3 "0.01-0.03"
//	core port 1 socket "0.01"
//	core port 2 socket "0.02"
//	core port 3 socket "0.03"
//	> core port 1-3 socket "0.01-0.03"
//	core port 1 socket "0.01"
//	core port 2 socket "0.02"
//	core port 3 socket "0.03"
func series(text string) (all []string) {
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		names := []string{part}
		for i := range part {
			if part[i] != '-' {
				continue
			}
			if run := between(part[:i], part[i+1:]); len(run) > 0 {
				names = run
				break
			}
		}
		if all = append(all, names...); len(all) > mostSeries {
			return all
		}
	}
	return all
}

// between is the names from one to another that differ in the number that they end in;
// none where that is no range.
func between(from, to string) (all []string) {
	head, a := numbered(from)
	other, b := numbered(to)
	if a == "" || b == "" || head != other || len(a) > len(b) || len(b) > len(a) && (a[0] == '0' || b[0] == '0') {
		return nil
	}
	first, _ := strconv.Atoi(a)
	last, _ := strconv.Atoi(b)
	if first >= last || last-first >= mostSeries {
		return nil
	}
	for k := first; k <= last; k++ {
		all = append(all, fmt.Sprintf("%s%0*d", head, len(a), k))
	}
	return all
}

// numbered parts a name and the number that it ends in, of at most nine digits.
func numbered(name string) (head, number string) {
	i := len(name)
	for i > 0 && len(name)-i < 9 && name[i-1] >= '0' && name[i-1] <= '9' {
		i--
	}
	return name[:i], name[i:]
}

// noted is a statement of what is noted of ports, and the first of them.
type noted struct{ word, first, text string }

// portFacts is what is noted of a device's ports, as statements: neighbours on the front
// whose texts go on, or are one, share a line.
func portFacts(device *office.Device) (all []noted) {
	for k := range office.FactWords {
		fact := &office.FactWords[k]
		if fact.Of&office.PortFact == 0 {
			continue
		}
		own := fact.Of == office.PortFact
		for i := 0; i < len(device.Ports); i++ {
			first := fact.In(device.Ports[i].Facts)
			if first == "" {
				continue
			}
			j, text := i, first
			for device.Ports[i].Kind == office.Physical && j+1 < len(device.Ports) && device.Ports[j+1].Kind == office.Physical {
				next := fact.In(device.Ports[j+1].Facts)
				if !own {
					if next != first {
						break
					}
				} else {
					run := between(first, next)
					want := first + "-" + next
					if len(run) != j+2-i || !slices.Equal(series(want), run) {
						break
					}
					text = want
				}
				j++
			}
			where := rangeText(device, i, j)
			line := ofPort + " " + where + " " + fact.Word + " " + quote(text)
			if own {
				line = fact.Word + " " + where + " " + quote(text)
			}
			all = append(all, noted{strings.Fields(line)[0], device.Ports[i].Name, line})
			i = j
		}
	}
	return all
}

// withoutFacts is a device of which nothing is noted.
func withoutFacts(device *office.Device) *office.Device {
	other := device.Clone()
	other.Facts = office.Facts{}
	for i := range other.Ports {
		other.Ports[i].Facts = nil
	}
	return other.Seal()
}

// FactLines are the statements that lead from what is noted of one device to what is
// noted of another with its ports.
func FactLines(was, is *office.Device) (lines []string) {
	for k := range office.FactWords {
		fact := &office.FactWords[k]
		if a, b := fact.In(&was.Facts), fact.In(&is.Facts); a != b && b == "" {
			lines = append(lines, "-"+is.Name+" "+fact.Word)
		} else if a != b {
			lines = append(lines, is.Name+" "+fact.Word+" "+quote(b))
		}
		for i := range is.Ports {
			port := &is.Ports[i]
			var before *office.Facts
			if one := was.Port(port.Name); one >= 0 {
				before = was.Ports[one].Facts
			}
			at := is.Name + " " + ofPort + " " + rangeText(is, i, i) + " " + fact.Word
			if a, b := fact.In(before), fact.In(port.Facts); a != b && b == "" {
				lines = append(lines, "-"+at)
			} else if a != b {
				lines = append(lines, at+" "+quote(b))
			}
		}
	}
	return lines
}
