package talk

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// Shift is what one VLAN, or the outside, gains and loses to another.
type Shift struct {
	From, To office.VID // 0 is the outside
	Gains    *Services
	Loses    *Services
}

// text is "guests lose tcp/443 to the outside"; name says what a VLAN is called.
func (s Shift) text(name func(office.VID) string) (out []string) {
	if s.Gains != None {
		out = append(out, fmt.Sprintf("%s %s %s to %s", name(s.From), verb(name(s.From), "gain"), s.Gains, name(s.To)))
	}
	if s.Loses != None {
		out = append(out, fmt.Sprintf("%s %s %s to %s", name(s.From), verb(name(s.From), "lose"), s.Loses, name(s.To)))
	}
	return out
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
			if after.Open == before.Open || after.Open.Equal(before.Open) {
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

// Told is what becomes otherwise in sentences: "guests lose tcp/443 to the
// outside".
func (t *Table) Told(next *Table) (out []string) {
	for _, shift := range t.Shifts(next) {
		out = append(out, t.Text(next, shift)...)
	}
	return out
}

// Text is a shift in sentences.
func (t *Table) Text(next *Table, shift Shift) []string {
	return shift.text(func(vid office.VID) string {
		if vlan := next.Net.Office.VLAN(vid); vlan != nil {
			return vlan.Name
		} else if other := t.Net.Office.VLAN(vid); other != nil {
			return other.Name
		} else if vid == 0 {
			return "the outside"
		}
		return fmt.Sprintf("VLAN %d", vid)
	})
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
