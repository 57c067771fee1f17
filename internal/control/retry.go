package control

import (
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic/internal/core/call"
	"rapidmimic/spec/api"
)

// listRetries tells how callers took failures, from the last calls in the log.
func (s *server) listRetries(c *gin.Context) {
	records, err := s.lastCalls(c, c.Query("service"), 1000)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	slices.SortFunc(records, func(a, b *call.Record) int { return a.At.Compare(b.At) })
	list := api.List[api.RetryStory]{Items: []api.RetryStory{}}
	for _, story := range slices.Backward(call.Retries(records, time.Now())) {
		view := api.RetryStory{Service: story.Service, Method: story.Method, Path: story.Path, Query: story.Query, Caller: story.Caller, Outcome: string(story.Outcome)}
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

const (
	timingMinutes = 5
	timingCalls   = 2000
)

// getTimings tells how long the calls of the last minutes took.
func (s *server) getTimings(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err == nil {
		err = s.Log.Flush(c.Request.Context())
	}
	var lines []call.Summary
	if err == nil {
		lines, err = s.Calls.ListCalls(c.Request.Context(), call.Filter{Service: service.Spec.Name}, 0, timingCalls)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, timingsOf(lines, time.Now()))
}

func timingsOf(lines []call.Summary, now time.Time) api.Timings {
	timings := api.Timings{TookMs: []float64{}, Minutes: make([]api.TimingMinute, timingMinutes)}
	for _, line := range lines {
		age := int(now.Sub(line.At).Minutes())
		if age >= timingMinutes || age < 0 {
			continue
		}
		timings.TookMs = append(timings.TookMs, milliseconds(line.Took))
		minute := &timings.Minutes[timingMinutes-1-age]
		minute.Calls++
		if line.Status == 0 || line.Status == 429 || line.Status >= 499 {
			minute.Errors++
		}
	}
	sorted := slices.Sorted(slices.Values(timings.TookMs))
	at := func(share float64) float64 {
		if len(sorted) == 0 {
			return 0
		}
		return sorted[min(int(share*float64(len(sorted))), len(sorted)-1)]
	}
	timings.P50Ms, timings.P90Ms, timings.P99Ms = at(0.5), at(0.9), at(0.99)
	return timings
}
