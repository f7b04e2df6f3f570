// Package replay does edits again, for tests that hold what is kept to what was made.
package replay

import (
	"slices"

	"klammer/core/history"
	"klammer/core/office"
)

// Replay does edits again, the oldest first: from an empty office it gives the office that
// they led to. An edit done again is its reverse taken back.
func Replay(o *office.Office, made []history.Made) (*office.Office, error) {
	reversed := make([]history.Made, len(made))
	for i, one := range made {
		reversed[i] = history.Made{Revision: one.Revision}
		for _, change := range slices.Backward(one.Changes) {
			change.Before, change.After = change.After, change.Before
			reversed[i].Changes = append(reversed[i].Changes, change)
		}
	}
	return history.Past(o, reversed)
}
