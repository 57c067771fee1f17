package expr_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

func scope() *expr.Scope {
	body, err := tree.ParseJSON([]byte(`{"price": 12.5, "nights": 3, "vessel": {"name": "Grey Gannet", "built": 1.50, "crew": [{"z": 1, "a": 2}]}}`))
	if err != nil {
		panic(err)
	}
	return &expr.Scope{
		Call: map[string]any{
			"method": "POST", "path": map[string]any{"number": "N7"},
			"body": expr.Value(body),
		},
		Now:   time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC),
		Fake:  func(kind string) string { return "a " + kind },
		Whole: func(low, _ int64) int64 { return low },
		Count: func(name string) int64 { return int64(len(name)) },
		JSONPath: func(root *tree.Node, path string) ([]*tree.Node, error) {
			if path == "$.vessel" {
				return []*tree.Node{root.Get("vessel")}, nil
			}
			return nil, nil
		},
		XPath: func(document, path string) ([]string, error) { return []string{document + path}, nil },
	}
}

func TestTemplates(t *testing.T) {
	for template, want := range map[string]string{
		`"plain"`:                     `"plain"`,
		`"${call.path.number}"`:       `"N7"`,
		`"${call.body.price * 2}"`:    `25`,
		`"${call.body.nights * 2}"`:   `6`,
		`"${1 + call.body.price}"`:    `13.5`,
		`"${call.body.nights / 2}"`:   `1`,
		`"${'x' + call.path.number}"`: `"xN7"`,
		`"${call.body.vessel}"`:       `{"name":"Grey Gannet","built":1.50,"crew":[{"z":1,"a":2}]}`, // as it was written
		`"${[call.body.vessel.crew[0], {'b': 1, 'a': call.body.vessel.crew}]}"`: `[{"z":1,"a":2},{"a":[{"z":1,"a":2}],"b":1}]`,
		`"berth ${call.path.number}: ${1+2}"`:                                   `"berth N7: 3"`,
		`"until ${now() + duration('6h')}"`:                                     `"until 2026-12-01T16:00:00Z"`,
		`"${now()}"`:                                                            `"2026-12-01T10:00:00Z"`,
		`"${fake.ship()}"`:                                                      `"a ship"`,
		`"${uuid()}"`:                                                           `"a uuid"`,
		`"${random.whole(3, 9)}"`:                                               `3`,
		`"$${literal}"`:                                                         `"${literal}"`,
		`"${ {'a': '}'} }"`:                                                     `{"a":"}"}`,
		`"${has(call.body.none) ? 1 : 2}"`:                                      `2`,
		`{"a":["${call.method}",1.0],"b":true}`:                                 `{"a":["POST",1.0],"b":true}`,
		`{"å\"": "${call.method}", "l": ["x ${call.method} y", [], {}, {"z": {"a": "<"}}]}`: `{"å\"":"POST","l":["x POST y",[],{},{"z":{"a":"<"}}]}`,
		`"${call.path.number.lowerAscii()}"`:                                                `"n7"`,
	} {
		n, err := tree.Parse([]byte(template))
		require.NoError(t, err)
		compiled, faults := expr.CompileTemplate(n)
		require.Empty(t, faults, template)
		got, err := compiled.Render(scope())
		require.NoError(t, err, template)
		assert.Equal(t, want, string(got.AppendJSON(nil)), template)
		text, err := compiled.AppendJSON(nil, scope())
		require.NoError(t, err, template)
		assert.Equal(t, want, string(text), template)
	}
	n, err := tree.Parse([]byte(`["${call.none}", {"a": "${counter('a')}"}, "${call.gone}"]`))
	require.NoError(t, err)
	compiled, _ := expr.CompileTemplate(n)
	counted := 0
	s := scope()
	s.Count = func(string) int64 { counted++; return 1 }
	_, err = compiled.AppendJSON(nil, s)
	assert.ErrorContains(t, err, "call.none", "the first one that fails")
	assert.Equal(t, 1, counted, "those behind it take their turns all the same")
}

func TestFunctions(t *testing.T) {
	for text, want := range map[string]string{
		`'Grey Gannet'.md5()`:                                          `"03b97da709c8d5d60133d8de96f3bb67"`,
		`'abc'.sha1()`:                                                 `"a9993e364706816aba3e25717850c26c9cd0d89d"`,
		`'abc'.sha256().substring(0, 8)`:                               `"ba7816bf"`,
		`'what do ya want for nothing?'.hmac('md5', 'Jefe')`:           `"750c783e6ab0b503eaa86e310a5db738"`,
		`'é'.toBase64() + 'w6k='.fromBase64()`:                         `"w6k=é"`,
		`'N7'.toHex() + '4e37'.fromHex()`:                              `"4e37N7"`,
		`'a b&c'.toURL() + 'a+b%26c'.fromURL()`:                        `"a+b%26ca b&c"`,
		`'åse'.upper() + 'ÅSE'.lower()`:                                `"ÅSEåse"`,
		`'7'.padStart(3, '0') + 'x'.padEnd(3, 'é')`:                    `"007xéé"`,
		`'long'.padStart(2, '0')`:                                      `"long"`,
		`'berth N7'.find('[A-Z]([0-9])')`:                              `"7"`,
		`'N7 S8'.findAll('[0-9]')`:                                     `["7","8"]`,
		`'N7 S8'.replacePattern('([NS])', '$1-')`:                      `"N-7 S-8"`,
		`1234567.891.digits(2) + ' ' + (-1234567).digits(0, ',')`:      `"1234567.89 -1,234,567"`,
		`'{"b": 1, "a": 2.50}'.fromJSON()`:                             `{"b":1,"a":2.50}`,
		`call.body.vessel.crew.toJSON()`:                               `"[{\"z\":1,\"a\":2}]"`,
		`now().write("yyyy-MM-dd'T'HH:mm:ss.SSS XXX", 'Europe/Oslo')`:  `"2026-12-01T11:00:00.000 +01:00"`,
		`now().addMonths(3).addDays(-1).write('EEE d MMM yy h a')`:     `"Sun 28 Feb 27 10 AM"`,
		`'24.12.2026 18:00'.toTime('dd.MM.yyyy HH:mm', 'Europe/Oslo')`: `"2026-12-24T17:00:00Z"`,
		`now().addYears(1) > now() + duration('24h')`:                  `true`,
		`counter('four')`:                                              `4`,
		`random.pick(['a', 'b'])`:                                      `"a"`,
		`random.decimal(1, 2.5)`:                                       `1`,
		`jsonpath(call.body, '$.vessel').name`:                         `"Grey Gannet"`,
		`size(jsonpathAll(call.body, '$.none'))`:                       `0`,
		`xpath('<a/>', '//a') + xpathAll('b', 'c')[0]`:                 `"<a/>//abc"`,
	} {
		program, err := expr.Compile(text)
		require.NoError(t, err, text)
		got, err := program.Run(scope())
		require.NoError(t, err, text)
		assert.Equal(t, want, string(got.AppendJSON(nil)), text)
	}
}

func TestFaultsOfTemplatesSayWhere(t *testing.T) {
	for template, want := range map[string]string{
		`{"a": ["x", "${call.method +}"]}`: `1:13: expression "call.method +", character 14: it ends too early`,
		`"${"`:                             `opens ${ and does not close it`,
		`"${}"`:                            `holds no expression`,
		`"${nothing}"`:                     `undeclared reference to 'nothing'`,
		`"${fake.yacht()}"`:                `undeclared reference to 'yacht'`,
	} {
		n, err := tree.Parse([]byte(template))
		require.NoError(t, err)
		_, faults := expr.CompileTemplate(n)
		require.Len(t, faults, 1, template)
		assert.Contains(t, faults[0].String(), want)
	}
}

func TestFailuresOfExpressions(t *testing.T) {
	for text, want := range map[string]string{
		`call.body.none`:                 `no such key: none`,
		`call.body.vessel * 2`:           `an object and a whole number cannot be calculated with *`,
		`1 / 0`:                          `division by zero`,
		`random.whole(9, 3)`:             `the first must not be above the second`,
		`random.pick([])`:                `the list is empty`,
		`'a'.hmac('sha3', 'k')`:          `there is no hash "sha3" (md5, sha1, sha256 or sha512)`,
		`'/w=='.fromBase64()`:            `what it stands for is no text`,
		`'a'.find('(')`:                  `missing closing )`,
		`'a'.find('b')`:                  `nothing in "a" fits b`,
		`now().write('yyyy-bb')`:         `"b" is not a letter of patterns for times`,
		`now().write('HH', 'Mars/Base')`: `there is no time zone "Mars/Base"`,
		`'x'.toTime('yyyy')`:             `"x" is no time as yyyy`,
		`'x'.digits(2)`:                  `digits takes a number`,
		`jsonpath(call.body, '$.none')`:  `jsonpath finds nothing at $.none`,
		`'a'.padStart(1000000, 'x')`:     `a width of at most 100000 and one character`,
		`'a'.padStart(100000, 'x').toHex().toHex().toHex().toHex()`:                                                                                                            `toHex: more than 1000000 bytes`,
		`'a'.padStart(100000, 'x').replacePattern('x', 'yyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyy')`:                                                              `replacePattern: more than 1000000 bytes`,
		`['aaaaaaaaaa'.padStart(100000, 'x')].map(a,a+a+a+a).map(a,a+a+a+a)[0]`:                                                                                                `a text of more than 1000000 bytes`,
		`[1,2,3,4,5,6,7,8,9,10].map(a, [1,2,3,4,5,6,7,8,9,10].map(b, [1,2,3,4,5,6,7,8,9,10].map(c, [1,2,3,4,5,6,7,8,9,10].map(d, [1,2,3,4,5,6,7,8,9,10].map(e, a*b*c*d*e)))))`: `limit exceeded`,
	} {
		program, err := expr.Compile(text)
		require.NoError(t, err, text)
		_, err = program.Run(scope())
		assert.ErrorContains(t, err, want, text)
	}
}
