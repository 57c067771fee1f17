package engine

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/impair"
)

// laneQuota is what the counters of lanes begin with. No service has such a name.
const laneQuota = "quota of lanes\x00"

// overQuota refuses a call in a lane that called as often within the last second as one lane
// may, so that a test run that goes wild leaves the service to the others. Calls in no lane
// have no such limit: nobody could say whose they are.
func (e *Engine) overQuota(d *Decision, p *Placed, r *call.Request) bool {
	lane := p.snapshot.LaneName()
	if e.laneCalls == 0 || lane == "" {
		return false
	}
	now := e.now()
	var window impair.Window
	var within bool
	if e.peeking {
		window = e.counts.Window(laneQuota, lane, now)
		within = window.Used < e.laneCalls
	} else {
		window, within = e.counts.Take(laneQuota, lane, now, e.laneCalls, time.Second)
	}
	if within {
		return false
	}
	wait := max(1, int(math.Ceil(window.Reset.Seconds())))
	e.refuse(d, p, r, true, "lane-quota", selfDocument{
		Title: "This lane makes too many calls", Status: 429,
		Detail: fmt.Sprintf("Lane %q has a share of %d calls a second (serve --lane-calls-per-second); try again in %d s.", lane, e.laneCalls, wait),
	}, nil)
	d.Answer.Status = 429 // also with a fault in it: the caller is to wait
	d.Headers = append(d.Headers,
		call.Field{Name: "Retry-After", Value: strconv.Itoa(wait)},
		call.Field{Name: "RateLimit-Policy", Value: fmt.Sprintf(`"lane";q=%d;w=1`, e.laneCalls)},
		call.Field{Name: "RateLimit", Value: fmt.Sprintf(`"lane";r=0;t=%d`, wait)})
	if p.Service.Spec.CORS {
		allowOrigin(d, r, p.foreign)
	}
	return true
}
