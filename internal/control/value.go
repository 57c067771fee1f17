package control

import (
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// valueView is a value as it may be shown: what would be a secret in a call, in a field that is
// called as its key, is one here.
func (s *server) valueView(v collection.Value) api.RememberedValue {
	whole := tree.NewMap(tree.Member{Key: "key", Value: tree.NewString(v.Key)}, tree.Member{Key: v.Key, Value: v.Node})
	shown := s.masked(whole)
	view := api.RememberedValue{Key: shown.Get("key").Str(), Value: tree.NewMap()}
	if members := shown.Entries(); len(members) == 2 {
		view.Value = members[1].Value
	}
	if !v.Until.IsZero() {
		view.Until = &v.Until
	}
	return view
}

// masked is a document as it may be shown; nil, rather than a secret, where that cannot be told.
func (s *server) masked(whole *tree.Node) *tree.Node {
	record := call.Record{Answer: call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/json"}}, Body: whole.AppendJSON(nil)}}
	s.Masker.Mask(&record)
	shown, err := tree.ParseJSON(record.Answer.Body)
	if err != nil {
		return nil
	}
	return shown
}

// valuesOf are the values that a service remembers, without the states of flows.
func (s *server) valuesOf(where collection.Space) []collection.Value {
	all := s.Engine.Memory().Values(where, "", time.Now())
	return slices.DeleteFunc(all, func(v collection.Value) bool { return collection.IsFlowKey(v.Key) })
}

func (s *server) listValues(c *gin.Context) {
	_, _, where, err := s.memoryOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[collection.Value, api.RememberedValue]{
		items: s.valuesOf(where), limit: defaultLimit, key: func(v collection.Value) string { return v.Key }, view: s.valueView,
	})
}

// valueOf is the value that a request names, by its key as it is or as it is shown; nil for none.
func (s *server) valueOf(c *gin.Context, where collection.Space) *collection.Value {
	key, all := c.Param("key"), s.valuesOf(where)
	i := slices.IndexFunc(all, func(v collection.Value) bool { return v.Key == key })
	if i < 0 {
		i = slices.IndexFunc(all, func(v collection.Value) bool { return s.valueView(v).Key == key })
	}
	if i < 0 {
		return nil
	}
	return &all[i]
}

// putValue has a service remember a value, as an answer does.
func (s *server) putValue(c *gin.Context) {
	service, _, where, err := s.memoryOf(c)
	var text []byte
	if err == nil {
		text, err = readDocument(c)
	}
	var value *tree.Node
	if err == nil {
		value, err = tree.Parse(text)
	}
	var lasts spec.Duration
	if given := c.Query("for"); err == nil && given != "" {
		if lasts, err = spec.ParseDuration(given); err != nil || lasts <= 0 {
			err = problem.New(problem.Invalid, "for must be a time such as 10m, not %q", given)
		}
	}
	key := c.Param("key")
	if err == nil && !collection.IsKey(key) {
		err = problem.New(problem.Invalid, "the key must be a text of at most %d bytes, not %.40q", collection.MaxKey, key)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	old, shown := s.valueOf(c, where), key
	if old != nil { // what is shown as a secret comes back as it was
		view := s.valueView(*old)
		key, shown, value = old.Key, view.Key, unmasked(value, view.Value, old.Node)
	}
	s.Engine.Memory().Remember(where, []collection.Write{{Key: key, Node: value, For: time.Duration(lasts)}}, time.Now())
	s.note(c, service.Spec.Name, fmt.Sprintf("put %q into the memory of %s%s", shown, service.Spec.Name, inLaneText(where)))
	now := s.valueOf(c, where)
	if now == nil { // forgotten for others, or by its time
		now = &collection.Value{Key: key, Node: value}
	}
	c.PureJSON(created(old == nil), s.valueView(*now))
}

func (s *server) deleteValue(c *gin.Context) {
	service, _, where, err := s.memoryOf(c)
	var value *collection.Value
	if err == nil {
		if value = s.valueOf(c, where); value == nil {
			err = problem.New(problem.NotFound, "nothing is remembered under %q", c.Param("key"))
		}
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.Engine.Memory().Remember(where, []collection.Write{{Key: value.Key}}, time.Now())
	s.note(c, service.Spec.Name, fmt.Sprintf("removed %q from the memory of %s%s", s.valueView(*value).Key, service.Spec.Name, inLaneText(where)))
	c.Status(http.StatusNoContent)
}
