package engine

import (
	"encoding/json"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec/problem"
)

// missDocument is the RFC 9457 problem that a caller gets when nothing fits.
type missDocument struct {
	Type    string `json:"type"`
	Title   string `json:"title"`
	Status  int    `json:"status"`
	Detail  string `json:"detail"`
	Service string `json:"service,omitempty"`
	Closest []near `json:"closest,omitempty"`
	// Services lists what is here when not even the service was found.
	Services []string `json:"services,omitempty"`
	Console  string   `json:"console"`
}

type near struct {
	Kind     string `json:"kind"`
	ID       string `json:"id"`
	Call     string `json:"call"`
	Part     string `json:"part"`
	Seen     string `json:"seen,omitempty"`
	Expected string `json:"expected"`
}

const (
	problemType  = "application/problem+json"
	missType     = "urn:rapid-mimic:miss"
	closestShown = 3
)

// miss answers a call that nothing in its service fits, and names what came
// closest.
func (e *Engine) miss(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, steps []call.Step) {
	if asked.Fault != nil {
		e.missByProtocol(d, p, r, asked.Fault, steps)
		return
	}
	service := p.Service.Spec.Name
	doc := missDocument{Type: missType, Title: "Rapid Mimic has no answer for this call", Status: 404, Service: service, Console: e.control}
	summary := call.Find(call.Missed, service, r.Method, r.Path)
	if len(p.Service.Mappings) == 0 && p.Service.Contract == nil {
		summary.Among = append(summary.Among, call.Find(call.Empty))
	}
	d.By = "no similar call"
	if known := asked.Known; known != nil {
		d.By = "skipped operation"
		says := call.Find(call.KnownSkipped, known.ID, known.Skipped.String())
		summary.Among = append(summary.Among, says)
		steps = append(steps, skipped(operationSubject(known), says))
		doc.Closest = append(doc.Closest, near{"operation", known.ID, known.String(), "contract", "", known.Skipped.String()})
	}
	for _, step := range steps {
		if step.Of.Kind != call.KindMapping || len(doc.Closest) == closestShown {
			continue
		}
		m := p.Service.Mapping(step.Of.ID)
		if m == nil || m.Rule.Conditions == nil && m.Spec.Flow == nil || !m.Rule.AllowsMethod(r.Method) {
			continue
		}
		doc.Closest = append(doc.Closest, near{"mapping", m.Spec.ID, m.Asks(), "conditions", "", step.String()})
		if len(doc.Closest) == 1 && asked.Known == nil {
			d.By = "conditions"
			closest := call.Find(call.ClosestConditions, m.Spec.ID, m.Asks())
			closest.Among = []call.Finding{step.Finding}
			summary.Among = append(summary.Among, closest)
		}
	}
	told := len(doc.Closest)
	for i, n := range match.Closest(r.Method, asked.Segments, p.Service.Candidates(), closestShown) {
		if len(doc.Closest) == closestShown {
			break
		}
		target := match.MethodsText(n.Methods) + " " + n.Template.String()
		doc.Closest = append(doc.Closest, near{n.Kind, n.ID, target, n.Part, n.Seen, n.Expected})
		steps = append(steps, skipped(call.Subject{Kind: call.Kind(n.Kind), ID: n.ID}, n.Finding()))
		if i == 0 && told == 0 {
			d.By = n.Part
			closest := call.Find(call.ClosestPart, n.Kind, n.ID, target)
			closest.Part, closest.Seen, closest.Expected = n.Part, n.Seen, n.Expected
			summary.Among = append(summary.Among, closest)
		}
	}
	doc.Detail = summary.String()
	d.Source, d.Answer = call.FromMiss, problemAnswer(404, doc)
	d.Explanation = &call.Explanation{Summary: summary, Steps: steps}
}

// missByProtocol answers a call that the protocol of its service cannot take.
func (e *Engine) missByProtocol(d *Decision, p *Placed, r *call.Request, f *contract.Fault, steps []call.Step) {
	d.Source, d.By = call.FromMiss, "message"
	d.Explanation = &call.Explanation{Summary: call.Find(call.Undispatched, f.Text), Steps: append(steps, skipped(call.Subject{Kind: call.KindOperations}, f.Finding))}
	if f.Foreign {
		d.By = f.Finding.Part
	}
	answer, ok := p.asFault(r, *f)
	if !ok {
		status := 404
		if f.Allow != "" {
			status = 405
		}
		answer = problemAnswer(status, missDocument{
			Type: missType, Title: "Rapid Mimic has no answer for this call", Status: status, Service: p.Service.Spec.Name, Detail: f.Text, Console: e.control,
		})
		if f.Allow != "" {
			answer.Header = append(answer.Header, call.Field{Name: "Allow", Value: f.Allow})
		}
	}
	d.Answer = answer
}

// unplaced answers a call to no service: the root page, else a miss that names
// the services.
func (e *Engine) unplaced(d *Decision, p *Placed, r *call.Request) {
	switch {
	case p.badHint != "":
		e.refuseAsked(d, p, r)
		return
	case r.Path == "/" || r.Path == "":
		e.rootPage(d, p)
		return
	case r.Path == "*": // what the whole port can do
		allowed(d, nil)
		return
	}
	name, _, _ := strings.Cut(strings.TrimPrefix(r.Path, "/"), "/")
	names := p.snapshot.Names()
	advice := ""
	if len(names) == 0 {
		advice = "There is none yet: rapidmimic import CONTRACT makes the first."
	}
	summary := call.Find(call.MissedService, name, problem.Closest(name, names), advice)
	d.Source, d.By = call.FromMiss, "no such service"
	d.Answer = problemAnswer(404, missDocument{
		Type: missType, Title: "Rapid Mimic has no service of this name", Status: 404, Detail: summary.String(), Services: names, Console: e.control,
	})
	d.Explanation = &call.Explanation{Summary: summary, Steps: []call.Step{
		{Stage: call.Place, Of: call.Subject{Kind: call.KindService, ID: name}, Verdict: call.Skipped, Finding: call.Find(call.NoService)},
	}}
}

func problemAnswer(status int, doc any) call.Answer {
	body, err := json.Marshal(doc)
	if err != nil {
		panic(err) // our own structs always marshal
	}
	return call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: problemType}}, Body: append(body, '\n')}
}
