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

	"rapidmimic.example/internal/core/boundary"
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

// What we call valid among boundary values the other validator takes, and what we call invalid it
// refuses: of each field of schemas with all types, formats and limits.
func TestAnotherValidatorAgreesOnBoundaries(t *testing.T) {
	t.Parallel()
	document, err := tree.Parse([]byte(`
schema:
  type: object
  properties:
    whole: { type: integer, minimum: 3, maximum: 90 }
    open: { type: integer, exclusiveMinimum: 0, exclusiveMaximum: 10 }
    part: { type: number, minimum: -1.5, maximum: 99.95 }
    text: { type: string, minLength: 3, maxLength: 8 }
    free: { type: string }
    shape: { type: string, pattern: "^[A-Z][0-9]+$" }
    day: { type: string, format: date }
    moment: { type: string, format: date-time }
    id: { type: string, format: uuid }
    mail: { type: string, format: email }
    at: { type: string, format: uri }
    host: { type: string, format: ipv4 }
    kind: { enum: [a, b], type: string }
    level: { enum: [1, 2] }
    yes: { type: boolean }
    maybe: { type: [string, "null"] }
    list: { type: array, items: { type: integer }, minItems: 2, maxItems: 5, uniqueItems: true }
    thing: { type: object, required: [name], additionalProperties: false, properties: { name: { type: string } } }
`))
	require.NoError(t, err)
	answer, err := tree.Parse([]byte(`{whole: 7, open: 2, part: 1.5, text: quay, free: quay, shape: N7, day: "2026-12-01", moment: "2026-12-01T10:00:00Z", id: f47ac10b-58cc-4372-a567-0e02b2c3d479,
mail: ida@skerry-sound.example, at: "https://skerry-sound.example/", host: 10.0.0.1, kind: a, level: 1, yes: true, maybe: null, list: [1, 2], thing: {name: Tern}}`))
	require.NoError(t, err)
	schema := contract.NewDocument(document, func(n *tree.Node) *tree.Node { return n }).Schema("/schema")
	var asked bytes.Buffer
	valid, invalid := 0, make(map[string][]string) // by pointer
	for _, m := range answer.Members {
		field, err := boundary.At(answer, "$."+m.Key, schema)
		require.NoError(t, err)
		q := judgement{Document: document, Pointer: "/schema/properties/" + m.Key}
		for _, v := range field.Values() {
			if v.Node == nil { // of the whole, not of the field
				continue
			}
			q.Values = append(q.Values, v.Node)
			if v.Validity == boundary.Invalid {
				invalid[q.Pointer] = append(invalid[q.Pointer], v.ID)
			} else {
				assert.Equal(t, boundary.Valid, v.Validity)
				valid++
			}
		}
		text, err := json.Marshal(q)
		require.NoError(t, err)
		asked.Write(append(text, '\n'))
	}
	require.Greater(t, valid, 60)
	cmd := exec.Command("node", "judges/schemas.mjs")
	cmd.Stdin = &asked
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	refused := make(map[string][]string)
	for line := range strings.Lines(string(out)) {
		if pointer, what, ok := strings.Cut(line, ": "); ok {
			refused[pointer] = append(refused[pointer], what)
		}
	}
	require.Len(t, invalid, len(answer.Members), "each field has values that are invalid")
	for pointer, ours := range invalid {
		assert.Len(t, refused[pointer], len(ours), "%s: we call invalid %s, it refuses %.2000s", pointer, ours, refused[pointer])
	}
}
