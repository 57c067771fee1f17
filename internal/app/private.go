package app

import (
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
)

// keepPrivate takes the rights of others off a data folder and what is in it, and
// tells when there were any.
func keepPrivate(folder string, logger *slog.Logger) error {
	tightened := 0
	err := filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.Type()&fs.ModeSymlink != 0 {
			return err
		}
		info, err := entry.Info()
		if err != nil || info.Mode().Perm()&0o077 == 0 {
			return err
		}
		tightened++
		return os.Chmod(path, info.Mode().Perm()&^0o077)
	})
	if tightened > 0 {
		logger.Warn("others could read the data folder, and cannot any more", "data", folder, "files", tightened)
	}
	return err
}
