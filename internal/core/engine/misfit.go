package engine

import (
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/match"
)

// Misfit says why a mapping, which need not be in force, does not fit a call that
// was made; "" when it does. It takes no turns and draws nothing.
func (e *Engine) Misfit(service *catalog.Service, m *catalog.Mapping, r *call.Request) string {
	peeking := *e
	peeking.peeking, peeking.state = true, peek{e.state}
	p := &Placed{Service: service, segments: match.Split(nil, r.Path), snapshot: e.definitions.Snapshot()}
	if name := m.Spec.Call.Operation; name != "" && p.operationID(r) != name {
		return "it is not for operation " + name
	}
	if m.Spec.Call.Path != "" && !m.Rule.Template.Fits(p.segments) {
		candidate := match.Candidate{Kind: "mapping", ID: m.Spec.ID, Methods: m.Rule.Methods, Template: m.Rule.Template}
		if near := match.Closest(r.Method, p.segments, []match.Candidate{candidate}, 1); len(near) > 0 {
			return near[0].String()
		}
		return "another path"
	}
	f := fit{Rule: m.Rule, Value: m, Method: m.Rule.AllowsMethod(r.Method)}
	return peeking.passesOver(p, r, f, &candidates{segments: p.segments})
}
