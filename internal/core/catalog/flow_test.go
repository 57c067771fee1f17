package catalog_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

func quayOf(t *testing.T, mappings string) (*catalog.Catalog, *catalog.Service) {
	c, err := catalog.Open(t.Context(), &fakeStore{})
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	list, err := spec.ReadMappings([]byte(mappings))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "quay", list)
	require.NoError(t, err)
	return c, c.Snapshot().Named("quay")
}

// Flows are put together from the mappings that are their moves, their states in the order in
// which they can be reached.
func TestFlowsOfAService(t *testing.T) {
	_, quay := quayOf(t, `
- { id: c-lost, call: { path: /l }, flow: { name: permit, when: gone, then: lost }, answer: { status: 200 } }
- { id: b-send, call: { path: /s }, flow: { name: permit, when: draft, then: sent }, answer: { status: 200 } }
- { id: a-write, call: { path: /w }, flow: { name: permit, when: [start, draft], then: draft }, answer: { status: 200 } }
- { id: d-off, enabled: false, call: { path: /o }, flow: { name: permit, when: sent, then: off }, answer: { status: 200 } }
- { id: e-read, call: { path: /r }, flow: { name: tide, then: ebb }, answer: { status: 200 } }
- { id: f-none, call: { path: /n }, answer: { status: 200 } }
`)
	assert.Equal(t, []catalog.Flow{
		{Name: "permit", States: []string{"start", "draft", "sent", "gone", "lost"}, Moves: []catalog.Move{
			{Mapping: "a-write", From: []string{"start", "draft"}, To: "draft"}, {Mapping: "b-send", From: []string{"draft"}, To: "sent"}, {Mapping: "c-lost", From: []string{"gone"}, To: "lost"}}},
		{Name: "tide", States: []string{"start", "ebb"}, Moves: []catalog.Move{{Mapping: "e-read", To: "ebb"}}},
	}, quay.Flows())
	assert.True(t, quay.Mapping("e-read").Writes)
	assert.False(t, quay.Mapping("f-none").Writes)
	assert.False(t, quay.Mapping("e-read").Fixed())
}

// What a mapping answers with another body keeps its call and what it remembers, and several
// bodies come in turn.
func TestVaried(t *testing.T) {
	_, quay := quayOf(t, `
- { id: berth, rank: 3, call: { method: GET, path: "/berths/{n}" }, answer: { remember: { key: a, value: 1 }, json: { n: 1 } } }
- { id: turns, call: { path: /turns }, sequence: [{ text: a }, { status: 201, json: [2] }], then: pass, per: caller }
- { id: text, call: { path: /text }, answer: { text: a } }
`)
	edit := []spec.EditStep{{Op: "replace", Path: "/body/n", Value: tree.NewNumber("7")}}
	m, err := quay.Varied("berth", "", edit)
	require.NoError(t, err)
	assert.Equal(t, "berth", m.ID)
	assert.Equal(t, 3, m.Rank)
	assert.Equal(t, "mapping:berth", m.Answer.From)
	assert.Len(t, m.Answer.Remember, 1)
	assert.Equal(t, edit, m.Answer.Edit)
	m, err = quay.Varied("turns", "", edit, edit)
	require.NoError(t, err)
	assert.Len(t, m.Sequence, 2)
	assert.Equal(t, []string{spec.StartOver, ""}, []string{m.Then, m.Per})
	for _, k := range [][3]string{{"none", "", `"none"`}, {"", "none", `operation "none" not found`}} {
		_, err = quay.Varied(k[0], k[1], edit)
		assert.ErrorContains(t, err, k[2])
		_, _, err = quay.Example(k[0], k[1])
		assert.ErrorContains(t, err, k[2])
	}
	_, _, err = quay.Example("", "")
	assert.ErrorContains(t, err, "say whose answer")
	document, schema, err := quay.Example("turns", "")
	require.NoError(t, err)
	assert.Equal(t, "[2]", string(document.AppendJSON(nil)), "the first that is JSON")
	assert.Nil(t, schema)
	document, _, err = quay.Example("text", "")
	require.NoError(t, err)
	assert.Nil(t, document)
}
