package control

import (
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/api"
)

// getTimeline tells how many calls came in the last quarter of an hour, and how they fared.
func (s *server) getTimeline(c *gin.Context) {
	name := c.Query("service")
	if err := s.unknownService(&call.Selection{Services: namesOf(name)}); err != nil {
		s.fail(c, err, nil)
		return
	}
	wanted := func(service string) bool {
		return (name == "" || strings.EqualFold(service, name)) && sees(c, service)
	}
	c.PureJSON(http.StatusOK, timelineView(s.Log.Timeline(time.Now(), c.Query("lane"), wanted)))
}

func namesOf(name string) []string {
	if name == "" {
		return nil
	}
	return []string{name}
}

func timelineView(t call.Timeline) api.Timeline {
	view := api.Timeline{From: t.From.UTC(), Seconds: int(t.Every.Seconds()), Spans: make([]api.TimelineSpan, len(t.Spans))}
	for i, span := range t.Spans {
		view.Spans[i] = api.TimelineSpan{Sources: countsView(span.Sources), Failed: span.Failed, NotKept: span.Lost, P50Ms: milliseconds(span.P50), P95Ms: milliseconds(span.P95)}
	}
	return view
}
