package engine

import (
	"context"
	"fmt"

	"rapidmimic/internal/core/budget"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/match"
	"rapidmimic/spec"
)

// Check finds the operation that a finished call was for, "" when it was for
// none, and lists in what the call breaks the contract: the request and the
// answer, whoever gave it. It is meant to run after the answer has gone out.
// Calls that we answered ourselves, and misses, are not held against anything.
//
// The error says that the call was not looked at to the end; it is that of a budget.
func (e *Engine) Check(ctx context.Context, r *call.Record) (operation string, found []call.Deviation, err error) {
	service := e.definitions.Snapshot().Named(r.Service)
	if service == nil || service.Contract == nil {
		return "", nil, nil
	}
	b := budget.New(ctx, e.now, e.gate)
	defer b.Release()
	operation, found = e.check(service, r, &b)
	return operation, found, b.Err()
}

func (e *Engine) check(service *catalog.Service, r *call.Record, b *budget.Budget) (operation string, found []call.Deviation) {
	if soap := service.Contract.SOAP; soap != nil {
		return checkMessage(service, soap, r)
	}
	op, segments := operationOf(service, r.Request.Method, match.Split(make([]string, 0, 8), r.Request.Path))
	switch {
	case op == nil:
		return "", nil
	case r.Source == call.FromMiss || r.Source == call.FromSelf || service.Spec.Conformance == spec.ConformanceOff:
		return op.ID, nil
	}
	found = op.CheckRequest(&match.Facts{Request: &r.Request, Budget: b}, segments)
	if r.Spoilt() {
		return op.ID, found
	}
	return op.ID, append(found, op.CheckAnswer(&r.Answer, int64(len(r.Answer.Body)) == r.AnswerSize, b)...)
}

// checkMessage is Check for a service of SOAP.
func checkMessage(service *catalog.Service, soap contract.SOAP, r *call.Record) (operation string, found []call.Deviation) {
	if r.Request.Method != "POST" || r.Request.Body.Cut {
		return "", nil
	}
	m := soap.Dispatch(match.Split(nil, r.Request.Path), &r.Request)
	switch {
	case m.Operation == nil:
		return "", nil
	case r.Source == call.FromMiss || r.Source == call.FromSelf || service.Spec.Conformance == spec.ConformanceOff:
		return m.Operation.ID, nil
	}
	found = m.Operation.SOAP.CheckRequest(&m, r.Request.Header.Get("Content-Type"))
	if int64(len(r.Answer.Body)) == r.AnswerSize && !r.Spoilt() {
		found = append(found, m.Operation.SOAP.CheckAnswer(&r.Answer)...)
	}
	return m.Operation.ID, found
}

// operationOf finds the operation that a call is for, with the segments of its
// path relative to the contract.
func operationOf(service *catalog.Service, method string, segments []string) (*contract.Operation, []string) {
	for _, relative := range [][]string{segments, withoutBase(service, segments)} {
		if relative == nil {
			continue
		}
		for _, op := range service.Operations(relative) {
			if answers(op, method) {
				return op, relative
			}
		}
	}
	return nil, nil
}

// refuseBad refuses a call that breaks the contract, where the service says
// so, and reports whether it did.
func (e *Engine) refuseBad(d *Decision, p *Placed, r *call.Request) bool {
	if p.Service.Spec.Conformance != spec.ConformanceRefuse || p.Service.Contract == nil || p.Service.Contract.SOAP != nil {
		return false
	}
	op, segments := operationOf(p.Service, r.Method, p.segments)
	if op == nil {
		return false
	}
	found := op.CheckRequest(&e.ask(p, r).facts, segments)
	if len(found) == 0 {
		return false
	}
	refusal(d, "contract-broken", selfDocument{
		Title: "This call breaks the contract", Status: 400, Deviations: found,
		Detail: fmt.Sprintf("The call does not obey operation %s in %s: %s.", op.ID, found[0].Where, found[0].Detail),
	}, []call.Step{noted(call.Choose, operationSubject(op), call.Find(call.BreaksContract, len(found)))})
	return true
}
