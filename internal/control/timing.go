package control

import (
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/api"
)

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
		lines, err = s.Calls.ListCalls(c.Request.Context(), call.Filter{Service: service.Spec.Name, Lane: c.Query("lane"), Received: true}, 0, timingCalls)
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
		if call.Failed(line.Status) {
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
