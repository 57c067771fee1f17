package control

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// operationsIn names the operation of recorded calls of a service.
func operationsIn(service *catalog.Service) func(recording.Exchange) string {
	return func(x recording.Exchange) string {
		r := x.Record(service.Spec.Name)
		asked := service.Protocol().Dispatch(&r.Request, match.Split(nil, x.Path))
		return asked.ID()
	}
}

// measuredCalls are the calls of recordings of a service, as far as they tell for which
// operation each was: of all, or of the one with this id.
func (s *server) measuredCalls(ctx context.Context, service *catalog.Service, id string) (all []recording.Exchange, err error) {
	recordings, err := s.Catalog.Recordings(ctx, service.Spec.Name)
	if err != nil {
		return nil, err
	}
	for _, r := range recordings {
		if id != "" && r.Recording.ID != id {
			continue
		}
		read := func() (_ catalog.StoredRecording, exchanges []recording.Exchange, err error) {
			return s.Catalog.ExchangeHeads(ctx, service.Spec.Name, r.Recording.ID, 0, 0)
		}
		if service.Protocol().ByMessage() { // whose bodies tell
			read = func() (catalog.StoredRecording, []recording.Exchange, error) {
				return s.Catalog.Exchanges(ctx, service.Spec.Name, r.Recording.ID)
			}
		}
		_, exchanges, err := read()
		if err != nil {
			return nil, err
		}
		all = append(all, exchanges...)
	}
	return all, nil
}

// listLatencies tells how long operations took at the upstream: in one recording, or in
// all of the service.
func (s *server) listLatencies(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	id := ""
	if name := c.Param("recording"); err == nil && name != "" {
		var r catalog.StoredRecording
		r, err = s.Catalog.FindRecording(c.Request.Context(), c.Param("service"), name)
		id = r.Recording.ID
	}
	var exchanges []recording.Exchange
	if err == nil {
		exchanges, err = s.measuredCalls(c.Request.Context(), service, id)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.MeasuredLatency]{Items: []api.MeasuredLatency{}}
	for _, l := range recording.Latencies(exchanges, operationsIn(service)) {
		list.Items = append(list.Items, api.MeasuredLatency{Of: l.Of, Calls: l.Calls, P50: l.P50, P90: l.P90, P99: l.P99})
	}
	c.PureJSON(http.StatusOK, list)
}

// writeOut writes out what an impairment calls recorded.
func (s *server) writeOut(ctx context.Context, target spec.Target, wanted *spec.Impairment) error {
	if wanted.Latency == nil || !wanted.Latency.Recorded {
		return nil
	}
	if target.Service == "" {
		return problem.FromItems("the impairment cannot be used", []problem.Item{{At: "/latency", Detail: "recorded latency is that of a service: set it for one, or for an operation or a mapping of one"}})
	}
	service, err := s.Catalog.Find(target.Service)
	if err != nil {
		return err
	}
	exchanges, err := s.measuredCalls(ctx, service, "")
	if err != nil {
		return err
	}
	measured := recording.Measured(exchanges, operationsIn(service))
	if measured == nil {
		return problem.FromItems("the impairment cannot be used", []problem.Item{{At: "/latency", Detail: "no recording of service " + service.Spec.Name + " tells how long its upstream took: record it first"}})
	}
	wanted.Latency = measured
	return nil
}
