package engine

import (
	"strconv"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
)

// redirect sends an answer where the call wants it, other than on the way back: as a call of the
// service, by the rules that callbacks have, after 202 was answered. Where the service makes no callbacks
// the answer goes back all the same, and the explanation says so.
func (e *Engine) redirect(d *Decision, p *Placed, r *call.Request) {
	redirector, ok := p.Service.Protocol().(contract.Redirector)
	if !ok || d.Relay != nil || d.Source == call.FromImpairment {
		return
	}
	to, elsewhere := redirector.Elsewhere(p.dispatch(r), &d.Answer)
	if !elsewhere {
		return
	}
	of := call.Subject{Kind: call.KindCallback, ID: to.Header}
	tell := func(step call.Step) { d.Explanation = d.Explanation.With(step) }
	if to.Address == "" {
		d.Answer = call.Answer{Status: 202}
		tell(taken(call.Build, of, call.Find(call.Unwanted)))
		return
	}
	if !p.Service.Spec.Callbacks.On {
		tell(notMade(of, call.Find(call.CallbacksOff, p.Service.Spec.Name)))
		return
	}
	out := &call.Callback{
		By: "answer to " + to.Header, Service: p.Service.Spec.Name, Lane: d.Lane, Scenario: d.Scenario, Environment: d.Environment,
		Method: "POST", Target: to.Address, Header: to.Fields, Body: d.Answer.Body,
	}
	pace := p.Service.Spec.Callbacks.Pace
	pace.Times = 1 // an answer comes once
	err := e.finishCallback(out, pace, p.Service)
	if err == nil {
		err = countHop(out, r)
	}
	if err != nil {
		tell(notMade(of, call.Find(call.CallbackFailed, err.Error())))
		return
	}
	d.Callbacks = append(d.Callbacks, out)
	d.Answer = call.Answer{Status: 202}
	tell(taken(call.Build, of, call.Find(call.CallsBack, out.Method, out.Target, paceText(out))))
}

// pack puts the bytes of an answer of ours into parts of their own, where the call or the contract wants
// that. Recorded answers are sent as they came.
func pack(d *Decision, p *Placed, r *call.Request) {
	packager, ok := p.Service.Protocol().(contract.Packager)
	if !ok || d.Relay != nil || d.Answer.Wire != nil || d.Answer.Status >= 400 {
		return
	}
	packed, parts, ok := packager.Package(p.dispatch(r), r, d.Answer)
	if !ok {
		return
	}
	d.Answer = packed
	of := call.Subject{Kind: call.KindResponse, ID: strconv.Itoa(d.Answer.Status)}
	d.Explanation = d.Explanation.With(taken(call.Build, of, call.Find(call.Packed, parts)))
}
