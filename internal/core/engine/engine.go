// Package engine decides how a call is answered, and why. It computes on an
// immutable snapshot and carries nothing out: the traffic layer sends what a
// Decision says.
//
// What is decoded of a call, and how much work it may cause, is in facts.go.
//
// The steps stand in files of their own, in their order: place.go finds the
// service, and the view of the environment that lane and scenario make, choose.go
// what would answer, conform.go holds calls against the contract, impair.go asks
// the impairments, build.go makes the answer, finish.go edits that of an upstream;
// otherwise.go, miss.go and self.go build the answers that come from us. What differs
// from protocol to protocol is asked of contract.Protocol.
package engine

import (
	"context"
	"fmt"
	"time"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/grant"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
)

// Engine decides calls. It is safe for concurrent use.
type Engine struct {
	definitions Definitions
	state       State
	counts      *impair.Limits
	hits        *impair.Hits
	memory      *collection.Memory
	peeking     bool // nothing is counted
	control     string
	runSeed     int64
	now         func() time.Time
	gate        budget.Gate
	secrets     Secrets
	listed      func(origin string) bool
	laneCalls   int
	scripts     Scripts
	signingKey  func() (*grant.Key, error)
	// scriptFaults are what went wrong with scripts last.
	scriptFaults *faults
	nonces       *nonces
}

// Config is what an Engine works with.
type Config struct {
	Definitions Definitions
	State       State
	// Control is the base URL of the console, which our own answers point to.
	Control string
	// RunSeed is where the data of services without a seed come from.
	RunSeed int64
	// Now is the time of the calls; nil means that nothing asks for it.
	Now func() time.Time
	// Gate is for calls that take much work; nil lets all of them work at once.
	Gate budget.Gate
	// Secrets takes secrets out of what is told of calls; nil leaves them.
	Secrets Secrets
	// Listed reports whether pages of an origin may use hints and lanes; nil lets all
	// of them.
	Listed func(origin string) bool
	// LaneCalls is how many calls a second one lane may make; 0 for as many as it likes.
	LaneCalls int
	// Scripts runs those of mappings; nil refuses them.
	Scripts Scripts
	// SigningKey signs the tokens that services give, made on first use; nil gives none.
	SigningKey func() (*grant.Key, error)
}

// New builds an engine.
func New(c Config) *Engine {
	return &Engine{definitions: c.Definitions, state: c.State, counts: &impair.Limits{}, hits: &impair.Hits{}, memory: &collection.Memory{}, control: c.Control, runSeed: c.RunSeed, now: c.Now, gate: c.Gate, secrets: c.Secrets, listed: c.Listed, laneCalls: c.LaneCalls, scripts: c.Scripts, signingKey: c.SigningKey, scriptFaults: &faults{}, nonces: newNonces()}
}

// Memory is what services remember.
func (e *Engine) Memory() *collection.Memory { return e.memory }

// Forgotten is how many callers' counters, draws and limits gave way to those of others.
func (e *Engine) Forgotten() int64 { return e.state.Evicted() + e.counts.Evicted() }

// Decision says what to send and why. Its parts may be shared with other
// calls and are not to be changed.
type Decision struct {
	// Service is the name of the service, "" when none was found.
	Service     string
	Source      call.Source
	By          string
	Answer      call.Answer
	Explanation *call.Explanation
	// Lane and Scenario are those under which the call was decided, "" for none.
	Lane, Scenario string
	// Environment is the version of the environment: see call.Record.
	Environment int64
	// Recording is the id of the recording that the call belongs to, "" for none.
	Recording string
	// Relay is set where the upstream answers; then Answer is not.
	Relay *Relay
	// Reveal asks for the Rapid-Mimic header on the answer.
	Reveal bool

	// Delay is how long the answer is held back, Line how slow it is sent, Effect
	// what becomes of the connection: see spec.Effects. Where it ends before the
	// answer there is none.
	Delay  time.Duration
	Line   spec.Line
	Effect string
	// Headers are added to the answer.
	Headers []call.Field
	// Injected lists what impairments did to the call.
	Injected []call.Injected
	// Callbacks are calls to make once the answer has gone out.
	Callbacks []*call.Callback
}

// ours reports whether we say something of the call in the answer.
func (d *Decision) ours() bool {
	switch d.Source {
	case call.FromMiss, call.FromImpairment:
		return true
	case call.FromSelf:
		return d.By != "otherwise" && d.By != "root"
	default:
		return false
	}
}

// Decide finds the answer to a call that was placed.
//
// A stack that grows stays large while the call is held back, which counts with 10,000 of them: what is rare, and takes
// room on the stack, is in functions of its own, and decisions are passed by pointer.
func (e *Engine) Decide(p *Placed, r *call.Request) *Decision {
	d := p.decision()
	e.decide(d, p, r)
	e.clean(d, r)
	if steps := p.viewSteps(); len(steps) > 0 {
		d.Explanation = d.Explanation.After(steps...)
	}
	return d
}

// clean takes secrets out of what we say ourselves.
func (e *Engine) clean(d *Decision, r *call.Request) {
	if e.secrets != nil && d.ours() {
		e.secrets.Clean(r, &d.Answer, &d.Explanation)
	}
}

// viewSteps tell how the lane and the scenario of a call were found. None for a
// call in no lane: most of their explanations are shared.
func (p *Placed) viewSteps() []call.Step {
	scenario := p.snapshot.ScenarioName()
	if len(p.situated) == 0 || scenario == "" || p.hints.Scenario != "" {
		return p.situated
	}
	return append(p.situated, taken(call.Place, call.Subject{Kind: call.KindScenario, ID: scenario}, call.Find(call.OnForLane)))
}

// decide fills in the decision on a call.
func (e *Engine) decide(d *Decision, p *Placed, r *call.Request) {
	switch {
	case r.Method == "CONNECT":
		refuseTunnel(d)
		return
	case p.Service == nil:
		e.unplaced(d, p, r)
		return
	case e.overQuota(d, p, r):
		return
	}
	off := p.Service.Off()
	if p.badHint != "" {
		off = ""
	}
	switch {
	case off == "" && p.relays() && !p.asksContract(r):
		e.passOn(d, p, r)
		return
	case p.Service.Spec.CORS && isPreflight(r):
		preflight(d, p, r)
		return
	case off != "":
		e.switchedOff(d, p, r, off)
		return
	case p.badHint != "":
		e.refuseAsked(d, p, r)
	case e.refuseUnsigned(d, p, r):
	case e.refuseBad(d, p, r):
	default:
		e.choose(d, p, r)
		e.injure(d, p, r)
	}
	e.complete(d, p, r)
}

// passOn has the upstream answer, and its answer recorded where a recording captures it.
func (e *Engine) passOn(d *Decision, p *Placed, r *call.Request) {
	why := "the service relays"
	if capture := p.Service.Recording; capture != nil {
		if passed := capture.LeavesOut(r, p.segments); passed != "" {
			why = fmt.Sprintf("recording %q runs and does not capture the call: %s", capture.Spec.Name, passed)
		} else {
			why, d.Recording = fmt.Sprintf("recording %q captures it", capture.Spec.Name), capture.Spec.ID
		}
	}
	if e.refused(p, r, nil) {
		giveRefusal(d, p, nil)
		d.Recording = ""
		if p.Service.Spec.CORS {
			allowOrigin(d, r, p.foreign)
		}
	} else {
		relay(d, p, r, why, p.Service.Recording, nil)
	}
	e.injure(d, p, r)
}

// complete does what goes with an answer of ours, whoever gave it.
func (e *Engine) complete(d *Decision, p *Placed, r *call.Request) {
	e.settle(d, p, r)
	e.callBack(d, p, r)
	e.redirect(d, p, r)
	pack(d, p, r)
	if p.Service.Spec.CORS {
		allowOrigin(d, r, p.foreign)
	}
}

// Placed is a call of which it is known which service it is for.
type Placed struct {
	Service  *catalog.Service // nil when none was found
	segments []string         // of the path relative to the service, decoded
	snapshot *catalog.Snapshot
	hints    call.Hints
	// badHint says why the hints, or the lane, cannot be followed, rightNames the
	// names that could.
	badHint    string
	rightNames []string
	situated   []call.Step // how lane and scenario were found
	foreign    bool        // a page that was not listed makes the call
	onHost     bool        // the address is that of the real service
	asksToken  bool        // the call goes to where the contract has programs get tokens
	injury     injury
	given      given

	ctx    context.Context
	asking *asking // what was decoded; nil until something asks
	// asked is which operation the call is for, once dispatched is set.
	asked      contract.Asked
	dispatched bool
}

// decision is how every decision on the call begins.
func (p *Placed) decision() *Decision {
	d := &Decision{Reveal: true, Lane: p.snapshot.LaneName(), Scenario: p.snapshot.ScenarioName(), Environment: p.snapshot.Entry()}
	if p.Service != nil {
		d.Service, d.Reveal = p.Service.Spec.Name, p.Service.Spec.Reveal
	}
	return d
}

// LaneName is the lane of the call, "" for none.
func (p *Placed) LaneName() string { return p.snapshot.LaneName() }

// NeedsBody reports whether an answer could depend on the body of the request:
// then it must be held whole before Decide.
func (p *Placed) NeedsBody() bool {
	return p.Service != nil && (p.Service.LooksIntoBodies() || p.Service.Collections() != nil || p.Service.Spec.Seed != nil || p.Service.Spec.Callbacks.On || p.asksToken || p.Service.Spec.Falls(spec.OtherwiseUpstream) || p.Service.Spec.Conformance == spec.ConformanceRefuse)
}
