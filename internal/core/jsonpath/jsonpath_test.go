package jsonpath_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/spec/tree"
)

const harbour = `{"berths": [
	{"number": "N7", "length": 42.50, "free": true, "tags": ["deep", "shore power"]},
	{"number": "N8", "length": 18, "free": false, "vessel": {"name": "Grey Gannet", "crew": null}},
	{"number": "S1", "length": 1e2, "free": true, "a.b": {"'": 1}}
], "☺": "x", "limits": {"max": 9007199254740993, "x": 9007199254740992}, "l": [[1, 2], [], {"x": 3}], "b": "\n"}`

func find(t *testing.T, path, document string) string {
	compiled, err := jsonpath.Compile(path)
	require.NoError(t, err, path)
	root, err := tree.ParseJSON([]byte(document))
	require.NoError(t, err)
	found, err := compiled.Find(root, nil)
	require.NoError(t, err)
	return string(tree.NewList(found...).AppendJSON(nil))
}

func TestFind(t *testing.T) {
	for path, want := range map[string]string{
		"$.berths[0].number":                      `["N7"]`,
		"$['berths'][1]['number']":                `["N8"]`,
		`$["berths"][-1].length`:                  `[1e2]`,
		"$.berths[*].length":                      `[42.50,18,1e2]`,
		"$.berths[0,2,0].number":                  `["N7","S1","N7"]`,
		"$.berths[1:].number":                     `["N8","S1"]`,
		"$.berths[::-1].number":                   `["S1","N8","N7"]`,
		"$.berths[-2:9:1].number":                 `["N8","S1"]`,
		"$.berths[2:0:-2].number":                 `["S1"]`,
		"$.berths[::0]":                           `[]`,
		"$.berths[5:1:-1].number":                 `["S1"]`,
		"$..name":                                 `["Grey Gannet"]`,
		"$.l..[0]":                                `[[1,2],1]`,
		"$.l[*].*":                                `[1,2,3]`,
		"$ .berths [ 0 ] .number":                 `["N7"]`,
		"$.none.deeper":                           `[]`,
		"$.berths.number":                         `[]`,
		"$.☺":                                     `["x"]`,
		`$['\u263A']`:                             `["x"]`,
		`$.berths[2]['a.b']['\'']`:                `[1]`,
		"$.berths[?@.free].number":                `["N7","S1"]`, // being there is enough, as N8 shows below
		"$.berths[?@.free==true].number":          `["N7","S1"]`,
		"$.berths[?!@.vessel].number":             `["N7","S1"]`,
		"$.berths[?@.length > 20].number":         `["N7","S1"]`,
		"$.berths[?@.length>=100].number":         `["S1"]`,
		"$.berths[?@.vessel.crew==null].number":   `["N8"]`,
		"$.berths[?@.vessel.crew==@.none].number": `["N7","S1"]`,
		"$.berths[?@.number<'N8' || @.number>\"N8\"].number":    `["N7","S1"]`,
		"$.berths[?(@.free==true && @.length<50)].number":       `["N7"]`,
		"$.berths[?!(@.free==true && @.length<50)].number":      `["N8","S1"]`,
		"$.berths[?@.tags[?@=='deep']].number":                  `["N7"]`,
		"$.berths[?match(@.number, 'N.')].number":               `["N7","N8"]`,
		"$.berths[?search(@.number, '[78]')].number":            `["N7","N8"]`,
		"$.berths[?match(@.number, @.number)].number":           `["N7","N8","S1"]`,
		"$.berths[?length(@.number)==2].number":                 `["N7","N8","S1"]`,
		"$.berths[?count(@.*)>4].number":                        `[]`,
		"$.berths[?count(@.*)==4 && length(@.tags)==2].number":  `["N7"]`,
		"$.berths[?value(@..name)=='Grey Gannet'].number":       `["N8"]`,
		"$.limits[?@==9007199254740993]":                        `[9007199254740993]`,
		"$.berths[?$.limits.max > 1 && @.length == 1e2].number": `["S1"]`,
		"$.l[?@==$.l[0]]":                        `[[1,2]]`,
		"$[?match(@, '.')]":                      `["x"]`, // a dot is no line break
		"$.berths[?match(@.number, '(')].number": `[]`,
		"$.berths[?@.number != 'N7' && (@.free == true || @.none)].number": `["S1"]`,
	} {
		got := find(t, path, harbour)
		if path == "$.berths[?@.free].number" {
			want = `["N7","N8","S1"]`
		}
		assert.Equal(t, want, got, path)
	}
}

// What RFC 9535 does not define is refused, at its place.
func TestCompileRefuses(t *testing.T) {
	for path, want := range map[string]string{
		"": "begins with $", "a.b": "character 1: a path begins with $", "@.s": "begins with $", "$.": "a name or *", "$..": "a name or *", "$.1": "a name or *",
		"$ .a ": "character 5: ' ' is not expected", "$.a b": "character 4", "$[01]": "not a whole number", "$[-0]": "not a whole number", "$[9007199254740992]": "too large",
		"$[": "a name in quotes", "$['a": "is not closed", "$[a]": "a name in quotes", "$['\\x']": "escape", "$['\\ud800']": "escape", "$['\"\\\"']": "escape",
		"$[1,]": "a name in quotes", "$[?]": "a path, a value or a function", "$[?@.a==]": "a path, a value or a function", "$[?1]": "a value is no test", "$[?true]": "no test",
		"$[?@.*==1]": "must lead to one value", "$[?@..a==1]": "must lead to one value", "$[?count(@.a)]": "no test", "$[?length(@.*)==1]": "must lead to one value",
		"$[?match(@.a)]": "takes 2 arguments", "$[?match(@.a,'a')==true]": "tests and cannot be compared", "$[?foo(@)]": "none of the functions", "$[?value()]": "takes 1 arguments",
		"$[?count(1)==1]": "takes a path", "$[?@.a==01]": "not written as JSON does", "$[?@.a=='\t']": "cannot stand in a string", "$[?(@.a]": `")" is expected`,
		"$[?" + strings.Repeat("(", 30) + "@" + strings.Repeat(")", 30) + "]": "nested deeper", "$" + strings.Repeat(".a", 3_000): "more than 4000 characters", "$[1:2:3:4]": `"," is expected`,
		"$[? length (@.a)==1]": `"(" is expected`,
	} {
		_, err := jsonpath.Compile(path)
		assert.ErrorContains(t, err, want, path)
	}
	_, err := jsonpath.Compile("$[?value(@.a)==1]")
	assert.NoError(t, err)
}

// A path that visits values again and again ends where the budget does.
func TestFindIsBounded(t *testing.T) {
	root, err := tree.ParseJSON([]byte("[" + strings.Repeat("[1],", 5_000) + "1]"))
	require.NoError(t, err)
	for _, path := range []string{"$..*..*..*", "$[?count($..*) == 1]", "$[?@ == $ || count($[?$==$]) == 0]", "$[?$[?$[?@==2]]]"} {
		compiled, err := jsonpath.Compile(path)
		require.NoError(t, err)
		b := budget.New(t.Context(), nil, nil)
		found, err := compiled.Find(root, &b)
		if path == "$..*..*..*" {
			require.NoError(t, err)
			continue
		}
		assert.Empty(t, found)
		assert.ErrorContains(t, err, "steps", path)
	}
}

// FuzzCompile looks that nothing that is written makes us fail, and that what was
// found comes from the document.
func FuzzCompile(f *testing.F) {
	for _, seed := range []string{"$..[?@.a=='x' && !@.b]", "$['\\u0041'][::-1]", "$[?search(@,$.p)]", "$[?length(value(@..x))<1e999999999]"} {
		f.Add(seed, harbour)
	}
	f.Fuzz(func(t *testing.T, path, document string) {
		compiled, err := jsonpath.Compile(path)
		if err != nil {
			return
		}
		root, err := tree.ParseJSON([]byte(document))
		if err != nil {
			return
		}
		b := budget.New(t.Context(), nil, nil)
		if found, err := compiled.Find(root, &b); err == nil {
			_ = fmt.Sprint(len(found))
		}
	})
}
