package contract

import (
	"errors"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic.example/spec/tree"
)

// LoneSchema is a JSON Schema that belongs to no contract. It is safe for
// concurrent use.
type LoneSchema struct{ checker *jsonschema.Schema }

// CompileSchema compiles a JSON Schema of draft 2020-12, whose references stay
// within it. The error says what is wrong with it.
func CompileSchema(n *tree.Node) (*LoneSchema, error) {
	if n.Kind != tree.Map && n.Kind != tree.Bool {
		return nil, errors.New("must be a JSON Schema: an object, true or false")
	}
	document := NewDocument(n, func(n *tree.Node) *tree.Node { return n })
	checker, err := document.compile("", 0)
	var invalid *jsonschema.SchemaValidationError
	if errors.As(err, &invalid) {
		return nil, errors.New(breach(invalid.Err))
	}
	if err != nil {
		return nil, err
	}
	return &LoneSchema{checker}, nil
}

// Breach says in what a value does not obey the schema, "" when it does.
func (s *LoneSchema) Breach(value *tree.Node) string {
	if err := s.checker.Validate(plain(value)); err != nil {
		return breach(err)
	}
	return ""
}

// breach is the first thing that a validator found, with its place.
func breach(err error) string {
	var invalid *jsonschema.ValidationError
	if !errors.As(err, &invalid) {
		return err.Error()
	}
	first := leaves(invalid, nil)[0]
	if len(first.InstanceLocation) == 0 {
		return reason(first.ErrorKind)
	}
	return "/" + strings.Join(first.InstanceLocation, "/") + ": " + reason(first.ErrorKind)
}
