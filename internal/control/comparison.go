package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/comparison"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// withNow compares a call with what it would get now.
const withNow = "now"

// getCallComparison holds a call against another, or against what it would get now.
func (s *server) getCallComparison(c *gin.Context) {
	with := c.Query("with")
	if with == "" {
		s.fail(c, problem.New(problem.Invalid, "with must be the id of another call, such as c-81f3, or now"), nil)
		return
	}
	here, err := s.callNamed(c, c.Param("call"))
	var there *call.Record
	view := api.CallComparison{Call: c.Param("call"), With: with, Places: []api.CallPlace{}}
	switch {
	case err != nil:
	case with == withNow:
		there, view.Note, err = s.answeredNow(c, here)
	default:
		there, err = s.callNamed(c, with)
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

// answeredNow is a call with the answer that it would get now, without making it, and what of that cannot be told.
func (s *server) answeredNow(c *gin.Context, r *call.Record) (now *call.Record, note string, err error) {
	if r.Source == call.FromCallback {
		return nil, "", problem.New(problem.Invalid, "call %s was made by the service: others answered it", call.ID(r.Number))
	}
	d := s.Engine.Explain(c.Request.Context(), again(r))
	if d.Relay != nil {
		return nil, "", problem.New(problem.Invalid, "the call would go to the upstream now, %s: what that answers is not known", d.Relay.Target.Redacted())
	}
	switch {
	case r.Request.Body.Truncated:
		note = "The log keeps only the beginning of the request body, by which it is decided now."
	case d.Effect != "":
		note = "Impaired now: " + d.Effect
	}
	now = &call.Record{Number: r.Number, Service: r.Service, Request: r.Request, Answer: d.Answer, AnswerSize: int64(len(d.Answer.Body))}
	s.Masker.Mask(now) // as the log did, so that a secret that is the same looks the same
	now.Request = r.Request
	return now, note, nil
}
