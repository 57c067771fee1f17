package engine

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

// mostLoosened bounds how much of a mapping is loosened for one call.
const mostLoosened = 50

// Loosen makes of a mapping one that fits a call as well, by asking for less: what the
// call has too much of, or has another value of, does not count any more. notes tell what
// that is. why says what of the call no loosening makes fit: its method, its path or its
// operation.
func (e *Engine) Loosen(service *catalog.Service, m *catalog.Mapping, r *call.Request) (looser spec.Mapping, notes []string, why *call.Finding) {
	looser = m.Spec
	looser.Call.Where = slices.Clone(looser.Call.Where)
	p := &Placed{Service: service, segments: match.Split(nil, r.Path), snapshot: e.definitions.Snapshot()}
	if misfit := e.Misfit(service, m, r); misfit.Far > 0 || !m.Rule.AllowsMethod(r.Method) || misfit.Why != nil && misfit.Why.Code == call.OtherOperation {
		return looser, nil, misfit.Why
	}
	peeking := *e
	peeking.peeking, peeking.state = true, peek{e.state}
	facts := &match.Facts{Request: r, Noise: service.Spec.IsNoise}
	if e.secrets != nil {
		facts.StandIn, facts.Hide = e.secrets.StandIn, e.secrets.Hide
	}
	for range mostLoosened {
		conditions, faults := catalog.CompileConditions(looser.Call)
		if len(faults) > 0 {
			return looser, notes, call.Found(call.NotLookedAt, faults[0].Detail)
		}
		number, unmet := conditions.Unmet(facts)
		if unmet == nil {
			break
		}
		notes = append(notes, loosen(&looser.Call, number, unmet))
	}
	if looser.Call.If != "" {
		conditions, _ := catalog.CompileConditions(spec.Pattern{If: looser.Call.If})
		if conditions.Fails(facts, func() *expr.Scope { return peeking.mappingScope(p, r, fit{Rule: m.Rule, Value: m}, p.segments) }) != nil {
			notes = append(notes, "if "+looser.Call.If+" does not count any more")
			looser.Call.If = ""
		}
	}
	return looser, notes, nil
}

// loosen has one condition ask for less: without what the finding names, else for nothing.
func loosen(p *spec.Pattern, number int, unmet *call.Finding) (note string) {
	c := p.Where[number]
	what := unmet.Part
	switch {
	case c.Only != "":
		_, name, _ := strings.Cut(unmet.Part, " ")
		c.Except = append(slices.Clone(c.Except), name)
		p.Where[number] = c
		return what + " may be there, however often"
	case c.Body != "" && c.Equals != nil && strings.HasPrefix(unmet.Part, "body $") && unmet.Part != "body $" && unmet.Part != "body "+c.Body:
		c.Except = append(slices.Clone(c.Except), strings.TrimPrefix(unmet.Part, "body "))
		p.Where[number] = c
	default:
		p.Where = slices.Delete(p.Where, number, number+1)
		if what == "" {
			what = fmt.Sprintf("condition %d", number+1)
		}
	}
	return what + " does not count any more"
}
