package control

import (
	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
)

// perspective is how a request wants services shown: as they are defined for
// everybody, or as the calls find them that its query "lane" names, those of a lane
// or with "-" those in none. Then what lanes and scenarios add is shown too; of a
// lane, only its own calls are counted.
type perspective struct {
	view  *catalog.Snapshot // what is shown of the environment
	state *catalog.Snapshot // whose positions are shown
	calls string            // the lane whose calls are counted; "" for all
}

// asDefined is the perspective of a request that names no lane.
func (s *server) asDefined() perspective {
	return perspective{view: s.Catalog.Snapshot(), state: s.shared()}
}

func (s *server) perspectiveOf(c *gin.Context) (perspective, error) {
	if c.Query("lane") == "" {
		return s.asDefined(), nil
	}
	view, err := s.viewOf(c)
	if err != nil {
		return perspective{}, err
	}
	return perspective{view: view, state: view, calls: view.LaneName()}, nil
}

// serviceSeen finds the service of the URL in the perspective of the request, with
// the counts of now. When it is not there it answers so, and service is nil.
func (s *server) serviceSeen(c *gin.Context) (seen perspective, service *catalog.Service) {
	seen, err := s.perspectiveOf(c)
	if err == nil {
		service, err = seen.view.FindService(c.Param("service"))
	}
	if err == nil {
		err = s.Log.Flush(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err, nil)
		return seen, nil
	}
	return seen, service
}
