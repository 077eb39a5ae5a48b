package people

import (
	"fmt"
	"slices"
)

// Role is what a person is in the studio.
type Role string

// The roles.
const (
	Artist        Role = "artist"
	Librarian     Role = "librarian"
	Lead          Role = "lead"
	Administrator Role = "administrator"
)

// Roles are all roles.
func Roles() []Role { return []Role{Artist, Librarian, Lead, Administrator} }

// Lower is the one of two roles that may do less.
func Lower(a, b Role) Role {
	if slices.Index(Roles(), a) <= slices.Index(Roles(), b) {
		return a
	}
	return b
}

// Scope is how much of its account's role a token may use.
type Scope string

// The scopes: to look, to work, and all that the account may do.
const (
	ScopeRead       Scope = "read"
	ScopeContribute Scope = "contribute"
	ScopeAdminister Scope = "administer"
)

// Scopes are all scopes, the least first.
func Scopes() []Scope { return []Scope{ScopeRead, ScopeContribute, ScopeAdminister} }

// Right is something that a principal may or may not do. Who may do what is decided by
// Principal.May alone.
type Right string

// The rights.
const (
	Anyone     Right = "anyone"     // to see the door
	Enter      Right = "enter"      // to see the Library, what is released, and one's own account
	Share      Right = "share"      // to bring along what everybody may use: light to look at materials in
	SeeDrafts  Right = "see drafts" // to see Intake and the Bench
	Contribute Right = "contribute" // to deliver, decide, edit and release
	Decide     Right = "decide"     // to set the studio's standards and override stops
	Administer Right = "administer" // to keep accounts and read the audit
	SelfManage Right = "own access" // to change one's own password, tokens and sign-ins
)

// Principal is the one who acts: a person, a token, or a command. The zero value is nobody.
type Principal struct {
	UserID int64
	Name   string
	Role   Role
	Scope  Scope
	Token  bool   // acts by a bearer token
	SignIn string // the sign-in that it acts by, "" for tokens and commands
}

// Command is a part of the program that acts by itself, with every right.
func Command(name string) Principal {
	return Principal{Name: name, Role: Administrator, Scope: ScopeAdminister}
}

// As is a person with the rights of a role: for commands and tests that act for one.
func As(name string, role Role) Principal {
	return Principal{Name: name, Role: role, Scope: ScopeAdminister}
}

func (u *User) principal(scope Scope) Principal {
	return Principal{UserID: u.ID, Name: u.Name, Role: u.Role, Scope: scope}
}

// May says whether the principal has a right.
func (p Principal) May(r Right) bool {
	staff := p.Role == Librarian || p.Role == Lead || p.Role == Administrator
	works := p.Scope == ScopeContribute || p.Scope == ScopeAdminister
	switch r {
	case Anyone:
		return true
	case Enter:
		return p.Name != ""
	case Share:
		return p.Name != "" && (works || !p.Token)
	case SeeDrafts:
		return staff
	case Contribute:
		return staff && works
	case Decide:
		return (p.Role == Lead || p.Role == Administrator) && works
	case Administer:
		return p.Role == Administrator && p.Scope == ScopeAdminister
	case SelfManage:
		return p.UserID != 0 && !p.Token
	}
	return false
}

// Forbidden says that a principal lacks a right.
type Forbidden struct {
	Right Right
	By    Principal
}

func (f Forbidden) Error() string {
	switch {
	case f.By.Token && f.Right == SelfManage:
		return "A token cannot change an account's own access. Sign in to do that."
	case f.By.Token && (Principal{Name: f.By.Name, Role: f.By.Role, Scope: ScopeAdminister}).May(f.Right):
		return fmt.Sprintf("This token's scope is %q, which does not allow this. Make one with a larger scope.", f.By.Scope)
	}
	ask := "a librarian"
	switch f.Right {
	case Decide:
		ask = "a lead"
	case Administer:
		ask = "an administrator"
	}
	return fmt.Sprintf("The role %s does not allow this. Ask %s.", f.By.Role, ask)
}

// Need is an error if the principal lacks a right.
func (p Principal) Need(r Right) error {
	if p.May(r) {
		return nil
	}
	return Forbidden{r, p}
}
