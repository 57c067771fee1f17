package catalog_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

func TestMappingsThatNeverAnswerAreFound(t *testing.T) {
	c, err := catalog.Open(context.Background(), &fakeStore{})
	require.NoError(t, err)
	_, err = c.CreateService(context.Background(), spec.NewService("quay"))
	require.NoError(t, err)
	mappings, err := spec.ReadMappings([]byte(`
- {id: wide, rank: 1, call: {path: "/berths/{number}"}, answer: {}}
- {id: narrow, call: {method: GET, path: "/berths/{id}"}, answer: {}}
- {id: asks, rank: 2, call: {path: "/berths/{number}", where: [{query: a}]}, answer: {}}
- {id: literal, call: {path: /berths/N7}, answer: {}}
- {id: one, call: {method: GET, path: /dues}, answer: {}}
- {id: two, call: {method: GET, path: /dues}, answer: {}}
- {id: post, call: {method: [POST, PUT], path: /dues}, answer: {}}
- {id: winter-1, call: {path: /tides, where: [{query: season, equals: winter}]}, answer: {}}
- {id: winter-2, call: {path: /tides, where: [{query: season, equals: winter}]}, answer: {}}
- {id: summer, call: {path: /tides, where: [{query: season, equals: summer}]}, answer: {}}
- {id: rest, rank: 5, call: {path: "/log/{rest...}"}, answer: {}}
- {id: logged, call: {path: "/log/{year}/{month?}"}, answer: {}}
- {id: log, call: {path: /log}, answer: {}}
- {id: piers, rank: 1, call: {path: "/piers/{n:[NS][0-9]}"}, answer: {}}
- {id: pier-n7, call: {path: /piers/N7}, answer: {}}
- {id: pier-w1, call: {path: /piers/W1}, answer: {}}
- {id: once, rank: 3, call: {path: /moon}, sequence: [{}], then: pass}
- {id: moon, call: {path: /moon}, answer: {}}
- {id: off, enabled: false, call: {method: GET, path: /dues}, answer: {}}
`))
	require.NoError(t, err)
	_, _, err = c.PutMappings(context.Background(), "quay", mappings)
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	got := map[string]string{}
	for _, m := range service.Mappings {
		if problem := service.Problem(m); problem != "" {
			got[m.Spec.ID] = problem
		}
	}
	assert.Equal(t, map[string]string{
		"literal":  `mapping "wide" always comes first, so it never answers`,
		"winter-2": `it asks for the same as mapping "winter-1", which comes first by its id`,
		"logged":   `mapping "rest" always comes first, so it never answers`,
		"pier-n7":  `mapping "piers" always comes first, so it never answers`,
		"narrow":   `mapping "wide" always comes first, so it never answers`,
		"two":      `it asks for the same as mapping "one", which comes first by its id`,
	}, got)
}
