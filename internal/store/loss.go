package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"rapidmimic.example/spec/problem"
)

// versionFile stands beside the database and knows the version of the last change. A
// database that knows less has lost some: its log of changes was removed, or it was
// put back from an older copy.
const versionFile = FileName + ".version"

// checkLoss refuses a database that has lost changes.
func (s *Store) checkLoss(ctx context.Context, acceptLoss bool) error {
	version, err := s.loadVersion(ctx)
	if err != nil {
		return err
	}
	text, err := os.ReadFile(filepath.Join(s.folder, versionFile))
	noted, _ := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64) // what cannot be read demands nothing
	if err == nil && noted > version && !acceptLoss {
		return fmt.Errorf("%s has changes up to number %d, and had some up to %d: the rest was lost, perhaps because %s-wal was removed or the file was emptied or replaced (--accept-loss starts with what is there)",
			FileName, version, noted, FileName)
	}
	s.noteVersion(version)
	return nil
}

// noteVersion keeps the version of the last change beside the database. Where that
// fails, losses up to the next change go unseen, which is no reason to refuse one.
func (s *Store) noteVersion(version int64) {
	temporary := filepath.Join(s.folder, versionFile+".new")
	if os.WriteFile(temporary, []byte(strconv.FormatInt(version, 10)+"\n"), 0o600) == nil {
		_ = os.Rename(temporary, filepath.Join(s.folder, versionFile))
	}
}

// Lost says why what is written now is not kept: the database is not where it was
// opened, since the data folder was removed or replaced. Nil while it is.
func (s *Store) Lost() error {
	if lost := s.lost.Load(); lost != nil {
		return lost
	}
	return nil
}

// CheckFolder looks whether the database is still where it was opened. Once it is not,
// nothing is written any more: that would be lost without a word.
func (s *Store) CheckFolder() error {
	if err := s.Lost(); err != nil {
		return err
	}
	now, err := os.Stat(filepath.Join(s.folder, FileName))
	if err == nil && os.SameFile(now, s.opened) {
		return nil
	}
	s.lost.Store(problem.New(problem.Unavailable, "the data folder %s was removed or replaced while the service was running: restart the service", s.folder))
	return s.Lost()
}

// inWords says what keeps the database from writing, where that is known. consequence
// is what became of it: "nothing was changed".
func inWords(err error, consequence string) error {
	var fault *sqlite.Error
	if !errors.As(err, &fault) {
		return err
	}
	if fault.Code() == sqlite3.SQLITE_IOERR_SHMSIZE { // the memory that processes share is a file too
		return problem.New(problem.Unavailable, "the disk is full; %s", consequence)
	}
	switch fault.Code() & 0xff {
	case sqlite3.SQLITE_FULL:
		return problem.New(problem.Unavailable, "the disk is full; %s", consequence)
	case sqlite3.SQLITE_READONLY:
		return problem.New(problem.Unavailable, "the data folder cannot be written to; %s", consequence)
	case sqlite3.SQLITE_IOERR:
		return problem.New(problem.Unavailable, "the disk fails (%v); %s", err, consequence)
	default:
		return err
	}
}
