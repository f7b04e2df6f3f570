// Package people is who may what: roles, passwords, and secrets that let somebody in. It
// keeps nothing itself.
package people

import (
	"fmt"
	"strings"

	"github.com/mtibben/confusables"
	"golang.org/x/text/unicode/norm"
)

// Role is what somebody may do with an office. A reader, a planner, a carrier and a keeper each
// may all that the ones before may; a technician may what a carrier may, and does not edit the
// plan. The numbers are kept in the database.
type Role int

const (
	Nobody     Role = iota // may see nothing of it
	Reader                 // sees
	Planner                // edits the plan
	Carrier                // reads and sets devices, ticks orders and tests off, uses credentials without seeing them
	Keeper                 // people, credentials, tokens, delete, restore
	Technician             // sees, and what a carrier may but a planner may not
)

// Roles are those that one gives, the least first.
var Roles = []Role{Reader, Planner, Technician, Carrier, Keeper}

var names = [...]string{"nobody", "reader", "planner", "carrier", "keeper", "technician"}

// rights of a role, as bits: to see, to plan, to carry out, to keep.
const (
	sees = 1 << iota
	plans
	carries
	keeps
)

var rights = map[Role]int{Reader: sees, Planner: sees | plans, Technician: sees | carries, Carrier: sees | plans | carries, Keeper: sees | plans | carries | keeps}

// of is the role of rights.
func of(bits int) Role {
	best := Nobody
	for role, has := range rights {
		if has&^bits == 0 && (best == Nobody || has > rights[best]) {
			best = role
		}
	}
	return best
}

// need is the right that a role is asked for where somebody is to have it.
var need = map[Role]int{Reader: sees, Planner: plans, Technician: carries, Carrier: carries, Keeper: keeps}

// May says whether somebody of a role may what is asked of another: what takes a carrier is
// done by a technician, too. Everybody may what takes nobody.
func (r Role) May(asked Role) bool { return rights[r]&need[asked] == need[asked] }

// And is what somebody may who may only what both allow: a token of a person.
func (r Role) And(other Role) Role { return of(rights[r] & rights[other]) }

// Or is what somebody may who has both: in every office, and in one.
func (r Role) Or(other Role) Role { return of(rights[r] | rights[other]) }

// Within says whether a role allows nothing that another does not.
func (r Role) Within(other Role) bool { return rights[r]&^rights[other] == 0 }

// String is its name.
func (r Role) String() string {
	if r < Nobody || int(r) >= len(names) {
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
	return Nobody, fmt.Errorf("%q is no role: there are reader, planner, technician, carrier and keeper", name)
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
