package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Repeats keeps the answers to requests that named a key; it implements web.Repeats.
type Repeats struct{ s *Store }

// Repeats returns the keeper of answers.
func (s *Store) Repeats() Repeats { return Repeats{s} }

// keptRepeats is how long answers are kept.
const keptRepeats = 24 * time.Hour

// Begin records that a request is carried out under somebody's key. If the key was used before, it returns what for, and
// the answer: status 0 if there is none.
func (k Repeats) Begin(ctx context.Context, who, key, request string, now time.Time) (before string, status int, headers string, body []byte, err error) {
	if _, err := k.s.write.ExecContext(ctx, `DELETE FROM repeats WHERE at < ?`, stamp(now.Add(-keptRepeats))); err != nil {
		return "", 0, "", nil, err
	}
	r, err := k.s.write.ExecContext(ctx, `INSERT INTO repeats (who, key, request, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING`, who, key, request, stamp(now))
	if err != nil {
		return "", 0, "", nil, err
	}
	if n, err := r.RowsAffected(); err != nil || n > 0 {
		return "", 0, "", nil, err
	}
	err = k.s.read.QueryRowContext(ctx, `SELECT request, status, headers, body FROM repeats WHERE who = ? AND key = ?`, who, key).Scan(&before, &status, &headers, &body)
	if errors.Is(err, sql.ErrNoRows) { // it failed this moment
		return request, 0, "", nil, nil
	}
	return before, status, headers, body, err
}

// End keeps a request's answer; with status 0 it forgets the request, which changed nothing.
func (k Repeats) End(ctx context.Context, who, key string, status int, headers string, body []byte) error {
	if status == 0 {
		_, err := k.s.write.ExecContext(ctx, `DELETE FROM repeats WHERE who = ? AND key = ?`, who, key)
		return err
	}
	if body == nil { // an answer without a body, which is no missing answer
		body = []byte{}
	}
	_, err := k.s.write.ExecContext(ctx, `UPDATE repeats SET status = ?, headers = ?, body = ? WHERE who = ? AND key = ?`, status, headers, body, who, key)
	return err
}
