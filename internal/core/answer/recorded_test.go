package answer_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
)

// As long as a body is the one that was recorded it is sent as it came; with another one,
// what followed from its bytes follows from those.
func TestRecordedAnswers(t *testing.T) {
	const sum = "2c26b46b68ffc68ff99b453c1d304134" // of foo
	const headers = `headers: [{ETag: W/"a"}, {Content-Encoding: gzip}, {content-md5: x}, {X-Pier: north}], `
	payloads := answer.Payloads{"foo.gz": {Name: "foo.gz", Bytes: []byte("coded")}}
	for name, c := range map[string]struct {
		document string
		header   []call.Field
		wire     call.Wire
	}{
		"as it was": {headers + `text: foo, recorded: {sum: ` + sum + `, coded: foo.gz}`,
			[]call.Field{{Name: "ETag", Value: `W/"a"`}, {Name: "Content-Encoding", Value: "gzip"}, {Name: "content-md5", Value: "x"}, {Name: "X-Pier", Value: "north"}, {Name: "Content-Type", Value: "text/plain; charset=utf-8"}},
			call.Wire{Length: -1, Coding: "gzip", Coded: []byte("coded")}},
		"edited": {headers + `text: bar, recorded: {sum: ` + sum + `, coded: foo.gz, pieces: [3 after 1s], pace: recorded}`,
			[]call.Field{{Name: "ETag", Value: `W/"fcde2b2edba56bf4"`}, {Name: "X-Pier", Value: "north"}, {Name: "Content-Type", Value: "text/plain; charset=utf-8"}}, call.Wire{Length: -1}},
		"untyped, with trailers": {`text: foo, recorded: {sum: ` + sum + `, untyped: true, trailers: [{Sum: "1"}]}`, nil,
			call.Wire{Length: -1, Untyped: true, Trailer: []call.Field{{Name: "Sum", Value: "1"}}}},
		"HEAD": {`recorded: {sum: e3b0c44298fc1c149afbf4c8996fb924, length: 7}`, nil, call.Wire{Length: 7}},
		"in pieces": {`text: foo, recorded: {sum: ` + sum + `, untyped: true, pieces: [1 after 2s, 2 after 10ms], pace: 2x}`, nil,
			call.Wire{Length: -1, Untyped: true, Pieces: []call.Piece{{Bytes: 1, After: time.Second}, {Bytes: 2, After: 5 * time.Millisecond}}}},
		"without pauses": {`text: foo, recorded: {sum: ` + sum + `, untyped: true, pieces: [1 after 2s, 2 after 10ms]}`, nil, call.Wire{Length: -1, Untyped: true}},
	} {
		mappings, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {" + c.document + "}}"))
		require.NoError(t, err, name)
		fixed, template, faults := answer.Compile(mappings[0].Answer, "/answer", payloads)
		require.Empty(t, faults, name)
		require.Nil(t, template, name)
		assert.Equal(t, c.header, fixed.Header, name)
		assert.Equal(t, &c.wire, fixed.Wire, name)
	}
	mappings, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {text: foo, recorded: {sum: " + sum + ", coded: fo.gz}}}"))
	require.NoError(t, err)
	_, _, faults := answer.Compile(mappings[0].Answer, "/answer", payloads)
	require.Len(t, faults, 1)
	assert.Equal(t, "/answer/recorded/coded", faults[0].At)
	assert.Contains(t, faults[0].Detail, `payload "fo.gz" was not given to the service (foo.gz?)`)
}
