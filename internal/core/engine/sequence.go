package engine

import (
	"cmp"
	"slices"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// sequenceKey is the subject of the positions of a mapping's sequence.
func sequenceKey(view *catalog.Snapshot, serviceID string, m *catalog.Mapping) string {
	return view.StateKey() + "sequence/" + serviceID + "/" + m.Origin + "/" + m.Spec.ID + "/"
}

// usedUp reports whether the sequence of a mapping would pass a call on.
func (e *Engine) usedUp(p *Placed, r *call.Request, m *catalog.Mapping) bool {
	return m.Spec.Sequence != nil && turnOf(m, e.state.Peek(turnKey(p, r, m))) < 0
}

func turnKey(p *Placed, r *call.Request, m *catalog.Mapping) (subject, caller string) {
	subject = sequenceKey(p.snapshot, p.Service.Spec.ID, m)
	if m.Spec.Per == spec.PerCaller {
		caller = r.CallerHost()
	}
	return subject, caller
}

// takeTurn takes the next turn of a mapping's sequence, or says that none is
// left.
func (e *Engine) takeTurn(p *Placed, r *call.Request, m *catalog.Mapping) (turn uint64, usedUp *call.Finding) {
	turn = e.state.Claim(turnKey(p, r, m))
	if turnOf(m, turn) < 0 {
		return turn, call.Found(call.UsedUp, len(m.Replies))
	}
	return turn, nil
}

// turnOf is which answer a turn gets, both from 0; -1 when the sequence passes
// the call on.
func turnOf(m *catalog.Mapping, turn uint64) int {
	count := uint64(len(m.Replies))
	switch {
	case turn < count:
		return int(turn)
	case m.Spec.Then == spec.StartOver:
		return int(turn % count)
	case m.Spec.Then == spec.Pass:
		return -1
	default:
		return int(count - 1)
	}
}

// Position is where a mapping's sequence stands.
type Position struct {
	Caller string // "" for everyone
	Given  uint64 // turns that were taken
	Next   int    // the answer that comes next, from 1; 0 when it passes calls on
}

// Positions tells where the sequence of a mapping stands in a view, for each caller
// that has a position; none for a mapping without a sequence.
func (e *Engine) Positions(view *catalog.Snapshot, serviceID string, m *catalog.Mapping) []Position {
	if m.Spec.Sequence == nil {
		return nil
	}
	var positions []Position
	for caller, given := range e.state.Counts(sequenceKey(view, serviceID, m)) {
		positions = append(positions, Position{caller, given, turnOf(m, given) + 1})
	}
	slices.SortFunc(positions, func(a, b Position) int { return cmp.Compare(a.Caller, b.Caller) })
	return positions
}

// ResetSequence sets the sequence of a mapping back to its start in a view, for all
// callers.
func (e *Engine) ResetSequence(view *catalog.Snapshot, serviceID string, m *catalog.Mapping) {
	e.state.Forget(sequenceKey(view, serviceID, m))
}
