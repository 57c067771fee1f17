package match

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/spec"
)

// A test that documents may have, and that nobody compiles, would be refused.
func TestEveryTestIsCompiled(t *testing.T) {
	for _, test := range spec.Tests {
		assert.Contains(t, tests, test.Name)
	}
	assert.Len(t, tests, len(spec.Tests)+1, "and the one for none")
}
