package openapi

import (
	"regexp"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// FromSample writes a contract with a single operation out of a sample of its
// answer, or of a JSON Schema that describes it. answers names the call: "GET
// /berths/{number}". The contract is a YAML document to be read, corrected and
// imported like any other.
func FromSample(text []byte, answers, title string) ([]byte, error) {
	method, path, ok := strings.Cut(strings.TrimSpace(answers), " ")
	method, path = strings.ToLower(method), strings.TrimSpace(path)
	if !ok || !slices.Contains(methods, method) {
		return nil, problem.New(problem.Invalid, "a sample needs a method and a path, such as `GET /berths/{number}`, not %q", answers)
	}
	template, err := match.ParseTemplate(path)
	if err != nil {
		return nil, problem.New(problem.Invalid, "what a sample answers: %v", err)
	}
	if IsContract(text) {
		return nil, problem.New(problem.Invalid, "this is a contract already, so it says itself what it answers")
	}
	n, err := tree.Parse(text)
	if err != nil {
		return nil, spec.SyntaxProblem(err, "the sample")
	}
	media := []tree.Member{{Key: "schema", Value: inferred(n)}, {Key: "example", Value: n}}
	if isSchema(n) {
		media = []tree.Member{{Key: "schema", Value: localRefs(withoutDialect(n))}}
	}
	status := "200"
	if method == "post" {
		status = "201"
	}
	if title == "" {
		title = strings.ToUpper(method) + " " + path
	}
	operation := object("operationId", tree.NewString(spec.Slug(method+" "+path, 120)))
	if parameters := pathParameters(template); len(parameters) > 0 {
		operation = append(operation, tree.Member{Key: "parameters", Value: tree.NewList(parameters...)})
	}
	response := tree.NewMap(append(object("description", tree.NewString("As the sample")),
		tree.Member{Key: "content", Value: one("application/json", tree.NewMap(media...))})...)
	operation = append(operation, tree.Member{Key: "responses", Value: one(status, response)})
	root := tree.NewMap(append(object("openapi", tree.NewString("3.1.0"), "info",
		tree.NewMap(object("title", tree.NewString(title), "version", tree.NewString("1"))...)),
		tree.Member{Key: "paths", Value: one(path, one(method, tree.NewMap(operation...)))})...)
	return root.YAML()
}

// object takes keys and values in turn.
func object(pairs ...any) []tree.Member {
	var members []tree.Member
	for i := 0; i < len(pairs); i += 2 {
		members = append(members, tree.Member{Key: pairs[i].(string), Value: pairs[i+1].(*tree.Node)})
	}
	return members
}

func one(key string, value *tree.Node) *tree.Node {
	return tree.NewMap(tree.Member{Key: key, Value: value})
}

func pathParameters(template match.Template) []*tree.Node {
	var parameters []*tree.Node
	for _, name := range template.Names() {
		parameters = append(parameters, tree.NewMap(object("name", tree.NewString(name), "in", tree.NewString("path"),
			"required", tree.NewBool(true), "schema", one("type", tree.NewString("string")))...))
	}
	return parameters
}

// isSchema tells a JSON Schema from a sample: it says so, or it has a type and
// keywords that only schemas have.
func isSchema(n *tree.Node) bool {
	if strings.Contains(n.Get("$schema").Str(), "json-schema.org") {
		return true
	}
	types := []string{"object", "array", "string", "number", "integer", "boolean"}
	describes := n.Path("properties") != nil && n.Get("properties").Kind == tree.Map || n.Get("items") != nil && n.Get("items").Kind == tree.Map
	return describes && slices.Contains(types, n.Get("type").Str())
}

func withoutDialect(n *tree.Node) *tree.Node {
	members := slices.DeleteFunc(slices.Clone(n.Members), func(m tree.Member) bool { return m.Key == "$schema" })
	return tree.NewMap(members...)
}

// localRefs lets the references of a schema that stood alone hold where it
// stands now: #/$defs/Berth was relative to the schema's own root, which gets
// an $id for that.
func localRefs(n *tree.Node) *tree.Node {
	const id = "urn:rapid-mimic:schema"
	found := false
	var change func(n *tree.Node) *tree.Node
	change = func(n *tree.Node) *tree.Node {
		switch n.Kind {
		case tree.List:
			items := make([]*tree.Node, len(n.Items))
			for i, item := range n.Items {
				items[i] = change(item)
			}
			return tree.NewList(items...)
		case tree.Map:
			members := slices.Clone(n.Members)
			for i, m := range members {
				if ref := m.Value.Str(); m.Key == "$ref" && (ref == "#" || strings.HasPrefix(ref, "#/")) {
					members[i].Value, found = tree.NewString(id+ref), true
				} else if m.Key != "$ref" {
					members[i].Value = change(m.Value)
				}
			}
			return tree.NewMap(members...)
		}
		return n
	}
	changed := change(n)
	if !found {
		return n
	}
	rest := slices.DeleteFunc(slices.Clone(changed.Members), func(m tree.Member) bool { return m.Key == "$id" })
	return tree.NewMap(append(object("$id", tree.NewString(id)), rest...)...)
}

// inferred is a schema that a sample obeys, and others like it: each property
// required, each element of a list alike as far as they are.
func inferred(n *tree.Node) *tree.Node {
	switch n.Kind {
	case tree.Map:
		properties := make([]tree.Member, len(n.Members))
		required := make([]*tree.Node, len(n.Members))
		for i, m := range n.Members {
			properties[i] = tree.Member{Key: m.Key, Value: inferred(m.Value)}
			required[i] = tree.NewString(m.Key)
		}
		return tree.NewMap(object("type", tree.NewString("object"), "required", tree.NewList(required...), "properties", tree.NewMap(properties...))...)
	case tree.List:
		members := object("type", tree.NewString("array"))
		if items := alike(n.Items); items != nil {
			members = append(members, tree.Member{Key: "items", Value: items})
		}
		return tree.NewMap(members...)
	case tree.String:
		members := object("type", tree.NewString("string"))
		if format := formatOf(n.Text); format != "" {
			members = append(members, tree.Member{Key: "format", Value: tree.NewString(format)})
		}
		return tree.NewMap(members...)
	case tree.Number:
		if _, whole := n.Int(); whole && !strings.ContainsAny(n.Text, ".eE") {
			return one("type", tree.NewString("integer"))
		}
		return one("type", tree.NewString("number"))
	case tree.Bool:
		return one("type", tree.NewString("boolean"))
	default:
		return tree.NewMap() // null says nothing about what else may stand there
	}
}

// alike is one schema for all elements of a list: objects together, so that a
// property is required only where all have it; different kinds as anyOf.
func alike(items []*tree.Node) *tree.Node {
	var kinds []*tree.Node
	for _, item := range items {
		schema := inferred(item)
		i := slices.IndexFunc(kinds, func(have *tree.Node) bool { return have.Get("type").Str() == schema.Get("type").Str() })
		switch {
		case i < 0:
			kinds = append(kinds, schema)
		case schema.Get("type").Str() == "object":
			kinds[i] = widened(kinds[i], schema)
		case !tree.Equal(kinds[i], schema):
			kinds[i] = one("type", schema.Get("type"))
		}
	}
	switch len(kinds) {
	case 0:
		return nil
	case 1:
		return kinds[0]
	default:
		return one("anyOf", tree.NewList(kinds...))
	}
}

func widened(a, b *tree.Node) *tree.Node {
	properties := slices.Clone(a.Get("properties").Members)
	for _, m := range b.Get("properties").Members {
		if a.Path("properties", m.Key) == nil {
			properties = append(properties, m)
		}
	}
	required := slices.DeleteFunc(slices.Clone(a.Get("required").Items), func(name *tree.Node) bool {
		return b.Path("properties", name.Text) == nil
	})
	return tree.NewMap(object("type", tree.NewString("object"), "required", tree.NewList(required...), "properties", tree.NewMap(properties...))...)
}

var (
	uuidText  = regexp.MustCompile(`^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$`)
	emailText = regexp.MustCompile(`^[^@\s]+@[^@\s]+\.[^@\s]+$`)
	linkText  = regexp.MustCompile(`^https?://\S+$`)
)

func formatOf(text string) string {
	if _, err := time.Parse(time.RFC3339, text); err == nil {
		return "date-time"
	}
	if _, err := time.Parse(time.DateOnly, text); err == nil {
		return "date"
	}
	switch {
	case uuidText.MatchString(text):
		return "uuid"
	case emailText.MatchString(text):
		return "email"
	case linkText.MatchString(text):
		return "uri"
	}
	return ""
}
