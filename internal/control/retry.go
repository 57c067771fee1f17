package control

import (
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/api"
)

// listRetries tells how callers took failures, from the last calls in the log.
func (s *server) listRetries(c *gin.Context) {
	ignored := s.Catalog.Snapshot().Ignored()
	records, err := s.lastCalls(c, call.Filter{Service: c.Query("service"), Lane: c.Query("lane"), Ignored: func(line *call.Summary) bool {
		return ignored.IsIgnored(line) || !sees(c, line.Service)
	}}, 1000)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	slices.SortFunc(records, func(a, b *call.Record) int { return a.At.Compare(b.At) })
	list := api.List[api.RetryStory]{Items: []api.RetryStory{}}
	for _, story := range slices.Backward(call.Retries(records, time.Now())) {
		view := api.RetryStory{Service: story.Service, Method: story.Method, Path: story.Path, Query: story.Query, Caller: story.Caller, Lane: story.Lane, Outcome: string(story.Outcome)}
		if service := s.Catalog.Snapshot().Named(story.Service); service != nil && service.Protocol().ByMessage() {
			view.Operation = story.Operation
		}
		for _, a := range story.Attempts {
			view.Attempts = append(view.Attempts, api.RetryAttempt{ID: call.ID(a.Number), At: a.At.UTC(), Status: a.Status,
				GapMs: milliseconds(a.Gap), AdvisedMs: milliseconds(a.Advised), Obeyed: a.Obeyed, Injected: injectedViews(a.Injected)})
		}
		list.Items = append(list.Items, view)
	}
	c.PureJSON(http.StatusOK, list)
}

func injectedViews(injected []call.Injected) (views []api.Injected) {
	for _, i := range injected {
		views = append(views, api.Injected(i))
	}
	return views
}
