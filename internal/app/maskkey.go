package app

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"rapidmimic.example/internal/core/secret"
)

// maskKey is the key under which secrets are masked. It stands in a file of its own
// beside the database, so that whoever gets hold of one of them alone can guess
// nothing, and is replaced whenever every call that was masked before it began has
// left the log.
type maskKey struct {
	file   string
	logger *slog.Logger
	masker *secret.Masker

	mu    sync.Mutex
	since time.Time
}

// keyFile is its name in the data folder.
const keyFile = "masking.key"

// openMaskKey reads the key of a data folder, or makes one; old is that of a database
// from before there was a file, nil for none.
func openMaskKey(folder string, old []byte, rules *secret.Rules, standIns *secret.StandIns, logger *slog.Logger) (*maskKey, error) {
	k := &maskKey{file: filepath.Join(folder, keyFile), logger: logger}
	text, err := os.ReadFile(k.file)
	var key []byte
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if key, err = k.make(old); err != nil {
			return nil, err
		}
	case err != nil:
		return nil, fmt.Errorf("read the key of masked secrets: %w", err)
	default:
		var written string
		var since int64
		if _, err := fmt.Sscan(string(text), &written, &since); err != nil {
			return nil, fmt.Errorf("%s is not a key: remove it to have another one made", k.file)
		}
		if key, err = hex.DecodeString(written); err != nil || len(key) < 16 {
			return nil, fmt.Errorf("%s is not a key: remove it to have another one made", k.file)
		}
		k.since = time.UnixMicro(since)
	}
	k.masker = secret.NewMasker(key, rules, standIns)
	return k, nil
}

// make writes a key, a drawn one where none is given.
func (k *maskKey) make(key []byte) ([]byte, error) {
	if key == nil {
		key = make([]byte, 32)
		if _, err := rand.Read(key); err != nil {
			return nil, fmt.Errorf("draw a key: %w", err)
		}
	}
	since := time.Now()
	fresh := k.file + ".new"
	err := os.WriteFile(fresh, fmt.Appendf(nil, "%x %d\n", key, since.UnixMicro()), 0o600)
	if err == nil {
		err = os.Rename(fresh, k.file)
	}
	if err != nil {
		return nil, fmt.Errorf("keep the key of masked secrets: %w", err)
	}
	k.since = since
	return key, nil
}

// turned is told when the newest call came that has left the log.
func (k *maskKey) turned(newest time.Time) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if !newest.After(k.since) {
		return
	}
	key, err := k.make(nil)
	if err != nil {
		k.logger.Error("the key of masked secrets stays as it is", "error", err)
		return
	}
	k.masker.SetKey(key)
}
