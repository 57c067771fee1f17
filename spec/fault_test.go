package spec_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

// Faults come back from JSON as they were written, and bad ones say where.
func TestFaults(t *testing.T) {
	read := func(fault string) (spec.Mapping, error) {
		all, err := spec.ReadMappings([]byte(`{id: a, call: {path: /}, answer: {fault: ` + fault + `}}`))
		if err != nil {
			return spec.Mapping{}, err
		}
		return all[0], nil
	}
	for _, written := range []string{
		`{"code":"Client","text":"a"}`,
		`{"code":"{urn:a}B","subcode":"{urn:a}C","text":"a","translations":{"de":"b"},"detail":"<a/>"}`,
		`{"code":"${vars.code}","subcode":["{urn:a}C","${1}"],"text":"a","translations":{"de":"b","fr":"c"},"node":"n","role":"r"}`,
	} {
		m, err := read(written)
		require.NoError(t, err)
		text, err := json.Marshal(m.Answer.Fault)
		require.NoError(t, err)
		assert.JSONEq(t, written, string(text))
		var again spec.Fault
		require.NoError(t, json.Unmarshal(text, &again))
		assert.Equal(t, *m.Answer.Fault, again)
		assert.Equal(t, 500, m.Answer.Status.Code)
		copied := again.Clone()
		for _, text := range copied.Texts() {
			*text += "x"
		}
		assert.Equal(t, *m.Answer.Fault, again, "a copy shares nothing")
	}
	for fault, want := range map[string]string{
		`{code: Clint, text: a}`:                                    `code must be Client, Server, MustUnderstand, VersionMismatch, or a name such as {urn:desk}Closed, not "Clint"`,
		`{code: "urn:a", text: a}`:                                  `not "urn:a"`,
		`{code: Client, subcode: a, text: a}`:                       `a subcode is a name such as {urn:desk}Closed, not "a"`,
		`{code: Client, subcode: ["{urn:a}B", "{urn:a}"], text: a}`: `a subcode is a name such as {urn:desk}Closed, not "{urn:a}"`,
		`{code: Client, subcode: {}, text: a}`:                      `subcode must be a name such as {urn:desk}Closed, or a list of them`,
		`{code: Client, text: a, translations: b}`:                  `translations must be texts by their languages`,
		`{code: Client, text: a, translations: {de: [a]}}`:          `translations must be texts by their languages`,
	} {
		_, err := read(fault)
		assert.ErrorContains(t, err, want)
	}
}
