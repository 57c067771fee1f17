package wsdl

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/xsd"
)

// facts are what is told of an operation beside its messages.
func (s *service) facts(op *operation) (facts []contract.Fact) {
	add := func(name, value string) {
		if value != "" {
			facts = append(facts, contract.Fact{Name: name, Value: value})
		}
	}
	add("action", op.action)
	var ports []string
	for _, p := range s.ports {
		if slices.Contains(p.operations, op) {
			ports = append(ports, fmt.Sprintf("%s, SOAP %s", p.name, versionText(p.version)))
		}
	}
	add("ports", strings.Join(ports, "; "))
	style := "document"
	if op.rpc {
		style = "rpc"
	}
	if op.input != nil && op.input.encoded {
		style += ", encoded"
	}
	add("style", style)
	if op.addressed {
		add("demands", "WS-Addressing")
	}
	if op.packaged {
		add("demands", "MTOM")
	}
	add("attachments of a request", attachmentsText(op.input))
	add("attachments of an answer", attachmentsText(op.output))
	return facts
}

func attachmentsText(m *message) string {
	if m == nil {
		return ""
	}
	var all []string
	for _, a := range m.attachments {
		all = append(all, fmt.Sprintf("%s (%s)", a.part, strings.Join(a.mediaTypes, " or ")))
	}
	return strings.Join(all, ", ")
}

// fieldsOf describes a message when somebody asks: its headers, and what its body holds.
func (s *service) fieldsOf(m *message) func() []contract.Field {
	return func() (all []contract.Field) {
		if m == nil {
			return nil
		}
		for _, h := range m.headers {
			all = append(all, s.fields("header "+h.element.Name.Local, h.element)...)
		}
		for i, e := range m.body {
			within := "" // from the first element on, as pins have it
			if i > 0 {
				within = e.Name.Local
			}
			all = append(all, s.fields(within, e)...)
		}
		return all
	}
}

func (s *service) fields(within string, e *xsd.Element) (all []contract.Field) {
	for _, f := range s.schemas.Fields(e) {
		path := strings.Trim(within+"/"+f.Path, "/")
		if path == "" {
			path = e.Name.Local
		}
		all = append(all, contract.Field{Path: path, Type: f.Type, Required: f.Required, Rules: append(f.Rules, contract.Rules(f.Schema)...), Description: f.Documentation})
	}
	return all
}
