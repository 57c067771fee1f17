package wsdl

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// service is a WSDL contract, ready to answer. It implements contract.Protocol,
// Envelope and Publisher (protocol.go) and Documented (document.go), and is immutable.
type service struct {
	bundle     *bundle.Bundle
	documents  map[string]*xmltree.Node
	schemas    *xsd.Schemas
	ports      []*port
	unserved   bool // the contract has no service; its bindings are the ports
	refers     bool // elements may name attachments
	operations []*operation
	byNode     map[*xmltree.Node][]*operation
	contracted map[*operation]*contract.Operation
	own        map[*contract.Operation]*operation
	messages   func() *contract.Document // what they hold, described when somebody asks
}

type port struct {
	name       string
	version    int
	location   string   // where the contract has it; "" for nowhere
	path       []string // of the location, decoded
	addressed  bool     // it demands WS-Addressing
	packaged   bool     // it demands MTOM
	template   match.Template
	operations []*operation
}

// generator draws documents by the schemas of the contract.
func (s *service) generator(draw *sample.Draw) *xsd.Generator {
	return &xsd.Generator{Draw: draw, Schemas: s.schemas}
}

// shared returns the operation that another port has bound in the same way, or
// op itself.
func (s *service) shared(op *operation, abstract *xmltree.Node) *operation {
	if s.byNode == nil {
		s.byNode = make(map[*xmltree.Node][]*operation)
	}
	for _, have := range s.byNode[abstract] {
		if have.rpc == op.rpc && have.addressed == op.addressed && have.packaged == op.packaged && have.action == op.action && sameUse(have.input, op.input) && sameUse(have.output, op.output) {
			return have
		}
	}
	s.byNode[abstract] = append(s.byNode[abstract], op)
	s.operations = append(s.operations, op)
	op.service = s
	return op
}

func sameUse(a, b *message) bool {
	if a == nil || b == nil {
		return a == b
	}
	sameName := func(x, y *xsd.Element) bool { return x.Name == y.Name }
	sameHeader := func(x, y header) bool { return x.message == y.message && x.part == y.part }
	sameAttachment := func(x, y attachment) bool { return x.part == y.part && slices.Equal(x.mediaTypes, y.mediaTypes) }
	return a.encoded == b.encoded && slices.EqualFunc(a.attachments, b.attachments, sameAttachment) && slices.EqualFunc(a.body, b.body, sameName) && slices.EqualFunc(a.headers, b.headers, sameHeader)
}

// prepare makes the operations of the contract.
func (s *service) prepare(c *contract.Contract) {
	s.messages = sync.OnceValue(s.describedMessages)
	s.contracted = make(map[*operation]*contract.Operation, len(s.operations))
	s.own = make(map[*contract.Operation]*operation, len(s.operations))
	ids := make(map[string]int)
	for _, p := range s.ports {
		for _, op := range p.operations {
			if s.contracted[op] != nil {
				continue
			}
			op.id, op.path, op.version = op.name, p.template.String(), p.version
			if ids[op.name]++; ids[op.name] > 1 {
				op.id += "-" + strconv.Itoa(ids[op.name])
			}
			made := &contract.Operation{ID: op.id, Method: "POST", Template: p.template, Summary: op.summary, ByMessage: true}
			s.describe(made, op, p.version)
			s.contracted[op], s.own[made] = made, op
			c.Operations = append(c.Operations, made)
		}
	}
	sources := make(map[*contract.Operation]*tree.Node, len(s.operations))
	for op, made := range s.contracted {
		sources[made] = s.source(op)
	}
	c.SetSource(contract.NewDocument(s.schemas.Tree(), func(n *tree.Node) *tree.Node { return n }), sources)
}

// source describes an operation, so that it can be compared with that of
// another revision.
func (s *service) source(op *operation) *tree.Node {
	members := []tree.Member{{Key: "action", Value: tree.NewString(op.action)}}
	for _, side := range []struct {
		key string
		m   *message
	}{{"request", op.input}, {"response", op.output}} {
		if side.m == nil {
			continue
		}
		var elements []tree.Member
		for _, e := range side.m.body {
			elements = append(elements, tree.Member{Key: e.Name.Local, Value: s.schemas.Describe(e)})
		}
		for _, h := range side.m.headers {
			elements = append(elements, tree.Member{Key: "header " + h.element.Name.Local, Value: s.schemas.Describe(h.element)})
		}
		for _, a := range side.m.attachments {
			elements = append(elements, tree.Member{Key: "attachment " + a.part, Value: tree.NewString(strings.Join(a.mediaTypes, " or "))})
		}
		members = append(members, tree.Member{Key: side.key, Value: tree.NewMap(elements...)})
	}
	var ports []tree.Member
	for _, p := range s.ports {
		if slices.Contains(p.operations, op) {
			ports = append(ports, tree.Member{Key: p.name, Value: tree.NewString("SOAP " + versionText(p.version))})
		}
	}
	members = append(members, tree.Member{Key: "ports", Value: tree.NewMap(ports...)})
	for _, f := range op.faults {
		members = append(members, tree.Member{Key: "fault " + f.name, Value: s.schemas.Describe(f.detail)})
	}
	return tree.NewMap(members...)
}

// describe gives an operation its responses, with a message drawn for each to
// look at.
func (s *service) describe(made *contract.Operation, op *operation, version int) {
	m := &received{of: version}
	made.Facts = s.facts(op)
	shown := func(key string, status int, fault string, described func() []contract.Field) *contract.Response {
		r := &contract.Response{Key: key, Status: status}
		a := op.answer(m, fault, false, nil, sample.NewDraw(0, op.id+fault, 0))
		if len(a.Answer.Body) > 0 {
			r.MediaTypes = []*contract.MediaType{{Name: mediaType(version), Written: mediaType(version), Drawn: true, Described: described,
				Examples: []contract.Example{{Name: fault, Body: a.Answer.Body}}}}
		}
		return r
	}
	if op.input != nil {
		tried := op.tried(version, sample.NewDraw(0, op.id, 0))
		made.Body = &contract.Body{Required: true, MediaTypes: []*contract.MediaType{{Name: mediaType(version), Written: mediaType(version), Drawn: true, Described: s.fieldsOf(op.input),
			Examples: []contract.Example{{Body: tried.Document()}}}}}
	}
	made.Success = shown("200", 200, "", s.fieldsOf(op.output))
	if op.oneWay() {
		made.Success.Key, made.Success.Status = "202", 202
	}
	made.Responses = []*contract.Response{made.Success}
	for _, f := range op.faults {
		r := shown("500", 500, f.name, s.fieldsOf(&message{body: []*xsd.Element{f.detail}}))
		r.Description = strings.TrimSuffix("fault "+f.name+": "+f.summary, ": ")
		made.Responses = append(made.Responses, r)
	}
}
