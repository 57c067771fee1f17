package control

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// memoryOf finds the service of a request, what it remembers, and whose memory is meant. plan is
// nil where memory is off.
func (s *server) memoryOf(c *gin.Context) (service *catalog.Service, plan *collection.Plan, where collection.Space, err error) {
	view, err := s.viewOf(c)
	if err != nil {
		return nil, nil, where, err
	}
	if service, err = view.FindService(c.Param("service")); err != nil {
		return nil, nil, where, err
	}
	return service, service.Collections(), collection.Space{Service: service.Spec.ID, Lane: view.LaneName(), With: service.MemoryWith}, nil
}

// collectionOf is the collection that a request names.
func (s *server) collectionOf(c *gin.Context) (service *catalog.Service, found *collection.Collection, where collection.Space, err error) {
	service, plan, where, err := s.memoryOf(c)
	if err != nil {
		return nil, nil, where, err
	}
	name := c.Param("collection")
	if plan == nil {
		return nil, nil, where, problem.New(problem.NotFound, "service %q remembers nothing (rapidmimic service set %s --memory on)", service.Spec.Name, service.Spec.Name)
	}
	if found = plan.Named(name); found == nil {
		return nil, nil, where, unknownCollection(plan, name)
	}
	return service, found, where, nil
}

func unknownCollection(plan *collection.Plan, name string) error {
	if plan == nil || len(plan.Collections) == 0 {
		return problem.New(problem.NotFound, "collection %q not found: the contract has none that was understood", name)
	}
	return problem.New(problem.NotFound, "collection %q not found (%s)", name, problem.Suggest(name, plan.Names(), "there is"))
}

func (s *server) getMemory(c *gin.Context) {
	_, plan, where, err := s.memoryOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := api.Memory{Collections: []api.Collection{}, Stateless: []api.StatelessOperation{}}
	if plan == nil {
		c.PureJSON(http.StatusOK, view)
		return
	}
	state := s.Engine.Memory().State(where, plan)
	view.On, view.Own, view.Bytes, view.Evicted = true, state.Own, state.Bytes, state.Evicted
	for _, one := range plan.Collections {
		item := api.Collection{Name: one.Name, At: one.At, Item: one.Item, Key: one.Key, ParentField: one.ParentField, Items: state.Items[one.Name], Unkeyed: one.Unkeyed, Operations: []api.CollectionOperation{}}
		if one.Parent != nil {
			item.Parent = one.Parent.Name
		}
		for _, role := range one.Roles {
			item.Operations = append(item.Operations, api.CollectionOperation{Operation: role.Operation.ID, Call: role.Operation.String(), Does: string(role.Verb)})
		}
		view.Collections = append(view.Collections, item)
	}
	for _, one := range plan.Stateless {
		view.Stateless = append(view.Stateless, api.StatelessOperation{Operation: one.Operation.ID, Call: one.Operation.String(), Why: one.Why})
	}
	c.PureJSON(http.StatusOK, view)
}

// itemView is an item as it may be shown: what is a secret in a call is one here, also where it
// is the key of an item.
func (s *server) itemView(item *collection.Item) api.RememberedItem {
	under := tree.NewMap()
	for _, name := range slices.Sorted(maps.Keys(item.Under)) {
		under.Members = append(under.Members, tree.Member{Key: name, Value: tree.NewString(item.Under[name])})
	}
	whole := tree.NewMap(tree.Member{Key: "value", Value: item.Value}, tree.Member{Key: "item", Value: tree.NewString(item.Key)}, tree.Member{Key: "under", Value: under})
	view, shown := api.RememberedItem{Version: item.Version}, s.masked(whole)
	if shown == nil {
		return view
	}
	view.Key, view.Value = shown.Get("item").Str(), shown.Get("value")
	for _, m := range shown.Get("under").Entries() {
		if view.Under == nil {
			view.Under = make(map[string]string)
		}
		view.Under[m.Key] = m.Value.Str()
	}
	return view
}

// itemOf is the item that a request names, by its key as it is or as it is shown; nil for none.
// Items below others may have the same key: then the request says below which.
func (s *server) itemOf(c *gin.Context, where collection.Space, found *collection.Collection) (*collection.Item, error) {
	under, err := underOf(c)
	if err != nil {
		return nil, err
	}
	key, items := c.Param("item"), s.Engine.Memory().Items(where, found)
	fits := func(has string, below map[string]string) bool {
		for name, value := range under {
			if below[name] != value {
				return false
			}
		}
		return has == key
	}
	var those []*collection.Item
	for _, item := range items {
		if fits(item.Key, item.Under) {
			those = append(those, item)
		}
	}
	for _, item := range items {
		if len(those) > 0 {
			break
		}
		if view := s.itemView(item); fits(view.Key, view.Under) {
			those = append(those, item)
		}
	}
	switch len(those) {
	case 0:
		return nil, nil
	case 1:
		return those[0], nil
	default:
		return nil, problem.New(problem.Conflict, "%s has %d items with the key %q: say below which, by under=PARAMETER=VALUE", found.Name, len(those), key)
	}
}

func (s *server) listRemembered(c *gin.Context) {
	_, found, where, err := s.collectionOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	items := s.Engine.Memory().Items(where, found)
	places := make([]int, len(items)) // which tell nothing of keys
	for i := range places {
		places[i] = i
	}
	respondList(s, c, listing[int, api.RememberedItem]{
		items: places, limit: defaultLimit, key: func(i int) string { return fmt.Sprintf("%08d", i) },
		view: func(i int) api.RememberedItem { return s.itemView(items[i]) },
	})
}

// putRemembered keeps an item by hand, whatever the contract says of it: to try what a program
// does with it.
func (s *server) putRemembered(c *gin.Context) {
	service, found, where, err := s.collectionOf(c)
	var value *tree.Node
	var under map[string]string
	if err == nil {
		under, err = underOf(c)
	}
	if err == nil {
		var text []byte
		if text, err = readDocument(c); err == nil {
			value, err = tree.Parse(text)
		}
	}
	var old *collection.Item
	if err == nil {
		old, err = s.itemOf(c, where, found)
	}
	key, shown := c.Param("item"), c.Param("item")
	if err == nil && value.Kind != tree.Map {
		err = problem.New(problem.Invalid, "an item is an object, such as { %s: %s }", found.Key, key)
	}
	if err == nil && found.Key != "" {
		if own := value.Get(found.Key); own != nil && own.Text != key {
			err = problem.New(problem.Invalid, "the address says %q, and the item has %s %q", key, found.Key, own.Text)
		}
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if old != nil { // what is shown as a secret comes back as it was
		view := s.itemView(old)
		value, key, under, shown = unmasked(value, view.Value, old.Value), old.Key, old.Under, view.Key
	}
	item, isNew, wrong := s.Engine.Memory().Put(where, found, value, key, under)
	if wrong != "" {
		s.fail(c, problem.New(problem.Invalid, "the item cannot be kept: %s", wrong), nil)
		return
	}
	s.note(c, service.Spec.Name, fmt.Sprintf("put %q into %s of the memory of %s%s", shown, found.Name, service.Spec.Name, inLaneText(where)))
	c.PureJSON(created(isNew), s.itemView(item))
}

// unmasked is a document with what it has in common with another that was shown instead of a
// third as the third has it.
func unmasked(given, shown, kept *tree.Node) *tree.Node {
	switch {
	case given == nil || shown == nil || kept == nil:
		return given
	case tree.Equal(given, shown):
		return kept
	case given.Kind == tree.Map:
		members := slices.Clone(given.Members)
		for i, m := range members {
			members[i].Value = unmasked(m.Value, shown.Get(m.Key), kept.Get(m.Key))
		}
		return tree.NewMap(members...)
	case given.Kind == tree.List && shown.Kind == tree.List && kept.Kind == tree.List:
		items := slices.Clone(given.Items)
		for i := range min(len(items), len(shown.Items), len(kept.Items)) {
			items[i] = unmasked(items[i], shown.Items[i], kept.Items[i])
		}
		return tree.NewList(items...)
	default:
		return given
	}
}

// underOf reads name=value of each parameter of the path below which an item is.
func underOf(c *gin.Context) (map[string]string, error) {
	under := make(map[string]string)
	for _, text := range c.QueryArray("under") {
		name, value, ok := strings.Cut(text, "=")
		if !ok {
			return nil, problem.New(problem.Invalid, "under must be a parameter of the path and its value, such as number=N7, not %q", text)
		}
		under[name] = value
	}
	return under, nil
}

func inLaneText(where collection.Space) string {
	if where.Lane == "" {
		return ""
	}
	return " in lane " + where.Lane
}

func (s *server) deleteRemembered(c *gin.Context) {
	service, found, where, err := s.collectionOf(c)
	var item *collection.Item
	if err == nil {
		item, err = s.itemOf(c, where, found)
	}
	if err == nil && (item == nil || !s.Engine.Memory().Remove(where, found, item)) {
		err = problem.New(problem.NotFound, "%s has no %q", found.Name, c.Param("item"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.note(c, service.Spec.Name, fmt.Sprintf("removed %q from %s of the memory of %s%s", s.itemView(item).Key, found.Name, service.Spec.Name, inLaneText(where)))
	c.Status(http.StatusNoContent)
}

// resetMemory takes a collection, or all of them, back to its starting data.
func (s *server) resetMemory(c *gin.Context) {
	service, plan, where, err := s.memoryOf(c)
	name := c.Query("collection")
	if err == nil && name != "" && plan.Named(name) == nil {
		err = unknownCollection(plan, name)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.Engine.Memory().Reset(where, name)
	what := "the memory"
	if name != "" {
		what = name + " of the memory"
	}
	s.note(c, service.Spec.Name, fmt.Sprintf("reset %s of %s%s", what, service.Spec.Name, inLaneText(where)))
	c.Status(http.StatusNoContent)
}

// listRecordedItems lists the items of a collection that the reads of a recording told of.
func (s *server) listRecordedItems(c *gin.Context) {
	err := s.Log.Flush(c.Request.Context())
	var exchanges []recording.Exchange
	if err == nil {
		_, exchanges, err = s.Catalog.Exchanges(c.Request.Context(), c.Param("service"), c.Param("recording"))
	}
	var service *catalog.Service
	if err == nil {
		service, err = s.Catalog.Find(c.Param("service"))
	}
	var found *collection.Collection
	var told []collection.Told
	if err == nil {
		found, told, err = toldBy(service, exchanges, c.Query("collection"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	items := found.Gathered(told)
	if len(items) == 0 {
		s.fail(c, problem.New(problem.NotFound, "no read or list of %s was recorded", found.Name), nil)
		return
	}
	c.PureJSON(http.StatusOK, api.List[*tree.Node]{Items: items})
}

// answeredBy is what an answer says; nil where it cannot be read.
func answeredBy(speaks contract.Protocol, op *contract.Operation, body []byte) *tree.Node {
	if documented, is := speaks.(contract.Documented); is {
		return documented.Answered(op, body)
	}
	answer, err := tree.ParseJSON(body)
	if err != nil {
		return nil
	}
	return answer
}

// toldBy finds a collection, whether memory is on or not, and what recorded answers tell of it.
func toldBy(service *catalog.Service, exchanges []recording.Exchange, name string) (found *collection.Collection, told []collection.Told, err error) {
	plan := service.Collections()
	if plan == nil && service.Contract != nil {
		plan = collection.Find(service.Contract.Operations, service.Contract.Protocol, spec.Memory{On: true})
	}
	if plan == nil {
		return nil, nil, problem.New(problem.NotFound, "service %q has no contract, by which it could remember", service.Spec.Name)
	}
	if found = plan.Named(name); found == nil {
		return nil, nil, unknownCollection(plan, name)
	}
	for _, x := range exchanges {
		if x.Status < 200 || x.Status > 299 {
			continue
		}
		r := &call.Request{Method: x.Method, Path: x.Path, Query: x.Query, Header: x.Request, Body: call.Body{Bytes: x.Body, Size: int64(len(x.Body))}}
		asked := service.Protocol().Dispatch(r, match.Split(nil, x.Path))
		if asked.Operation == nil {
			continue
		}
		if answer := answeredBy(service.Protocol(), asked.Operation, x.Answer); answer != nil {
			told = append(told, collection.Told{Role: plan.Of(asked.Operation.ID), Answer: answer})
		}
	}
	return found, told, nil
}
