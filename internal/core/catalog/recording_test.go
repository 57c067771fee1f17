package catalog_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
)

// proposal is a mapping for GET /slots under a condition, "" for none, with answers.
func proposal(t *testing.T, condition string, texts ...string) recording.Proposal {
	answers := "answer: {text: " + texts[0] + "}"
	if len(texts) > 1 {
		answers = "sequence: [{text: " + strings.Join(texts, "}, {text: ") + "}]"
	}
	m := mappings(t, "{id: get-slots, labels: [quay], call: {method: GET, path: /slots, where: ["+condition+"]}, "+answers+"}")[0]
	return recording.Proposal{Mapping: m, Name: "get-slots"}
}

// texts are the answers of a mapping.
func texts(m spec.Mapping) (all []string) {
	for _, a := range m.Answers() {
		all = append(all, *a.Text)
	}
	return all
}

// A mapping of a recording is told by what it asks for, whatever its id.
func TestMappingsOfRecordings(t *testing.T) {
	const limit, other = "{query: limit, equals: 1}", "{query: limit, equals: 2}"
	for name, c := range map[string]struct {
		have      string // a mapping that is there
		by        string
		existing  string
		proposals []recording.Proposal
		want      []string // outcome, id and answers of each
	}{
		"nothing is there": {"", "", "", []recording.Proposal{proposal(t, limit, "a"), proposal(t, other, "b")}, []string{"created get-slots a", "created get-slots-2 b"}},
		"another ask":      {"{id: get-slots, call: {method: GET, path: /slots}, answer: {text: x}}", "Ida", "", []recording.Proposal{proposal(t, limit, "a")}, []string{"created get-slots-2 a"}},
		"the same, of a recording": {"{id: mine, title: T, rank: 3, enabled: false, labels: [old], call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: x}}", "recording r", "",
			[]recording.Proposal{proposal(t, limit, "a")}, []string{"changed mine a"}},
		"the same, edited":     {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: x}}", "Ida", "", []recording.Proposal{proposal(t, limit, "a")}, []string{"kept mine x"}},
		"the same, kept":       {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: x}}", "recording r", "keep", []recording.Proposal{proposal(t, limit, "a")}, []string{"kept mine x"}},
		"edited, replaced":     {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: x}}", "Ida", "replace", []recording.Proposal{proposal(t, limit, "a")}, []string{"changed mine a"}},
		"unchanged":            {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: a}}", "Ida", "replace", []recording.Proposal{proposal(t, limit, "a")}, []string{"unchanged mine a"}},
		"followed":             {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, answer: {text: x}}", "Ida", "follow", []recording.Proposal{proposal(t, limit, "a", "b")}, []string{"followed mine x,a,b"}},
		"followed already":     {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, sequence: [{text: x}, {text: a}, {text: b}]}", "Ida", "follow", []recording.Proposal{proposal(t, limit, "a", "b")}, []string{"unchanged mine x,a,b"}},
		"nothing can follow":   {"{id: mine, call: {method: GET, path: /slots, where: [" + limit + "]}, choose: [{answer: {text: x}}]}", "Ida", "follow", []recording.Proposal{proposal(t, limit, "a")}, []string{"kept mine x"}},
		"in another order":     {"{id: mine, call: {method: GET, path: /slots, where: [{only: query}, " + limit + "]}, answer: {text: x}}", "recording r", "", []recording.Proposal{proposal(t, limit+", {only: query}", "a")}, []string{"changed mine a"}},
		"it answered others":   {"{id: mine, call: {method: GET, path: /slots}, answer: {text: x}}", "recording r", "", narrowing(t), []string{"narrowed mine x", "created get-slots a"}},
		"it was edited":        {"{id: mine, call: {method: GET, path: /slots}, answer: {text: y}}", "Ida", "", narrowing(t), []string{"created get-slots a"}},
		"nobody needs it":      {"", "", "", narrowing(t), []string{"created get-slots a"}},
		"it is narrow already": {"{id: mine, call: {method: GET, path: /slots, where: [{cookie: sid, equals: old}]}, answer: {text: x}}", "recording r", "", narrowing(t), []string{"created get-slots a"}},
	} {
		t.Run(name, func(t *testing.T) {
			service, store := open(t)
			if c.have != "" {
				_, _, err := service.PutMappings(catalog.By(t.Context(), c.by), "moorings", mappings(t, c.have))
				require.NoError(t, err)
				store.versions = []catalog.MappingVersion{{By: c.by}}
			}
			dry, err := service.MakeMappings(t.Context(), "moorings", c.proposals, catalog.Making{Name: "r", Existing: c.existing, DryRun: true})
			require.NoError(t, err)
			before := service.Snapshot().Named("moorings").Mappings
			made, err := service.MakeMappings(t.Context(), "moorings", c.proposals, catalog.Making{Name: "r", Existing: c.existing})
			require.NoError(t, err)
			var got []string
			for i, m := range made {
				got = append(got, m.Outcome+" "+m.Mapping.ID+" "+strings.Join(texts(m.Mapping), ","))
				assert.Equal(t, dry[i].Outcome+dry[i].Mapping.ID, m.Outcome+m.Mapping.ID, "a dry run tells the same")
				stored := service.Snapshot().Named("moorings").Mapping(m.Mapping.ID)
				require.NotNil(t, stored)
				assert.Equal(t, texts(m.Mapping), texts(stored.Spec), "what is told is there")
			}
			assert.Equal(t, c.want, got)
			assert.LessOrEqual(t, len(before), 1, "a dry run changes nothing")
		})
	}
	service, store := open(t)
	_, _, err := service.PutMappings(t.Context(), "moorings", mappings(t, "{id: mine, title: T, rank: 3, enabled: false, labels: [old], call: {method: GET, path: /slots}, answer: {text: x}, impair: {latency: 5ms}}"))
	require.NoError(t, err)
	store.versions = []catalog.MappingVersion{{By: "recording r"}}
	made, err := service.MakeMappings(t.Context(), "moorings", []recording.Proposal{proposal(t, "", "a")}, catalog.Making{Name: "r"})
	require.NoError(t, err)
	m := made[0].Mapping
	assert.Equal(t, []any{"T", 3, false, []string{"old", "quay"}}, []any{m.Title, m.Rank, m.Enabled, m.Labels}, "what a recording does not say stays")
	assert.NotNil(t, m.Impair)
	assert.Contains(t, made[0].Notes, "it is switched off, and stays so")
	_, err = service.MakeMappings(t.Context(), "moorings", nil, catalog.Making{Existing: "add"})
	assert.ErrorContains(t, err, "existing must be keep, replace or follow")
}

// narrowing are the proposals where calls of another recording were answered differently
// to another caller.
func narrowing(t *testing.T) []recording.Proposal {
	earlier, now := proposal(t, "{cookie: sid, equals: old}", "x"), proposal(t, "{cookie: sid, equals: new}", "a")
	wider := recording.KeyOf(proposal(t, "", "x").Mapping.Call)
	earlier.Wider, now.Wider, earlier.Earlier = wider, wider, true
	return []recording.Proposal{earlier, now}
}

// Several services may share a host; of the paths that they list the longest counts.
func TestHostsWithPaths(t *testing.T) {
	c, _ := open(t)
	for _, document := range []string{
		"{name: slots, hosts: [dome.example/v1], upstream: 'http://real.example/v1'}", "{name: notes, hosts: [DOME.example/v1/notes]}",
		"{name: rest, hosts: [office.example], upstream: 'http://real.example/api/'}",
	} {
		s, err := spec.ReadService([]byte(document))
		require.NoError(t, err)
		_, err = c.CreateService(t.Context(), s)
		require.NoError(t, err)
	}
	for call, want := range map[[2]string][2]string{
		{"dome.example", "/v1/slots"}: {"slots", "/v1"}, {"DOME.example", "/v1"}: {"slots", "/v1"}, {"dome.example", "/v1/notes/1"}: {"notes", "/v1/notes"}, {"dome.example", "/v1/notesx"}: {"slots", "/v1"},
		{"dome.example", "/v10"}: {}, {"other.example", "/v1"}: {}, {"office.example", "/api/x"}: {"rest", "/api"}, {"office.example", "/apix"}: {"rest", ""}, {"office.example", "/"}: {"rest", ""},
	} {
		service, base := c.Snapshot().OnHost(call[0], call[1])
		name := ""
		if service != nil {
			name = service.Spec.Name
		}
		assert.Equal(t, want, [2]string{name, base}, "%v", call)
	}
	assert.True(t, c.Snapshot().ListsHost("Dome.example"))
	assert.False(t, c.Snapshot().ListsHost("other.example"))
	taken, err := spec.ReadService([]byte("{name: other, hosts: [dome.example/v1]}"))
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), taken)
	assert.ErrorContains(t, err, `host "dome.example/v1" is listed by service "slots"`)
}
