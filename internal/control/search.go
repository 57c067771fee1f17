package control

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/api"
)

// defaultFound is how many definitions a search tells.
const defaultFound = 20

// getSearch finds definitions by words.
func (s *server) getSearch(c *gin.Context) {
	limit, err := limitOf(c, defaultFound)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	found, more := s.Catalog.Snapshot().Search(c.Query("text"), time.Now(), func(service string) bool { return sees(c, service) }, holder(c).InLane, limit)
	result := api.SearchResult{Items: make([]api.Found, len(found)), More: more}
	for i, f := range found {
		result.Items[i] = api.Found{Kind: f.Kind, Service: f.Service, ID: f.ID, Says: f.Says}
	}
	c.PureJSON(http.StatusOK, result)
}
