package control

import (
	"maps"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func lineView(name string, line spec.Line) api.Line {
	return api.Line{Name: name, Line: line, Text: line.String(), ETag: catalog.LineTag(line)}
}

func (s *server) listLines(c *gin.Context) {
	lines := s.Catalog.Snapshot().Lines()
	respondList(s, c, listing[string, api.Line]{
		items: slices.Sorted(maps.Keys(lines)), key: func(name string) string { return name },
		view: func(name string) api.Line { return lineView(name, lines[name]) },
	})
}

func (s *server) respondLine(c *gin.Context, status int, name string, line spec.Line) {
	c.Header("ETag", catalog.LineTag(line))
	s.respond(c, status, lineView(name, line), tagged{line, catalog.LineTag(line)})
}

func (s *server) getLine(c *gin.Context) {
	line, err := s.Catalog.Snapshot().FindLine(c.Param("line"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondLine(c, http.StatusOK, c.Param("line"), line)
}

func (s *server) putLine(c *gin.Context) {
	putDocument(s, c, c.Param("line"), spec.GivenLine, func(given spec.Given[spec.Line]) error {
		if named := given.Node.Get("name").Str(); named != "" && named != c.Param("line") {
			return problem.New(problem.Conflict, "the address is of line %q, the document of %q: a line cannot be renamed, since impairments name it", c.Param("line"), named)
		}
		return nil
	}, s.replaceLine)
}

func (s *server) patchLine(c *gin.Context) {
	line, err := s.Catalog.Snapshot().FindLine(c.Param("line"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	patchDocument(s, c, line, "", catalog.LineTag(line), spec.GivenLine, s.replaceLine)
}

// replaceLine puts a line. given is its document where the caller knows its lines.
func (s *server) replaceLine(c *gin.Context, line spec.Line, given []spec.Given[spec.Line], demand string) {
	name := c.Param("line")
	isNew, err := s.Catalog.PutLine(c.Request.Context(), name, line, demand)
	if err != nil {
		var current any
		if have, there := s.Catalog.Snapshot().Lines()[name]; there {
			current = lineView(name, have)
		}
		s.fail(c, located(err, given), current)
		return
	}
	if isNew {
		c.Header("Location", c.Request.URL.Path)
	}
	s.respondLine(c, created(isNew), name, line)
}

func (s *server) deleteLine(c *gin.Context) {
	if err := s.Catalog.RemoveLine(c.Request.Context(), c.Param("line"), c.GetHeader("If-Match")); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}
