package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
)

// Token lets a program act as an account, within a scope.
type Token struct {
	ID     int64
	UserID int64
	Label  string // what it is for
	Scope  Scope
	Made   time.Time
	Ends   time.Time // zero: never
	Used   time.Time // zero: never
}

// tokenDays is how long a token holds at most and unless something else is said.
const tokenDays = 365

// NewToken makes a bearer token for one's own account, or, from the command line, for the
// named one. It is returned once; only its hash is kept. A token makes no tokens. days is
// how long it holds; 0 is a year.
func (s *Service) NewToken(ctx context.Context, p Principal, name, label string, scope Scope, days int) (secret string, t Token, err error) {
	command := p.UserID == 0 && p.May(Administer) && !p.Token
	if !command {
		if err := p.Need(SelfManage); err != nil {
			return "", t, err
		}
		if name != p.Name {
			return "", t, Forbidden{SelfManage, p}
		}
	}
	switch label = strings.TrimSpace(label); {
	case label == "" || len(label) > 60:
		return "", t, library.Invalid("Say in at most 60 bytes what the token is for.")
	case !slices.Contains(Scopes(), scope):
		return "", t, library.Invalid(fmt.Sprintf("A token's scope is read, contribute or administer, not %q.", scope))
	case days < 0 || days > 10*tokenDays:
		return "", t, library.Invalid("A token holds between 1 and 3650 days.")
	case days == 0:
		days = tokenDays
	}
	secret = "ald_" + rand.Text() + rand.Text()
	t = Token{Label: label, Scope: scope, Made: s.Now(), Ends: s.Now().Add(time.Duration(days) * 24 * time.Hour)}
	hash := sha256.Sum256([]byte(secret))
	err = s.Store.Write(ctx, func(tx Tx) error {
		u, err := tx.UserNamed(name)
		if errors.Is(err, library.ErrNotFound) {
			return library.Invalid(fmt.Sprintf("There is no account called %q.", name))
		}
		if err != nil {
			return err
		}
		t.UserID = u.ID
		if err := tx.AddToken(&t, hash[:]); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, "token made", u.Name, fmt.Sprintf("%s, %s, until %s", label, scope, t.Ends.Format(time.DateOnly))))
	})
	return secret, t, err
}

// PrincipalOfToken is who a bearer token stands for; ErrDenied if it is not known, has
// ended, or its account is closed.
func (s *Service) PrincipalOfToken(ctx context.Context, secret string) (p Principal, err error) {
	hash := sha256.Sum256([]byte(secret))
	var t Token
	var u User
	err = s.Store.Read(ctx, func(tx Reader) (err error) { t, u, err = tx.Token(hash[:]); return err })
	now := s.Now()
	if errors.Is(err, library.ErrNotFound) || err == nil && (u.Disabled || !t.Ends.IsZero() && now.After(t.Ends)) {
		return p, ErrDenied
	}
	if err != nil {
		return p, err
	}
	if now.Sub(t.Used) > seenFor {
		if err := s.Store.Write(ctx, func(tx Tx) error { return tx.UseToken(t.ID, now) }); err != nil {
			s.Log.Warn("note the last use of a token", "error", err)
		}
	}
	p = u.principal(t.Scope)
	p.Token = true
	return p, nil
}

// Tokens are one's own.
func (s *Service) Tokens(ctx context.Context, p Principal) (list []Token, err error) {
	if err := p.Need(SelfManage); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Tokens(p.UserID); return err })
	return list, err
}

// RevokeToken ends one of one's own tokens.
func (s *Service) RevokeToken(ctx context.Context, p Principal, id int64) error {
	if err := p.Need(SelfManage); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		list, err := tx.Tokens(p.UserID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(t Token) bool { return t.ID == id })
		if i < 0 {
			return library.ErrNotFound
		}
		if err := tx.RemoveToken(p.UserID, id); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, "token revoked", p.Name, list[i].Label))
	})
}

// OwnedToken is a token with the name of its account.
type OwnedToken struct {
	Token
	Owner string
}

// AllTokens are everybody's tokens, the latest first.
func (s *Service) AllTokens(ctx context.Context, p Principal) (list []OwnedToken, err error) {
	if err := p.Need(Administer); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.AllTokens(); return err })
	return list, err
}

// RevokeAny ends a token of anybody.
func (s *Service) RevokeAny(ctx context.Context, p Principal, id int64) error {
	if err := p.Need(Administer); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		list, err := tx.AllTokens()
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(t OwnedToken) bool { return t.ID == id })
		if i < 0 {
			return library.ErrNotFound
		}
		if err := tx.RemoveToken(list[i].UserID, id); err != nil {
			return err
		}
		return tx.AddAudit(Entry(s.Now(), p.Name, "token revoked", list[i].Owner, list[i].Label))
	})
}
