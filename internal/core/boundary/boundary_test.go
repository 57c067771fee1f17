package boundary_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

func parse(t testing.TB, text string) *tree.Node {
	n, err := tree.Parse([]byte(text))
	require.NoError(t, err)
	return n
}

const bill = `
type: object
required: [number, lines, due]
properties:
  number: { type: string, minLength: 2, maxLength: 5 }
  amount: { type: number, minimum: 0, maximum: 99.5 }
  nights: { type: integer, minimum: 1, exclusiveMaximum: 30 }
  cents: { type: integer, minimum: 0, multipleOf: 5 }
  paid: { type: boolean }
  state: { allOf: [{ $ref: "#/bill/$defs/state" }] }
  due: { type: string, format: date }
  sent: { type: [string, "null"], format: date-time }
  lines: { type: array, minItems: 1, maxItems: 3, items: { type: object, required: [price], properties: { price: { type: number } } } }
  vessel: { type: object, additionalProperties: false, required: [name], properties: { name: { type: string } } }
  total: { type: number }
  count: { type: integer }
  page: { type: string, format: uri }
  any: &any { type: [string, integer, number, boolean, array, object], minLength: 3, maxLength: 9, minimum: 3, maximum: 7 }
  other: *any
$defs: { state: { type: string, enum: [open, paid] } }
`

const billed = `{"number": "B-7", "amount": 11, "nights": 2, "cents": 10, "paid": false, "state": "open", "due": "2026-12-01", "sent": null,
	"lines": [{"price": 4.25}, {"price": 8.25}], "vessel": {"name": "Tern"}, "total": 12.50, "count": 2, "other": 2, "page": "https://quay.example/7"}`

func bills(t testing.TB) *contract.Schema {
	root := tree.NewMap(tree.Member{Key: "bill", Value: parse(t, bill)})
	return contract.NewDocument(root, func(n *tree.Node) *tree.Node { return n }).Schema("/bill")
}

func field(t testing.TB, path string) *boundary.Field {
	f, err := boundary.At(parse(t, billed), path, bills(t))
	require.NoError(t, err)
	return f
}

// For each kind of field the values that matter, each with what the contract says of it.
func TestValues(t *testing.T) {
	for path, want := range map[string][]string{
		"$.number": {"empty  invalid", "shortest B- valid", "too-short B invalid", "longest B-7B- valid", "too-long B-7B-7 invalid", "one-character x invalid", "as-number 12 invalid",
			"template ${7*7} {{7*7}} %s %n invalid", "null null invalid", "missing - invalid", `as-list ["B-7"] invalid`},
		"$.amount": {"zero 0 valid", "negative -1 invalid", "minimum - none", "just-below-minimum -0.01 invalid", "just-above-minimum 0.01 valid", "maximum 99.5 valid", "just-above-maximum 99.51 invalid",
			"just-below-maximum 99.49 valid", "huge 1e308 invalid", "many-decimals 1.2345678901234567890 valid", "as-text 11 invalid", "missing - valid", "fraction - none"},
		"$.nights": {"zero 0 invalid", "one 1 valid", "just-above-minimum - none", "maximum 30 invalid", "just-below-maximum 29 valid", "just-above-maximum 31 invalid", "fraction 1.5 invalid", "above-32-bits 2147483648 invalid"},
		"$.cents":  {"just-above-minimum 5 valid", "just-below-minimum -5 invalid", "one 1 invalid"},
		"$.paid":   {"true true valid", "false - none", "as-text false invalid", "as-number 12 invalid", "as-truth-value - none"},
		"$.state":  {"listed-2 paid valid", "listed-1 - none", "not-listed a-value-that-is-not-listed invalid", "listed-in-capitals OPEN invalid"},
		"$.due":    {"leap-day 2028-02-29 valid", "no-leap-day 2027-02-29 invalid", "day-first 31.12.2027 invalid", "not-date quay invalid", "missing - invalid"},
		"$.sent":   {"leap-day 2028-02-29T12:00:00Z valid", "no-zone 2027-06-01T12:00:00 invalid", "null - none"},
		"$.lines": {"empty [] invalid", `one [{"price":4.25}] valid`, `duplicate [{"price":4.25},{"price":8.25},{"price":4.25}] valid`, "fewest - none", "too-few - none",
			`most - none`, `too-many [{"price":4.25},{"price":8.25},{"price":4.25},{"price":8.25}] invalid`, `with-null [{"price":4.25},{"price":8.25},null] invalid`},
		"$.page": {"query https://skerry-sound.example/berths?pier=north&a=%20#top valid", "spaces https://skerry-sound.example/north pier invalid", "relative /berths/N7 invalid",
			"script javascript:alert(1) valid", `as-list ["https://quay.example/7"] invalid`},
		"$.vessel":         {"empty {} invalid", `extra-field {"name":"Tern","unexpected":"quay"} invalid`, "as-text quay invalid"},
		"$.vessel.name":    {"emoji ⚓ 👩‍✈️ 🏳️‍🌈 valid", "missing - invalid"},
		"$.lines[*].price": {"zero 0 valid", "missing - invalid"},
		"/lines/1/price":   {"negative -1 valid"},
		"$":                {"empty {} invalid", "missing - none", "as-list"},
	} {
		got := make(map[string]string)
		for _, v := range field(t, path).Values() {
			_, twice := got[v.ID]
			assert.False(t, twice, "%s: %s twice", path, v.ID)
			text := "-"
			if v.Node != nil {
				text = v.Node.Text
			}
			if v.Node != nil && v.Node.Kind != tree.String {
				text = string(v.Node.AppendJSON(nil))
			}
			got[v.ID] = fmt.Sprint(v.ID, " ", text, " ", v.Validity)
			assert.Equal(t, v.Validity == boundary.Invalid, v.Breach != "", got[v.ID])
		}
		for _, line := range want {
			id, _, whole := strings.Cut(line, " ")
			switch {
			case strings.HasSuffix(line, " - none"):
				assert.Empty(t, got[id], path)
			case whole:
				assert.Equal(t, line, got[id], path)
			default:
				assert.NotEmpty(t, got[id], path)
			}
		}
	}
}

// Without a contract the values follow what stands there, and nothing is said of them.
func TestValuesWithoutAContract(t *testing.T) {
	for path, id := range map[string]string{"$.n": "inexact", "$.f": "third-decimal", "$.b": "true", "$.t": "markup", "$.l": "many", "$.o": "extra-field"} {
		f, err := boundary.At(parse(t, `{n: 7, f: 1.5, b: false, t: quay, l: [1], o: {}}`), path, nil)
		require.NoError(t, err)
		found := false
		for _, v := range f.Values() {
			assert.Equal(t, boundary.Unknown, v.Validity)
			found = found || v.ID == id
		}
		assert.True(t, found, "%s has no %s", path, id)
	}
}

// Counts and totals follow their list, also in objects further out; what only has the same number
// does not.
func TestWhatFollowsAList(t *testing.T) {
	for _, v := range field(t, "$.lines").Values() {
		said := make(map[string]string)
		for _, follow := range v.Follows {
			said[follow.Pointer] = follow.From.Text + " " + follow.To.Text
		}
		switch v.ID {
		case "one":
			assert.Equal(t, map[string]string{"/total": "12.50 4.25", "/count": "2 1"}, said)
			changed := field(t, "$.lines").Document(&v, true)
			assert.Equal(t, `{"n":4.25,"c":1}`, fmt.Sprintf(`{"n":%s,"c":%s}`, changed.Get("total").Text, changed.Get("count").Text))
			assert.Equal(t, "12.50", field(t, "$.lines").Document(&v, false).Get("total").Text)
		case "empty":
			assert.Equal(t, map[string]string{"/total": "12.50 0.00", "/count": "2 0"}, said)
		}
	}
	f, err := boundary.At(parse(t, `{page: {totalItems: 2, pages: 2, berths: [{n: 1}, {n: 2}]}, size: 2}`), "$.page.berths", nil)
	require.NoError(t, err)
	for _, v := range f.Values() {
		if v.ID == "many" {
			assert.Equal(t, `{"page":{"totalItems":1000,"pages":2},"size":1000}`, strings.Replace(string(f.Document(&boundary.Value{Node: nil, Follows: v.Follows}, true).AppendJSON(nil)), `,"berths":null`, "", 1))
		}
	}
}

func TestFieldsThatAreNotThere(t *testing.T) {
	for path, want := range map[string]string{
		"$.lines[5].price": `the answer has no [5] there: /lines is a list of 2`,
		"$.vessel.flag.id": `the answer has no "flag" there: /vessel is an object with name`,
		"$.stat":           `neither the answer nor its contract has "stat" there (state?)`,
		"$.vessel.colour":  `neither the answer nor its contract has "colour" there`,
		"$.number.x":       `the answer has no "x" there: /number is a string`,
		"amount":           `"amount" is no path`,
		"$..":              `a name is missing`,
		"$.lines[":         `[ is not closed`,
		"$.lines[x]":       `must be an index`,
		"$amount":          `expected . or [`,
	} {
		_, err := boundary.At(parse(t, billed), path, bills(t))
		assert.ErrorContains(t, err, want, path)
	}
	assert.Equal(t, []string{"/lines/0/price", "/lines/1/price"}, field(t, "$.lines[*].price").Pointers)
	assert.Equal(t, []string{"/vessel/name"}, field(t, `$['vessel']["name"]`).Pointers)
}

// Every pair of values of two fields occurs, in far fewer combinations than there are.
func TestPairs(t *testing.T) {
	for _, counts := range [][]int{{3}, {2, 5}, {3, 3, 3}, {5, 1, 4, 2, 7}, {10, 10, 10, 10}, {2, 2, 2, 2, 2, 2, 2, 2}} {
		all, seen := boundary.Pairs(counts), map[[4]int]bool{}
		for _, one := range all {
			require.Len(t, one, len(counts))
			for a := range one {
				require.Less(t, one[a], counts[a])
				for b := range a {
					seen[[4]int{a, one[a], b, one[b]}] = true
				}
			}
		}
		pairs, product := 0, 1
		for a := range counts {
			product *= counts[a]
			for b := range a {
				pairs += counts[a] * counts[b]
			}
		}
		assert.Len(t, seen, pairs, "%v", counts)
		assert.LessOrEqual(t, len(all), product)
	}
	assert.LessOrEqual(t, len(boundary.Pairs([]int{10, 10, 10, 10})), 170, "of 10,000")
	assert.LessOrEqual(t, len(boundary.Pairs([]int{2, 2, 2, 2, 2, 2, 2, 2})), 12, "of 256")
	assert.Nil(t, boundary.Pairs(nil))
}

// 10,000 elements, and a document of 1 MB.
func BenchmarkValuesOfALargeDocument(b *testing.B) {
	var list strings.Builder
	for i := range 10_000 {
		fmt.Fprintf(&list, `{"price": %d.25, "text": "%090d"},`, i, i)
	}
	document := parse(b, `{"lines": [`+strings.TrimSuffix(list.String(), ",")+`], "count": 10000}`)
	schema := bills(b)
	for b.Loop() {
		f, err := boundary.At(document, "$.lines", schema)
		require.NoError(b, err)
		require.NotEmpty(b, f.Values())
	}
}
