package catalog_test

import (
	"fmt"
	"maps"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

func variables(t *testing.T, document string) spec.Variables {
	given, err := spec.GivenVariables([]byte(document), "")
	require.NoError(t, err)
	return given.Document
}

func setVariables(t *testing.T, c *catalog.Catalog, document string) catalog.StoredVariables {
	now, err := c.PutVariables(t.Context(), variables(t, document), "")
	require.NoError(t, err)
	return now
}

func putService(t *testing.T, c *catalog.Catalog, document string) error {
	given, err := spec.GivenService([]byte(document), "quay")
	require.NoError(t, err)
	_, _, err = c.PutService(t.Context(), "quay", given.Document, "")
	return err
}

// seen is a variable of the service and who sets it.
func seen(s *catalog.Snapshot, name string) string {
	v, ok := s.Named("quay").Variables()[name]
	if !ok {
		return "none"
	}
	return v.String() + " by " + v.Origin
}

// The narrower place comes first: lane, scenario, service, environment, and of the last two
// the set in use.
func TestWhoSetsAVariable(t *testing.T) {
	c, _ := open(t)
	setVariables(t, c, "{variables: {office: real.test, a: environment, b: environment, c: environment}, variableSets: {staging: {a: set, b: set, office: staging.test}, other: {z: 1}}}")
	require.NoError(t, putService(t, c, "{upstream: 'https://${vars.office}/v1', variables: {b: service}, variableSets: {staging: {c: service set}}}"))
	upstream := func(s *catalog.Snapshot) string { return s.Named("quay").Upstream.String() }
	assert.Equal(t, "https://real.test/v1", upstream(c.Snapshot()))
	assert.Equal(t, "environment by the environment", seen(c.Snapshot(), "a"))
	assert.Equal(t, `service by service "quay"`, seen(c.Snapshot(), "b"))
	assert.Equal(t, []string{"other", "staging"}, c.Snapshot().VariableSets())

	scenarios, err := spec.ReadScenarios([]byte("[{name: base, variables: {a: base, d: base}}, {name: storm, buildsOn: base, variables: {a: storm}}]"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	require.NoError(t, err)
	lane, err := spec.ReadLane([]byte("{scenario: storm, variables: {office: lane.test, a: lane}}"), "night")
	require.NoError(t, err)
	now := time.Now()
	_, err = c.OpenLane(t.Context(), lane, now)
	require.NoError(t, err)

	v := c.Snapshot().Variables().Variables
	v.VariableSet = "staging"
	_, err = c.PutVariables(t.Context(), v, catalog.ETag(c.Snapshot().Variables().Version))
	require.NoError(t, err)
	s := c.Snapshot()
	assert.Equal(t, "https://staging.test/v1", upstream(s))
	assert.Equal(t, `set by set "staging" of the environment`, seen(s, "a"))
	assert.Equal(t, `service by service "quay"`, seen(s, "b"), "a set of the environment does not come before a service")
	assert.Equal(t, `service set by set "staging" of service "quay"`, seen(s, "c"))
	assert.Equal(t, "none", seen(s, "z"))
	storm := s.ViewWith(nil, s.Scenario("storm"))
	assert.Equal(t, `storm by scenario "storm"`, seen(storm, "a"))
	assert.Equal(t, `base by scenario "base"`, seen(storm, "d"))
	assert.Equal(t, "https://staging.test/v1", upstream(storm))
	night := s.View(s.Lane("night", now), now)
	assert.Equal(t, `lane by lane "night"`, seen(night, "a"))
	assert.Equal(t, "https://lane.test/v1", upstream(night))
	assert.Equal(t, "real.test", c.Snapshot().Variables().Variables.Variables["office"].String())
	differences := s.Differences(s.Scenario("storm"))
	require.Len(t, differences, 1)
	assert.Equal(t, "variable a", differences[0].What)
	assert.Equal(t, "base", differences[0].Instead)
}

// What could not be used any more is refused, whichever edit does it, and nothing changes.
func TestVariablesThatAreUsed(t *testing.T) {
	c, store := open(t)
	setVariables(t, c, "{variables: {host: real.test, path: v1, limit: 40, old: 1}}")
	require.NoError(t, putService(t, c, "{upstream: 'https://${vars.host}/', upstreamHeaders: {X-Path: '${vars.path}'}, variables: {own: 1}, otherwise: [{answer: {text: '${vars.own}'}}]}"))
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, "{id: full, call: {path: /full}, answer: {json: {limit: '${vars.limit}'}}}"))
	require.NoError(t, err)
	changes := len(store.changes)
	for document, want := range map[string]string{
		"{variables: {host: real.test, path: v1, old: 1}}":                                `/variables/limit: variable "limit" is used by mapping "full" of quay: change that first`,
		"{variables: {path: v1, limit: 1}}":                                               `variable "host" is used by the upstream of quay`,
		"{variables: {host: real.test, limit: 1}}":                                        `variable "path" is used by the upstream of quay`,
		"{variables: {host: a b, path: v1, limit: 1}}":                                    `service "quay" could not be relayed any more: upstream must be a base URL`,
		"{variables: {host: real.test, path: \"a\\nb\", limit: 1}}":                       `service "quay" could not be relayed any more: header X-Path of the upstream: must be a single line`,
		"{variables: {host: real.test, path: v1, limit: 1}, variableSet: none}":           `/variableSet: set of variables "none" not found`,
		"{variables: {host: real.test, path: v1}, variableSets: {s: {}}, variableSet: s}": `variable "limit" is used`,
	} {
		_, err := c.PutVariables(t.Context(), variables(t, document), "")
		assert.ErrorContains(t, err, want, document)
	}
	for document, want := range map[string]string{
		"{upstream: 'https://${vars.host}', otherwise: [{answer: {text: '${vars.own}'}}]}":        `variable "own" is used by what quay answers otherwise`,
		"{upstream: 'https://${vars.hst}'}":                                                       `/upstream: expression "vars.hst": there is no variable "hst" (host?)`,
		"{upstream: 'https://${call.path.x}'}":                                                    `/upstream: expression "call.path.x": only variables are known here`,
		"{upstream: '${vars.limit}'}":                                                             `/upstream: upstream must be a base URL`,
		"{upstream: 'https://${vars.'}":                                                           `/upstream: `,
		"{upstream: 'https://x.test', upstreamHeaders: {A: '${vars.hst}'}}":                       `/upstreamHeaders/0: expression "vars.hst"`,
		"{upstream: 'https://${vars.key}', variables: {key: {secret: true, value: long-enough}}}": `/upstream: variable key is secret`,
	} {
		assert.ErrorContains(t, putService(t, c, document), want, document)
	}
	scenario, err := spec.ReadScenarios([]byte("{name: storm, variables: {host: a b}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenario)
	assert.ErrorContains(t, err, `/variables: service "quay" could not be relayed any more`)
	_, _, err = c.PutMappings(t.Context(), "quay", mappings(t, "{id: bad, call: {path: /bad, if: vars.limt > 1}, answer: {}}"))
	assert.ErrorContains(t, err, `/call/if: expression "vars.limt > 1": there is no variable "limt" (limit?)`)
	assert.Len(t, store.changes, changes)
	_, err = c.PutVariables(t.Context(), variables(t, "{variables: {host: real.test, path: v1}, variableSets: {s: {limit: 1}}}"), "")
	assert.ErrorContains(t, err, `variable "limit" is used by mapping "full" of quay, and only a set, a scenario or a lane would have it: change that first`)
	setVariables(t, c, "{variables: {host: real.test, path: v1}, variableSets: {s: {limit: 1}}, variableSet: s}")
	_, err = c.PutVariables(t.Context(), variables(t, "{variables: {host: real.test, path: v1, limit: 1}, variableSet: s}"), "")
	assert.ErrorContains(t, err, `/variableSet: set "s" is in use and would be gone`)
}

// The value of a secret stays where a document does not give it, is told to who masks
// before it is in force, and no document shows it.
func TestSecretVariables(t *testing.T) {
	c, store := open(t)
	var told []string
	c.OnSecrets(func(values []string) { told = values })
	first := setVariables(t, c, "{variables: {key: {secret: true, value: hush-hush-1}, plain: just-a-text}}")
	assert.Equal(t, []string{"hush-hush-1"}, told)
	again := setVariables(t, c, "{variables: {key: {secret: true}, plain: just-a-text}}")
	assert.Equal(t, first.Version, again.Version, "nothing changed")
	changed := setVariables(t, c, "{variables: {key: {secret: true, value: hush-hush-2}, plain: {secret: true}}}")
	assert.Greater(t, changed.Version, first.Version)
	assert.Equal(t, "hush-hush-2", c.Snapshot().Vars()["key"].(interface{ Value() any }).Value())
	assert.ElementsMatch(t, []string{"hush-hush-2", "just-a-text"}, told, "what was shown can become secret")
	require.NoError(t, putService(t, c, "{upstream: 'https://x.test', upstreamHeaders: {K: '${vars.own}', L: '${vars.lost}'}, variables: {own: {secret: true, value: hush-hush-3}, lost: {secret: true}}}"))
	require.NoError(t, putService(t, c, "{title: Quay, upstream: 'https://x.test', upstreamHeaders: {K: '${vars.own}', L: '${vars.lost}'}, variables: {own: {secret: true}, lost: {secret: true}}}"))
	service := c.Snapshot().Named("quay")
	assert.Equal(t, "hush-hush-3", service.Spec.Variables["own"].Value.Text)
	assert.Contains(t, service.UpstreamFault, "variable lost has no value here")
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, "[{id: lost, call: {path: /lost}, answer: {text: '${vars.lost}'}}, {id: own, call: {path: /own}, answer: {text: '${vars.own}'}}]"))
	require.NoError(t, err)
	service = c.Snapshot().Named("quay")
	assert.Equal(t, "variable lost has no value here, so it fails", service.Problem(service.Mapping("lost")))
	assert.Equal(t, "variable lost has no value here", service.Obstacle(service.Mapping("lost")))
	assert.Empty(t, service.Problem(service.Mapping("own")))
	edited, err := c.EditMappings(t.Context(), []string{"quay"}, catalog.Selection{Text: "lost"}, catalog.BulkEdit{Remove: true})
	require.NoError(t, err)
	require.NotEmpty(t, edited)
	require.NoError(t, putService(t, c, "{title: Quay, upstream: 'https://x.test', upstreamHeaders: {K: '${vars.own}'}, variables: {own: {secret: true, value: hush-hush-4}}}"))
	assert.Equal(t, "hush-hush-4", c.Snapshot().Named("quay").UpstreamHeaders[0].Value)

	scenario, err := spec.ReadScenarios([]byte("{name: storm, variables: {own: {secret: true, value: hush-hush-5}}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenario)
	require.NoError(t, err)
	scenario, err = spec.ReadScenarios([]byte("{name: storm, variables: {own: {secret: true}}}"))
	require.NoError(t, err)
	changes := len(store.changes)
	_, outcomes, err := c.PutScenarios(t.Context(), scenario)
	require.NoError(t, err)
	assert.Equal(t, []string{catalog.Unchanged}, outcomes)
	assert.Len(t, store.changes, changes)
	scenario[0].Title = "Storm"
	_, _, err = c.PutScenarios(t.Context(), scenario)
	require.NoError(t, err)
	renamed := scenario[0]
	renamed.Name = "gale"
	_, _, err = c.PutScenarioAs(t.Context(), "storm", renamed, "")
	require.NoError(t, err)
	assert.Contains(t, told, "hush-hush-5")
	lane, err := spec.ReadLane([]byte("{variables: {own: {secret: true, value: hush-hush-6}}}"), "night")
	require.NoError(t, err)
	now := time.Now()
	_, err = c.OpenLane(t.Context(), lane, now)
	require.NoError(t, err)
	_, err = c.EditLane(t.Context(), "night", "", now, func(l *spec.Lane) error {
		l.Variables, l.Title = map[string]spec.Variable{"own": {Secret: true}}, "Night"
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, "hush-hush-6", c.Snapshot().Lane("night", now).Spec.Variables["own"].Value.Text)

	_, env, _, err := c.FolderState(t.Context(), "")
	require.NoError(t, err)
	files, err := folder.UpdateEnvironment(nil, env, func(string, string, string, any) bool { return false })
	require.NoError(t, err)
	assert.NotContains(t, string(files[0].Text), "hush")
	assert.Contains(t, string(files[0].Text), "secret: true")
}

func environment(text string) *folder.Folder {
	return folder.Read([]folder.File{{Name: "environment.yaml", Text: []byte(text)}, {Name: "quay/service.yaml", Text: []byte("upstream: https://${vars.host}\nvariableSets: {calm: {own: 1}}")}})
}

// Variables of a folder are compared one by one.
func TestVariablesOfAFolder(t *testing.T) {
	c, _ := open(t)
	apply := func(f *folder.Folder, prune bool) map[string]string {
		report, err := c.ApplyFolder(t.Context(), f, catalog.Apply{Prune: prune, Source: "here", At: time.Now()})
		require.NoError(t, err)
		outcomes := make(map[string]string)
		for _, o := range report.Outcomes {
			outcomes[o.Kind+" "+o.ID] = o.Outcome
		}
		for _, fault := range report.Faults {
			outcomes["fault"] += fault.File + ": " + fault.Detail
		}
		return outcomes
	}
	assert.Equal(t, map[string]string{"variable host": catalog.Created, "variable key": catalog.Created, "variable host in set staging": catalog.Created, "variables in use ": catalog.Changed, "service ": catalog.Created},
		apply(environment("{variables: {host: a.test, key: {secret: true}}, variableSets: {staging: {host: s.test}}, variableSet: calm}"), false), "the set that only a service has is known, too")
	assert.Equal(t, "https://a.test", c.Snapshot().Named("quay").Upstream.String())

	v := c.Snapshot().Variables().Variables
	v.Variables = map[string]spec.Variable{"host": variables(t, "{variables: {a: mine.test}}").Variables["a"], "key": {Secret: true}}
	_, err := c.PutVariables(t.Context(), v, "")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"variable host": catalog.Conflict}, apply(environment("{variables: {host: theirs.test, key: {secret: true}}, variableSets: {staging: {host: s.test}}, variableSet: calm}"), false))
	_, err = c.PutVariables(t.Context(), variables(t, "{variables: {host: a.test, key: {secret: true, value: hush-hush-1}}, variableSets: {staging: {host: s.test}}, variableSet: calm}"), "")
	require.NoError(t, err)
	assert.Empty(t, apply(environment("{variables: {host: a.test, key: {secret: true}}, variableSets: {staging: {host: s.test}}, variableSet: calm}"), false), "the folder knows nothing of the value")
	assert.Equal(t, "hush-hush-1", c.Snapshot().Variables().Variables.Variables["key"].Value.Text)

	assert.Equal(t, map[string]string{"variable key": catalog.Removed, "variable host in set staging": catalog.Removed, "variables in use ": catalog.Changed}, apply(environment("{variables: {host: a.test}, variableSet: ''}"), true))
	assert.Equal(t, map[string]string{"variable host": catalog.Removed, "fault": `environment.yaml: variable "host" is used by the upstream of quay: change that first`}, apply(environment("{}"), true))
	assert.Equal(t, "a.test", c.Snapshot().Variables().Variables.Variables["host"].String())
	assert.Contains(t, apply(environment("{variables: {host: a b}}"), false)["fault"], `could not be relayed any more`)
	assert.Contains(t, apply(environment("{variables: {host: a.test, key: {secret: true, value: hush-hush-2}}}"), false)["fault"], "the value of a secret does not belong in a file")
	_, err = spec.GivenService([]byte("{variables: {key: {secret: true, value: hush-hush-2}}}"), "quay")
	require.NoError(t, err)
	f := folder.Read([]folder.File{{Name: "quay/service.yaml", Text: []byte("variables: {key: {secret: true, value: hush-hush-2}}")}})
	require.Len(t, f.Faults, 1)
	assert.Equal(t, "/variables/key", f.Faults[0].At)
}

// Setting a variable costs by the number of services, taking one away by that of
// expressions.
func BenchmarkVariables(b *testing.B) {
	c, err := catalog.Open(b.Context(), &fakeStore{})
	require.NoError(b, err)
	for i := range 100 {
		name := fmt.Sprintf("s%d", i)
		_, err := c.CreateService(b.Context(), spec.NewService(name))
		require.NoError(b, err)
		list := make([]spec.Mapping, 100)
		for j := range list {
			read, err := spec.ReadMappings(fmt.Appendf(nil, "{id: m%d, call: {path: '/m/%d/{n}'}, answer: {json: {n: '${call.path.n}', of: '${call.query.a + call.method}'}}}", j, j))
			require.NoError(b, err)
			list[j] = read[0]
		}
		_, _, err = c.PutMappings(b.Context(), name, list)
		require.NoError(b, err)
	}
	own := c.Snapshot().Variables().Variables
	own.Variables = make(map[string]spec.Variable)
	for i := range 100 {
		own.Variables[fmt.Sprintf("v%d", i)] = spec.Variable{Value: tree.NewNumber("1")}
	}
	for _, how := range []string{"set", "remove"} {
		b.Run(how, func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				v := own
				v.Variables = maps.Clone(own.Variables)
				if v.Variables["v0"] = (spec.Variable{Value: tree.NewNumber(strconv.Itoa(i))}); how == "remove" && i%2 == 1 {
					delete(v.Variables, "v0")
				}
				_, err := c.PutVariables(b.Context(), v, "")
				require.NoError(b, err)
			}
		})
	}
}
