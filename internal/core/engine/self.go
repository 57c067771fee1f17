package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
)

// selfDocument is the problem that a caller gets when we refuse a call.
type selfDocument struct {
	Type       string   `json:"type"`
	Title      string   `json:"title"`
	Status     int      `json:"status"`
	Detail     string   `json:"detail"`
	MediaTypes []string `json:"mediaTypes,omitempty"`
	// Examples are the names that a hint could have.
	Examples []string `json:"examples,omitempty"`
	// Valid are the names of lanes or scenarios that a call could have given.
	Valid []string `json:"valid,omitempty"`
	// Deviations are the places in which a call breaks the contract.
	Deviations []call.Deviation `json:"deviations,omitempty"`
}

func refusal(d *Decision, by string, doc selfDocument, steps []call.Step) {
	doc.Type = "urn:rapid-mimic:" + by
	d.Source, d.By = call.FromSelf, by
	d.Answer = problemAnswer(doc.Status, doc)
	d.Explanation = &call.Explanation{Summary: call.Find(call.Refused, doc.Detail), Steps: steps}
}

// notAcceptable tells a caller that its Accept header excludes every media
// type of the operation.
func notAcceptable(d *Decision, r *call.Request, op *contract.Operation, err error, steps []call.Step) {
	var types []string
	if none, ok := errors.AsType[*contract.NotAcceptable](err); ok {
		types = none.MediaTypes
	}
	refusal(d, "not-acceptable", selfDocument{
		Title: "No media type of this operation is acceptable", Status: 406, MediaTypes: types,
		Detail: fmt.Sprintf("Operation %s answers with %s; the call accepts only %s.", op.ID, strings.Join(types, ", "), strings.Join(r.Header["Accept"], ", ")),
	}, steps)
}

// allowed tells which methods the operations on a path answer.
func allowed(d *Decision, operations []*contract.Operation) {
	var methods []string
	if operations == nil { // the port as a whole
		methods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"}
	}
	add := func(method string) {
		if !slices.Contains(methods, method) {
			methods = append(methods, method)
		}
	}
	for _, op := range operations {
		if add(op.Method); op.Method == "GET" {
			add("HEAD")
		}
	}
	add("OPTIONS")
	list := strings.Join(methods, ", ")
	d.Source, d.By = call.FromSelf, "options"
	d.Answer = call.Answer{Status: 204, Header: []call.Field{{Name: "Allow", Value: list}}}
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.Options, list),
		Steps:   []call.Step{taken(call.Choose, call.Subject{Kind: call.KindOptions}, call.Find(call.OptionsAsked))},
	}
}

// refuseHint tells a caller that its hints cannot be followed, and what could
// be asked for: it never gets something else instead.
func (e *Engine) refuseHint(d *Decision, p *Placed, r *call.Request, detail string, examples []string, steps []call.Step) {
	doc := selfDocument{Title: "Invalid hint", Status: 400, Detail: detail, Examples: examples}
	if len(examples) > 0 {
		doc.Detail += " (its examples are " + strings.Join(examples, ", ") + ")"
	}
	e.refuse(d, p, r, false, "hint", doc, steps)
}

// refuseAsked refuses a call that names a lane or a scenario that is not there, or
// says its hints in a way that cannot be read. It is rare and copied into no caller: see Decide.
//
//go:noinline
func (e *Engine) refuseAsked(d *Decision, p *Placed, r *call.Request) {
	e.refuse(d, p, r, false, "hint", selfDocument{Title: "Invalid hint", Status: 400, Detail: p.badHint + ".", Valid: p.rightNames}, nil)
}

// refuse is refusal in the protocol of the service. ours is set when the call is not
// to blame.
func (e *Engine) refuse(d *Decision, p *Placed, r *call.Request, ours bool, by string, doc selfDocument, steps []call.Step) {
	refusal(d, by, doc, steps)
	f := contract.Fault{Ours: ours}
	for _, deviation := range doc.Deviations {
		f.Detail = append(f.Detail, deviation.Where+": "+deviation.Detail)
	}
	e.inProtocol(d, p, r, f)
}

// inProtocol writes a refusal in the form of the protocol, with the status that the
// protocol has for it, where it has one.
func (e *Engine) inProtocol(d *Decision, p *Placed, r *call.Request, f contract.Fault) {
	p.tellInProtocol(d, r, f)
}

// tellInProtocol is inProtocol for what no engine is asked for.
func (p *Placed) tellInProtocol(d *Decision, r *call.Request, f contract.Fault) {
	f.Text = d.Explanation.Summary.String()
	if answer, ok := p.asFault(r, f); ok {
		d.Answer = answer
	}
}

// asFault is a fault in the form of the protocol. ok is false where it has none.
func (p *Placed) asFault(r *call.Request, f contract.Fault) (a call.Answer, ok bool) {
	if p.Service == nil {
		return a, false
	}
	envelope, ok := p.Service.Protocol().(contract.Envelope)
	if !ok {
		return a, false
	}
	return envelope.Refuse(p.dispatch(r), f)
}

// switchedOff answers for a service that a scenario or a lane has switched off.
func (e *Engine) switchedOff(d *Decision, p *Placed, r *call.Request, by string) {
	e.refuse(d, p, r, true, "service-off", selfDocument{
		Title: "This service is switched off", Status: 503,
		Detail: fmt.Sprintf("Service %q is switched off by %s.", p.Service.Spec.Name, by),
	}, nil)
	d.Answer.Status = 503 // also with a fault in it: nobody is there
}

// TooLarge is the decision on a call whose body must be held to answer it and
// is over the limit (in bytes).
func TooLarge(p *Placed, r *call.Request, limit int64) *Decision {
	d := p.decision()
	refusal(d, "too-large", selfDocument{
		Title: "The body of this call is too large to be answered", Status: 413,
		Detail: fmt.Sprintf("The answer depends on the body, and bodies over %d bytes are not held.", limit),
	}, nil)
	p.tellInProtocol(d, r, contract.Fault{})
	return d
}

// NoMemory is the decision on a call whose body cannot be held now.
func NoMemory(p *Placed, r *call.Request) *Decision {
	d := p.decision()
	refusal(d, "no-memory", selfDocument{
		Title: "The body of this call cannot be held now", Status: 503,
		Detail: "Bodies that are held take all the memory that they may have (serve --memory-limit); try again.",
	}, nil)
	p.tellInProtocol(d, r, contract.Fault{Ours: true})
	d.Answer.Header = append(slices.Clone(d.Answer.Header), call.Field{Name: "Retry-After", Value: "1"})
	return d
}

// Malformed is the decision on what is no call, and was refused before it came to be
// one.
func Malformed(status int, reason string) *Decision {
	d := &Decision{}
	d.Source, d.By, d.Answer.Status = call.FromSelf, "malformed", status
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.NotACall, reason),
		Steps:   []call.Step{noted(call.Place, call.Subject{Kind: call.KindRequest}, call.Find(call.Malformed, reason))},
	}
	return d
}

// Incomplete is the decision on a call whose body broke off after so many bytes: what
// is known of it is not what its caller meant to say.
func Incomplete(p *Placed, r *call.Request, received int, why string) *Decision {
	d := p.decision()
	BrokeOff(d, received, why)
	p.tellInProtocol(d, r, contract.Fault{})
	return d
}

// BrokeOff makes the decision on a call whose body is being relayed one on a call
// whose body broke off.
func BrokeOff(d *Decision, received int, why string) {
	var steps []call.Step
	if d.Explanation != nil {
		steps = d.Explanation.Steps
	}
	refusal(d, "incomplete-body", selfDocument{
		Title: "The body of this call is not whole", Status: 400,
		Detail: fmt.Sprintf("The body broke off after %d bytes (%s), and the answer depends on it.", received, why),
	}, steps)
	d.Recording = ""
}

// NoteBrokenBody tells of a call whose body broke off after so many bytes and did not matter.
func (d *Decision) NoteBrokenBody(received int, why string) {
	d.Explanation = d.Explanation.With(noted(call.Place, call.Subject{Kind: call.KindBody}, call.Find(call.BrokeOff, received, why)))
}

// NotIntercepted explains a connection to a listed host of the proxy on which no
// call was made.
func (e *Engine) NotIntercepted(r *call.Request, why string) *Decision {
	d := &Decision{}
	if p := e.Place(context.Background(), r); p.Service != nil {
		d.Service = p.Service.Spec.Name
	}
	d.Source, d.By = call.FromSelf, "not-intercepted"
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.NoInterception, r.Host, why),
		Steps:   []call.Step{noted(call.Place, call.Subject{Kind: call.KindProxy}, call.Find(call.NotIntercepted, why))},
	}
	return d
}

// Broken is the decision on a call that made us fail. The reason goes to the
// log, not to the caller.
func Broken(service string) *Decision {
	d := &Decision{Service: service, Reveal: true}
	refusal(d, "broken", selfDocument{
		Title: "Rapid Mimic failed on this call", Status: 500,
		Detail: "This is a fault of Rapid Mimic; its own log has the details.",
	}, nil)
	return d
}

// refuseTunnel tells a client that takes the port for a proxy which one is.
func refuseTunnel(d *Decision) {
	refusal(d, "not-a-proxy", selfDocument{
		Title: "This port is not a proxy", Status: 405,
		Detail: "CONNECT asks for a tunnel, which only the proxy port (--proxy) makes.",
	}, nil)
	d.Answer.Header = append(slices.Clone(d.Answer.Header), call.Field{Name: "Allow", Value: "GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS"})
}

// rootPage tells whoever opens the bare address where they are.
func (e *Engine) rootPage(d *Decision, p *Placed) {
	var b strings.Builder
	b.WriteString("This is Rapid Mimic. It answers in place of other services.\n\n")
	services := p.snapshot.Services()
	if len(services) == 0 {
		b.WriteString("There is no service yet. Make one from an OpenAPI contract:\n\n    rapidmimic import CONTRACT.yaml\n\n")
	} else {
		b.WriteString("Services, each at its own path:\n\n")
		for _, s := range services {
			fmt.Fprintf(&b, "    /%-20s %s\n", s.Spec.Name, s.Spec.Title)
		}
		b.WriteString("\n")
	}
	fmt.Fprintf(&b, "Console: %s\n", e.control)
	d.Source, d.By, d.Reveal = call.FromSelf, "root", true
	d.Answer = call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "text/plain; charset=utf-8"}}, Body: []byte(b.String())}
	d.Explanation = &call.Explanation{Summary: call.Find(call.RootPage), Steps: []call.Step{
		noted(call.Place, call.Subject{Kind: call.KindService}, call.Find(call.BareAddress)),
	}}
}
