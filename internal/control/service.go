package control

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

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
	limit, err := limitOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	services := s.Catalog.Snapshot().Services()
	name := func(service *catalog.Service) string { return service.Spec.Name }
	services, next := page(services, name, c.Query("after"), limit)
	list := api.List[api.Service]{Items: []api.Service{}, Next: next}
	documents := []spec.Service{}
	for _, service := range services {
		list.Items = append(list.Items, s.serviceView(service))
		documents = append(documents, service.Spec)
	}
	s.respond(c, http.StatusOK, list, documents)
}

func (s *server) respondService(c *gin.Context, status int, service *catalog.Service) {
	c.Header("ETag", catalog.ETag(service.Version))
	s.respond(c, status, s.serviceView(service), service.Spec)
}

func (s *server) postService(c *gin.Context) {
	text, err := readDocument(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	document, err := spec.ReadService(text)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.CreateService(c.Request.Context(), document)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondService(c, http.StatusCreated, service)
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
	text, err := readDocument(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	document, err := spec.ReadService(text)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceService(c, document, demandOf(c))
}

func (s *server) patchService(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	text, err := patched(c, service.Spec)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	document, err := spec.ReadService(text)
	if err != nil {
		s.fail(c, withoutLines(err), nil)
		return
	}
	s.replaceService(c, document, ifMatchOr(c, service.Version))
}

// demandOf is the version that a write demands, or that what it makes is not there
// yet.
func demandOf(c *gin.Context) string {
	if c.GetHeader("If-None-Match") == "*" {
		return catalog.NotThere
	}
	return c.GetHeader("If-Match")
}

// ifMatchOr is the version that a patch was made on: the caller's, else the
// one it was just applied to.
func ifMatchOr(c *gin.Context, version int64) string {
	if tag := c.GetHeader("If-Match"); tag != "" {
		return tag
	}
	return catalog.ETag(version)
}

func (s *server) replaceService(c *gin.Context, document spec.Service, ifMatch string) {
	service, isNew, err := s.Catalog.PutService(c.Request.Context(), c.Param("service"), document, ifMatch)
	if err != nil {
		var current any
		if service != nil {
			current = s.serviceView(service)
		}
		s.fail(c, err, current)
		return
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
