package people

import (
	"time"

	"aldermoor/internal/library"
)

// Reader reads people, their tokens and sign-ins, and what they did.
type Reader interface {
	Users() ([]User, error)
	User(id int64) (User, error)
	UserNamed(name string) (User, error)
	Token(hash []byte) (Token, User, error)
	Tokens(user int64) ([]Token, error)
	AllTokens() ([]OwnedToken, error) // the latest first
	SignIn(id string) (SignIn, User, error)
	SignIns(user int64) ([]SignIn, error)
	Audit(q AuditQuery) ([]AuditEntry, error)
	AuditActions() ([]string, error)
}

// Tx changes them.
type Tx interface {
	Reader
	library.Recorder
	SaveUser(u *User) error // adds it if its ID is 0; else ErrStale if its version is not the stored one
	AddToken(t *Token, hash []byte) error
	RemoveToken(user, id int64) error
	UseToken(id int64, at time.Time) error
	AddSignIn(s SignIn) error
	SeeSignIn(id string, at time.Time) error
	EndSignIns(user int64, id string) error // the one of that id, or all if it is empty
	AddAudit(e AuditEntry) error
}
