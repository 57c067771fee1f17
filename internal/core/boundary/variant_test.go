package boundary_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/spec/tree"
)

// variantsOf are the variants of the bill by their ids.
func variantsOf(t testing.TB, c boundary.Choice) map[string]boundary.Variant {
	_, all, err := boundary.Variants(parse(t, billed), bills(t), c)
	require.NoError(t, err)
	byID := make(map[string]boundary.Variant, len(all))
	for _, v := range all {
		byID[v.ID] = v
	}
	require.Len(t, byID, len(all), "no id twice")
	return byID
}

func editText(v boundary.Variant) string {
	var steps []string
	for _, s := range v.Edit {
		text := s.Op + " " + s.Path
		if s.Value != nil {
			text += " " + string(s.Value.AppendJSON(nil))
		}
		steps = append(steps, text)
	}
	return strings.Join(steps, "; ")
}

// A variant is an edit of the answer as it is: at each place of the field, from the back, with what
// follows it; texts in it are no expressions.
func TestVariants(t *testing.T) {
	of := func(path string) map[string]boundary.Variant {
		return variantsOf(t, boundary.Choice{Paths: []string{path}})
	}
	for _, k := range []struct{ path, id, edit string }{
		{"$.amount", "zero", "add /body/amount 0"},
		{"$.amount", "missing", "remove /body/amount"},
		{"$.lines[*].price", "zero", "add /body/lines/1/price 0; add /body/lines/0/price 0"},
		{"$.lines[1]", "empty", "replace /body/lines/1 {}"},
		{"$.lines", "one", `add /body/lines [{"price":4.25}]; replace /body/total 4.25; replace /body/count 1`},
		{"$", "empty", "replace /body {}"},
		{"$.vessel.name", "template", `add /body/vessel/name "$${7*7} {{7*7}} %s %n"`},
		{"$.vessel", "as-list", `add /body/vessel [{"name":"Tern"}]`},
	} {
		assert.Equal(t, k.edit, editText(of(k.path)[k.id]), "%s %s", k.path, k.id)
	}
	one := of("$.lines")["one"]
	assert.Equal(t, []string{"/total from 12.50 to 4.25", "/count from 2 to 1"}, one.Follows)
	assert.Equal(t, []string{"one element", "valid", `[{"price":4.25}]`}, []string{one.Says, string(one.Validity), one.Shown})
	assert.Equal(t, "(missing)", of("$.amount")["missing"].Shown)
	long := of("$.vessel.name")["very-long"]
	assert.Len(t, []rune(long.Shown), 80)
	assert.True(t, strings.HasSuffix(long.Shown, "…"))
	alone := variantsOf(t, boundary.Choice{Paths: []string{"$.lines"}, Alone: true})["one"]
	assert.Equal(t, `add /body/lines [{"price":4.25}]`, editText(alone))
	assert.Empty(t, alone.Follows)
	nested := &boundary.Choice{Paths: []string{"$.a"}}
	_, all, err := boundary.Variants(parse(t, `{a: [{t: "x ${y}"}], b: 1}`), nil, *nested)
	require.NoError(t, err)
	for _, v := range all {
		if v.ID == "duplicate" {
			assert.Equal(t, `add /body/a [{"t":"x $${y}"},{"t":"x $${y}"}]`, editText(v))
		}
	}
}

func TestWhichVariants(t *testing.T) {
	for _, only := range []boundary.Validity{boundary.Valid, boundary.Invalid} {
		for id, v := range variantsOf(t, boundary.Choice{Paths: []string{"$.nights"}, Only: only}) {
			assert.Equal(t, only, v.Validity, id)
		}
	}
	pairs := variantsOf(t, boundary.Choice{Paths: []string{"$.paid", "$.state", "$.cents"}})
	var invalid, asIs int
	for id, v := range pairs {
		parts := strings.Split(id, "+")
		require.Len(t, parts, 3)
		if strings.Contains(id, "as-it-is") {
			asIs++
		}
		if v.Validity == boundary.Invalid {
			invalid++
			assert.NotEmpty(t, v.Breach, id)
		}
		for i, at := range []string{"/body/paid", "/body/state", "/body/cents"} {
			assert.Equal(t, parts[i] != "as-it-is", strings.Contains(editText(v), at), "%s: %s", id, editText(v))
		}
	}
	assert.Greater(t, asIs, 5)
	assert.Greater(t, invalid, 20)
	assert.Less(t, invalid, len(pairs))
	for want, c := range map[string]boundary.Choice{
		"only must be valid or invalid": {Paths: []string{"$.paid"}, Only: "good"},
		"say which field":               {},
		`"pai" there (paid?)`:           {Paths: []string{"$.pai"}},
		"combinations are more than":    {Paths: []string{"$.any", "$.other"}},
	} {
		_, _, err := boundary.Variants(parse(t, billed), bills(t), c)
		assert.ErrorContains(t, err, want)
	}
}

// Combinations of fields whose values are large are refused before they are made.
func TestVariantsAreBounded(t *testing.T) {
	_, _, err := boundary.Variants(parse(t, `{a: [{t: "`+strings.Repeat("quay ", 300)+`"}], b: quay, c: tern}`), nil, boundary.Choice{Paths: []string{"$.a", "$.b", "$.c"}})
	assert.ErrorContains(t, err, "take more than 16 MB")
}

// The fewest and the most elements that a schema allows, of a list that has another number of them.
func TestListsAtTheirLimits(t *testing.T) {
	field, err := boundary.At(parse(t, strings.Replace(billed, `{"price": 8.25}`, `{"price": 8.25}, {"price": 0.00}`, 1)), "$.lines", bills(t))
	require.NoError(t, err)
	sizes := map[string]string{}
	for _, v := range field.Values() {
		if v.Node != nil && v.Node.Kind == tree.List {
			sizes[v.ID] = fmt.Sprint(len(v.Node.Items), " ", v.Validity)
		}
	}
	assert.Equal(t, "1 valid", sizes["one"])
	assert.Equal(t, "4 invalid", sizes["duplicate"])
	assert.Equal(t, "0 invalid", sizes["empty"])
	assert.Equal(t, "1000 invalid", sizes["many"])
	assert.Equal(t, "4 invalid", sizes["with-null"])
	assert.NotContains(t, sizes, "most", "it has as many")
	two, err := boundary.At(parse(t, `{a~b: {"x/y": [1, 2]}}`), "/a~0b/x~1y/1", nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"/a~0b/x~1y/1"}, two.Pointers)
}
