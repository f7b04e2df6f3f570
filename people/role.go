// Package people is who may what: roles, passwords, and secrets that let somebody in. It
// keeps nothing itself.
package people

import (
	"fmt"
	"strings"

	"github.com/mtibben/confusables"
	"golang.org/x/text/unicode/norm"
)

// Role is what somebody may do with an office; each may all that the ones before may.
type Role int

const (
	Nobody  Role = iota // may see nothing of it
	Reader              // sees
	Planner             // edits the plan
	Carrier             // reads and sets devices, ticks orders and tests off, uses credentials without seeing them
	Keeper              // people, credentials, tokens, delete, restore
)

// Roles are those that one gives, the least first.
var Roles = []Role{Reader, Planner, Carrier, Keeper}

var names = [...]string{"nobody", "reader", "planner", "carrier", "keeper"}

// String is its name.
func (r Role) String() string {
	if r < Nobody || r > Keeper {
		return fmt.Sprintf("role %d", int(r))
	}
	return names[r]
}

// RoleOf is the role of a name; the error says which there are.
func RoleOf(name string) (Role, error) {
	for _, role := range Roles {
		if role.String() == name {
			return role, nil
		}
	}
	return Nobody, fmt.Errorf("%q is no role: there are reader, planner, carrier and keeper", name)
}

// Alike says whether two names look alike, whatever letters they are written in (the skeletons
// of Unicode Technical Standard 39, 4).
func Alike(a, b string) bool {
	a, b = norm.NFKC.String(a), norm.NFKC.String(b)
	looks := func(as func(string) string) bool {
		return strings.EqualFold(confusables.Skeleton(as(a)), confusables.Skeleton(as(b)))
	}
	return looks(strings.ToUpper) || looks(strings.ToLower) || looks(func(text string) string { return text })
}
