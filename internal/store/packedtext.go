package store

import (
	"bytes"
	"compress/gzip"
	"database/sql/driver"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
)

// packedText is a text that is compressed in the database: contracts are large, and say much again and
// again. Those that were kept before it are there as they are.
type packedText []byte

// worthPacking is from how many bytes on a text is compressed.
const worthPacking = 4 << 10

// mostUnpacked is how large a text can be, in bytes.
const mostUnpacked = 1 << 30

// gzipMagic is what a compressed text begins with, and no contract.
var gzipMagic = []byte{0x1f, 0x8b}

// Value implements driver.Valuer.
func (t packedText) Value() (driver.Value, error) {
	if len(t) < worthPacking {
		return []byte(t), nil
	}
	var out bytes.Buffer
	w, err := gzip.NewWriterLevel(&out, gzip.BestSpeed)
	if err == nil {
		_, err = w.Write(t)
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil || out.Len() >= len(t) { // an archive is compressed already
		return []byte(t), err
	}
	return out.Bytes(), nil
}

// Scan implements sql.Scanner.
func (t *packedText) Scan(value any) error {
	kept, ok := value.([]byte)
	switch {
	case !ok && value != nil:
		return fmt.Errorf("a text is kept as %T", value)
	case !bytes.HasPrefix(kept, gzipMagic) || len(kept) < 4:
		*t = slices.Clone(kept)
		return nil
	}
	r, err := gzip.NewReader(bytes.NewReader(kept))
	if err != nil {
		return fmt.Errorf("a text is damaged: %w", err)
	}
	size := binary.LittleEndian.Uint32(kept[len(kept)-4:]) // which is its last word
	if size > mostUnpacked {
		return fmt.Errorf("a text is damaged: it says that it has %d bytes", size)
	}
	plain := make([]byte, size)
	if _, err := io.ReadFull(r, plain); err != nil {
		return fmt.Errorf("a text is damaged: %w", err)
	}
	if n, err := r.Read(make([]byte, 1)); n > 0 || !errors.Is(err, io.EOF) {
		return fmt.Errorf("a text is damaged behind its end: %w", err)
	}
	*t = plain
	return nil
}
