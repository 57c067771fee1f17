package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// postLoosening has a mapping answer a call, too, that it did not fit, by asking for less.
func (s *server) postLoosening(c *gin.Context) {
	service, m := s.serviceAndMapping(c)
	if m == nil {
		return
	}
	var wanted api.LooseningRequest
	err := readFields(c, &wanted, "loosening")
	number, ok := call.ParseID(wanted.Call)
	var record *call.Record
	switch {
	case err != nil:
	case !ok:
		err = problem.New(problem.NotFound, "%q is not a call id (such as c-81f3)", wanted.Call)
	default:
		if err = s.Log.Flush(c.Request.Context()); err == nil {
			record, err = s.receivedCall(c.Request.Context(), service.Spec.Name, number)
		}
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	looser, notes, why := s.Engine.Loosen(service, m, &record.Request)
	if why != nil {
		s.fail(c, problem.New(problem.Invalid, "mapping %q cannot be loosened to answer call %s: %s", m.Spec.ID, wanted.Call, why), nil)
		return
	}
	report := api.Loosening{Notes: append([]string{}, notes...)}
	if !wanted.DryRun && len(notes) > 0 {
		if m, _, err = s.Catalog.PutMapping(c.Request.Context(), service.Spec.Name, looser, catalog.ETag(m.Version)); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	report.Mapping = looser
	c.Header("ETag", catalog.ETag(m.Version))
	c.PureJSON(http.StatusOK, report)
}
