package e2e

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// judgement is what a judge of JSON Schemas is asked.
type judgement struct {
	Document *tree.Node   `json:"document"`
	Pointer  string       `json:"pointer"`
	Old      bool         `json:"old"` // a document of OpenAPI 3.0
	Values   []*tree.Node `json:"values"`
}

// TestAnotherValidatorAgrees lets a validator that shares no code with ours
// judge a thousand answers of each operation of the demo, and of schemas on
// which generators go wrong.
func TestAnotherValidatorAgrees(t *testing.T) {
	t.Parallel()
	const draws = 1000
	var asked bytes.Buffer
	want := 0
	for _, file := range []string{"../demo/data/moorings.yaml", "../demo/data/tides.yaml", "../internal/core/contract/openapi/testdata/hard.json"} {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		document, err := tree.Parse(text)
		require.NoError(t, err)
		c, err := openapi.Read(text)
		require.NoError(t, err)
		for _, op := range c.Operations {
			for _, offer := range op.Success.MediaTypes {
				if offer.Schema == nil || !call.IsJSON(offer.Name) {
					continue
				}
				asked.Write(question(t, document, c, op, offer, draws))
				asked.WriteByte('\n')
				want += draws
			}
		}
	}
	require.Greater(t, want, 60*draws)
	cmd := exec.Command("node", "judges/schemas.mjs")
	cmd.Stdin = &asked
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	assert.Equal(t, "judged "+jsonText(t, want), lines[len(lines)-1])
	assert.Len(t, lines, 1, "%s", strings.Join(lines[:min(len(lines), 20)], "\n"))
}

func question(t *testing.T, document *tree.Node, c *contract.Contract, op *contract.Operation, offer *contract.MediaType, draws int) []byte {
	q := judgement{Document: document, Pointer: offer.Schema.Pointer(), Old: c.Format == "OpenAPI 3.0"}
	for i := range draws {
		value, valid := offer.Schema.Generate(sample.NewDraw(5, op.ID, uint64(i)))
		require.True(t, valid, "%s: %s", op.ID, value.AppendJSON(nil))
		q.Values = append(q.Values, value)
	}
	text, err := json.Marshal(q)
	require.NoError(t, err)
	return text
}

func jsonText(t *testing.T, v any) string {
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return string(text)
}
