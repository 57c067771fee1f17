package engine

import (
	"context"
	"errors"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

// What one mapping gives to a call that was made, by itself: whatever else fits the call, in its lane and
// under its scenario. As with Explain nothing is counted, drawn or remembered.

// peekOn is the engine as it only looks, in an environment that need not be the present one.
func (e *Engine) peekOn(snapshot *catalog.Snapshot) *Engine {
	peeking := *e
	peeking.peeking = true
	peeking.state, peeking.definitions = peek{e.state}, fixedDefinitions{snapshot}
	return &peeking
}

// AnswerOf is what the mapping with an id answers to a call, also where another comes before it or it is
// switched off. found is false where the call sees no such mapping; why says why it does not fit. With either d is nil.
func (e *Engine) AnswerOf(ctx context.Context, id string, r *call.Request) (d *Decision, found bool, why *call.Finding) {
	peeking := e.peekOn(e.definitions.Snapshot())
	p := peeking.Place(ctx, r)
	defer p.Release()
	if p.Service == nil {
		return nil, false, nil
	}
	m := p.Service.Mapping(id)
	if m == nil {
		return nil, false, nil
	}
	if misfit := peeking.misfit(p, m, r); misfit.Why != nil {
		return nil, true, misfit.Why
	}
	won := &picked{fit: fit{Rule: m.Rule, Value: m, Method: true}, segments: p.segments}
	if m.Spec.Sequence != nil {
		if won.turn, why = peeking.takeTurn(p, r, m); why != nil {
			return nil, true, why
		}
	}
	d = p.decision()
	peeking.answerFromMapping(d, p, r, won, nil)
	peeking.complete(d, p, r)
	peeking.clean(d, r)
	return d, true, nil
}

// Worked is what an expression gives, or why it gives nothing.
type Worked struct {
	Value *tree.Node
	Err   error
}

// WorkOut tells what expressions give in an answer of a mapping, which need not be in force, to a call that
// has its method and path; ok is false for another call.
func (e *Engine) WorkOut(ctx context.Context, snapshot *catalog.Snapshot, m *catalog.Mapping, r *call.Request, expressions []string) (worked []Worked, ok bool) {
	peeking := e.peekOn(snapshot)
	p := peeking.Place(ctx, r)
	defer p.Release()
	if p.Service == nil || !peeking.asks(p, m, r) {
		return nil, false
	}
	scope := peeking.mappingScope(p, r, fit{Rule: m.Rule, Value: m, Method: true}, p.segments)
	scope, names, failed := answer.Naming(m.Spec.Answer.Let, scope)
	for _, text := range expressions {
		one := Worked{Err: failed}
		if mistaken := p.Service.Mistaken(m, text); mistaken != "" {
			one.Err = errors.New(mistaken)
		}
		if one.Err == nil {
			one.Value, one.Err = workOut(text, names, scope)
		}
		worked = append(worked, one)
	}
	return worked, true
}

func workOut(text string, names []string, scope *expr.Scope) (*tree.Node, error) {
	program, err := expr.Compile(text, names...)
	if err != nil {
		return nil, err
	}
	return program.Run(scope)
}
