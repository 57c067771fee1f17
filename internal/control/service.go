package control

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) address(service string) string { return s.TrafficURL + "/" + service }

func (s *server) serviceView(service *catalog.Service) api.Service {
	view := api.Service{
		Service: service.Spec, Address: s.address(service.Spec.Name),
		Mappings: len(service.Mappings), ETag: catalog.ETag(service.Version),
	}
	if service.Upstream != nil && strings.Contains(service.Spec.Upstream, "${") {
		view.UpstreamNow = service.Upstream.String()
	}
	view.UpstreamFault = service.UpstreamFault
	if capture := service.Recording; capture != nil {
		running := recordingView(catalog.StoredRecording{Recording: capture.Spec})
		view.Recording = &running
	}

	if c := service.Contract; c != nil {
		info := contractView(c)
		view.Contract = &info
		for _, op := range c.Operations {
			if op.Skipped == nil {
				view.Operations++
			}
		}
	}
	for _, minute := range s.Log.Recent(service.Spec.Name, time.Now()) {
		view.Recent = append(view.Recent, countsView(minute))
	}
	view.LastMinute = view.Recent[len(view.Recent)-1]
	return view
}

func countsView(counts call.Counts) map[string]int {
	view := make(map[string]int, len(counts))
	for source, n := range counts {
		view[string(source)] = n
	}
	return view
}

// sourcesView is numbers of calls by source, none for none.
func sourcesView(totals map[call.Source]int64) map[string]int {
	view := make(map[string]int, len(totals))
	for source, n := range totals {
		view[string(source)] = int(n)
	}
	return view
}

func (s *server) listServices(c *gin.Context) {
	respondList(s, c, listing[*catalog.Service, api.Service]{
		items: slices.DeleteFunc(slices.Clone(s.Catalog.Snapshot().Services()), func(service *catalog.Service) bool { return !sees(c, service.Spec.Name) }), limit: defaultLimit, view: s.serviceView,
		key:      func(service *catalog.Service) string { return service.Spec.Name },
		document: func(service *catalog.Service) tagged { return tagged{service.Spec, catalog.ETag(service.Version)} },
	})
}

func (s *server) respondService(c *gin.Context, status int, service *catalog.Service) {
	c.Header("ETag", catalog.ETag(service.Version))
	s.respond(c, status, s.serviceView(service), tagged{service.Spec, catalog.ETag(service.Version)})
}

// postServices makes the services of a document, all or none.
func (s *server) postServices(c *gin.Context) {
	text, err := readDocument(c)
	var given []spec.Given[spec.Service]
	if err == nil {
		given, err = spec.GivenServices(text)
	}
	var demands []string
	if err == nil {
		demands, err = demandsOf(c, given)
	}
	for _, g := range given {
		if err == nil {
			err = holder(c).Refuse(access.Need{Right: access.Edit, Service: g.Document.Name})
		}
	}
	var made []*catalog.Service
	if err == nil {
		made, err = s.Catalog.CreateServices(c.Request.Context(), spec.Documents(given), demands...)
	}
	switch {
	case err != nil && len(made) > 0:
		s.fail(c, err, s.serviceView(made[0]))
	case err != nil:
		s.fail(c, located(err, given), nil)
	case len(given) == 1 && given[0].Alone:
		s.respondService(c, madeAt(c, "/api/v1/services/"+made[0].Spec.Name), made[0])
	default:
		list := api.List[api.Service]{Items: []api.Service{}}
		for _, service := range made {
			list.Items = append(list.Items, s.serviceView(service))
		}
		c.PureJSON(http.StatusOK, list)
	}
}

func (s *server) getService(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondService(c, http.StatusOK, service)
}

func (s *server) putService(c *gin.Context) {
	name := c.Param("service")
	old := s.Catalog.Snapshot().Find(name)
	if old != nil {
		name = old.Spec.Name
	}
	putDocument(s, c, name, spec.GivenService, func(given spec.Given[spec.Service]) error {
		return checkAddress(c, "service", "name", name, given.Document.Name)
	}, s.replaceService)
}

func (s *server) patchService(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	patchDocument(s, c, service.Spec, service.Spec.Name, catalog.ETag(service.Version), spec.GivenService, s.replaceService)
}

// replaceService puts the settings of a document. given is the document where the caller
// knows its lines.
func (s *server) replaceService(c *gin.Context, document spec.Service, given []spec.Given[spec.Service], demand string) {
	if !s.may(c, access.Need{Right: access.Edit, Service: document.Name}) { // it may be renamed
		return
	}
	service, isNew, err := s.Catalog.PutService(c.Request.Context(), c.Param("service"), document, demand)
	if err != nil {
		var current any
		if service != nil {
			current = s.serviceView(service)
		}
		s.fail(c, located(err, given), current)
		return
	}
	if isNew {
		c.Header("Location", "/api/v1/services/"+service.Spec.Name)
	}
	s.respondService(c, created(isNew), service)
}

func (s *server) deleteService(c *gin.Context) {
	service, err := s.Catalog.RemoveService(c.Request.Context(), c.Param("service"), c.GetHeader("If-Match"))
	if err != nil {
		var current any
		if service != nil {
			current = s.serviceView(service)
		}
		s.fail(c, err, current)
		return
	}
	c.Status(http.StatusNoContent)
}
