// Package store keeps the application's rows in SQLite, through database/sql.
//
// Writes go through one connection and transactions that lock at once; reads
// through several that see the state of their beginning (WAL). Every commit is
// synced, so what has been answered for survives a power cut.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"syscall"
	"time"

	"aldermoor/internal/library"

	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store implements library.Store.
type Store struct{ write, read *sql.DB }

// Open opens the database in a folder, making or migrating it as needed.
func Open(ctx context.Context, dir string) (*Store, error) {
	file := filepath.Join(dir, "aldermoor.db")
	open := func(extra string, conns int) (*sql.DB, error) {
		db, err := sql.Open("sqlite", "file:"+file+"?_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=synchronous(FULL)&_pragma=cache_size(-32000)&_pragma=temp_store(MEMORY)"+extra)
		if err == nil {
			db.SetMaxOpenConns(conns)
			db.SetMaxIdleConns(conns)
			err = db.PingContext(ctx)
		}
		return db, err
	}
	w, err := open("&_txlock=immediate", 1)
	if err != nil {
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	dirFS, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, w, dirFS)
	if err == nil {
		_, err = p.Up(ctx)
	}
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("migrate database %q: %w", file, err)
	}
	r, err := open("&_pragma=query_only(1)", 4)
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("open database %q: %w", file, err)
	}
	return &Store{w, r}, nil
}

// Close closes the database.
func (s *Store) Close() error { return errors.Join(s.read.Close(), s.write.Close()) }

// DB is the connection for writing, for the job queue and the sessions.
func (s *Store) DB() *sql.DB { return s.write }

// Write implements library.Store.
func (s *Store) Write(ctx context.Context, f func(library.Tx) error) error {
	return run(ctx, s.write, nil, f)
}

// Read implements library.Store.
func (s *Store) Read(ctx context.Context, f func(library.Tx) error) error {
	return run(ctx, s.read, &sql.TxOptions{ReadOnly: true}, f)
}

func run(ctx context.Context, db *sql.DB, o *sql.TxOptions, f func(library.Tx) error) error {
	t, err := db.BeginTx(ctx, o)
	if err != nil {
		return named(fmt.Errorf("begin a transaction: %w", err))
	}
	defer t.Rollback() // does nothing after a commit
	if err := f(tx{ctx, t}); err != nil {
		return named(err)
	}
	if err := t.Commit(); err != nil {
		return named(fmt.Errorf("commit: %w", err))
	}
	return nil
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

// tx implements library.Tx.
type tx struct {
	ctx context.Context
	*sql.Tx
}

func (t tx) exec(query string, args ...any) (sql.Result, error) {
	return t.ExecContext(t.ctx, query, args...)
}

// insert returns the new row's id.
func (t tx) insert(query string, args ...any) (int64, error) {
	r, err := t.exec(query, args...)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// one scans a single row, or returns library.ErrNotFound.
func (t tx) one(query string, args []any, dest ...any) error {
	err := t.QueryRowContext(t.ctx, query, args...).Scan(dest...)
	if errors.Is(err, sql.ErrNoRows) {
		return library.ErrNotFound
	}
	return err
}

// each calls f for every row; f scans it.
func (t tx) each(query string, args []any, f func(scan func(...any) error) error) error {
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

// doc is a value kept as JSON in one column.
func doc(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("store: %T as JSON: %v", v, err)) // plain structs only: cannot fail
	}
	return string(b)
}

func undoc(s string, v any) error {
	if s == "" {
		return nil
	}
	return json.Unmarshal([]byte(s), v)
}

func stamp(t time.Time) int64   { return t.UnixMilli() }
func moment(ms int64) time.Time { return time.UnixMilli(ms) }
