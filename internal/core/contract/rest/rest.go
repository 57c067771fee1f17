// Package rest is the protocol of plain HTTP: operations are told apart by path and
// method, answers are what the contract offers in the media type that the caller
// accepts, and refusals are problem documents.
package rest

import (
	"cmp"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
)

// Protocol is that of one contract.
type Protocol struct {
	contract *contract.Contract // nil for a service without one
	router   match.Router[*contract.Operation]
	skipped  match.Router[*contract.Operation] // those that cannot answer
}

var _ contract.Protocol = (*Protocol)(nil)

// None is the protocol of services without a contract.
var None = &Protocol{}

// New indexes the operations of a contract that can answer.
func New(c *contract.Contract) *Protocol {
	p := &Protocol{contract: c}
	for _, op := range c.Operations {
		if op.Skipped == nil {
			p.router.Add(op.Template, op)
		} else {
			p.skipped.Add(op.Template, op)
		}
	}
	return p
}

// Name implements contract.Protocol.
func (*Protocol) Name() string { return "http" }

// ByMessage implements contract.Protocol.
func (*Protocol) ByMessage() bool { return false }

// Dispatch implements contract.Protocol. The path is tried as it is, then without the
// base path of the contract.
func (p *Protocol) Dispatch(r *call.Request, segments []string) contract.Asked {
	if p.contract == nil {
		return contract.Asked{Segments: segments}
	}
	asked := p.at(r, segments)
	if asked.Operation != nil {
		return asked
	}
	for i, rest := range p.contract.Relatives(segments) {
		relative := p.at(r, rest)
		if relative.Operation != nil || relative.Known != nil {
			return relative
		}
		if i == 0 && len(asked.Others) == 0 {
			asked = relative
		}
	}
	return asked
}

func (p *Protocol) at(r *call.Request, segments []string) contract.Asked {
	method := r.Method
	found := p.router.Find(nil, segments)
	for i, op := range found {
		if answers(op, method) {
			return contract.Asked{Operation: best(found[i:], r, segments), Segments: segments, Others: found[:i]}
		}
	}
	asked := contract.Asked{Segments: segments, Others: found}
	for _, op := range p.skipped.Find(nil, segments) {
		if answers(op, method) {
			asked.Known = op
			break
		}
	}
	return asked
}

// best is the first of the operations, which answers a method, unless another on a path of the same
// shape does better: one of that very method, or one whose parameters the path obeys.
func best(found []*contract.Operation, r *call.Request, segments []string) *contract.Operation {
	chosen, strange := found[0], -1
	for _, op := range found[1:] {
		if !answers(op, r.Method) || !op.Template.SameShape(found[0].Template) {
			continue
		}
		if strange < 0 {
			strange = chosen.Strange(r, segments)
		}
		own := op.Strange(r, segments)
		if cmp.Or(notOf(op, r.Method)-notOf(chosen, r.Method), own-strange) < 0 {
			chosen, strange = op, own
		}
	}
	return chosen
}

func notOf(op *contract.Operation, method string) int {
	if op.Method == method {
		return 0
	}
	return 1
}

// answers reports whether an operation answers a method: HEAD is GET without
// the body.
func answers(op *contract.Operation, method string) bool {
	return op.Method == method || op.Method == "GET" && method == "HEAD"
}

// Addresses implements contract.Protocol.
func (*Protocol) Addresses(op *contract.Operation) []match.Template {
	return []match.Template{op.Template}
}

// Pin implements contract.Protocol.
func (*Protocol) Pin(b contract.Built, pins []contract.Pin, scope *expr.Scope) (contract.Built, []string, error) {
	if b.Tree() == nil {
		return b, nil, nil
	}
	value, pinned, err := contract.Apply(pins, b.Value, scope)
	if err == nil && len(pinned) > 0 {
		b.SetValue(value)
	}
	return b, pinned, err
}

// CheckRequest implements contract.Protocol.
func (*Protocol) CheckRequest(asked *contract.Asked, f *match.Facts) []call.Deviation {
	return asked.Operation.CheckRequest(f, asked.Segments)
}

// CheckAnswer implements contract.Protocol.
func (*Protocol) CheckAnswer(op *contract.Operation, a *call.Answer, whole bool, b *budget.Budget) []call.Deviation {
	return op.CheckAnswer(a, whole, b)
}

// Try implements contract.Protocol.
func (*Protocol) Try(op *contract.Operation, draw *sample.Draw) call.Request { return op.Try(draw) }
