package notation

import (
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// vlan reads a VLAN by number or by name.
func vlan(draft *office.Draft, text string, at int) (office.VID, *fault) {
	if text == "" {
		return 0, faultf(at, "a VLAN is missing here: its number or its name")
	}
	if text[0] >= '0' && text[0] <= '9' {
		v, err := parseVID(text)
		if err != nil {
			return 0, faultf(at, "%s", err)
		}
		return v, nil
	}
	v, err := draft.FindVLAN(text)
	if err != nil {
		return 0, faultf(at, "%s", err)
	}
	return v, nil
}

// parseVID is office.ParseVID without the detour for the usual case.
func parseVID(text string) (office.VID, error) {
	n := 0
	for i := 0; i < len(text); i++ {
		if text[i] < '0' || text[i] > '9' || n > 9999 {
			return office.ParseVID(text)
		}
		n = n*10 + int(text[i]-'0')
	}
	return office.VIDOf(n)
}

// shape reads a shape up to the end of the line or to because.
func shape(draft *office.Draft, cur *cursor) (office.Shape, *fault) {
	var s office.Shape
	start := cur.peek()
	if !cur.more() {
		return s, faultf(start.at, "a shape is missing here: such as 120, 190 [110 160], or - for no VLAN")
	}
	switch {
	case cur.accept("off"):
		s.Off = true
		return s, nil
	case cur.accept("use"):
		t, f := cur.text("the name of a use")
		if f != nil {
			return s, f
		}
		u, err := draft.FindUse(t.text)
		if err != nil {
			return s, faultf(t.at, "%s", err)
		}
		return office.Shape{Use: u.Name}, nil
	case cur.accept("-"):
	case start.kind == word && !isShapeOption(start.text):
		cur.next()
		if f := untagged(draft, &s, start); f != nil {
			return s, f
		}
	case start.kind == quoted:
		return s, faultf(start.at, "%s is no VLAN: give its number or its name without quotes", start.shown())
	}
	var seen []string
	for cur.more() {
		t := cur.peek()
		if t.is("because") {
			break
		}
		cur.next()
		if !t.is("[") {
			if isShapeOption(t.text) && slices.Contains(seen, t.text) {
				return s, faultf(t.at, "%s is said twice", t.text)
			}
			seen = append(seen, t.text)
		}
		var wrong *fault
		switch {
		case t.is("["):
			wrong = tagged(draft, &s, cur)
		case t.is("pvid"):
			wrong = pvid(draft, &s, cur)
		case t.is("admit"):
			wrong = admit(&s, cur)
		case t.is("filter"):
			wrong = filter(&s, cur)
		case t.kind == word && (t.text[0] >= '0' && t.text[0] <= '9' || t.text[0] == '+'):
			wrong = faultf(t.at, "%s would be a second untagged VLAN: write it with a plus and say the PVID, as in 110+120 pvid 110, or tag it, as in 110 [120]", t.text)
		default:
			wrong = faultf(t.at, "%s does not belong in a shape: after the VLANs come pvid, admit, filter or because", t.shown())
		}
		if wrong != nil {
			return s, wrong
		}
	}
	if len(s.Untagged) > 1 && !s.PVIDSet {
		return s, faultf(start.at, "a shape with several untagged VLANs must say its PVID: add pvid %d, or pvid none", s.Untagged[0])
	}
	for _, v := range s.Tagged {
		if slices.Contains(s.Untagged, v) {
			return s, faultf(start.at, "VLAN %d is both untagged and tagged here: a port is a member in one form", v)
		}
	}
	s = s.Normal()
	if err := s.Clash(); err != nil {
		return s, faultf(start.at, "%s", err)
	}
	return s, nil
}

func isShapeOption(s string) bool {
	return s == "pvid" || s == "admit" || s == "filter" || s == "because"
}

func untagged(draft *office.Draft, s *office.Shape, t token) *fault {
	at := t.at
	for rest, more := t.text, true; more; {
		var one string
		one, rest, more = strings.Cut(rest, "+")
		if lo, hi, ok := strings.Cut(one, "-"); ok && allDigits(lo) && allDigits(hi) {
			return faultf(at, "%s is a range of untagged VLANs: tag them, [%s], or join single ones with a plus", one, one)
		}
		vid, f := vlan(draft, one, at)
		if f != nil {
			return f
		}
		if slices.Contains(s.Untagged, vid) {
			return faultf(at, "VLAN %d is named twice", vid)
		}
		s.Untagged = append(s.Untagged, vid)
		at += len(one) + 1
	}
	return nil
}

func allDigits(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}

// tagged reads what stands in brackets, after the opening one.
func tagged(draft *office.Draft, s *office.Shape, c *cursor) *fault {
	empty := true
	for {
		t := c.next()
		switch {
		case t.is("]"):
			if empty {
				return faultf(t.at, "the brackets are empty: leave them out where no VLAN is tagged")
			}
			return nil
		case t.is(","):
			continue
		case t.is("all"):
			s.Rest = office.RestAll
		case t.is("needed"):
			s.Rest = office.RestNeeded
		case t.kind != word:
			return faultf(t.at, "a closing ] or a VLAN is missing here%s", found(t))
		default:
			if f := taggedVLANs(draft, s, t); f != nil {
				return f
			}
		}
		empty = false
	}
}

func taggedVLANs(draft *office.Draft, s *office.Shape, t token) *fault {
	text := t.text
	if own, wire, ok := strings.Cut(text, "@"); ok {
		vid, f := vlan(draft, own, t.at)
		if f != nil {
			return f
		}
		w, err := parseVID(wire)
		if err != nil {
			return faultf(t.at+len(own)+1, "the VID on the wire: %s", err)
		}
		s.Tagged = append(s.Tagged, vid)
		if w != vid {
			for _, r := range s.Rides {
				if r.Wire == w || r.VLAN == vid {
					return faultf(t.at, "VLAN %d and VID %d on the wire are paired already on this port", r.VLAN, r.Wire)
				}
			}
			s.Rides = append(s.Rides, office.Ride{VLAN: vid, Wire: w})
		}
		return nil
	}
	if lo, hi, ok := strings.Cut(text, "-"); ok && allDigits(lo) && allDigits(hi) {
		a, err := parseVID(lo)
		if err != nil {
			return faultf(t.at, "%s", err)
		}
		b, err := parseVID(hi)
		if err != nil {
			return faultf(t.at+len(lo)+1, "%s", err)
		}
		if b < a {
			return faultf(t.at, "the range %s runs backwards: write %d-%d", text, b, a)
		}
		s.Tagged = slices.Grow(s.Tagged, int(b-a)+1)
		for v := a; v <= b; v++ {
			s.Tagged = append(s.Tagged, v)
		}
		return nil
	}
	v, f := vlan(draft, text, t.at)
	if f != nil {
		return f
	}
	s.Tagged = append(s.Tagged, v)
	return nil
}

func pvid(draft *office.Draft, s *office.Shape, c *cursor) *fault {
	t, wrong := c.word("the PVID, or none")
	if wrong != nil {
		return wrong
	}
	s.PVIDSet = true
	if t.text == "none" {
		return nil
	}
	s.PVID, wrong = vlan(draft, t.text, t.at)
	return wrong
}

func admit(s *office.Shape, c *cursor) *fault {
	t, f := c.word("tagged or untagged")
	if f != nil {
		return f
	}
	switch t.text {
	case "tagged":
		s.Admit = office.AdmitTagged
	case "untagged":
		s.Admit = office.AdmitUntagged
	case "all":
		s.Admit = office.AdmitAll
	default:
		return faultf(t.at, "admit %s: a port admits tagged, untagged or all frames", t.text)
	}
	return nil
}

func filter(s *office.Shape, c *cursor) *fault {
	t, f := c.word("on or off")
	if f != nil {
		return f
	}
	switch t.text {
	case "off":
		s.FilterOff = true
	case "on":
	default:
		return faultf(t.at, "filter %s: ingress filtering is on or off", t.text)
	}
	return nil
}

// Shape prints a shape in bracket notation.
func Shape(s office.Shape) string { return string(appendShape(nil, s)) }

func appendShape(b []byte, s office.Shape) []byte {
	switch {
	case s.Off:
		return append(b, "off"...)
	case s.Use != "":
		return append(append(b, "use "...), name(s.Use)...)
	}
	start := len(b)
	for i, v := range s.Untagged {
		if i > 0 {
			b = append(b, '+')
		}
		b = strconv.AppendUint(b, uint64(v), 10)
	}
	if len(s.Tagged) > 0 || s.Rest != office.RestNone {
		if len(b) > start {
			b = append(b, ' ')
		}
		b = append(b, '[')
		b = appendTagged(b, s)
		b = append(b, ']')
	}
	if len(b) == start {
		b = append(b, '-')
	}
	if s.PVIDSet || len(s.Untagged) > 1 {
		if s.PVID == 0 {
			b = append(b, " pvid none"...)
		} else {
			b = strconv.AppendUint(append(b, " pvid "...), uint64(s.PVID), 10)
		}
	}
	if s.Admit != office.AdmitAll {
		b = append(append(b, " admit "...), s.Admit.String()...)
	}
	if s.FilterOff {
		b = append(b, " filter off"...)
	}
	return b
}

func appendTagged(b []byte, s office.Shape) []byte {
	start := len(b)
	put := func() {
		if len(b) > start {
			b = append(b, ' ')
		}
	}
	wire := func(vid office.VID) office.VID {
		for _, r := range s.Rides {
			if r.VLAN == vid {
				return r.Wire
			}
		}
		return vid
	}
	for i := 0; i < len(s.Tagged); {
		vid := s.Tagged[i]
		j := i
		for wire(vid) == vid && j+1 < len(s.Tagged) && s.Tagged[j+1] == s.Tagged[j]+1 && wire(s.Tagged[j+1]) == s.Tagged[j+1] {
			j++
		}
		put()
		b = strconv.AppendUint(b, uint64(vid), 10)
		switch {
		case wire(vid) != vid:
			b = strconv.AppendUint(append(b, '@'), uint64(wire(vid)), 10)
		case j-i >= 2:
			b = strconv.AppendUint(append(b, '-'), uint64(s.Tagged[j]), 10)
		default:
			j = i
		}
		i = j + 1
	}
	switch s.Rest {
	case office.RestAll:
		put()
		b = append(b, "all"...)
	case office.RestNeeded:
		put()
		b = append(b, "needed"...)
	}
	return b
}
