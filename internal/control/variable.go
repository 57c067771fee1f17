package control

import (
	"maps"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) getVariables(c *gin.Context) {
	s.respondVariables(c, s.Catalog.Snapshot().Variables())
}

func (s *server) respondVariables(c *gin.Context, v catalog.StoredVariables) {
	view := s.variablesView(v)
	c.Header("ETag", view.ETag)
	s.respond(c, http.StatusOK, view, tagged{v.Variables, view.ETag})
}

func (s *server) variablesView(v catalog.StoredVariables) api.Variables {
	snapshot := s.Catalog.Snapshot()
	return api.Variables{Variables: v.Variables, ETag: catalog.ETag(v.Version), Sets: snapshot.VariableSets(), Resolved: variableViews(snapshot.ResolvedVariables())}
}

// variableViews lists variables by their names.
func variableViews(resolved map[string]catalog.Resolved) []api.Variable {
	views := make([]api.Variable, 0, len(resolved))
	for _, name := range slices.Sorted(maps.Keys(resolved)) {
		v := resolved[name]
		view := api.Variable{Name: name, Value: v.Value, Secret: v.Secret, Missing: v.Value == nil, Origin: v.Origin}
		if v.Secret {
			view.Value = nil
		}
		views = append(views, view)
	}
	return views
}

func (s *server) putVariables(c *gin.Context) {
	putDocument(s, c, "", spec.GivenVariables, nil, s.replaceVariables)
}

func (s *server) patchVariables(c *gin.Context) {
	have := s.Catalog.Snapshot().Variables()
	patchDocument(s, c, have.Variables, "", catalog.ETag(have.Version), spec.GivenVariables, s.replaceVariables)
}

// replaceVariables puts the variables of the environment. given is their document where the
// caller knows its lines.
func (s *server) replaceVariables(c *gin.Context, variables spec.Variables, given []spec.Given[spec.Variables], demand string) {
	now, err := s.Catalog.PutVariables(c.Request.Context(), variables, demand)
	if err != nil {
		s.fail(c, located(err, given), s.variablesView(now))
		return
	}
	s.respondVariables(c, now)
}

// listServiceVariables lists the variables as the calls of a service see them.
func (s *server) listServiceVariables(c *gin.Context) {
	seen, err := s.perspectiveOf(c)
	var service *catalog.Service
	if err == nil {
		service, err = seen.view.FindService(c.Param("service"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[api.Variable, api.Variable]{
		items: variableViews(service.Variables()), key: func(v api.Variable) string { return v.Name }, view: func(v api.Variable) api.Variable { return v },
	})
}
