package engine

import (
	"fmt"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
)

// otherwise answers a call that neither a mapping nor the contract does, where
// the service says how. It reports whether it does.
func (e *Engine) otherwise(d *Decision, p *Placed, r *call.Request, steps []call.Step) bool {
	if p.Service.Otherwise != nil {
		e.otherwiseAnswer(d, p, r, steps)
		return true
	}
	if p.Service.Spec.Falls(spec.OtherwiseUpstream) && p.Service.Spec.Upstream != "" {
		capture := p.Service.Recording
		if capture != nil && capture.LeavesOut(r, p.segments) != "" {
			capture = nil
		}
		if capture != nil {
			d.Recording = capture.Spec.ID
		}
		relay(d, p, r, "nothing else answers the call", capture, steps)
		return true
	}
	return false
}

// otherwiseAnswer gives the answer that the service has for such calls.
func (e *Engine) otherwiseAnswer(d *Decision, p *Placed, r *call.Request, steps []call.Step) {
	reply := p.Service.Otherwise
	built := reply.Answer
	if reply.Dynamic != nil {
		var err error
		built, err = reply.Dynamic.Render(e.scope(p, r, noParams, func() *sample.Draw { return e.drawFor(p, r, "") }))
		if err != nil {
			e.refuse(d, p, r, true, "expression", selfDocument{
				Title: "An expression of the answer has no value for this call", Status: 500,
				Detail: fmt.Sprintf("Service %q has an answer for calls that nothing else fits, but %v.", p.Service.Spec.Name, err),
			}, steps)
			return
		}
	}
	d.Source, d.By, d.Answer = call.FromSelf, "otherwise", built
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.ByOtherwise, p.Service.Spec.Name),
		Steps:   append(steps, taken(call.Choose, call.Subject{Kind: call.KindOtherwise}, call.Find(call.OwnOtherwise))),
	}
}
