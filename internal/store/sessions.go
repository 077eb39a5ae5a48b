package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"time"
)

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
