package match_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

// entry is one of a few hundred rules that are told apart by their query, or have
// a path of their own.
func entry(t testing.TB, chance *rand.Rand, id string) match.Entry[string] {
	where := []string{"", "{query: berth, equals: N1}", "{query: berth, equals: N2}", "{query: pier, equals: west}"}[chance.IntN(4)]
	mappings, err := spec.ReadMappings([]byte("call: {path: /x, where: [" + where + "]}"))
	require.NoError(t, err)
	conditions, fault := compiler.Conditions(mappings[0].Call)
	require.Nil(t, fault)
	path := []string{"/berths/N7", "/berths/{n}", "/berths/{n:N[0-9]}", "/dues/" + id}[chance.IntN(4)]
	rule := &match.Rule{ID: id, Rank: chance.IntN(3), Template: template(t, path), Conditions: conditions}
	return match.Entry[string]{Rule: rule, Value: id}
}

// An index that was edited finds what one made of the same entries finds.
func TestAnEditedIndexFindsWhatAFreshOneFinds(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 1))
	var entries []match.Entry[string]
	made := 0
	add := func() match.Entry[string] {
		made++
		return entry(t, chance, fmt.Sprint("m", made))
	}
	for range 1_200 {
		entries = append(entries, add())
	}
	edited := match.NewEdited(entries)
	beside := 0 // how many edits the index took without being made anew
	for edit := range 200 {
		var gone, added []match.Entry[string]
		for range chance.IntN(3) {
			at := chance.IntN(len(entries))
			if chance.IntN(2) == 0 { // one that came lately
				at = len(entries) - 1
			}
			gone, entries = append(gone, entries[at]), slices.Delete(entries, at, at+1)
		}
		for range chance.IntN(3) {
			added = append(added, add())
		}
		entries = append(entries, added...)
		next, ok := edited.With(gone, added)
		if ok {
			beside++
		} else {
			next = match.NewEdited(entries)
		}
		edited = next
		fresh := match.NewEdited(entries)
		for _, path := range [][]string{{"berths", "N7"}, {"berths", "west"}, {"dues", entries[len(entries)-1].Value}} {
			facts := &match.Facts{Request: &call.Request{Method: "GET", Query: []string{"berth=N1", "pier=west", "berth=N3"}[edit%3]}}
			holding := func(fits []match.Fit[string]) []match.Fit[string] {
				return slices.DeleteFunc(slices.Clone(fits), func(f match.Fit[string]) bool { return f.Rule.Conditions.Fails(facts, nil) != nil })
			}
			want, wantOthers := fresh.Find("GET", path, facts)
			got, others := edited.Find("GET", path, facts)
			require.Equal(t, holding(want), holding(got), "edit %d, %v", edit, path)
			require.Equal(t, len(want)+wantOthers, len(got)+others, "edit %d, %v", edit, path)
			require.True(t, edited.Narrowed())
			assert.ElementsMatch(t, fresh.Some("GET", path, facts, 5_000), edited.Some("GET", path, facts, 5_000), "edit %d, %v", edit, path)
			assert.Len(t, edited.Some("GET", path, facts, 1), min(1, len(want)+wantOthers))
		}
	}
	assert.Greater(t, beside, 150)
	assert.Less(t, beside, 200, "it is made anew now and then")
}

// BenchmarkEdit replaces one rule of many.
func BenchmarkEdit(b *testing.B) {
	for _, n := range []int{1_000, 10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			entries := make([]match.Entry[int], n)
			for i := range entries {
				entries[i] = match.Entry[int]{Rule: &match.Rule{ID: fmt.Sprint(i), Template: template(b, fmt.Sprintf("/berths/N%d", i))}, Value: i}
			}
			edited, value := match.NewEdited(entries), n
			b.ReportAllocs()
			for i := 0; b.Loop(); i = (i + 7919) % n {
				gone := entries[i]
				value++
				entries[i].Value = value
				next, ok := edited.With([]match.Entry[int]{gone}, entries[i:i+1])
				if !ok {
					next = match.NewEdited(entries)
				}
				edited = next
			}
		})
	}
}
