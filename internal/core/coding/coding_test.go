package coding_test

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"io"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/coding"
)

var coders = map[string]func(io.Writer) io.WriteCloser{
	"gzip":    func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) },
	"deflate": func(w io.Writer) io.WriteCloser { return zlib.NewWriter(w) },
	"raw":     func(w io.Writer) io.WriteCloser { c, _ := flate.NewWriter(w, 6); return c },
	"br":      func(w io.Writer) io.WriteCloser { return brotli.NewWriter(w) },
	"zstd":    func(w io.Writer) io.WriteCloser { c, _ := zstd.NewWriter(w); return c },
}

func coded(t *testing.T, plain []byte, names ...string) []byte {
	t.Helper()
	for _, name := range names {
		var b bytes.Buffer
		w := coders[name](&b)
		_, err := w.Write(plain)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		plain = b.Bytes()
	}
	return plain
}

// What real encoders wrote is read again, to the limit and not beyond it.
func TestDecode(t *testing.T) {
	plain := []byte(strings.Repeat(`{"berth":"N4"}`, 20))
	tests := map[string]struct {
		header string
		coders []string
	}{
		"gzip":                       {"gzip", []string{"gzip"}},
		"in capitals":                {" X-GZIP ", []string{"gzip"}},
		"deflate":                    {"deflate", []string{"deflate"}},
		"deflate without a header":   {"deflate", []string{"raw"}},
		"br":                         {"br", []string{"br"}},
		"zstd":                       {"zstd", []string{"zstd"}},
		"two, the last applied last": {"gzip, br", []string{"gzip", "br"}},
		"identity among them":        {"identity, deflate", []string{"deflate"}},
		"as many as there may be":    {"gzip,gzip,gzip,gzip", []string{"gzip", "gzip", "gzip", "gzip"}},
	}
	for name, test := range tests {
		t.Run(name, func(t *testing.T) {
			body := coded(t, plain, test.coders...)
			got, ok := coding.Decode(coding.Name(test.header), body, len(plain))
			assert.True(t, ok)
			assert.Equal(t, plain, got)
			_, ok = coding.Decode(coding.Name(test.header), body, len(plain)-1)
			assert.False(t, ok, "longer than the limit")
			assert.Equal(t, plain[:9], coding.Beginning(coding.Name(test.header), body, 9))
		})
	}
}

// What is not of its coding is not read as anything.
func TestDecodeRefuses(t *testing.T) {
	zipped := coded(t, []byte("berth N4"), "gzip")
	for name, test := range map[string]struct {
		header string
		body   []byte
	}{
		"text":        {"gzip", []byte("berth N4")},
		"other order": {"br, gzip", coded(t, []byte("berth N4"), "gzip", "br")},
		"truncated":   {"gzip", zipped[:len(zipped)-1]},
		"unknown":     {"squash", zipped},
		"one letter":  {"deflate", []byte("b")},
		"too many":    {"gzip,gzip,gzip,gzip,gzip", coded(t, []byte("berth N4"), "gzip", "gzip", "gzip", "gzip", "gzip")},
	} {
		t.Run(name, func(t *testing.T) {
			_, ok := coding.Decode(coding.Name(test.header), test.body, 1<<10)
			assert.False(t, ok)
		})
	}
	assert.Empty(t, coding.Name("Identity"))
	assert.Equal(t, "berth N4", string(coding.Beginning("gzip", zipped[:len(zipped)-1], 1<<10)), "what came before the end")
}

func TestAccepted(t *testing.T) {
	for _, c := range []struct {
		lines []string
		name  string
		want  bool
	}{
		{nil, "gzip", false}, {[]string{"gzip, br"}, "gzip", true}, {[]string{"br", "GZIP;q=0.5"}, "gzip", true}, {[]string{"x-gzip"}, "gzip", true}, {[]string{"gzip"}, "x-gzip", true},
		{[]string{"gzip;q=0"}, "gzip", false}, {[]string{"gzip; q=0.000, *"}, "gzip", false}, {[]string{"*"}, "zstd", true}, {[]string{"*;q=0"}, "zstd", false}, {[]string{"identity"}, "gzip", false},
		{[]string{"gzip"}, "gzip, br", false}, {[]string{"gzip, br"}, "gzip, br", true},
	} {
		assert.Equal(t, c.want, coding.Accepted(c.lines, c.name), "%v %s", c.lines, c.name)
	}
}
