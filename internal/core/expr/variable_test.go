package expr_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

func TestVariables(t *testing.T) {
	piers, err := tree.ParseJSON([]byte(`{"north": ["A", "B"]}`))
	require.NoError(t, err)
	scope := &expr.Scope{Call: map[string]any{"body": map[string]any{}}, Vars: map[string]any{"office": "https://office.skerry.test", "berths": expr.Value(tree.NewNumber("40")), "piers": expr.Value(piers)}}
	for text, want := range map[string]string{
		"${vars.office}/calls":         `"https://office.skerry.test/calls"`,
		"${vars.berths * 2}":           `80`,
		"${vars.piers.north[1]}":       `"B"`,
		"${has(vars.lost) ? 1 : 2}":    `2`,
		`${"berths" in vars}`:          `true`,
		"${vars.lost}":                 `expression "vars.lost": variable lost has no value here`,
		"${vars.office + call.body.x}": `expression "vars.office + call.body.x": no such key: x`,
	} {
		template, faults := expr.CompileTemplate(tree.NewString(text))
		require.Empty(t, faults, text)
		got, err := template.Render(scope)
		if err != nil {
			assert.EqualError(t, err, want, text)
			continue
		}
		assert.Equal(t, want, string(got.AppendJSON(nil)), text)
	}
	empty, _ := expr.CompileTemplate(tree.NewString("${vars.office}"))
	_, err = empty.Render(&expr.Scope{})
	assert.EqualError(t, err, `expression "vars.office": variable office has no value here`)
}

// What an expression demands of variables, and what of other things.
func TestUsesOfVariables(t *testing.T) {
	assert.Equal(t, []string{"a", "b"}, expr.Variables("vars.a + call.query.vars + [1].map(x, x + vars.b)[0] + vars.a"))
	assert.Empty(t, expr.Variables(`has(vars.a) && call.vars == "x"`), "it is only asked for")
	assert.Empty(t, expr.Variables("vars."))
	n, err := tree.Parse([]byte("a: ['x ${vars.a}${vars.b}']\nb: { c: '${vars.c} $${vars.d}' }\nc: vars.e"))
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "b", "c"}, expr.TemplateVariables(n))
	for text, want := range map[string]string{
		"https://${vars.host}/${vars.tenants[0].lower()}": "",
		"plain": "", "${": "", "${vars.}": "",
		"${call.path.x}":        `expression "call.path.x": only variables are known here, as vars.NAME`,
		"${vars.a}${now()}":     `expression "now()": only variables are known here, as vars.NAME`,
		"${vars.a + uuid()}":    `expression "vars.a + uuid()": only variables are known here, as vars.NAME`,
		"${vars.a}${fake.id()}": `expression "fake.id()": only variables are known here, as vars.NAME`,
	} {
		assert.Equal(t, want, expr.BesideVariables(text), text)
	}
}
