package engine

import (
	"errors"
	"fmt"
	"sync"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// asking is what steps of the engine ask of one call, worked out once: they share
// it, also where they go on with a copy of Placed.
type asking struct {
	facts  match.Facts
	budget budget.Budget
	parts  map[string]any // of the call, as expressions see them
	// recalled are the keys of what was asked for of the memory, a few of them.
	recalled []string
}

// ask gives what is known of a call. The body of r must be read by then.
func (e *Engine) ask(p *Placed, r *call.Request) *asking {
	if p.asking == nil {
		a := &asking{budget: budget.New(p.ctx, e.now, e.gate)}
		a.facts = match.Facts{Request: r, Budget: &a.budget}
		if e.secrets != nil {
			a.facts.Hide, a.facts.StandIn = e.secrets.Hide, e.secrets.StandIn
		}
		if p.Service != nil {
			a.facts.Noise = p.Service.Spec.IsNoise
		}
		p.asking = a
	}
	return p.asking
}

// part is a part of the call as expressions see it; the parameters of the path
// differ from one template to the next.
func (a *asking) part(name string) any {
	value, known := a.parts[name]
	if !known {
		if a.parts == nil {
			a.parts = make(map[string]any)
		}
		value = callPart(name, a.facts.Request, a.facts.Body)
		a.parts[name] = value
	}
	return value
}

// within makes a draw one that the budget of the call bounds.
func (a *asking) within(d *sample.Draw) *sample.Draw {
	d.Budget = &a.budget
	return d
}

// scope is what expressions see of a call, with the parameters of a path. Its parts
// are decoded, and its draw is claimed, when an expression asks for them.
func (e *Engine) scope(p *Placed, r *call.Request, params func() map[string]string, draw func() *sample.Draw) *expr.Scope {
	a := e.ask(p, r)
	draw = sync.OnceValue(draw)
	return &expr.Scope{
		Part: func(name string) any {
			if name == "path" {
				return pathPart(params())
			}
			return a.part(name)
		},
		Base: baseOf(r), Now: e.now(), Budget: &a.budget,
		Fake:  func(kind string) string { return draw().Fake(kind) },
		Whole: func(low, high int64) int64 { return draw().Whole(low, high) },
		Count: func(name string) int64 {
			return int64(e.state.Claim(p.snapshot.StateKey()+"counter/"+p.Service.Spec.ID, "="+name)) + 1
		},
		JSONPath: func(root *tree.Node, path string) ([]*tree.Node, error) { return match.FindJSON(root, path, &a.budget) },
		XPath:    func(document, path string) ([]string, error) { return match.FindXML(document, path, &a.budget) },
		Payload:  p.Service.Payloads.Content,
		Vars:     p.Service.Vars(),
		Recall:   e.recall(p, a),
		State:    func(flow, of string) string { return e.flowState(p, flow, of) },
	}
}

// settle makes a refusal of a decision whose call has used up its budget: what was
// not looked at could have decided otherwise.
func (e *Engine) settle(d *Decision, p *Placed, r *call.Request) {
	if p.asking == nil || d.Source == call.FromImpairment {
		return
	}
	var steps []call.Step
	if d.Explanation != nil {
		steps = d.Explanation.Steps
	}
	err := p.asking.budget.Err()
	var exhausted *budget.Exhausted
	switch {
	case err == nil:
		return
	case !errors.As(err, &exhausted):
		callerLeft(d)
		return
	case exhausted.Time:
		refusal(d, "too-much-work", selfDocument{
			Title: "This call takes too long to be answered", Status: 503,
			Detail: fmt.Sprintf("The call was not looked at to the end: %s.", exhausted.Detail),
		}, steps)
	default:
		refusal(d, "too-much-work", selfDocument{
			Title: "This call is too large to be answered", Status: 413,
			Detail: fmt.Sprintf("The call was not looked at to the end: %s.", exhausted.Detail),
		}, steps)
	}
	d.Relay, d.Recording = nil, ""
	e.inProtocol(d, p, r, contract.Fault{Ours: true})
}

// callerLeft is the decision on a call that nobody waits for any more.
func callerLeft(d *Decision) {
	d.Source, d.By, d.Relay, d.Recording = call.FromSelf, "caller-left", nil, ""
	d.Answer = call.Answer{Status: StatusCallerLeft}
	d.Explanation = &call.Explanation{Summary: call.Find(call.CallerLeft)}
}

// StatusCallerLeft stands in the log for calls whose caller did not wait.
const StatusCallerLeft = 499
