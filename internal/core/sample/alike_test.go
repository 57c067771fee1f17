package sample_test

import (
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// What a schema gives as an example tells what its values look like, as far as nothing else does.
func TestValuesAreLikeTheExample(t *testing.T) {
	for name, k := range map[string]struct{ schema, form string }{
		"digits are drawn anew":        {`{"type":"string","example":"AB-1204/x"}`, `^AB-[1-9][1-9]0[1-9]/x$`},
		"the first of several":         {`{"type":"string","examples":["K7","L8"]}`, `^K[1-9]$`},
		"a text without digits stays":  {`{"type":"string","example":"Grey Gannet"}`, `^Grey Gannet$`},
		"a number for a text":          {`{"type":"string","example":2041}`, `^[1-9]0[1-9][1-9]$`},
		"a date":                       {`{"type":"string","example":"2019-02-28"}`, `^202[67]-\d\d-\d\d$`},
		"a moment":                     {`{"type":"string","example":"2019-02-28 10:00:00"}`, `^202[67]-\d\d-\d\dT`},
		"a time of day":                {`{"type":"string","example":"09:30"}`, `^09:30$`},
		"an address of the internet":   {`{"type":"string","example":"10.0.0.255"}`, `^192\.0\.2\.\d+$`},
		"no address of somebody":       {`{"type":"string","example":"https://office.test/a/1"}`, `^https://[a-z]+\.example/`},
		"an email":                     {`{"type":"string","example":"ida@office.test"}`, `@.*\.example$`},
		"a uuid":                       {`{"type":"string","example":"5b0f3c1e-0000-4000-8000-000000000000"}`, `^[0-9a-f-]{36}$`},
		"too long for the schema":      {`{"type":"string","maxLength":5,"example":"Grey Gannet"}`, `^[^G].{0,4}$`},
		"too short for it":             {`{"type":"string","minLength":20,"example":"Grey Gannet"}`, `^[^G].{19,}$`},
		"cut to what the schema takes": {`{"type":"string","maxLength":4,"example":"AB-1234"}`, `^AB-[1-9]$`},
		"a pattern says more":          {`{"type":"string","pattern":"^x+$","example":"AB-1"}`, `^x+$`},
		"so does a format":             {`{"type":"string","format":"uuid","example":"AB-1"}`, `^[0-9a-f-]{36}$`},
		"so do the only values":        {`{"type":"string","enum":["a"],"example":"AB-1"}`, `^a$`},
		"an example of nothing":        {`{"type":"string","example":""}`, `^\w+`},
		"a list is no example":         {`{"type":"string","example":["AB-1"]}`, `^[a-z]`},
	} {
		t.Run(name, func(t *testing.T) {
			schema, err := tree.ParseJSON([]byte(k.schema))
			require.NoError(t, err)
			g := sample.Compile(schema, nil, sample.ForAnswer)
			for i := range uint64(20) {
				assert.Regexp(t, regexp.MustCompile(k.form), g.Generate(sample.NewDraw(1, name, i), "").Str())
			}
		})
	}
}

func TestNumbersAreLikeTheExample(t *testing.T) {
	for name, k := range map[string]struct {
		schema    string
		low, high float64
		decimals  int
	}{
		"of the same size":       {`{"type":"integer","example":40}`, 20, 60, 0},
		"with as many decimals":  {`{"type":"number","example":1.250}`, 0.625, 1.875, 3},
		"below nothing":          {`{"type":"number","example":-8}`, -12, -4, 0},
		"within the limits":      {`{"type":"integer","minimum":38,"maximum":41,"example":40}`, 38, 41, 0},
		"a year":                 {`{"type":"integer","example":2019}`, 2014, 2024, 0},
		"a point in time":        {`{"type":"integer","example":1600000000}`, 1.52e9, 1.68e9, 0},
		"32 bits":                {`{"type":"integer","format":"int32","example":2147483647}`, 2.04e9, 2147483647, 0},
		"an example against it":  {`{"type":"integer","maximum":9,"example":40}`, -991, 9, 0},
		"nothing follows from 0": {`{"type":"integer","example":0}`, 1, 1000, 0},
		"steps say more":         {`{"type":"integer","multipleOf":300,"example":40}`, 300, 900, 0},
	} {
		t.Run(name, func(t *testing.T) {
			schema, err := tree.ParseJSON([]byte(k.schema))
			require.NoError(t, err)
			g := sample.Compile(schema, nil, sample.ForAnswer)
			most, seen := 0, make(map[string]bool)
			for i := range uint64(60) {
				n := g.Generate(sample.NewDraw(1, name, i), "")
				value, err := strconv.ParseFloat(n.Text, 64)
				require.NoError(t, err)
				assert.GreaterOrEqual(t, value, k.low)
				assert.LessOrEqual(t, value, k.high)
				_, fraction, _ := strings.Cut(n.Text, ".")
				most, seen[n.Text] = max(most, len(fraction)), true
			}
			assert.LessOrEqual(t, most, k.decimals)
			assert.Greater(t, len(seen), 2, "they vary")
		})
	}
}

// Where an example would fit two branches of which one must, later attempts do without it.
func TestExamplesGiveWay(t *testing.T) {
	schema, err := tree.ParseJSON([]byte(`{"type":"string","example":"both"}`))
	require.NoError(t, err)
	g, d := sample.Compile(schema, nil, sample.ForAnswer), sample.NewDraw(1, "a", 0)
	for attempt := range 4 {
		d.Again(attempt)
		assert.Equal(t, attempt < 2, g.Generate(d, "").Str() == "both", attempt)
	}
}

// A name that says what a value is says more than an example that is always the same, and less than a
// form; what must differ does.
func TestExamplesBesideNames(t *testing.T) {
	schema, err := tree.ParseJSON([]byte(`{"type":"object","required":["town","phone","latitude","weight","ships"],"properties":{
		"town":{"type":"string","example":"Skerry"},"phone":{"type":"string","example":"+999 12"},"latitude":{"type":"number","example":70.5},"weight":{"type":"number","example":5000},
		"ships":{"type":"array","minItems":3,"maxItems":3,"uniqueItems":true,"items":{"type":"string","example":"Grey Gannet"}}}}`))
	require.NoError(t, err)
	g := sample.Compile(schema, nil, sample.ForAnswer)
	require.True(t, g.Exact())
	for i := range uint64(20) {
		n := g.Generate(sample.NewDraw(1, "a", i), "")
		assert.NotEqual(t, "Skerry", n.Get("town").Str())
		assert.Regexp(t, `^\+[1-9]{3} [1-9]{2}$`, n.Get("phone").Str())
		latitude, _ := n.Get("latitude").Float()
		assert.LessOrEqual(t, latitude, 90.0, "as far as is usual for the name")
		weight, _ := n.Get("weight").Float()
		assert.GreaterOrEqual(t, weight, 2500.0, "what is not usual at all is meant")
		assert.Len(t, n.Get("ships").Items, 3)
	}
}
