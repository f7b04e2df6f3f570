package history

import (
	"fmt"

	"klammer/core/notation"
	"klammer/core/office"
)

// TakeOver is an office with all that was tried in a copy of it, as one edit:
// what differs between the office as it was copied and the copy. What is so
// already is left; the name and the order of things are the office's own. The
// error is a [*Conflict].
func TakeOver(now, then, copied *office.Office) (*office.Office, office.Edit, error) {
	tried, err := Diff(then, copied)
	if err != nil {
		return nil, nil, err
	}
	draft := office.NewDraft(now)
	for _, change := range tried {
		switch change.After.(type) {
		case office.Title, office.Order:
			continue
		}
		want := ""
		if change.After != nil {
			want = notation.Thing(change.After)
		}
		if Text(draft.Office(), change.Key()) == want {
			continue
		}
		if err := draft.Put(change); err != nil {
			return nil, nil, &Conflict{fmt.Sprintf("%s cannot be taken over: %s", KeyName(change.Key()), err)}
		}
	}
	next, edit := draft.Done()
	return next, edit, nil
}
