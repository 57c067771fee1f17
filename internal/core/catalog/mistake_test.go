package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// berths has an operation with a path parameter, whose answers have fields.
const berths = `openapi: 3.1.0
info: {title: Quay, version: "1"}
paths:
  /berths/{number}:
    get:
      operationId: getBerth
      parameters: [{name: number, in: path, required: true, schema: {type: string}}]
      responses:
        "200":
          description: ok
          content: {application/json: {schema: {type: object, required: [number], properties: {number: {type: string}, vessels: {type: array, items: {type: object, properties: {name: {type: string}}}}}}}}
`

func quay(t *testing.T) *catalog.Catalog {
	c, _ := open(t)
	_, err := c.Import(t.Context(), catalog.Import{Text: []byte(berths), File: "quay.yaml", Name: "quay"})
	require.NoError(t, err)
	return c
}

// What compiles and is never meant is refused, in every place that holds expressions.
func TestMistakesOfMappings(t *testing.T) {
	c := quay(t)
	for document, at := range map[string]string{
		"call: {path: '/x/{id}', if: call.path.ident == call.method}":                     "/call/if",
		"{call: {path: /x}, choose: [{if: call.query.a == 1, answer: {}}, {answer: {}}]}": "/choose/0/if",
		"{call: {path: /x}, answer: {status: '${call.bdy}'}}":                             "/answer/status",
		"{call: {path: /x}, answer: {headers: [{A: '${call.bdy}'}]}}":                     "/answer/headers/0",
		"{call: {path: /x}, answer: {json: {a: ['${call.bdy}']}}}":                        "/answer/json/a/0",
		"{call: {path: /x}, answer: {text: '${call.bdy}'}}":                               "/answer/text",
		"{call: {path: /x}, answer: {redirect: '/${call.path.id}'}}":                      "/answer/redirect",
		"{call: {path: /x}, sequence: [{}, {text: '${call.bdy}'}]}":                       "/sequence/1/text",
		"{call: {path: /x}, answer: {xml: '<a><b></a>'}}":                                 "/answer/xml",
		"{call: {operation: getBerth}, answer: {text: '${call.path.numbr}'}}":             "/answer/text",
		"{call: {operation: getBrth}, answer: {text: '${call.path.numbr}'}}":              "/call/operation",
	} {
		_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, document))
		items := problem.ItemsOf(err)
		require.Len(t, items, 1, document)
		assert.Equal(t, at, items[0].At, document)
	}
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, `
- {id: a, call: {operation: getBerth, path: '/berths/{berth}'}, answer: {text: '${call.path.number}${call.path.berth}'}}
- {id: b, call: {path: /x}, answer: {xml: '<?xml version="1.0" encoding="ISO-8859-1"?><a x="${call.method}">${call.text}</a>'}}
- {id: c, call: {path: /y}, answer: {xml: '<a/><s:b/>'}}
`))
	require.NoError(t, err)
	faults := c.MappingFaults("quay", mappings(t, "[{call: {path: /x, if: call.bdy == 1, where: [{query: a, pattern: '('}]}}, {call: {path: /y}}]"))
	require.Len(t, faults, 2)
	assert.Len(t, faults[0], 2, "all of it at once")
	assert.Empty(t, faults[1])
}

// The reply to a put says what keeps a mapping from answering.
func TestWhatKeepsAMappingFromAnswering(t *testing.T) {
	c := quay(t)
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, `
- {id: first, rank: 3, call: {path: "/piers/{n}"}, answer: {}}
- {id: same, rank: 3, call: {path: "/piers/{n}"}, answer: {}}
- {id: narrow, call: {method: GET, path: /piers/N}, answer: {}}
- {id: off, enabled: false, call: {path: /piers/N}, answer: {}}
- {id: twice, call: {path: /QUAY/x}, answer: {}}
- {id: fine, call: {path: /quays}, answer: {}}
`))
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	got := map[string]string{}
	for _, m := range service.Mappings {
		got[m.Spec.ID] = service.Obstacle(m) + service.Suspicion(m)
	}
	assert.Equal(t, map[string]string{
		"first": "", "off": "", "fine": "",
		"same":   `mapping "first" asks for the same and comes first: remove or disable it, give this one a rank above 3, or another condition`,
		"narrow": `mapping "first" takes every call that this one fits: give this one a rank above 3, or remove or disable the other`,
		"twice":  "the path begins with the name of the service, so calls to /quay/QUAY/x are meant: paths are relative to the service",
	}, got)
	settings := service.Spec
	settings.Mode, settings.Upstream = spec.ModeRelay, "http://office.example"
	service, _, err = c.PutService(t.Context(), "quay", settings, "")
	require.NoError(t, err)
	assert.Contains(t, service.Obstacle(service.Mapping("fine")), "the service relays all its calls")
}

func TestPinsAreHeldAgainstTheContract(t *testing.T) {
	c := quay(t)
	pin := func(pointer, value string) (*catalog.Service, error) {
		n, err := tree.Parse([]byte(value))
		require.NoError(t, err)
		return c.SetPins(t.Context(), "quay", "getBerth", spec.Pins{pointer: n}, "")
	}
	for pointer, want := range map[string]string{
		"/number": "", "/vessels/*/name": "", "/vessels/0/name": "",
		"/numbr": "(/number?)", "/vessels/*/nme": "(/vessels/*/name?)", "/a/b": "no field /a/b",
	} {
		service, err := pin(pointer, "a")
		require.NoError(t, err)
		warnings := service.PinWarnings("getBerth")
		if want == "" {
			assert.Empty(t, warnings, pointer)
			continue
		}
		require.Len(t, warnings, 1, pointer)
		assert.Contains(t, warnings[0].Detail, want)
	}
	service, err := pin("/number", "null")
	require.NoError(t, err)
	assert.Contains(t, service.PinWarnings("getBerth")[0].Detail, "/number breaks the contract: got null")
	assert.Equal(t, tree.Null, service.Spec.Pins["getBerth"]["/number"].Kind, "null is a value")
	_, err = pin("/number", "'${call.path.numbr}'")
	assert.ErrorContains(t, err, "(number?)")
	stale, err := c.SetPins(t.Context(), "quay", "getBerth", nil, `"1"`)
	assert.Equal(t, problem.Stale, codeOf(err))
	assert.Same(t, service, stale)
	service, err = c.SetPins(t.Context(), "quay", "getBerth", spec.Pins{}, catalog.ETag(service.Version))
	require.NoError(t, err)
	assert.NotContains(t, service.Spec.Pins, "getBerth")
}

// What names no id gets one that is free, unless it asks for the same as what has it.
func TestFreeIDs(t *testing.T) {
	c := quay(t)
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, "[{call: {method: GET, path: /a}}, {id: get-a-2, call: {method: GET, path: /a, where: [{query: x}]}}]"))
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	for document, want := range map[string]string{
		"call: {method: GET, path: /a}":                      "get-a",
		"call: {method: GET, path: /a, where: [{query: x}]}": "get-a-2",
		"call: {method: GET, path: /a, where: [{query: y}]}": "get-a-3",
		"call: {method: GET, path: /b}":                      "get-b",
	} {
		assert.Equal(t, want, service.FreeID(mappings(t, document)[0]), document)
	}
}

// A mapping keeps its place, its impairment, and what scenarios and lanes say of it.
func TestRenamedMappings(t *testing.T) {
	c := quay(t)
	_, _, err := c.PutMappings(t.Context(), "quay", mappings(t, "[{id: a, call: {path: /a}}, {id: b, call: {path: /b}}, {id: c, call: {path: /c}}]"))
	require.NoError(t, err)
	slow := spec.Impairment{Latency: &spec.Latency{Low: 1, High: 1}}
	_, err = c.SetImpairment(t.Context(), spec.Target{Service: "quay", Mapping: "b"}, slow, "", 1, time.Unix(100, 0))
	require.NoError(t, err)
	scenarios, err := spec.ReadScenarios([]byte("{name: fog, services: {quay: {mappingsOff: [b], impairMappings: {b: {latency: 5ms}}}}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	require.NoError(t, err)
	renamed := mappings(t, "{id: z, call: {path: /b}}")[0]
	m, outcome, err := c.PutMappingAs(t.Context(), "quay", "b", renamed, "")
	require.NoError(t, err)
	assert.Equal(t, []string{"z", catalog.Changed}, []string{m.Spec.ID, outcome})
	service, err := c.Find("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "z", "c"}, ids(service))
	assert.NotNil(t, c.Snapshot().Impairment(service.Spec.ID, "", "z"))
	assert.Nil(t, c.Snapshot().Impairment(service.Spec.ID, "", "b"))
	changes := c.Snapshot().Scenario("fog").Spec.Services["quay"]
	assert.Equal(t, []string{"z"}, changes.MappingsOff)
	assert.Contains(t, changes.ImpairMappings, "z")
	assert.NotContains(t, changes.ImpairMappings, "b")
	assert.Equal(t, []string{"b"}, scenarios[0].Services["quay"].MappingsOff, "what others hold is not changed")
	for id, code := range map[string]problem.Code{"a": problem.Exists, "a b": problem.Invalid} {
		renamed.ID = id
		_, _, err = c.PutMappingAs(t.Context(), "quay", "z", renamed, "")
		assert.Equal(t, code, codeOf(err), id)
	}
	_, _, err = c.PutMappingAs(t.Context(), "quay", "none", renamed, "")
	assert.Equal(t, problem.NotFound, codeOf(err))
}

// Several of a document are refused together when somebody was faster with one.
func TestStaleMappingsOfADocument(t *testing.T) {
	c := quay(t)
	compiled, outcomes, err := c.PutMappings(t.Context(), "quay", mappings(t, "[{id: a, call: {path: /a}}, {id: b, call: {path: /b}}]"))
	require.NoError(t, err)
	assert.Equal(t, []string{catalog.Created, catalog.Created}, outcomes)
	tag := catalog.ETag(compiled[0].Version)
	_, _, err = c.PutMappings(t.Context(), "quay", mappings(t, "{id: b, title: faster, call: {path: /b}}"))
	require.NoError(t, err)
	mine := mappings(t, "[{id: a, title: mine, call: {path: /a}}, {id: b, title: mine, call: {path: /b}}, {id: n, call: {path: /n}}]")
	theirs, _, err := c.PutMappings(t.Context(), "quay", mine, tag, tag, tag)
	assert.Equal(t, problem.Stale, codeOf(err))
	assert.Equal(t, "/1", problem.ItemsOf(err)[0].At)
	assert.Equal(t, "faster", theirs[0].Spec.Title)
	a, err := c.FindMapping("quay", "a")
	require.NoError(t, err)
	assert.Empty(t, a.Spec.Title, "none was put")
	_, outcomes, err = c.PutMappings(t.Context(), "quay", mine, tag, "*", tag)
	require.NoError(t, err)
	assert.Equal(t, []string{catalog.Changed, catalog.Changed, catalog.Created}, outcomes)
}

// Pins of messages are held against the elements of the response, faults left out.
func TestPinsOfMessagesAreHeldAgainstTheContract(t *testing.T) {
	const desk = `<definitions name="Desk" targetNamespace="urn:d" xmlns:d="urn:d" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<types><xs:schema targetNamespace="urn:d"><xs:element name="ask" type="xs:int"/><xs:element name="closed"><xs:complexType><xs:sequence><xs:element name="until" type="xs:date"/></xs:sequence></xs:complexType></xs:element>
<xs:element name="told"><xs:complexType><xs:sequence><xs:element name="hold" minOccurs="0"><xs:complexType><xs:sequence><xs:element name="since" type="xs:date"/></xs:sequence></xs:complexType></xs:element></xs:sequence></xs:complexType></xs:element></xs:schema></types>
<message name="i"><part name="p" element="d:ask"/></message><message name="o"><part name="p" element="d:told"/></message><message name="f"><part name="p" element="d:closed"/></message>
<portType name="P"><operation name="ask"><input message="d:i"/><output message="d:o"/><fault name="closed" message="d:f"/></operation></portType>
<binding name="B" type="d:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="ask"><soap:operation soapAction=""/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="S"><port name="Q" binding="d:B"><soap:address location="http://h/s"/></port></service></definitions>`
	c := quay(t)
	_, err := c.Import(t.Context(), catalog.Import{Text: []byte(desk), File: "desk.wsdl"})
	require.NoError(t, err)
	for pointer, want := range map[string]string{
		"/hold/since": "", "/hold/sinc": "no field /hold/sinc (/hold/since?)", "/until": "no field /until", "/hold": "",
	} {
		service, err := c.SetPins(t.Context(), "desk", "ask", spec.Pins{pointer: tree.NewString("${'2026-12-01'}")}, "")
		require.NoError(t, err)
		warnings := service.PinWarnings("ask")
		if want == "" {
			assert.Empty(t, warnings, pointer)
		} else if assert.Len(t, warnings, 1, pointer) {
			assert.Contains(t, warnings[0].Detail, want)
		}
	}
}
