package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"time"

	"aldermoor/internal/jobs"
	"aldermoor/internal/library"
)

const userColumns = `id, name, role, password, disabled, created`

func scanUser(scan func(...any) error) (u library.User, err error) {
	var created int64
	err = scan(&u.ID, &u.Name, &u.Role, &u.Password, &u.Disabled, &created)
	u.Created = moment(created)
	return u, err
}

func (t tx) user(where string, args ...any) (library.User, error) {
	u, err := scanUser(t.QueryRowContext(t.ctx, `SELECT `+userColumns+` FROM users WHERE `+where, args...).Scan)
	if errors.Is(err, sql.ErrNoRows) {
		err = library.ErrNotFound
	}
	return u, err
}

func (t tx) Users() (list []library.User, err error) {
	err = t.each(`SELECT `+userColumns+` FROM users ORDER BY name`, nil, func(scan func(...any) error) error {
		u, err := scanUser(scan)
		list = append(list, u)
		return err
	})
	return list, err
}

func (t tx) User(id int64) (library.User, error)         { return t.user(`id = ?`, id) }
func (t tx) UserNamed(name string) (library.User, error) { return t.user(`name = ?`, name) }
func (t tx) UserOfToken(hash []byte) (library.User, error) {
	return t.user(`id = (SELECT user_id FROM tokens WHERE hash = ?)`, hash)
}

func (t tx) SaveUser(u *library.User) (err error) {
	if u.ID == 0 {
		u.ID, err = t.insert(`INSERT INTO users (name, role, password, disabled, created) VALUES (?, ?, ?, ?, ?)`, u.Name, u.Role, u.Password, u.Disabled, stamp(u.Created))
		return err
	}
	_, err = t.exec(`UPDATE users SET role = ?, password = ?, disabled = ? WHERE id = ?`, u.Role, u.Password, u.Disabled, u.ID)
	return err
}

func (t tx) AddToken(user int64, label string, hash []byte, at time.Time) error {
	_, err := t.exec(`INSERT INTO tokens (user_id, label, hash, created) VALUES (?, ?, ?, ?)`, user, label, hash, stamp(at))
	return err
}

func (t tx) AddAudit(e library.AuditEntry) error {
	_, err := t.exec(`INSERT INTO audit (at, actor, action, subject, detail) VALUES (?, ?, ?, ?, ?)`, stamp(e.At), e.Actor, e.Action, e.Subject, e.Detail)
	return err
}

func (t tx) Audit(limit int) (list []library.AuditEntry, err error) {
	err = t.each(`SELECT at, actor, action, subject, detail FROM audit ORDER BY id DESC LIMIT ?`, []any{limit}, func(scan func(...any) error) error {
		var e library.AuditEntry
		var at int64
		err := scan(&at, &e.Actor, &e.Action, &e.Subject, &e.Detail)
		e.At = moment(at)
		list = append(list, e)
		return err
	})
	return list, err
}

func (t tx) AddJob(kind, key string, priority int) error {
	return jobs.Add(t.ctx, t, kind, key, priority)
}

// Sessions keeps web sessions; it implements the session manager's store with
// contexts.
type Sessions struct{ s *Store }

// Sessions returns the keeper of web sessions.
func (s *Store) Sessions() Sessions { return Sessions{s} }

// FindCtx returns a session's data unless it has ended or expired.
func (k Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	var data []byte
	err := k.s.read.QueryRowContext(ctx, `SELECT data FROM sessions WHERE token = ? AND expiry > ? AND length(data) > 0`, token, time.Now().UnixMilli()).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// moved is how far a session's expiry moves before that alone is written: every
// answer moves it, and none should wait for the writer for that.
const moved = time.Minute

// CommitCtx writes a session, and forgets those that have expired. One that was
// ended stays so, whatever answer is still on its way.
func (k Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	var had []byte
	var until int64
	err := k.s.read.QueryRowContext(ctx, `SELECT data, expiry FROM sessions WHERE token = ?`, token).Scan(&had, &until)
	switch {
	case err != nil && !errors.Is(err, sql.ErrNoRows):
		return err
	case err == nil && bytes.Equal(had, data) && expiry.Sub(time.UnixMilli(until)) < moved:
		return nil
	}
	_, err = k.s.write.ExecContext(ctx, `INSERT INTO sessions (token, data, expiry) VALUES (?, ?, ?)
		ON CONFLICT (token) DO UPDATE SET data = excluded.data, expiry = excluded.expiry WHERE length(sessions.data) > 0`, token, data, expiry.UnixMilli())
	if err == nil {
		_, err = k.s.write.ExecContext(ctx, `DELETE FROM sessions WHERE expiry < ?`, time.Now().UnixMilli())
	}
	return err
}

// DeleteCtx ends a session. For an hour it is kept, empty, so that an answer which
// was on its way cannot bring it back.
func (k Sessions) DeleteCtx(ctx context.Context, token string) error {
	_, err := k.s.write.ExecContext(ctx, `UPDATE sessions SET data = x'', expiry = ? WHERE token = ?`, time.Now().Add(time.Hour).UnixMilli(), token)
	return err
}

// Find, Commit and Delete are the same without a context.
func (k Sessions) Find(token string) ([]byte, bool, error) {
	return k.FindCtx(context.Background(), token)
}

// Commit writes a session.
func (k Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return k.CommitCtx(context.Background(), token, data, expiry)
}

// Delete ends a session.
func (k Sessions) Delete(token string) error { return k.DeleteCtx(context.Background(), token) }
