package control

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// listing is a list of a resource, of which a request may ask for a page, another order,
// and single fields.
type listing[S, V any] struct {
	items []S
	// key tells an item from the others.
	key func(S) string
	// view is an item as the API shows it, document as it can be put back; with nil what
	// is asked for as YAML is the view.
	view     func(S) V
	document func(S) tagged
	// limit is how many a page has unless the request says so; 0 for all.
	limit int
}

const (
	defaultLimit = 100
	maxLimit     = 10_000
)

// respondList answers with what a request asks of a list: limit, after, sort, fields.
func respondList[S, V any](s *server, c *gin.Context, l listing[S, V]) {
	limit, err := limitOf(c, l.limit)
	if err == nil && c.Query("sort") != "" {
		l.items, err = sorted(l, c.Query("sort"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	items, next := page(l.items, l.key, c.Query("after"), limit)
	if next != "" {
		c.Header("Link", "<"+followingPage(c, next)+`>; rel="next"`)
	}
	if wantsYAML(c) && l.document != nil {
		documents := make([]tagged, len(items))
		for i, item := range items {
			documents[i] = l.document(item)
		}
		s.respond(c, http.StatusOK, nil, documents)
		return
	}
	views := make([]any, len(items))
	for i, item := range items {
		if views[i], err = onlyFields(l.view(item), c.Query("fields")); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	list := struct {
		Items []any  `json:"items"`
		Next  string `json:"next,omitempty"`
	}{views, next}
	s.respond(c, http.StatusOK, list, list)
}

func followingPage(c *gin.Context, after string) string {
	next := *c.Request.URL
	query := next.Query()
	query.Set("after", after)
	next.RawQuery = query.Encode()
	return next.RequestURI()
}

// limitOf reads the limit of a list; unless stands for none.
func limitOf(c *gin.Context, unless int) (int, error) {
	text := c.Query("limit")
	if text == "" {
		return unless, nil
	}
	limit, err := strconv.Atoi(text)
	if err != nil || limit < 1 || limit > maxLimit {
		return 0, problem.New(problem.Invalid, "limit must be a number from 1 to %d, not %q", maxLimit, text)
	}
	return limit, nil
}

// page cuts a list: after is the cursor that the page before gave, the index and the key
// of its last item. Where that item is gone, the list goes on at its index.
func page[T any](items []T, key func(T) string, after string, limit int) (list []T, next string) {
	start := 0
	if before, last, ok := strings.Cut(after, ":"); ok {
		at := slices.IndexFunc(items, func(item T) bool { return key(item) == last })
		if start = at + 1; at < 0 {
			index, _ := strconv.Atoi(before) // what is none begins the list
			start = min(max(index, 0), len(items))
		}
	}
	list = items[start:]
	if limit > 0 && len(list) > limit {
		list = list[:limit]
		next = fmt.Sprintf("%d:%s", start+limit-1, key(list[limit-1]))
	}
	return list, next
}

// sorted orders a list by a field of its views, from the highest down with a - before it.
// Numbers are ordered as such, all else as text; what lacks the field comes last.
func sorted[S, V any](l listing[S, V], by string) ([]S, error) {
	field, down := strings.CutPrefix(by, "-")
	type keyed struct {
		item  S
		value *tree.Node
	}
	all := make([]keyed, len(l.items))
	known := false
	for i, item := range l.items {
		fields, err := fieldsOf(l.view(item))
		if err != nil {
			return nil, err
		}
		all[i] = keyed{item, fields.Get(field)}
		if v := all[i].value; v != nil {
			known = true
			if v.Kind == tree.Map || v.Kind == tree.List {
				return nil, problem.New(problem.Invalid, "a list is sorted by a field that is a text or a number, and %q is %s", field, v.Kind)
			}
		}
	}
	if !known && len(all) > 0 {
		return nil, unknownField("sort", field, l.view(l.items[0]))
	}
	slices.SortStableFunc(all, func(a, b keyed) int {
		if a.value == nil || b.value == nil {
			return tree.Compare(b.value, a.value) // what lacks it stays behind
		}
		order := tree.Compare(a.value, b.value)
		if down {
			return -order
		}
		return order
	})
	items := make([]S, len(all))
	for i := range all {
		items[i] = all[i].item
	}
	return items, nil
}

// onlyFields is a view with some of its fields, or as it is with "" for all.
func onlyFields(view any, names string) (any, error) {
	if names == "" {
		return view, nil
	}
	fields, err := fieldsOf(view)
	if err != nil {
		return nil, err
	}
	var kept []tree.Member
	for _, name := range strings.Split(names, ",") {
		value := fields.Get(name)
		if value == nil && !slices.Contains(tree.Keys(view), name) {
			return nil, unknownField("fields", name, view)
		}
		if value != nil {
			kept = append(kept, tree.Member{Key: name, Value: value})
		}
	}
	return json.RawMessage(tree.NewMap(kept...).AppendJSON(nil)), nil
}

func fieldsOf(view any) (*tree.Node, error) { return tree.From(view) }

func unknownField(parameter, name string, view any) error {
	return problem.New(problem.Invalid, "%s names %q, which items of this list do not have (%s)", parameter, name, problem.Suggest(name, tree.Keys(view), "they have"))
}
