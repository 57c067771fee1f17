package engine

import "rapidmimic/internal/core/call"

// Explain decides a call that was not made. It takes no number of any
// sequence and draws nothing that a real call would then not draw: two
// explanations in a row, and the call after them, find the same state.
func (e *Engine) Explain(r *call.Request) Decision {
	peeking := *e
	peeking.state = peek{e.state}
	return peeking.Decide(peeking.Place(r), r)
}

// peek is a State that only looks.
type peek struct{ State }

// Claim implements State.
func (p peek) Claim(key string) uint64 { return p.Peek(key) }
