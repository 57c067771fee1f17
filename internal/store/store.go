// Package store keeps the environment in SQLite: definitions, and the calls
// that were received. It decides nothing; the catalog and the call log say
// what to keep.
//
// There is one file a table noun. Definitions are written on one connection,
// calls on another, and reads have a pool of their own, so that neither waits
// for more than a commit of the other.
package store

import (
	"context"
	"crypto/cipher"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync/atomic"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver "sqlite"

	"rapidmimic.example/spec/problem"
)

//go:embed migrations/*.sql
var migrations embed.FS

// FileName is the name of the database in the data folder.
const FileName = "environment.db"

// Store is an open database. It is safe for concurrent use.
type Store struct {
	folder      string
	opened      os.FileInfo // the database
	definitions *sqlx.DB    // one connection
	calls       *callWriter
	read        *sqlx.DB
	seal        cipher.AEAD                   // of secret variables; nil without a key
	lost        atomic.Pointer[problem.Error] // see Lost
}

// Open opens or creates the database in a data folder and brings it to the current
// schema. One that has lost changes is refused, unless that is accepted.
func Open(ctx context.Context, folder string, acceptLoss bool) (*Store, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("make data folder: %w", err)
	}
	file := filepath.Join(folder, FileName)
	s := &Store{folder: folder}
	var err error
	if s.definitions, err = connect(file, 1, "rwc"); err != nil {
		return nil, err
	}
	if err := migrate(ctx, s.definitions.DB, folder); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	if err := carryVersions(ctx, s.definitions); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	if s.opened, err = os.Stat(file); err == nil {
		err = s.checkLoss(ctx, acceptLoss)
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	if s.read, err = connect(file, 4, "ro"); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	db, err := connect(file, 2, "rw")
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	if s.calls, err = newCallWriter(ctx, db); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func connect(file string, connections int, mode string) (*sqlx.DB, error) {
	query := url.Values{"mode": {mode}, "_txlock": {"immediate"}, "_pragma": {
		"busy_timeout(10000)", "auto_vacuum(INCREMENTAL)", "journal_mode(WAL)", "journal_size_limit(67108864)", "synchronous(NORMAL)", "foreign_keys(ON)",
		"wal_autocheckpoint(4000)", "cache_size(-16000)", "temp_store(MEMORY)",
	}}
	if mode == "ro" {
		query["_pragma"] = []string{"busy_timeout(10000)", "query_only(ON)"}
		query.Del("_txlock")
	}
	db, err := sqlx.Open("sqlite", "file:"+(&url.URL{Path: file}).EscapedPath()+"?"+query.Encode())
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	db.SetMaxOpenConns(connections)
	db.SetMaxIdleConns(connections)
	if err := db.Ping(); err != nil {
		return nil, fmt.Errorf("open database %s: %w", file, err)
	}
	return db, nil
}

func migrate(ctx context.Context, db *sql.DB, folder string) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return fmt.Errorf("read migrations: %w", err)
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return fmt.Errorf("read migrations: %w", err)
	}
	sources := provider.ListSources()
	known := sources[len(sources)-1].Version
	version, err := provider.GetDBVersion(ctx)
	if err == nil && version > known {
		return fmt.Errorf("the database was written by a later version of Rapid Mimic (its schema is %d, this one knows %d): start that version, or name another folder with --data", version, known)
	}
	if err == nil && version > 0 && version < known {
		if err := keepBefore(ctx, db, folder, version); err != nil {
			return err
		}
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrate database: %w", err)
	}
	return nil
}

// Close closes all connections. Nothing may be in progress.
func (s *Store) Close() error {
	var all error
	if s.calls != nil {
		all = s.calls.close()
	}
	for _, db := range []*sqlx.DB{s.read, s.definitions} {
		if db != nil {
			all = errors.Join(all, db.Close())
		}
	}
	return all
}

// TakeSecret returns a key that the database has of an earlier version, and removes it
// there; nil for none.
func (s *Store) TakeSecret(ctx context.Context, name string) (key []byte, err error) {
	err = s.definitions.GetContext(ctx, &key, `DELETE FROM settings WHERE key = ? RETURNING value`, name)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("take secret %s: %w", name, err)
	}
	return key, nil
}
