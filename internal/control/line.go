package control

import (
	"maps"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) listLines(c *gin.Context) {
	list := api.List[api.Line]{Items: []api.Line{}}
	lines := s.Catalog.Snapshot().Lines()
	for _, name := range slices.Sorted(maps.Keys(lines)) {
		list.Items = append(list.Items, api.Line{Name: name, Line: lines[name], Text: lines[name].String()})
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) putLine(c *gin.Context) {
	var line spec.Line
	err := readJSON(c, &line, "line")
	if err == nil {
		err = s.Catalog.PutLine(c.Request.Context(), c.Param("line"), &line)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, api.Line{Name: c.Param("line"), Line: line, Text: line.String()})
}

func (s *server) deleteLine(c *gin.Context) {
	if err := s.Catalog.PutLine(c.Request.Context(), c.Param("line"), nil); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}
