package match_test

import (
	"bytes"
	"compress/gzip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
)

// Conditions and contracts see what a body says, whatever coding and charset it came in.
func TestPlainBodies(t *testing.T) {
	var zipped bytes.Buffer
	w := gzip.NewWriter(&zipped)
	_, err := w.Write([]byte(`{"berth": "N7"}`))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	const declared = `<?xml version="1.0" encoding="utf-8"?><a>ü</a>`
	for name, k := range map[string]struct{ contentType, coding, body, want string }{
		"as it is":               {"application/json", "", `{"a": 1}`, `{"a": 1}`},
		"gzip":                   {"application/json", "gzip", zipped.String(), `{"berth": "N7"}`},
		"said to be gzip":        {"application/json", "gzip", `{"a": 1}`, `{"a": 1}`},
		"a coding nobody knows":  {"application/json", "lzw", `{"a": 1}`, `{"a": 1}`},
		"a charset of XML":       {"text/xml; charset=iso-8859-1", "", "<a>\xfc</a>", "<a>ü</a>"},
		"which counts more":      {`text/xml; charset="iso-8859-1"`, "", strings.Replace(declared, "ü", "\xfc", 1), strings.Repeat(" ", 38) + "<a>ü</a>"},
		"its own":                {"application/soap+xml; charset=UTF-8", "", declared, declared},
		"one that nobody knows":  {"text/xml; charset=klingon", "", "<a/>", "<a/>"},
		"that of something else": {"text/plain; charset=iso-8859-1", "", "\xfc", "\xfc"},
	} {
		r := &call.Request{Header: call.Header{"Content-Type": {k.contentType}, "Content-Encoding": {k.coding}}, Body: call.Body{Bytes: []byte(k.body)}}
		assert.Equal(t, k.want, string((&match.Facts{Request: r}).Plain()), name)
	}
	f := &match.Facts{Request: &call.Request{Header: call.Header{"Content-Encoding": {"gzip"}}, Body: call.Body{Bytes: zipped.Bytes()}}}
	assert.Equal(t, "N7", f.Body().Get("berth").Str())
}
