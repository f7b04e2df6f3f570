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
		vid, err := parseVID(text)
		if err != nil {
			return 0, faultf(at, "%s", err)
		}
		return vid, nil
	}
	other, err := draft.FindVLAN(text)
	if err == nil {
		return other, nil
	}
	if fits := office.Fitting(text, text); fits != text { // named as it is written elsewhere
		if other, none := draft.FindVLAN(fits); none == nil {
			return other, nil
		}
	}
	return 0, faultf(at, "%s", err)
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
//
//	> core 6: 110 [140 160] admit tagged
//	core 6: 110 [140 160] admit tagged
func shape(draft *office.Draft, cur *cursor) (office.Shape, *fault) {
	var one office.Shape
	start := cur.peek()
	switch {
	case !cur.more():
		return one, faultf(start.at, "a shape is missing here: such as 120, 190 [110 160], or - for no VLAN")
	case cur.accept("off"):
		one.Off = true
		return one, nil
	case cur.accept("use"):
		tok, wrong := cur.text("the name of a use")
		if wrong != nil {
			return one, wrong
		}
		use, err := draft.FindUse(tok.text)
		if err != nil {
			return one, faultf(tok.at, "%s", err)
		}
		return office.Shape{Use: use.Name}, nil
	case cur.accept("-"):
	case start.kind == word && !isShapeOption(start.text):
		cur.next()
		if wrong := untagged(draft, &one, start); wrong != nil {
			if cur.accept("[") { // what is wrong there, too
				wrong = wrong.and(tagged(draft, &one, cur))
			}
			return one, wrong
		}
	case start.kind == quoted:
		return one, faultf(start.at, "%s is no VLAN: give its number or its name without quotes", start.shown())
	}
	var seen []string
	for cur.more() {
		tok := cur.peek()
		if tok.is("because") {
			break
		}
		cur.next()
		if !tok.is("[") {
			if isShapeOption(tok.text) && slices.Contains(seen, tok.text) {
				return one, faultf(tok.at, "%s is said twice", tok.text)
			}
			seen = append(seen, tok.text)
		}
		if wrong := shapeOption(draft, &one, cur, tok); wrong != nil {
			return one, wrong
		}
	}
	return wholeShape(one, start)
}

// shapeOption reads what stands behind the untagged VLANs of a shape, one thing of it.
func shapeOption(draft *office.Draft, one *office.Shape, cur *cursor, tok token) *fault {
	switch {
	case tok.is("["):
		return tagged(draft, one, cur)
	case tok.is("pvid"):
		return pvid(draft, one, cur)
	case tok.is("admit"):
		return admit(one, cur)
	case tok.is("filter"):
		return filter(one, cur)
	case tok.kind == word && (tok.text[0] >= '0' && tok.text[0] <= '9' || tok.text[0] == '+'):
		return faultf(tok.at, "%s would be a second untagged VLAN: write it with a plus and say the PVID, as in 110+120 pvid 110, or tag it, as in 110 [120]", tok.text)
	}
	return faultf(tok.at, "%s does not belong in a shape: after the VLANs come pvid, admit, filter or because", tok.shown())
}

// wholeShape is a shape that was read, in its normal form, where its parts go together.
func wholeShape(one office.Shape, start token) (office.Shape, *fault) {
	if len(one.Untagged) > 1 && !one.PVIDSet {
		return one, faultf(start.at, "a shape with several untagged VLANs must say its PVID: add pvid %d, or pvid none", one.Untagged[0])
	}
	for _, vid := range one.Tagged {
		if slices.Contains(one.Untagged, vid) {
			return one, faultf(start.at, "VLAN %d is both untagged and tagged here: a port is a member in one form", vid)
		}
	}
	one = one.Normal()
	if err := one.Clash(); err != nil {
		return one, faultf(start.at, "%s", err)
	}
	return one, nil
}

func isShapeOption(text string) bool {
	return text == "pvid" || text == "admit" || text == "filter" || text == "because"
}

// untagged reads the VLANs that leave without a tag, joined by a plus: 110 or 110+120. A range is
// refused, as nearly always a tag was meant.
//
//	> core 6: 110+160
//	! column 9: a shape with several untagged VLANs must say its PVID: add pvid 110, or pvid
//	    none
//	> core 6: 110-112
//	! column 9: 110-112 is a range of untagged VLANs: tag them, [110-112], or join single ones
//	    with a plus
func untagged(draft *office.Draft, s *office.Shape, tok token) (all *fault) {
	at := tok.at
	for rest, more := tok.text, true; more; {
		var one string
		one, rest, more = strings.Cut(rest, "+")
		if lo, hi, ok := strings.Cut(one, "-"); ok && allDigits(lo) && allDigits(hi) {
			return faultf(at, "%s is a range of untagged VLANs: tag them, [%s], or join single ones with a plus", one, one)
		}
		vid, wrong := vlan(draft, one, at)
		switch {
		case wrong != nil:
			if all = all.and(wrong); all.many() {
				return all
			}
		case slices.Contains(s.Untagged, vid):
			return all.and(faultf(at, "VLAN %d is named twice", vid))
		default:
			s.Untagged = append(s.Untagged, vid)
		}
		at += len(one) + 1
	}
	return all
}

func allDigits(text string) bool {
	return text != "" && strings.Trim(text, "0123456789") == ""
}

// tagged reads what stands in brackets, after the opening one, and tells all that is wrong in them.
//
//	> core 6: [counter 110 yard]
//	! column 10: no VLAN is named counter: register it with vlan NUMBER counter
//	column 22: no VLAN is named yard: register it with vlan NUMBER yard
func tagged(draft *office.Draft, one *office.Shape, cur *cursor) (all *fault) {
	empty := true
	for {
		tok := cur.next()
		switch {
		case tok.is("]"):
			if empty {
				return faultf(tok.at, "the brackets are empty: leave them out where no VLAN is tagged")
			}
			return all
		case tok.is(","):
			continue
		case tok.is("all"):
			one.Rest = office.RestAll
		case tok.is("needed"):
			one.Rest = office.RestNeeded
		case tok.kind != word:
			return all.and(faultf(tok.at, "a closing ] or a VLAN is missing here%s", found(tok)))
		default:
			if all = all.and(taggedVLANs(draft, one, tok)); all.many() {
				return all
			}
		}
		empty = false
	}
}

// taggedVLANs reads one item between the brackets: a VLAN, a range, all, needed, or a ride
// 110@2110, VLAN 110 under another VID on the wire (a VID translation, IEEE 802.1Q, 6.9).
//
//	> core 6: [110 160@2160]
//	core 6: [110 160@2160]
//	> core 6: [160-110]
//	! column 10: the range 160-110 runs backwards: write 110-160
func taggedVLANs(draft *office.Draft, one *office.Shape, tok token) *fault {
	text := tok.text
	if own, wire, ok := strings.Cut(text, "@"); ok {
		vid, wrong := vlan(draft, own, tok.at)
		if wrong != nil {
			return wrong
		}
		other, err := parseVID(wire)
		if err != nil {
			return faultf(tok.at+len(own)+1, "the VID on the wire: %s", err)
		}
		one.Tagged = append(one.Tagged, vid)
		if other != vid {
			for _, ride := range one.Rides {
				if ride.Wire == other || ride.VLAN == vid {
					return faultf(tok.at, "VLAN %d and VID %d on the wire are paired already on this port", ride.VLAN, ride.Wire)
				}
			}
			one.Rides = append(one.Rides, office.Ride{VLAN: vid, Wire: other})
		}
		return nil
	}
	if lo, hi, ok := strings.Cut(text, "-"); ok && allDigits(lo) && allDigits(hi) {
		vid, err := parseVID(lo)
		if err != nil {
			return faultf(tok.at, "%s", err)
		}
		other, err := parseVID(hi)
		if err != nil {
			return faultf(tok.at+len(lo)+1, "%s", err)
		}
		if other < vid {
			return faultf(tok.at, "the range %s runs backwards: write %d-%d", text, other, vid)
		}
		one.Tagged = slices.Grow(one.Tagged, int(other-vid)+1)
		for v := vid; v <= other; v++ {
			one.Tagged = append(one.Tagged, v)
		}
		return nil
	}
	v, f := vlan(draft, text, tok.at)
	if f != nil {
		return f
	}
	one.Tagged = append(one.Tagged, v)
	return nil
}

// pvid reads the PVID where it is not the untagged VLAN: a VLAN, or none, by which what comes
// without a tag is dropped (IEEE 802.1Q, 6.9.1 has no such value; devices do).
//
//	> core 6: 110 pvid none
//	core 6: 110 pvid none
func pvid(draft *office.Draft, one *office.Shape, cur *cursor) *fault {
	tok, wrong := cur.word("the PVID, or none")
	if wrong != nil {
		return wrong
	}
	one.PVIDSet = true
	if tok.text == "none" {
		return nil
	}
	one.PVID, wrong = vlan(draft, tok.text, tok.at)
	return wrong
}

// admit reads which frames a port takes: the Acceptable Frame Types of IEEE 802.1Q, 6.9.
//
//	> core 6: 110 admit everything
//	! column 19: admit everything: a port admits tagged, untagged or all frames
func admit(one *office.Shape, cur *cursor) *fault {
	tok, wrong := cur.word("tagged or untagged")
	if wrong != nil {
		return wrong
	}
	switch tok.text {
	case "tagged":
		one.Admit = office.AdmitTagged
	case "untagged":
		one.Admit = office.AdmitUntagged
	case "all":
		one.Admit = office.AdmitAll
	default:
		return faultf(tok.at, "admit %s: a port admits tagged, untagged or all frames", tok.text)
	}
	return nil
}

// filter reads whether a port drops frames of VLANs that it is no member of: ingress filtering of
// IEEE 802.1Q, 8.6.2. It is on unless off is said.
//
//	> core 6: [110] filter off
//	core 6: [110] filter off
func filter(one *office.Shape, cur *cursor) *fault {
	tok, wrong := cur.word("on or off")
	if wrong != nil {
		return wrong
	}
	switch tok.text {
	case "off":
		one.FilterOff = true
	case "on":
	default:
		return faultf(tok.at, "filter %s: ingress filtering is on or off", tok.text)
	}
	return nil
}

// Shape prints a shape in bracket notation.
func Shape(one office.Shape) string { return string(appendShape(nil, one)) }

// appendShape prints a shape; untagged before the brackets, then the PVID and the rest only where
// they are not what the former implies. Reading gives the same shape back.
func appendShape(b []byte, one office.Shape) []byte {
	switch {
	case one.Off:
		return append(b, "off"...)
	case one.Use != "":
		return append(append(b, "use "...), name(one.Use)...)
	}
	start := len(b)
	for i, vid := range one.Untagged {
		if i > 0 {
			b = append(b, '+')
		}
		b = strconv.AppendUint(b, uint64(vid), 10)
	}
	if len(one.Tagged) > 0 || one.Rest != office.RestNone {
		if len(b) > start {
			b = append(b, ' ')
		}
		b = append(b, '[')
		b = appendTagged(b, one)
		b = append(b, ']')
	}
	if len(b) == start {
		b = append(b, '-')
	}
	if one.PVIDSet || len(one.Untagged) > 1 {
		if one.PVID == 0 {
			b = append(b, " pvid none"...)
		} else {
			b = strconv.AppendUint(append(b, " pvid "...), uint64(one.PVID), 10)
		}
	}
	if one.Admit != office.AdmitAll {
		b = append(append(b, " admit "...), one.Admit.String()...)
	}
	if one.FilterOff {
		b = append(b, " filter off"...)
	}
	return b
}

// appendTagged prints what stands between the brackets: ranges joined, except where a VLAN rides on
// another VID.
func appendTagged(b []byte, one office.Shape) []byte {
	start := len(b)
	put := func() {
		if len(b) > start {
			b = append(b, ' ')
		}
	}
	wire := func(vid office.VID) office.VID {
		for _, ride := range one.Rides {
			if ride.VLAN == vid {
				return ride.Wire
			}
		}
		return vid
	}
	for i := 0; i < len(one.Tagged); {
		vid := one.Tagged[i]
		j := i
		for wire(vid) == vid && j+1 < len(one.Tagged) && one.Tagged[j+1] == one.Tagged[j]+1 && wire(one.Tagged[j+1]) == one.Tagged[j+1] {
			j++
		}
		put()
		b = strconv.AppendUint(b, uint64(vid), 10)
		switch {
		case wire(vid) != vid:
			b = strconv.AppendUint(append(b, '@'), uint64(wire(vid)), 10)
		case j-i >= 2:
			b = strconv.AppendUint(append(b, '-'), uint64(one.Tagged[j]), 10)
		default:
			j = i
		}
		i = j + 1
	}
	switch one.Rest {
	case office.RestAll:
		put()
		b = append(b, "all"...)
	case office.RestNeeded:
		put()
		b = append(b, "needed"...)
	}
	return b
}
