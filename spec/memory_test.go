package spec_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

func TestMemoryDocuments(t *testing.T) {
	for text, want := range map[string]string{ // as it is written again
		"on":    `"on"`,
		"off":   ``,
		"true":  `"on"`,
		"false": ``,
		"{ berths: { key: number, at: /berths, list: $.a.b }, dues: off }": `{"berths":{"at":"/berths","key":"number","list":"$.a.b"},"dues":"off"}`,
		"{ berths: { items: [] }, dues: { generate: 5 }, pilots: on }":     `{"berths":{"items":[]},"dues":{"generate":5},"pilots":{}}`,
		"{ berths: { items: [{ number: N1, price: 1.50, note: null }] } }": `{"berths":{"items":[{"number":"N1","price":1.50,"note":null}]}}`,
	} {
		s, err := spec.ReadService([]byte("name: moorings\nmemory: " + text))
		require.NoError(t, err, text)
		document, err := json.Marshal(s)
		require.NoError(t, err)
		var read map[string]json.RawMessage
		require.NoError(t, json.Unmarshal(document, &read))
		assert.Equal(t, want, string(read["memory"]), text)
		again, err := spec.ReadService(document)
		require.NoError(t, err)
		assert.Equal(t, s.Memory.On, again.Memory.On, text)
		assert.Len(t, again.Memory.Collections, len(s.Memory.Collections))
	}
	for text, want := range map[string]string{
		"7":                                      "must be on, off, or what is to be known of collections",
		"{ berths: { kee: number } }":            `"kee"`,
		"{ berths: { at: berths } }":             "must be the path of the list",
		"{ berths: { list: 'a[0]' } }":           "the way to a list by its names",
		"{ berths: { list: '$.a..b' } }":         "the way to a list by its names",
		"{ berths: { generate: -1 } }":           "at most 10000 items",
		"{ berths: { generate: 2, items: [] } }": "either items or generate",
		"{ berths: { items: [7] } }":             "an item is an object",
		"{ berths: { generate: 10001 } }":        "at most 10000 items",
	} {
		_, err := spec.ReadService([]byte("name: moorings\nmemory: " + text))
		assert.ErrorContains(t, err, want, text)
	}
}
