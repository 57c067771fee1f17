package catalog

import (
	"encoding/xml"
	"errors"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// mistakes finds what can be compiled and is never meant: it is refused when somebody puts
// it, and kept where it was stored before it was known for a mistake. variables are the
// names of those that something sets.
func (s *Service) mistakes(m spec.Mapping, variables []string) (items []problem.Item) {
	known := expr.Known{Parameters: s.parametersOf(m.Call), Variables: variables}
	eachExpression(m, func(text, at string) {
		for _, detail := range expr.Mistakes(text, known) {
			items = append(items, problem.Item{At: at, Detail: detail})
		}
	}, func(n *tree.Node, at string) {
		for _, item := range expr.TemplateMistakes(n, known) {
			item.At, item.Line, item.Col = at+item.At, 0, 0 // of the document, see Locate
			items = append(items, item)
		}
	})
	for i, a := range m.Answers() {
		if a.XML != nil {
			if detail := brokenXML(expr.Filled(*a.XML, "x")); detail != "" {
				items = append(items, problem.Item{At: m.AnswerPlace(i) + "/xml", Detail: detail})
			}
		}
	}
	slices.SortStableFunc(items, func(a, b problem.Item) int { return strings.Compare(a.At, b.At) })
	return items
}

// Mistaken says why an expression in a mapping is never meant; "" where nothing is known against it.
func (s *Service) Mistaken(m *Mapping, expression string) string {
	known := expr.Known{Parameters: s.parametersOf(m.Spec.Call), Variables: slices.Sorted(maps.Keys(s.Vars()))}
	for _, detail := range expr.Mistakes(expression, known) {
		return detail
	}
	return ""
}

// eachExpression goes through all that a mapping has of expressions, with their places:
// those that stand alone, and values that may hold some.
func eachExpression(m spec.Mapping, expression func(text, at string), value func(n *tree.Node, at string)) {
	expression(m.Call.If, "/call/if")
	for i, choice := range m.Choose {
		expression(choice.If, "/choose/"+strconv.Itoa(i)+"/if")
	}
	if m.Flow != nil {
		value(tree.NewString(m.Flow.Of), "/flow/of")
	}
	for i, a := range m.Answers() {
		at := m.AnswerPlace(i)
		for _, named := range a.Let.Entries() {
			value(named.Value, tree.Join(at+"/let", named.Key))
		}
		value(tree.NewString(a.Status.Expr), at+"/status")
		for j, h := range a.Headers {
			value(tree.NewString(h.Value), at+"/headers/"+strconv.Itoa(j))
		}
		if a.JSON != nil {
			value(a.JSON, at+"/json")
		}
		for j, r := range a.Remember {
			place := at + "/remember" + a.Remember.Place(j)
			value(tree.NewString(r.Key), place+"/key")
			if r.Value != nil {
				value(r.Value, place+"/value")
			}
			if r.Append != nil {
				value(r.Append, place+"/append")
			}
		}
		for key, text := range map[string]*string{"/text": a.Text, "/xml": a.XML, "/redirect": &a.Redirect} {
			if text != nil {
				value(tree.NewString(*text), at+key)
			}
		}
		if a.With != nil {
			value(a.With, at+"/with")
		}
		for key, steps := range map[string][]spec.EditStep{"/send": a.Send, "/edit": a.Edit} {
			for j, step := range steps {
				if step.Value != nil {
					value(step.Value, at+key+"/"+strconv.Itoa(j)+"/value")
				}
			}
		}
	}
}

// parametersOf are the names of the parameters that the paths of a pattern's calls have;
// nil where they are not known.
func (s *Service) parametersOf(p spec.Pattern) []string {
	names := []string{}
	op := s.Operation(p.Operation)
	if p.Operation != "" && op == nil {
		return nil
	}
	if op != nil {
		names = append(names, op.Template.Names()...)
	}
	if p.Path != "" {
		template, err := match.ParseTemplate(p.Path)
		if err != nil {
			return nil
		}
		names = append(names, template.Names()...)
	}
	return names
}

// brokenXML says where a text is not well-formed XML, one element or several; "" where
// it is.
func brokenXML(text string) string {
	decoder := xml.NewDecoder(strings.NewReader(text))
	decoder.CharsetReader = func(_ string, input io.Reader) (io.Reader, error) { return input, nil } // the text is UTF-8, whatever it says
	for {
		_, err := decoder.Token()
		var syntax *xml.SyntaxError
		switch {
		case errors.Is(err, io.EOF):
			return ""
		case errors.As(err, &syntax):
			return "the XML is not well formed, line " + strconv.Itoa(syntax.Line) + " of it: " + syntax.Msg + " (text sends it as it is)"
		case err != nil:
			return "the XML is not well formed: " + err.Error() + " (text sends it as it is)"
		}
	}
}
