package spec_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// kinds read the documents of each kind, as what is printed again.
var kinds = map[string]func(text []byte) ([]any, error){
	"mapping":  func(text []byte) ([]any, error) { return documents(spec.GivenMappings(text)) },
	"service":  func(text []byte) ([]any, error) { return documents(spec.GivenServices(text)) },
	"scenario": func(text []byte) ([]any, error) { return documents(spec.GivenScenarios(text)) },
	"lane":     func(text []byte) ([]any, error) { return documents(spec.GivenLanes(text)) },
	"variables": func(text []byte) ([]any, error) {
		given, err := spec.GivenVariables(text, "")
		return []any{given.Document}, err
	},
	"impairment": func(text []byte) ([]any, error) {
		i, err := spec.ReadImpairment(text)
		return []any{i}, err
	},
}

func documents[T any](given []spec.Given[T], err error) (all []any, _ error) {
	for _, g := range given {
		all = append(all, g.Document)
	}
	return all, err
}

// FuzzDocuments prints what was read in both notations: read again it is the same.
func FuzzDocuments(f *testing.F) {
	for kind, documents := range map[string][]string{
		"mapping": {
			"call: {method: [get, POST], path: '/berths/{number}', where: [{query: a, not: {near: {value: 4, within: 1.50}}}, {any: []}, {query: b, oneOf: []}, {any: [{header: X-A, count: {above: 1}}, {body: '$.a', equals: null}]}]}\nflow: {name: permit, of: '${call.path.number}', when: [start, draft], then: sent}\nanswer: {remember: {key: 'a/${1}', value: null, for: 10m}, json: {b: 1.50, a: [null, '${1}']}, headers: {A: [b, 1], C: d}, let: {x: 1, y: '${x}'}}\n",
			"- {id: a, call: {operation: op, if: 'call.body.a == 1'}, sequence: [{fault: {code: Client, text: x, detail: <a/>}}, {status: '${200}', redirect: /x, remember: [{key: b, append: [1]}, {key: c, forget: true}]}], then: pass, per: caller, impair: {latency: 1s}}",
			"{call: {path: /x}, answer: {from: 'mapping:a', with: {a: null}, edit: [{op: move, from: /body/a, path: /body/b}]}}",
			"call: {path: /x}\nanswer: {base64: AAEC, recorded: {sum: 0123456789abcdef0123456789abcdef, pieces: [3 after 120ms], trailers: [{A: b}]}}",
			"call: {path: /x}\nchoose: [{if: 'true', answer: {text: \"a\\n b\\t\"}}, {answer: {payload: a.json}}]",
		},
		"service":    {"name: quay\nhosts: [quay.example/a]\nupstream: http://127.0.0.1:1/a\notherwise: [example, {answer: {status: 503, text: ''}}]\npins: {op: {/a: 1.0, /b: null, /c: '${call.method}'}}\nvariables: {a: b, key: {secret: true}}\nupstreamHeaders: {A: '${vars.a}'}"},
		"scenario":   {"name: storm\ntitle: A\nservices: {quay: {mode: relay, mappings: [{call: {path: /x}, answer: {json: null}}], mappingsOff: [b], examples: {op: a}}}"},
		"lane":       {"name: night\nwhen: {where: [{header: A, equals: b}], if: 'true'}\nscenario: storm\nservices: {quay: {mappingsOff: [a]}}"},
		"variables":  {"variables: {a: 1.50, b: [null, {c: 'x'}], key: {secret: true, value: hush-hush}, o: {secret: yes}}\nvariableSets: {s: {a: '${b}'}, t: {}}\nvariableSet: s", "variables: {n: null}"},
		"impairment": {"latency: {p50: 80ms, p99: 900ms}\nerrors: {rate: 30%, status: {503: 3, 500: 1}, retryAfter: 2s}\noutage: {as: '503'}", "latency: 100ms..400ms\nlimit: {calls: 60, per: 1m, of: caller}\nconnection: {effect: cut-body, rate: 20%}", "latency: 1s\nerrors: {first: 2, of: 'header:X-Run'}\nconnection: reset\noutage: {as: reset, for: 1s, every: 1m}"},
	} {
		for _, document := range documents {
			_, err := kinds[kind]([]byte(document))
			require.NoError(f, err, document)
			f.Add(kind, document)
		}
	}
	f.Fuzz(func(t *testing.T, kind, document string) {
		read := kinds[kind]
		if read == nil {
			return
		}
		all, err := read([]byte(document))
		if err != nil {
			return
		}
		for _, value := range all {
			n, err := tree.From(value)
			require.NoError(t, err)
			yaml, err := n.YAML()
			require.NoError(t, err)
			for _, printed := range []string{string(n.AppendJSON(nil)), string(yaml)} {
				again, err := read([]byte(printed))
				require.NoError(t, err, printed)
				require.Len(t, again, 1, printed)
				back, err := tree.From(again[0])
				require.NoError(t, err)
				require.Equal(t, string(n.AppendJSON(nil)), string(back.AppendJSON(nil)), printed)
			}
		}
	})
}
