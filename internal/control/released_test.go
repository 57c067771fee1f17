package control

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
)

// What the last release promised stays: nothing is taken away, nothing more is demanded.
// With a release, testdata/released.yaml becomes the document of it.
func TestTheAPIKeepsItsPromises(t *testing.T) {
	text, err := os.ReadFile("testdata/released.yaml")
	require.NoError(t, err)
	released, err := openapi.Read(text)
	require.NoError(t, err)
	now, err := openapi.Read(openAPI)
	require.NoError(t, err)
	changes := contract.Compare(released, now)
	assert.Empty(t, changes.Removed, "operations")
	for _, op := range changes.Changed {
		for _, d := range op.Differences {
			if strings.HasSuffix(d.Where, "answer, fault, code, enum") {
				continue // any name may stand there now, for who writes one
			}
			assert.Equal(t, "added", d.What, "%s: %s was %q, is %q", op.Operation, d.Where, d.Before, d.After)
			assert.NotContains(t, d.After, "required", "%s: %s", op.Operation, d.Where)
		}
	}
}
