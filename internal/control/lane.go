package control

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// trafficOf is how the addresses of services begin in a lane; with nil in none.
func (s *server) trafficOf(lane *catalog.Lane) string {
	if lane == nil {
		return s.TrafficURL
	}
	return s.TrafficURL + "/@" + lane.Spec.Name
}

func (s *server) laneView(lane *catalog.Lane) api.Lane {
	now, name := time.Now(), lane.Spec.Name
	view := api.Lane{
		Lane: lane.Spec, ETag: catalog.ETag(lane.Version), Opened: lane.Opened.UTC(), Until: lane.Until.UTC(), By: lane.By,
		Active: activeView(name, s.Catalog.Snapshot().Active(lane, now)), Lines: lane.Spec.Lines(),
		Address: s.trafficOf(lane), Header: "Rapid-Mimic: lane=" + name, Baggage: "baggage: rapid-mimic.lane=" + name,
	}
	total, lastMinute := s.Log.LaneCalls(name, now)
	view.Calls, view.LastMinute = sourcesView(total), countsView(lastMinute)
	return view
}

func (s *server) listLanes(c *gin.Context) {
	respondList(s, c, listing[*catalog.Lane, api.Lane]{
		items: slices.DeleteFunc(s.Catalog.Snapshot().Lanes(time.Now()), func(lane *catalog.Lane) bool { return !holder(c).InLane(lane.Spec.Name) }), view: s.laneView,
		key:      func(lane *catalog.Lane) string { return lane.Spec.Name },
		document: func(lane *catalog.Lane) tagged { return tagged{lane.Spec, catalog.ETag(lane.Version)} },
	})
}

func (s *server) respondLane(c *gin.Context, status int, lane *catalog.Lane) {
	c.Header("ETag", catalog.ETag(lane.Version))
	s.respond(c, status, s.laneView(lane), tagged{lane.Spec, catalog.ETag(lane.Version)})
}

// postLanes opens the lanes of a document, one after the other. One that was read from a
// lane that is open replaces what that says.
func (s *server) postLanes(c *gin.Context) {
	text, err := readDocument(c)
	var given []spec.Given[spec.Lane]
	if err == nil {
		given, err = spec.GivenLanes(text)
	}
	now := time.Now()
	if err == nil { // what had this name before has nothing to do with it
		err = s.Expire(c.Request.Context(), now)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	for _, g := range given {
		if !s.may(c, access.Need{Right: access.Test, Lane: g.Document.Name}) {
			return
		}
	}
	list := api.List[api.Lane]{Items: []api.Lane{}}
	for _, g := range given {
		lane, isNew, err := s.openOrReplace(c, g, now)
		if err != nil {
			s.failLane(c, located(err, []spec.Given[spec.Lane]{g}), lane)
			return
		}
		if g.Alone && isNew {
			s.respondLane(c, madeAt(c, "/api/v1/lanes/"+lane.Spec.Name), lane)
			return
		}
		list.Items = append(list.Items, s.laneView(lane))
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) openOrReplace(c *gin.Context, g spec.Given[spec.Lane], now time.Time) (lane *catalog.Lane, isNew bool, err error) {
	demand, err := demandOf(c, g.ETag)
	if err != nil {
		return nil, false, err
	}
	if g.ETag != "" && s.Catalog.Snapshot().Lane(g.Document.Name, now) != nil {
		lane, err = s.Catalog.EditLane(c.Request.Context(), g.Document.Name, demand, now, func(lane *spec.Lane) error {
			*lane = g.Document
			return nil
		})
		return lane, false, err
	}
	if err := s.mayOpen(c, now); err != nil {
		return nil, false, err
	}
	lane, err = s.Catalog.OpenLane(c.Request.Context(), g.Document, now)
	if err == nil && lane.Active != nil {
		s.sendWebhooks(c, lane.Spec.Name, lane.Active)
	}
	return lane, true, err
}

func (s *server) failLane(c *gin.Context, err error, lane *catalog.Lane) {
	var current any
	if lane != nil {
		current = s.laneView(lane)
	}
	s.fail(c, err, current)
}

func (s *server) getLane(c *gin.Context) {
	lane, err := s.Catalog.Snapshot().FindLane(c.Param("lane"), time.Now())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondLane(c, http.StatusOK, lane)
}

// putLane replaces what an open lane says; it stays open as long as that says from
// when it was opened.
func (s *server) putLane(c *gin.Context) {
	name := c.Param("lane")
	text, err := readDocument(c)
	var given spec.Given[spec.Lane]
	if err == nil {
		given, err = spec.GivenLane(text, name)
	}
	if err == nil && given.Document.Name != name {
		err = problem.New(problem.Conflict, "the address is of lane %q, the document of %q: a lane cannot be renamed, since callers name it", name, given.Document.Name)
	}
	var demand string
	if err == nil {
		demand, err = demandOf(c, given.ETag)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceLane(c, demand, given.Document, []spec.Given[spec.Lane]{given})
}

func (s *server) patchLane(c *gin.Context) {
	lane, err := s.Catalog.Snapshot().FindLane(c.Param("lane"), time.Now())
	var given spec.Given[spec.Lane]
	if err == nil {
		given, err = patchedAs(c, lane.Spec, lane.Spec.Name, spec.GivenLane)
	}
	var demand string
	if err == nil {
		demand, err = patchDemand(c, given.ETag, catalog.ETag(lane.Version))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceLane(c, demand, given.Document, nil)
}

// replaceLane puts what a lane says, under the name that it has. given is the document
// where the caller knows its lines.
func (s *server) replaceLane(c *gin.Context, demand string, document spec.Lane, given []spec.Given[spec.Lane]) {
	lane, err := s.Catalog.EditLane(c.Request.Context(), c.Param("lane"), demand, time.Now(), func(lane *spec.Lane) error {
		document.Name, *lane = lane.Name, document
		return nil
	})
	if err != nil {
		s.failLane(c, located(err, given), lane)
		return
	}
	s.respondLane(c, http.StatusOK, lane)
}

// deleteLane closes a lane and answers with what it was.
func (s *server) deleteLane(c *gin.Context) {
	lane, err := s.Catalog.CloseLane(c.Request.Context(), c.Param("lane"), time.Now())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := s.laneView(lane)
	s.Engine.ResetLane(lane)
	s.Log.ForgetLane(lane.Spec.Name)
	c.PureJSON(http.StatusOK, view)
}

// editLaneMappings puts mappings of a service into the lane of the query, above those
// of everybody. outcomes tell what became of each. What the mappings demand is demanded of the lane, which has the version.
func (s *server) editLaneMappings(c *gin.Context, given []spec.Given[spec.Mapping], demands []string) (lane *catalog.Lane, outcomes []string, err error) {
	mappings := spec.Documents(given)
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		return nil, nil, err
	}
	demand := ""
	for _, d := range demands {
		if d != "" && demand != "" && d != demand {
			return nil, nil, problem.New(problem.Stale, "the mappings were read from the lane at different versions, %s and %s: read them again", demand, d)
		}
		demand = d
	}
	onlyNew := demand == catalog.NotThere
	if onlyNew { // which is said of the mappings, not of the lane
		demand = ""
	}
	lane, err = s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), demand, time.Now(), func(lane *spec.Lane) error {
		outcomes = make([]string, len(mappings))
		for i, isNew := range lane.PutMappings(service.Spec.Name, mappings) {
			outcomes[i] = catalog.Changed
			if isNew {
				outcomes[i] = catalog.Created
			}
		}
		if at := slices.Index(outcomes, catalog.Changed); onlyNew && at >= 0 {
			return problem.New(problem.Stale, "mapping %q already exists", mappings[at].ID)
		}
		return nil
	})
	if err != nil {
		return nil, nil, located(shifted(err, service, mappings), given)
	}
	return lane, outcomes, nil
}

// putLaneMappings puts the mappings of a document into the lane of the query.
func (s *server) putLaneMappings(c *gin.Context, given []spec.Given[spec.Mapping], demands []string) {
	lane, outcomes, err := s.editLaneMappings(c, given, demands)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	results := make([]api.PutResult, len(given))
	for i, m := range spec.Documents(given) {
		results[i] = api.PutResult{ID: m.ID, Outcome: outcomes[i], ETag: catalog.ETag(lane.Version), Call: m.Call.String(), Live: m.Enabled, Deviations: []api.Deviation{}}
	}
	s.respondPut(c, service, results)
}

// putLaneMapping puts one mapping into the lane of the query.
func (s *server) putLaneMapping(c *gin.Context, given spec.Given[spec.Mapping], demand string) {
	m := given.Document
	lane, outcomes, err := s.editLaneMappings(c, []spec.Given[spec.Mapping]{given}, []string{demand})
	if err != nil {
		s.fail(c, err, s.mappingInLane(c, m.ID))
		return
	}
	c.PureJSON(written(outcomes[0]), api.Mapping{Mapping: m, ETag: catalog.ETag(lane.Version)})
}

// mappingInLane is a mapping as the lane of the query finds it; nil for none.
func (s *server) mappingInLane(c *gin.Context, id string) any {
	seen, err := s.perspectiveOf(c)
	if err != nil {
		return nil
	}
	service := seen.view.Find(c.Param("service"))
	if service == nil || service.Mapping(id) == nil {
		return nil
	}
	return s.mappingView(seen, service, service.Mapping(id))
}

// shifted takes the way through the lane out of the places that an error names:
// what was given is a document of one mapping.
func shifted(err error, service *catalog.Service, given []spec.Mapping) error {
	items := problem.ItemsOf(err)
	if service == nil || len(items) == 0 || len(given) > 1 {
		return err
	}
	prefix := "/services/" + service.Spec.Name + "/mappings/"
	for i := range items {
		if rest, ok := strings.CutPrefix(items[i].At, prefix); ok {
			_, items[i].At, _ = strings.Cut(rest, "/")
			items[i].At = "/" + items[i].At
		}
	}
	return err
}

// deleteLaneMapping takes a mapping out of the lane of the query.
func (s *server) deleteLaneMapping(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err == nil {
		_, err = s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), "", time.Now(), func(lane *spec.Lane) error {
			if !lane.RemoveMapping(service.Spec.Name, c.Param("mapping")) {
				return problem.New(problem.NotFound, "lane %q has no mapping %q of its own in service %q", lane.Name, c.Param("mapping"), service.Spec.Name)
			}
			return nil
		})
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

// putLaneImpairment sets the impairment of a target in the lane of the query and
// answers with what is in force there for it.
func (s *server) putLaneImpairment(c *gin.Context, i spec.Impairment, demand string) {
	target := s.namedTarget(c)
	if _, err := s.Catalog.Find(target.Service); target.Service != "" && err != nil {
		s.fail(c, err, nil)
		return
	}
	onlyNew := demand == catalog.NotThere
	if onlyNew { // which is said of the impairment, not of the lane
		demand = ""
	}
	_, err := s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), demand, time.Now(), func(lane *spec.Lane) error {
		if had := lane.SetImpairment(target, &i); had != nil && onlyNew {
			return problem.New(problem.Stale, "the impairment of %s already exists in lane %q", target, lane.Name)
		}
		return nil
	})
	var view *catalog.Snapshot
	if err == nil {
		view, err = s.viewOf(c)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	for _, made := range view.Impairments() {
		if view.TargetOf(made.StoredImpairment) == target {
			s.Engine.ResetImpairment(view, made)
			c.PureJSON(http.StatusOK, s.impairmentView(view, made))
			return
		}
	}
	s.fail(c, problem.New(problem.Invalid, "the impairment has no effect in lane %q", c.Query("lane")), nil)
}

// namedTarget is the target of a request with its service by name.
func (s *server) namedTarget(c *gin.Context) spec.Target {
	target := targetOf(c)
	if service := s.Catalog.Snapshot().Find(target.Service); service != nil {
		target.Service = service.Spec.Name
	}
	return target
}

// deleteLaneImpairments switches off what a target has in the lane, with all also
// what is below it.
func (s *server) deleteLaneImpairments(c *gin.Context, all bool) {
	target := s.namedTarget(c)
	list := api.Impairments{Items: []api.Impairment{}}
	_, err := s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), c.GetHeader("If-Match"), time.Now(), func(lane *spec.Lane) error {
		for _, have := range lane.Impairments() {
			if have.Target == target || all && (target.Service == "" || have.Target.Service == target.Service) {
				lane.SetImpairment(have.Target, nil)
				list.Items = append(list.Items, api.Impairment{Target: have.Target, Impairment: have.Impairment, Text: have.Impairment.String(), Draws: have.Impairment.Draws()})
			}
		}
		return nil
	})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, list)
}
