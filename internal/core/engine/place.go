package engine

import (
	"context"
	"fmt"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec/tree"
)

// Place finds the service that a request is for, by the first segment of its
// address, sets the request's path relative to it, and reads the hints. Which lane
// it belongs to, and which scenario holds there, says which view of the environment
// answers. When ctx ends, the caller has left: then nothing more is worked out.
func (e *Engine) Place(ctx context.Context, r *call.Request) *Placed {
	p := &Placed{ctx: ctx, snapshot: e.definitions.Snapshot(), foreign: e.foreign(r)}
	inAddress := ""
	var base string
	if p.Service, base = p.snapshot.OnHost(r.HostName(), r.Address); p.Service != nil {
		p.onHost = true
		if r.Path = r.Address[len(base):]; r.Path == "" {
			r.Path = "/"
		}
	} else {
		lane, address, in := laneInAddress(r.Address)
		if inAddress = lane; in && lane == "" {
			p.refuse("the address names no lane after /@", nil)
		}
		p.findService(r, address)
	}
	if p.Service != nil {
		p.segments = match.Split(make([]string, 0, 8), r.Path)
		r.Keys = p.Service.Keys()
		if r.Method == "POST" && p.Service.GivesTokens() {
			_, p.asksToken = p.signInEndpoint(r)
		}
	}
	if p.foreign && inAddress != "" {
		p.refuse(fmt.Sprintf("lanes are not for pages of %s (serve --origins says of which pages they are)", r.Header.Get("Origin")), nil)
	}
	p.readHints(r)
	e.findView(p, r, inAddress)
	return p
}

// laneInAddress takes the lane out of an address that begins with one, such as
// /@night-run/moorings; some clients escape the @.
func laneInAddress(address string) (lane, rest string, in bool) {
	after, in := strings.CutPrefix(address, "/@")
	if !in {
		if after, in = strings.CutPrefix(address, "/%40"); !in {
			return "", address, false
		}
	}
	lane, rest, _ = strings.Cut(after, "/")
	return lane, "/" + rest, true
}

// findService finds the service that an address, without its lane, names.
func (p *Placed) findService(r *call.Request, address string) {
	relative := strings.TrimPrefix(address, "/")
	var length int
	if p.Service, length = p.snapshot.At(relative); p.Service == nil {
		r.Path = address
		return
	}
	if r.Path = relative[length:]; r.Path == "" {
		r.Path = "/"
	}
}

// readHints reads what a call says to its service. A call that misses every service
// is still one of the lane that it names.
func (p *Placed) readHints(r *call.Request) {
	if p.Service != nil && !p.Service.Spec.Hints {
		return
	}
	if len(r.Header["Rapid-Mimic"]) > 0 || len(r.Header["Baggage"]) > 0 {
		hints, err := call.ReadHints(r.Header)
		if p.hints = hints; err != nil {
			p.refuse(err.Error(), nil)
		}
		if p.foreign && hints != (call.Hints{}) {
			p.hints = call.Hints{}
			p.refuse(fmt.Sprintf("hints are not for pages of %s (serve --origins says of which pages they are)", r.Header.Get("Origin")), nil)
		}
	}
}

// refuse says why a call is refused before anything is asked, with the names that
// would have been right.
func (p *Placed) refuse(why string, names []string) {
	if p.badHint == "" {
		p.badHint, p.rightNames = why, names
	}
}

// findView finds the view of the environment that answers a call.
func (e *Engine) findView(p *Placed, r *call.Request, inAddress string) {
	base := p.snapshot
	if p.badHint != "" || !base.Situated() && p.hints.Lane == "" && inAddress == "" && p.hints.Scenario == "" && r.ProxyUser == "" {
		return
	}
	now := e.now()
	lane := e.findLane(p, r, inAddress, now)
	if lane == nil && p.badHint != "" {
		return
	}
	view := base.View(lane, now)
	if name := p.hints.Scenario; name != "" {
		scenario, err := base.FindScenario(name)
		if err != nil {
			p.refuse(err.Error(), base.ScenarioNames())
			return
		}
		view, p.situated = base.ViewWith(lane, scenario), append(p.situated, taken(call.Place, call.Subject{Kind: call.KindScenario, ID: name}, call.Find(call.Hinted)))
	}
	if p.snapshot = view; p.Service != nil {
		p.Service = view.Named(p.Service.Spec.Name)
	}
}

// findLane finds the lane that a call belongs to, nil for none. One that names a
// lane that is not open is refused.
func (e *Engine) findLane(p *Placed, r *call.Request, inAddress string, now time.Time) *catalog.Lane {
	name, by := p.hints.Lane, "its hint"
	switch {
	case p.hints.LaneInHeader:
	case inAddress != "":
		name, by = inAddress, "its address"
	case name != "":
		by = "its baggage"
	case r.ProxyUser != "":
		name, by = r.ProxyUser, "the user name that it gave the proxy"
	}
	if name != "" {
		lane, err := p.snapshot.FindLane(name, now)
		if err != nil {
			p.refuse(err.Error(), p.snapshot.LaneNames(now))
			return nil
		}
		p.situated = append(p.situated, taken(call.Place, call.Subject{Kind: call.KindLane, ID: name}, call.Find(call.Named, by)))
		return lane
	}
	for _, lane := range p.snapshot.Ruled() {
		if p.snapshot.Lane(lane.Spec.Name, now) == nil {
			continue
		}
		facts := &match.Facts{Request: r} // the body is not read yet
		if lane.Takes(facts, func() *expr.Scope { return e.ruleScope(r, p.snapshot.Vars()) }) {
			p.situated = append(p.situated, taken(call.Place, call.Subject{Kind: call.KindLane, ID: lane.Spec.Name}, call.Find(call.ByRule)))
			return lane
		}
	}
	return nil
}

// ruleScope is what the rule of a lane sees of a call, whose body is not read yet.
func (e *Engine) ruleScope(r *call.Request, vars map[string]any) *expr.Scope {
	return &expr.Scope{
		Part: func(name string) any { return callPart(name, r, noBody) }, Now: e.now(), Vars: vars,
		Fake: func(string) string { return "" }, Whole: func(low, _ int64) int64 { return low }, Count: func(string) int64 { return 0 },
		JSONPath: func(*tree.Node, string) ([]*tree.Node, error) { return nil, nil }, XPath: func(string, string) ([]string, error) { return nil, nil },
	}
}

func taken(stage call.Stage, of call.Subject, why call.Finding) call.Step {
	return call.Step{Stage: stage, Of: of, Verdict: call.Taken, Finding: why}
}

func noted(stage call.Stage, of call.Subject, what call.Finding) call.Step {
	return call.Step{Stage: stage, Of: of, Verdict: call.Noted, Finding: what}
}

func operationSubject(op *contract.Operation) call.Subject {
	return call.Subject{Kind: call.KindOperation, ID: op.ID}
}
