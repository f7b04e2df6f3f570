package server

import (
	"bytes"
	"encoding/json"
	"fmt"

	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
)

// Words is the words of core for the page, as a module of TypeScript: what it
// completes, offers in a list and has to write in quotes.
func Words() ([]byte, error) {
	var buffer bytes.Buffer
	buffer.WriteString("// Made by `klammer serve words`: the words of the core, for the page.\n\n")
	words, forms := command.Verbs()
	for _, w := range []struct {
		name, says string
		list       any
	}{
		{"kinds", "What a device is sold as.", office.Kinds},
		{"forwardings", "How a device passes frames between its ports.", office.Forwardings()},
		{"wordings", "How a device asks for memberships.", office.Wordings},
		{"habits", "What a device does of its own accord.", office.Habits},
		{"limits", "What a device takes only so much of.", office.LimitNames},
		{"bundleModes", "How a bundle is agreed on.", office.BundleModes},
		{"flavours", "What an inner port is.", office.Flavours},
		{"statements", "Words that start a statement.", notation.TopLevel},
		{"inDevice", "Words that start a statement of a device.", notation.InDevice},
		{"inShape", "Words that a shape has.", notation.InShape},
		{"keywords", "Words that a port's name is quoted for.", notation.Keywords()},
		{"verbs", "The verbs of the line.", words},
		{"verbForms", "Their forms, in the same order.", forms},
		{"deviceFacts", "What is noted of a device.", facts(office.DeviceFact)},
		{"portFacts", "What is noted of a port.", facts(office.PortFact)},
		{"findingCodes", "What findings are called.", finding.Codes()},
	} {
		text, err := json.Marshal(w.list)
		if err != nil {
			return nil, err
		}
		var spaced bytes.Buffer
		for i, c := range text { // a space after each comma, as the formatter has it
			spaced.WriteByte(c)
			if c == ',' && text[i+1] == '"' && text[i-1] == '"' {
				spaced.WriteByte(' ')
			}
		}
		fmt.Fprintf(&buffer, "/** %s */\nexport const %s = %s as const;\n", w.says, w.name, spaced.Bytes())
	}
	return buffer.Bytes(), nil
}

// facts are the words of what is noted of something.
func facts(of office.FactOf) (all []string) {
	for _, word := range office.FactWords {
		if word.Of&of != 0 {
			all = append(all, word.Word)
		}
	}
	return all
}
