package job

import (
	"fmt"
	"slices"
)

// A Role is what a person is in the shop.
type Role string

// The roles.
const (
	Electrician Role = "electrician"
	Helper      Role = "helper" // does the work, but passes no gate and sets no rule
	Office      Role = "office" // reads and prints
)

// Roles lists them, from the one that may most.
var Roles = []Role{Electrician, Helper, Office}

// An Access is what something asks of who does it.
type Access string

// The kinds of access, from the least to the most.
const (
	Read     Access = "read"     // look, print
	WorkOn   Access = "work"     // enter readings, record, prove
	Pass     Access = "override" // pass a gate whose facts are missing
	Plan     Access = "plan"     // appointments, quotes, invoices
	Manage   Access = "manage"   // people, practice, backups
	Anybody  Access = "public"   // before signing in, or with a customer's link
	SignedIn Access = "self"     // one's own session
)

// Accesses lists them.
var Accesses = []Access{Read, WorkOn, Pass, Plan, Manage, Anybody, SignedIn}

// A Right is an access in words, and which roles have it.
type Right struct {
	Words string `json:"words"`
	Roles []Role `json:"roles"`
}

// Rights tell who may what, from the least to the most.
func Rights() []Right {
	rights := []Right{}
	for _, a := range []struct {
		access Access
		words  string
	}{{Read, "look and print"}, {WorkOn, "read, record, prove"}, {Pass, "pass a shut gate, with a reason"}, {Plan, "appointments, quotes, invoices"}, {Manage, "people, practice, backups"}} {
		right := Right{Words: a.words}
		for _, role := range Roles {
			if role.May(a.access) {
				right.Roles = append(right.Roles, role)
			}
		}
		rights = append(rights, right)
	}
	return rights
}

// May reports whether the role has the access.
func (r Role) May(a Access) bool {
	switch r {
	case Electrician:
		return true
	case Helper:
		return a != Pass && a != Manage
	case Office:
		return a == Read || a == Plan || a == Anybody || a == SignedIn
	default:
		return a == Anybody
	}
}

// With is the lesser of two roles: what both may.
func (r Role) With(other Role) Role {
	if slices.Index(Roles, other) > slices.Index(Roles, r) {
		return other
	}
	return r
}

// Check reports a role there is not.
func (r Role) Check() error {
	if !slices.Contains(Roles, r) {
		return fmt.Errorf("role: %q is none of %q", r, Roles)
	}
	return nil
}

// Needs is the access that entering it asks for.
func (e *Entry) Needs() Access {
	if k, ok := kinds[e.Kind]; ok && k.needs != "" {
		return k.needs
	}
	return WorkOn
}
