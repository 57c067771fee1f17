package call_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

func TestNotModified(t *testing.T) {
	const before, after = "Sat, 28 Nov 2026 10:00:00 GMT", "Sat, 28 Nov 2026 10:00:01 GMT"
	for name, c := range map[string]struct {
		method       string
		header       call.Header
		status       int
		etag, change string
		want         bool
	}{
		"the same tag":              {"GET", call.Header{"If-None-Match": {`"x"`, `W/"a"`}}, 200, `"a"`, "", true},
		"HEAD, any tag":             {"HEAD", call.Header{"If-None-Match": {"*"}}, 200, "", "", true},
		"another tag":               {"GET", call.Header{"If-None-Match": {`"b"`}}, 200, `"a"`, "", false},
		"no tag to compare":         {"GET", call.Header{"If-None-Match": {`"b"`}}, 200, "", "", false},
		"a tag counts, not a time":  {"GET", call.Header{"If-None-Match": {`"b"`}, "If-Modified-Since": {after}}, 200, `"a"`, before, false},
		"unchanged since":           {"GET", call.Header{"If-Modified-Since": {before}}, 200, "", before, true},
		"unchanged, in an old form": {"GET", call.Header{"If-Modified-Since": {"Saturday, 28-Nov-26 10:00:00 GMT"}}, 200, "", before, true},
		"changed since":             {"GET", call.Header{"If-Modified-Since": {before}}, 200, "", after, false},
		"no time of a change":       {"GET", call.Header{"If-Modified-Since": {before}}, 200, "", "", false},
		"no condition":              {"GET", nil, 200, `"a"`, before, false},
		"not of a POST":             {"POST", call.Header{"If-None-Match": {`"a"`}}, 200, `"a"`, "", false},
		"not of a failure":          {"GET", call.Header{"If-None-Match": {`"a"`}}, 500, `"a"`, "", false},
	} {
		r := &call.Request{Method: c.method, Header: c.header}
		assert.Equal(t, c.want, call.NotModified(r, c.status, c.etag, c.change), name)
	}
}

func TestTrim(t *testing.T) {
	r := &call.Record{Request: call.Request{Body: call.Body{Bytes: []byte("ebb tide"), Size: 8}}, Answer: call.Answer{Body: []byte("flood")}, Wire: &call.Wire{Coded: []byte("coded")}}
	whole := r.Weight()
	r.Trim(8)
	assert.Equal(t, "ebb tide", string(r.Request.Body.Bytes))
	assert.NotNil(t, r.Wire)
	r.Trim(3)
	assert.Equal(t, []any{"ebb", true, "flo", int64(8)}, []any{string(r.Request.Body.Bytes), r.Request.Body.Truncated, string(r.Answer.Body), r.Request.Body.Size})
	assert.Nil(t, r.Wire, "a coding of which a part is missing is none")
	assert.Equal(t, whole-12, r.Weight())
}
