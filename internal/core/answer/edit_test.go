package answer_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// edit compiles the steps of an edit as a mapping would have them.
func edit(t *testing.T, steps string) *answer.Edit {
	mappings, err := spec.ReadMappings([]byte("call: {path: /x}\nanswer:\n  from: upstream\n  edit: " + steps))
	require.NoError(t, err, steps)
	compiled, faults := answer.CompileEdit(mappings[0].Answer.Edit, "/answer/edit")
	require.Empty(t, faults)
	return compiled
}

func header(fields []call.Field, name string) []string {
	var values []string
	for _, f := range fields {
		if f.Name == name {
			values = append(values, f.Value)
		}
	}
	return values
}

func TestEditsOfAnswers(t *testing.T) {
	const object = `{"b": 1.50, "a": [1, {"c": null}]}`
	for name, c := range map[string]struct {
		body, steps   string
		want, skipped string
		fails         string
	}{
		"order and digits stay":           {body: object, steps: `[{op: replace, path: /body/a/0, value: 2}]`, want: `{"b":1.50,"a":[2,{"c":null}]}`},
		"what is not touched stays whole": {body: object, steps: `[{op: replace, path: /status, value: 201}]`, want: object},
		"null is a value":                 {body: object, steps: `[{op: replace, path: /body/b, value: null}]`, want: `{"b":null,"a":[1,{"c":null}]}`},
		"a list grows at its end":         {body: object, steps: `[{op: add, path: /body/a/-, value: "${size(upstream.body.a)}"}]`, want: `{"b":1.50,"a":[1,{"c":null},2]}`},
		"a copy":                          {body: object, steps: `[{op: copy, from: /body/b, path: /body/d}, {op: remove, path: /body/a}]`, want: `{"b":1.50,"d":1.50}`},
		"a whole body":                    {body: object, steps: `[{op: replace, path: /body, value: {n: 1}}]`, want: `{"n":1}`},
		"a text":                          {body: "fog", steps: `[{op: replace, path: /body, value: "${upstream.body} and rain"}]`, want: "fog and rain"},
		"a text that becomes a value":     {body: "fog", steps: `[{op: replace, path: /body, value: {fog: true}}]`, want: `{"fog":true}`},
		"a text that is JSON":             {body: `"fog"`, steps: `[{op: replace, path: /body, value: rain}]`, want: `"rain"`},
		"bytes that are no text":          {body: "\xff\xfe", steps: `[{op: add, path: /headers/x, value: y}]`, want: "\xff\xfe"},
		"an element of XML":               {body: `<a:d xmlns:a="urn:a"><a:s>1</a:s><!-- --></a:d>`, steps: `[{op: replace, path: /body//x:s, value: "${upstream.status} < 3"}, {op: add, path: /body/d, value: <n/>}]`, want: `<a:d xmlns:a="urn:a"><a:s>200 &lt; 3</a:s><!-- --><n/></a:d>`},
		"a test of XML that does not":     {body: `<d><s>1</s></d>`, steps: `[{op: remove, path: /body//s}, {op: test, path: /body/d, value: "2"}]`, want: `<d><s>1</s></d>`, skipped: "the test does not hold: /d is"},
		"a number in XML":                 {body: `<d><s>1</s></d>`, steps: `[{op: test, path: /body/d/s, value: 1}, {op: replace, path: /body/d/s, value: 2}]`, want: `<d><s>2</s></d>`},
		"what moves in XML":               {body: `<d><s>1</s></d>`, steps: `[{op: move, from: /body/d/s, path: /body/d/t}]`, fails: "move is not for a body of XML"},
		"what is not in XML":              {body: `<d/>`, steps: `[{op: remove, path: /body/d/s}]`, fails: "/d/s finds nothing"},
		"a whole body of XML":             {body: `<d/>`, steps: `[{op: replace, path: /body, value: <e/>}]`, want: `<e/>`},
		"a body that is taken away":       {body: object, steps: `[{op: remove, path: /body}]`, want: ""},
		"a body where there was none":     {body: "", steps: `[{op: replace, path: /body, value: new}]`, want: "new"},
		"a test that holds":               {body: object, steps: `[{op: test, path: /body/b, value: 1.5}, {op: remove, path: /body/a}]`, want: `{"b":1.50}`},
		"a test that does not":            {body: object, steps: `[{op: remove, path: /body/a}, {op: test, path: /status, value: 404}]`, want: object, skipped: "a test of the patch does not hold"},
		"a place that is not there":       {body: object, steps: `[{op: remove, path: /body/x}]`, fails: "/body/x"},
		"a status that is none":           {body: object, steps: `[{op: replace, path: /status, value: gone}]`, fails: `/status became "gone"`},
		"a status below those":            {body: object, steps: `[{op: replace, path: /status, value: 199}]`, fails: `/status became 199`},
		"a status above those":            {body: object, steps: `[{op: replace, path: /status, value: 1000}]`, fails: `/status became 1000`},
		"headers that are none":           {body: object, steps: `[{op: replace, path: /headers, value: 1}]`, fails: "must stay an object"},
		"a header that is an object":      {body: object, steps: `[{op: add, path: /headers/x, value: {a: 1}}]`, fails: "/headers/x must be a text"},
		"an expression without a value":   {body: object, steps: `[{op: add, path: /body/x, value: "${upstream.body.nothing}"}]`, fails: "nothing"},
	} {
		got := call.Answer{Status: 200, Header: []call.Field{{Name: "Etag", Value: "7"}, {Name: "X-Two", Value: "a"}, {Name: "X-Two", Value: "b"}}, Body: []byte(c.body)}
		edited, skipped, err := edit(t, c.steps).Answer(got, &expr.Scope{})
		if c.fails != "" {
			assert.ErrorContains(t, err, c.fails, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, c.want, string(edited.Body), name)
		assert.Equal(t, map[bool]int{true: 201, false: 200}[strings.Contains(c.steps, "value: 201")], edited.Status, name)
		assert.Contains(t, skipped, c.skipped, name)
		assert.Equal(t, []string{"a", "b"}, header(edited.Header, "X-Two"), name)
	}
	edited, _, err := edit(t, `[{op: remove, path: /headers/ETag}, {op: add, path: /headers/x-two/-, value: c}, {op: add, path: /headers/x-line, value: "a\nb"}]`).
		Answer(call.Answer{Status: 200, Header: []call.Field{{Name: "Etag", Value: "7"}, {Name: "X-Two", Value: "a"}, {Name: "X-Two", Value: "b"}}}, &expr.Scope{})
	require.NoError(t, err)
	assert.Empty(t, header(edited.Header, "Etag"), "names have no case")
	assert.Equal(t, []string{"a", "b", "c"}, header(edited.Header, "X-Two"))
	assert.Equal(t, []string{"a b"}, header(edited.Header, "X-Line"), "a header is one line")
}

func TestWhatIsMergedIntoAnAnswer(t *testing.T) {
	const object = `{"b": 1.50, "a": {"x": 1, "y": [1]}}`
	for _, c := range []struct{ body, change, want, skipped, fails string }{
		{object, `with: {a: {x: null, z: "${original.body.a.x + 1}"}, c: 2.00}`, `{"b":1.50,"a":{"y":[1],"z":2},"c":2.00}`, "", ""},
		{object, `with: {a: {y: []}}, edit: [{op: copy, from: /body/a/y, path: /body/d}]`, `{"b":1.50,"a":{"x":1,"y":[]},"d":[]}`, "", ""},
		{object, `with: {b: 2}, edit: [{op: test, path: /body/b, value: 1.5}]`, object, "a test of the patch does not hold", ""},
		{object, `with: [1]`, `[1]`, "", ""},
		{"", `with: {a: 1}`, `{"a":1}`, "", ""},
		{"<fog/>", `with: {a: 1}`, "", "", "the body is a string"},
		{"[]", `with: {a: 1}`, "", "", "the body is a list"},
		{object, `with: {a: "${original.body.none}"}`, "", "", "none"},
	} {
		mappings, err := spec.ReadMappings([]byte("call: {path: /x}\nanswer: {from: contract, " + c.change + "}"))
		require.NoError(t, err, c.change)
		change, faults := answer.CompileChange(mappings[0].Answer, "/answer")
		require.Empty(t, faults)
		edited, skipped, err := change.Answer(call.Answer{Status: 200, Body: []byte(c.body)}, &expr.Scope{})
		if c.fails != "" {
			assert.ErrorContains(t, err, c.fails, c.change)
			continue
		}
		require.NoError(t, err, c.change)
		assert.Equal(t, c.want, string(edited.Body), c.change)
		assert.Contains(t, skipped, c.skipped)
	}
	_, faults := answer.CompileChange(spec.Answer{With: tree.NewMap(tree.Member{Key: "a", Value: tree.NewString("${1 +}")})}, "/answer")
	require.Len(t, faults, 1)
	assert.Equal(t, "/answer/with/a", faults[0].At)
}

func TestEditsOfRequests(t *testing.T) {
	asked := &call.Request{Method: "POST", Path: "/berths/N7", Query: "b=%20x&free=true&b=2", Header: call.Header{"Accept": {"*/*"}}, Body: call.Body{Bytes: []byte(`{"a":1}`), Size: 7}}
	for steps, want := range map[string]struct{ line, body, fails string }{
		`[{op: replace, path: /method, value: put}]`:                                    {line: "PUT /berths/N7?b=%20x&free=true&b=2", body: `{"a":1}`},
		`[{op: replace, path: /path, value: /berths/S4}]`:                               {line: "POST /berths/S4?b=%20x&free=true&b=2", body: `{"a":1}`},
		`[{op: add, path: /query/pier, value: north}, {op: remove, path: /query/free}]`: {line: "POST /berths/N7?b=+x&b=2&pier=north", body: `{"a":1}`},
		`[{op: replace, path: /body/a, value: "${call.method}"}]`:                       {line: "POST /berths/N7?b=%20x&free=true&b=2", body: `{"a":"POST"}`},
		`[{op: replace, path: /path, value: berths}]`:                                   {fails: "begins with /"},
		`[{op: replace, path: /method, value: ""}]`:                                     {fails: "/method must be a text"},
		`[{op: replace, path: /query, value: all}]`:                                     {fails: "/query must stay an object"},
	} {
		mappings, err := spec.ReadMappings([]byte("call: {path: /x}\nanswer:\n  from: upstream\n  send: " + steps))
		require.NoError(t, err, steps)
		compiled, faults := answer.CompileEdit(mappings[0].Answer.Send, "")
		require.Empty(t, faults)
		edited, skipped, err := compiled.Request(asked, &expr.Scope{Call: map[string]any{"method": "POST"}})
		if want.fails != "" {
			assert.ErrorContains(t, err, want.fails, steps)
			continue
		}
		require.NoError(t, err, steps)
		assert.Empty(t, skipped)
		assert.Equal(t, want.line, edited.Method+" "+edited.Path+"?"+edited.Query, steps)
		assert.Equal(t, want.body, string(edited.Body.Bytes), steps)
		assert.Equal(t, int64(len(want.body)), edited.Body.Size)
		assert.Equal(t, "POST", asked.Method, "the call itself stays as it was")
	}
}
