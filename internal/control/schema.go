package control

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// schemaNames are the documents that have a JSON Schema.
var schemaNames = []string{"environment.json", "lane.json", "mappings.json", "scenarios.json", "service.json"}

func (s *server) getSchema(c *gin.Context) {
	name := c.Param("schema")
	if !slices.Contains(schemaNames, name) {
		s.fail(c, problem.New(problem.NotFound, "schema %q not found (there are %s)", name, strings.Join(schemaNames, ", ")), nil)
		return
	}
	text, err := spec.Schemas.ReadFile("schemas/" + name)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Data(http.StatusOK, "application/schema+json", text)
}
