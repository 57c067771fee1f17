package control

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

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
	list := api.List[api.Lane]{Items: []api.Lane{}}
	documents := []spec.Lane{}
	for _, lane := range s.Catalog.Snapshot().Lanes(time.Now()) {
		list.Items = append(list.Items, s.laneView(lane))
		documents = append(documents, lane.Spec)
	}
	s.respond(c, http.StatusOK, list, documents)
}

func (s *server) respondLane(c *gin.Context, status int, lane *catalog.Lane) {
	c.Header("ETag", catalog.ETag(lane.Version))
	s.respond(c, status, s.laneView(lane), lane.Spec)
}

// postLane opens a lane.
func (s *server) postLane(c *gin.Context) {
	text, err := readDocument(c)
	var wanted spec.Lane
	if err == nil {
		wanted, err = spec.ReadLane(text, "")
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	now := time.Now()
	if err := s.Expire(c.Request.Context(), now); err != nil { // what had this name before has nothing to do with it
		s.fail(c, err, nil)
		return
	}
	lane, err := s.Catalog.OpenLane(c.Request.Context(), wanted, now)
	if err != nil {
		s.failLane(c, located(err, text), lane)
		return
	}
	s.respondLane(c, http.StatusCreated, lane)
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
	text, err := readDocument(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceLane(c, c.GetHeader("If-Match"), func(lane *spec.Lane) error {
		read, err := spec.ReadLane(text, lane.Name)
		if err == nil && read.Name != lane.Name {
			err = problem.New(problem.Invalid, "a lane cannot be renamed: %q to %q", lane.Name, read.Name)
		}
		*lane = read
		return err
	}, text)
}

func (s *server) patchLane(c *gin.Context) {
	lane, err := s.Catalog.Snapshot().FindLane(c.Param("lane"), time.Now())
	var text []byte
	if err == nil {
		text, err = patched(c, lane.Spec)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceLane(c, ifMatchOr(c, lane.Version), func(lane *spec.Lane) error {
		read, err := spec.ReadLane(text, lane.Name)
		read.Name, *lane = lane.Name, read
		return withoutLines(err)
	}, nil)
}

func (s *server) replaceLane(c *gin.Context, ifMatch string, change func(*spec.Lane) error, text []byte) {
	lane, err := s.Catalog.EditLane(c.Request.Context(), c.Param("lane"), ifMatch, time.Now(), change)
	if err != nil {
		if text != nil {
			err = located(err, text)
		}
		s.failLane(c, err, lane)
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
// of everybody. isNew tells of each whether it was not there; text is the document
// that they stand in.
func (s *server) editLaneMappings(c *gin.Context, mappings []spec.Mapping, text []byte) (lane *catalog.Lane, isNew []bool, err error) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		return nil, nil, err
	}
	demand := demandOf(c)
	onlyNew := demand == catalog.NotThere
	if onlyNew { // which is said of the mappings, not of the lane
		demand = ""
	}
	lane, err = s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), demand, time.Now(), func(lane *spec.Lane) error {
		isNew = lane.PutMappings(service.Spec.Name, mappings)
		if at := slices.Index(isNew, false); onlyNew && at >= 0 {
			return problem.New(problem.Stale, "mapping %q already exists", mappings[at].ID)
		}
		return nil
	})
	if err != nil {
		return nil, nil, located(shifted(err, service, mappings), text)
	}
	return lane, isNew, nil
}

// putLaneMappings puts the mappings of a document into the lane of the query.
func (s *server) putLaneMappings(c *gin.Context, mappings []spec.Mapping, text []byte) {
	_, isNew, err := s.editLaneMappings(c, mappings, text)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	results := make([]api.PutResult, len(mappings))
	for i, m := range mappings {
		results[i] = api.PutResult{ID: m.ID, Call: m.Call.String(), Deviations: []api.Deviation{}}
	}
	c.PureJSON(http.StatusOK, putReport(results, isNew))
}

// putLaneMapping puts one mapping into the lane of the query.
func (s *server) putLaneMapping(c *gin.Context, m spec.Mapping, text []byte) {
	lane, isNew, err := s.editLaneMappings(c, []spec.Mapping{m}, text)
	if err != nil {
		s.fail(c, err, s.mappingInLane(c, m.ID))
		return
	}
	c.PureJSON(created(isNew[0]), api.Mapping{Mapping: m, ETag: catalog.ETag(lane.Version)})
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
// what was given is a document of mappings.
func shifted(err error, service *catalog.Service, given []spec.Mapping) error {
	items := problem.ItemsOf(err)
	if service == nil || len(items) == 0 {
		return err
	}
	prefix := "/services/" + service.Spec.Name + "/mappings/"
	for i := range items {
		if rest, ok := strings.CutPrefix(items[i].At, prefix); ok {
			_, items[i].At, _ = strings.Cut(rest, "/")
			items[i].At = "/" + items[i].At
		}
	}
	if len(given) > 1 {
		return withoutLines(err)
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
func (s *server) putLaneImpairment(c *gin.Context, i spec.Impairment) {
	target := s.namedTarget(c)
	if _, err := s.Catalog.Find(target.Service); target.Service != "" && err != nil {
		s.fail(c, err, nil)
		return
	}
	_, err := s.Catalog.EditLane(c.Request.Context(), c.Query("lane"), c.GetHeader("If-Match"), time.Now(), func(lane *spec.Lane) error {
		if had := lane.SetImpairment(target, &i); had != nil && demandOf(c) == catalog.NotThere {
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
