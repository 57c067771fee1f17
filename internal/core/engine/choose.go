package engine

import (
	"fmt"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/match"
)

// choose finds what answers: the winning mapping, else the contract, else
// nothing, which is a miss. Hints go past the mappings.
func (e *Engine) choose(d *Decision, p *Placed, r *call.Request) {
	if p.Service.Contract != nil && p.Service.Contract.SOAP != nil {
		e.chooseSOAP(d, p, r)
		return
	}
	if p.hints.Given() {
		e.chooseOperation(d, p, r, p.segments, []call.Step{{Stage: call.Choose, Subject: "mappings", Verdict: call.Passed,
			Reason: "the hint of the call asks the contract"}})
		return
	}
	fits := p.Service.Fits(r.Method, p.segments)
	if len(fits) > 0 && fits[0].Method {
		answerFromMapping(d, fits)
		return
	}
	segments := p.segments
	if rest := withoutBase(p.Service, segments); rest != nil && len(fits) == 0 && len(p.Service.Operations(segments)) == 0 {
		segments = rest
		fits = p.Service.Fits(r.Method, rest)
		if len(fits) > 0 && fits[0].Method {
			answerFromMapping(d, fits)
			return
		}
	}
	e.chooseOperation(d, p, r, segments, passedMappings(p.Service, fits))
}

// chooseOperation answers by the operation that fits, else it is a miss.
func (e *Engine) chooseOperation(d *Decision, p *Placed, r *call.Request, segments []string, steps []call.Step) {
	operations := p.Service.Operations(segments)
	if rest := withoutBase(p.Service, segments); rest != nil && len(operations) == 0 {
		segments, operations = rest, p.Service.Operations(rest)
	}
	for _, op := range operations {
		if answers(op, r.Method) {
			e.buildFromOperation(d, p, r, op, segments, steps)
			return
		}
		steps = append(steps, call.Step{Stage: call.Choose, Subject: "operation " + op.ID, Verdict: call.Passed,
			Reason: fmt.Sprintf("its path %s fits, its method is %s", op.Template, op.Method)})
	}
	if r.Method == "OPTIONS" && len(operations) > 0 {
		allowed(d, operations)
		return
	}
	e.miss(d, p, r, segments, steps)
}

func answerFromMapping(d *Decision, fits []match.Fit[*catalog.Mapping]) {
	winner := fits[0].Value
	d.Source, d.By = call.FromMapping, winner.Spec.ID
	d.Answer, d.Explanation = winner.Answer, winner.Alone
	if len(fits) > 1 {
		steps := []call.Step{winner.Taken()}
		for _, fit := range fits[1:] {
			steps = append(steps, passedMapping(fit, winner.Rule))
		}
		d.Explanation = &call.Explanation{Sentence: winner.Sentence(), Steps: append(steps, winner.Built())}
	}
}

// mostPassed bounds how many mappings that were passed over an explanation
// lists.
const mostPassed = 10

func passedMapping(fit match.Fit[*catalog.Mapping], winner *match.Rule) call.Step {
	reason := fmt.Sprintf("its path %s fits, its method is %s", fit.Rule.Template, match.MethodsText(fit.Rule.Methods))
	if fit.Method {
		reason = fit.Rule.Loss(winner)
	}
	return call.Step{Stage: call.Choose, Subject: "mapping " + fit.Rule.ID, Verdict: call.Passed, Reason: reason}
}

// passedMappings explains why no mapping answers.
func passedMappings(s *catalog.Service, fits []match.Fit[*catalog.Mapping]) []call.Step {
	if len(fits) == 0 {
		reason := "the service has none"
		if n := len(s.Mappings); n > 0 {
			reason = fmt.Sprintf("the path of none of them fits (%d of the service)", n)
		}
		return []call.Step{{Stage: call.Choose, Subject: "mappings", Verdict: call.Passed, Reason: reason}}
	}
	var steps []call.Step
	for _, fit := range fits[:min(len(fits), mostPassed)] {
		steps = append(steps, passedMapping(fit, nil))
	}
	return steps
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
