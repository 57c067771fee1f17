package contract_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
)

// The caller's values stand in the answer where it has places for them, and it still
// obeys.
func TestEcho(t *testing.T) {
	c, err := openapi.Read([]byte(`
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /berths/{number}:
    post:
      operationId: a
      responses:
        "200":
          description: a
          content:
            application/json:
              schema:
                type: object
                required: [number]
                properties: { number: { type: string, maxLength: 3 }, metres: { type: number, maximum: 99 }, state: { enum: [free, taken] } }
`))
	require.NoError(t, err)
	schema := c.Operations[0].Success.MediaTypes[0].Schema
	for name, k := range map[string]struct {
		answer, body string
		params       map[string]string
		want         string
		echoed       []string
	}{
		"of the body":              {`{"number":"N7","metres":18}`, `{"metres":42.5,"other":1}`, nil, `{"number":"N7","metres":42.5}`, []string{"metres"}},
		"of the path":              {`{"number":"N7","metres":18}`, ``, map[string]string{"number": "S2", "metres": "21"}, `{"number":"S2","metres":21}`, []string{"number", "metres"}},
		"the path before the body": {`{"number":"N7"}`, `{"number":"A1"}`, map[string]string{"number": "S2"}, `{"number":"S2"}`, []string{"number"}},
		"nothing new":              {`{"number":"N7"}`, `{"number":"N7"}`, nil, `{"number":"N7"}`, nil},
		"another kind":             {`{"number":"N7","metres":18}`, `{"metres":"long"}`, map[string]string{"metres": "x"}, `{"number":"N7","metres":18}`, nil},
		"what would break it":      {`{"number":"N7","state":"free"}`, `{"number":"N7000","state":"taken"}`, nil, `{"number":"N7","state":"taken"}`, []string{"state"}},
		"all of what would":        {`{"number":"N7","metres":18}`, `{"number":"N7000","metres":100}`, nil, `{"number":"N7","metres":18}`, nil},
		"one that breaks it":       {`{"number":"N7000","metres":18}`, `{"metres":20}`, nil, `{"number":"N7000","metres":20}`, []string{"metres"}},
		"a list":                   {`[1]`, `{"a":1}`, nil, `[1]`, nil},
		"a number in the path":     {`{"number":"N7"}`, ``, map[string]string{"number": "7"}, `{"number":"7"}`, []string{"number"}},
		"a text for a number":      {`{"metres":1,"number":"a"}`, ``, map[string]string{"metres": `"1"`}, `{"metres":1,"number":"a"}`, nil},
	} {
		t.Run(name, func(t *testing.T) {
			answer := value(t, k.answer)
			got, echoed := contract.Echo(answer, schema, value(t, k.body), k.params)
			assert.JSONEq(t, k.want, string(got.AppendJSON(nil)))
			assert.Equal(t, k.echoed, echoed)
			assert.JSONEq(t, k.answer, string(answer.AppendJSON(nil)), "the answer itself is not changed")
		})
	}
	none, echoed := contract.Echo(nil, schema, nil, nil)
	assert.Nil(t, none)
	assert.Empty(t, echoed)
	got, echoed := contract.Echo(value(t, `{"number":"N7"}`), nil, value(t, `{"number":"N70000"}`), nil)
	assert.Equal(t, `{"number":"N70000"}`, string(got.AppendJSON(nil)), "without a schema all of it obeys")
	assert.Equal(t, []string{"number"}, echoed)
}
