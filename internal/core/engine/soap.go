package engine

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/sample"
	"rapidmimic/spec"
)

// chooseSOAP finds the answer of a service whose messages tell what they ask
// for: its contract, a mapping, the operation, else a fault that says what was
// expected.
func (e *Engine) chooseSOAP(d *Decision, p *Placed, r *call.Request) {
	soap := p.Service.Contract.SOAP
	if r.Method == "GET" || r.Method == "HEAD" {
		if e.dead(p, r) {
			giveRefusal(d, p, nil)
			return
		}
		base := "http://" + r.Host + strings.TrimSuffix(r.Address, r.Path)
		if text, ok := soap.Served(r.Query, base); ok {
			serveContract(d, text)
			return
		}
	}
	facts := e.narrowing(p, r)
	if r.Method != "POST" {
		fits, others := p.Service.Fits(r.Method, p.segments, facts)
		if _, answered := e.chooseMapping(d, p, r, &candidates{allFit(fits, ""), others, facts, p.segments}); answered {
			return
		}
		e.missSOAP(d, p, r)
		return
	}
	m := e.dispatch(p, r)
	operation := ""
	if m.Operation != nil {
		operation = m.Operation.ID
	}
	var steps []call.Step
	if !p.hints.Given() {
		if facts != nil {
			facts.Operation = operation
		}
		fits, others := p.Service.Fits(r.Method, p.segments, facts)
		var answered bool
		if steps, answered = e.chooseMapping(d, p, r, &candidates{allFit(fits, operation), others, facts, p.segments}); answered {
			e.wrapAnswer(d, p, r, soap, m)
			return
		}
	}
	if e.refused(p, r, nil) {
		giveRefusal(d, p, steps)
		return
	}
	if byContract := p.Service.Spec.AnswersByContract() || p.hints.Given(); (m.Fault != nil || !byContract) && e.otherwise(d, p, r, steps) {
		return
	}
	if m.Fault != nil {
		d.Source, d.By, d.Answer = call.FromMiss, "message", soap.Fault(m, *m.Fault)
		d.Explanation = &call.Explanation{Summary: call.Find(call.Undispatched, m.Fault.Text), Steps: append(steps,
			skipped(call.Subject{Kind: call.KindOperations}, call.Find(call.Undispatched, m.Fault.Text)))}
		return
	}
	if refuseMessage(d, p, r, soap, m, steps) {
		return
	}
	e.buildFromMessage(d, p, r, soap, m, steps)
}

// allFit keeps the mappings that fit the method and the operation of a message.
func allFit(fits []fit, operation string) (own []fit) {
	for _, f := range fits {
		if on := f.Value.Spec.Call.Operation; f.Method && (on == "" || on == operation) {
			own = append(own, f)
		}
	}
	return own
}

func serveContract(d *Decision, text []byte) {
	d.Source, d.By = call.FromSelf, "wsdl"
	d.Answer = call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "text/xml; charset=utf-8"}}, Body: text}
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.ContractServed),
		Steps:   []call.Step{taken(call.Choose, call.Subject{Kind: call.KindContract}, call.Find(call.ContractAsked))},
	}
}

// missSOAP answers what is no message at all.
func (e *Engine) missSOAP(d *Decision, p *Placed, r *call.Request) {
	ports := p.Service.Contract.SOAP.Ports()
	doc := missDocument{
		Type: missType, Title: "Rapid Mimic has no answer for this call", Status: 404, Service: p.Service.Spec.Name, Console: e.control,
		Detail: fmt.Sprintf("%s is a SOAP service: it answers messages sent by POST to /%s or to a port (%s), and its contract at ?wsdl.",
			p.Service.Spec.Name, p.Service.Spec.Name, strings.Join(ports, ", ")),
	}
	d.Source, d.By, d.Answer = call.FromMiss, "method", problemAnswer(404, doc)
	d.Explanation = &call.Explanation{Summary: call.Find(call.Undispatched, doc.Detail), Steps: []call.Step{
		skipped(call.Subject{Kind: call.KindOperations}, call.Finding{Code: call.NotPosted, Part: "method", Seen: r.Method, Expected: "POST"})}}
}

// wrapAnswer puts what a mapping says into an envelope of the caller's version,
// where it is not one already.
func (e *Engine) wrapAnswer(d *Decision, p *Placed, r *call.Request, soap contract.SOAP, m *contract.Message) {
	if d.Source != call.FromMapping || d.reply == nil {
		return
	}
	answer := d.reply.Spec
	switch {
	case (answer.Example != "" || answer.Generate) && m.Operation != nil:
		draw, _ := e.draw(p, r, m.Operation.ID)
		d.Answer = m.Operation.SOAP.Answer(m, answer.Example, p.Service.Spec.Echo, draw).Answer
		if d.mapping.Chosen {
			d.Source, d.By = call.FromContract, fmt.Sprintf("%s, %q", m.Operation.ID, answer.Example)
			d.Explanation = &call.Explanation{Steps: d.Explanation.Steps,
				Summary: call.Find(call.ByContract, m.Operation.ID, fmt.Sprintf("fault %q", answer.Example), ", as "+d.mapping.Origin+" asks")}
		}
	case answer.Fault != nil:
		if d.Answer = soap.Fault(m, contract.SOAPFault{Code: answer.Fault.Code, Text: answer.Fault.Text}); answer.Fault.Detail != "" {
			d.Answer = soap.FaultWith(m, answer.Fault.Code, answer.Fault.Text, answer.Fault.Detail)
		}
		if code := answer.Status.Code; code != 0 && code != 500 { // which is what faults have unless said otherwise
			d.Answer.Status = code
		}
	case answer.XML != nil:
		body, contentType := soap.Wrap(m, string(d.Answer.Body))
		d.Answer.Body, d.Answer.Header = body, slices.Clone(d.Answer.Header)
		for i, f := range d.Answer.Header {
			if f.Name == "Content-Type" && f.Value == "application/xml" {
				d.Answer.Header[i].Value = contentType
			}
		}
	}
}

// refuseMessage refuses a message that breaks the contract, where the service
// says so.
func refuseMessage(d *Decision, p *Placed, r *call.Request, soap contract.SOAP, m *contract.Message, steps []call.Step) bool {
	if p.Service.Spec.Conformance != spec.ConformanceRefuse {
		return false
	}
	found := m.Operation.SOAP.CheckRequest(m, r.Header.Get("Content-Type"))
	if len(found) == 0 {
		return false
	}
	fault := contract.SOAPFault{Code: "Client", Text: fmt.Sprintf("The message does not obey operation %s in %s: %s.", m.Operation.ID, found[0].Where, found[0].Detail)}
	for _, f := range found {
		fault.Detail = append(fault.Detail, f.Where+": "+f.Detail)
	}
	d.Source, d.By, d.Answer = call.FromSelf, "contract-broken", soap.Fault(m, fault)
	d.Explanation = &call.Explanation{Summary: call.Find(call.Refused, fault.Text), Steps: append(steps, noted(call.Choose, operationSubject(m.Operation), call.Find(call.BreaksContract, len(found))))}
	return true
}

// buildFromMessage answers as the contract says.
func (e *Engine) buildFromMessage(d *Decision, p *Placed, r *call.Request, soap contract.SOAP, m *contract.Message, steps []call.Step) {
	op := m.Operation
	steps = append(steps, taken(call.Choose, operationSubject(op), call.Find(call.Dispatched, m.Reason)))
	choice, refused := chooseResponse(op, p.hints, p.Service.Spec.Examples[op.ID])
	if refused != "" {
		text := refused
		if names := op.ExampleNames(); len(names) > 0 {
			text += " (its faults are " + strings.Join(names, ", ") + ")"
		}
		d.Source, d.By, d.Answer = call.FromSelf, "hint", soap.Fault(m, contract.SOAPFault{Code: "Client", Text: text})
		d.Explanation = &call.Explanation{Summary: call.Find(call.Refused, text), Steps: steps}
		return
	}
	fault := choice.example
	if fault == "" && choice.status >= 400 && len(choice.offers) > 0 && len(choice.offers[0].Examples) > 0 {
		fault = choice.offers[0].Examples[0].Name
	}
	draw, origin := e.draw(p, r, op.ID)
	built := op.SOAP.Answer(m, fault, p.Service.Spec.Echo, draw)
	d.Source, d.By, d.Answer = call.FromContract, op.ID, built.Answer
	what := fmt.Sprintf("data generated from the schema by %s", origin)
	switch {
	case fault != "":
		d.By += fmt.Sprintf(", %q", fault)
		what = fmt.Sprintf("fault %q, its detail generated by %s", fault, origin)
	case op.SOAP.OneWay():
		what = "status 202 without a body, since it is one-way"
	case built.Invalid != "":
		what += ", which do not obey the schema (" + built.Invalid + ")"
	}
	steps = append(steps, responseStep(d.Answer.Status, choice, what))
	steps = appendBuilt(steps, call.KindEcho, call.Echoed, built.Echoed)
	steps = e.pinMessage(d, p, r, op, draw, steps)
	d.Explanation = &call.Explanation{Summary: call.Find(call.ByContract, op.ID, what, choice.asked), Steps: steps}
}

// pinMessage fixes the elements of an answer that are pinned for its operation.
func (e *Engine) pinMessage(d *Decision, p *Placed, r *call.Request, op *contract.Operation, draw *sample.Draw, steps []call.Step) []call.Step {
	pins := p.Service.Pins(op.ID)
	if len(pins) == 0 || len(d.Answer.Body) == 0 {
		return steps
	}
	body, applied, err := pinXML(pins, d.Answer.Body, e.scope(p, r, noParams, func() *sample.Draw { return draw }))
	if err != nil {
		return append(steps, call.Step{Stage: call.Build, Of: call.Subject{Kind: call.KindPins}, Verdict: call.Skipped, Finding: call.Find(call.NotPinned, err)})
	}
	if len(applied) == 0 {
		return steps
	}
	d.Answer.Body = body
	return appendBuilt(steps, call.KindPins, call.Pinned, applied)
}
