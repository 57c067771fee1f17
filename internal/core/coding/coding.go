// Package coding undoes content codings of bodies: gzip, deflate, br and zstd, also
// several on top of each other.
package coding

import (
	"bufio"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"io"
	"slices"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
)

// errUnknown is the error of a coding that is none of ours.
var errUnknown = errors.New("unknown content coding")

// Name is what the header says of content codings, in lower case: one, or several with
// commas between them; "" for none.
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

// mostCodings is how many codings a body may have on top of each other.
const mostCodings = 4

func decode(name string, coded []byte, limit int) ([]byte, error) {
	names := strings.Split(name, ",")
	if len(names) > mostCodings {
		return nil, errUnknown
	}
	var r io.Reader = bytes.NewReader(coded)
	for _, one := range slices.Backward(names) { // the last one was applied last
		undone, err := undo(strings.TrimSpace(one), r)
		if err != nil {
			return nil, err
		}
		defer undone.Close()
		r = undone
	}
	return io.ReadAll(io.LimitReader(r, int64(limit)+1))
}

func undo(name string, r io.Reader) (io.ReadCloser, error) {
	switch name {
	case "identity":
		return io.NopCloser(r), nil
	case "gzip", "x-gzip":
		return gzip.NewReader(r)
	case "deflate":
		return inflate(r)
	case "br":
		return io.NopCloser(brotli.NewReader(r)), nil
	case "zstd":
		decoder, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(64<<20))
		if err != nil {
			return nil, err
		}
		return decoder.IOReadCloser(), nil
	}
	return nil, errUnknown
}

// inflate reads deflate with the header of zlib, as the standard wants it, or without
// one, as many servers send it.
func inflate(r io.Reader) (io.ReadCloser, error) {
	buffered := bufio.NewReader(r)
	header, err := buffered.Peek(2)
	if err != nil {
		return nil, err
	}
	if header[0]&0x0f == 8 && binary.BigEndian.Uint16(header)%31 == 0 {
		return zlib.NewReader(buffered)
	}
	return flate.NewReader(buffered), nil
}

// Accepted reports whether the Accept-Encoding lines of a request accept a coding, or all
// of several on top of each other (RFC 9110, section 12.5.3). Without such a line none is
// asked for.
func Accepted(lines []string, name string) bool {
	for one := range strings.SplitSeq(name, ",") {
		if !accepts(lines, strings.TrimSpace(one)) {
			return false
		}
	}
	return true
}

func accepts(lines []string, name string) (accepted bool) {
	for line := range strings.SplitSeq(strings.ToLower(strings.Join(lines, ",")), ",") {
		one, parameters, _ := strings.Cut(line, ";")
		one = strings.TrimSpace(one)
		_, quality, _ := strings.Cut(strings.ReplaceAll(parameters, " ", ""), "q=")
		refused := quality != "" && strings.Trim(quality, "0.") == ""
		switch strings.TrimPrefix(one, "x-") {
		case strings.TrimPrefix(name, "x-"):
			return !refused
		case "*":
			accepted = !refused
		}
	}
	return accepted
}
