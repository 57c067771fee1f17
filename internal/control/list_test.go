package control

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

type berth struct {
	Name  string `json:"name"`
	Depth any    `json:"depth,omitempty"`
}

func berthNames(list []berth) (names string) {
	for _, b := range list {
		names += b.Name
	}
	return names
}

// A page goes on behind what the page before ended with, also where that is gone.
func TestPages(t *testing.T) {
	all := []berth{{Name: "a"}, {Name: "b"}, {Name: "c"}, {Name: "d"}}
	key := func(b berth) string { return b.Name }
	for _, k := range []struct {
		items      []berth
		after      string
		limit      int
		want, next string
	}{
		{all, "", 0, "abcd", ""},
		{all, "", 4, "abcd", ""},
		{all, "", 3, "abc", "2:c"},
		{all, "2:c", 3, "d", ""},
		{all[1:], "2:c", 3, "d", ""},
		{append(all[:2:2], all[3]), "2:c", 3, "d", ""},
		{all[:2], "2:c", 3, "", ""},
		{all, "-3:x", 1, "a", "0:a"},
		{all, "99:x", 1, "", ""},
		{all, "nonsense", 1, "a", "0:a"},
		{nil, "", 1, "", ""},
	} {
		list, next := page(k.items, key, k.after, k.limit)
		assert.Equal(t, []string{k.want, k.next}, []string{berthNames(list), next}, "%+v", k)
	}
}

func TestListsAreSortedByAField(t *testing.T) {
	l := listing[berth, berth]{items: []berth{{"a", 10}, {"b", 9.5}, {"c", nil}, {"d", "x"}, {"e", 10}}, view: func(b berth) berth { return b }}
	for by, want := range map[string]string{"depth": "baedc", "-depth": "daebc", "name": "abcde", "-name": "edcba"} {
		items, err := sorted(l, by)
		require.NoError(t, err)
		assert.Equal(t, want, berthNames(items), by)
	}
	_, err := sorted(l, "dpth")
	assert.ErrorContains(t, err, "(depth?)")
	l.items = []berth{{"a", []int{1}}}
	_, err = sorted(l, "depth")
	assert.ErrorContains(t, err, "is a list")
}

func TestFieldsOfItems(t *testing.T) {
	for names, want := range map[string]string{"name": `{"name":"a"}`, "depth,name": `{"depth":1.50,"name":"a"}`} {
		view, err := onlyFields(struct {
			Name  string     `json:"name"`
			Depth *tree.Node `json:"depth"`
			Left  string     `json:"left,omitempty"`
		}{"a", tree.NewNumber("1.50"), ""}, names)
		require.NoError(t, err)
		assert.Equal(t, want, string(view.(json.RawMessage)), names)
	}
}

func TestQueryParametersAreWhatTheDocumentSays(t *testing.T) {
	taken := queryParameters()["GET /api/v1/services/{service}/mappings"]
	for _, k := range []struct {
		name   string
		values []string
		want   string
	}{
		{"label", []string{"a"}, ""},
		{"label", []string{""}, ""},
		{"label", []string{"a", "b"}, "is given 2 times"},
		{"id", []string{"a", "b"}, ""},
		{"problem", []string{"true"}, ""},
		{"problem", []string{"yes"}, `must be true or false, not "yes"`},
		{"limit", []string{"5"}, ""},
		{"limit", []string{"five"}, "must be a whole number"},
		{"lable", []string{"a"}, "(label?)"},
		{"colour", []string{"a"}, "(this call takes after, fields, id,"},
	} {
		err := checkParameter(taken, k.name, k.values)
		if k.want == "" {
			assert.NoError(t, err, "%+v", k)
			continue
		}
		var p *problem.Error
		require.ErrorAs(t, err, &p, "%+v", k)
		assert.Contains(t, p.Detail, k.want)
	}
	assert.ErrorContains(t, checkParameter(queryParameters()["GET /api/v1"], "x", nil), "takes none")
	assert.ErrorContains(t, checkParameter(queryParameters()["GET /api/v1/services/{service}/contract"], "as", []string{"zip"}), "one of archive")
}
