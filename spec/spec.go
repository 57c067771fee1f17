// Package spec holds the documents that people write and that the control API
// carries: services and mappings. It knows their shape and what may stand in
// each key; what they do is decided in internal/core.
//
// The Read functions accept JSON and YAML, set the defaults, and report every
// fault with its place as a *problem.Error.
package spec

import (
	"errors"
	"fmt"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// parse reads the text of a document and wraps a syntax error as a problem.
func parse(text []byte, what string) (*tree.Node, error) {
	n, err := tree.Parse(text)
	switch {
	case err != nil:
		return nil, SyntaxProblem(err, what)
	case n.Kind == tree.Null && n.Text != "null":
		return nil, problem.New(problem.Invalid, "%s is empty", what)
	}
	return n, nil
}

// SyntaxProblem turns the error of tree.Parse into a problem that names the
// document by what.
func SyntaxProblem(err error, what string) error {
	p := problem.New(problem.Syntax, "%s is neither JSON nor YAML", what)
	var syntax *tree.SyntaxError
	if errors.As(err, &syntax) {
		p.Items = []problem.Item{{Line: syntax.Line, Col: syntax.Col, Detail: syntax.Detail}}
		return p
	}
	return fmt.Errorf("read %s: %w", what, err)
}
