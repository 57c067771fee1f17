package control

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/comparison"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// What a call is compared with, beside another call: what it would get now, what a mapping or an example of
// the contract answers to it, and the last recorded call that asked for the same.
const (
	withNow       = "now"
	withMapping   = "mapping:"
	withExample   = "example:"
	withRecording = "recording"
)

// getCallComparison holds a call against another, or against what it would get.
func (s *server) getCallComparison(c *gin.Context) {
	with := c.Query("with")
	if with == "" {
		s.fail(c, problem.New(problem.Invalid, "with must be the id of another call, such as c-81f3, or now, mapping:ID, example:NAME or recording"), nil)
		return
	}
	here, err := s.callNamed(c, c.Param("call"))
	var there *call.Record
	view := api.CallComparison{Call: c.Param("call"), With: with, Places: []api.CallPlace{}}
	switch {
	case err != nil:
	case with == withRecording:
		here, there, view.Note, err = s.recordedAlike(c, here)
	default:
		there, view.Note, err = s.comparedWith(c, here, with)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	found := comparison.Calls(here, there)
	view.More = found.More
	for _, place := range found.Places {
		if place.Differs {
			view.Differing++
		}
		if place.Differs || isOn(c, "all") {
			view.Places = append(view.Places, api.CallPlace{At: place.At, Here: place.Before, There: place.After, Differs: place.Differs})
		}
	}
	c.PureJSON(http.StatusOK, view)
}

// comparedWith is the other side of a comparison, and what of that cannot be told.
func (s *server) comparedWith(c *gin.Context, here *call.Record, with string) (there *call.Record, note string, err error) {
	mapping, isMapping := strings.CutPrefix(with, withMapping)
	example, isExample := strings.CutPrefix(with, withExample)
	switch {
	case with != withNow && !isMapping && !isExample:
		there, err = s.callNamed(c, with)
		return there, "", err
	case here.Source == call.FromCallback:
		return nil, "", problem.New(problem.Invalid, "call %s was made by the service: others answered it", call.ID(here.Number))
	case isMapping:
		return s.answeredByMapping(c, here, mapping)
	case isExample:
		return s.answeredByExample(c, here, example)
	default:
		return s.answeredNow(c, here)
	}
}

// answeredNow is a call with the answer that it would get now, without making it, and what of that cannot be told.
func (s *server) answeredNow(c *gin.Context, r *call.Record) (now *call.Record, note string, err error) {
	d := s.Engine.Explain(c.Request.Context(), again(r))
	if d.Relay != nil {
		return nil, "", problem.New(problem.Invalid, "the call would go to the upstream now, %s: what that answers is not known", d.Relay.Target.Redacted())
	}
	now, note = s.answeredBy(r, d)
	return now, note, nil
}

// answeredByMapping is a call with what a mapping answers to it, whatever else would.
func (s *server) answeredByMapping(c *gin.Context, r *call.Record, id string) (now *call.Record, note string, err error) {
	d, found, why := s.Engine.AnswerOf(c.Request.Context(), id, again(r))
	switch {
	case !found:
		if _, err = s.Catalog.FindMapping(r.Service, id); err == nil {
			err = problem.New(problem.NotFound, "call %s does not see mapping %s", call.ID(r.Number), id)
		}
		return nil, "", err
	case why != nil:
		return nil, "", problem.New(problem.Invalid, "mapping %s does not answer this call: %s", id, why)
	case d.Relay != nil:
		return nil, "", problem.New(problem.Invalid, "mapping %s relays this call to %s: what that answers is not known", id, d.Relay.Target.Redacted())
	case d.Source != call.FromMapping:
		return nil, "", problem.New(problem.Invalid, "mapping %s does not answer this call: %s", id, d.Explanation.Summary)
	}
	now, note = s.answeredBy(r, d)
	return now, note, nil
}

// answeredByExample is a call with an example of its operation as the answer.
func (s *server) answeredByExample(c *gin.Context, r *call.Record, name string) (now *call.Record, note string, err error) {
	asked := again(r)
	if asked.Header, err = r.Request.Header.WithHint("example", name); err != nil {
		return nil, "", problem.New(problem.Invalid, "%s", err)
	}
	d := s.Engine.Explain(c.Request.Context(), asked)
	if d.Source != call.FromContract {
		return nil, "", problem.New(problem.Invalid, "%s", d.Explanation.Summary.String())
	}
	now, note = s.answeredBy(r, d)
	return now, note, nil
}

// answeredBy is a call with the answer of a decision, and what of that cannot be told.
func (s *server) answeredBy(r *call.Record, d *engine.Decision) (now *call.Record, note string) {
	switch {
	case r.Request.Body.Truncated:
		note = "The log keeps only the beginning of the request body, by which it is decided now."
	case d.Effect != "":
		note = "Impaired now: " + d.Effect
	}
	now = &call.Record{Number: r.Number, Service: r.Service, Request: r.Request, Answer: d.Answer, AnswerSize: int64(len(d.Answer.Body))}
	s.Masker.Mask(now) // as the log did, so that a secret that is the same looks the same
	now.Request = r.Request
	return now, note
}

// recordedAlike is a call, and beside it the last recorded one of the service that asked for the same, with
// method, path and query. Secrets look alike in both.
func (s *server) recordedAlike(c *gin.Context, r *call.Record) (here, there *call.Record, note string, err error) {
	asked := recording.Of(r)
	found, err := s.Catalog.EarlierExchanges(c.Request.Context(), r.Service, "", []recording.Exchange{asked})
	if err != nil {
		return nil, nil, "", err
	}
	asked = asked.Alike()
	for _, x := range slices.Backward(found) { // the newest first
		if x = x.Alike(); x.Method != asked.Method || x.Query != asked.Query || x.Number == asked.Number {
			continue
		}
		here, there = asked.Record(r.Service), x.Record(r.Service)
		here.Request.Address, there.Request.Address = r.Request.Address, r.Request.Address // where the service is, is of no recording
		if x.Truncated {
			note = "The recording holds only the beginning of a body."
		}
		return here, there, note, nil
	}
	return nil, nil, "", problem.New(problem.NotFound, "no recording of %s has a call %s %s", r.Service, r.Request.Method, targetText(r))
}

func targetText(r *call.Record) string {
	if r.Request.Query == "" {
		return r.Request.Address
	}
	return r.Request.Address + "?" + r.Request.Query
}
