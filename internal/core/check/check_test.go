package check_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/check"
)

// differ has patterns that are one letter, and calls that are paths of letters: a call
// fits a pattern that is its path, and is as far from others as it is long.
func differ(asks []string) check.Differ {
	return func(pattern int, r *call.Record) check.Difference {
		if r.Request.Path == asks[pattern] {
			return check.Difference{}
		}
		return check.Difference{Why: call.Found(call.OtherPath), Far: len(r.Request.Path)}
	}
}

func record(number int, path string) *call.Record {
	return &call.Record{Number: uint64(number), Request: call.Request{Path: path}}
}

func number(n int) *int { return &n }

func TestHowOftenCallsCame(t *testing.T) {
	for _, c := range []struct {
		calls                  string
		times, atLeast, atMost *int
		holds, final           bool
		text                   string
	}{
		{"b a", nil, nil, nil, true, true, "a was received once, expected at least once"},
		{"b", nil, nil, nil, false, false, "a was received 0 times, expected at least once"},
		{"a a", number(2), nil, nil, true, true, "a was received 2 times, expected 2 times"},
		{"a a a", number(2), nil, nil, false, true, "a was received 3 times, expected 2 times"},
		{"b", number(0), nil, nil, true, false, "a was received 0 times, expected 0 times"},
		{"a", number(0), nil, nil, false, true, "a was received once, expected 0 times"},
		{"a", nil, number(2), nil, false, false, "a was received once, expected at least 2 times"},
		{"a a", nil, number(2), nil, true, true, "a was received 2 times, expected at least 2 times"},
		{"a", nil, nil, number(1), true, false, "a was received once, expected at most once"},
		{"a a", nil, nil, number(1), false, true, "a was received 2 times, expected at most once"},
		{"a", nil, number(1), number(3), true, false, "a was received once, expected 1 to 3 times"},
	} {
		least, most, err := check.Times(1, c.times, c.atLeast, c.atMost)
		require.NoError(t, err)
		asks := []string{"a"}
		checked := check.New(check.Wanted{Asks: asks, Least: least, Most: most}, differ(asks))
		for i, path := range strings.Fields(c.calls) {
			checked.Take(record(i, path))
			checked.Take(record(i, path)) // once more counts nothing
		}
		got := checked.Result()
		assert.Equal(t, c.text, got.Text)
		assert.Equal(t, c.holds, got.Holds, c.text)
		assert.Equal(t, c.final, got.Final, c.text)
		assert.Len(t, got.Calls, strings.Count(c.calls, "a"))
	}
}

func TestOrderIsThatOfTheNumbers(t *testing.T) {
	asks := []string{"a", "b", "c"}
	for _, c := range []struct {
		numbers []int // of the paths, in the order in which they are taken
		paths   string
		holds   bool
		text    string
		calls   []uint64
	}{
		{[]int{1, 2, 3}, "a b c", true, "a, then b, then c were received in this order", []uint64{1, 2, 3}},
		{[]int{3, 1, 2}, "c a b", true, "a, then b, then c were received in this order", []uint64{1, 2, 3}},
		{[]int{1, 2, 3}, "c a b", false, "c was not received after b", []uint64{2, 3}},
		{[]int{1, 2, 3, 4, 5}, "a x a b x", false, "c was not received after b", []uint64{1, 4}},
		{[]int{1}, "b", false, "a was not received", nil},
	} {
		checked := check.New(check.Wanted{Asks: asks}, differ(asks))
		for i, path := range strings.Fields(c.paths) {
			checked.Take(record(c.numbers[i], path))
		}
		got := checked.Result()
		assert.Equal(t, c.text, got.Text)
		assert.Equal(t, c.holds, got.Holds)
		assert.Equal(t, c.holds, got.Final)
		var numbers []uint64
		for _, line := range got.Calls {
			numbers = append(numbers, line.Number)
		}
		assert.Equal(t, c.calls, numbers)
	}
}

func TestTheClosestCallsAreNamed(t *testing.T) {
	asks := []string{"a"}
	checked := check.New(check.Wanted{Asks: asks, Least: 1, Most: -1}, differ(asks))
	for i, path := range strings.Fields("xxxx xx xxx yy xxxxxx xxxxx x") {
		checked.Take(record(i, path))
	}
	var near []uint64
	for _, n := range checked.Result().Closest {
		near = append(near, n.Line.Number)
	}
	assert.Equal(t, []uint64{6, 1, 3, 2, 0}, near)

	with := checked.With([]*call.Record{record(9, "a")})
	assert.True(t, with.Result().Holds)
	assert.Empty(t, with.Result().Closest)
	assert.False(t, checked.Result().Holds, "it stays as it is")
	assert.Equal(t, 7, checked.Taken())
	assert.True(t, with.Knows(9))
	assert.False(t, checked.Knows(9))
}

func TestWhatCannotBeAsked(t *testing.T) {
	for _, c := range []struct {
		patterns               int
		times, atLeast, atMost *int
		want                   string
	}{
		{0, nil, nil, nil, "needs calls"},
		{2, number(1), nil, nil, "several calls are an order"},
		{2, nil, nil, number(1), "several calls are an order"},
		{1, number(1), number(1), nil, "times, or atLeast"},
	} {
		_, _, err := check.Times(c.patterns, c.times, c.atLeast, c.atMost)
		assert.ErrorContains(t, err, c.want)
	}
}

// BenchmarkTake is a check that sees its last call among many.
func BenchmarkTake(b *testing.B) {
	asks := []string{"a"}
	for b.Loop() {
		checked := check.New(check.Wanted{Asks: asks, Least: 1, Most: -1}, differ(asks))
		for i := range 20_000 {
			checked.Take(record(i, "b"))
		}
		if checked.Result().Holds {
			b.Fatal("it holds")
		}
	}
}
