package engine

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/spec"
)

// trouble is an impairment that is in force for a call.
type trouble struct {
	*impair.Plan
	key  string // of what is counted for it
	view string // its StateKey
	did  string // the key of what it did
}

// counted is the key of something that is counted for it.
func (t trouble) counted(kind string) string { return countedKey(t.view, kind, t.key) }

func countedKey(view, kind, key string) string { return view + kind + "/" + key + "|" }

// injury is what the impairments of a call do to it.
type injury struct {
	asked    bool
	troubles []trouble // the narrowest target first
	refusal  *Decision // nil for a call that goes on
	effect   string    // what becomes of the connection while it answers
	injected []call.Injected
	headers  []call.Field
	struck   []string       // what did something: of those, did
	counts   *impair.Limits // for what leave names
	leave    []string       // keys of limits on calls in work that it counts for
}

// troublesOf lists what is in force for a call that a mapping, or with nil none,
// would answer.
func (e *Engine) troublesOf(p *Placed, r *call.Request, m *catalog.Mapping) (troubles []trouble) {
	switched := p.snapshot.Impaired()
	if p.snapshot.ImpairmentsOff() || !switched && (m == nil || m.Impair == nil) {
		return nil
	}
	id := p.Service.Spec.ID
	if m != nil && !m.Chosen { // an example that is chosen is no mapping of anybody's
		if troubles = p.switchedOn(nil, id, "", m.Spec.ID); troubles == nil && m.Impair != nil { // what was switched on stands instead of what the mapping says
			troubles = []trouble{p.ownTrouble(m)}
		}
	}
	if !switched {
		return troubles
	}
	if operation := e.operationID(p, r); operation != "" {
		troubles = p.switchedOn(troubles, id, operation, "")
	}
	troubles = p.switchedOn(troubles, id, "", "")
	return p.switchedOn(troubles, "", "", "")
}

// switchedOn adds what is switched on for a target.
func (p *Placed) switchedOn(troubles []trouble, service, operation, mapping string) []trouble {
	i := p.snapshot.Impairment(service, operation, mapping)
	if i == nil {
		return troubles
	}
	return append(troubles, trouble{i.Plan, i.Key(), p.snapshot.StateKey(), didKey(i.Key(), i.Origin)})
}

// ownTrouble is the impairment that a mapping has of itself.
func (p *Placed) ownTrouble(m *catalog.Mapping) trouble {
	id := p.Service.Spec.ID
	return trouble{m.Impair.OnLine(p.snapshot.Lines()), id + "/own/" + m.Origin + m.Spec.ID, p.snapshot.StateKey(), ownKey(id, m)}
}

// didKey is the key of what an impairment did, whichever lane the calls were in.
func didKey(key, origin string) string { return key + "|" + origin }

// ownKey is that of the impairment that a mapping has of itself. Each version of it begins anew.
func ownKey(service string, m *catalog.Mapping) string {
	return fmt.Sprintf("%s/own/%s/%d|%s", service, m.Spec.ID, m.Version, m.Origin)
}

// operationID is the operation that a call is for, whoever answers it; "" for
// none.
func (e *Engine) operationID(p *Placed, r *call.Request) string {
	return p.dispatch(r).ID()
}

// refused asks the impairments of a call, the narrowest first, whether it is
// refused. It asks once for a call: what was said before stays said.
func (e *Engine) refused(p *Placed, r *call.Request, m *catalog.Mapping) bool {
	in := &p.injury
	if in.asked || isPreflight(r) { // a browser's question is no call of its program
		return in.refusal != nil
	}
	in.asked = true
	in.troubles = e.troublesOf(p, r, m)
	for _, t := range in.troubles {
		if e.refuses(p, r, t) {
			return true
		}
	}
	return false
}

// dead reports whether an outage keeps a call from everything that the service has,
// its contract too. All other trouble is for calls of operations: who reads a contract
// takes no draw and no turn of theirs.
func (e *Engine) dead(p *Placed, r *call.Request) bool {
	for _, t := range e.troublesOf(p, r, nil) {
		if e.outage(p, r, t, e.now()) {
			p.injury.asked, p.injury.troubles = true, []trouble{t}
			return true
		}
	}
	return false
}

func (e *Engine) outage(p *Placed, r *call.Request, t trouble, now time.Time) bool {
	if !t.Down(now) {
		return false
	}
	o := t.Spec.Outage
	if status := o.Status(); status > 0 {
		e.refuseWith(p, r, t, status, 0, call.Injected{Kind: "outage", What: o.String()})
	} else {
		p.breakOff(t, o.As, call.Injected{Kind: "outage", What: o.String()})
	}
	return true
}

// refuses asks one impairment.
func (e *Engine) refuses(p *Placed, r *call.Request, t trouble) bool {
	now := e.now()
	return e.outage(p, r, t, now) || e.limits(p, r, t, now) || e.errs(p, r, t, now) || e.breaks(p, t)
}

// limits asks the limit of an impairment.
func (e *Engine) limits(p *Placed, r *call.Request, t trouble, now time.Time) bool {
	l := t.Spec.Limit
	if l == nil {
		return false
	}
	key, caller := t.counted("limit"), callerKey(l.Of, r)
	if l.Calls > 0 {
		state, taken := e.take(key, caller, now, l.Calls, time.Duration(l.Per))
		fields := rateLimitFields(l, state)
		if !taken {
			e.refuseWith(p, r, t, 429, state.Reset, call.Injected{Kind: "limit", What: fmt.Sprintf("%s: %d are used", l, state.Used)})
			p.injury.refusal.Answer.Header = append(slices.Clone(p.injury.refusal.Answer.Header), fields...)
			return true
		}
		p.injury.headers = append(p.injury.headers, fields...)
	}
	if l.InFlight > 0 && !e.peeking {
		key += lru.Key(caller)
		if !e.counts.Enter(key, l.InFlight) {
			e.refuseWith(p, r, t, 429, time.Second, call.Injected{Kind: "limit", What: l.String() + ": limit reached"})
			return true
		}
		p.injury.counts, p.injury.leave = e.counts, append(p.injury.leave, key)
	}
	return false
}

// take counts a call against a limit; while only explaining it says what counting it
// would give.
func (e *Engine) take(key, caller string, now time.Time, calls int, per time.Duration) (impair.Window, bool) {
	if !e.peeking {
		return e.counts.Take(key, caller, now, calls, per)
	}
	state := e.counts.Window(key, caller, now)
	if state.Used >= calls {
		return state, false
	}
	if state.Used++; state.Used == 1 {
		state.Reset = per
	}
	return state, true
}

// rateLimitFields are RateLimit and RateLimit-Policy of the IETF's draft "RateLimit
// header fields for HTTP".
func rateLimitFields(l *spec.Limit, state impair.Window) []call.Field {
	return []call.Field{
		{Name: "RateLimit-Policy", Value: fmt.Sprintf(`"calls";q=%d;w=%d`, l.Calls, seconds(time.Duration(l.Per)))},
		{Name: "RateLimit", Value: fmt.Sprintf(`"calls";r=%d;t=%d`, max(0, l.Calls-state.Used), seconds(state.Reset))},
	}
}

// seconds rounds up: who waits that long has waited long enough.
func seconds(d time.Duration) int { return int(math.Ceil(d.Seconds())) }

// errs asks the errors of an impairment.
func (e *Engine) errs(p *Placed, r *call.Request, t trouble, now time.Time) bool {
	errors := t.Spec.Errors
	if errors == nil {
		return false
	}
	hold, who := t.counted("hold"), callerKey(orCaller(errors.Of), r)+" "+r.Method+" "+r.Address
	if errors.RetryAfter > 0 {
		left, waited := e.counts.Held(hold, who, now, e.peeking)
		if waited {
			return false
		}
		if left > 0 {
			e.refuseWith(p, r, t, t.Status(0), left, call.Injected{Kind: "errors", What: fmt.Sprintf("came back %s too early", left.Round(time.Millisecond)), Seed: t.Seed})
			return true
		}
	}
	injected := call.Injected{Kind: "errors", What: errors.String(), Seed: t.Seed}
	switch {
	case errors.First > 0:
		number := e.state.Claim(t.counted("errors"), "="+callerKey(orCaller(errors.Of), r))
		injected.Draw = number + 1
		if number >= uint64(errors.First) {
			return false
		}
	default:
		number := e.state.Claim(t.counted("errors"), "")
		injected.Draw = number + 1
		if !hits(errors, t.Seed, number) {
			return false
		}
	}
	wait := time.Duration(errors.RetryAfter)
	if wait > 0 && !e.peeking {
		e.counts.Hold(hold, who, now.Add(wait))
	}
	e.refuseWith(p, r, t, t.Status(impair.Chance(t.Seed, "status", injected.Draw)), wait, injected)
	return true
}

// hits reports whether a call, by its number from 0, gets an error.
func hits(errors *spec.Errors, seed int64, number uint64) bool {
	switch {
	case errors.Rate != nil:
		return impair.Chance(seed, "errors", number) < float64(*errors.Rate)/100
	case errors.Every > 0:
		return (number+1)%uint64(errors.Every) == 0
	default:
		return number < uint64(errors.Next)
	}
}

// breaks asks what becomes of the connection. What ends it before the answer is a
// refusal; else the answer is built, and spoilt on its way.
func (e *Engine) breaks(p *Placed, t trouble) bool {
	c := t.Spec.Connection
	if c == nil || c.Effect == "" || p.injury.effect != "" {
		return false
	}
	injected := call.Injected{Kind: "connection", What: c.Effect}
	if c.Rate != nil {
		number := e.state.Claim(t.counted("connection"), "")
		injected.What, injected.Seed, injected.Draw = c.Effect+" "+c.Rate.String(), t.Seed, number+1
		if impair.Chance(t.Seed, "connection", number) >= float64(*c.Rate)/100 {
			return false
		}
	}
	switch c.Effect {
	case spec.EffectDrop, spec.EffectReset, spec.EffectHang, spec.EffectGarbage:
		p.breakOff(t, c.Effect, injected)
		return true
	default:
		p.injury.effect = c.Effect
		injected.From = t.Target
		p.injury.strike(t)
		p.injury.injected = append(p.injury.injected, injected)
		return false
	}
}

// breakOff ends a call without an answer.
func (p *Placed) breakOff(t trouble, effect string, injected call.Injected) {
	injected.From = t.Target
	p.injury.strike(t)
	p.injury.effect = effect
	p.injury.refusal = &Decision{Source: call.FromImpairment, By: injected.What, Explanation: &call.Explanation{Summary: refusedBy(t, injected)}}
	p.injury.injected = append(p.injury.injected, injected)
}

// refuseWith answers with an error: as the contract has it for the status, as a
// fault to who speaks SOAP, else as a problem.
func (e *Engine) refuseWith(p *Placed, r *call.Request, t trouble, status int, wait time.Duration, injected call.Injected) {
	injected.From = t.Target
	p.injury.strike(t)
	summary := refusedBy(t, injected)
	d := &Decision{Source: call.FromImpairment, By: injected.What, Explanation: &call.Explanation{Summary: summary}}
	d.Answer = e.errorAnswer(p, r, status, summary.String())
	if wait > 0 {
		d.Answer.Header = append(slices.Clone(d.Answer.Header), call.Field{Name: "Retry-After", Value: strconv.Itoa(seconds(wait))})
	}
	p.injury.refusal = d
	p.injury.injected = append(p.injury.injected, injected)
}

func (e *Engine) errorAnswer(p *Placed, r *call.Request, status int, sentence string) call.Answer {
	asked := p.dispatch(r)
	if answer, ok := p.asFault(r, contract.Fault{Ours: true, Text: sentence}); ok {
		answer.Status = status
		return answer
	}
	if asked.Operation != nil && asked.Operation.Response(status) != nil {
		var built Decision
		e.buildFromOperation(&built, p, r, asked, &call.Hints{Status: status}, nil)
		if built.Source == call.FromContract {
			return built.Answer
		}
	}
	return problemAnswer(status, selfDocument{Type: "urn:rapid-mimic:impairment", Title: "Refused by an impairment", Status: status, Detail: sentence})
}

func refusedBy(t trouble, injected call.Injected) call.Finding {
	return call.Find(call.ByImpairment, append([]any{t.Target, injected.What}, drawn(injected)...)...)
}

// drawn is the seed and the number of a draw; nothing where none decided.
func drawn(i call.Injected) []any {
	if i.Draw == 0 {
		return nil
	}
	return []any{i.Seed, i.Draw}
}

// impairStep tells of one thing that was injected.
func impairStep(i call.Injected) call.Step {
	return taken(call.Impair, call.Subject{Kind: call.KindImpairment, ID: i.Kind, From: i.From}, call.Find(call.Injection, append([]any{i.What}, drawn(i)...)...))
}

// giveRefusal makes the refusal of a call its answer; steps are those before it. It is copied into none of its callers,
// whose frames stay small: see Decide.
//
//go:noinline
func giveRefusal(d *Decision, p *Placed, steps []call.Step) {
	refusal := p.injury.refusal
	d.Source, d.By, d.Answer = refusal.Source, refusal.By, refusal.Answer
	d.Explanation = &call.Explanation{Summary: refusal.Explanation.Summary, Steps: steps}
}

// injure adds to a decision what the impairments of the call do beside refusing
// it: the narrowest that has a latency, or a line, gives it.
func (e *Engine) injure(d *Decision, p *Placed, r *call.Request) {
	in := &p.injury
	if len(in.troubles) == 0 && p.hints.Delay == 0 {
		return
	}
	delayed, slowed := false, false
	if d.Delay = p.hints.Delay; d.Delay > 0 {
		delayed = true
		in.injected = append(in.injected, call.Injected{Kind: "latency", What: d.Delay.String(), From: "the hint of the call"})
	}
	for _, t := range in.troubles {
		if l := t.Spec.Latency; l != nil && !delayed {
			delayed = true
			number := e.state.Claim(t.counted("latency"), "")
			operation := ""
			if l.Measured != nil {
				operation = p.dispatch(r).ID()
			}
			d.Delay = t.Delay(operation, impair.Chance(t.Seed, "latency", number))
			injected := call.Injected{Kind: "latency", What: fmt.Sprintf("%s of %s", d.Delay.Round(100*time.Microsecond), l), From: t.Target}
			if l.Draws() {
				injected.Seed, injected.Draw = t.Seed, number+1
			}
			in.injected = append(in.injected, injected)
			in.strike(t)
		}
		if t.Line.Slow() && !slowed && d.Source != call.FromImpairment {
			slowed = true
			d.Line = t.Line
			in.strike(t)
			in.injected = append(in.injected, call.Injected{Kind: "line", What: t.LineText, From: t.Target})
		}
	}
	if !e.peeking {
		for _, t := range in.troubles {
			e.hits.Count(t.did, t.Since, e.now(), slices.Contains(in.struck, t.did))
		}
	}
	d.Effect, d.Injected = in.effect, in.injected
	if in.refusal == nil {
		d.Headers = in.headers
	}
	steps := make([]call.Step, len(in.injected))
	for i, injected := range in.injected {
		steps[i] = impairStep(injected)
	}
	d.Explanation = d.Explanation.With(steps...)
}

// strike notes that an impairment does something to the call.
func (in *injury) strike(t trouble) { in.struck = append(in.struck, t.did) }

// Release says that the call is no longer in work. It must be called once for each
// call that was placed, whatever became of it.
func (p *Placed) Release() {
	if p.asking != nil {
		p.asking.budget.Release()
	}
	for _, key := range p.injury.leave {
		p.injury.counts.Leave(key)
	}
}

func orCaller(of string) string {
	if of == "" {
		return "caller"
	}
	return of
}

// callerKey tells callers apart as `of` says; all are one by default.
func callerKey(of string, r *call.Request) string {
	switch {
	case of == "caller":
		return r.CallerHost()
	case strings.HasPrefix(of, "header:"):
		return r.Header.Get(strings.TrimPrefix(of, "header:"))
	default:
		return ""
	}
}

// Used is how full a limit is for one caller.
type Used struct {
	Caller string // "" for everyone
	impair.Window
}

// LimitsOf tells how full the limit of an impairment is in a view, for each of its
// callers.
func (e *Engine) LimitsOf(view *catalog.Snapshot, i *catalog.Impairment) (used []Used) {
	for caller, state := range e.counts.Windows(countedKey(view.StateKey(), "limit", i.Key()), e.now()) {
		used = append(used, Used{caller, state})
	}
	slices.SortFunc(used, func(a, b Used) int { return strings.Compare(a.Caller, b.Caller) })
	return used
}

// HitsOf is what an impairment did since it was set.
func (e *Engine) HitsOf(i *catalog.Impairment) impair.HitCount {
	return e.hits.Of(didKey(i.Key(), i.Origin), i.Since, e.now())
}

// HitsOfMapping is what the impairment did that a mapping of a service has of itself.
func (e *Engine) HitsOfMapping(service *catalog.Service, m *catalog.Mapping) impair.HitCount {
	return e.hits.Of(ownKey(service.Spec.ID, m), m.Impair.Since, e.now())
}

// ResetImpairment sets what is counted for an impairment in a view back to its
// start: its draws, limits and advice.
func (e *Engine) ResetImpairment(view *catalog.Snapshot, i *catalog.Impairment) {
	for _, kind := range []string{"errors", "connection", "latency", "limit", "hold"} {
		e.forget(countedKey(view.StateKey(), kind, i.Key()))
	}
	e.hits.Forget(didKey(i.Key(), i.Origin))
}

// ResetView sets all that is counted in a view back to its start: positions of
// sequences, draws, counters, limits and advice; and what services remember.
func (e *Engine) ResetView(view *catalog.Snapshot) {
	e.forget(view.StateKey())
	e.memory.ForgetLane(view.LaneName())
}

// ResetLane does so for all views of a lane, with nil for all of calls in none.
func (e *Engine) ResetLane(lane *catalog.Lane) {
	e.forget(catalog.LaneKey(lane))
	name := ""
	if lane != nil {
		name = lane.Spec.Name
	}
	e.memory.ForgetLane(name)
}

func (e *Engine) forget(prefix string) {
	e.state.Forget(prefix)
	e.counts.Forget(prefix)
}
