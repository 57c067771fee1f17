package spec_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

func TestCallbacksOfServices(t *testing.T) {
	for text, want := range map[string]string{ // as it is written again
		"on":   `"on"`,
		"true": `"on"`,
		"off":  ``,
		"{}":   `"on"`,
		"{ after: 2s, times: 2, every: 1m, retries: 3, retryEvery: 500ms }": `{"after":"2s","times":2,"every":"1m","retries":3,"retryEvery":"500ms"}`,
		"{ hosts: [localhost, '*.test'], to: 'http://localhost:9000/x' }":   `{"hosts":["localhost","*.test"],"to":"http://localhost:9000/x"}`,
	} {
		s, err := spec.ReadService([]byte("name: moorings\ncallbacks: " + text))
		require.NoError(t, err, text)
		document, err := json.Marshal(s)
		require.NoError(t, err)
		var read map[string]json.RawMessage
		require.NoError(t, json.Unmarshal(document, &read))
		assert.Equal(t, want, string(read["callbacks"]), text)
		again, err := spec.ReadService(document)
		require.NoError(t, err)
		assert.Equal(t, s.Callbacks, again.Callbacks, text)
		assert.Equal(t, want != "", s.Callbacks.On, text)
	}
	for text, want := range map[string]string{
		"7":                           "must be on, off, or how callbacks are made",
		"{ affter: 2s }":              `"affter"`,
		"{ after: soon }":             "must be a time",
		"{ after: 61m }":              "after must be at most 1h",
		"{ every: 2h }":               "every must be at most 1h",
		"{ times: 101 }":              "times must be from 1 to 100, not 101",
		"{ times: -1 }":               "times must be from 1 to 100, not -1",
		"{ retries: 21 }":             "retries must be from 0 to 20, not 21",
		"{ hosts: ['[', localhost] }": "must be the name or address of a host",
		"{ hosts: [a/b] }":            "must be the name or address of a host",
		"{ to: localhost }":           "must be an address such as http://localhost:9000/told",
		"{ to: 'http://u:p@a/b' }":    "must be an address",
	} {
		_, err := spec.ReadService([]byte("name: moorings\ncallbacks: " + text))
		assert.ErrorContains(t, err, want, text)
	}
	s, err := spec.ReadService([]byte("name: a\ncallbacks: { hosts: [LOCALHOST, '10.0.*', '*.test'] }"))
	require.NoError(t, err)
	for host, want := range map[string]bool{"localhost": true, "localhost.": true, "10.0.0.7": true, "10.1.0.7": false, "quay.test": true, "test": false} {
		assert.Equal(t, want, s.Callbacks.Allows(host), host)
	}
}

func TestCallbacksOfAnswers(t *testing.T) {
	read := func(callbacks string) (spec.Mapping, error) {
		all, err := spec.ReadMappings([]byte("{ id: a, call: { path: /a }, answer: { text: x, callbacks: " + callbacks + " } }"))
		if err != nil {
			return spec.Mapping{}, err
		}
		return all[0], nil
	}
	for text, want := range map[string]string{
		"[]": `[]`,
		"{ name: changed, json: { a: null, b: 1.50 }, after: 2s }":               `{"name":"changed","json":{"a":null,"b":1.50},"after":"2s"}`,
		"[{ to: 'http://a.test/${call.path.x}' }, { to: '${vars.x}', text: a }]": `[{"to":"http://a.test/${call.path.x}"},{"to":"${vars.x}","text":"a"}]`,
	} {
		m, err := read(text)
		require.NoError(t, err, text)
		document, err := json.Marshal(m)
		require.NoError(t, err)
		var written struct {
			Answer struct{ Callbacks json.RawMessage }
		}
		require.NoError(t, json.Unmarshal(document, &written))
		assert.Equal(t, want, string(written.Answer.Callbacks), text)
		again, err := spec.ReadMappings(document)
		require.NoError(t, err, text)
		twice, err := json.Marshal(again[0])
		require.NoError(t, err)
		assert.Equal(t, string(document), string(twice))
	}
	for text, want := range map[string]string{
		"{ json: 1 }":                                    "a callback needs an address (to), or the name",
		"{ to: quay.test }":                              "must be an address such as",
		"{ to: 'http://a.test', method: 'A B' }":         `"A B" is no method`,
		"{ to: 'http://a.test', json: 1, text: a }":      "a callback has one body",
		"{ to: 'http://a.test', payload: '../x' }":       "payload must be the name of a file",
		"{ to: 'http://a.test', headers: { 'a b': 1 } }": "is not a header name",
		"{ to: 'http://a.test', retries: 21 }":           "retries must be from 0 to 20",
		"[{ name: a }, { name: b, whence: c }]":          `"whence"`,
	} {
		_, err := read(text)
		assert.ErrorContains(t, err, want, text)
	}
	_, err := spec.ReadMappings([]byte("{ id: a, call: { path: /a }, answer: { from: upstream, callbacks: { name: a } } }"))
	assert.ErrorContains(t, err, "which makes its own")
}

// What a callback says of its pace stands above what the service says.
func TestPace(t *testing.T) {
	service := spec.Pace{After: spec.Duration(time.Second), Times: 3, Every: spec.Duration(time.Minute), Retries: 2, RetryEvery: spec.Duration(time.Hour)}
	assert.Equal(t, service, spec.Pace{}.Or(service))
	own := spec.Pace{After: spec.Duration(2 * time.Second), Times: 1, Retries: 1}
	assert.Equal(t, spec.Pace{After: spec.Duration(2 * time.Second), Times: 1, Retries: 1}, own.Or(service))
}

func TestReadCallback(t *testing.T) {
	c, err := spec.ReadCallback([]byte("json: { a: 1 }\nafter: 1s"), "freed")
	require.NoError(t, err)
	assert.Equal(t, "freed", c.Name)
	assert.Equal(t, spec.Duration(time.Second), c.After)
	c, err = spec.ReadCallback(nil, "freed")
	require.NoError(t, err)
	assert.Equal(t, spec.Callback{Name: "freed"}, c)
	for text, want := range map[string]string{"to: quay": "must be an address", "{": "1:2: the text ends", "[]": "object"} {
		_, err := spec.ReadCallback([]byte(text), "freed")
		assert.ErrorContains(t, err, want, text)
	}
}
