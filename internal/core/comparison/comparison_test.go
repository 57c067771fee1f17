package comparison_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/comparison"
)

const jsonType, xmlType, formType = "application/json", "text/xml", "application/x-www-form-urlencoded"

func record(mediaType, body string) *call.Record {
	return &call.Record{
		Request: call.Request{Method: "POST", Address: "/moorings/berths", Header: call.Header{"Content-Type": {mediaType}}, Body: bodyOf(body)},
		Answer:  call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: mediaType}}, Body: []byte(body)}, AnswerSize: int64(len(body)),
	}
}

func bodyOf(text string) call.Body { return call.Body{Bytes: []byte(text), Size: int64(len(text))} }

// lines are the places that differ: place: here | there.
func lines(r comparison.Result, part string) (lines []string) {
	text := func(value *string) string {
		if value == nil {
			return "nothing"
		}
		return *value
	}
	for _, p := range r.Places {
		if at, ours := strings.CutPrefix(p.At, part); ours && p.Differs {
			lines = append(lines, strings.TrimSpace(at)+": "+text(p.Before)+" | "+text(p.After))
		}
	}
	return lines
}

func TestBodies(t *testing.T) {
	for name, k := range map[string]struct {
		mediaType, before, after string
		want                     []string
	}{
		"the same in another notation": {jsonType, `{"a": 1, "b": [true]}`, `{"b":[true],"a":1}`, nil},
		"values, kinds, digits":        {jsonType, `{"a": 1, "b": "x", "c": 18.0, "d": null}`, `{"a": "1", "b": "y", "c": 18, "d": {}}`, []string{`$.a: 1 | "1"`, `$.b: "x" | "y"`, `$.c: 18.0 | 18`, `$.d: null | {}`}},
		"members that come and go":     {jsonType, `{"old": {"deep": 1}, "kept": 2}`, `{"kept": 2, "new-one": [3]}`, []string{`$.old: {"deep":1} | nothing`, `$['new-one']: nothing | [3]`}},
		"an element more in between":   {jsonType, `[{"n": 1}, {"n": 2}, {"n": 3}]`, `[{"n": 1}, {"n": 9}, {"n": 2}, {"n": 3}]`, []string{`$[1]: nothing | {"n":9}`}},
		"one less, one changed":        {jsonType, `{"berths": [1, 2, 3, {"n": 4}]}`, `{"berths": [2, 3, {"n": 5}]}`, []string{`$.berths[0]: 1 | nothing`, `$.berths[2].n: 4 | 5`}},
		"a list that is empty":         {jsonType, `[]`, `[1]`, []string{`$: [] | [1]`}},
		"no JSON on one side":          {jsonType, `{}`, `nonsense`, []string{`: {} | nonsense`}},
		"nothing on one side":          {jsonType, ``, `{}`, []string{`: nothing | {}`}},
		"XML, prefixes aside":          {xmlType, `<a:e xmlns:a="urn:a"><a:f>1</a:f></a:e>`, `<e xmlns="urn:a"> <f>1</f> </e>`, nil},
		"XML, another namespace":       {xmlType, `<e xmlns="urn:a"><f>1</f><g xmlns="urn:g"/></e>`, `<e xmlns="urn:b"><f>1</f><g xmlns="urn:h"/></e>`, []string{`/e namespace: urn:a | urn:b`, `/e/g namespace: urn:g | urn:h`}},
		"XML, text and attributes":     {xmlType, `<e id="1" old="x"><f>1</f><g/></e>`, `<e id="2"><f>2</f><h>3</h></e>`, []string{`/e/@id: 1 | 2`, `/e/@old: x | nothing`, `/e/f: 1 | 2`, `/e/g: <g></g> | nothing`, `/e/h: nothing | <h>3</h>`}},
		"XML, elements that repeat":    {xmlType, `<e><f>1</f><f>2</f></e>`, `<e><f>0</f><f>1</f><f>2</f></e>`, []string{`/e/f[1]: nothing | <f>0</f>`}},
		"XML, the root is another":     {xmlType, `<e>1</e>`, `<f>1</f>`, []string{`: <e>1</e> | <f>1</f>`}},
		"forms":                        {formType, `a=1&b=x+y&b=z`, `a=2&b=x%20y`, []string{`a: 1 | 2`, `b: z | nothing`}},
		"bytes":                        {"application/pdf", "\x00\x01", "\x00\x02", []string{`: 2 bytes that are no text, 0001… | 2 bytes that are no text, 0002…`}},
	} {
		t.Run(name, func(t *testing.T) {
			found := comparison.Calls(record(k.mediaType, k.before), record(k.mediaType, k.after))
			assert.Equal(t, k.want, lines(found, "answer body"))
			assert.Equal(t, k.want, lines(found, "request body"), "likewise")
		})
	}
}

func TestCalls(t *testing.T) {
	before, after := record(jsonType, `{}`), record(jsonType, `{}`)
	before.Request.Query, after.Request.Query = "season=winter&tag=a&tag=b&gone=%zz", "season=summer&tag=a&new"
	after.Request.Method, after.Request.Host, after.Answer.Status = "PUT", "quay:7401", 503
	after.Request.Header["Accept"] = []string{"*/*"}
	after.Answer.Header = []call.Field{{Name: "content-type", Value: jsonType}, {Name: "Retry-After", Value: "5"}}
	found := comparison.Calls(before, after)
	assert.Equal(t, []string{
		"method: POST | PUT", "host:  | quay:7401", "query season: winter | summer", "query tag: b | nothing", "query gone: %zz | nothing", "query new: nothing | ",
		"request header accept: nothing | */*", "status: 200 | 503", "answer header retry-after: nothing | 5",
	}, lines(found, ""))
	assert.Equal(t, "path", found.Places[1].At, "what is the same is there, too")
	assert.False(t, found.Places[1].Differs)

	cut := record("text/plain", "The harbour is")
	cut.AnswerSize = 40
	assert.Equal(t, []string{": The harbour is… (the first of 40 bytes) | The harbour is"}, lines(comparison.Calls(cut, record("text/plain", "The harbour is")), "answer body"))
	long := strings.Repeat("a", 3_000)
	told := lines(comparison.Calls(record("text/plain", long+"b"), record("text/plain", long+"c")), "answer body")
	assert.Contains(t, told[0], "… (3001 bytes, differs further on)")
}

// large is a list of so many berths, the last of them in another state.
func large(berths int, state string) *call.Record {
	var b strings.Builder
	for i := range berths {
		fmt.Fprintf(&b, `,{"number":"N%d","state":%q,"metres":18.0}`, i, map[bool]string{true: state, false: "free"}[i == berths-1])
	}
	return record(jsonType, "["+b.String()[1:]+"]")
}

func TestLargeBodies(t *testing.T) {
	found := comparison.Calls(large(3_000, "free"), large(3_000, "taken"))
	assert.True(t, found.More)
	assert.Equal(t, []string{`[2999].state: "free" | "taken"`}, lines(found, "request body $"))
	other := comparison.Calls(record(jsonType, "["+strings.Repeat("1,", 1_999)+"1]"), record(jsonType, "["+strings.Repeat("2,", 2_000)+"2]"))
	assert.Len(t, lines(other, "request body"), 2_001, "too long to be aligned: one by one")
}

func BenchmarkCalls(b *testing.B) {
	before, after := large(25_000, "free"), large(25_000, "taken") // 1 MB, on either side of both
	b.SetBytes(before.AnswerSize)
	for b.Loop() {
		comparison.Calls(before, after)
	}
}
