package contract_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/match"
)

const checked = `
openapi: 3.1.0
paths:
  /berths/{number}:
    parameters:
      - {name: number, in: path, required: true, schema: {type: string, pattern: "^[NS][0-9]+$"}}
    post:
      parameters:
        - {name: nights, in: query, required: true, schema: {type: integer, minimum: 1}}
        - {name: extras, in: query, schema: {type: array, items: {enum: [power, water]}, maxItems: 2}}
        - {name: ids, in: query, explode: false, schema: {type: array, items: {type: integer}}}
        - {name: piped, in: query, style: pipeDelimited, explode: false, schema: {type: array, items: {type: boolean}}}
        - {name: X-Trace, in: header, required: true, schema: {type: string, minLength: 3}}
        - {name: session, in: cookie, required: true, schema: {type: integer}}
      requestBody:
        required: true
        content:
          application/json: {schema: {$ref: "#/components/schemas/Booking"}}
          text/*: {}
      responses:
        "201": {description: ok, content: {application/json: {schema: {$ref: "#/components/schemas/Booking"}}}}
        4XX: {description: no, content: {application/problem+json: {schema: {type: object, required: [title]}}}}
        "204": {description: none}
components:
  schemas:
    Booking:
      type: object
      required: [vessel]
      properties:
        vessel: {type: object, required: [name], properties: {name: {type: string}, metres: {type: number, maximum: 180}}}
        from: {type: string, format: date}
`

func TestRequestsAreHeldAgainstTheContract(t *testing.T) {
	op := read(t, checked).Operations[0]
	good := map[string]string{
		"path": "/berths/N7", "query": "nights=2&extras=power&extras=water&ids=1,2&piped=true|false",
		"header": "long", "cookie": "session=12", "type": "application/json", "body": `{"vessel": {"name": "Tern", "metres": 12.5}, "from": "2026-12-01"}`,
	}
	for name, c := range map[string]struct {
		change map[string]string
		want   []string
	}{
		"all is well":            {nil, nil},
		"another media type":     {map[string]string{"type": "text/csv; charset=utf-8", "body": "a,b"}, nil},
		"a path parameter":       {map[string]string{"path": "/berths/W1"}, []string{"path number: 'W1' does not match pattern"}},
		"no query":               {map[string]string{"query": ""}, []string{"query nights: it is required and missing"}},
		"not a number":           {map[string]string{"query": "nights=two"}, []string{"query nights: got string, want integer"}},
		"below the minimum":      {map[string]string{"query": "nights=0"}, []string{"query nights: minimum: got 0, want 1"}},
		"an item of a list":      {map[string]string{"query": "nights=1&extras=power&extras=fuel"}, []string{"query extras /1: value must be one of"}},
		"a list in one text":     {map[string]string{"query": "nights=1&ids=1,x&piped=true|maybe"}, []string{"query ids /1: got string, want integer", "query piped /1: got string, want boolean"}},
		"no header":              {map[string]string{"header": ""}, []string{"header X-Trace: it is required and missing"}},
		"a short header":         {map[string]string{"header": "x"}, []string{"header X-Trace: minLength: got 1, want 3"}},
		"no cookie":              {map[string]string{"cookie": "other=1"}, []string{"cookie session: it is required and missing"}},
		"another cookie":         {map[string]string{"cookie": "session=abc"}, []string{"cookie session: its value does not obey the contract"}},
		"no body":                {map[string]string{"body": ""}, []string{"body: it is required and missing"}},
		"a body of another type": {map[string]string{"type": "application/xml"}, []string{`media type: "application/xml" is not one of application/json, text/*`}},
		"a body that is no JSON": {map[string]string{"body": `{"vessel"`}, []string{"body: it is not JSON"}},
		"places in the body":     {map[string]string{"body": `{"vessel": {"metres": 900}, "from": "soon"}`}, []string{"body /vessel: missing property 'name'", "body /vessel/metres: maximum: got 900, want 180", "body /from: 'soon' is not a valid date"}},
	} {
		t.Run(name, func(t *testing.T) {
			value := func(key string) string {
				if changed, ok := c.change[key]; ok {
					return changed
				}
				return good[key]
			}
			r := &call.Request{Method: "POST", Query: value("query"), Header: call.Header{"Content-Type": {value("type")}, "Cookie": {value("cookie")}}}
			if h := value("header"); h != "" {
				r.Header["X-Trace"] = []string{h}
			}
			r.Body.Bytes = []byte(value("body"))
			r.Body.Size = int64(len(r.Body.Bytes))
			assertDeviations(t, c.want, op.CheckRequest(&match.Facts{Request: r}, match.Split(nil, value("path"))))
		})
	}
}

func assertDeviations(t *testing.T, want []string, got []call.Deviation) {
	t.Helper()
	var texts []string
	for _, d := range got {
		texts = append(texts, d.Where+": "+d.Detail)
	}
	if assert.Len(t, texts, len(want), "%v", texts) {
		for _, w := range want {
			assert.Contains(t, strings.Join(texts, "\n"), w)
		}
	}
}

func TestAnswersAreHeldAgainstTheContract(t *testing.T) {
	op := read(t, checked).Operations[0]
	for name, c := range map[string]struct {
		status            int
		contentType, body string
		whole             bool
		want              []string
	}{
		"as promised":         {201, "application/json", `{"vessel": {"name": "Tern"}}`, true, nil},
		"a status of a class": {422, "application/problem+json", `{"title": "no"}`, true, nil},
		"no body where none":  {204, "", "", true, nil},
		"another status":      {200, "application/json", `{}`, true, []string{"status: 200 is no response of operation post-berths-number (201, 4XX, 204)"}},
		"another media type":  {201, "text/html", `<p>`, true, []string{`media type: "text/html" is not one of application/json`}},
		"a missing property":  {409, "application/problem+json; charset=utf-8", `{}`, true, []string{"body: missing property 'title'"}},
		"a body that was cut": {201, "application/json", `{"vessel": {"na`, false, nil},
	} {
		t.Run(name, func(t *testing.T) {
			a := &call.Answer{Status: c.status, Body: []byte(c.body)}
			if c.contentType != "" {
				a.Header = []call.Field{{Name: "content-type", Value: c.contentType}}
			}
			assertDeviations(t, c.want, op.CheckAnswer(a, c.whole, nil))
		})
	}
}

func BenchmarkCheckRequest(b *testing.B) {
	op := readDemoBooking(b)
	r := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"application/json"}}}
	r.Body.Bytes = []byte(`{"vessel":{"name":"Grey Gannet","callSign":"SKQ41","lengthMetres":21.3},"from":"2026-12-01","until":"2026-12-04"}`)
	r.Body.Size = int64(len(r.Body.Bytes))
	segments := []string{"berths", "N7", "bookings"}
	b.ReportAllocs()
	for b.Loop() {
		if found := op.CheckRequest(&match.Facts{Request: r}, segments); len(found) > 0 {
			b.Fatal(found)
		}
	}
}

func readDemoBooking(b *testing.B) *contract.Operation {
	text, err := os.ReadFile("../../../demo/data/moorings.yaml")
	require.NoError(b, err)
	c, err := openapi.Read(text)
	require.NoError(b, err)
	return c.Operations[4]
}
