package engine

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// given is the answer of a mapping that was given, for its callbacks.
type given struct {
	won   *picked
	reply *catalog.Reply
}

// callBack adds the calls that follow an answer: those that the mapping lists, else those of the
// contract. Answers that come from the upstream, failures and refusals have none.
func (e *Engine) callBack(d *Decision, p *Placed, r *call.Request) {
	own := p.given.reply != nil && p.given.reply.Spec.Callbacks != nil
	declares := p.Service.Contract != nil && p.Service.Contract.Callbacks > 0
	if !own && !declares || d.Relay != nil || d.Source != call.FromMapping && d.Source != call.FromContract || d.Answer.Status >= 400 {
		return
	}
	var op *contract.Operation
	asked := &contract.Asked{}
	if p.Service.Contract != nil {
		asked = p.dispatch(r)
		op = asked.Operation
	}
	wanted := e.wantedCallbacks(p, op)
	if len(wanted) == 0 {
		return
	}
	steps := make([]call.Step, 0, len(wanted))
	for _, w := range wanted {
		of := call.Subject{Kind: call.KindCallback, ID: w.name()}
		switch {
		case !p.Service.Spec.Callbacks.On:
			steps = append(steps, notMade(of, call.Find(call.CallbacksOff, p.Service.Spec.Name)))
			continue
		}
		made, err := e.makeCallback(d, p, r, w, asked)
		if err == nil {
			err = countHop(made, r)
		}
		if err != nil {
			steps = append(steps, notMade(of, call.Find(call.CallbackFailed, err.Error())))
			continue
		}
		d.Callbacks = append(d.Callbacks, made)
		steps = append(steps, taken(call.Build, of, call.Find(call.CallsBack, made.Method, made.Target, paceText(made))))
	}
	d.Explanation = d.Explanation.With(steps...)
}

// countHop notes on a callback how many services of our kind the call went through that causes it. The
// error says that those are too many, as in a circle.
func countHop(out *call.Callback, r *call.Request) error {
	hops, _ := strconv.Atoi(r.Header.Get(hopsHeader)) // what is none begins
	if hops >= mostHops {
		return fmt.Errorf("the call has passed %d services like this one already", hops)
	}
	out.Header[hopsHeader] = []string{strconv.Itoa(max(0, hops) + 1)}
	return nil
}

func notMade(of call.Subject, why call.Finding) call.Step {
	return call.Step{Stage: call.Build, Of: of, Verdict: call.Skipped, Finding: why}
}

// wantedCallback is one to make: of the contract, of the mapping, or a mapping's change of one of the
// contract.
type wantedCallback struct {
	declared *contract.Callback
	own      *answer.Callback
	number   int    // of the mapping's, from 1
	by       string // id of the mapping
	missing  bool   // the contract has none of the name
}

func (w *wantedCallback) name() string {
	if w.own == nil {
		return w.declared.Name
	}
	return cmp.Or(w.own.Spec.Name, strconv.Itoa(w.number))
}

func (e *Engine) wantedCallbacks(p *Placed, op *contract.Operation) (all []wantedCallback) {
	if reply := p.given.reply; reply != nil && reply.Spec.Callbacks != nil {
		for i, own := range reply.Callbacks {
			w := wantedCallback{own: own, number: i + 1, by: p.given.won.Value.Spec.ID}
			if name := own.Spec.Name; name != "" {
				if op != nil {
					w.declared = op.Callback(name)
				}
				w.missing = w.declared == nil
			}
			all = append(all, w)
		}
		return all
	}
	if op != nil {
		for _, declared := range op.Callbacks {
			all = append(all, wantedCallback{declared: declared})
		}
	}
	return all
}

// makeCallback makes the request of a callback. The error says why it cannot be made.
func (e *Engine) makeCallback(d *Decision, p *Placed, r *call.Request, w wantedCallback, asked *contract.Asked) (*call.Callback, error) {
	if w.missing {
		return nil, fmt.Errorf("the operation of the call declares no callback %q", w.own.Spec.Name)
	}
	pace := p.Service.Spec.Callbacks.Pace
	out := &call.Callback{
		Service: p.Service.Spec.Name, Lane: d.Lane, Scenario: d.Scenario, Environment: d.Environment,
		Method: "POST", Header: call.Header{},
	}
	if w.declared != nil {
		out.By = w.declared.Name
		if err := e.declaredCallback(out, d, p, r, w, asked); err != nil {
			return nil, err
		}
	}
	if w.own != nil {
		out.By = fmt.Sprintf("mapping %s, callback %s", w.by, w.name())
		pace = w.own.Spec.Pace.Or(pace)
		if err := w.own.Make(out, e.answerScope(p, r, p.given.won)); err != nil {
			return nil, err
		}
	}
	return out, e.finishCallback(out, pace, p.Service)
}

// declaredCallback fills in what the contract says of a callback.
func (e *Engine) declaredCallback(out *call.Callback, d *Decision, p *Placed, r *call.Request, w wantedCallback, asked *contract.Asked) error {
	op := asked.Operation
	exchange := contract.Exchange{
		Request: r, URL: "http://" + r.Host + r.Address, Path: op.Template.Params(asked.Segments), Answer: &d.Answer,
		Body: func() *tree.Node { return op.Decoded(&e.ask(p, r).facts) }, AnswerBody: func() *tree.Node { return answered(&d.Answer) },
	}
	if r.Query != "" {
		exchange.URL += "?" + r.Query
	}
	var err error
	address := ""
	if w.own == nil || w.own.Spec.To == "" {
		if address, err = exchange.Fill(w.declared.Address); err != nil {
			return err
		}
	}
	var bodies []*tree.Node
	if p.Service.Spec.Echo {
		bodies = []*tree.Node{exchange.Body(), exchange.AnswerBody()}
	}
	drawCallback(out, w.declared, address, e.drawFor(p, r, op.ID+"/callback/"+w.declared.Name), bodies...)
	return nil
}

// drawCallback fills in what a callback of the contract sends.
func drawCallback(out *call.Callback, declared *contract.Callback, address string, draw *sample.Draw, bodies ...*tree.Node) {
	target, sent := declared.Draw(address, draw, bodies...)
	out.Target, out.Method, out.Header, out.Body = target, sent.Method, sent.Header, sent.Body.Bytes
}

// answered is the body of an answer that is JSON, nil for any other.
func answered(a *call.Answer) *tree.Node {
	if !call.IsJSON(a.Get("Content-Type")) {
		return nil
	}
	n, err := tree.ParseJSON(a.Body)
	if err != nil {
		return nil
	}
	return n
}

// finishCallback sets whose a callback is and when it is made, and refuses one whose address is none.
func (e *Engine) finishCallback(out *call.Callback, pace spec.Pace, of *catalog.Service) error {
	service := &of.Spec
	out.ServiceID, out.At, out.Keys = service.ID, e.now(), of.Keys()
	if !spec.IsCallable(out.Target) {
		return fmt.Errorf("%q is no address such as http://localhost:9000/told", out.Target)
	}
	u, err := url.Parse(out.Target)
	if err != nil {
		return err
	}
	out.Private = service.Callbacks.Allows(u.Hostname())
	out.After, out.Times, out.Every = time.Duration(pace.After), max(1, pace.Times), time.Duration(pace.Every)
	out.Retries, out.RetryEvery = pace.Retries, time.Duration(pace.RetryEvery)
	if out.Retries > 0 && out.RetryEvery == 0 {
		out.RetryEvery = time.Second
	}
	if len(out.Header["User-Agent"]) == 0 {
		out.Header["User-Agent"] = []string{"rapid-mimic"}
	}
	return nil
}

// paceText says when a callback is made, where that is not at once; "" for at once.
func paceText(c *call.Callback) (text string) {
	if c.After > 0 {
		text = spec.Duration(c.After).String() + " after the answer"
	}
	if c.Times > 1 {
		if text != "" {
			text += ", "
		}
		text += fmt.Sprintf("%d times", c.Times)
	}
	return text
}

// Webhook makes a call that the contract of a service declares as a webhook, for everybody or in a lane.
// given is what stands above the contract; its Name is that of the webhook. The error says what is
// missing.
func (e *Engine) Webhook(ctx context.Context, service, lane string, given spec.Callback) (*call.Callback, error) {
	r := &call.Request{Method: "POST", Address: "/" + service, Header: call.Header{}}
	if lane != "" {
		r.Address = "/@" + lane + r.Address
	}
	p := e.Place(ctx, r)
	defer p.Release()
	switch {
	case p.Service == nil:
		return nil, fmt.Errorf("no service is named %q", service)
	case p.badHint != "":
		return nil, errors.New(p.badHint)
	case p.Service.Contract == nil || p.Service.Contract.Webhook(given.Name) == nil:
		return nil, fmt.Errorf("the contract of service %q declares no webhook %q", service, given.Name)
	case cmp.Or(given.To, p.Service.Spec.Callbacks.To) == "":
		return nil, errors.New("it has no address to go to: name one, or set `to` in the callbacks of the service")
	}
	compiled, faults := answer.CompileCallbacks(spec.Answer{Callbacks: spec.CallbackList{given}}, "", p.Service.Payloads)
	for i := range faults {
		faults[i].At = strings.TrimPrefix(faults[i].At, "/callbacks")
	}
	if err := problem.FromItems("the webhook cannot be sent", faults); err != nil {
		return nil, err
	}
	declared := p.Service.Contract.Webhook(given.Name)
	d := p.decision()
	out := &call.Callback{By: "webhook " + declared.Name, Service: d.Service, Lane: d.Lane, Scenario: d.Scenario, Environment: d.Environment}
	draw := func() *sample.Draw { return e.drawFor(p, r, "webhook/"+declared.Name) }
	drawCallback(out, declared, p.Service.Spec.Callbacks.To, draw())
	if err := compiled[0].Make(out, e.scope(p, r, noParams, draw)); err != nil {
		return nil, err
	}
	out.Header[hopsHeader] = []string{"1"}
	return out, e.finishCallback(out, given.Pace.Or(p.Service.Spec.Callbacks.Pace), p.Service)
}

// ScenarioWebhook is a webhook that a scenario sends. Call is nil where Why says why it cannot.
type ScenarioWebhook struct {
	Service, Name string
	Call          *call.Callback
	Why           string
}

// ScenarioWebhooks makes the calls that the scenario sends which was switched on just now, in a lane or
// with "" in none.
func (e *Engine) ScenarioWebhooks(ctx context.Context, lane string, on *catalog.Activation) (all []ScenarioWebhook) {
	snapshot := e.definitions.Snapshot()
	for _, w := range snapshot.Webhooks(on.Scenario) {
		one := ScenarioWebhook{Service: w.Service, Name: w.Name}
		if service := snapshot.Named(w.Service); service != nil && !service.Spec.Callbacks.On {
			one.Why = fmt.Sprintf("callbacks of the service are off (rapidmimic service set %s --callbacks on)", w.Service)
		} else if made, err := e.Webhook(ctx, w.Service, lane, w.Callback); err != nil {
			one.Why = err.Error()
		} else {
			made.Since, one.Call = on.Since, made
		}
		all = append(all, one)
	}
	return all
}

// WantsCallback reports whether a callback that waits is still to be made: not where its service makes
// none any more, its lane was closed, whatever has its name by now, or the scenario is off that has it
// made.
func (e *Engine) WantsCallback(c *call.Callback) bool {
	snapshot := e.definitions.Snapshot()
	service := snapshot.Named(c.Service)
	if service == nil || service.Spec.ID != c.ServiceID { // it was renamed, or is another one
		service = snapshot.Find(c.ServiceID)
	}
	if service == nil || !service.Spec.Callbacks.On {
		return false
	}
	var lane *catalog.Lane
	if c.Lane != "" {
		if lane = snapshot.Lane(c.Lane, e.now()); lane == nil || lane.Opened.After(c.At) {
			return false
		}
	}
	if c.Since.IsZero() {
		return true
	}
	on := snapshot.Active(lane, e.now())
	return on != nil && on.Since.Equal(c.Since)
}
