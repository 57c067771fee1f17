package engine

import (
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
)

// choose finds what answers: a document of the contract, the winning mapping, the
// contract, else nothing, which is a miss. Hints go past the mappings.
func (e *Engine) choose(d *Decision, p *Placed, r *call.Request) {
	if e.publish(d, p, r) {
		return
	}
	if p.hints.Given() {
		e.goPastMappings(d, p, r)
		return
	}
	facts := e.narrowing(p, r)
	fits, others := p.Service.Fits(r.Method, p.segments, facts)
	steps, answered := e.chooseMapping(d, p, r, &candidates{fits, others, facts, p.segments})
	if answered {
		return
	}
	if rest := p.withoutBase(); rest != nil && len(fits) == 0 {
		if asked := p.dispatch(r); len(asked.Segments) == len(rest) {
			fits, others = p.Service.Fits(r.Method, rest, facts)
			if steps, answered = e.chooseMapping(d, p, r, &candidates{fits, others, facts, rest}); answered {
				return
			}
		}
	}
	e.chooseOperation(d, p, r, steps)
}

// goPastMappings asks the contract alone, of which the call wants something.
func (e *Engine) goPastMappings(d *Decision, p *Placed, r *call.Request) {
	e.chooseOperation(d, p, r, []call.Step{skipped(call.Subject{Kind: call.KindMappings}, call.Find(call.HintAsks))})
}

// withoutBase is the path of a call without the base path of the contract; nil when it
// has none.
func (p *Placed) withoutBase() []string {
	if p.Service.Contract == nil {
		return nil
	}
	return p.Service.Contract.Relative(p.segments)
}

// published is the document of the contract that a call asks for; ok is false where it asks for none.
func (p *Placed) published(r *call.Request) (publisher contract.Publisher, answer call.Answer, ok bool) {
	publisher, ok = p.Service.Protocol().(contract.Publisher)
	if !ok || r.Method != "GET" && r.Method != "HEAD" {
		return publisher, answer, false
	}
	answer, ok = publisher.Publish(r.Query, "http://"+r.Host+baseOf(r))
	return publisher, answer, ok
}

// asksContract reports whether a call asks for a document of the contract, which we give also while
// others are relayed: that of the upstream would lead its reader past us.
func (p *Placed) asksContract(r *call.Request) bool {
	_, _, ok := p.published(r)
	return ok
}

// publish gives a document of the contract to who asks for one.
func (e *Engine) publish(d *Decision, p *Placed, r *call.Request) bool {
	publisher, answer, ok := p.published(r)
	if !ok {
		return false
	}
	if e.dead(p, r) {
		giveRefusal(d, p, nil)
		return true
	}
	d.Source, d.By, d.Answer = call.FromSelf, publisher.Published(), answer
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.ContractServed),
		Steps:   []call.Step{taken(call.Choose, call.Subject{Kind: call.KindContract}, call.Find(call.ContractAsked))},
	}
	return true
}

// dispatch finds the operation that a call is for.
func (p *Placed) dispatch(r *call.Request) *contract.Asked {
	if !p.dispatched {
		p.asked, p.dispatched = p.Service.Protocol().Dispatch(r, p.segments), true
		p.asked.Understood = p.Service.Spec.UnderstoodHeaders
	}
	return &p.asked
}

// chooseOperation answers by the operation that fits, else it is a miss.
func (e *Engine) chooseOperation(d *Decision, p *Placed, r *call.Request, steps []call.Step) {
	if e.refused(p, r, nil) {
		giveRefusal(d, p, steps)
		return
	}
	asked, hints, byContract := p.dispatch(r), p.hints, true
	if asked.Operation != nil && asked.Fault == nil && e.fromMemory(d, p, r, asked, steps) {
		return
	}
	if !hints.Given() && !p.Service.Spec.Falls(spec.OtherwiseExample) {
		hints = call.Hints{By: "the service", Generate: true}
		byContract = p.Service.Spec.AnswersByContract()
	}
	if byContract {
		steps = withOthers(steps, r, asked.Others)
		if asked.Operation != nil && asked.Fault == nil {
			e.buildFromOperation(d, p, r, asked, &hints, steps)
			return
		}
	}
	if byContract && asked.Operation == nil && e.signIn(d, p, r, steps) || e.otherwise(d, p, r, steps) {
		return
	}
	if r.Method == "OPTIONS" && byContract && len(asked.Others) > 0 {
		allowed(d, asked.Others)
		return
	}
	e.miss(d, p, r, asked, steps)
}

// withOthers adds the operations on the path that are of other methods.
func withOthers(steps []call.Step, r *call.Request, others []*contract.Operation) []call.Step {
	for _, op := range others {
		steps = append(steps, skipped(operationSubject(op), otherMethod(r, op.Template, op.Method)))
	}
	return steps
}
