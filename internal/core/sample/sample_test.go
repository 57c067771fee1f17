package sample_test

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// refs resolves references within one document.
type refs struct{ root *tree.Node }

func (r refs) Resolve(ref string) *tree.Node { return r.root.At(strings.TrimPrefix(ref, "#")) }

// draw makes n values of a schema.
func draw(t *testing.T, schema string, n uint64) []*tree.Node {
	root, err := tree.Parse([]byte(schema))
	require.NoError(t, err)
	g := sample.Compile(root, refs{root}, sample.ForAnswer)
	values := make([]*tree.Node, n)
	for i := range values {
		values[i] = g.Generate(sample.NewDraw(1, "test", uint64(i)), "")
	}
	return values
}

func TestBothEndsOfARangeAreReached(t *testing.T) {
	for schema, ends := range map[string][]string{
		`{"type": "integer", "minimum": 3, "maximum": 6}`:                       {"3", "6"},
		`{"type": "integer", "exclusiveMinimum": 3, "exclusiveMaximum": 6}`:     {"4", "5"},
		`{"type": "number", "minimum": 0.1, "maximum": 0.3, "multipleOf": 0.1}`: {"0.1", "0.3"},
		`{"type": "boolean"}`:                                                    {"true", "false"},
		`{"enum": ["a", "b", "c"]}`:                                              {`"a"`, `"c"`},
		`{"type": ["integer", "null"], "minimum": 7, "maximum": 7}`:              {"7", "null"},
		`{"type": "array", "items": {"const": 1}, "minItems": 2, "maxItems": 4}`: {"[1,1]", "[1,1,1,1]"},
		`{"type": "object", "properties": {"a": {"const": 1}}}`:                  {`{"a":1}`, `{}`},
		`{"anyOf": [{"const": "x"}, {"const": "y"}]}`:                            {`"x"`, `"y"`},
	} {
		seen := map[string]bool{}
		for _, v := range draw(t, schema, 400) {
			seen[string(v.AppendJSON(nil))] = true
		}
		for _, end := range ends {
			assert.True(t, seen[end], "%s never gave %s", schema, end)
		}
	}
}

func TestValuesSuitTheirNames(t *testing.T) {
	v := draw(t, `{"type": "object", "required": ["email", "contactPhone", "homepageUrl", "vessel", "berth_number", "issuedAt", "currency", "remark"],
		"properties": {"email": {"type": "string"}, "contactPhone": {"type": "string"}, "homepageUrl": {"type": "string"}, "vessel": {"type": "string"},
		"berth_number": {"type": "string"}, "issuedAt": {"type": "string"}, "currency": {"type": "string"}, "remark": {"type": "string"}}}`, 1)[0]
	for name, pattern := range map[string]string{
		"email": `^[a-z.]+@[a-z]+\.example$`, "contactPhone": `[0-9]{3}`, "homepageUrl": `^https://[a-z]+\.example/`, "vessel": `^[A-Z][a-z]+ [A-Z][a-z]+$`,
		"berth_number": `^[A-Z]{2}-[0-9]{4}$`, "issuedAt": `^202[67]-\d\d-\d\dT\d\d:\d\d:\d\dZ$`, "currency": `^[A-Z]{3}$`, "remark": ` .*\.$`,
	} {
		assert.Regexp(t, regexp.MustCompile(pattern), v.Get(name).Str(), name)
	}
}

func TestRecursionEnds(t *testing.T) {
	for name, schema := range map[string]string{
		"a tree":                  `{"type": "object", "required": ["name"], "properties": {"name": {"type": "string"}, "more": {"type": "array", "items": {"$ref": "#"}}}}`,
		"a chain":                 `{"oneOf": [{"type": "object", "required": ["next"], "properties": {"next": {"$ref": "#"}}}, {"type": "null"}]}`,
		"a circle of refs":        `{"$ref": "#"}`,
		"a circle of allOf":       `{"allOf": [{"$ref": "#"}]}`,
		"itself as an array":      `{"type": "array", "items": {"$ref": "#"}}`,
		"required without an end": `{"type": "object", "required": ["a", "b"], "properties": {"a": {"$ref": "#"}, "b": {"$ref": "#"}}}`,
		"a list of lists":         `{"type": "array", "minItems": 100, "items": {"type": "array", "minItems": 100, "items": {"type": "array", "minItems": 100, "items": {"type": "boolean"}}}}`,
		"without an end":          `{"type": "object", "properties": {"a": {"$ref": "#"}}}`,
	} {
		for _, v := range draw(t, schema, 20) {
			assert.Less(t, len(v.AppendJSON(nil)), 500_000, name)
		}
	}
}

// What is nested deeper than anybody reads is not drawn, and is not taken for valid.
func TestNestedDeeperThanIsRead(t *testing.T) {
	for levels, hopeless := range map[int]bool{400: false, 600: true} {
		defs := make([]string, levels)
		for i := range defs {
			defs[i] = fmt.Sprintf(`"s%d": {"type": "object", "required": ["n"], "properties": {"n": {"$ref": "#/$defs/s%d"}}}`, i, i+1)
		}
		root, err := tree.Parse([]byte(fmt.Sprintf(`{"$ref": "#/$defs/s0", "$defs": {%s, "s%d": {"const": 7}}}`, strings.Join(defs, ", "), levels)))
		require.NoError(t, err)
		g := sample.Compile(root, refs{root}, sample.ForAnswer)
		assert.Equal(t, []bool{!hopeless, hopeless}, []bool{g.Exact(), g.Hopeless()}, levels)
		made := g.Generate(sample.NewDraw(1, "deep", 0), "")
		assert.Equal(t, hopeless, made.Kind == tree.Null, levels)
	}
}

func TestValuesSuitDescriptionsAndTakeTheSpanOfTheirNames(t *testing.T) {
	v := draw(t, `{"type": "object", "required": ["a", "b", "c", "latitude", "berthPrice", "quantity", "emails"], "properties": {
		"a": {"type": "string", "description": "The e-mail address of the agent"}, "b": {"type": "string", "description": "ISO 4217 code"},
		"c": {"type": "string", "description": "Call sign of the vessel"}, "latitude": {"type": "number"}, "berthPrice": {"type": "number"},
		"quantity": {"type": "integer"}, "emails": {"type": "array", "minItems": 2, "items": {"type": "string"}}}}`, 50)
	for _, one := range v {
		assert.Regexp(t, `@`, one.Get("a").Str())
		assert.Regexp(t, `^[A-Z]{3}$`, one.Get("b").Str())
		assert.Regexp(t, `^SK`, one.Get("c").Str())
		latitude, _ := one.Get("latitude").Float()
		assert.InDelta(t, 0, latitude, 90)
		assert.Regexp(t, `^\d+(\.\d{1,2})?$`, one.Get("berthPrice").Text)
		quantity, ok := one.Get("quantity").Int()
		assert.True(t, ok && quantity >= 1 && quantity <= 20)
		assert.Contains(t, one.Get("emails").Items[1].Str(), "@", "the elements of a list are named after it")
	}
}

func TestTimesFollowOneAnother(t *testing.T) {
	for _, v := range draw(t, `{"type": "object", "required": ["until", "from", "createdAt", "expiresAt"], "properties": {
		"until": {"type": "string", "format": "date"}, "from": {"type": "string", "format": "date"},
		"expiresAt": {"type": "string", "format": "date-time"}, "createdAt": {"type": "string", "format": "date-time"}}}`, 100) {
		assert.Less(t, v.Get("from").Str(), v.Get("until").Str())
		assert.Less(t, v.Get("createdAt").Str(), v.Get("expiresAt").Str())
	}
}

func TestPatternsBeyondRE2(t *testing.T) {
	for pattern, c := range map[string]struct{ good, bad string }{
		`^(?!N0)N\d$`:     {"N1", "N0"},
		`^(a|b)\1$`:       {"bb", "ab"},
		`^\u00e9+$`:       {"éé", "e"},
		`^(?=.*\d).{3,}$`: {"ab1", "abc"},
		`^[^]$`:           {"\n", ""},
		`(?<=x)y`:         {"xy", "zy"},
	} {
		m, err := sample.CompilePattern(pattern)
		require.NoError(t, err, pattern)
		assert.True(t, m.MatchString(c.good), "%s fits %q", pattern, c.good)
		assert.False(t, m.MatchString(c.bad), "%s does not fit %q", pattern, c.bad)
		assert.Equal(t, pattern, m.String())
	}
	for _, pattern := range []string{"(", strings.Repeat("a", 30_000)} {
		_, err := sample.CompilePattern(pattern)
		assert.Error(t, err)
	}
	slow, err := sample.CompilePattern(`^(?=(a+)+$)b`)
	require.NoError(t, err)
	assert.False(t, slow.MatchString(strings.Repeat("a", 60)+"c"), "it ends in time")
	patterns := sample.CompilePatterns([]string{`^[a-z]+$`, `^.{4}$`})
	for i := range uint64(100) {
		text, ok := patterns.Draw(sample.NewDraw(1, "", i), 0, -1)
		assert.True(t, ok, text)
		assert.Len(t, text, 4)
	}
}

func TestSidesOfACall(t *testing.T) {
	root, err := tree.Parse([]byte(`{"type": "object", "required": ["id", "pass", "name"], "properties": {"id": {"type": "integer", "readOnly": true}, "pass": {"type": "string", "writeOnly": true}, "name": {"type": "string"}}}`))
	require.NoError(t, err)
	for side, want := range map[sample.Side][2]bool{sample.ForAnswer: {true, false}, sample.ForRequest: {false, true}} {
		v := sample.Compile(root, refs{root}, side).Generate(sample.NewDraw(1, "", 0), "")
		assert.Equal(t, want, [2]bool{v.Get("id") != nil, v.Get("pass") != nil})
		assert.NotNil(t, v.Get("name"))
	}
}

func TestKindsOfFakes(t *testing.T) {
	d := sample.NewDraw(1, "", 0)
	for kind, pattern := range map[string]string{"email": "@", "ship": " ", "date": `^\d{4}-\d\d-\d\d$`, "time": `T`, "uuid": `^[0-9a-f-]{36}$`, "sentence": `[.!?]$`, "word": `^[a-z]+$`, "amount": `^\d+\.\d\d$`, "unheard": `^[a-z]+$`} {
		assert.Regexp(t, pattern, d.Fake(kind), kind)
	}
	low, high := int64(9), int64(0)
	for range 500 {
		n := d.Whole(3, 7)
		low, high = min(low, n), max(high, n)
	}
	assert.Equal(t, [2]int64{3, 7}, [2]int64{low, high}, "both ends are reached")
	d.Whole(-1<<63, 1<<63-1) // all there are
}
