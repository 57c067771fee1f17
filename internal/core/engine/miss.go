package engine

import (
	"encoding/json"
	"fmt"
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/match"
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
func (e *Engine) miss(d *Decision, p *Placed, r *call.Request, segments []string, steps []call.Step) {
	service := p.Service.Spec.Name
	doc := missDocument{
		Type: missType, Title: "Rapid Mimic has no answer for this call", Status: 404,
		Detail:  fmt.Sprintf("Nothing in service %q fits %s %s.", service, r.Method, r.Path),
		Service: service, Console: e.control,
	}
	if len(p.Service.Mappings) == 0 && p.Service.Contract == nil {
		doc.Detail += " It has neither a contract nor a mapping yet."
	}
	d.By = "nothing alike"
	for _, step := range steps {
		subject, isMapping := strings.CutPrefix(step.Subject, "mapping ")
		if !isMapping {
			continue
		}
		id, _, _ := strings.Cut(subject, " ") // without of what it is
		m := p.Service.Mapping(id)
		if m == nil || m.Rule.Conditions == nil || !m.Rule.AllowsMethod(r.Method) || len(doc.Closest) == closestShown {
			continue
		}
		doc.Closest = append(doc.Closest, near{"mapping", m.Spec.ID, m.Asks(), "conditions", "", step.Reason})
		if len(doc.Closest) == 1 {
			d.By = "conditions"
			doc.Detail += fmt.Sprintf(" Closest is mapping %s, %s, whose conditions do not hold: %s.", m.Spec.ID, m.Asks(), step.Reason)
		}
	}
	byConditions := len(doc.Closest)
	found := match.Closest(r.Method, segments, p.Service.Candidates(), closestShown)
	for i, n := range found {
		if len(doc.Closest) == closestShown {
			break
		}
		target := match.MethodsText(n.Methods) + " " + n.Template.String()
		doc.Closest = append(doc.Closest, near{n.Kind, n.ID, target, n.Part, n.Seen, n.Expected})
		steps = append(steps, call.Step{Stage: call.Choose, Subject: n.Kind + " " + n.ID, Verdict: call.Passed,
			Reason: "close: " + n.String()})
		if i == 0 && byConditions == 0 {
			d.By = n.Part
			doc.Detail += fmt.Sprintf(" Closest is %s %s, %s; it differs in %s.", n.Kind, n.ID, target, n)
		}
	}
	d.Source = call.FromMiss
	d.Answer = problemAnswer(404, doc)
	d.Explanation = &call.Explanation{Sentence: doc.Detail, Steps: steps}
}

// unplaced answers a call to no service: the root page, else a miss that names
// the services.
func (e *Engine) unplaced(p *Placed, r *call.Request) Decision {
	if p.badHint != "" {
		d := p.decision()
		e.refuseAsked(&d, p, r)
		return d
	}
	switch r.Path {
	case "/", "":
		return e.rootPage(p)
	case "*": // what the whole port can do
		d := p.decision()
		allowed(&d, nil)
		return d
	}
	name, _, _ := strings.Cut(strings.TrimPrefix(r.Path, "/"), "/")
	names := p.snapshot.Names()
	doc := missDocument{
		Type: missType, Title: "Rapid Mimic has no service of this name", Status: 404,
		Detail: fmt.Sprintf("The first part of the path names a service, and %q is none.", name), Services: names, Console: e.control,
	}
	if doc.Detail += didYouMean(name, names); len(names) == 0 {
		doc.Detail += " There is none yet: rapidmimic import CONTRACT makes the first."
	}
	d := p.decision()
	d.Source, d.By, d.Answer = call.FromMiss, "no such service", problemAnswer(404, doc)
	d.Explanation = &call.Explanation{Sentence: doc.Detail, Steps: []call.Step{{
		Stage: call.Place, Subject: "service " + name, Verdict: call.Passed, Reason: "there is no service of this name",
	}}}
	return d
}

func problemAnswer(status int, doc any) call.Answer {
	body, err := json.Marshal(doc)
	if err != nil {
		panic(err) // our own structs always marshal
	}
	return call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: problemType}}, Body: append(body, '\n')}
}
