package api

import (
	"klammer/core/command"
)

// Problem is what a request that failed is answered with.
type Problem struct {
	Error string `json:"error" required:"true"`
	Field string `json:"field,omitempty" description:"the field that is wrong"`

	Code     command.Code  `json:"code,omitempty" description:"what kind of fault it is"`
	Mistakes []MistakeView `json:"mistakes,omitempty" description:"what is wrong in a text in notation, at its places"`

	Unsure bool `json:"unsure,omitempty" description:"it is not known whether the edit was kept: ask again under the same id"`
}
