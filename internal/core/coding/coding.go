// Package coding undoes content codings of bodies: gzip, deflate, br and zstd.
package coding

import (
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"errors"
	"io"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
)

// errUnknown is the error of a coding that is none of ours.
var errUnknown = errors.New("unknown content coding")

// Name is a content coding as its header says it, in lower case; "" for none.
func Name(header string) string {
	name := strings.ToLower(strings.TrimSpace(header))
	if name == "identity" {
		return ""
	}
	return name
}

// Decode undoes a coding. ok is false when the body is not of it, or its result is
// longer than limit, in bytes.
func Decode(name string, coded []byte, limit int) (plain []byte, ok bool) {
	plain, err := decode(name, coded, limit)
	return plain, err == nil && len(plain) <= limit
}

// Beginning undoes a coding as far as the body goes and the limit allows: of one that
// was truncated what can be known. It is nil where nothing can.
func Beginning(name string, coded []byte, limit int) []byte {
	plain, _ := decode(name, coded, limit) // what came before an error is the beginning
	return plain[:min(len(plain), limit)]
}

func decode(name string, coded []byte, limit int) ([]byte, error) {
	var r io.Reader
	var err error
	switch name {
	case "gzip", "x-gzip":
		r, err = gzip.NewReader(bytes.NewReader(coded))
	case "deflate":
		r, err = zlib.NewReader(bytes.NewReader(coded))
	case "br":
		r = brotli.NewReader(bytes.NewReader(coded))
	case "zstd":
		var decoder *zstd.Decoder
		if decoder, err = zstd.NewReader(bytes.NewReader(coded), zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(64<<20)); err == nil {
			defer decoder.Close()
			r = decoder
		}
	default:
		return nil, errUnknown
	}
	if err != nil {
		return nil, err
	}
	return io.ReadAll(io.LimitReader(r, int64(limit)+1))
}
