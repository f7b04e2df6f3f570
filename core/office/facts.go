package office

import (
	"iter"
	"slices"
	"strings"
)

// Facts are what people note of a device, a port or a plug and what decides nothing:
// it is kept, shown, searched, printed and exported. What may be noted of what is
// declared once, in [FactWords]; notation, store, history and views go by that.
type Facts struct {
	Place  string // where a device stands: site/room/…
	Model  string // what it is sold as
	Serial string
	Socket string // the wall socket that a port leads to
	Note   string
}

// FactOf is what a fact may be noted of; several together.
type FactOf uint8

const (
	DeviceFact FactOf = 1 << iota
	PortFact
	PlugFact
)

// FactWord declares a fact.
type FactWord struct {
	Word string // in notation and in JSON
	Says string // what it is, for people
	Of   FactOf
	at   func(*Facts) *string
}

// FactWords are all facts, in the order in which they are written.
var FactWords = []FactWord{
	{"place", "where it stands, as in harbour/server room", DeviceFact, func(facts *Facts) *string { return &facts.Place }},
	{"model", "what it is sold as", DeviceFact, func(facts *Facts) *string { return &facts.Model }},
	{"serial", "its serial number", DeviceFact, func(facts *Facts) *string { return &facts.Serial }},
	{"socket", "the wall socket that it leads to", PortFact, func(facts *Facts) *string { return &facts.Socket }},
	{"note", "what else to know", DeviceFact | PortFact | PlugFact, func(facts *Facts) *string { return &facts.Note }},
}

// FactNamed is the fact of a word that may be noted of something, nil for none.
func FactNamed(word string, of FactOf) *FactWord {
	for i := range FactWords {
		if fact := &FactWords[i]; fact.Word == word && fact.Of&of != 0 {
			return fact
		}
	}
	return nil
}

// In is what is noted; "" where nothing is.
func (w *FactWord) In(facts *Facts) string {
	if facts == nil {
		return ""
	}
	return *w.at(facts)
}

// Put notes it: at most [MostText] letters, "" for nothing. The error says what would
// be right.
func (w *FactWord) Put(facts *Facts, text string) error {
	if err := CheckText("the "+w.Word, text, MostText, true); err != nil {
		return err
	}
	*w.at(facts) = text
	return nil
}

// Noted yields what is noted, in the order of [FactWords].
func (f *Facts) Noted() iter.Seq2[*FactWord, string] {
	return func(yield func(*FactWord, string) bool) {
		for i := range FactWords {
			if text := FactWords[i].In(f); text != "" && !yield(&FactWords[i], text) {
				return
			}
		}
	}
}

// ByWord is what is noted by its words, nil for nothing.
func (f *Facts) ByWord() (out map[string]string) {
	for fact, text := range f.Noted() {
		if out == nil {
			out = map[string]string{}
		}
		out[fact.Word] = text
	}
	return out
}

// FactsBy reads what [Facts.ByWord] gave. Words that are none of what it is noted of
// are left out.
func FactsBy(words map[string]string, of FactOf) (facts Facts) {
	for word, text := range words {
		if fact := FactNamed(word, of); fact != nil {
			*fact.at(&facts) = text
		}
	}
	return facts
}

// With is the facts with one noted otherwise, nil where nothing is noted any more: for
// ports, of which most have none.
func (f *Facts) With(fact *FactWord, text string) (*Facts, error) {
	var next Facts
	if f != nil {
		next = *f
	}
	if err := fact.Put(&next, text); err != nil {
		return f, err
	}
	if next == (Facts{}) {
		return nil, nil
	}
	return &next, nil
}

// Spare says whether a device lies on the shelf: its place says so, and nothing is plugged into it.
// Nobody sets it, and what is missing on it is no fault.
//
//	place "shelf"            place "harbour/shelf"
func (o *Office) Spare(device *Device) bool {
	shelf := false
	for part := range strings.SplitSeq(device.Facts.Place, "/") {
		shelf = shelf || strings.EqualFold(strings.TrimSpace(part), "shelf")
	}
	return shelf &&
		!slices.ContainsFunc(o.Cables, func(c Cable) bool { return c.A.Device == device.Name || c.B.Device == device.Name }) &&
		!slices.ContainsFunc(o.Plugs, func(plug Plug) bool { return plug.Port.Device == device.Name })
}
