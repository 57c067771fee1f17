package rest_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/contract/rest"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

const berths = `
openapi: 3.1.0
info: { title: Moorings, version: "1" }
servers: [{ url: http://moorings.example/v2 }]
paths:
  /berths/{number}:
    parameters: [{ name: number, in: path, required: true, schema: { type: string } }]
    get:
      operationId: getBerth
      responses:
        "200":
          description: The berth
          content:
            application/json: { example: { number: N7, state: free } }
            text/csv: { example: "N7,free" }
    delete: { operationId: closeBerth, responses: { "204": { description: Closed } } }
  /berths/mine:
    get: { operationId: myBerth, responses: { "204": { description: None } } }
`

func read(t *testing.T) *contract.Contract {
	c, err := openapi.Read([]byte(berths))
	require.NoError(t, err)
	return c
}

func TestDispatch(t *testing.T) {
	c := read(t)
	for name, k := range map[string]struct {
		method, path, operation string
		others, segments        int
	}{
		"by path and method":                   {"GET", "/berths/N7", "getBerth", 0, 2},
		"HEAD is GET":                          {"HEAD", "/berths/N7", "getBerth", 0, 2},
		"passing over another method":          {"DELETE", "/berths/N7", "closeBerth", 1, 2},
		"the plain path before the parameter":  {"GET", "/berths/mine", "myBerth", 0, 2},
		"below it where only that takes it":    {"DELETE", "/berths/mine", "closeBerth", 2, 2},
		"with the base path":                   {"GET", "/v2/berths/N7", "getBerth", 0, 2},
		"another method":                       {"PUT", "/berths/N7", "", 2, 2},
		"another method with the base path":    {"PUT", "/v2/berths/N7", "", 2, 2},
		"nothing there":                        {"GET", "/piers/N7", "", 0, 2},
		"nothing there with the base path":     {"GET", "/v2/piers/N7", "", 0, 2},
		"the base path alone is no base":       {"GET", "/v2", "", 0, 1},
		"all operations when no method counts": {"", "/berths/N7", "", 2, 2},
	} {
		t.Run(name, func(t *testing.T) {
			asked := c.Protocol.Dispatch(&call.Request{Method: k.method}, match.Split(nil, k.path))
			assert.Equal(t, k.operation, asked.ID())
			assert.Len(t, asked.Others, k.others)
			assert.Len(t, asked.Segments, k.segments)
		})
	}
	asked := rest.None.Dispatch(&call.Request{Method: "GET"}, []string{"berths"})
	assert.Equal(t, contract.Asked{Segments: []string{"berths"}}, asked)
}

func TestAnswerNegotiates(t *testing.T) {
	c := read(t)
	asked := c.Protocol.Dispatch(&call.Request{Method: "GET"}, []string{"berths", "N7"})
	for accept, want := range map[string]string{
		"":                               "application/json",
		"text/*":                         "text/csv; charset=utf-8",
		"text/csv;q=0.1, application/*":  "application/json",
		"image/png, application/x-other": "",
	} {
		built, err := c.Protocol.Answer(&asked, contract.Wanted{Status: 200, MediaTypes: asked.Operation.Success.MediaTypes, Accept: []string{accept}})
		if want == "" {
			assert.Equal(t, &contract.NotAcceptable{MediaTypes: []string{"application/json", "text/csv"}}, err)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, want, built.Answer.Get("Content-Type"), accept)
		assert.Empty(t, built.Echoed)
	}
	echo := &match.Facts{Request: &call.Request{}}
	built, err := c.Protocol.Answer(&contract.Asked{Operation: asked.Operation, Segments: []string{"berths", "S2"}}, contract.Wanted{Status: 200, MediaTypes: asked.Operation.Success.MediaTypes, Echo: echo})
	require.NoError(t, err)
	assert.Equal(t, []string{"number"}, built.Echoed)
	assert.JSONEq(t, `{"number": "S2", "state": "free"}`, string(built.Answer.Body))
}

// Of what is drawn as JSON a tree is made where the call has something to say, in its path or its body.
func TestDrawnAnswersEcho(t *testing.T) {
	const berth = `{ type: object, required: [number, length], properties: { number: { type: string }, length: { type: integer } } }`
	c, err := openapi.Read([]byte(`
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /berths/{number}:
    get: { operationId: get, parameters: [{ name: number, in: path, required: true, schema: { type: string } }], responses: { "200": { description: d, content: { application/json: { schema: ` + berth + ` } } } } }
  /berths:
    post: { operationId: post, requestBody: { content: { application/json: { schema: ` + berth + ` } } }, responses: { "200": { description: d, content: { application/json: { schema: ` + berth + ` } } } } }
`))
	require.NoError(t, err)
	for name, k := range map[string]struct {
		method, path, body string
		echoed             []string
	}{
		"a parameter":     {"GET", "berths/S2", "", []string{"number"}},
		"a body":          {"POST", "berths", `{"length":12}`, []string{"length"}},
		"nothing to echo": {"POST", "berths", "", nil},
	} {
		r := &call.Request{Method: k.method, Header: call.Header{"Content-Type": {"application/json"}}, Body: call.Body{Bytes: []byte(k.body), Size: int64(len(k.body))}}
		asked := c.Protocol.Dispatch(r, strings.Split(k.path, "/"))
		built, err := c.Protocol.Answer(&asked, contract.Wanted{Status: 200, MediaTypes: asked.Operation.Success.MediaTypes, Echo: &match.Facts{Request: r}, Draw: func() *sample.Draw { return sample.NewDraw(1, "a", 0) }})
		require.NoError(t, err)
		assert.Equal(t, k.echoed, built.Echoed, name)
		for _, said := range k.echoed {
			assert.Contains(t, map[string]string{"number": "S2", "length": "12"}[said], built.Tree().Get(said).Text, name)
		}
		assert.Equal(t, string(built.Answer.Body), string(built.Tree().AppendJSON(nil)), name)
	}
}

func value(t *testing.T, text string) *tree.Node {
	n, err := tree.ParseJSON([]byte(text))
	require.NoError(t, err)
	return n
}

func TestAnswers(t *testing.T) {
	c, err := openapi.Read([]byte(`
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /tides:
    get:
      operationId: a
      responses:
        "200":
          description: a
          headers:
            X-Fixed: { schema: { type: string }, example: calm }
            X-Drawn: { schema: { type: integer, minimum: 5, maximum: 5 } }
            X-Unknown: { description: nothing is known of it }
            X-Split: { schema: { type: string }, example: "a\nb" }
          content:
            application/json:
              schema: { type: object, required: [height], properties: { height: { type: integer, minimum: 7, maximum: 7 } } }
              examples: { low: { value: { height: 1 } }, high: { value: { height: 2 } } }
`))
	require.NoError(t, err)
	op := c.Operations[0]
	draws := 0
	answer := func(w contract.Wanted) contract.Built {
		w.Status, w.Headers = 200, op.Success.Headers
		w.Draw = func() *sample.Draw { draws++; return sample.NewDraw(1, "a", 0) }
		built, err := c.Protocol.Answer(&contract.Asked{Operation: op}, w)
		require.NoError(t, err)
		return built
	}
	first := answer(contract.Wanted{MediaTypes: op.Success.MediaTypes})
	assert.Equal(t, `{"height":1}`, string(first.Answer.Body))
	assert.Equal(t, []call.Field{{Name: "Content-Type", Value: "application/json"}, {Name: "X-Fixed", Value: "calm"}, {Name: "X-Drawn", Value: "5"}}, first.Answer.Header)
	assert.Equal(t, `{"height":2}`, string(answer(contract.Wanted{MediaTypes: op.Success.MediaTypes, Example: "high"}).Answer.Body))
	drawn := answer(contract.Wanted{MediaTypes: op.Success.MediaTypes, Generate: true})
	assert.Equal(t, `{"height":7}`, string(drawn.Answer.Body))
	assert.Nil(t, drawn.Used)
	assert.Empty(t, drawn.Invalid)
	assert.Empty(t, answer(contract.Wanted{}).Answer.Body, "without media types there is none")
	assert.Equal(t, `{"height":7}`, string(drawn.Tree().AppendJSON(nil)), "which is made when it is asked for")

	pins, faults := contract.CompilePins(map[string]*tree.Node{"/height": value(t, "9")})
	require.Empty(t, faults)
	pinned, names, err := c.Protocol.Pin(first, pins, &expr.Scope{})
	require.NoError(t, err)
	assert.Equal(t, []string{"/height"}, names)
	assert.Equal(t, `{"height":9}`, string(pinned.Answer.Body))
	assert.Equal(t, `{"height":1}`, string(first.Answer.Body))
	same, names, err := c.Protocol.Pin(contract.Built{Answer: call.Answer{Body: []byte("text")}}, pins, &expr.Scope{})
	require.NoError(t, err)
	assert.Empty(t, names)
	assert.Equal(t, "text", string(same.Answer.Body))
}

// What was drawn to obey is known to obey, and is not held against the contract again: nothing else is.
func TestWhatIsDrawnIsProven(t *testing.T) {
	schema := func(operation, mediaType, text string) string {
		return "\n  /" + operation + ": { get: { operationId: " + operation + ", responses: { '200': { description: d, content: { " + mediaType + ": { schema: " + text + " } } } } } }"
	}
	c, err := openapi.Read([]byte("openapi: 3.1.0\ninfo: { title: T, version: '1' }\npaths:" +
		schema("certain", "application/json", "{ type: object, required: [n], properties: { n: { type: integer } } }") +
		schema("looked", "application/json", "{ type: string, not: { const: quay } }") +
		schema("hopeless", "application/json", "{ allOf: [{ const: 1 }, { const: 2 }] }") +
		schema("written", "application/xml", "{ type: object, properties: { n: { type: integer } } }") +
		"\n  /given: { get: { operationId: given, responses: { '200': { description: d, content: { application/json: { example: { n: 7 } } } } } } }\n"))
	require.NoError(t, err)
	for operation, want := range map[string]bool{"certain": true, "looked": true, "hopeless": false, "written": false, "given": false} {
		asked := c.Protocol.Dispatch(&call.Request{Method: "GET"}, []string{operation})
		require.NotNil(t, asked.Operation, operation)
		op := asked.Operation
		built, err := c.Protocol.Answer(&asked, contract.Wanted{Status: 200, MediaTypes: op.Success.MediaTypes, Draw: func() *sample.Draw { return sample.NewDraw(1, "x", 1) }})
		require.NoError(t, err)
		assert.Equal(t, want, built.Answer.IsProven(), operation)
		built.SetValue(tree.NewList())
		assert.False(t, built.Answer.IsProven(), "%s: another body", operation)
		if want {
			assert.NotEmpty(t, op.CheckAnswer(&built.Answer, true, nil), "%s: which is looked at", operation)
			built.Answer.Proven = built.Answer.Body
			assert.Empty(t, op.CheckAnswer(&built.Answer, true, nil), "%s: and is not where it is known", operation)
		}
	}
}
