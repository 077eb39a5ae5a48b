package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"

	"golang.org/x/crypto/bcrypt"
)

// ErrDenied says that a name and password do not go together. It does not say which of
// them is wrong.
var ErrDenied = errors.New("name and password do not go together")

// DemoPassword opens every account of the demo, and nothing else.
const DemoPassword = "salt-clerk-demo"

// From is where a request comes from.
type From struct{ Address, Agent string }

// User is a person with an account.
type User struct {
	ID       int64
	Version  int64
	Name     string
	Role     Role
	Password []byte // bcrypt
	Disabled bool
	Created  time.Time
	Code     []byte // SHA-256 of a one-time code to set a new password; empty for none
	CodeEnds time.Time
}

// SignIn is a person who is signed in somewhere.
type SignIn struct {
	ID             string // a hash: it cannot be used to sign in
	UserID         int64
	At, Seen       time.Time
	Address, Agent string
}

// AuditEntry is one line of the record of who did what.
type AuditEntry struct {
	At                             time.Time
	Actor, Action, Subject, Detail string
}

// Entry is what somebody did, to what, and more about it.
func Entry(at time.Time, actor, action, subject, detail string) AuditEntry {
	return AuditEntry{at, actor, action, subject, detail}
}

// AuditQuery says which entries to show: the latest first, before a moment.
type AuditQuery struct {
	Actor, Action, Text string // "" for all
	Page, Per           int    // from 1
}

// passwords bounds how many passwords are checked at a time: each takes a core for a
// tenth of a second.
var passwords = library.NewGate(max(1, runtime.GOMAXPROCS(0)/2), 64)

// noHash is checked for names that do not exist, so that they take as long.
var noHash = []byte("$2a$10$7EqJtq98hPqEX7fNZaFWoOhi5xVw0zRtK4m1m2mJ5u9sMEbIhCxVe")

// SignIn checks a name and password and returns who that is. After five wrong tries for
// an account from an address, more from there are refused for a growing while.
func (s *Service) SignIn(ctx context.Context, name, password string, from From) (p Principal, err error) {
	u, err := s.check(ctx, name, from, func(u *User) bool {
		if len(u.Password) == 0 {
			bcrypt.CompareHashAndPassword(noHash, []byte(password))
			return false
		}
		return bcrypt.CompareHashAndPassword(u.Password, []byte(password)) == nil
	})
	if err != nil {
		return p, err
	}
	if password == DemoPassword && !s.Demo {
		return p, library.Invalid("This account still has the demo's password, which anybody may know. Have it reset with: aldermoor user reset.")
	}
	return s.enter(ctx, &u, from)
}

// enter records a new sign-in.
func (s *Service) enter(ctx context.Context, u *User, from From) (p Principal, err error) {
	secret := rand.Text() + rand.Text()
	in := SignIn{ID: signInID(secret), UserID: u.ID, At: s.Now(), Seen: s.Now(), Address: from.Address, Agent: shorten(from.Agent, 200)}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddSignIn(in); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), u.Name, "sign-in", u.Name, from.Address))
	})
	p = u.principal(ScopeAdminister)
	p.SignIn = secret
	return p, err
}

func signInID(secret string) string { return fmt.Sprintf("%x", sha256.Sum256([]byte(secret)))[:32] }

func shorten(s string, n int) string {
	if len(s) > n {
		s = strings.ToValidUTF8(s[:n], "")
	}
	return s
}

// check finds an account and tries a secret on it, slowing down who guesses.
func (s *Service) check(ctx context.Context, name string, from From, right func(*User) bool) (u User, err error) {
	name = strings.TrimSpace(name)
	keys := keysOf(name, from.Address)
	if wait := s.guard.all(s.Now(), keys); wait > 0 {
		return u, TooMany{wait}
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { u, err = tx.UserNamed(name); return err })
	known := err == nil
	if err != nil && !errors.Is(err, library.ErrNotFound) {
		return u, err
	}
	ok := false
	if err := passwords.Do(ctx, func() error { ok = right(&u); return nil }); err != nil {
		return u, err
	}
	if !known || !ok || u.Disabled {
		if !s.failures.note(s.Now()) {
			return User{}, ErrDenied
		}
		err := s.Store.Write(ctx, func(tx Tx) error {
			return tx.AddAudit(Entry(s.Now(), shorten(name, 60), "sign-in failed", shorten(name, 60), from.Address))
		})
		return User{}, errors.Join(err, ErrDenied)
	}
	s.guard.right(keys)
	return u, nil
}

// PrincipalOfSignIn is who is signed in by a secret; ErrNotFound if that has ended.
func (s *Service) PrincipalOfSignIn(ctx context.Context, secret string) (p Principal, err error) {
	var in SignIn
	var u User
	err = s.Store.Read(ctx, func(tx Reader) (err error) { in, u, err = tx.SignIn(signInID(secret)); return err })
	if err == nil && u.Disabled {
		err = library.ErrNotFound
	}
	if err != nil {
		return p, err
	}
	if now := s.Now(); now.Sub(in.Seen) > seenFor {
		if err := s.Store.Write(ctx, func(tx Tx) error { return tx.SeeSignIn(in.ID, now) }); err != nil {
			s.Log.Warn("note the last use of a sign-in", "error", err)
		}
	}
	p = u.principal(ScopeAdminister)
	p.SignIn = secret
	return p, nil
}

// seenFor is how old the noted last use of a sign-in or token may be before it is written
// again.
const seenFor = 5 * time.Minute

// SignIns are where somebody is signed in, the latest first, and which of them is the one
// that asks.
func (s *Service) SignIns(ctx context.Context, p Principal) (list []SignIn, own string, err error) {
	if err := p.Need(SelfManage); err != nil {
		return nil, "", err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.SignIns(p.UserID); return err })
	return list, signInID(p.SignIn), err
}

// EndSignIn ends one of somebody's own sign-ins; with an empty id the one that asks.
func (s *Service) EndSignIn(ctx context.Context, p Principal, id string) error {
	if err := p.Need(SelfManage); err != nil {
		return err
	}
	if id == "" {
		id = signInID(p.SignIn)
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.EndSignIns(p.UserID, id); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, "sign-out", p.Name, ""))
	})
}

// hashed checks that a password may be used and returns its hash. Passwords have at least
// 10 characters.
func (s *Service) hashed(ctx context.Context, password string) (hash []byte, err error) {
	switch {
	case len(password) < 10:
		return nil, library.Invalid("A password needs at least 10 characters.")
	case len(password) > 72:
		return nil, library.Invalid("A password may have at most 72 bytes.")
	case password == DemoPassword && !s.Demo:
		return nil, library.Invalid("This is the demo's password, which anybody may know. Choose another.")
	}
	err = passwords.Do(ctx, func() error {
		hash, err = bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
		return err
	})
	return hash, err
}

// AddUser makes an account. The first one of a studio may be made by anybody who has the
// set-up code, which the caller checks.
func (s *Service) AddUser(ctx context.Context, p Principal, name, password string, role Role) (u User, err error) {
	if err := p.Need(Administer); err != nil {
		return u, err
	}
	name = strings.TrimSpace(name)
	switch {
	case name == "" || len(name) > 60:
		return u, library.Invalid("An account needs a name of at most 60 bytes.")
	case !slices.Contains(Roles(), role):
		return u, library.Invalid(fmt.Sprintf("There is no role %q.", role))
	}
	hash, err := s.hashed(ctx, password)
	if err != nil {
		return u, err
	}
	u = User{Name: name, Role: role, Password: hash, Created: s.Now()}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if _, err := tx.UserNamed(name); err == nil {
			return library.Invalid(fmt.Sprintf("There is an account called %s already.", name))
		}
		if err := tx.SaveUser(&u); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, "account added", name, string(role)))
	})
	return u, err
}

// changeUser changes an account as it was seen, and records it.
func (s *Service) changeUser(ctx context.Context, p Principal, of library.Seen, action string, change func(tx Tx, u *User) (detail string, err error)) (u User, err error) {
	err = s.Store.Write(ctx, func(tx Tx) error {
		if u, err = tx.User(of.ID); err != nil {
			return err
		}
		if of.Version != 0 && of.Version != u.Version {
			return library.ErrStale
		}
		detail, err := change(tx, &u)
		if err != nil {
			return err
		}
		if err := tx.SaveUser(&u); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, action, u.Name, detail))
	})
	return u, err
}

// ChangeUser sets an account's role, and whether it may be used.
func (s *Service) ChangeUser(ctx context.Context, p Principal, of library.Seen, role Role, disabled bool) error {
	if err := p.Need(Administer); err != nil {
		return err
	}
	if !slices.Contains(Roles(), role) {
		return library.Invalid(fmt.Sprintf("There is no role %q.", role))
	}
	_, err := s.changeUser(ctx, p, of, "account changed", func(tx Tx, u *User) (string, error) {
		users, err := tx.Users()
		if err != nil {
			return "", err
		}
		others := slices.ContainsFunc(users, func(o User) bool { return o.Role == Administrator && !o.Disabled && o.ID != u.ID })
		if u.Role == Administrator && !others && (role != Administrator || disabled) {
			return "", library.Invalid("This is the last administrator; make another one first.")
		}
		u.Role, u.Disabled = role, disabled
		if disabled {
			if err := tx.EndSignIns(u.ID, ""); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("%s, disabled %v", role, disabled), nil
	})
	return err
}

// ChangePassword sets somebody's own password and ends their other sign-ins.
func (s *Service) ChangePassword(ctx context.Context, p Principal, old, password string, from From) error {
	if err := p.Need(SelfManage); err != nil {
		return err
	}
	if _, err := s.check(ctx, p.Name, from, func(u *User) bool { return bcrypt.CompareHashAndPassword(u.Password, []byte(old)) == nil }); err != nil {
		return err
	}
	hash, err := s.hashed(ctx, password)
	if err != nil {
		return err
	}
	_, err = s.changeUser(ctx, p, library.Seen{ID: p.UserID}, "password changed", func(tx Tx, u *User) (string, error) {
		u.Password, u.Code = hash, nil
		list, err := tx.SignIns(u.ID)
		if err != nil {
			return "", err
		}
		for _, in := range list {
			if in.ID != signInID(p.SignIn) {
				if err := tx.EndSignIns(u.ID, in.ID); err != nil {
					return "", err
				}
			}
		}
		return "by its owner", nil
	})
	return err
}

// codeFor is how long a one-time code can be used.
const codeFor = 24 * time.Hour

// ResetPassword makes an account's password useless, ends its sign-ins and tokens, and returns a
// one-time code with which its owner sets a new one within a day.
func (s *Service) ResetPassword(ctx context.Context, p Principal, of library.Seen) (code string, err error) {
	if err := p.Need(Administer); err != nil {
		return "", err
	}
	code = rand.Text()[:16]
	sum := sha256.Sum256([]byte(code))
	_, err = s.changeUser(ctx, p, of, "password reset", func(tx Tx, u *User) (string, error) {
		u.Password, u.Code, u.CodeEnds = []byte{}, sum[:], s.Now().Add(codeFor)
		list, err := tx.Tokens(u.ID)
		if err != nil {
			return "", err
		}
		for _, t := range list {
			if err := tx.RemoveToken(u.ID, t.ID); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("one-time code, valid for a day; %d tokens ended", len(list)), tx.EndSignIns(u.ID, "")
	})
	return code, err
}

// UseCode sets a new password by a one-time code, and signs in.
func (s *Service) UseCode(ctx context.Context, name, code, password string, from From) (p Principal, err error) {
	sum := sha256.Sum256([]byte(strings.ToUpper(strings.TrimSpace(code))))
	u, err := s.check(ctx, name, from, func(u *User) bool {
		return len(u.Code) > 0 && s.Now().Before(u.CodeEnds) && subtle.ConstantTimeCompare(u.Code, sum[:]) == 1
	})
	if err != nil {
		return p, err
	}
	hash, err := s.hashed(ctx, password)
	if err != nil {
		return p, err
	}
	who := u.principal(ScopeAdminister)
	u, err = s.changeUser(ctx, who, library.Seen{ID: u.ID, Version: u.Version}, "password changed", func(_ Tx, u *User) (string, error) {
		u.Password, u.Code = hash, nil
		return "by one-time code", nil
	})
	if err != nil {
		return p, err
	}
	return s.enter(ctx, &u, from)
}

// Users are all accounts.
func (s *Service) Users(ctx context.Context, p Principal) (list []User, err error) {
	if err := p.Need(Administer); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Users(); return err })
	return list, err
}

// Fresh says whether the studio has no account yet.
func (s *Service) Fresh(ctx context.Context) (fresh bool, err error) {
	err = s.Store.Read(ctx, func(tx Reader) error {
		list, err := tx.Users()
		fresh = len(list) == 0
		return err
	})
	return fresh, err
}

// UserNamed returns an account by its name.
func (s *Service) UserNamed(ctx context.Context, p Principal, name string) (u User, err error) {
	if err := p.Need(Administer); err != nil {
		return u, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { u, err = tx.UserNamed(name); return err })
	return u, err
}

// Audit is a page of who did what, the latest first, and whether there is more.
func (s *Service) Audit(ctx context.Context, p Principal, q AuditQuery) (list []AuditEntry, more bool, err error) {
	if err := p.Need(Administer); err != nil {
		return nil, false, err
	}
	q.Page, q.Per = min(max(q.Page, 1), 1_000_000), min(max(q.Per, 1), 500)
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Audit(q); return err })
	if more = len(list) > q.Per; more {
		list = list[:q.Per]
	}
	return list, more, err
}

// AuditActions are the kinds of entries that there are.
func (s *Service) AuditActions(ctx context.Context, p Principal) (list []string, err error) {
	if err := p.Need(Administer); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.AuditActions(); return err })
	return list, err
}
