package library

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/bcrypt"
)

// ErrDenied says that a name and password do not go together. It does not say
// which of them is wrong.
var ErrDenied = errors.New("name and password do not go together")

// SignIn checks a name and password. After five wrong tries from one place, or
// for one name, more are refused for a growing while.
func (s *Service) SignIn(ctx context.Context, name, password, from string) (User, error) {
	keys := []string{"from " + from, "name " + strings.ToLower(name)}
	if wait := s.guard.wait(s.Now(), keys...); wait > 0 {
		return User{}, Invalid{fmt.Sprintf("There were too many wrong tries. Wait %d seconds and try again.", int(wait.Seconds())+1)}
	}
	var u User
	err := s.Store.Read(ctx, func(tx Tx) (err error) { u, err = tx.UserNamed(name); return err })
	if err != nil && !errors.Is(err, ErrNotFound) {
		return User{}, err
	}
	hash := u.Password
	if err != nil { // take as long for a name that does not exist
		hash = []byte("$2a$10$7EqJtq98hPqEX7fNZaFWoOhi5xVw0zRtK4m1m2mJ5u9sMEbIhCxVe")
	}
	if bcrypt.CompareHashAndPassword(hash, []byte(password)) != nil || err != nil || u.Disabled {
		s.guard.miss(s.Now(), keys...)
		return User{}, ErrDenied
	}
	s.guard.hit(keys[1])
	return u, nil
}

// AddUser makes an account. Passwords have at least 10 characters, save in a
// demo, whose accounts anybody may enter.
func (s *Service) AddUser(ctx context.Context, name, password string, role Role, by string) (User, error) {
	name = strings.TrimSpace(name)
	switch {
	case name == "" || len(name) > 60:
		return User{}, Invalid{"An account needs a name of at most 60 bytes."}
	case !slices.Contains(Roles(), role):
		return User{}, Invalid{fmt.Sprintf("There is no role %q.", role)}
	case len(password) < 10:
		return User{}, Invalid{"A password needs at least 10 characters."}
	case len(password) > 72:
		return User{}, Invalid{"A password may have at most 72 bytes."}
	}
	hash, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	if err != nil {
		return User{}, err
	}
	u := User{Name: name, Role: role, Password: hash, Created: s.Now()}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if _, err := tx.UserNamed(name); err == nil {
			return Invalid{fmt.Sprintf("There is an account called %s already.", name)}
		}
		if err := tx.SaveUser(&u); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "account added", name, string(role)})
	})
	return u, err
}

// ChangeUser sets an account's role, and whether it may be used.
func (s *Service) ChangeUser(ctx context.Context, id int64, role Role, disabled bool, by string) error {
	if !slices.Contains(Roles(), role) {
		return Invalid{fmt.Sprintf("There is no role %q.", role)}
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		users, err := tx.Users()
		if err != nil {
			return err
		}
		admins := 0
		var u *User
		for i := range users {
			if users[i].Role == Administrator && !users[i].Disabled {
				admins++
			}
			if users[i].ID == id {
				u = &users[i]
			}
		}
		if u == nil {
			return ErrNotFound
		}
		if u.Role == Administrator && !u.Disabled && admins == 1 && (role != Administrator || disabled) {
			return Invalid{"This is the last administrator; make another one first."}
		}
		u.Role, u.Disabled = role, disabled
		if err := tx.SaveUser(u); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "account changed", u.Name, fmt.Sprintf("%s, disabled %v", role, disabled)})
	})
}

// Users are all accounts.
func (s *Service) Users(ctx context.Context) (list []User, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Users(); return err })
	return list, err
}

// User returns an account.
func (s *Service) User(ctx context.Context, id int64) (u User, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { u, err = tx.User(id); return err })
	return u, err
}

// Audit is the latest of who did what.
func (s *Service) Audit(ctx context.Context, limit int) (list []AuditEntry, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Audit(limit); return err })
	return list, err
}

// NewToken makes a bearer token for a program that acts as that account. It is
// shown once; only its hash is kept.
func (s *Service) NewToken(ctx context.Context, name, label string) (string, error) {
	token := "ald_" + rand.Text() + rand.Text()
	hash := sha256.Sum256([]byte(token))
	err := s.Store.Write(ctx, func(tx Tx) error {
		u, err := tx.UserNamed(name)
		if errors.Is(err, ErrNotFound) {
			return Invalid{fmt.Sprintf("There is no account called %q.", name)}
		}
		if err != nil {
			return err
		}
		if err := tx.AddToken(u.ID, label, hash[:], s.Now()); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), u.Name, "token made", label, ""})
	})
	return token, err
}

// UserOfToken is who a bearer token stands for.
func (s *Service) UserOfToken(ctx context.Context, token string) (u User, err error) {
	hash := sha256.Sum256([]byte(token))
	err = s.Store.Read(ctx, func(tx Tx) (err error) { u, err = tx.UserOfToken(hash[:]); return err })
	if err == nil && u.Disabled {
		return User{}, ErrDenied
	}
	return u, err
}

// throttle slows down guessing of passwords.
type throttle struct {
	mu     sync.Mutex
	misses map[string]*miss
}

type miss struct {
	n     int
	until time.Time
}

const freeTries = 5

func (t *throttle) wait(now time.Time, keys ...string) (longest time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, k := range keys {
		if m := t.misses[k]; m != nil {
			longest = max(longest, m.until.Sub(now))
		}
	}
	return longest
}

func (t *throttle) miss(now time.Time, keys ...string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.misses == nil {
		t.misses = map[string]*miss{}
	}
	for k, m := range t.misses { // forget what is long past
		if now.Sub(m.until) > time.Hour {
			delete(t.misses, k)
		}
	}
	for _, k := range keys {
		m := t.misses[k]
		if m == nil {
			m = &miss{until: now}
			t.misses[k] = m
		}
		if m.n++; m.n >= freeTries {
			m.until = now.Add(min(15*time.Minute, time.Second<<min(m.n-freeTries+1, 10)))
		}
	}
}

func (t *throttle) hit(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.misses, key)
}
