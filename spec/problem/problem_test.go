package problem_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/problem"
)

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{
		{"berths", "berths", 0}, {"bertsh", "berths", 1}, {"berth", "berths", 1}, {"births", "berths", 1},
		{"", "abc", 3}, {"kitten", "sitting", 3}, {"ab", "ba", 1}, {"abc", "xyz", 3},
	} {
		assert.Equal(t, c.want, problem.Distance(c.a, c.b, 10), "%s %s", c.a, c.b)
		assert.Equal(t, c.want, problem.Distance(c.b, c.a, 10), "%s %s", c.b, c.a)
		assert.LessOrEqual(t, problem.Distance(c.a, c.b, 2), 2, "it stops counting at the limit")
	}
}

func TestClosest(t *testing.T) {
	names := []string{"status", "headers", "json", "text"}
	for word, want := range map[string]string{"stattus": "status", "Header": "headers", "jsn": "json", "colour": "", "x": "", "tetx": "text"} {
		assert.Equal(t, want, problem.Closest(word, names), word)
	}
	assert.Empty(t, problem.Closest("x", nil))
	assert.Equal(t, "label?", problem.Suggest("lable", []string{"text", "label"}, "it has"))
	assert.Equal(t, "it has text, label", problem.Suggest("nothing", []string{"text", "label"}, "it has"))
}

func TestErrorsListTheirPlacesInTheOrderOfTheDocument(t *testing.T) {
	assert.NoError(t, problem.FromItems("x", nil))
	err := problem.FromItems("the document cannot be used", []problem.Item{
		{Line: 9, Col: 1, Detail: "last"}, {File: "b.yaml", Line: 1, Col: 1, Detail: "of another file"}, {Line: 2, Col: 5, At: "/a", Detail: "first"}, {Line: 2, Col: 7, Detail: "second"},
	})
	assert.EqualError(t, err, "the document cannot be used: 2:5: first; 2:7: second; 9:1: last; b.yaml:1:1: of another file")
	var p *problem.Error
	require.True(t, errors.As(fmt.Errorf("import: %w", err), &p))
	assert.Equal(t, problem.Invalid, p.Code)
	for item, want := range map[problem.Item]string{
		{Detail: "alone"}:                      "alone",
		{At: "/call/path", Detail: "no line"}:  "/call/path: no line",
		{File: "a.yaml", Detail: "whole file"}: "a.yaml: whole file",
	} {
		assert.Equal(t, want, item.String())
	}
}
