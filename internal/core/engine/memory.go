package engine

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// ForgetOff forgets what services remembered that are gone, or whose memory is off.
func (e *Engine) ForgetOff() {
	on := make(map[string]bool)
	for _, service := range e.definitions.Snapshot().Services() {
		on[service.Spec.ID] = service.Spec.Memory.On
	}
	e.memory.KeepOnly(on)
}

// fromMemory answers by what the service remembers. It reports whether the operation touches a
// collection. An example that somebody chose goes before.
func (e *Engine) fromMemory(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, steps []call.Step) bool {
	op := asked.Operation
	role := p.Service.Collections().Of(op.ID)
	if role == nil || p.hints.Given() || p.Service.Spec.Examples[op.ID] != "" {
		return false
	}
	steps = append(steps, taken(call.Choose, operationSubject(op), found(asked)))
	response := success(op, role.Verb == collection.Create)
	built, err := e.memoryAnswer(p, r, asked, response, response.Status, r.Header["Accept"], !role.Fills())
	if err != nil { // before anything is changed
		notAcceptable(d, r, op, err, steps)
		return true
	}
	outcome := e.remember(p, r, asked, role)
	if outcome.Created && role.Verb == collection.Replace {
		response = success(op, true)
		if built, err = e.memoryAnswer(p, r, asked, response, response.Status, nil, !role.Fills()); err != nil {
			notAcceptable(d, r, op, err, steps)
			return true
		}
	}
	text := told(role, &outcome)
	steps = append(steps, taken(call.Build, call.Subject{Kind: call.KindMemory, ID: outcome.Collection.Name}, call.Find(call.Remembered, text)))
	if outcome.Result != collection.Done {
		e.memoryRefusal(d, p, r, asked, &outcome, text, steps)
		return true
	}
	built = laidIn(p, asked, built, role, &outcome)
	pinned, err := e.pin(&built, p, r, asked)
	if err != nil {
		e.refusePin(d, p, r, op, err, steps)
		return true
	}
	addItemHeaders(&built, r, &outcome)
	steps = appendBuilt(steps, call.KindPins, call.Pinned, pinned)
	byMemory(d, op, built.Answer, text, steps)
	return true
}

// laidIn is an answer with what a call found or did in it.
func laidIn(p *Placed, asked *contract.Asked, built contract.Built, role *collection.Role, out *collection.Outcome) contract.Built {
	if documented, is := p.Service.Protocol().(contract.Documented); is {
		return documented.Rewrite(asked, built, func(answer *tree.Node) *tree.Node { return role.Body(out, answer) })
	}
	if built.MediaType != nil {
		built.SetValue(role.Body(out, built.Tree()))
	}
	return built
}

func byMemory(d *Decision, op *contract.Operation, a call.Answer, text string, steps []call.Step) {
	d.Source, d.By, d.Answer = call.FromContract, op.ID+", memory", a
	d.Explanation = &call.Explanation{Summary: call.Find(call.ByMemory, op.ID, text), Steps: steps}
}

// success is the response of an operation that did what it is for. Some contracts tell of
// failures alone.
func success(op *contract.Operation, created bool) *contract.Response {
	if op.Success.Status >= 300 {
		return &contract.Response{Key: "200", Status: 200}
	}
	if created {
		if made := op.Response(201); made != nil && made.Key == "201" {
			return made
		}
	}
	return op.Success
}

// memoryAnswer is what the contract has for a response, in JSON where it has a body; made is set
// where what is in the body matters, since items do not take all of it.
func (e *Engine) memoryAnswer(p *Placed, r *call.Request, asked *contract.Asked, response *contract.Response, status int, accept []string, made bool) (contract.Built, error) {
	var types []*contract.MediaType
	_, documented := p.Service.Protocol().(contract.Documented)
	for _, m := range response.MediaTypes {
		switch {
		case documented:
			types = append(types, m)
		case call.IsJSON(m.Name):
			if !made {
				m = &contract.MediaType{Name: m.Name, Written: m.Written, Schema: m.Schema, Examples: []contract.Example{{Value: tree.NewMap()}}}
			}
			types = append(types, m)
		}
	}
	return p.Service.Protocol().Answer(asked, contract.Wanted{Status: status, Headers: response.Headers, MediaTypes: types, Accept: accept,
		Draw: sync.OnceValue(func() *sample.Draw { return e.drawFor(p, r, asked.Operation.ID) })})
}

// remember carries the operation out in the memory of the service.
func (e *Engine) remember(p *Placed, r *call.Request, asked *contract.Asked, role *collection.Role) collection.Outcome {
	facts := &e.ask(p, r).facts
	if role.Verb != collection.List && role.Verb != collection.Read && role.Verb != collection.Remove && p.Service.Spec.Conformance != spec.ConformanceOff {
		var wrong []string
		for _, deviation := range p.Service.Protocol().CheckRequest(asked, facts) {
			if strings.HasPrefix(deviation.Where, "body") || deviation.Where == "media type" {
				wrong = append(wrong, deviation.Where+": "+deviation.Detail)
			}
		}
		if len(wrong) > 0 {
			slices.Sort(wrong)
			return collection.Outcome{Result: collection.Invalid, Collection: role.Collection, Detail: strings.Join(wrong, "; ")}
		}
	}
	query, _ := url.ParseQuery(r.Query) // what can be read of it
	var body *tree.Node
	if documented, is := p.Service.Protocol().(contract.Documented); is {
		body = documented.Request(asked)
	} else {
		body = asked.Operation.Decoded(facts)
	}
	return e.memory.Do(p.space(), collection.Call{
		Role: role, Params: asked.Operation.Template.Params(asked.Segments), Query: query, Body: body,
		Patch: call.BaseType(r.Header.Get("Content-Type")) == "application/json-patch+json", IfMatch: r.Header.Get("If-Match"),
		Repeat: r.Header.Get("Idempotency-Key"), Now: e.now(), Draw: sync.OnceValue(func() *sample.Draw { return e.drawFor(p, r, asked.Operation.ID) }),
	}, e.peeking)
}

// addItemHeaders tells where a created item is, and its ETag where the contract has one.
func addItemHeaders(b *contract.Built, r *call.Request, out *collection.Outcome) {
	if out.Item == nil {
		return
	}
	b.SetHeader("ETag", out.Item.ETag())
	if path := out.Collection.Path(out.Item); path != "" && out.Created {
		b.Answer.Header = append(withoutField(b.Answer.Header, "Location"), call.Field{Name: "Location", Value: baseOf(r) + path})
	}
}

func withoutField(fields []call.Field, name string) (others []call.Field) {
	for _, f := range fields {
		if !strings.EqualFold(f.Name, name) {
			others = append(others, f)
		}
	}
	return others
}

// memoryRefusals are the statuses of what could not be done, the first that the contract has, and
// their titles.
var memoryRefusals = map[collection.Result]struct {
	statuses []int
	title    string
}{
	collection.Missing:  {[]int{404}, "Item not found"},
	collection.Conflict: {[]int{409}, "Item already exists"},
	collection.Invalid:  {[]int{422, 400}, "Invalid item"},
	collection.Stale:    {[]int{412}, "The item has changed"},
}

// memoryRefusal answers as the contract does what could not be done, else in our own words.
func (e *Engine) memoryRefusal(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, out *collection.Outcome, text string, steps []call.Step) {
	op, refusal := asked.Operation, memoryRefusals[out.Result]
	if e.memoryFault(d, p, r, asked, out, text, steps) {
		return
	}
	for _, status := range refusal.statuses {
		response := op.Response(status)
		if response == nil || len(refusal.statuses) > 1 && response.Key != strconv.Itoa(status) {
			continue
		}
		built, err := e.memoryAnswer(p, r, asked, response, status, nil, true)
		if err != nil {
			continue
		}
		if built.Used == nil && built.Tree() != nil {
			built.SetValue(explained(built.Value, built.MediaType.Schema, status, refusal.title, text))
		}
		byMemory(d, op, built.Answer, text, steps)
		return
	}
	status := refusal.statuses[len(refusal.statuses)-1]
	e.refuse(d, p, r, false, "memory", selfDocument{Title: refusal.title, Status: status, Detail: text + "."}, steps)
}

// memoryFaults are what the names of declared faults say, as far as they do plainly.
var memoryFaults = map[collection.Result]*regexp.Regexp{
	collection.Missing:  regexp.MustCompile(`(?i)unknown|not.?found|missing|no.?such|not.?exist`),
	collection.Conflict: regexp.MustCompile(`(?i)exists|duplicate|conflict|already|in.?use`),
	collection.Invalid:  regexp.MustCompile(`(?i)invalid|validation|refused|rejected|illegal|bad`),
}

// Names of the fields of a fault that tell what happened.
var faultTexts = regexp.MustCompile(`(?i)^(?:message|reason|text|detail|details|description|cause|error|errorMessage|faultString)$`)

// memoryFault answers with the declared fault whose name says what could not be done. It reports
// whether there is one.
func (e *Engine) memoryFault(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, out *collection.Outcome, text string, steps []call.Step) bool {
	documented, is := p.Service.Protocol().(contract.Documented)
	says := memoryFaults[out.Result]
	if !is || says == nil {
		return false
	}
	for _, response := range asked.Operation.Responses {
		if len(response.MediaTypes) == 0 || response.Status < 400 || !says.MatchString(response.MediaTypes[0].Examples[0].Name) {
			continue
		}
		built, err := e.memoryAnswer(p, r, asked, response, response.Status, nil, true)
		if err != nil {
			continue
		}
		built = documented.Rewrite(asked, built, func(detail *tree.Node) *tree.Node { return toldInFault(detail, out, text) })
		byMemory(d, asked.Operation, built.Answer, text, steps)
		return true
	}
	return false
}

// toldInFault is the detail of a fault with what happened, and with the key that was asked for.
func toldInFault(detail *tree.Node, out *collection.Outcome, text string) *tree.Node {
	members := slices.Clone(detail.Entries())
	for i, m := range members {
		switch {
		case m.Value.Kind == tree.String && faultTexts.MatchString(m.Key):
			members[i].Value = tree.NewString(text)
		case m.Key == out.Collection.Key && out.Key != "":
			members[i].Value = out.Collection.KeyNode(out.Key)
		}
	}
	return tree.NewMap(members...)
}

// explained is a generated problem with what happened in the fields that usually say so.
func explained(n *tree.Node, schema *contract.Schema, status int, title, text string) *tree.Node {
	if n.Kind != tree.Map || schema == nil {
		return n
	}
	members := slices.Clone(n.Members)
	for _, told := range []tree.Member{
		{Key: "title", Value: tree.NewString(title)}, {Key: "status", Value: tree.NewNumber(strconv.Itoa(status))},
		{Key: "detail", Value: tree.NewString(text)}, {Key: "message", Value: tree.NewString(text)},
	} {
		if p, declared := schema.Property(told.Key); !declared || p.Schema.Breach(told.Value) != "" {
			continue
		}
		if i := slices.IndexFunc(members, func(m tree.Member) bool { return m.Key == told.Key }); i >= 0 {
			members[i].Value = told.Value
		} else {
			members = append(members, told)
		}
	}
	return tree.NewMap(members...)
}

// told says what a call found or did: "adds B-2043 to bookings, which has 3 now".
func told(role *collection.Role, out *collection.Outcome) string {
	name := out.Collection.Name
	switch out.Result {
	case collection.Missing:
		if out.Key == "" {
			return "the call names no item of " + name
		}
		return fmt.Sprintf("%s has no %q", name, out.Key)
	case collection.Conflict:
		return fmt.Sprintf("%s has %q already", name, out.Key)
	case collection.Invalid:
		return out.Detail
	case collection.Stale:
		return fmt.Sprintf("%q of %s has the ETag %s, and the call demands another", out.Key, name, out.Item.ETag())
	}
	if out.Repeated {
		return fmt.Sprintf("gives %q of %s again: a call with this Idempotency-Key created it", out.Key, name)
	}
	if out.Created {
		return fmt.Sprintf("adds %q to %s, which has %d now", out.Key, name, out.Left)
	}
	switch role.Verb {
	case collection.List:
		if len(out.Items) < out.Found {
			return fmt.Sprintf("lists %d of %d items that fit, of %d in %s", len(out.Items), out.Found, out.Left, name)
		}
		return fmt.Sprintf("lists %d of %d items of %s", out.Found, out.Left, name)
	case collection.Remove:
		return fmt.Sprintf("removes %q from %s, which has %d now", out.Key, name, out.Left)
	case collection.Read:
		return fmt.Sprintf("reads %q of %s", out.Key, name)
	case collection.Replace:
		return fmt.Sprintf("replaces %q of %s", out.Key, name)
	default:
		return fmt.Sprintf("changes %q of %s", out.Key, name)
	}
}
