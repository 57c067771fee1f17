package app

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"rapidmimic.example/internal/store"
)

// keptWith are the files beside the database that a backup has, where they are there: the key
// of secret variables and stand-ins, and our authority. The key of digests in the log is not
// one: without it nobody can guess what was masked there.
var keptWith = []string{digestKeyFile, signingKeyFile, "authority.pem", "authority.key"}

// backup writes all that a data folder needs as an archive, while the service runs.
func (a *app) backup(ctx context.Context, w io.Writer) error {
	folder, err := os.MkdirTemp(a.config.Data, "backup-")
	if err != nil {
		return fmt.Errorf("make room for a backup: %w", err)
	}
	defer os.RemoveAll(folder)
	database := filepath.Join(folder, store.FileName)
	if err := a.store.Backup(ctx, database); err != nil {
		return err
	}
	archive := zip.NewWriter(w)
	files := []string{database}
	for _, name := range keptWith {
		files = append(files, filepath.Join(a.config.Data, name))
	}
	for _, file := range files {
		if err := pack(archive, file); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("pack %s: %w", filepath.Base(file), err)
		}
	}
	return archive.Close()
}

func pack(archive *zip.Writer, file string) error {
	in, err := os.Open(file)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := archive.CreateHeader(&zip.FileHeader{Name: filepath.Base(file), Method: zip.Deflate, Modified: time.Now()})
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return err
}

// Restore puts a backup into a data folder in which there is no database, or where over is
// set, instead of the one that is there, which is kept beside it. All of it or nothing.
func Restore(ctx context.Context, file, data string, over bool, logger *slog.Logger) error {
	archive, err := zip.OpenReader(file)
	if err != nil {
		return fmt.Errorf("%s is no backup: %w", file, err)
	}
	defer archive.Close()
	if !slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == store.FileName }) {
		return fmt.Errorf("%s is no backup: it has no %s", file, store.FileName)
	}
	unlock, err := lockData(data)
	if err != nil {
		return err
	}
	defer unlock()
	there := filepath.Join(data, store.FileName)
	if _, err := os.Stat(there); err == nil && !over {
		return fmt.Errorf("%s has a database already (--over puts the backup in its place, and keeps it beside)", data)
	}
	made, err := os.MkdirTemp(data, "restore-")
	if err != nil {
		return fmt.Errorf("make room for the backup: %w", err)
	}
	defer os.RemoveAll(made)
	for _, f := range archive.File {
		if f.Name != store.FileName && !slices.Contains(keptWith, f.Name) {
			return fmt.Errorf("%s is no backup: %q has no place in one", file, f.Name)
		}
		if err := unpack(f, filepath.Join(made, f.Name)); err != nil {
			return fmt.Errorf("unpack %s: %w", f.Name, err)
		}
	}
	if err := store.Check(ctx, filepath.Join(made, store.FileName)); err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	return putInPlace(made, data, logger)
}

// putInPlace moves what was unpacked into the data folder, and what was there aside.
func putInPlace(made, data string, logger *slog.Logger) error {
	aside := filepath.Join(data, "before-restore-"+time.Now().UTC().Format("20060102-150405"))
	gone := append([]string{store.FileName, store.FileName + "-wal", store.FileName + "-shm", store.FileName + ".version", keyFile}, keptWith...)
	moved := false
	for _, name := range gone {
		from := filepath.Join(data, name)
		if _, err := os.Stat(from); errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err := os.MkdirAll(aside, 0o700); err != nil {
			return err
		}
		if err := os.Rename(from, filepath.Join(aside, name)); err != nil {
			return fmt.Errorf("move %s aside: %w (what was moved is in %s)", name, err, aside)
		}
		moved = true
	}
	entries, err := os.ReadDir(made)
	if err != nil {
		return err
	}
	for _, entry := range entries {
		if err := os.Rename(filepath.Join(made, entry.Name()), filepath.Join(data, entry.Name())); err != nil {
			return fmt.Errorf("put %s in place: %w (what was there is in %s)", entry.Name(), err, aside)
		}
	}
	if moved {
		logger.Info("what was there is kept", "folder", aside)
	}
	return nil
}

func unpack(f *zip.File, to string) error {
	in, err := f.Open()
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Sync(), out.Close())
}
