package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (s *server) respondPins(c *gin.Context, service *catalog.Service) {
	operation := c.Param("operation")
	view := api.Pins{Pins: service.Spec.Pins[operation], ETag: catalog.ETag(service.Version), Warnings: service.PinWarnings(operation)}
	if view.Pins == nil {
		view.Pins = spec.Pins{}
	}
	c.Header("ETag", view.ETag)
	s.respond(c, http.StatusOK, view, view)
}

// getPins tells which fields of what an operation answers are fixed.
func (s *server) getPins(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err == nil {
		_, err = service.FindOperation(c.Param("operation"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondPins(c, service)
}

// putPins fixes fields instead of those that were fixed.
func (s *server) putPins(c *gin.Context) {
	var given api.Pins
	text, err := readDocument(c)
	if err == nil {
		err = decode(text, &given, "document of pins")
	}
	if err == nil && given.Pins == nil {
		err = problem.New(problem.Invalid, "the document needs pins: an object of JSON Pointers and values, {} for none")
	}
	s.setPins(c, given.Pins, given.ETag, err)
}

func (s *server) deletePins(c *gin.Context) { s.setPins(c, nil, "", nil) }

func (s *server) setPins(c *gin.Context, pins spec.Pins, etag string, err error) {
	var demand string
	if err == nil {
		demand, err = demandOf(c, etag)
	}
	var service *catalog.Service
	if err == nil {
		service, err = s.Catalog.SetPins(c.Request.Context(), c.Param("service"), c.Param("operation"), pins, demand)
	}
	if err != nil {
		var current any
		if service != nil {
			current = s.serviceView(service)
		}
		s.fail(c, err, current)
		return
	}
	s.respondPins(c, service)
}
