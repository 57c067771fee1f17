package control

import (
	"cmp"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
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
		Deviations: deviationViews(service.Deviations(m)), Problem: s.problemOf(service, m), Telling: m.Spec.Call.Telling(),
	}
	if calls, ok := s.Log.MappingCalls(seen.calls, service.Spec.Name, m.Spec.ID); ok {
		view.Calls = &api.OperationCalls{Total: calls.Total, Deviating: calls.Deviating, Last: calls.Last.UTC()}
	}
	for _, p := range s.Engine.Positions(seen.state, service.Spec.ID, m) {
		view.Positions = append(view.Positions, api.Position(p))
	}
	return view
}

// problemOf says why a mapping never answers, or did not when it was asked last; "" for nothing.
func (s *server) problemOf(service *catalog.Service, m *catalog.Mapping) string {
	return cmp.Or(service.Problem(m), s.Engine.ScriptFault(service, m))
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

// selectionOf are the mappings that the query of a request means: the same words for lists
// and for what is done to many.
func selectionOf(c *gin.Context) catalog.Selection {
	return catalog.Selection{IDs: c.QueryArray("id"), Label: c.Query("label"), Text: c.Query("text"), Origin: c.Query("origin")}
}

// servicesMeant are the services of a request about mappings: that of the address, those
// that the query names, or all.
func (s *server) servicesMeant(c *gin.Context) (names []string) {
	if name := c.Param("service"); name != "" {
		return []string{name}
	}
	if names = c.QueryArray("service"); len(names) > 0 {
		return names
	}
	return slices.DeleteFunc(s.Catalog.Snapshot().Names(), func(name string) bool { return !sees(c, name) })
}

// seenMapping is a mapping in the perspective of a request, with its service.
type seenMapping struct {
	service *catalog.Service
	mapping *catalog.Mapping
	trouble int // what is wrong is higher; known where only that is asked for
}

// key continues a list behind the mapping.
func (m seenMapping) key() string {
	return m.service.Spec.Name + "/" + m.mapping.Origin + m.mapping.Spec.ID
}

func (s *server) listMappings(c *gin.Context) {
	seen, err := s.perspectiveOf(c)
	if err == nil {
		err = s.Log.Flush(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	troubled := isOn(c, "problem")
	var selected []seenMapping
	for _, name := range s.servicesMeant(c) {
		service, err := seen.view.FindService(name)
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		for _, m := range selectedOf(c, service) {
			one := seenMapping{service: service, mapping: m}
			if troubled {
				if one.trouble = s.troubleOf(seen, service, m); one.trouble == 0 {
					continue
				}
			}
			selected = append(selected, one)
		}
	}
	slices.SortStableFunc(selected, func(a, b seenMapping) int { return cmp.Compare(b.trouble, a.trouble) })
	respondList(s, c, listing[seenMapping, api.Mapping]{
		items: selected, key: seenMapping.key, limit: defaultLimit,
		view: func(m seenMapping) api.Mapping {
			view := s.mappingView(seen, m.service, m.mapping)
			if c.Param("service") == "" {
				view.Service = m.service.Spec.Name
			}
			return view
		},
		document: func(m seenMapping) tagged { return tagged{m.mapping.Spec, s.mappingTag(seen, m.mapping)} },
	})
}

// selectedOf are the mappings of a service that the query of a list selects.
func selectedOf(c *gin.Context, service *catalog.Service) []*catalog.Mapping {
	which := selectionOf(c)
	if which.IsEmpty() {
		return service.Seen()
	}
	var list []*catalog.Mapping
	for _, m := range service.Seen() {
		if which.Selects(m) {
			list = append(list, m)
		}
	}
	return list
}

// troubleOf is 3 for a mapping that can never answer or whose script failed, 2 for one that breaks the contract, 1
// for one that has not answered since the start, and 0 for one without trouble.
func (s *server) troubleOf(seen perspective, service *catalog.Service, m *catalog.Mapping) int {
	_, answered := s.Log.MappingCalls(seen.calls, service.Spec.Name, m.Spec.ID)
	switch {
	case s.problemOf(service, m) != "":
		return 3
	case len(service.Deviations(m)) > 0:
		return 2
	case m.Spec.Enabled && !answered:
		return 1
	default:
		return 0
	}
}

// patchMappings changes the mappings that the query means alike, all or none.
func (s *server) patchMappings(c *gin.Context) {
	var edit api.MappingsEdit
	if err := readFields(c, &edit, "edit"); err != nil {
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
	s.editMappings(c, catalog.BulkEdit{Enabled: edit.Enabled, AddLabels: edit.AddLabels, DropLabels: edit.DropLabels})
}

// deleteMappings removes the mappings that the query means.
func (s *server) deleteMappings(c *gin.Context) { s.editMappings(c, catalog.BulkEdit{Remove: true}) }

func (s *server) editMappings(c *gin.Context, edit catalog.BulkEdit) {
	done, err := s.Catalog.EditMappings(c.Request.Context(), s.servicesMeant(c), selectionOf(c), edit)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	changed := []string{}
	for _, m := range done {
		if c.Param("service") == "" {
			m.ID = m.Service + "/" + m.ID
		}
		changed = append(changed, m.ID)
	}
	c.PureJSON(http.StatusOK, api.Changed{Changed: changed})
}

// postCopies copies or moves the mappings that the query means.
func (s *server) postCopies(c *gin.Context) {
	var to api.MappingCopy
	err := readFields(c, &to, "copy")
	if err == nil && to.Service != "" {
		err = holder(c).Refuse(access.Need{Right: access.Edit, Service: s.nameOf(to.Service)})
	}
	var copies []*catalog.Mapping
	if err == nil {
		_, copies, err = s.Catalog.CopyMappings(c.Request.Context(), c.Param("service"), selectionOf(c), catalog.Copy{Service: to.Service, ID: to.ID, Move: to.Move})
	}
	s.respondChanged(c, copies, err)
}

// postRestores brings back the removed mappings that the query means.
func (s *server) postRestores(c *gin.Context) {
	_, made, err := s.Catalog.RestoreMappings(c.Request.Context(), c.Param("service"), selectionOf(c))
	s.respondChanged(c, made, err)
}

// postResets sets sequences and counts of the mappings that the query means back to their
// start.
func (s *server) postResets(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	which := selectionOf(c)
	if err == nil {
		err = which.Check(service)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	var reset []*catalog.Mapping
	view := s.shared()
	for _, m := range service.Mappings {
		if which.Selects(m) {
			s.Engine.ResetSequence(view, service.Spec.ID, m)
			s.Log.ForgetMapping(service.Spec.Name, m.Spec.ID)
			reset = append(reset, m)
		}
	}
	s.respondChanged(c, reset, nil)
}

func (s *server) respondChanged(c *gin.Context, mappings []*catalog.Mapping, err error) {
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	changed := []string{}
	for _, m := range mappings {
		changed = append(changed, m.Spec.ID)
	}
	c.PureJSON(http.StatusOK, api.Changed{Changed: changed})
}

func (s *server) respondMapping(c *gin.Context, status int, m *catalog.Mapping) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(m.Version))
	s.respond(c, status, s.mappingView(s.asDefined(), service, m), tagged{m.Spec, catalog.ETag(m.Version)})
}

// postMappings puts a document of one or many mappings, all or none. One without an id
// gets one that is free, unless a mapping with the id that it would get asks for the same.
func (s *server) postMappings(c *gin.Context) {
	given, err := s.readMappings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	demands, err := demandsOf(c, given)
	if err == nil && c.Query("lane") != "" {
		s.putLaneMappings(c, given, demands)
		return
	}
	var compiled []*catalog.Mapping
	var outcomes []string
	if err == nil {
		compiled, outcomes, err = s.Catalog.PutMappings(c.Request.Context(), service.Spec.ID, withFreeIDs(given, service), demands...)
	}
	if err != nil {
		var stale *catalog.Mapping
		if len(compiled) > 0 {
			stale = compiled[0]
		}
		s.failMapping(c, located(err, given), stale)
		return
	}
	if service, err = s.Catalog.Find(service.Spec.ID); err != nil {
		s.fail(c, err, nil)
		return
	}
	results := make([]api.PutResult, len(compiled))
	seen := s.shared().Find(service.Spec.ID)
	for i, m := range compiled {
		results[i] = api.PutResult{ID: m.Spec.ID, Outcome: outcomes[i], ETag: catalog.ETag(m.Version), Call: m.Asks(), Deviations: deviationViews(service.Deviations(m))}
		results[i].Live, results[i].Warnings = warningsOf(service, seen, m)
	}
	s.respondPut(c, service, results)
}

// warningsOf says whether a mapping answers the next call that it fits, and what keeps it
// from that or is probably not meant. seen is its service as calls in no lane find it.
func warningsOf(service, seen *catalog.Service, m *catalog.Mapping) (live bool, warnings []problem.Item) {
	warn := func(at, detail string) {
		if detail != "" {
			warnings = append(warnings, problem.Item{At: at, Detail: detail})
		}
	}
	obstacle := service.Obstacle(m)
	warn("/call", obstacle)
	off := ""
	if seen != nil {
		off = seen.OffBy(m)
	}
	if off != "" {
		warn("", off+" keeps it from answering calls in no lane")
	}
	warn("/call/path", service.Suspicion(m))
	return m.Spec.Enabled && obstacle == "" && off == "", warnings
}

// withFreeIDs are the mappings of a document. What names no id does not take the place of
// a mapping that asks for something else.
func withFreeIDs(given []spec.Given[spec.Mapping], service *catalog.Service) []spec.Mapping {
	mappings := spec.Documents(given)
	for i, g := range given {
		if !g.Named("id") {
			mappings[i].ID = service.FreeID(mappings[i])
		}
	}
	return mappings
}

// respondPut tells what a document of mappings changed.
func (s *server) respondPut(c *gin.Context, service *catalog.Service, results []api.PutResult) {
	report := api.PutReport{Items: results}
	for _, r := range results {
		switch r.Outcome {
		case catalog.Created:
			report.Created++
		case catalog.Changed:
			report.Changed++
		default:
			report.Unchanged++
		}
	}
	status := http.StatusOK
	if len(results) == 1 && report.Created == 1 {
		status = madeAt(c, "/api/v1/services/"+service.Spec.Name+"/mappings/"+results[0].ID)
	}
	c.PureJSON(status, report)
}

// readMappings reads the mappings of a request. The error names all that is wrong with
// them, also what only the service shows.
func (s *server) readMappings(c *gin.Context) ([]spec.Given[spec.Mapping], error) {
	text, err := readDocument(c)
	if err != nil {
		return nil, err
	}
	return s.mappingsIn(c, text)
}

// mappingsIn is readMappings for a document that stands elsewhere in a request.
func (s *server) mappingsIn(c *gin.Context, text []byte) ([]spec.Given[spec.Mapping], error) {
	given, err := spec.GivenMappings(text)
	items := problem.ItemsOf(err)
	if len(items) == 0 || len(given) == 0 || len(items) >= problem.MaxItems {
		return given, err
	}
	for i, faults := range s.Catalog.MappingFaults(c.Param("service"), spec.Documents(given)) {
		items = append(items, spec.Besides(items, placedIn(given[i], faults), placing(given[i]))...)
	}
	return nil, problem.FromItems("the document cannot be used", items)
}

// placing is a node in which the places of a document are found as they are told: below
// where it stands.
func placing[T any](g spec.Given[T]) *tree.Node {
	n := g.Node
	steps := strings.Split(g.At, "/")
	for i := len(steps) - 1; i > 0; i-- {
		n = tree.NewMap(tree.Member{Key: steps[i], Value: n})
	}
	return n
}

// placedIn gives faults of a document their places in the text that it stands in.
func placedIn[T any](g spec.Given[T], items []problem.Item) []problem.Item {
	items = tree.Locate(g.Node, items)
	for i := range items {
		items[i].At = g.At + items[i].At
	}
	return items
}

// located gives the places that an error names in given documents their lines. Of several
// documents a place begins with the number of one: /1/call.
func located[T any](err error, given []spec.Given[T]) error {
	var p *problem.Error
	if !errors.As(err, &p) || len(given) == 0 {
		return err
	}
	for i, item := range p.Items {
		g := given[0]
		if len(given) > 1 {
			number, rest, _ := strings.Cut(strings.TrimPrefix(item.At, "/"), "/")
			at, fault := strconv.Atoi(number)
			if fault != nil || at >= len(given) {
				continue
			}
			if g = given[at]; rest != "" {
				rest = "/" + rest
			}
			item.At = rest
		}
		p.Items[i] = placedIn(g, []problem.Item{item})[0]
	}
	problem.Sort(p.Items)
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
	s.respond(c, http.StatusOK, view, tagged{m.Spec, view.ETag})
}

func (s *server) putMapping(c *gin.Context) {
	given, err := s.readMappings(c)
	if err == nil && len(given) != 1 {
		err = problem.New(problem.Invalid, "the document must hold one mapping, not %d (POST to its collection puts several)", len(given))
	}
	if err == nil && given[0].Named("id") {
		err = checkAddress(c, "mapping", "id", c.Param("mapping"), given[0].Document.ID)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if !given[0].Named("id") {
		given[0].Document.ID = c.Param("mapping")
	}
	demand, err := demandOf(c, given[0].ETag)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if c.Query("lane") != "" {
		s.putLaneMapping(c, given[0], demand)
		return
	}
	s.replaceMapping(c, given[0].Document, given, demand)
}

func (s *server) patchMapping(c *gin.Context) {
	m, err := s.Catalog.FindMapping(c.Param("service"), c.Param("mapping"))
	var given spec.Given[spec.Mapping]
	if err == nil {
		given, err = patchedAs(c, m.Spec, "", spec.GivenMapping)
	}
	var demand string
	if err == nil {
		demand, err = patchDemand(c, given.ETag, catalog.ETag(m.Version))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceMapping(c, given.Document, nil, demand)
}

// replaceMapping puts the mapping of a document at the address; under another id it is
// renamed. given is the document where the caller knows its lines.
func (s *server) replaceMapping(c *gin.Context, document spec.Mapping, given []spec.Given[spec.Mapping], demand string) {
	m, outcome, err := s.Catalog.PutMappingAs(c.Request.Context(), c.Param("service"), c.Param("mapping"), document, demand)
	if err != nil {
		s.failMapping(c, located(err, given), m)
		return
	}
	if outcome == catalog.Created {
		c.Header("Location", c.Request.URL.Path)
	}
	s.respondMapping(c, written(outcome), m)
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
