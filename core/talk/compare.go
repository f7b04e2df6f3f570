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
	for i, v := range t.Areas() {
		was[v] = i
	}
	areas := next.Areas()
	is := map[office.VID]bool{}
	alive := func(i int) bool { // in either of the two
		k, ok := was[areas[i]]
		return next.Live(i) || ok && t.Live(k)
	}
	for _, v := range areas {
		is[v] = true
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
	for _, s := range t.Shifts(next) {
		out = append(out, t.Text(next, s)...)
	}
	return out
}

// Text is a shift in sentences.
func (t *Table) Text(next *Table, s Shift) []string {
	return s.text(func(v office.VID) string {
		if x := next.Net.Office.VLAN(v); x != nil {
			return x.Name
		} else if x := t.Net.Office.VLAN(v); x != nil {
			return x.Name
		} else if v == 0 {
			return "the outside"
		}
		return fmt.Sprintf("VLAN %d", v)
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
	m := t.Map()
	whose := map[office.VID]*Who{0: {Name: "outside"}}
	for _, e := range m.ends {
		v := e.area.vid
		if whose[v] == nil {
			whose[v] = &Who{Name: m.Name(v), VID: v}
		}
		if e.own == nil || v == 0 {
			whose[v].ends = append(whose[v].ends, e)
		}
	}
	return func(from, to office.VID) string {
		a, b := whose[from], whose[to]
		if a == nil {
			a = &Who{Name: m.Name(from), VID: from}
		}
		if b == nil {
			b = &Who{Name: m.Name(to), VID: to}
		}
		return m.Ask(a, b, All).Why()
	}
}
