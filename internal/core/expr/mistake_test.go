package expr_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

func TestMistakesOfExpressions(t *testing.T) {
	parameters := []string{"number"}
	for text, want := range map[string]string{
		`call.query.a == "1"`:                      "",
		`call.query.a == 1`:                        `call.query.a is a text and 1 is not, so the two are never equal: write "1", or compare int(call.query.a)`,
		`1 != call.headers["x-n"]`:                 `call.headers["x-n"] is a text and 1 is not, so the two are never equal: write "1", or compare int(call.headers["x-n"])`,
		`call.query.n >= 5.5`:                      `cannot be compared: write "5.5"`,
		`call.cookies.dry == true`:                 `so the two are never equal: write "true"`,
		`call.method == 1`:                         `call.method is a text`,
		`call.query.n in [1, 2]`:                   `never equal: write "1"`,
		`call.query.n in ["1", 2]`:                 "",
		`int(call.query.n) == 1`:                   "",
		`call.body.n == 1`:                         "",
		`call.queries.n == 1`:                      "",
		`call.query[call.method] == 1`:             "",
		`call.bdy == 1`:                            `call has no "bdy" (body?)`,
		`has(call.qery.a)`:                         `call has no "qery" (query?)`,
		`call.zzzzzz`:                              `call has no "zzzzzz" (it has method, path,`,
		`vars.office + "/v1"`:                      "",
		`has(vars.ofice)`:                          "",
		`vars.ofice`:                               `there is no variable "ofice" (office?)`,
		`vars.zzzzzz`:                              `there is no variable "zzzzzz" (there is office)`,
		`upstream.stats`:                           `upstream has no "stats" (status?)`,
		`upstream.body.stats`:                      "",
		`call.path.number + call.path.numbr`:       `call.path has no "numbr" (number?)`,
		`call.path["numbr"]`:                       "",
		`[1].map(x, x + call.bdy.n)`:               `call has no "bdy"`,
		`call.query.a == 1 && call.query.a == 1`:   `never equal`,
		`1 +`:                                      "", // which does not compile
		`{"bdy": call.body}.bdy == 1 ? "a" : "b" `: "",
	} {
		found := expr.Mistakes(text, expr.Known{Parameters: parameters, Variables: []string{"office"}})
		if want == "" {
			assert.Empty(t, found, text)
			continue
		}
		require.Len(t, found, 1, text)
		assert.Contains(t, found[0], want, text)
		assert.Contains(t, found[0], "expression ", text)
	}
	assert.Empty(t, expr.Mistakes("call.path.any", expr.Known{}), "the parameters are not known")
	assert.Empty(t, expr.Mistakes("vars.any", expr.Known{}), "the variables are not known")
	assert.Contains(t, expr.Mistakes("vars.any", expr.Known{Variables: []string{}})[0], "no variables are set")
	assert.Contains(t, expr.Mistakes("call.path.any", expr.Known{Parameters: []string{}})[0], "the path has no parameters")
}

func TestMistakesOfTemplatesHavePlaces(t *testing.T) {
	n, err := tree.Parse([]byte("a: fine\nlist: ['${call.bdy}', {b: 'x ${call.query.a == 1} ${call.query.b < 2}'}]\nopen: '${'\nliteral: $${call.bdy}"))
	require.NoError(t, err)
	var got []any
	for _, item := range expr.TemplateMistakes(n, expr.Known{}) {
		got = append(got, item.At, item.Line)
	}
	assert.Equal(t, []any{"/list/0", 2, "/list/1/b", 2, "/list/1/b", 2}, got)
	assert.Equal(t, "a x b ${c} x", expr.Filled("a ${1 + 1} b $${c} ${call.body}", "x"))
	assert.Equal(t, "a ${", expr.Filled("a ${", "x"))
}
