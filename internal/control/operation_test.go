package control

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// unkept is a store that keeps nothing.
type unkept struct{ catalog.Store }

func (unkept) Load(context.Context) (d catalog.Definitions, err error) { return d, nil }
func (unkept) Apply(context.Context, catalog.Change) error             { return nil }
func (unkept) Marks(context.Context) (marks []catalog.Mark, err error) { return nil, nil }

// uncalled is a log without a call.
type uncalled struct{ CallLog }

func (uncalled) OperationCalls(_, _, _ string) (counts call.OperationCalls, ok bool) {
	return counts, false
}

// An operation is listed, and shown, with what it answers: an example only where the service gives some.
func TestWhatOperationsAnswer(t *testing.T) {
	c, err := catalog.Open(t.Context(), unkept{})
	require.NoError(t, err)
	text, err := os.ReadFile("../../demo/data/moorings.yaml")
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: text, File: "moorings.yaml"})
	require.NoError(t, err)
	generated := []spec.Way{{Name: spec.OtherwiseGenerated}}
	for name, k := range map[string]struct {
		otherwise           []spec.Way
		chosen              string
		body, example, says string // says is in what is shown of it
		status              int
	}{
		"the first example":          {nil, "", "example", "free", `"number":"N7"`, 200},
		"a chosen one":               {nil, "unknown", "example", "unknown", "Not in our books", 404},
		"none":                       {generated, "", "generated", "", `"number":"S29"`, 200},
		"none, though one is chosen": {generated, "unknown", "generated", "", `"number":"S29"`, 200},
	} {
		settings := c.Snapshot().Named("moorings").Spec
		settings.Otherwise, settings.Examples = k.otherwise, nil
		if k.chosen != "" {
			settings.Examples = map[string]string{"getBerth": k.chosen}
		}
		_, _, err := c.PutService(t.Context(), "moorings", settings, "")
		require.NoError(t, err, name)
		service := c.Snapshot().Named("moorings")
		op, err := service.FindOperation("getBerth")
		require.NoError(t, err)
		view := (&server{Config: Config{Catalog: c, Log: uncalled{}}}).operationView(perspective{}, service, op)
		assert.Equal(t, []any{k.body, k.example, k.status}, []any{view.Body, view.Example, view.Status}, name)
		assert.Contains(t, sampleOf(service, op, view.Examples), k.says, name)
	}
}
