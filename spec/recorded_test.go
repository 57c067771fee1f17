package spec_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

func TestRecordedAnswersAreChecked(t *testing.T) {
	const sum = "sum: 00000000000000000000000000000000"
	for recorded, want := range map[string]string{
		sum: "",
		sum + ", coded: a.gz, trailers: [{Sum: 1}], pieces: [512 after 1.5s, 0 after 0s], pace: 0.5x": "",
		"sum: x":                              "sum must be 32 hexadecimal digits",
		sum + ", coded: ../a":                 "coded must be the name of a payload",
		sum + ", pace: fast":                  "pace must be none, recorded, or a factor such as 2x",
		sum + ", pace: 0x":                    "pace must be none",
		sum + ", pieces: [512]":               `must be a piece such as 512 after 120ms, not "512"`,
		sum + ", pieces: [-1 after 1s]":       "must be a piece",
		sum + ", pieces: [1 after 2h]":        "a pause is at most 1h",
		sum + ", trailers: [{a b: 1}]":        `"a b" is not a header name`,
		sum + ", trailers: [{Connection: 1}]": "follows from the body",
	} {
		_, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {text: a, recorded: {" + recorded + "}}}"))
		if want == "" {
			assert.NoError(t, err, recorded)
		} else {
			assert.ErrorContains(t, err, want, recorded)
		}
	}
	pieces := "[" + strings.Repeat("1 after 0s, ", 10_001) + "]"
	_, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {text: a, recorded: {" + sum + ", pieces: " + pieces + "}}}"))
	assert.ErrorContains(t, err, "at most 10000 pieces")
	text, err := json.Marshal(spec.Piece{Bytes: 512, After: spec.Duration(120 * time.Millisecond)})
	require.NoError(t, err)
	assert.Equal(t, `"512 after 120ms"`, string(text))
	for pace, speed := range map[string]float64{"": 0, "none": 0, "recorded": 1, "2x": 2, "0.5x": 0.5} {
		assert.InDelta(t, speed, (&spec.Recorded{Pace: pace}).Speed(), 0, pace)
	}
}

// What a pattern asks for beside its path is told in a few words.
func TestTelling(t *testing.T) {
	mappings, err := spec.ReadMappings([]byte(`
call:
  path: /slots
  where:
    - { query: limit, equals: 1 }
    - { query: page }
    - { header: accept, equals: text/plain }
    - { cookie: sid, present: false }
    - { header: authorization, digest: secret-00000000000000000000000000000000 }
    - { form: a, contains: b }
    - { part: photo }
    - { graphql: name, equals: Berths }
    - { caller: 10.0.0.0/8 }
    - { body: $, equals: { a: 1 } }
    - { body: $.vessel.name, equals: Tern }
    - { xml: /a/b, equals: c }
    - { xml: count(/a//*), equals: 2 }
    - { text: true, contains: x }
    - { any: [{ query: c, equals: d }, { query: e }] }
    - { only: query }
    - { query: page, above: 2 }
  if: "true"
`))
	require.NoError(t, err)
	assert.Equal(t, []string{"limit=1", "page", "header accept=text/plain", "cookie sid absent", "header authorization by digest", "form a", "part photo", "graphql name=Berths", "caller 10.0.0.0/8",
		"body", "body $.vessel.name=Tern", "b=c", "any of (c=d, e)", "if true"}, mappings[0].Call.Telling())
}

func TestNoiseOfAService(t *testing.T) {
	for name, want := range map[string]bool{"_": true, "UTM_source": true, "utm": false, "time": false, "t": false} {
		service := spec.NewService("quay")
		assert.Equal(t, want, service.IsNoise(name), name)
	}
	service, err := spec.ReadService([]byte("{name: quay, noise: ['x-*']}"))
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false}, []bool{service.IsNoise("X-a"), service.IsNoise("_")})
	_, err = spec.ReadService([]byte("{name: quay, noise: ['[']}"))
	assert.ErrorContains(t, err, "noise is the name of a query parameter")
}
