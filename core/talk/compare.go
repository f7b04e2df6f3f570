package talk

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/office"
)

// Shift is what one VLAN, or the outside, gains and loses to another. Where both are none the same
// is open, and between other addresses than before.
type Shift struct {
	From, To office.VID // 0 is the outside
	Gains    *Services
	Loses    *Services
}

// text is "guests lose tcp/443 to the outside"; name says what a VLAN is called, was and is between
// which addresses it was and is so, "" for all.
func (s Shift) text(was, is string, name func(office.VID) string) (out []string) {
	if s.Gains != None {
		out = append(out, fmt.Sprintf("%s %s %s to %s%s", name(s.From), verb(name(s.From), "gain"), s.Gains, name(s.To), is))
	}
	if s.Loses != None {
		out = append(out, fmt.Sprintf("%s %s %s to %s%s", name(s.From), verb(name(s.From), "lose"), s.Loses, name(s.To), was))
	}
	return out
}

// mostSides bounds how many pairs of addresses a sentence names.
const mostSides = 3

// only is between which addresses of two areas services are open, " (only to 10.61.110.20)"; ""
// where they are between all of them.
func (t *Table) only(from, to office.VID, services *Services) string {
	if services == None {
		return ""
	}
	whole := func(vid office.VID, prefix netip.Prefix) bool {
		i := slices.Index(t.Areas(), vid)
		return !prefix.IsValid() || i < 0 || slices.Contains(t.area(i).nets, prefix)
	}
	var all []string
	for _, share := range t.Shares(from, to) {
		if !share.Open.Meets(services) {
			continue
		}
		text := ""
		src, dst := share.Sides()
		if !whole(from, share.From) {
			text += " from " + src
		}
		if !whole(to, share.To) && dst != "" {
			text += " to " + dst
		}
		if text == "" {
			return ""
		}
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	if len(all) == 0 {
		return ""
	}
	more := ""
	if len(all) > mostSides {
		all, more = all[:mostSides], fmt.Sprintf(" and %d more", len(all)-mostSides)
	}
	return " (only" + strings.Join(all, ",") + more + ")"
}

// verb is what a VLAN does, which may be called as several are: guests lose, the
// laboratory loses.
func verb(name, does string) string {
	if strings.HasSuffix(name, "s") && !strings.HasSuffix(name, "ss") {
		return does
	}
	return does + "s"
}

// Shifts is what becomes otherwise between two tables: by VLAN, in their order.
// A VLAN that one of them has not is nobody there.
//
// Many branches: a VLAN may be in either table or in both.
func (t *Table) Shifts(next *Table) (out []Shift) {
	if next.Kept(t) {
		return nil
	}
	was := map[office.VID]int{}
	for i, vid := range t.Areas() {
		was[vid] = i
	}
	areas := next.Areas()
	is := map[office.VID]bool{}
	alive := func(i int) bool { // in either of the two
		k, ok := was[areas[i]]
		return next.Live(i) || ok && t.Live(k)
	}
	for _, vid := range areas {
		is[vid] = true
	}
	for i, from := range areas {
		if !alive(i) {
			continue
		}
		for k, to := range areas {
			if !alive(k) {
				continue
			}
			before := &Cell{Open: None}
			if a, ok := was[from]; ok {
				if b, ok := was[to]; ok {
					before = t.At(a, b)
				}
			}
			after := next.At(i, k)
			if next.before == t.of && !next.redone(i, k) || after.Open == None && before.Open == None {
				continue
			}
			if after.Open.Equal(before.Open) && (after.Verdict != Some || before.Verdict != Some || slices.Equal(t.ShareTexts(from, to), next.ShareTexts(from, to))) {
				continue
			}
			out = append(out, Shift{from, to, after.Open.Minus(before.Open), before.Open.Minus(after.Open)})
		}
	}
	old := t.Areas()
	for i, from := range old {
		if !t.Live(i) {
			continue
		}
		for k, to := range old {
			if (!is[from] || !is[to]) && t.At(i, k).Open != None {
				out = append(out, Shift{from, to, None, t.At(i, k).Open})
			}
		}
	}
	return out
}

// redone says whether a cell was worked out anew in the last update.
func (t *Table) redone(from, to int) bool {
	i, k := t.live[from], t.live[to]
	return i < 0 || k < 0 || t.anew[i*t.size+k]
}

// Told is what becomes otherwise in sentences: "guests lose tcp/443 to the
// outside".
//
//	> gate allow zone guests to 10.61.110.20 printing
//	guests gain tcp/631, tcp/9100 to reception (only to 10.61.110.20)
//	> -gate allow zone devices to any
//	devices lose everything to reception
//	devices lose everything to phones
//	devices lose everything to guests
//	devices lose everything to the outside
func (t *Table) Told(next *Table) (out []string) {
	for _, shift := range t.Shifts(next) {
		out = append(out, t.Text(next, shift)...)
	}
	return out
}

// Text is a shift in sentences. What only some addresses gain or lose is told with them, as a rule
// for one printer opens nothing else:
//
//	> gate allow zone guests to 10.61.110.20 printing
//	guests gain tcp/631, tcp/9100 to reception (only to 10.61.110.20)
func (t *Table) Text(next *Table, shift Shift) []string {
	if shift.Gains == None && shift.Loses == None {
		name := namer(t, next)
		return []string{fmt.Sprintf("%s %s others in %s: %s; before: %s", name(shift.From), verb(name(shift.From), "reach"), name(shift.To), listed(next.ShareTexts(shift.From, shift.To)), listed(t.ShareTexts(shift.From, shift.To)))}
	}
	return shift.text(t.only(shift.From, shift.To, shift.Loses), next.only(shift.From, shift.To, shift.Gains), namer(t, next))
}

// namer says what a VLAN is called after an edit, or was before where it is gone.
func namer(was, is *Table) func(office.VID) string {
	return func(vid office.VID) string {
		if vlan := is.Net.Office.VLAN(vid); vlan != nil {
			return vlan.Name
		} else if other := was.Net.Office.VLAN(vid); other != nil {
			return other.Name
		} else if vid == 0 {
			return "the outside"
		}
		return fmt.Sprintf("VLAN %d", vid)
	}
}

// listed is some texts in one, three at most.
func listed(texts []string) string {
	if len(texts) > mostSides {
		return strings.Join(texts[:mostSides], ", ") + fmt.Sprintf(" and %d more", len(texts)-mostSides)
	}
	return strings.Join(texts, ", ")
}

// Pair is a cell of the table with its ends.
type Pair struct {
	From, To office.VID // 0 is the outside
	*Cell
}

// Pairs is the table as a list, by row: every VLAN and the outside to every other.
func (t *Table) Pairs() (out []Pair) {
	areas := t.Areas()
	for i, from := range areas {
		for k, to := range areas {
			if i != k {
				out = append(out, Pair{from, to, t.At(i, k)})
			}
		}
	}
	return out
}

// Reasons gives the sentence on any pair: what lets it pass, or stops it.
func (t *Table) Reasons() func(from, to office.VID) string {
	talks := t.Map()
	whose := map[office.VID]*Who{0: {Name: "outside"}}
	for _, end := range talks.ends {
		vid := end.area.vid
		if whose[vid] == nil {
			whose[vid] = &Who{Name: talks.Name(vid), VID: vid}
		}
		if end.own == nil || vid == 0 {
			whose[vid].ends = append(whose[vid].ends, end)
		}
	}
	return func(from, to office.VID) string {
		who, other := whose[from], whose[to]
		if who == nil {
			who = &Who{Name: talks.Name(from), VID: from}
		}
		if other == nil {
			other = &Who{Name: talks.Name(to), VID: to}
		}
		return talks.Ask(who, other, All).Why()
	}
}
