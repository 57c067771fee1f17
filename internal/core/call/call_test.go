package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

func TestAccepts(t *testing.T) {
	offers := []string{"application/json", "text/csv; charset=utf-8", "application/problem+json"}
	for accept, want := range map[string]int{
		"":                              0,
		"*/*":                           0,
		"text/csv":                      1,
		"text/*":                        1,
		"TEXT/CSV":                      1,
		"application/*;q=0.2, text/csv": 1,
		"application/json;q=0, */*":     1,
		"application/json;q=0.1, text/csv;q=0.9, */*;q=0.5": 1,
		"image/png":                  -1,
		"application/problem+json":   2,
		"application/xml, */*;q=0.1": 0,
	} {
		assert.Equal(t, want, call.Accepts(accept, offers), accept)
	}
	assert.Equal(t, -1, call.Accepts("", nil))
}

func TestIDs(t *testing.T) {
	for _, n := range []uint64{1, 0x81f3, 1 << 40} {
		got, ok := call.ParseID(call.ID(n))
		assert.True(t, ok)
		assert.Equal(t, n, got)
	}
	assert.Equal(t, "c-81f3", call.ID(0x81f3))
	for _, id := range []string{"", "c-", "81f3", "c-xyz", "c--1", "c-ffffffffffffffff"} {
		_, ok := call.ParseID(id)
		assert.False(t, ok, id)
	}
}

func TestFilterAndCurl(t *testing.T) {
	r := &call.Record{
		Service: "moorings", Source: call.FromMiss, By: "path, segment 1", Answer: call.Answer{Status: 404},
		Request: call.Request{
			Method: "POST", Address: "/moorings/bertsh", Path: "/bertsh", Query: "q=it's",
			Header: call.Header{"Accept": {"*/*"}, "Content-Type": {"application/json"}, "Content-Length": {"2"}, "User-Agent": {"curl/8"}},
			Body:   call.Body{Bytes: []byte(`{}`), Size: 2},
		},
	}
	line := r.Summary()
	line.Took = 300 * time.Millisecond
	fits := func(f call.Filter) bool {
		selection, err := f.Compile()
		require.NoError(t, err)
		return selection.Fits(&line)
	}
	for text, want := range map[string]bool{
		"": true, "post MISS": true, "/moorings/bertsh?q": true, "404": true, "200": false, "post tides": false,
		"status:404": true, "status:4xx": true, "status:5XX": false, "status:40": false, "status:none": false, "status:": true,
		"method:post service:Moorings source:miss": true, "method:pos": false, "service:mooring": false, "source:mapping": false,
		"took:>200ms": true, "took:<1m30s": true, "took:<1s miss": true, "took:<300ms": false, "took:>300ms": false, "took:": true, "other:x": false,
	} {
		assert.Equal(t, want, fits(call.Filter{Text: text}), text)
	}
	for _, text := range []string{"status:bad", "status:xx", "took:200ms", "took:>soon", "source:mis"} {
		_, err := call.Filter{Text: text}.Compile()
		assert.ErrorContains(t, err, text+" means nothing; it is ")
	}
	assert.False(t, fits(call.Filter{Service: "tides"}))
	assert.Equal(t, `curl -X POST 'http://127.0.0.1:7401/moorings/bertsh?q=it'\''s' -H 'Content-Type: application/json' --data-raw '{}'`,
		r.Request.Curl("http://127.0.0.1:7401"))
}

func TestHeaderLinesAreArranged(t *testing.T) {
	fields := []call.Field{{Name: "Content-Type", Value: "a"}, {Name: "X-B", Value: "1"}, {Name: "X-B", Value: "2"}, {Name: "X-C", Value: "3"}}
	arranged := call.Arrange(fields, []call.Field{{Name: "x-b", Value: "other"}, {Name: "Gone"}, {Name: "content-type"}, {Name: "X-B"}})
	assert.Equal(t, []call.Field{{Name: "x-b", Value: "1"}, {Name: "content-type", Value: "a"}, {Name: "X-B", Value: "2"}, {Name: "X-C", Value: "3"}}, arranged)
	assert.Equal(t, "Content-Type", fields[0].Name, "what was given is untouched")
	assert.True(t, call.IsArranged(arranged))
	assert.False(t, call.IsArranged(fields))
	assert.False(t, call.IsArranged(nil))
	assert.True(t, call.IsArranged([]call.Field{{Name: "X-C"}, {Name: "X-B"}}))
	assert.True(t, call.IsArranged([]call.Field{{Name: "ETag"}}), "which net/http would spell Etag")
}
