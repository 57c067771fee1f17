package spec_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

const everyKey = `
name: all
title: All at once
labels: [night]
buildsOn: other
impair: { latency: 2s }
services:
  a:
    off: true
    mode: relay
    examples: { list: none }
    mappingsOff: [m, n]
    webhooks: [{ name: freed, after: 2s }, { name: closed, times: 3, every: 1s }]
    mappings:
      - { call: { method: get, path: /x }, answer: { text: hello } }
      - { id: turns, enabled: false, call: { operation: list }, sequence: [{ status: 500 }, {}] }
    impair: { errors: { next: 2 } }
    impairOperations: { list: { limit: { calls: 1, per: 1m } } }
    impairMappings: { turns: { connection: drop } }
  b: { off: false }
`

// A scenario says in lines what it does, and comes back from JSON and YAML as it was.
func TestScenarios(t *testing.T) {
	s, err := spec.ReadScenarioNamed([]byte(everyKey), "")
	require.NoError(t, err)
	assert.Equal(t, []string{
		"everything: latency 2s", "a: switched off", "a: mode relay", `a: list answers with example "none"`, "a: GET /x answers 200 (mapping get-x)",
		"a: operation list has 2 answers (off) (mapping turns)", "a: mapping m, n switched off", "a: webhook freed is sent after 2s", "a: webhook closed is sent, 3 times", "a: errors for the next 2", "a: operation list: limit 1 in 1m", "a: mapping turns: connection drop", "b: switched on",
	}, s.Lines())
	text, err := json.Marshal(s)
	require.NoError(t, err)
	var again spec.Scenario
	require.NoError(t, json.Unmarshal(text, &again))
	yaml, err := s.Document().YAML()
	require.NoError(t, err)
	fromYAML, err := spec.ReadScenarioNamed(yaml, "")
	require.NoError(t, err)
	for _, other := range []spec.Scenario{again, fromYAML} {
		assert.True(t, tree.Equal(s.Document(), other.Document()), "%s", yaml)
		assert.True(t, other.Services["a"].Mappings[0].Enabled, "what is so anyhow")
	}
	assert.NotContains(t, string(yaml), "rank", "and is not written")
}

func TestChangesAreEditedByThemselves(t *testing.T) {
	var c spec.Changes
	m := spec.Mapping{ID: "m", Call: spec.Pattern{Path: "/a"}}
	assert.Equal(t, []bool{true, false}, c.PutMappings("quay", []spec.Mapping{m, m}))
	before := c
	second := m
	second.Title = "second"
	assert.Equal(t, []bool{false}, c.PutMappings("quay", []spec.Mapping{second}))
	assert.Empty(t, before.Services["quay"].Mappings[0].Title, "what was there stays as it was")
	assert.False(t, c.RemoveMapping("quay", "other"))
	assert.True(t, c.RemoveMapping("quay", "m"))
	assert.Empty(t, c.Services, "a service without changes is not in it")

	one := &spec.Impairment{Outage: &spec.Outage{As: "drop"}}
	for _, target := range []spec.Target{{}, {Service: "quay"}, {Service: "quay", Operation: "list"}, {Service: "quay", Mapping: "m"}} {
		assert.Nil(t, c.SetImpairment(target, one))
	}
	all := c.Impairments()
	require.Len(t, all, 4)
	for _, have := range all {
		assert.Equal(t, "drop", c.SetImpairment(have.Target, nil).Outage.As)
	}
	assert.Empty(t, c.Impairments())
	assert.Empty(t, c.Services)
}

func TestFaultsOfSituations(t *testing.T) {
	environment := func(text []byte) error { _, _, _, err := spec.ReadEnvironment(text); return err }
	scenarios := func(text []byte) error { _, err := spec.ReadScenarios(text); return err }
	lane := func(text []byte) error { _, err := spec.ReadLane(text, "mara"); return err }
	for _, k := range []struct {
		read       func([]byte) error
		text, want string
	}{
		{scenarios, "name: a\nbuildsOn: a", "2:11: a scenario cannot build on itself"},
		{scenarios, "name: a\nlabels: [\"x y\"]", `2:10: a label is`},
		{scenarios, "name: a\nservices:\n  b:\n    mappings:\n      - call: { path: /x }\n        anser: {}", `6:9: "anser" is not a key of mapping`},
		{scenarios, "name: a\nservices:\n  b:\n    mappings: {}", `4:15: mappings must be a list of mappings`},
		{scenarios, "- name: a\n- name: b\n  services: { c: { mode: fast } }", "3:26: mode must be answer or relay"},
		{scenarios, "- name: a\n- name: a", `2:3: name "a" is used by scenario 1 of this document too`},
		{scenarios, "name: a\nservices: { b: { impairOperations: { c: { latency: 2h } } } }", "at most 1h"},
		{scenarios, "name: a\nservices:\n  b:\n    webhooks: [{ name: x }, { to: 'http://a/b' }]", "4:29: a webhook needs the name that it has in the contract"},
		{scenarios, "name: a\nservices: { b: { webhooks: { name: x, times: 200 } } }", "2:46: times must be from 1 to 100"},
		{lane, "services: { b: { webhooks: { name: x } } }", "1:28: webhooks are sent by scenarios"},
		{scenarios, "[", "neither JSON nor YAML"},
		{lane, "ttl: 0s", "1:6: ttl must be"},
		{lane, "when: { where: [{ any: [{ xml: //a }, { header: b }] }] }", "known before its body is read"},
		{lane, "when: { where: [{ header: a, query: b }] }", "one part of the call"},
		{lane, "name: \"\"", "the name of a lane is"},
		{environment, "impairments:\n  - target: {}\n    impairment: {}", "3:17: an impairment needs"},
		{environment, "impairments:\n  - { target: {}, impairment: { latency: 1s } }\n  - { target: {}, impairment: { latency: 2s } }", "3:5: an impairment of everything is there twice"},
		{environment, "scenarios: [{ name: a }, { name: a }]", `scenario "a" is there twice`},
		{environment, "scenarios:\n  - name: a\n    impair: {}", "3:13: an impairment needs"},
		{environment, "lanes: []", `"lanes" is not a key of environment`},
	} {
		err := k.read([]byte(k.text))
		require.Error(t, err, k.text)
		assert.Contains(t, err.Error(), k.want, k.text)
	}
	l, err := spec.ReadLane([]byte("title: mine"), "mara")
	require.NoError(t, err)
	assert.Equal(t, "mara", l.Name)
	assert.Equal(t, spec.Duration(time.Hour), l.TTL)
}
