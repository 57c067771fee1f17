package tree_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/tree"
)

func TestParseReadsBothNotationsAlike(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"json keeps order and digits": {`{"b": 1.0, "a": 9007199254740993, "c": [null, true]}`, `{"b":1.0,"a":9007199254740993,"c":[null,true]}`},
		"yaml keeps order and digits": {"b: 1.0\na: 9007199254740993\nc: [null, true]\n", `{"b":1.0,"a":9007199254740993,"c":[null,true]}`},
		"codes, dates and yes are text": {
			"code: 01234\nday: 2026-12-01\nfree: yes\nversion: 1.10\nodd: 1_000\nempty:\n",
			`{"code":"01234","day":"2026-12-01","free":"yes","version":1.10,"odd":"1_000","empty":null}`,
		},
		"quoted numbers are text":       {`{a: "1", b: '2', c: !!str 3}`, `{"a":"1","b":"2","c":"3"}`},
		"flow style looks like json":    {`{a: [x, y], b: {c: d}}`, `{"a":["x","y"],"b":{"c":"d"}}`},
		"aliases and merges expand":     {"base: &b {x: 1, y: 2}\nmore: {<<: *b, y: 3}\n", `{"base":{"x":1,"y":2},"more":{"y":3,"x":1}}`},
		"the last of two keys counts":   {`{"a": 1, "b": 2, "a": 3}`, `{"a":3,"b":2}`},
		"a byte-order mark is no text":  {"\xef\xbb\xbf{\"a\": 1}", `{"a":1}`},
		"hexadecimal is a number":       {"a: 0x1F", `{"a":31}`},
		"markup is not escaped":         {`{"a": "<b>&\u2028\u0007\"\\"}`, "{\"a\":\"<b>&\u2028\\u0007\\\"\\\\\"}"},
		"an empty document is null":     {"", `null`},
		"many keys are found by index":  {manyKeys(40), manyKeys(40)},
		"deep is fine up to the limit":  {strings.Repeat("[", 400) + strings.Repeat("]", 400), strings.Repeat("[", 400) + strings.Repeat("]", 400)},
		"a comment ends a plain scalar": {"a: x # y", `{"a":"x"}`},
	} {
		t.Run(name, func(t *testing.T) {
			n, err := tree.Parse([]byte(c.text))
			require.NoError(t, err)
			assert.Equal(t, c.want, string(n.AppendJSON(nil)))

			written, err := n.YAML()
			require.NoError(t, err)
			again, err := tree.Parse(written)
			require.NoError(t, err, "%s", written)
			assert.Equal(t, c.want, string(again.AppendJSON(nil)), "written as YAML and read again:\n%s", written)
		})
	}
}

func manyKeys(n int) string {
	parts := make([]string, n)
	for i := range parts {
		parts[i] = fmt.Sprintf(`"key%d":%d`, i, i)
	}
	return "{" + strings.Join(parts, ",") + "}"
}

func TestParseSaysWhere(t *testing.T) {
	bomb := "a: &a [x,x,x,x,x,x,x,x,x]\n"
	for c := 'b'; c <= 'i'; c++ {
		bomb += fmt.Sprintf("%c: &%c [%s]\n", c, c, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*%c,", c-1), 9), ","))
	}
	for name, c := range map[string]struct {
		text, detail string
		line, col    int
	}{
		"json, a comma too many":     {"{\n  \"a\": 1,\n}", "invalid character '}'", 3, 1},
		"json, cut off":              {"{\n  \"a\": [1, 2", "ends inside", 2, 13},
		"json, text after the end":   {"{\"a\": 1} x", "more text", 1, 10},
		"yaml, wrong indentation":    {"a:\n  b: c\n d: e\n", "did not find expected key", 3, 2},
		"yaml, a tab":                {"a:\n\tb: c\n", "tab", 2, 1},
		"yaml, a key that is a list": {"a:\n  [x]: y\n", "a key must be plain text", 2, 3},
		"an alias bomb":              {bomb, "aliases add more than", 0, 0},
		"nesting without end":        {strings.Repeat("[", 3000), "nested deeper", 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := tree.Parse([]byte(c.text))
			var syntax *tree.SyntaxError
			require.ErrorAs(t, err, &syntax)
			assert.Contains(t, strings.ToLower(syntax.Detail), c.detail)
			if c.line > 0 {
				assert.Equal(t, [2]int{c.line, c.col}, [2]int{syntax.Line, syntax.Col})
			}
		})
	}
}

func TestPositionsAndPointers(t *testing.T) {
	for name, text := range map[string]string{
		"json": "{\n  \"a\": {\n    \"b/c\": [1,\n      \"x\"]\n  }\n}",
		"yaml": "# berths\na:\n  b/c: [1,\n      \"x\"]\n",
	} {
		t.Run(name, func(t *testing.T) {
			n, err := tree.Parse([]byte(text))
			require.NoError(t, err)
			x := n.At("/a/b~1c/1")
			require.NotNil(t, x)
			assert.Equal(t, "x", x.Str())
			assert.Equal(t, [2]int{4, 7}, [2]int{int(x.Line), int(x.Col)})
			assert.Nil(t, n.At("/a/b~1c/2"))
			assert.Nil(t, n.At("/a/none/deeper"))
		})
	}
}

// FuzzJSON holds our parser against the standard library's.
func FuzzJSON(f *testing.F) {
	for _, seed := range []string{`{"a":[1,2.50,"x\n"],"b":null,"a":-0.1e+7}`, `"\u00e9\ud83d\ude00\ud800\u0041\/"`, "\"\xff\"", `[1,]`, `{"a" 1}`, `[01]`, ` [ ] `, `{"a":1}x`, "[\"\t\"]", `"\x"`, `1e`, `-`, `nul`, `"é`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		n, err := tree.ParseJSON(text)
		if valid := json.Valid(text); valid != (err == nil) {
			if !valid || !strings.Contains(err.Error(), "nested deeper") {
				t.Fatalf("%q: valid is %v, our error is %v", text, valid, err)
			}
			return
		}
		if err != nil {
			return
		}
		var theirs, ours any
		if err := json.Unmarshal(n.AppendJSON(nil), &ours); err != nil {
			if errors.As(err, new(*json.UnmarshalTypeError)) { // a number that no float holds
				return
			}
			t.Fatalf("%q became %q: %v", text, n.AppendJSON(nil), err)
		}
		if err := json.Unmarshal(text, &theirs); err != nil || !reflect.DeepEqual(theirs, ours) {
			t.Fatalf("%q became %q", text, n.AppendJSON(nil))
		}
	})
}

// Work and memory stay within bounds, however dense a text is.
func TestParseIsBounded(t *testing.T) {
	ones := "[" + strings.Repeat("1,", 2_000_000) + "1]"
	_, err := tree.Parse([]byte(ones))
	assert.ErrorIs(t, err, tree.ErrTooLarge)
	_, err = tree.Parse([]byte(strings.Repeat("- 1\n", 2_000_000)))
	assert.ErrorIs(t, err, tree.ErrTooLarge)
	_, err = tree.ParseJSONWithin([]byte(`[1, [2, {"a": 3}]]`), 5)
	assert.ErrorIs(t, err, tree.ErrTooLarge)
	_, err = tree.ParseJSONWithin([]byte(`[1, [2, {"a": 3}]]`), 6)
	assert.NoError(t, err)
}

func BenchmarkParseJSON(b *testing.B) {
	for name, text := range map[string]string{
		"call":  `{"vessel":{"name":"Grey Gannet","length":42.5,"flag":"NO"},"from":"2026-12-01T10:00:00Z","nights":3,"berths":["N7","N8"]}`,
		"dense": "[" + strings.Repeat("1,", 100_000) + "1]",
	} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			b.ReportAllocs()
			for b.Loop() {
				if _, err := tree.ParseJSON([]byte(text)); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{`{"a":[1,2.50,"x\n"],"b":null}`, "a: &x {b: [1, 01, ~]}\nc: *x\n", "- |\n  two\n  lines\n- '<<'\n", "{a: b, ? [c] : d}", "a: !!binary aGk=\n"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		n, err := tree.Parse(text)
		if err != nil {
			return
		}
		first := n.AppendJSON(nil)
		again, err := tree.ParseJSON(first)
		if err != nil {
			t.Fatalf("wrote %q, which does not parse: %v", first, err)
		}
		if second := again.AppendJSON(nil); string(first) != string(second) {
			t.Fatalf("%q became %q", first, second)
		}
	})
}

// A text with any character that could end a line comes back from YAML as it was.
func TestTextsComeBackFromYAML(t *testing.T) {
	for _, text := range []string{"\n\u2028", "a\u2029b", "a\u0085\nb", "a\r\nb", "\r", "a\nb\n", "\n a", "\ta\n", " a\nb ", "a\n\n", "\ufeffa", "a\x00b", "- a\n# b", "'\"\n"} {
		n := &tree.Node{Kind: tree.Map, Members: []tree.Member{{Key: "a", Value: tree.NewString(text)}}}
		written, err := n.YAML()
		require.NoError(t, err)
		read, err := tree.Parse(written)
		require.NoError(t, err, "%q: %s", text, written)
		assert.Equal(t, text, read.Get("a").Text, "%q: %s", text, written)
	}
}
