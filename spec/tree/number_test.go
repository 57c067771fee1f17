package tree_test

import (
	"encoding/json"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/spec/tree"
)

func TestCompareNumbers(t *testing.T) {
	ascending := []string{"-1e999999999", "-10", "-9.99", "-1e-400", "0", "1e-999999999999999999999", "1e-400", "0.5", "1", "1.5", "9", "10", "11",
		"9007199254740992", "9007199254740993", "1e400", "1e999999999", "2e999999999", "1e99999999999999999999999"}
	for i, a := range ascending {
		for j, b := range ascending {
			got := tree.CompareNumbers(a, b)
			assert.Equal(t, [3]bool{i < j, i == j, i > j}, [3]bool{got < 0, got == 0, got > 0}, "%s against %s", a, b)
		}
	}
	for _, same := range [][2]string{{"1", "1.0"}, {"1e2", "100"}, {"0.10", "1E-1"}, {"-0", "0e5"}, {"0.0001", "1e-4"}, {"120e-1", "12"}} {
		assert.Zero(t, tree.CompareNumbers(same[0], same[1]), same)
		a, b := tree.NewNumber(same[0]), tree.NewNumber(same[1])
		assert.True(t, tree.Equal(a, b), same)
	}
	assert.False(t, tree.Equal(tree.NewNumber("9007199254740993"), tree.NewNumber("9007199254740992")))
}

func TestBoundedNumber(t *testing.T) {
	for text, want := range map[string]string{
		"0": "0", "1.10": "1.10", "-12e3": "-12e3", "9007199254740993": "9007199254740993", "1e400": "1e400",
		"1e999999999": "0.1e1000", "-2e-999999999": "-0.2e-1000", "0e999999999": "0e999999999",
		strings.Repeat("7", 5_000): "0." + strings.Repeat("7", 1_000) + "e1000", strings.Repeat("0", 3_000): "0",
	} {
		assert.Equal(t, want, tree.BoundedNumber(text), text[:min(len(text), 30)])
	}
}

// FuzzNumbers holds our comparison against exact arithmetic, as far as that can go.
func FuzzNumbers(f *testing.F) {
	f.Add("1.50", "15e-1")
	f.Add("-0", "0")
	f.Add("1e999999999", "1e-999999999")
	f.Fuzz(func(t *testing.T, a, b string) {
		for _, text := range []string{a, b} {
			if !json.Valid([]byte(text)) || strings.Trim(text, "-+.eE0123456789") != "" || len(text) > 200 {
				return
			}
			if bounded := tree.BoundedNumber(text); !json.Valid([]byte(bounded)) {
				t.Fatalf("%s is bounded to %s, which is no number", text, bounded)
			}
		}
		if got, back := tree.CompareNumbers(a, b), tree.CompareNumbers(b, a); got != -back {
			t.Fatalf("%s against %s is %d, the other way round %d", a, b, got, back)
		}
		x, ok := new(big.Rat).SetString(tree.BoundedNumber(a))
		y, both := new(big.Rat).SetString(tree.BoundedNumber(b))
		if !ok || !both {
			t.Fatalf("exact arithmetic does not take %s or %s", tree.BoundedNumber(a), tree.BoundedNumber(b))
		}
		if tree.BoundedNumber(a) == a && tree.BoundedNumber(b) == b && x.Cmp(y) != tree.CompareNumbers(a, b) {
			t.Fatalf("%s against %s is %d, not %d", a, b, x.Cmp(y), tree.CompareNumbers(a, b))
		}
	})
}
