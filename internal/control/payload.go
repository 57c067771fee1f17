package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
)

func payloadView(service *catalog.Service, p *answer.Payload) api.Payload {
	return api.Payload{Name: p.Name, MediaType: p.MediaType(), Size: len(p.Bytes), Senders: service.Senders(p.Name), ETag: catalog.ETag(p.Version)}
}

func (s *server) listPayloads(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[string, api.Payload]{
		items: service.Payloads.Names(), key: func(name string) string { return name },
		view: func(name string) api.Payload { return payloadView(service, service.Payloads[name]) },
	})
}

func (s *server) getPayload(c *gin.Context) {
	p, err := s.Catalog.FindPayload(c.Param("service"), c.Param("payload"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(p.Version))
	attached(c, p.Name)
	c.Data(http.StatusOK, p.MediaType(), p.Bytes)
}

func (s *server) putPayload(c *gin.Context) {
	bytes, err := readBody(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	p, isNew, err := s.Catalog.PutPayload(c.Request.Context(), c.Param("service"), c.Param("payload"), bytes, headerDemand(c))
	if err != nil {
		s.failPayload(c, err, p)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(p.Version))
	c.PureJSON(created(isNew), payloadView(service, p))
}

func (s *server) failPayload(c *gin.Context, err error, p *answer.Payload) {
	var current any
	if service, found := s.Catalog.Find(c.Param("service")); p != nil && found == nil {
		current = payloadView(service, p)
	}
	s.fail(c, err, current)
}

func (s *server) deletePayload(c *gin.Context) {
	if err := s.Catalog.RemovePayload(c.Request.Context(), c.Param("service"), c.Param("payload")); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}
