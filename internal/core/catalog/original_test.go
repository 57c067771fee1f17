package catalog_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// chain are mappings m0, m1, … of which each but the last starts from the next.
func chain(length int) string {
	var b strings.Builder
	for i := range length {
		fmt.Fprintf(&b, "- {id: m%d, call: {path: /m%d}, answer: {from: 'mapping:m%d'}}\n", i, i, i+1)
	}
	fmt.Fprintf(&b, "- {id: m%d, call: {path: /end}, answer: {text: end}}\n", length)
	return b.String()
}

func TestWhatAnswersCanStartFrom(t *testing.T) {
	for document, want := range map[string]string{
		chain(1):                        "",
		chain(catalog.MaxOriginals):     "",
		chain(catalog.MaxOriginals + 1): "/0/answer/from: mapping \"m0\": more than 8 answers stand behind this one",
		"{id: a, call: {path: /a}, answer: {from: 'mapping:b'}}": `no mapping "b" is there to start from`,
		"- {id: a, call: {path: /a}, choose: [{if: 'true', answer: {text: x}}, {answer: {from: 'mapping:b'}}]}\n- {id: b, call: {path: /b}, sequence: [{text: x}, {from: 'mapping:a'}]}":              "/1/sequence/1/from",
		"- {id: a, call: {path: /a}, answer: {from: 'mapping:b'}}\n- {id: b, call: {path: /b}, answer: {text: x}}\n- {id: c, call: {path: /c}, sequence: [{from: 'mapping:a'}, {from: 'mapping:b'}]}": "",
	} {
		c := quay(t)
		list, err := spec.ReadMappings([]byte(document))
		require.NoError(t, err)
		_, _, err = c.PutMappings(t.Context(), "quay", list)
		if want == "" {
			require.NoError(t, err, document)
			service, _ := c.Find("quay")
			assert.Empty(t, service.Problem(service.Mapping(list[0].ID)))
			continue
		}
		assert.ErrorContains(t, err, want, document)
	}
}

func TestScenariosStartFromWhatTheyStandAbove(t *testing.T) {
	c := quay(t)
	list, err := spec.ReadMappings([]byte("- {id: a, call: {path: /a}, answer: {text: a}}\n- {id: b, call: {path: /b}, answer: {from: 'mapping:a'}}"))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "quay", list)
	require.NoError(t, err)
	for _, k := range []struct{ mappings, want string }{
		{"{id: x, call: {path: /x}, answer: {from: 'mapping:x'}}", `no mapping "x" is there`},
		{"{id: x, call: {path: /x}, answer: {from: 'mapping:y'}}, {id: y, call: {path: /y}, answer: {from: 'mapping:x'}}", "in the end from this one"},
		{"{id: b, call: {path: /b}, answer: {from: 'mapping:a'}}", ""},
		{"{id: a, call: {path: /a}, answer: {from: 'mapping:a'}}", ""},
	} {
		scenarios, err := spec.ReadScenarios([]byte("{name: s, services: {quay: {mappings: [" + k.mappings + "]}}}"))
		require.NoError(t, err)
		_, _, err = c.PutScenarios(t.Context(), scenarios)
		if k.want == "" {
			require.NoError(t, err, k.mappings)
			continue
		}
		assert.ErrorContains(t, err, k.want, k.mappings)
	}
	m, err := c.FindMapping("quay", "a")
	require.NoError(t, err)
	renamed := m.Spec
	renamed.ID = "z"
	_, _, err = c.PutMappingAs(t.Context(), "quay", "a", renamed, "")
	require.NoError(t, err)
	b, err := c.FindMapping("quay", "b")
	require.NoError(t, err)
	assert.Equal(t, "mapping:z", b.Spec.Answer.From)
	assert.Equal(t, "mapping:z", c.Snapshot().Scenario("s").Spec.Services["quay"].Mappings[0].Answer.From)
}
