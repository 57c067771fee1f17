package spec_test

import (
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// What the API adds to a document that it gives is passed over in one that was read, and
// is a fault in any other.
func TestWhatTheAPIAddsIsPassedOver(t *testing.T) {
	for name, k := range map[string]struct {
		view, document any
		minimal        string
		read           func([]byte) error
	}{
		"mapping":  {api.Mapping{}, spec.Mapping{}, "call: {path: /x}", func(b []byte) error { _, err := spec.GivenMappings(b); return err }},
		"service":  {api.Service{}, spec.Service{}, "name: quay", func(b []byte) error { _, err := spec.GivenServices(b); return err }},
		"scenario": {api.Scenario{}, spec.Scenario{}, "name: fog", func(b []byte) error { _, err := spec.GivenScenarios(b); return err }},
		"lane":     {api.Lane{}, spec.Lane{}, "name: mara", func(b []byte) error { _, err := spec.GivenLanes(b); return err }},
		"line":     {api.Line{}, spec.Line{}, "firstByte: 1s", func(b []byte) error { _, err := spec.GivenLine(b, ""); return err }},
		"impairment": {api.Impairment{}, spec.TargetImpairment{}, "target: {service: quay}, impairment: {latency: 5ms}",
			func(b []byte) error { _, err := spec.ReadImpairments(b); return err }},
	} {
		for _, key := range tree.Keys(k.view) {
			if slices.Contains(tree.Keys(k.document), key) || key == "etag" {
				continue
			}
			document := fmt.Sprintf("{%s, etag: '\"12\"', %s: {}}", k.minimal, key)
			assert.NoError(t, k.read([]byte(document)), "%s: %s", name, document)
		}
		assert.ErrorContains(t, k.read([]byte("{"+k.minimal+", etag: '1', nonsense: 1}")), `"nonsense" is not a key of`, name)
	}
	_, err := spec.GivenMappings([]byte("{call: {path: /x}, telling: [a]}"))
	assert.ErrorContains(t, err, `"telling" is not a key of mapping`, "nobody read this one")
}

func TestDocumentsSayTheirVersion(t *testing.T) {
	for written, want := range map[string]string{
		`12`: `"12"`, `'12'`: `"12"`, `'"12"'`: `"12"`, `"\"12\""`: `"12"`, `''`: "", `null`: "", `ab3`: `"ab3"`,
	} {
		given, err := spec.GivenMapping([]byte("{call: {path: /x}, etag: "+written+"}"), "a")
		require.NoError(t, err, written)
		assert.Equal(t, want, given.ETag, written)
		assert.Equal(t, "a", given.Document.ID)
		assert.False(t, given.Named("id"))
	}
	for _, wrong := range []string{"[1]", "{}", `'1 2'`, `'a"b'`, "true"} {
		_, err := spec.GivenMapping([]byte("call: {path: /x}\netag: "+wrong), "")
		var p *problem.Error
		require.True(t, errors.As(err, &p), wrong)
		assert.Equal(t, []any{"/etag", 2}, []any{p.Items[0].At, p.Items[0].Line}, wrong)
	}
	m := spec.Mapping{ID: "a", Enabled: true, Call: spec.Pattern{Path: "/x"}}
	text, err := spec.WithETag(m.Document(), `"7"`).YAML()
	require.NoError(t, err)
	assert.Contains(t, string(text), "etag: \"7\"\n")
	assert.Nil(t, spec.WithETag(m.Document(), "").Get("etag"))
}

// A document holds one mapping, a list, or a list under a key; places lead into what was
// written.
func TestDocumentsOfSeveral(t *testing.T) {
	for text, at := range map[string]string{
		"{call: {}}":                                             "/call",
		"[{call: {path: /a}}, {call: {}}]":                       "/1/call",
		"mappings: [{call: {}}]":                                 "/mappings/0/call",
		"{items: [{call: {}}], next: '1:a'}":                     "/items/0/call",
		"[{id: a, call: {path: /a}}, {id: a, call: {path: /b}}]": "/1/id",
		"{mappings: [], call: {}}":                               "/mappings",
	} {
		_, err := spec.GivenMappings([]byte(text))
		var p *problem.Error
		require.True(t, errors.As(err, &p), text)
		assert.Equal(t, at, p.Items[0].At, text)
	}
	for text, alone := range map[string]bool{"call: {path: /a}": true, "[call: {path: /a}]": false, "mappings: [{call: {path: /a}}]": false} {
		given, err := spec.GivenMappings([]byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, alone, given[0].Alone, text)
	}
}

func TestHeadersAreAListOrAnObject(t *testing.T) {
	want := spec.Headers{{Name: "A", Value: "1"}, {Name: "B", Value: "x"}, {Name: "B", Value: "y"}}
	for _, written := range []string{"[{A: 1}, {B: x}, {B: y}]", "{A: 1, B: [x, y]}"} {
		mappings, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {headers: " + written + "}}"))
		require.NoError(t, err, written)
		assert.Equal(t, want, mappings[0].Answer.Headers, written)
	}
	for written, at := range map[string]string{"{A: {b: c}}": "/answer/headers/A", "[{A: [1]}]": "/answer/headers/0", "7": "/answer/headers", "[7]": "/answer/headers/0", "{A: [[1]]}": "/answer/headers/A"} {
		_, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: {headers: " + written + "}}"))
		var p *problem.Error
		require.True(t, errors.As(err, &p), written)
		assert.Equal(t, at, p.Items[0].At, written)
	}
}

func TestImpairmentsAreGivenAloneOrAsAList(t *testing.T) {
	given, err := spec.ReadImpairments([]byte("latency: 5ms"))
	require.NoError(t, err)
	assert.Equal(t, []any{false, 1}, []any{given.Several, len(given.Items)})
	given, err = spec.ReadImpairments([]byte("{off: true, items: [{target: {}, impairment: {latency: 5ms}, etag: 3, since: x}, {target: {service: q, mapping: m}, impairment: {latency: 5ms}, own: true}, {target: {service: q}, impairment: {latency: 5ms}, origin: lane mara}]}"))
	require.NoError(t, err)
	assert.Equal(t, []any{true, true, 1, `"3"`}, []any{given.Several, *given.Off, len(given.Items), given.Items[0].ETag}, "what mappings and lanes have is theirs")
	for text, why := range map[string]string{
		"{off: 1, items: []}": "off must be true or false", "[{target: {}, impairment: {}}]": "an impairment needs",
		"[{target: {}, impairment: {latency: 5ms}}, {target: {}, impairment: {latency: 6ms}}]": "is used by impairment 1", "latncy: 5ms": "(latency?)",
	} {
		_, err := spec.ReadImpairments([]byte(text))
		assert.ErrorContains(t, err, why)
	}
}
