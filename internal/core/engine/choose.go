package engine

import (
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/match"
	"rapidmimic/spec"
)

// choose finds what answers: the winning mapping, else the contract, else
// nothing, which is a miss. Hints go past the mappings.
func (e *Engine) choose(d *Decision, p *Placed, r *call.Request) {
	if p.Service.Contract != nil && p.Service.Contract.SOAP != nil {
		e.chooseSOAP(d, p, r)
		return
	}
	if p.hints.Given() {
		e.chooseOperation(d, p, r, p.segments, []call.Step{skipped(call.Subject{Kind: call.KindMappings}, call.Find(call.HintAsks))})
		return
	}
	facts := e.narrowing(p, r)
	fits, others := p.Service.Fits(r.Method, p.segments, facts)
	steps, answered := e.chooseMapping(d, p, r, &candidates{fits, others, facts, p.segments})
	if answered {
		return
	}
	segments := p.segments
	if rest := withoutBase(p.Service, segments); rest != nil && len(fits) == 0 && len(p.Service.Operations(segments)) == 0 {
		segments = rest
		fits, others = p.Service.Fits(r.Method, rest, facts)
		if steps, answered = e.chooseMapping(d, p, r, &candidates{fits, others, facts, rest}); answered {
			return
		}
	}
	e.chooseOperation(d, p, r, segments, steps)
}

// chooseOperation answers by the operation that fits, else it is a miss.
func (e *Engine) chooseOperation(d *Decision, p *Placed, r *call.Request, segments []string, steps []call.Step) {
	if e.refused(p, r, nil) {
		giveRefusal(d, p, steps)
		return
	}
	operations := p.Service.Operations(segments)
	if rest := withoutBase(p.Service, segments); rest != nil && len(operations) == 0 {
		segments, operations = rest, p.Service.Operations(rest)
	}
	if !p.hints.Given() && !p.Service.Spec.Falls(spec.OtherwiseExample) {
		if !p.Service.Spec.AnswersByContract() {
			operations = nil
		}
		e.ask(p, r) // which the copy shares
		generating := *p
		generating.hints.Generate = true
		p = &generating
	}
	for _, op := range operations {
		if answers(op, r.Method) {
			e.buildFromOperation(d, p, r, op, segments, steps)
			return
		}
		steps = append(steps, skipped(operationSubject(op), otherMethod(r, op.Template, op.Method)))
	}
	if e.otherwise(d, p, r, steps) {
		return
	}
	if r.Method == "OPTIONS" && len(operations) > 0 {
		allowed(d, operations)
		return
	}
	e.miss(d, p, r, segments, steps)
}

// withoutBase takes a base path of the contract off the path of a call, since
// callers may write it or leave it out. It returns nil when there is none.
func withoutBase(service *catalog.Service, segments []string) []string {
	if service.Contract == nil {
		return nil
	}
	for _, base := range service.Contract.BasePaths {
		if rest, ok := cutPrefix(segments, match.Split(nil, base)); ok {
			return rest
		}
	}
	return nil
}

// answers reports whether an operation answers a method: HEAD is GET without
// the body.
func answers(op *contract.Operation, method string) bool {
	return op.Method == method || op.Method == "GET" && method == "HEAD"
}

func cutPrefix(segments, prefix []string) ([]string, bool) {
	if len(segments) <= len(prefix) {
		return nil, false
	}
	for i := range prefix {
		if segments[i] != prefix[i] {
			return nil, false
		}
	}
	return segments[len(prefix):], true
}
