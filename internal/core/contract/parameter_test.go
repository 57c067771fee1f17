package contract_test

import (
	"testing"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"

	"github.com/stretchr/testify/assert"
)

const styled = `
openapi: 3.1.0
paths:
  /a/{label}/{matrix}/{spread}:
    parameters:
      - {name: label, in: path, required: true, style: label, schema: {type: array, items: {type: integer}}}
      - {name: matrix, in: path, required: true, style: matrix, schema: {type: integer}}
      - {name: spread, in: path, required: true, style: matrix, explode: true, schema: {type: array, items: {type: integer}}}
    post:
      parameters:
        - {name: deep, in: query, style: deepObject, schema: {type: object, required: [low], additionalProperties: false, properties: {low: {type: integer}, list: {type: array, items: {type: integer}}}}}
        - {name: flat, in: query, schema: {type: object, properties: {width: {type: integer}, height: {type: integer}}}}
        - {name: pairs, in: query, explode: false, schema: {type: object, properties: {x: {type: integer}}}}
        - {name: spaced, in: query, style: spaceDelimited, explode: false, schema: {type: array, items: {type: integer}}}
        - {name: X-Point, in: header, explode: true, schema: {type: object, required: [x], properties: {x: {type: integer}}}}
        - {name: X-List, in: header, schema: {type: array, items: {type: integer}}}
      requestBody:
        content:
          application/x-www-form-urlencoded: {schema: {$ref: "#/components/schemas/Form"}}
          multipart/form-data: {schema: {$ref: "#/components/schemas/Form"}}
          text/plain: {schema: {type: string, maxLength: 5}}
          application/octet-stream: {schema: {type: string}}
      responses:
        "200":
          description: ok
          headers: {X-Left: {required: true, schema: {type: integer}}, X-Next: {schema: {type: array, items: {type: integer}}}}
components:
  schemas:
    Form: {type: object, required: [name], properties: {name: {type: string, minLength: 3}, metres: {type: number}, tags: {type: array, items: {type: integer}}}}
`

func TestStylesOfParametersAndForms(t *testing.T) {
	op := read(t, styled).Operations[0]
	const good, path = "deep[low]=1&deep[list]=1&deep[list]=2&width=3&pairs=x,1&spaced=1%202", "/a/.1,2/;matrix=3/;spread=1;spread=2"
	form := "application/x-www-form-urlencoded"
	for name, c := range map[string]struct {
		path, query, point, list, contentType, body string
		want                                        []string
	}{
		"all is well":        {path, good, "x=1", "1, 2", form, "name=Tern&metres=1.5&tags=1&tags=2", nil},
		"nothing optional":   {path, "", "", "", "", "", nil},
		"label":              {"/a/.1,x/;matrix=3/;spread=1", good, "", "", "", "", []string{"path label /1: got string, want integer"}},
		"matrix":             {"/a/.1/;matrix=x/;spread=1;spread=y", good, "", "", "", "", []string{"path matrix: got string", "path spread /1: got string"}},
		"deep object":        {path, "deep[low]=x&deep[odd]=1", "", "", "", "", []string{"query deep: additional properties 'odd' not allowed", "query deep /low: got string"}},
		"deep, not required": {path, "deep[list]=1", "", "", "", "", []string{"query deep: missing property 'low'"}},
		"exploded object":    {path, "width=x", "", "", "", "", []string{"query flat /width: got string"}},
		"pairs":              {path, "pairs=x,y", "", "", "", "", []string{"query pairs /x: got string"}},
		"spaces":             {path, "spaced=1%20y", "", "", "", "", []string{"query spaced /1: got string"}},
		"object in a header": {path, "", "x=y", "", "", "", []string{"header X-Point /x: got string"}},
		"list in a header":   {path, "", "", "1, y", "", "", []string{"header X-List /1: got string"}},
		"a form":             {path, "", "", "", form, "name=T&metres=far", []string{"body /metres: got string", "body /name: minLength"}},
		"parts":              {path, "", "", "", "multipart/form-data; boundary=x", "--x\r\nContent-Disposition: form-data; name=\"name\"\r\n\r\nT\r\n--x--\r\n", []string{"body /name: minLength"}},
		"no parts":           {path, "", "", "", "multipart/form-data; boundary=x", "nothing", []string{"body: it is not multipart/form-data"}},
		"a text":             {path, "", "", "", "text/plain", "longer than five", []string{"body: maxLength"}},
		"bytes":              {path, "", "", "", "application/octet-stream", "\x00", nil},
	} {
		t.Run(name, func(t *testing.T) {
			r := &call.Request{Method: "POST", Query: c.query, Header: call.Header{}, Body: call.Body{Bytes: []byte(c.body), Size: int64(len(c.body))}}
			for header, value := range map[string]string{"X-Point": c.point, "X-List": c.list, "Content-Type": c.contentType} {
				if value != "" {
					r.Header[header] = []string{value}
				}
			}
			assertDeviations(t, c.want, op.CheckRequest(&match.Facts{Request: r}, match.Split(nil, c.path)))
		})
	}
	answer := &call.Answer{Status: 200, Header: []call.Field{{Name: "x-next", Value: "1, y"}}}
	assertDeviations(t, []string{"header X-Left: it is required and missing", "header X-Next /1: got string"}, op.CheckAnswer(answer, true, nil))
}

func TestOneSideOnly(t *testing.T) {
	op := read(t, `
openapi: 3.0.3
paths:
  /users:
    post:
      requestBody: {content: {application/json: {schema: {$ref: "#/components/schemas/Skipper"}}}}
      responses: {"201": {description: ok, content: {application/json: {schema: {$ref: "#/components/schemas/Skipper"}}}}}
components:
  schemas:
    Secret: {type: string, writeOnly: true}
    Skipper: {type: object, required: [id, name, pass], properties: {id: {type: integer, readOnly: true}, name: {type: string}, pass: {$ref: "#/components/schemas/Secret"}}}
`).Operations[0]
	request := func(body string) []call.Deviation {
		return op.CheckRequest(&match.Facts{Request: &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"application/json"}}, Body: call.Body{Bytes: []byte(body), Size: 1}}}, []string{"users"})
	}
	assertDeviations(t, nil, request(`{"name": "Ida", "pass": "x"}`))
	assertDeviations(t, []string{"missing property 'pass'"}, request(`{"name": "Ida"}`))
	answer := func(body string) []call.Deviation {
		return op.CheckAnswer(&call.Answer{Status: 201, Header: []call.Field{{Name: "Content-Type", Value: "application/json"}}, Body: []byte(body)}, true, nil)
	}
	assertDeviations(t, nil, answer(`{"id": 1, "name": "Ida"}`))
	assertDeviations(t, []string{"missing property 'id'"}, answer(`{"name": "Ida"}`))
}

func TestSchemasAreDescribedForPeople(t *testing.T) {
	op := read(t, checked).Operations[0]
	var lines []string
	for _, f := range op.Body.MediaTypes[0].Schema.Fields() {
		line := f.Path + ": " + f.Type
		if f.Required {
			line += " required"
		}
		for _, rule := range f.Rules {
			line += ", " + rule
		}
		lines = append(lines, line)
	}
	assert.Equal(t, []string{
		"vessel: object required", "vessel.name: string required", "vessel.metres: number, at most 180", "from: string, date",
	}, lines)
	assert.Equal(t, contract.Field{Type: "array of a fixed value", Rules: []string{"at most 2 elements"}}, op.Parameters[1].Schema.Described())
}
