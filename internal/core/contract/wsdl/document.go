package wsdl

import (
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

var _ contract.Documented = (*service)(nil)

// The keys of the schemas of messages, beside those of types.
const (
	requestsKey = "requests"
	answersKey  = "answers"
)

// held is the element that all of a message is in; nil where there is no such one, and where
// messages are encoded, whose elements do not say what they are.
func (m *message) held() *xsd.Element {
	if m == nil || m.encoded || len(m.body) != 1 {
		return nil
	}
	return m.body[0]
}

// describedMessages describes what the messages of all operations hold.
func (s *service) describedMessages() *contract.Document {
	requests, answers := tree.NewMap(), tree.NewMap()
	for _, op := range s.operations {
		for _, side := range []struct {
			of *message
			in *tree.Node
		}{{op.input, requests}, {op.output, answers}} {
			if e := side.of.held(); e != nil {
				side.in.Members = append(side.in.Members, tree.Member{Key: op.id, Value: s.schemas.JSONSchema(e)})
			}
		}
	}
	root := tree.NewMap(s.schemas.JSONSchemas(), tree.Member{Key: requestsKey, Value: requests}, tree.Member{Key: answersKey, Value: answers})
	return contract.NewDocument(root, func(n *tree.Node) *tree.Node { return n }).DrawnBy(s.drawn)
}

// drawn draws a value of one of the schemas of describedMessages.
func (s *service) drawn(pointer []string, draw *sample.Draw) *tree.Node {
	if len(pointer) < 2 {
		return nil
	}
	e := s.schemas.Declared(pointer[1])
	for _, op := range s.operations {
		if pointer[0] != xsd.TypesKey && op.id == pointer[1] {
			e = map[string]*message{requestsKey: op.input, answersKey: op.output}[pointer[0]].held()
		}
	}
	if e == nil {
		return nil
	}
	return (&xsd.Generator{Draw: draw, Schemas: s.schemas}).Drawn(e, pointer[2:])
}

// Shapes implements contract.Documented.
func (s *service) Shapes(op *contract.Operation) (request, answer *contract.Schema) {
	own := s.own[op]
	if own.input.held() != nil {
		request = s.messages().RequestSchema(tree.Join("/"+requestsKey, own.id))
	}
	if own.output.held() != nil {
		answer = s.messages().Schema(tree.Join("/"+answersKey, own.id))
	}
	return request, answer
}

// Request implements contract.Documented.
func (s *service) Request(asked *contract.Asked) *tree.Node {
	m := s.receivedOf(asked)
	return s.documentIn(m.body, s.own[asked.Operation].input.held())
}

// Answered implements contract.Documented.
func (s *service) Answered(op *contract.Operation, body []byte) *tree.Node {
	root, err := xmltree.Parse(body)
	if err != nil {
		return nil
	}
	return s.documentIn(bodyOf(root), s.own[op].output.held())
}

// documentIn is what the first element of a body holds, where that is the expected one.
func (s *service) documentIn(body *xmltree.Node, e *xsd.Element) *tree.Node {
	if body == nil || e == nil || len(body.Children) == 0 || body.Children[0].Name != e.Name {
		return nil
	}
	return s.schemas.Document(body.Children[0], e)
}

// Rewrite implements contract.Documented.
func (s *service) Rewrite(asked *contract.Asked, b contract.Built, edit func(*tree.Node) *tree.Node) contract.Built {
	root, err := xmltree.Parse(b.Answer.Body)
	if err != nil {
		return b // one-way operations answer nothing
	}
	own := s.own[asked.Operation]
	place, e := bodyOf(root), own.output.held()
	if b.Fault != "" {
		place, e = detailOf(place.Child(root.Name.Space, "Fault")), nil
		for _, f := range own.faults {
			if f.name == b.Fault && !f.inHeader {
				e = f.detail
			}
		}
	}
	before := s.documentIn(place, e)
	if before == nil {
		return b
	}
	written := s.schemas.Written(edit(before), e)
	if b.Fault != "" && len(s.schemas.Validate(written, e)) > 0 {
		return b
	}
	written.Parent, place.Children[0] = place, written
	root.Carry() // prefixes that values use
	b.Answer.Body = root.Document()
	return b
}

// detailOf is where the details of a fault are; nil for none.
func detailOf(fault *xmltree.Node) *xmltree.Node {
	if detail := fault.Child("", "detail"); detail != nil {
		return detail
	}
	return fault.Child(space2, "Detail")
}
