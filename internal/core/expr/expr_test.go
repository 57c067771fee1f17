package expr_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic/internal/core/expr"
	"rapidmimic/spec/tree"
)

func scope() *expr.Scope {
	return &expr.Scope{
		Call: map[string]any{
			"method": "POST", "path": map[string]any{"number": "N7"},
			"body": map[string]any{"price": 12.5, "nights": int64(3), "vessel": map[string]any{"name": "Grey Gannet"}},
		},
		Now:   time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC),
		Fake:  func(kind string) string { return "a " + kind },
		Whole: func(low, _ int64) int64 { return low },
	}
}

func TestTemplates(t *testing.T) {
	for template, want := range map[string]string{
		`"plain"`:                               `"plain"`,
		`"${call.path.number}"`:                 `"N7"`,
		`"${call.body.price * 2}"`:              `25`,
		`"${call.body.nights * 2}"`:             `6`,
		`"${1 + call.body.price}"`:              `13.5`,
		`"${call.body.nights / 2}"`:             `1`,
		`"${'x' + call.path.number}"`:           `"xN7"`,
		`"${call.body.vessel}"`:                 `{"name":"Grey Gannet"}`,
		`"berth ${call.path.number}: ${1+2}"`:   `"berth N7: 3"`,
		`"until ${now() + duration('6h')}"`:     `"until 2026-12-01T16:00:00Z"`,
		`"${now()}"`:                            `"2026-12-01T10:00:00Z"`,
		`"${fake.ship()}"`:                      `"a ship"`,
		`"${uuid()}"`:                           `"a uuid"`,
		`"${random.whole(3, 9)}"`:               `3`,
		`"$${literal}"`:                         `"${literal}"`,
		`"${ {'a': '}'} }"`:                     `{"a":"}"}`,
		`"${has(call.body.none) ? 1 : 2}"`:      `2`,
		`{"a":["${call.method}",1.0],"b":true}`: `{"a":["POST",1.0],"b":true}`,
		`"${call.path.number.lowerAscii()}"`:    `"n7"`,
	} {
		n, err := tree.Parse([]byte(template))
		require.NoError(t, err)
		compiled, faults := expr.CompileTemplate(n)
		require.Empty(t, faults, template)
		got, err := compiled.Render(scope())
		require.NoError(t, err, template)
		assert.Equal(t, want, string(got.AppendJSON(nil)), template)
	}
}

func TestFaultsOfTemplatesSayWhere(t *testing.T) {
	for template, want := range map[string]string{
		`{"a": ["x", "${call.method +}"]}`: `1:13: expression "call.method +", character 14: Syntax error: mismatched input '<EOF>'`,
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
		`call.body.none`:       `no such key: none`,
		`call.body.vessel * 2`: `an object and a whole number cannot be calculated with *`,
		`1 / 0`:                `division by zero`,
		`random.whole(9, 3)`:   `the first must not be above the second`,
		`[1,2,3,4,5,6,7,8,9,10].map(a, [1,2,3,4,5,6,7,8,9,10].map(b, [1,2,3,4,5,6,7,8,9,10].map(c, [1,2,3,4,5,6,7,8,9,10].map(d, [1,2,3,4,5,6,7,8,9,10].map(e, a*b*c*d*e)))))`: `limit exceeded`,
	} {
		program, err := expr.Compile(text)
		require.NoError(t, err, text)
		_, err = program.Run(scope())
		assert.ErrorContains(t, err, want, text)
	}
}
