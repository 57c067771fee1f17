package catalog

import (
	"cmp"
	"slices"
	"strings"
	"time"
)

// Found is a definition that a search found.
type Found struct {
	// Kind is that of a definition, or operation.
	Kind string
	// Service is that of a mapping or an operation.
	Service string
	ID      string
	// Says is what it is about: GET /berths/{number}, a title.
	Says string
	near nearness
}

const kindOperation = "operation"

// nearness is how well a definition fits the words of a search, the best first.
type nearness int

const (
	isNamed   nearness = iota // its id is what was asked for
	beginsSo                  // its id begins with it
	namedWith                 // all words stand in its id
	saysSo                    // they stand in all that is told of it
	notAtAll
)

// search looks for words.
type search struct {
	text  string
	words []string
	found []Found
}

// Search finds services, mappings, operations, scenarios and lanes with all words of a text in their id or in
// what is told of them, the nearest first. It takes the services and lanes that the caller sees, and says
// whether there are more than the limit.
func (s *Snapshot) Search(text string, now time.Time, sees, inLane func(name string) bool, limit int) (found []Found, more bool) {
	q := &search{text: strings.ToLower(strings.TrimSpace(text))}
	if q.words = strings.Fields(q.text); len(q.words) == 0 {
		return nil, false
	}
	for _, service := range s.services {
		if sees(service.Spec.Name) {
			q.service(service)
		}
	}
	for _, scenario := range s.Scenarios() {
		q.take(Found{Kind: KindScenario, ID: scenario.Spec.Name, Says: scenario.Spec.Title}, strings.Join(scenario.Spec.Labels, " "))
	}
	for _, lane := range s.Lanes(now) {
		if inLane(lane.Spec.Name) {
			q.take(Found{Kind: KindLane, ID: lane.Spec.Name, Says: lane.Spec.Title}, "")
		}
	}
	slices.SortStableFunc(q.found, func(a, b Found) int {
		return cmp.Or(cmp.Compare(a.near, b.near), cmp.Compare(len(a.ID), len(b.ID)))
	})
	return q.found[:min(limit, len(q.found))], len(q.found) > limit
}

func (q *search) service(service *Service) {
	title := ""
	if service.Contract != nil {
		title = service.Contract.Title
	}
	name := service.Spec.Name
	q.take(Found{Kind: KindService, ID: name, Says: title}, service.Spec.Upstream)
	for _, m := range service.Mappings {
		q.take(Found{Kind: KindMapping, Service: name, ID: m.Spec.ID, Says: cmp.Or(m.Spec.Title, m.Spec.Call.String())},
			m.Spec.Call.String()+" "+name+" "+strings.Join(m.Spec.Labels, " "))
	}
	if service.Contract == nil {
		return
	}
	for _, op := range service.Contract.Operations {
		if op.Webhook {
			continue
		}
		says := strings.TrimSpace(op.Method + " " + op.Template.String())
		if op.ByMessage {
			says = cmp.Or(op.Summary, strings.ToUpper(string(service.Contract.Protocol.Name())))
		}
		q.take(Found{Kind: kindOperation, Service: name, ID: op.ID, Says: says}, op.Summary+" "+name+" "+strings.Join(op.Tags, " "))
	}
}

// take takes a definition in, if its id, what it says, and more words beside have all that is looked for.
func (q *search) take(f Found, beside string) {
	id := strings.ToLower(f.ID)
	if f.near = q.near(id, id+" "+strings.ToLower(f.Says)+" "+strings.ToLower(beside)); f.near != notAtAll {
		q.found = append(q.found, f)
	}
}

func (q *search) near(id, all string) nearness {
	has := func(text string) bool {
		return !slices.ContainsFunc(q.words, func(word string) bool { return !strings.Contains(text, word) })
	}
	switch {
	case id == q.text:
		return isNamed
	case strings.HasPrefix(id, q.text):
		return beginsSo
	case has(id):
		return namedWith
	case has(all):
		return saysSo
	}
	return notAtAll
}
