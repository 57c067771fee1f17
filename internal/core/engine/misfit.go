package engine

import (
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/match"
)

// Misfit is why a call does not fit a mapping. The zero value says that it does.
type Misfit struct {
	Why *call.Finding
	// Far is how far the address of the call is from fitting, in letters; 0 where the
	// address fits and something else does not.
	Far int
}

// Misfit says why a mapping, which need not be in force, does not fit a call that
// was made. It takes no turns and draws nothing.
func (e *Engine) Misfit(service *catalog.Service, m *catalog.Mapping, r *call.Request) Misfit {
	peeking := e.peekOn(e.definitions.Snapshot())
	return peeking.misfit(&Placed{Service: service, segments: match.Split(nil, r.Path), snapshot: peeking.definitions.Snapshot()}, m, r)
}

func (e *Engine) misfit(p *Placed, m *catalog.Mapping, r *call.Request) Misfit {
	if name := m.Spec.Call.Operation; name != "" && e.operationID(p, r) != name {
		return p.otherOperation(r, name)
	}
	if m.Spec.Call.Path != "" && !m.Rule.Template.Fits(p.segments) {
		return p.apart(r, match.Candidate{Kind: "mapping", ID: m.Spec.ID, Methods: m.Rule.Methods, Template: m.Rule.Template}, call.Found(call.OtherPath))
	}
	f := fit{Rule: m.Rule, Value: m, Method: m.Rule.AllowsMethod(r.Method)}
	return Misfit{Why: e.passesOver(p, r, f, &candidates{segments: p.segments})}
}

// asks reports whether a call asks for what a mapping is for, by method, path and operation.
func (e *Engine) asks(p *Placed, m *catalog.Mapping, r *call.Request) bool {
	if name := m.Spec.Call.Operation; name != "" && e.operationID(p, r) != name {
		return false
	}
	return (m.Spec.Call.Path == "" || m.Rule.Template.Fits(p.segments)) && m.Rule.AllowsMethod(r.Method)
}

// Holding tells of each condition of a mapping whether a call meets it; asked is false where the call asks for
// something else by method, path or operation.
func (e *Engine) Holding(service *catalog.Service, m *catalog.Mapping, r *call.Request) (holding []bool, asked bool) {
	peeking := e.peekOn(e.definitions.Snapshot())
	p := &Placed{Service: service, segments: match.Split(nil, r.Path), snapshot: peeking.definitions.Snapshot()}
	if !peeking.asks(p, m, r) {
		return nil, false
	}
	return m.Rule.Conditions.Holding(&peeking.ask(p, r).facts), true
}

// otherOperation says what a call differs in from those for an operation.
func (p *Placed) otherOperation(r *call.Request, name string) Misfit {
	for _, c := range p.Service.Candidates() {
		if c.Kind == "operation" && c.ID == name && !p.Service.Protocol().ByMessage() {
			return p.apart(r, c, otherOperation(name))
		}
	}
	return Misfit{otherOperation(name), match.TooFar}
}

// apart says in which part an address differs from a candidate; otherwise, where they
// have nothing in common.
func (p *Placed) apart(r *call.Request, c match.Candidate, otherwise *call.Finding) Misfit {
	if near := match.Closest(r.Method, p.segments, []match.Candidate{c}, 1); len(near) > 0 {
		why := near[0].Finding()
		return Misfit{&why, near[0].Distance()}
	}
	return Misfit{otherwise, match.TooFar}
}

func otherOperation(name string) *call.Finding {
	return &call.Finding{Code: call.OtherOperation, Expected: name}
}
