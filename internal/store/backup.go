package store

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"time"
)

// Backup writes a copy of the database, as it is at one moment, to a file that is not there
// yet. Edits and calls go on meanwhile.
func (s *Store) Backup(ctx context.Context, file string) error {
	db, err := connect(filepath.Join(s.folder, FileName), 1, "rw")
	if err != nil {
		return err
	}
	defer db.Close()
	if _, err := db.ExecContext(ctx, `VACUUM INTO ?`, file); err != nil {
		return inWords(fmt.Errorf("copy the database: %w", err), "there is no backup")
	}
	return os.Chmod(file, 0o600)
}

// keepBefore copies a database of an earlier schema before it is brought to the current one,
// so that the earlier version of the program can be gone back to. The copy of the migration
// before goes.
func keepBefore(ctx context.Context, db *sql.DB, folder string, version int64) error {
	copied := filepath.Join(folder, fmt.Sprintf("%s.before-%d", FileName, version+1))
	if _, err := os.Stat(copied); err == nil {
		return nil // an attempt that failed left it, and nothing was changed since
	}
	older, err := filepath.Glob(filepath.Join(folder, FileName+".before-*"))
	if err != nil {
		return err
	}
	made := copied + ".new"
	_ = os.Remove(made) // of an attempt that was cut off
	if _, err := db.ExecContext(ctx, `VACUUM INTO ?`, made); err != nil {
		return fmt.Errorf("copy the database before it is migrated: %w (is there room for it?)", err)
	}
	if err := os.Chmod(made, 0o600); err != nil {
		return fmt.Errorf("copy the database before it is migrated: %w", err)
	}
	if err := os.Rename(made, copied); err != nil {
		return fmt.Errorf("copy the database before it is migrated: %w", err)
	}
	for _, file := range older {
		_ = os.Remove(file) // what cannot go stays
	}
	return nil
}

// Check reads all of a database that was put somewhere, and says what is wrong with it.
func Check(ctx context.Context, file string) error {
	db, err := connect(file, 1, "ro")
	if err != nil {
		return err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 10*time.Minute)
	defer cancel()
	var found string
	if err := db.GetContext(ctx, &found, `PRAGMA quick_check(1)`); err != nil {
		return fmt.Errorf("read the database: %w", err)
	}
	if found != "ok" {
		return fmt.Errorf("the database is damaged: %s", found)
	}
	return nil
}
