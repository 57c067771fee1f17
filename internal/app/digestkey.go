package app

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// digestKeyFile has the key under which recordings and mappings know secrets again. It
// stays as it is, since mappings hold digests as long as they live.
const digestKeyFile = "digest.key"

// digestKey is the one that is given, in 64 hexadecimal digits; else that of the data
// folder, which is made on first use.
func digestKey(folder, given string) ([]byte, error) {
	if given != "" {
		key, err := hex.DecodeString(strings.TrimSpace(given))
		if err != nil || len(key) != 32 {
			return nil, errors.New("the key of digests must have 64 hexadecimal digits, as digest.key in a data folder has (--digest-key)")
		}
		return key, nil
	}
	file := filepath.Join(folder, digestKeyFile)
	text, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		key := make([]byte, 32)
		if _, err := rand.Read(key); err != nil {
			return nil, fmt.Errorf("draw a key: %w", err)
		}
		if err := os.WriteFile(file, fmt.Appendf(nil, "%x\n", key), 0o600); err != nil {
			return nil, fmt.Errorf("keep the key of digests: %w", err)
		}
		return key, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the key of digests: %w", err)
	}
	key, err := hex.DecodeString(strings.TrimSpace(string(text)))
	if err != nil || len(key) != 32 {
		return nil, fmt.Errorf("%s is not a key of 64 hexadecimal digits: put the right one back, or remove it to have another one made, under which no recorded secret is known again", file)
	}
	return key, nil
}
