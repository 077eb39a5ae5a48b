// Package store keeps the application's rows in SQLite, through database/sql.
//
// Writes go through one connection and transactions that lock at once; reads
// through several that see the state of their beginning (WAL). Every commit is
// synced, so what has been answered for survives a power cut.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/studio"

	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store implements library.StudioStore.
type Store struct {
	write, read *sql.DB
	commits     sync.Mutex // events are told in the order of their commits
	committed   func([]library.Event)
}

// fold(text) is text in small letters of every script, where SQLite's lower knows ASCII alone.
func init() {
	sqlite.MustRegisterDeterministicScalarFunction("fold", 1, func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
		text, _ := args[0].(string)
		return strings.ToLower(text), nil
	})
}

// ErrNewer says that a database was made by a newer program.
var ErrNewer = errors.New("the data was written by a newer version of Aldermoor; use that one, or restore a backup that is older")

// ErrOlder says that a database must be migrated first.
var ErrOlder = errors.New("the data is of an older version of Aldermoor; stop its server, and run aldermoor migrate, or start the new server")

// Open opens the database in a folder, making or migrating it as needed; nobody else may
// have it open. A copy of the database is kept beside it before it is migrated.
func Open(ctx context.Context, dir string) (*Store, error) { return open(ctx, dir, true) }

// OpenBeside opens the database of a folder whose server may be running: it is not
// migrated, but refused if it should be.
func OpenBeside(ctx context.Context, dir string) (*Store, error) { return open(ctx, dir, false) }

func open(ctx context.Context, dir string, migrate bool) (*Store, error) {
	file := filepath.Join(dir, "aldermoor.db")
	// SQLite gives the files beside the database its permissions.
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err == nil {
		err = errors.Join(f.Chmod(0o600), f.Close())
	}
	if err != nil {
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	w, err := connect(ctx, file, "&_txlock=immediate&_pragma=cache_size(-32000)", 1)
	if err != nil {
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	if err := migrated(ctx, w, dir, migrate); err != nil {
		w.Close()
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	r, err := connect(ctx, file, "&_pragma=query_only(1)&_pragma=cache_size(-20000)", 4) // each reader has a cache of its own
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	return &Store{write: w, read: r, committed: func([]library.Event) {}}, nil
}

func connect(ctx context.Context, file, extra string, conns int) (*sql.DB, error) {
	db, err := sql.Open("sqlite", "file:"+file+"?_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=synchronous(FULL)&_pragma=temp_store(MEMORY)"+extra)
	if err == nil {
		db.SetMaxOpenConns(conns)
		db.SetMaxIdleConns(conns)
		err = db.PingContext(ctx)
	}
	return db, err
}

// migrated brings a database to the schema of this program.
func migrated(ctx context.Context, db *sql.DB, dir string, may bool) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return err
	}
	last := int64(0)
	for _, m := range p.ListSources() {
		last = max(last, m.Version)
	}
	now, err := p.GetDBVersion(ctx)
	switch {
	case err != nil:
		return err
	case now > last:
		return ErrNewer
	case now == last:
		return nil
	case !may:
		return ErrOlder
	}
	if now > 0 {
		if err := keepCopy(ctx, db, dir, last); err != nil {
			return fmt.Errorf("keep a copy before the migration: %w", err)
		}
	}
	_, err = p.Up(ctx)
	return err
}

// keepCopy writes a copy of the database beside it. A copy that is there already stays: a migration that failed half way
// and is tried again must not replace the state before it.
func keepCopy(ctx context.Context, db *sql.DB, dir string, version int64) error {
	half := filepath.Join(dir, "aldermoor-copy.part")
	if err := os.Remove(half); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if _, err := db.ExecContext(ctx, `VACUUM INTO ?`, half); err != nil {
		return err
	}
	if err := os.Chmod(half, 0o600); err != nil {
		return err
	}
	name := fmt.Sprintf("aldermoor-before-%d", version)
	for i := 1; ; i++ {
		to := filepath.Join(dir, name+".db")
		if i > 1 {
			to = filepath.Join(dir, fmt.Sprintf("%s-%d.db", name, i))
		}
		if _, err := os.Lstat(to); errors.Is(err, fs.ErrNotExist) {
			return os.Rename(half, to)
		} else if err != nil {
			return err
		}
	}
}

// Close closes the database.
func (s *Store) Close() error {
	_, err := s.write.Exec(`PRAGMA optimize`)
	return errors.Join(err, s.read.Close(), s.write.Close())
}

// DB is the connection for writing, for the job queue and the sessions.
func (s *Store) DB() *sql.DB { return s.write }

// Reads are the connections for reading.
func (s *Store) Reads() *sql.DB { return s.read }

// OnCommit implements library.StudioStore.
func (s *Store) OnCommit(f func([]library.Event)) { s.committed = f }

// Write implements library.StudioStore.
func (s *Store) Write(ctx context.Context, f func(studio.Tx) error) error {
	t, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return named(fmt.Errorf("begin a transaction: %w", err))
	}
	defer t.Rollback() // does nothing after a commit
	x := &tx{ctx: ctx, Tx: t}
	if err := f(x); err != nil {
		return named(err)
	}
	events, err := x.events()
	if err != nil {
		return named(err)
	}
	// The next transaction begins when this one has been committed; its events must not
	// overtake these.
	s.commits.Lock()
	defer s.commits.Unlock()
	if err := t.Commit(); err != nil {
		return named(fmt.Errorf("commit: %w", err))
	}
	for _, f := range x.after {
		f()
	}
	if len(events) > 0 {
		s.committed(events)
	}
	return nil
}

// Read implements library.StudioStore.
func (s *Store) Read(ctx context.Context, f func(studio.Reader) error) error {
	t, err := s.read.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return fmt.Errorf("begin a transaction: %w", err)
	}
	defer t.Rollback()
	return f(&tx{ctx: ctx, Tx: t})
}

// named makes a full database what a full disk is to everything else.
func named(err error) error {
	var e *sqlite.Error
	if errors.As(err, &e) && e.Code() == sqlite3.SQLITE_FULL {
		return fmt.Errorf("%w (%w)", err, syscall.ENOSPC)
	}
	return err
}

// Check runs SQLite's own check of the whole database.
func (s *Store) Check(ctx context.Context) error {
	var says string
	if err := s.read.QueryRowContext(ctx, `PRAGMA integrity_check`).Scan(&says); err != nil {
		return err
	}
	if says != "ok" {
		return errors.New(says)
	}
	rows, err := s.read.QueryContext(ctx, `PRAGMA foreign_key_check`)
	if err != nil {
		return err
	}
	defer rows.Close()
	if rows.Next() {
		return errors.New("a row refers to one that is not there")
	}
	return rows.Err()
}

// tx implements library.StudioTx.
type tx struct {
	ctx context.Context
	*sql.Tx
	topics []string
	after  []func()
}

// After implements library.Recorder.
func (t *tx) After(f func()) { t.after = append(t.after, f) }

// Changed implements library.StudioTx.
func (t *tx) Changed(topic string) {
	if !slices.Contains(t.topics, topic) {
		t.topics = append(t.topics, topic)
	}
}

// events writes down what the transaction changed.
func (t *tx) events() (list []library.Event, err error) {
	now := time.Now()
	for _, topic := range t.topics {
		id, err := t.insert(`INSERT INTO events (at, topic) VALUES (?, ?)`, stamp(now), topic)
		if err != nil {
			return nil, err
		}
		list = append(list, library.Event{ID: id, Topic: topic, At: now})
	}
	return list, nil
}

// EventsAfter implements library.StudioReader.
func (t *tx) EventsAfter(id int64, limit int) (list []library.Event, oldest int64, err error) {
	if err := t.one(`SELECT coalesce(min(id), 0) FROM events`, nil, &oldest); err != nil {
		return nil, 0, err
	}
	err = t.each(`SELECT id, at, topic FROM events WHERE id > ? ORDER BY id LIMIT ?`, []any{id, limit}, func(scan func(...any) error) error {
		var e library.Event
		var at int64
		err := scan(&e.ID, &at, &e.Topic)
		e.At = moment(at)
		list = append(list, e)
		return err
	})
	return list, oldest, err
}

// LastEvent implements library.StudioReader.
func (t *tx) LastEvent() (id int64, err error) {
	err = t.one(`SELECT coalesce(max(id), 0) FROM events`, nil, &id)
	return id, err
}

// ForgetEvents implements library.StudioTx.
func (t *tx) ForgetEvents(upTo int64) error {
	_, err := t.exec(`DELETE FROM events WHERE id <= ?`, upTo)
	return err
}

func (t *tx) exec(query string, args ...any) (sql.Result, error) {
	return t.ExecContext(t.ctx, query, args...)
}

// insert returns the new row's id.
func (t *tx) insert(query string, args ...any) (int64, error) {
	r, err := t.exec(query, args...)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// one scans a single row, or returns library.ErrNotFound.
func (t *tx) one(query string, args []any, dest ...any) error {
	err := t.QueryRowContext(t.ctx, query, args...).Scan(dest...)
	if errors.Is(err, sql.ErrNoRows) {
		return library.ErrNotFound
	}
	return err
}

// each calls f for every row; f scans it.
func (t *tx) each(query string, args []any, f func(scan func(...any) error) error) error {
	rows, err := t.QueryContext(t.ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := f(rows.Scan); err != nil {
			return err
		}
	}
	return rows.Err()
}

func taken(err error) bool {
	var e *sqlite.Error
	return errors.As(err, &e) && (e.Code() == sqlite3.SQLITE_CONSTRAINT_UNIQUE || e.Code() == sqlite3.SQLITE_CONSTRAINT_PRIMARYKEY)
}

// asJSON is a value kept as JSON in one column. What cannot be JSON fails the statement.
func asJSON(v any) driver.Valuer { return document{v} }

type document struct{ v any }

// Value implements driver.Valuer.
func (d document) Value() (driver.Value, error) {
	b, err := json.Marshal(d.v)
	if err != nil {
		return nil, fmt.Errorf("%T as JSON: %w", d.v, err)
	}
	return string(b), nil
}

func fromJSON(s string, v any) error {
	if s == "" {
		return nil
	}
	return json.Unmarshal([]byte(s), v)
}

func stamp(t time.Time) int64   { return t.UnixMilli() }
func moment(ms int64) time.Time { return time.UnixMilli(ms) }

// ending is a moment that may be never, which is 0.
func ending(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return stamp(t)
}

func endOf(ms int64) time.Time {
	if ms == 0 {
		return time.Time{}
	}
	return moment(ms)
}
