package engine

import (
	"context"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
)

// Explain decides a call that was not made. It takes no number of any
// sequence and draws nothing that a real call would then not draw: two
// explanations in a row, and the call after them, find the same state.
func (e *Engine) Explain(ctx context.Context, r *call.Request) *Decision {
	return e.ExplainOn(ctx, e.definitions.Snapshot(), r)
}

// ExplainOn is Explain in an environment that need not be the present one.
func (e *Engine) ExplainOn(ctx context.Context, snapshot *catalog.Snapshot, r *call.Request) *Decision {
	peeking := e.peekOn(snapshot)
	p := peeking.Place(ctx, r)
	defer p.Release()
	return peeking.Decide(p, r)
}

type fixedDefinitions struct{ snapshot *catalog.Snapshot }

func (d fixedDefinitions) Snapshot() *catalog.Snapshot { return d.snapshot }

// peek is a State that only looks.
type peek struct{ State }

// Claim implements State.
func (p peek) Claim(subject, caller string) uint64 { return p.Peek(subject, caller) }
