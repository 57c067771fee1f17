package control

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// postReplay sends the requests of a recording to a real service again, and tells in what
// its answers differ. It takes as long as that does.
func (s *server) postReplay(c *gin.Context) {
	var wanted api.ReplayRequest
	r, exchanges, ok := s.askedOfRecording(c, &wanted, "replay")
	if !ok {
		return
	}
	base, err := url.Parse(wanted.Against)
	if err != nil || base.Host == "" || base.Scheme != "http" && base.Scheme != "https" || base.RawQuery != "" || base.User != nil {
		s.fail(c, problem.FromItems("the recording cannot be replayed", []problem.Item{{At: "/against", Detail: fmt.Sprintf("against must be a base URL such as https://office.example/api, without query and user, not %q", wanted.Against)}}), nil)
		return
	}
	if err := spec.CheckPace(wanted.Pace); err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	replay := &replay{server: s, wanted: wanted, base: base, service: service, keys: service.Keys(), learned: recording.Replaying{Header: make(call.Header)}}
	if real := service.Upstream; real != nil && real.Scheme == base.Scheme && real.Host == base.Host { // it is asked as the service asks it
		for _, f := range service.UpstreamHeaders {
			replay.learned.Header[http.CanonicalHeaderKey(f.Name)] = []string{f.Value}
		}
	}
	for _, header := range wanted.Headers {
		delete(replay.learned.Header, http.CanonicalHeaderKey(header[0]))
	}
	for _, header := range wanted.Headers {
		replay.learned.Header[http.CanonicalHeaderKey(header[0])] = append(replay.learned.Header[http.CanonicalHeaderKey(header[0])], header[1])
	}
	// it may take long: the caller learns at once that it has begun
	control := http.NewResponseController(c.Writer)
	_ = control.SetWriteDeadline(time.Time{})
	c.Header("Content-Type", "application/json; charset=utf-8")
	c.Status(http.StatusOK)
	c.Writer.WriteHeaderNow()
	_ = control.Flush()
	report, err := replay.run(c.Request.Context(), exchanges)
	if err != nil {
		return // nobody waits any more
	}
	report.Recording, report.Against = recordingView(r), wanted.Against
	report.Recording.Calls = len(exchanges)
	c.PureJSON(http.StatusOK, report)
}

// replay is one replay of a recording.
type replay struct {
	server  *server
	wanted  api.ReplayRequest
	base    *url.URL
	service *catalog.Service
	keys    []call.Key // of its contract
	learned recording.Replaying
}

// run sends the calls one after the other. The error says that ctx has ended.
func (p *replay) run(ctx context.Context, exchanges []recording.Exchange) (report api.DriftReport, err error) {
	report.Calls = []api.DriftCall{}
	speed := (&spec.Recorded{Pace: p.wanted.Pace}).Speed()
	var before, after []float64
	for i, x := range exchanges {
		if i > 0 && speed > 0 {
			pause := time.NewTimer(time.Duration(float64(x.At.Sub(exchanges[i-1].At)) / speed))
			select {
			case <-pause.C:
			case <-ctx.Done():
				pause.Stop()
				return report, ctx.Err()
			}
		}
		line := driftLine(x)
		if line.Skipped = p.skips(x); line.Skipped != "" {
			report.Skipped++
			report.Calls = append(report.Calls, line)
			continue
		}
		now, notes, err := p.ask(ctx, x)
		if ctx.Err() != nil {
			return report, ctx.Err()
		}
		line.Notes = notes
		if err != nil {
			line.Differences = []api.DriftDifference{{At: "answer", Recorded: fmt.Sprint(x.Status), Now: "none: " + err.Error()}}
		} else {
			p.learned.Learn(x, now)
			masked := p.masked(now)
			line.Differences = differenceViews(recording.Compare(x, masked, recording.Comparing(p.wanted.Comparing)))
			_, found, _ := p.server.Engine.Check(ctx, masked.Record(p.service.Spec.Name)) // what was found is told
			line.Deviations = deviationViews(slices.DeleteFunc(found, func(d call.Deviation) bool { return d.Side == "request" }))
			line.NowMs = float64(now.Took) / 1000
			before, after = append(before, line.RecordedMs), append(after, line.NowMs)
		}
		report.Take(line)
	}
	report.Latency = latencyOf(before, after)
	return report, nil
}

// skips says why a call is not sent again; "" when it is.
func (p *replay) skips(x recording.Exchange) string {
	switch {
	case x.Writes() && !p.wanted.Writes:
		return x.Method + " may change something there"
	case x.Truncated:
		return "its request or its answer was not kept whole"
	case x.Status < 200 || x.Status == 499:
		return "it has no answer to compare with"
	default:
		return ""
	}
}

// ask sends one request. The error says in words why there is no answer.
func (p *replay) ask(ctx context.Context, x recording.Exchange) (now recording.Exchange, notes []string, err error) {
	today, unknown := p.learned.Request(x)
	for _, where := range unknown {
		notes = append(notes, where+" had a secret that is not known here")
	}
	base := *p.base
	base.Path, base.RawPath = strings.TrimSuffix(base.Path, "/"), strings.TrimSuffix(base.RawPath, "/")
	target := engine.TargetOf(p.service, &base, today.Path, today.Query)
	request, err := http.NewRequestWithContext(ctx, today.Method, target.String(), bytes.NewReader(today.Body))
	if err != nil {
		return now, notes, err
	}
	for name, values := range today.Request {
		if name != "Host" && name != "Content-Length" && name != "Connection" && name != "Transfer-Encoding" {
			request.Header[name] = values
		}
	}
	asked := time.Now()
	answer, err := p.server.Upstream.RoundTrip(request)
	if err != nil {
		_, why := p.server.Upstream.Explain(err)
		return now, notes, fmt.Errorf("%s", why)
	}
	defer answer.Body.Close()
	body, err := io.ReadAll(io.LimitReader(answer.Body, MaxUpload))
	if err != nil {
		return now, notes, fmt.Errorf("it broke off after %d bytes", len(body))
	}
	if plain, ok := coding.Decode(coding.Name(answer.Header.Get("Content-Encoding")), body, MaxUpload); ok {
		body = plain
	}
	today.Status, today.Answer, today.Header, today.Took, today.Wire = answer.StatusCode, body, nil, time.Since(asked).Microseconds(), nil
	for name, values := range answer.Header {
		for _, value := range values {
			today.Header = append(today.Header, call.Field{Name: name, Value: value})
		}
	}
	return today, notes, nil
}

// masked is an exchange of now as a recording would keep it.
func (p *replay) masked(now recording.Exchange) recording.Exchange {
	r := now.Record("")
	r.Recording, r.Request.Keys = "replay", p.keys
	p.server.Masker.Mask(r)
	masked := recording.Of(r)
	masked.Took = now.Took
	return masked
}

// getComparison compares two recordings of a service.
func (s *server) getComparison(c *gin.Context) {
	ctx, name := c.Request.Context(), c.Param("service")
	r, before, err := s.exchangesOf(ctx, name, c.Param("recording"))
	var after []recording.Exchange
	other := r
	if err == nil {
		other, after, err = s.exchangesOf(ctx, name, c.Param("other"))
	}
	service, findErr := s.Catalog.Find(name)
	if err == nil {
		err = findErr
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	how := recording.Comparing{Ignore: c.QueryArray("ignore"), Values: isOn(c, "values")}
	report := api.DriftReport{Recording: recordingView(r), Against: other.Recording.Name, Calls: []api.DriftCall{}}
	report.Recording.Calls = len(before)
	pairs, onlyBefore, onlyAfter := recording.Pairs(before, after, service.Spec.IsNoise)
	var was, is []float64
	for _, pair := range pairs {
		line := driftLine(pair.Before)
		line.NowMs = float64(pair.After.Took) / 1000
		line.Differences = differenceViews(recording.Compare(pair.Before, pair.After, how))
		_, found, _ := s.Engine.Check(ctx, pair.After.Record(service.Spec.Name)) // what was found is told
		line.Deviations = deviationViews(slices.DeleteFunc(found, func(d call.Deviation) bool { return d.Side == "request" }))
		was, is = append(was, line.RecordedMs), append(is, line.NowMs)
		report.Take(line)
	}
	for _, x := range onlyBefore {
		report.OnlyRecorded = append(report.OnlyRecorded, recordedCallView(x))
	}
	for _, x := range onlyAfter {
		report.OnlyNow = append(report.OnlyNow, recordedCallView(x))
	}
	report.Latency = latencyOf(was, is)
	c.PureJSON(http.StatusOK, report)
}

func driftLine(x recording.Exchange) api.DriftCall {
	return api.DriftCall{ID: call.ID(x.Number), Method: x.Method, Path: x.Path, Query: x.Query, RecordedMs: float64(x.Took) / 1000}
}

func differenceViews(differences []recording.Difference) (views []api.DriftDifference) {
	for _, d := range differences {
		views = append(views, api.DriftDifference(d))
	}
	return views
}

func latencyOf(before, after []float64) (l api.DriftLatency) {
	if len(before) == 0 {
		return l
	}
	at := func(values []float64, share float64) float64 {
		sorted := slices.Sorted(slices.Values(values))
		return sorted[int(share*float64(len(sorted)-1)+0.5)]
	}
	return api.DriftLatency{RecordedP50: at(before, 0.5), RecordedP90: at(before, 0.9), NowP50: at(after, 0.5), NowP90: at(after, 0.9)}
}
