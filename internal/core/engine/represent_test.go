package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
)

const representing = `
- id: coded
  call: { path: /coded }
  answer: { text: foo, headers: [{ ETag: '"a"' }, { Content-Encoding: gzip }], recorded: { sum: 2c26b46b68ffc68ff99b453c1d304134, coded: foo.gz } }
- id: plain
  call: { path: /plain }
  answer: { text: foo, headers: [{ ETag: '"a"' }] }
`

// A recorded answer is given in the form that the caller takes, which is told.
func TestRecordedAnswersAreRepresented(t *testing.T) {
	c, _ := harbour(t, "")
	_, _, err := c.PutPayload(t.Context(), "moorings", "foo.gz", []byte("coded"), "")
	require.NoError(t, err)
	list, err := spec.ReadMappings([]byte(representing))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "moorings", list)
	require.NoError(t, err)
	e := timed(c)
	ask := func(path string, header call.Header) (d answered) {
		r := request("GET /moorings"+path, "10.0.0.1:1", "")
		for name, values := range header {
			r.Header[name] = values
		}
		got := decide(e, r)
		d = answered{status: got.Answer.Status, body: string(got.Answer.Body), coding: got.Answer.Get("Content-Encoding"), steps: len(got.Explanation.Steps)}
		if got.Answer.Wire != nil {
			d.coded = string(got.Answer.Wire.Coded)
		}
		d.said = got.Explanation.Steps[len(got.Explanation.Steps)-1].Code
		return d
	}
	assert.Equal(t, answered{200, "foo", "gzip", "coded", 2, call.FixedAnswer}, ask("/coded", call.Header{"Accept-Encoding": {"br, gzip"}}))
	assert.Equal(t, answered{200, "foo", "", "", 3, call.CodingUndone}, ask("/coded", nil))
	assert.Equal(t, answered{200, "foo", "gzip", "coded", 2, call.FixedAnswer}, ask("/coded", call.Header{"Accept-Encoding": {"gzip"}}), "what others got is untouched")
	assert.Equal(t, answered{304, "", "", "", 3, call.NotModifiedSince}, ask("/coded", call.Header{"If-None-Match": {`"a"`}, "Accept-Encoding": {"gzip"}}))
	assert.Equal(t, answered{200, "foo", "", "", 2, call.FixedAnswer}, ask("/plain", call.Header{"If-None-Match": {`"a"`}}), "an answer written by hand says what it says")
}

type answered struct {
	status              int
	body, coding, coded string
	steps               int
	said                call.Code
}
