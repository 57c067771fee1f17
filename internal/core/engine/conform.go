package engine

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
)

// Check finds the operation that a finished call was for, "" when it was for
// none, and lists in what the call breaks the contract: the request and the
// answer, whoever gave it. It is meant to run after the answer has gone out.
// Calls that we answered ourselves, and misses, are not held against anything.
//
// The error says that the call was not looked at to the end; it is that of a budget.
func (e *Engine) Check(ctx context.Context, r *call.Record) (operation string, found []call.Deviation, err error) {
	service := e.definitions.Snapshot().Named(r.Service)
	if service == nil || service.Contract == nil || r.Source == call.FromCallback {
		return "", nil, nil
	}
	b := budget.New(ctx, e.now, e.gate)
	defer b.Release()
	operation, found = e.check(service, r, &b)
	return operation, found, b.Err()
}

func (e *Engine) check(service *catalog.Service, r *call.Record, b *budget.Budget) (operation string, found []call.Deviation) {
	protocol := service.Protocol()
	asked := protocol.Dispatch(&r.Request, match.Split(make([]string, 0, 8), r.Request.Path))
	asked.Understood = service.Spec.UnderstoodHeaders
	switch {
	case asked.Operation == nil:
		return "", nil
	case r.Source == call.FromMiss || r.Source == call.FromSelf || service.Spec.Conformance == spec.ConformanceOff:
		return asked.Operation.ID, nil
	}
	found = protocol.CheckRequest(&asked, &match.Facts{Request: &r.Request, Budget: b})
	if service.Spec.Security != spec.SecurityOff {
		found = append(e.credentialFaults(service, &asked, &r.Request, r.At, nil), found...)
	}
	if r.Spoilt() {
		return asked.Operation.ID, found
	}
	return asked.Operation.ID, append(found, protocol.CheckAnswer(asked.Operation, &r.Answer, int64(len(r.Answer.Body)) == r.AnswerSize, b)...)
}

// credentialFaults lists in what a call lacks the credentials that its operation demands, or that the
// users have which the service names.
// fresh is as that of contract.Credentials.
func (e *Engine) credentialFaults(service *catalog.Service, asked *contract.Asked, r *call.Request, now time.Time, fresh func(nonce string) bool) []call.Deviation {
	found := asked.Operation.CheckSecurity(r, e.tokenFault(service, now))
	authenticator, ok := service.Protocol().(contract.Authenticator)
	if !ok || len(service.Spec.Users) == 0 {
		return found
	}
	return append(found, authenticator.CheckCredentials(asked, contract.Credentials{Now: now, Fresh: fresh, Password: func(user string) (string, bool) {
		variable, known := service.Spec.Users[user]
		password, set := service.Vars()[variable]
		return fmt.Sprint(password), known && set
	}})...)
}

// refuseUnsigned refuses a call without the credentials that the contract demands, where the service
// says so, by the contract's own answer. It reports whether it did.
func (e *Engine) refuseUnsigned(d *Decision, p *Placed, r *call.Request) bool {
	if p.Service.Spec.Security != spec.SecurityRefuse || p.Service.Contract == nil {
		return false
	}
	asked := p.dispatch(r)
	if asked.Operation == nil || asked.Fault != nil {
		return false
	}
	op := asked.Operation
	now := e.now()
	found := e.credentialFaults(p.Service, asked, r, now, func(nonce string) bool {
		return e.nonces.fresh(p.Service.Spec.ID+"\x00"+p.LaneName()+"\x00"+nonce, now, e.peeking)
	})
	if len(found) == 0 {
		return false
	}
	said := call.Find(call.Unsigned, found[0].Detail)
	steps := []call.Step{noted(call.Choose, operationSubject(op), said)}
	if built, ok := e.unauthorized(p, r, asked); ok {
		d.Source, d.By, d.Answer = call.FromContract, op.ID+", security", built
		d.Explanation = &call.Explanation{Summary: said, Steps: steps}
	} else {
		refusal(d, "security", selfDocument{Title: "Credentials are missing", Status: 401, Detail: "The contract demands credentials: " + found[0].Detail + "."}, steps)
		p.tellInProtocol(d, r, contract.Fault{Unsigned: true})
	}
	if challenge := op.Challenge(); challenge != "" && d.Answer.Status == 401 && d.Answer.Get("WWW-Authenticate") == "" {
		d.Answer.Header = append(slices.Clone(d.Answer.Header), call.Field{Name: "WWW-Authenticate", Value: challenge})
	}
	return true
}

// unauthorized is what the contract answers to calls without credentials: its 401, else its 403, else
// what it has for every other status; ok is false where it has none of them that can be sent.
func (e *Engine) unauthorized(p *Placed, r *call.Request, asked *contract.Asked) (answer call.Answer, ok bool) {
	op := asked.Operation
	response, status := op.Response(401), 401
	if response == nil || response.Key == "default" {
		if forbidden := op.Response(403); forbidden != nil && forbidden.Key == "403" {
			response, status = forbidden, 403
		}
	}
	if response == nil || response == op.Success {
		return answer, false
	}
	built, err := p.Service.Protocol().Answer(asked, contract.Wanted{Status: status, Headers: response.Headers, MediaTypes: response.MediaTypes, Draw: sync.OnceValue(func() *sample.Draw { return e.drawFor(p, r, op.ID) })})
	return built.Answer, err == nil
}

// refuseBad refuses a call that breaks the contract, where the service says
// so, and reports whether it did.
func (e *Engine) refuseBad(d *Decision, p *Placed, r *call.Request) bool {
	if p.Service.Spec.Conformance != spec.ConformanceRefuse || p.Service.Contract == nil {
		return false
	}
	asked := p.dispatch(r)
	if asked.Operation == nil || asked.Fault != nil {
		return false
	}
	found := p.Service.Protocol().CheckRequest(asked, &e.ask(p, r).facts)
	if len(found) == 0 {
		return false
	}
	e.refuse(d, p, r, false, "contract-broken", selfDocument{
		Title: "This call breaks the contract", Status: 400, Deviations: found,
		Detail: fmt.Sprintf("The call does not obey operation %s in %s: %s.", asked.Operation.ID, found[0].Where, found[0].Detail),
	}, []call.Step{noted(call.Choose, operationSubject(asked.Operation), call.Find(call.BreaksContract, len(found)))})
	return true
}
