package catalog_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/match"
)

// In a service of many mappings an edit leaves the index nearly as it was; what was
// put, replaced, switched off or removed counts from then on.
func TestEditsAmongManyMappings(t *testing.T) {
	c, _ := open(t)
	var many strings.Builder
	for i := range 1_500 {
		fmt.Fprintf(&many, "- {id: m%d, call: {path: /quays/%d}, answer: {text: first}}\n", i, i)
	}
	put := func(text string) {
		_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, text))
		require.NoError(t, err)
	}
	answers := func(path string) (ids []string) {
		service, err := c.Find("moorings")
		require.NoError(t, err)
		fits, _ := service.Fits("GET", match.Split(nil, path), &match.Facts{})
		for _, f := range fits {
			ids = append(ids, f.Value.Spec.ID+" "+string(f.Value.Replies[0].Answer.Body))
		}
		return ids
	}
	put(many.String())
	service, _ := c.Find("moorings")
	order := service.Mappings
	for range 2 { // what is replaced again came lately
		put("{id: m7, call: {path: /quays/7}, answer: {text: second}}")
		assert.Equal(t, []string{"m7 second"}, answers("/quays/7"))
		put("{id: new, rank: 1, call: {path: '/quays/{n}', where: [{body: $.a}]}, answer: {text: new}}")
		assert.Equal(t, []string{"new new", "m7 second"}, answers("/quays/7"))
		service, _ = c.Find("moorings")
		assert.True(t, service.LooksIntoBodies())
		assert.Equal(t, "m7", service.Mappings[7].Spec.ID, "it keeps its place")
		require.Len(t, service.Mappings, len(order)+1)

		put("{id: new, enabled: false, call: {path: '/quays/{n}', where: [{body: $.a}]}, answer: {text: new}}")
		assert.Equal(t, []string{"m7 second"}, answers("/quays/7"))
		_, err := c.RemoveMapping(t.Context(), "moorings", "new", "")
		require.NoError(t, err)
		service, _ = c.Find("moorings")
		assert.False(t, service.LooksIntoBodies())
		assert.Nil(t, service.Mapping("new"))
		require.Len(t, service.Mappings, len(order))
	}
	twice := append(mappings(t, "{id: twice, call: {path: /twice}, answer: {text: a}}"), mappings(t, "{id: twice, call: {path: /twice}, answer: {text: b}}")...)
	_, _, err := c.PutMappings(t.Context(), "moorings", twice)
	require.NoError(t, err)
	assert.Equal(t, []string{"twice b"}, answers("/twice"), "of two with one id the last counts")

	put("{id: named, call: {operation: list}, answer: {text: x}}")
	assert.Equal(t, []string{"named x"}, answers("/berths"))
	_, err = c.RemoveMapping(t.Context(), "moorings", "named", "")
	require.NoError(t, err)
	assert.Empty(t, answers("/berths"))

	_, err = c.RemoveMapping(t.Context(), "moorings", "m8", "")
	require.NoError(t, err)
	service, _ = c.Find("moorings")
	assert.Nil(t, service.Mapping("m8"))
	assert.Empty(t, answers("/quays/8"))
}
