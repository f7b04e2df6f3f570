package api

import (
	"klammer/core/command"
)

// Code says what kind of fault a request had, for those who do not read: one of
// the core's, or one of these.
type Code string

const (
	Misfit      Code = "misfit"       // a field is missing, or not as the description has it
	NotThere    Code = "not-there"    // there is no such office, page, revision
	Refused     Code = "refused"      // it may not be asked from there, or so
	NoName      Code = "no-name"      // nobody has said who asks
	InTheWay    Code = "in-the-way"   // somebody else changed the same meanwhile, or built upon it
	BeyondLimit Code = "beyond-limit" // docs/limits.md
	NotNow      Code = "not-now"      // the database or the server cannot, for the moment
	Unexpected  Code = "unexpected"   // it is in the log, under the number that is told
)

// Enum is all of them, for descriptions of what holds one.
func (Code) Enum() (out []any) {
	for _, code := range command.Codes {
		out = append(out, Code(code))
	}
	return append(out, Misfit, NotThere, Refused, NoName, InTheWay, BeyondLimit, NotNow, Unexpected)
}

// Problem is what a request that failed is answered with.
type Problem struct {
	Error string `json:"error" required:"true"`
	Field string `json:"field,omitempty" description:"the field that is wrong"`

	Code     Code          `json:"code" required:"true" description:"what kind of fault it is"`
	Mistakes []MistakeView `json:"mistakes,omitempty" description:"what is wrong in a text in notation, at its places"`

	Unsure bool `json:"unsure,omitempty" description:"it is not known whether the edit was kept: ask again under the same id"`
}
