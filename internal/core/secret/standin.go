package secret

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"hash"
	"io"
	"sync"
)

// StandIns makes what recordings keep instead of secrets: secret- and 32 digits. The
// same secret always has the same one, so that mappings know it again and what was
// handed out in playback leads to what was recorded with it. Nothing leads back, and
// nothing leads to the digests in the log, which are under another key. It is safe for
// concurrent use.
type StandIns struct {
	id   string // of the key: a digest under another one is another
	macs sync.Pool
}

// NewStandIns makes them under a key, which should never leave the environment save to
// another one that plays back the same recordings.
func NewStandIns(key []byte) *StandIns {
	sum := sha256.Sum256(append([]byte("the key of "), key...))
	id := hex.EncodeToString(sum[:keyDigits/2])
	if id == Foreign {
		id = "0001"
	}
	return &StandIns{id: id, macs: sync.Pool{New: func() any { return hmac.New(sha256.New, key) }}}
}

const (
	// StandInPrefix begins every one.
	StandInPrefix = "secret-"
	// Foreign stands for the key where none was used: the secret was masked before, and
	// nothing knows it again.
	Foreign   = "0000"
	keyDigits = len(Foreign)
)

// Of is the stand-in of a secret.
func (s *StandIns) Of(secret string) string {
	mac := s.macs.Get().(hash.Hash)
	defer s.macs.Put(mac)
	mac.Reset()
	_, _ = io.WriteString(mac, secret) // a hash never fails
	var sum [sha256.Size]byte
	return StandInPrefix + s.id + hex.EncodeToString(mac.Sum(sum[:0])[:16])[keyDigits:]
}

// OfDigest is the stand-in of a secret that was masked before: equal ones have equal
// stand-ins.
func OfDigest(digest string) string {
	sum := sha256.Sum256([]byte("stand-in for " + digest))
	return StandInPrefix + Foreign + hex.EncodeToString(sum[:16])[keyDigits:]
}
