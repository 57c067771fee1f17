package wsdl

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
)

// Heard is a message that was sent to a service, with its answer; "" for none.
type Heard struct {
	Action          string // by SOAPAction, or by the media type
	Request, Answer []byte
}

// HeardOf is a call with its answer.
func HeardOf(r *call.Request, a *call.Answer) Heard {
	return Heard{Action: actionOf(r, versionByType(r)), Request: match.Plain(r), Answer: match.PlainAnswer(a)}
}

// Propose makes a contract of messages that were heard: operations by what their bodies begin with, and
// types by what was in them. name is that of the service, address where it is. ok is false where none of
// them is one of SOAP.
func Propose(name, address string, messages []Heard) (contract []byte, ok bool) {
	p := &proposal{elements: make(map[xmltree.Name]*sighted)}
	for _, m := range messages {
		p.hear(m)
	}
	if len(p.operations) == 0 {
		return nil, false
	}
	return p.definitions(name, address).Document(), true
}

// proposal is what was heard so far.
type proposal struct {
	operations []*proposed
	elements   map[name]*sighted // by names, of what a body or another namespace begins with
	order      []name
	versions   []int
}

// proposed is an operation.
type proposed struct {
	name          string
	action        string
	input, output name // output has no name where nothing was answered
	faults        []name
}

// sighted is what was seen of an element, wherever it stands.
type sighted struct {
	name       name
	times      int // how often it was seen
	children   []*place
	attributes []*attributed
	texts      []string // some, none where it had children
	empty      bool     // it was seen without text
}

// place is an element within another one.
type place struct {
	of        *sighted
	least     int // how often it stands there
	most      int
	elsewhere bool // it is of another namespace, and so declared there
}

type attributed struct {
	name  name
	times int
	texts []string
}

// mostTexts is how many values of an element are looked at.
const mostTexts = 200

func (p *proposal) hear(m Heard) {
	request, err := xmltree.Parse(m.Request)
	if err != nil || versionOf(request) == 0 || bodyOf(request) == nil || len(bodyOf(request).Children) == 0 {
		return
	}
	if version := versionOf(request); !slices.Contains(p.versions, version) {
		p.versions = append(p.versions, version)
	}
	asked := bodyOf(request).Children[0]
	at := slices.IndexFunc(p.operations, func(o *proposed) bool { return o.input == asked.Name })
	if at < 0 {
		at = len(p.operations)
		p.operations = append(p.operations, &proposed{name: p.named(asked.Name.Local), action: m.Action, input: asked.Name})
	}
	op := p.operations[at]
	p.global(asked)
	answered, err := xmltree.Parse(m.Answer)
	if err != nil || versionOf(answered) == 0 || bodyOf(answered) == nil || len(bodyOf(answered).Children) == 0 {
		return
	}
	first := bodyOf(answered).Children[0]
	if first.Name.Local != "Fault" || first.Name.Space != answered.Name.Space {
		op.output = first.Name
		p.global(first)
		return
	}
	if detail := detailOf(first); detail != nil {
		for _, d := range detail.Children {
			p.global(d)
			if !slices.Contains(op.faults, d.Name) {
				op.faults = append(op.faults, d.Name)
			}
		}
	}
}

// named is a name for an operation that none has.
func (p *proposal) named(local string) string {
	plain := cmp.Or(strings.TrimSuffix(local, "Request"), local)
	made := plain
	for n := 2; slices.ContainsFunc(p.operations, func(o *proposed) bool { return o.name == made }); n++ {
		made = plain + strconv.Itoa(n)
	}
	return made
}

// global sees an element that is declared by itself.
func (p *proposal) global(n *xmltree.Node) *sighted {
	s := p.elements[n.Name]
	if s == nil {
		s = &sighted{name: n.Name}
		p.elements[n.Name] = s
		p.order = append(p.order, n.Name)
	}
	p.see(s, n)
	return s
}

// see adds an element to what was seen of its kind.
func (p *proposal) see(s *sighted, n *xmltree.Node) {
	for _, a := range n.Attrs {
		if a.Name.Space == xmltree.Instance {
			continue
		}
		i := slices.IndexFunc(s.attributes, func(have *attributed) bool { return have.name == a.Name })
		if i < 0 {
			i = len(s.attributes)
			s.attributes = append(s.attributes, &attributed{name: a.Name})
		}
		s.attributes[i].times++
		s.attributes[i].texts = some(s.attributes[i].texts, a.Value)
	}
	counts := make(map[name]int)
	after := 0 // where a kind of child that is new would come
	for _, c := range n.Children {
		i := slices.IndexFunc(s.children, func(have *place) bool { return have.of.name == c.Name })
		if i < 0 {
			at := &place{elsewhere: c.Name.Space != "" && c.Name.Space != s.name.Space}
			if s.times > 0 { // it was not there before
				at.least = 0
			} else {
				at.least = -1
			}
			if at.of = (&sighted{name: c.Name}); at.elsewhere {
				if at.of = p.elements[c.Name]; at.of == nil {
					at.of = &sighted{name: c.Name}
					p.elements[c.Name] = at.of
					p.order = append(p.order, c.Name)
				}
			}
			i = min(after, len(s.children))
			s.children = slices.Insert(s.children, i, at)
		}
		after = i + 1
		counts[c.Name]++
		p.see(s.children[i].of, c)
	}
	for _, at := range s.children {
		count := counts[at.of.name]
		if at.most = max(at.most, count); at.least < 0 || count < at.least {
			at.least = count
		}
	}
	s.times++
	switch text := strings.TrimSpace(n.Text); {
	case text != "":
		s.texts = some(s.texts, text)
	case len(n.Children) == 0:
		s.empty = true
	}
}

func some(texts []string, text string) []string {
	if len(texts) < mostTexts && !slices.Contains(texts, text) {
		return append(texts, text)
	}
	return texts
}

// Numbers do not begin with noughts, as those of things do.
var (
	wholeNumber   = regexp.MustCompile(`^[+-]?(?:0|[1-9][0-9]{0,17})$`)
	decimalNumber = regexp.MustCompile(`^[+-]?(?:0|[1-9][0-9]{0,17})(?:\.[0-9]+)?$`)
)

// kindOf is the built-in type that takes all of some texts.
func kindOf(texts []string) string {
	if len(texts) == 0 {
		return "string"
	}
	all := func(fits func(string) bool) bool {
		return !slices.ContainsFunc(texts, func(text string) bool { return !fits(text) })
	}
	parses := func(layouts ...string) func(string) bool {
		return func(text string) bool {
			return slices.ContainsFunc(layouts, func(layout string) bool { _, err := time.Parse(layout, text); return err == nil })
		}
	}
	switch {
	case all(func(text string) bool { return text == "true" || text == "false" }):
		return "boolean"
	case all(wholeNumber.MatchString):
		return "integer"
	case all(decimalNumber.MatchString):
		return "decimal"
	case all(parses("2006-01-02")):
		return "date"
	case all(parses(time.RFC3339, "2006-01-02T15:04:05")):
		return "dateTime"
	}
	return "string"
}

// definitions writes the contract.
func (p *proposal) definitions(service, address string) *xmltree.Node {
	target := "urn:recorded:" + service
	of := func(space, local string, attributes ...xmltree.Attr) *xmltree.Node {
		return &xmltree.Node{Name: name{Space: space, Local: local}, Attrs: attributes}
	}
	at := func(local, value string) xmltree.Attr { return xmltree.Attr{Name: name{Local: local}, Value: value} }
	ref := func(local string, to name) xmltree.Attr { return xmltree.Attr{Name: name{Local: local}, QName: &to} }
	own := func(local string) name { return name{Space: target, Local: local} }

	root := of(space, "definitions", at("name", service), at("targetNamespace", target))
	types := root.Add(of(space, "types"))
	for _, s := range p.schemas() {
		types.Add(s)
	}
	message := func(called string, element name) {
		root.Add(of(space, "message", at("name", called))).Add(of(space, "part", at("name", "body"), ref("element", element)))
	}
	portType := of(space, "portType", at("name", service))
	for _, o := range p.operations {
		operation := portType.Add(of(space, "operation", at("name", o.name)))
		message(o.name+"Input", o.input)
		operation.Add(of(space, "input", ref("message", own(o.name+"Input"))))
		if o.output.Local != "" {
			message(o.name+"Output", o.output)
			operation.Add(of(space, "output", ref("message", own(o.name+"Output"))))
		}
		for i, fault := range o.faults {
			called := o.name + "Fault" + strconv.Itoa(i+1)
			message(called, fault)
			operation.Add(of(space, "fault", at("name", fault.Local), ref("message", own(called))))
		}
	}
	root.Add(portType)
	ports := of(space, "service", at("name", service))
	slices.Sort(p.versions)
	for _, version := range p.versions {
		soap := map[int]string{11: space11, 12: space12}[version]
		called := fmt.Sprintf("%s%d", service, version)
		binding := root.Add(of(space, "binding", at("name", called), ref("type", own(service))))
		binding.Add(of(soap, "binding", at("transport", "http://schemas.xmlsoap.org/soap/http")))
		for _, o := range p.operations {
			operation := binding.Add(of(space, "operation", at("name", o.name)))
			operation.Add(of(soap, "operation", at("soapAction", o.action)))
			operation.Add(of(space, "input")).Add(of(soap, "body", at("use", "literal")))
			if o.output.Local != "" {
				operation.Add(of(space, "output")).Add(of(soap, "body", at("use", "literal")))
			}
			for _, fault := range o.faults {
				operation.Add(of(space, "fault", at("name", fault.Local))).Add(of(soap, "fault", at("name", fault.Local), at("use", "literal")))
			}
		}
		ports.Add(of(space, "port", at("name", called), ref("binding", own(called)))).Add(of(soap, "address", at("location", address)))
	}
	root.Add(ports)
	return root
}

// schemas are those of the namespaces that were seen, in their order.
func (p *proposal) schemas() (all []*xmltree.Node) {
	bySpace := make(map[string]*xmltree.Node)
	for _, called := range p.order {
		schema := bySpace[called.Space]
		if schema == nil {
			schema = &xmltree.Node{Name: name{Space: xsd.Space, Local: "schema"}}
			if called.Space != "" {
				schema.Attrs = append(schema.Attrs, plain("targetNamespace", called.Space))
			}
			schema.Attrs = append(schema.Attrs, plain("elementFormDefault", "qualified"))
			bySpace[called.Space] = schema
			all = append(all, schema)
		}
		schema.Add(p.declaration(p.elements[called]))
	}
	return all
}

func plain(local, value string) xmltree.Attr {
	return xmltree.Attr{Name: name{Local: local}, Value: value}
}

// declaration is the declaration of an element, with its type in it.
func (p *proposal) declaration(s *sighted) *xmltree.Node {
	of := func(local string, attributes ...xmltree.Attr) *xmltree.Node {
		return &xmltree.Node{Name: name{Space: xsd.Space, Local: local}, Attrs: attributes}
	}
	kind := func(local string) *name { return &name{Space: xsd.Space, Local: local} }
	n := of("element", plain("name", s.name.Local))
	text := kindOf(s.texts)
	if s.empty && len(s.texts) > 0 { // an empty text is none of the others
		text = "string"
	}
	if len(s.children) == 0 && len(s.attributes) == 0 {
		n.Attrs = append(n.Attrs, xmltree.Attr{Name: name{Local: "type"}, QName: kind(text)})
		return n
	}
	complexType := n.Add(of("complexType"))
	attributes := complexType
	switch {
	case len(s.children) > 0:
		if len(s.texts) > 0 {
			complexType.Attrs = append(complexType.Attrs, plain("mixed", "true"))
		}
		sequence := complexType.Add(of("sequence"))
		for _, at := range s.children {
			sequence.Add(p.particle(s, at))
		}
	case len(s.texts) > 0:
		attributes = complexType.Add(of("simpleContent")).Add(of("extension", xmltree.Attr{Name: name{Local: "base"}, QName: kind(text)}))
	}
	for _, a := range s.attributes {
		declared := of("attribute", plain("name", a.name.Local), xmltree.Attr{Name: name{Local: "type"}, QName: kind(kindOf(a.texts))})
		if a.name.Space != "" {
			declared.Attrs = append(declared.Attrs, plain("form", "qualified"))
		}
		if a.times == s.times {
			declared.Attrs = append(declared.Attrs, plain("use", "required"))
		}
		attributes.Add(declared)
	}
	return n
}

// particle is an element as it stands in another one.
func (p *proposal) particle(within *sighted, at *place) *xmltree.Node {
	var n *xmltree.Node
	if at.elsewhere {
		called := at.of.name
		n = &xmltree.Node{Name: name{Space: xsd.Space, Local: "element"}, Attrs: []xmltree.Attr{{Name: name{Local: "ref"}, QName: &called}}}
	} else if n = p.declaration(at.of); at.of.name.Space == "" && within.name.Space != "" {
		n.Attrs = append(n.Attrs, plain("form", "unqualified"))
	}
	if at.least == 0 {
		n.Attrs = append(n.Attrs, plain("minOccurs", "0"))
	}
	if at.most > 1 {
		n.Attrs = append(n.Attrs, plain("maxOccurs", "unbounded"))
	}
	return n
}
