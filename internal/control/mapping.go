package control

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func (s *server) mappingView(seen perspective, service *catalog.Service, m *catalog.Mapping) api.Mapping {
	view := api.Mapping{
		Mapping: m.Spec, ETag: s.mappingTag(seen, m), Origin: m.Origin, OffBy: service.OffBy(m),
		Deviations: deviationViews(service.Deviations(m)), Problem: service.Problem(m), Telling: m.Spec.Call.Telling(),
	}
	if calls, ok := s.Log.MappingCalls(seen.calls, service.Spec.Name, m.Spec.ID); ok {
		view.Calls = &api.OperationCalls{Total: calls.Total, Deviating: calls.Deviating, Last: calls.Last.UTC()}
	}
	for _, p := range s.Engine.Positions(seen.state, service.Spec.ID, m) {
		view.Positions = append(view.Positions, api.Position(p))
	}
	return view
}

// mappingTag is the entity tag of a mapping: that of the lane for one of its own,
// none for one of a scenario, which is edited as a whole.
func (s *server) mappingTag(seen perspective, m *catalog.Mapping) string {
	lane := seen.view.InLane()
	switch {
	case m.Origin == "":
		return catalog.ETag(m.Version)
	case lane != nil && m.Origin == lane.Origin():
		return catalog.ETag(lane.Version)
	default:
		return ""
	}
}

func deviationViews(found []call.Deviation) []api.Deviation {
	views := make([]api.Deviation, 0, len(found))
	for _, d := range found {
		views = append(views, api.Deviation(d))
	}
	return views
}

func (s *server) listMappings(c *gin.Context) {
	limit, err := limitOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	seen, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	id := func(m *catalog.Mapping) string { return m.Origin + m.Spec.ID }
	mappings, next := page(s.selected(c, seen, service), id, c.Query("after"), limit)
	list := api.List[api.Mapping]{Items: []api.Mapping{}, Next: next}
	documents := []spec.Mapping{}
	for _, m := range mappings {
		list.Items = append(list.Items, s.mappingView(seen, service, m))
		documents = append(documents, m.Spec)
	}
	s.respond(c, http.StatusOK, list, documents)
}

// selected are the mappings that the query of a list asks for.
func (s *server) selected(c *gin.Context, seen perspective, service *catalog.Service) []*catalog.Mapping {
	which := catalog.Selection{Label: c.Query("label"), Text: c.Query("text")}
	troubled := c.Query("problem") == "true"
	if which.IsEmpty() && !troubled {
		return service.Seen()
	}
	var list []*catalog.Mapping
	for _, m := range service.Seen() {
		if which.Selects(m) && (!troubled || s.isTroubled(seen, service, m)) {
			list = append(list, m)
		}
	}
	return list
}

// isTroubled reports whether a mapping can never answer, has not answered since
// the start, or breaks the contract.
func (s *server) isTroubled(seen perspective, service *catalog.Service, m *catalog.Mapping) bool {
	_, answered := s.Log.MappingCalls(seen.calls, service.Spec.Name, m.Spec.ID)
	return service.Problem(m) != "" || m.Spec.Enabled && !answered || len(service.Deviations(m)) > 0
}

// patchMappings changes many mappings alike, all or none.
func (s *server) patchMappings(c *gin.Context) {
	var edit api.MappingsEdit
	if err := readJSON(c, &edit, "edit"); err != nil {
		s.fail(c, err, nil)
		return
	}
	if edit.Enabled == nil && len(edit.AddLabels)+len(edit.DropLabels) == 0 {
		s.fail(c, problem.New(problem.Invalid, "nothing to change: give enabled, addLabels or dropLabels"), nil)
		return
	}
	for _, label := range edit.AddLabels {
		if !spec.ValidLabel(label) {
			s.fail(c, problem.New(problem.Invalid, "a label is %s, not %q", spec.LabelRule, label), nil)
			return
		}
	}
	s.editMappings(c, catalog.Selection{IDs: edit.IDs, Label: edit.Label, Text: edit.Text},
		catalog.BulkEdit{Enabled: edit.Enabled, AddLabels: edit.AddLabels, DropLabels: edit.DropLabels})
}

// deleteMappings removes the mappings that the query names.
func (s *server) deleteMappings(c *gin.Context) {
	s.editMappings(c, catalog.Selection{IDs: c.QueryArray("id"), Label: c.Query("label"), Text: c.Query("text")}, catalog.BulkEdit{Remove: true})
}

func (s *server) editMappings(c *gin.Context, which catalog.Selection, edit catalog.BulkEdit) {
	changed, err := s.Catalog.EditMappings(c.Request.Context(), c.Param("service"), which, edit)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, api.Changed{Changed: append([]string{}, changed...)})
}

func (s *server) respondMapping(c *gin.Context, status int, m *catalog.Mapping) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(m.Version))
	s.respond(c, status, s.mappingView(s.asDefined(), service, m), m.Spec)
}

// postMappings puts a document of one or many mappings, all or none.
func (s *server) postMappings(c *gin.Context) {
	mappings, text, err := readMappings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if c.Query("lane") != "" {
		s.putLaneMappings(c, mappings, text)
		return
	}
	compiled, isNew, err := s.Catalog.PutMappings(c.Request.Context(), c.Param("service"), mappings)
	if err != nil {
		s.fail(c, located(err, text), nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	results := make([]api.PutResult, len(compiled))
	for i, m := range compiled {
		results[i] = api.PutResult{ID: m.Spec.ID, Call: m.Asks(), Deviations: deviationViews(service.Deviations(m))}
	}
	c.PureJSON(http.StatusOK, putReport(results, isNew))
}

// putReport says of each mapping whether it was there before.
func putReport(results []api.PutResult, isNew []bool) api.PutReport {
	report := api.PutReport{Items: results}
	for i := range results {
		if isNew[i] {
			results[i].Outcome = "created"
			report.Created++
		} else {
			results[i].Outcome = "replaced"
			report.Replaced++
		}
	}
	return report
}

// readMappings reads the mappings of a request, with the document they stand in.
func readMappings(c *gin.Context) (mappings []spec.Mapping, text []byte, err error) {
	if text, err = readDocument(c); err != nil {
		return nil, nil, err
	}
	mappings, err = spec.ReadMappings(text)
	return mappings, text, err
}

// located gives the places that an error names their lines in the document.
func located(err error, text []byte) error {
	var p *problem.Error
	if !errors.As(err, &p) {
		return err
	}
	if n, parseErr := tree.Parse(text); parseErr == nil {
		if n.Kind == tree.List && len(n.Items) == 1 {
			n = n.Items[0]
		}
		p.Items = tree.Locate(n, p.Items)
	}
	return err
}

func (s *server) getMapping(c *gin.Context) {
	seen, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	m, err := service.FindMapping(c.Param("mapping"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := s.mappingView(seen, service, m)
	if view.ETag != "" {
		c.Header("ETag", view.ETag)
	}
	s.respond(c, http.StatusOK, view, m.Spec)
}

func (s *server) putMapping(c *gin.Context) {
	mappings, text, err := readMappings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceMapping(c, mappings, text, demandOf(c))
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
	s.replaceMapping(c, mappings, nil, ifMatchOr(c, m.Version))
}

// replaceMapping puts the one mapping of a document under the id of the URL.
// text is the document where the caller knows its lines.
func (s *server) replaceMapping(c *gin.Context, mappings []spec.Mapping, text []byte, ifMatch string) {
	id := c.Param("mapping")
	if len(mappings) != 1 {
		s.fail(c, problem.New(problem.Invalid, "the document must hold one mapping, not %d", len(mappings)), nil)
		return
	}
	mappings[0].ID = id
	if c.Query("lane") != "" {
		s.putLaneMapping(c, mappings[0], text)
		return
	}
	m, isNew, err := s.Catalog.PutMapping(c.Request.Context(), c.Param("service"), mappings[0], ifMatch)
	if err != nil {
		if text != nil {
			err = located(err, text)
		}
		s.failMapping(c, err, m)
		return
	}
	s.respondMapping(c, created(isNew), m)
}

func (s *server) failMapping(c *gin.Context, err error, m *catalog.Mapping) {
	var current any
	if service, found := s.Catalog.Find(c.Param("service")); m != nil && found == nil {
		current = s.mappingView(s.asDefined(), service, m)
	}
	s.fail(c, err, current)
}

func (s *server) deleteMapping(c *gin.Context) {
	if c.Query("lane") != "" {
		s.deleteLaneMapping(c)
		return
	}
	m, err := s.Catalog.RemoveMapping(c.Request.Context(), c.Param("service"), c.Param("mapping"), c.GetHeader("If-Match"))
	if err != nil {
		s.failMapping(c, err, m)
		return
	}
	c.Status(http.StatusNoContent)
}
