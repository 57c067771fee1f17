package control

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// mostThings bounds how many things of a flow are told.
const mostThings = 1_000

func (s *server) flowView(flow catalog.Flow, where collection.Space) api.Flow {
	view := api.Flow{Name: flow.Name, States: flow.States, Moves: []api.FlowMove{}, Things: []api.FlowThing{}}
	for _, m := range flow.Moves {
		view.Moves = append(view.Moves, api.FlowMove{Mapping: m.Mapping, From: m.From, To: m.To})
	}
	things := s.thingsOf(flow, where)
	view.Count = len(things)
	for _, v := range things[:min(len(things), mostThings)] {
		view.Things = append(view.Things, api.FlowThing{Of: s.thingView(v), State: v.Node.Text})
	}
	return view
}

func (s *server) thingsOf(flow catalog.Flow, where collection.Space) []collection.Value {
	return s.Engine.Memory().Values(where, collection.FlowPrefix(flow.Name), time.Now())
}

// thingView is what tells a thing from others, as it may be shown.
func (s *server) thingView(v collection.Value) string {
	return s.masked(tree.NewMap(tree.Member{Key: "of", Value: tree.NewString(collection.ThingOf(v.Key))})).Get("of").Str()
}

func (s *server) listFlows(c *gin.Context) {
	service, _, where, err := s.memoryOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[catalog.Flow, api.Flow]{
		items: service.Flows(), limit: defaultLimit, key: func(f catalog.Flow) string { return f.Name },
		view: func(f catalog.Flow) api.Flow { return s.flowView(f, where) },
	})
}

// moveThing sets the state of a thing of a flow by hand: {"of": "P-7", "state": "sent"}.
func (s *server) moveThing(c *gin.Context) {
	service, _, where, err := s.memoryOf(c)
	var given api.FlowThing
	if err == nil {
		err = readFields(c, &given, "thing")
	}
	var flow catalog.Flow
	if err == nil {
		flow, err = flowOf(service, c.Param("flow"))
	}
	if err == nil && !slices.Contains(flow.States, given.State) {
		err = problem.New(problem.Invalid, "flow %s has no state %q (%s)", flow.Name, given.State, problem.Suggest(given.State, flow.States, "there is"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	key := collection.FlowKey(flow.Name, given.Of)
	if things := s.thingsOf(flow, where); !slices.ContainsFunc(things, func(v collection.Value) bool { return v.Key == key }) {
		if i := slices.IndexFunc(things, func(v collection.Value) bool { return s.thingView(v) == given.Of }); i >= 0 {
			key = things[i].Key // named as it was shown
		}
	}
	s.Engine.Memory().Remember(where, []collection.Write{{Key: key, Node: tree.NewString(given.State)}}, time.Now())
	s.note(c, service.Spec.Name, fmt.Sprintf("moved %s of %s to %s%s", strings.TrimSpace("flow "+flow.Name+" "+given.Of), service.Spec.Name, given.State, inLaneText(where)))
	c.PureJSON(http.StatusOK, s.flowView(flow, where))
}

func flowOf(service *catalog.Service, name string) (catalog.Flow, error) {
	flows := service.Flows()
	if i := slices.IndexFunc(flows, func(f catalog.Flow) bool { return f.Name == name }); i >= 0 {
		return flows[i], nil
	}
	if len(flows) == 0 {
		return catalog.Flow{}, problem.New(problem.NotFound, "flow %q not found: no mapping of %s has a flow", name, service.Spec.Name)
	}
	var names []string
	for _, f := range flows {
		names = append(names, f.Name)
	}
	return catalog.Flow{}, problem.New(problem.NotFound, "flow %q not found (%s)", name, problem.Suggest(name, names, "there is"))
}
