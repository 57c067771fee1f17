package engine

import (
	"fmt"
	"strconv"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/script"
	"rapidmimic.example/spec"
)

// fit is a mapping whose path fits a call.
type fit = match.Fit[*catalog.Mapping]

// mostPassed bounds how many mappings that were passed over an explanation
// lists.
const mostPassed = 10

// candidates are the mappings that could answer a call.
type candidates struct {
	fits []fit
	// others is how many more have the path, of which facts tell that they
	// cannot fit.
	others   int
	facts    *match.Facts // nil where they do not help to find mappings
	segments []string
}

// narrowing gives the facts of a call where they help to find mappings, else nil.
func (e *Engine) narrowing(p *Placed, r *call.Request) *match.Facts {
	if !p.Service.Narrows() {
		return nil
	}
	facts := &e.ask(p, r).facts
	if p.Service.Protocol().ByMessage() {
		facts.Operation = p.dispatch(r).ID()
	}
	return facts
}

// chooseMapping lets the first of the mappings answer whose method and
// conditions fit. It reports whether one did, else why each was passed over.
func (e *Engine) chooseMapping(d *Decision, p *Placed, r *call.Request, among *candidates) (steps []call.Step, answered bool) {
	end, ok := e.turn(p, among)
	if !ok {
		e.refuse(d, p, r, true, "busy", selfDocument{
			Title: "Too many calls that remember something are before this one", Status: 503,
			Detail: fmt.Sprintf("The call waited for %s while others recalled and remembered values of service %q.", turnPatience, p.Service.Spec.Name),
		}, nil)
		return nil, true
	}
	defer end()
	won, steps := e.pick(p, r, among)
	if p.injury.refusal != nil {
		giveRefusal(d, p, steps)
		return nil, true
	}
	if won == nil {
		if len(among.fits) == 0 && among.others == 0 {
			return noMappingFits(p.Service), false
		}
		if among.others > 0 && len(steps) == 0 { // then some of the others are close
			for _, f := range p.Service.SomeOnPath(r.Method, among.segments, among.facts, mostPassed) {
				if why := e.passesOver(p, r, f, among); why != nil {
					steps = append(steps, f.Value.Skipped(*why))
				}
			}
		}
		return append(steps, narrowed(among.others)...), false
	}
	e.answerFromMapping(d, p, r, won, steps)
	return nil, true
}

// narrowed is the step that tells of the mappings that were not asked one by
// one; none for none.
func narrowed(others int) []call.Step {
	if others == 0 {
		return nil
	}
	return []call.Step{skipped(call.Subject{Kind: call.KindOthers, ID: strconv.Itoa(others)}, call.Find(call.OthersCompare))}
}

// picked is the mapping that answers, among those whose path fits.
type picked struct {
	fit
	turn     uint64 // of its sequence, from 0
	later    []fit  // those it comes before
	others   int    // that were not asked one by one
	segments []string
	scope    *expr.Scope // what the expressions of its answer see; nil until one asks
	// scripted is what its script remembers, logged what that told.
	scripted []collection.Write
	logged   []call.Step
}

// pick finds the first mapping that fits whole, nil when there is none, with a
// step for each before it.
func (e *Engine) pick(p *Placed, r *call.Request, among *candidates) (won *picked, steps []call.Step) {
	for i, f := range among.fits {
		turn := uint64(0)
		why := e.passesOver(p, r, f, among)
		if why == nil && !e.usedUp(p, r, f.Value) && e.refused(p, r, f.Value) {
			return nil, steps
		}
		if why == nil && f.Value.Spec.Sequence != nil {
			turn, why = e.takeTurn(p, r, f.Value)
		}
		if why == nil {
			return &picked{fit: f, turn: turn, later: among.fits[i+1:], others: among.others, segments: among.segments}, steps
		}
		if len(steps) < mostPassed {
			steps = append(steps, f.Value.Skipped(*why))
		}
	}
	return nil, steps
}

// otherMethod says that a path fits a call and the method does not.
func otherMethod(r *call.Request, path match.Template, methods string) call.Finding {
	why := call.Find(call.OtherMethod, path)
	why.Part, why.Seen, why.Expected = "method", r.Method, methods
	return why
}

// skipped is the step of passing something over.
func skipped(of call.Subject, why call.Finding) call.Step {
	return call.Step{Stage: call.Choose, Of: of, Verdict: call.Skipped, Finding: why}
}

// passesOver says why a mapping whose path fits does not fit the call, nil when
// it does.
func (e *Engine) passesOver(p *Placed, r *call.Request, f fit, among *candidates) *call.Finding {
	if !f.Method {
		why := otherMethod(r, f.Rule.Template, match.MethodsText(f.Rule.Methods))
		return &why
	}
	if on := f.Rule.Operation; on != "" && on != p.dispatch(r).ID() {
		return otherOperation(on)
	}
	if f.Rule.Conditions != nil {
		if why := f.Rule.Conditions.Fails(&e.ask(p, r).facts, func() *expr.Scope { return e.mappingScope(p, r, f, among.segments) }); why != nil {
			return why
		}
	}
	return e.outOfState(p, r, f, among.segments)
}

// mappingScope is what the expressions of a mapping see of a call.
func (e *Engine) mappingScope(p *Placed, r *call.Request, f fit, segments []string) *expr.Scope {
	return e.scope(p, r, func() map[string]string { return f.Rule.Template.Params(segments) }, func() *sample.Draw { return e.drawFor(p, r, "") })
}

// answerScope is what the expressions of the answer of a mapping see of a call.
func (e *Engine) answerScope(p *Placed, r *call.Request, won *picked) *expr.Scope {
	if won.scope == nil {
		won.scope = e.mappingScope(p, r, won.fit, won.segments)
	}
	return won.scope
}

// answerFromMapping answers with the mapping that was picked, and remembers what goes with its
// answer.
func (e *Engine) answerFromMapping(d *Decision, p *Placed, r *call.Request, won *picked, before []call.Step) {
	index, which := e.chooseReply(p, r, won)
	if e.answerWith(d, p, r, won, index, which, before); d.Source != call.FromMapping {
		return
	}
	writes, kept, err := e.writes(p, r, won, &won.Value.Replies[index])
	if err != nil {
		e.refuseExpression(d, p, r, won.Value, err, append(before, won.Value.Taken()))
		return
	}
	e.keep(p, writes)
	p.given = given{won, &won.Value.Replies[index]}
	if steps := append(append(p.recalledStep(), kept...), won.logged...); len(steps) > 0 {
		d.Explanation = d.Explanation.With(steps...)
	}
}

// answerWith gives one of the answers of the mapping that was picked.
func (e *Engine) answerWith(d *Decision, p *Placed, r *call.Request, won *picked, index int, which string, before []call.Step) {
	winner := won.Value
	d.Source, d.By = call.FromMapping, winner.Spec.ID
	reply := &winner.Replies[index]
	d.Answer, d.Explanation = reply.Answer, winner.Alone()
	if reply.Elsewhere() {
		steps := append(before, winner.Taken())
		if which != "" || !reply.Spec.ByContract() { // which has steps of its own
			steps = append(steps, winner.Built(index, which))
		}
		e.answerFromElsewhere(d, p, r, won, reply, steps)
		return
	}
	if !e.ownAnswer(d, p, r, won, reply, func() []call.Step { return append(before, winner.Taken()) }) {
		return
	}
	var represented []call.Step
	if d.Answer.Wire != nil {
		represented = represent(d, r)
	}
	if len(before)+len(won.later)+won.others > 0 || which != "" || represented != nil {
		d.Explanation = wonBy(r, won, append(before, winner.Taken()), append([]call.Step{winner.Built(index, which)}, represented...))
	}
}

// wonBy is why a mapping answers: what was considered before, which others lost against it, and how the
// answer was built.
func wonBy(r *call.Request, won *picked, steps, built []call.Step) *call.Explanation {
	for _, f := range won.later {
		if len(steps) > 2*mostPassed {
			break
		}
		why := f.Rule.Loss(won.Rule)
		if !f.Method {
			why = otherMethod(r, f.Rule.Template, match.MethodsText(f.Rule.Methods))
		}
		steps = append(steps, f.Value.Skipped(why))
	}
	steps = append(steps, narrowed(won.others)...)
	return &call.Explanation{Summary: won.Value.Summary(), Steps: append(steps, built...)}
}

// ownAnswer answers with what a mapping says itself, and reports whether that has a value
// for the call. steps are those that led to it, for where it has none.
func (e *Engine) ownAnswer(d *Decision, p *Placed, r *call.Request, won *picked, reply *catalog.Reply, steps func() []call.Step) bool {
	d.Answer = reply.Answer
	written := &reply.Spec
	if reply.Script != nil && !e.fromScript(d, p, r, won, reply, steps) {
		return false
	}
	if reply.Dynamic != nil {
		built, err := call.Answer{}, error(nil)
		if won.scope, err = reply.Dynamic.Naming(e.answerScope(p, r, won)); err == nil {
			built, err = reply.Dynamic.Render(won.scope)
		}
		if err == nil && written.Fault != nil {
			own := reply.Spec
			own.Fault, err = reply.Dynamic.Fault(won.scope)
			written = &own
		}
		if err != nil {
			e.refuseExpression(d, p, r, won.Value, err, steps())
			return false
		}
		d.Answer = built
	}
	if envelope, ok := p.Service.Protocol().(contract.Envelope); ok {
		if reply.Script != nil && d.Answer.Get("Content-Type") == script.XML {
			own, text := reply.Spec, string(d.Answer.Body)
			own.XML = &text
			written = &own
		}
		d.Answer = envelope.Dress(p.dispatch(r), d.Answer, written)
	}
	return true
}

// refuseExpression answers where an expression of a mapping has no value.
func (e *Engine) refuseExpression(d *Decision, p *Placed, r *call.Request, m *catalog.Mapping, err error, steps []call.Step) {
	e.refuse(d, p, r, true, "expression", selfDocument{
		Title: "An expression of the answer has no value for this call", Status: 500,
		Detail: fmt.Sprintf("Mapping %q answers this call, but %v.", m.Spec.ID, err),
	}, steps)
}

// chooseReply picks one of the answers of a mapping, and says why it is that
// one; "" where there is but one.
func (e *Engine) chooseReply(p *Placed, r *call.Request, won *picked) (index int, which string) {
	m, last := won.Value, len(won.Value.Replies)-1
	switch {
	case m.Spec.Choose != nil:
		scope := e.mappingScope(p, r, won.fit, won.segments)
		for i, reply := range m.Replies[:last] {
			if holds, err := reply.If.Run(scope); err == nil && holds.IsTrue() {
				return i, fmt.Sprintf("choice %d, whose if is true", i+1)
			}
		}
		return last, "the last choice, since no if is true"
	case m.Spec.Sequence != nil:
		index = turnOf(m, won.turn)
		return index, fmt.Sprintf("answer %d of its sequence of %d", index+1, last+1)
	default:
		return 0, ""
	}
}

// answerByContract answers with what a mapping names of the contract: an
// example, or data drawn anew.
func (e *Engine) answerByContract(d *Decision, p *Placed, r *call.Request, m *catalog.Mapping, reply *catalog.Reply, steps []call.Step) {
	asked := p.dispatch(r)
	if asked.Operation == nil {
		e.refuse(d, p, r, true, "no-operation", selfDocument{
			Title: "The mapping answers by the contract, which has no such operation", Status: 500,
			Detail: fmt.Sprintf("Mapping %q takes its answer from the contract, and no operation of it fits %s %s.", m.Spec.ID, r.Method, r.Path),
		}, steps)
		return
	}
	hints := call.Hints{Example: reply.Spec.Example, Status: reply.Spec.Status.Code, By: "the mapping"}
	if reply.Spec.From == "" { // then the status is the usual one
		hints.Status = 0
	}
	if m.Chosen {
		hints.By = m.Origin
	}
	switch {
	case reply.Spec.Generate:
		hints = call.Hints{By: "the mapping", Generate: true}
	case !hints.Given() && !p.Service.Spec.Falls(spec.OtherwiseExample):
		hints = call.Hints{By: "the service", Generate: true}
	}
	e.buildFromOperation(d, p, r, asked, &hints, steps)
	if d.Source == call.FromContract && !m.Chosen {
		d.Source, d.By = call.FromMapping, m.Spec.ID
		d.Explanation.Summary = call.Finding{Code: call.ByMappingContract, Values: append([]string{m.Spec.ID}, d.Explanation.Summary.Values...)}
	}
}

// noMappingFits explains why no mapping answers.
func noMappingFits(s *catalog.Service) []call.Step {
	why := call.Find(call.NoMappings)
	if n := len(s.Mappings); n > 0 {
		why = call.Find(call.NoPathFits, n)
	}
	return []call.Step{skipped(call.Subject{Kind: call.KindMappings}, why)}
}
