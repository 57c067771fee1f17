package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/spec"
	"rapidmimic/spec/api"
	"rapidmimic/spec/problem"
)

func (s *server) mappingView(service *catalog.Service, m *catalog.Mapping) api.Mapping {
	view := api.Mapping{Mapping: m.Spec, ETag: catalog.ETag(m.Version), Deviations: deviationViews(service.Deviations(m)), Problem: service.Problem(m)}
	if calls, ok := s.Log.MappingCalls(service.Spec.Name, m.Spec.ID); ok {
		view.Calls = &api.OperationCalls{Total: calls.Total, Deviating: calls.Deviating, Last: calls.Last.UTC()}
	}
	return view
}

func deviationViews(found []call.Deviation) []api.Deviation {
	views := make([]api.Deviation, 0, len(found))
	for _, d := range found {
		views = append(views, api.Deviation(d))
	}
	return views
}

func (s *server) listMappings(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	limit, err := limitOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if err := s.Log.Flush(c); err != nil { // so that the counts are those of now
		s.fail(c, err, nil)
		return
	}
	id := func(m *catalog.Mapping) string { return m.Spec.ID }
	mappings, next := page(service.Mappings, id, c.Query("after"), limit)
	list := api.List[api.Mapping]{Items: []api.Mapping{}, Next: next}
	documents := []spec.Mapping{}
	for _, m := range mappings {
		list.Items = append(list.Items, s.mappingView(service, m))
		documents = append(documents, m.Spec)
	}
	s.respond(c, http.StatusOK, list, documents)
}

func (s *server) respondMapping(c *gin.Context, status int, m *catalog.Mapping) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(m.Version))
	s.respond(c, status, s.mappingView(service, m), m.Spec)
}

// postMappings puts a document of one or many mappings, all or none.
func (s *server) postMappings(c *gin.Context) {
	mappings, err := readMappings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	compiled, isNew, err := s.Catalog.PutMappings(c, c.Param("service"), mappings)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	report := api.PutReport{Items: make([]api.PutResult, len(compiled))}
	for i, m := range compiled {
		report.Items[i] = api.PutResult{ID: m.Spec.ID, Outcome: "replaced", Call: m.Asks(), Deviations: deviationViews(service.Deviations(m))}
		if isNew[i] {
			report.Items[i].Outcome = "created"
			report.Created++
		} else {
			report.Replaced++
		}
	}
	c.PureJSON(http.StatusOK, report)
}

func readMappings(c *gin.Context) ([]spec.Mapping, error) {
	text, err := readBody(c)
	if err != nil {
		return nil, err
	}
	if len(text) == 0 {
		return nil, errNoBody
	}
	return spec.ReadMappings(text)
}

func (s *server) getMapping(c *gin.Context) {
	m, err := s.Catalog.FindMapping(c.Param("service"), c.Param("mapping"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondMapping(c, http.StatusOK, m)
}

func (s *server) putMapping(c *gin.Context) {
	mappings, err := readMappings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceMapping(c, mappings, c.GetHeader("If-Match"))
}

func (s *server) patchMapping(c *gin.Context) {
	m, err := s.Catalog.FindMapping(c.Param("service"), c.Param("mapping"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	text, err := patched(c, m.Spec)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	mappings, err := spec.ReadMappings(text)
	if err != nil {
		s.fail(c, withoutLines(err), nil)
		return
	}
	s.replaceMapping(c, mappings, ifMatchOr(c, m.Version))
}

// replaceMapping puts the one mapping of a document under the id of the URL.
func (s *server) replaceMapping(c *gin.Context, mappings []spec.Mapping, ifMatch string) {
	id := c.Param("mapping")
	if len(mappings) != 1 {
		s.fail(c, problem.New(problem.Invalid, "the document must hold one mapping, not %d", len(mappings)), nil)
		return
	}
	mappings[0].ID = id
	m, isNew, err := s.Catalog.PutMapping(c, c.Param("service"), mappings[0], ifMatch)
	if err != nil {
		s.failMapping(c, err, m)
		return
	}
	s.respondMapping(c, created(isNew), m)
}

func (s *server) failMapping(c *gin.Context, err error, m *catalog.Mapping) {
	var current any
	if service, found := s.Catalog.Find(c.Param("service")); m != nil && found == nil {
		current = s.mappingView(service, m)
	}
	s.fail(c, err, current)
}

func (s *server) deleteMapping(c *gin.Context) {
	m, err := s.Catalog.RemoveMapping(c, c.Param("service"), c.Param("mapping"), c.GetHeader("If-Match"))
	if err != nil {
		s.failMapping(c, err, m)
		return
	}
	c.Status(http.StatusNoContent)
}
