package catalog

import (
	"slices"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Example is the answer of a mapping, or of an operation of the contract, as a document: what it
// says itself, or the contract's example. document is nil where that cannot be told without a
// call, schema where the contract has none for it.
func (s *Service) Example(mapping, operation string) (document *tree.Node, schema *contract.Schema, err error) {
	var operations []*contract.Operation
	status := 0
	switch {
	case mapping != "":
		m := s.Mapping(mapping)
		if m == nil {
			return nil, nil, noMapping(s, mapping)
		}
		operations = s.operationsOf(m)
		for _, a := range m.Spec.Answers() {
			if document == nil && a.JSON != nil {
				document, status = a.JSON, a.Status.Code
			}
		}
	case operation != "":
		op := s.Operation(operation)
		if op == nil {
			return nil, nil, problem.New(problem.NotFound, "operation %q not found (%s)", operation, problem.Suggest(operation, s.operationIDs(), "there is"))
		}
		operations = []*contract.Operation{op}
	default:
		return nil, nil, problem.New(problem.Invalid, "say whose answer: that of a mapping, or of an operation of the contract")
	}
	for _, op := range operations {
		response := op.Success
		if status != 0 && status != op.Success.Status {
			response = op.Response(status)
		}
		if found := jsonOf(response); found != nil {
			if schema = found.Schema; document == nil && len(found.Examples) > 0 {
				document = found.Examples[0].Value
			}
			break
		}
	}
	return document, schema, nil
}

// jsonOf is the media type of JSON that a response has; nil for none.
func jsonOf(r *contract.Response) *contract.MediaType {
	if r == nil {
		return nil
	}
	i := slices.IndexFunc(r.MediaTypes, func(m *contract.MediaType) bool { return call.IsJSON(m.Name) })
	if i < 0 {
		return nil
	}
	return r.MediaTypes[i]
}

// Varied is a mapping that answers as a mapping, or an operation of the contract, does, with an
// edited body. It stands above the one that it starts from.
func (s *Service) Varied(mapping, operation string, edits ...[]spec.EditStep) (m spec.Mapping, err error) {
	from := spec.FromContract
	switch {
	case mapping != "":
		original := s.Mapping(mapping)
		if original == nil {
			return m, noMapping(s, mapping)
		}
		m, from = original.Spec, spec.FromMapping+mapping
		m.Then, m.Per = "", ""
	case s.Operation(operation) == nil:
		return m, problem.New(problem.NotFound, "operation %q not found (%s)", operation, problem.Suggest(operation, s.operationIDs(), "there is"))
	default:
		m = spec.Mapping{ID: spec.Slug(operation+" boundaries", 120), Enabled: true, Call: spec.Pattern{Operation: operation}}
	}
	answers := make([]spec.Answer, len(edits))
	for i, edit := range edits {
		if answers[i] = (spec.Answer{From: from, Edit: edit}); mapping != "" && m.Sequence == nil && m.Choose == nil {
			answers[i].Remember = m.Answer.Remember
		}
	}
	m.Answer, m.Sequence, m.Choose = spec.Answer{}, nil, nil
	if len(answers) == 1 {
		m.Answer = answers[0]
	} else {
		m.Sequence, m.Then = answers, spec.StartOver
	}
	return m, nil
}
