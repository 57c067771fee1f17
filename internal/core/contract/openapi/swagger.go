package openapi

import (
	"cmp"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// fromSwagger brings a document of version 2.0 into the shape of 3.0: what
// responses and bodies are made of moves under media types. Definitions stay
// where they are, so that references keep their targets, and so do lines.
func fromSwagger(root *tree.Node) *tree.Node {
	s := swagger{root: root, produces: mediaTypes(root.Get("produces")), consumes: mediaTypes(root.Get("consumes"))}
	members := make([]tree.Member, 0, len(root.Members)+1)
	for _, m := range root.Members {
		switch m.Key {
		case "paths":
			m.Value = mapMembers(m.Value, s.pathItem)
		case "responses":
			m.Value = mapMembers(m.Value, func(_ string, n *tree.Node) *tree.Node { return response(n, s.produces) })
		case filesKey:
			m.Value = mapMembers(m.Value, func(_ string, file *tree.Node) *tree.Node { return mapMembers(s.part("", file), s.part) })
		case "basePath":
			server := tree.NewMap(tree.Member{Key: "url", Value: m.Value})
			members = append(members, tree.Member{Key: "servers", Line: m.Line, Col: m.Col, Value: tree.NewList(server)})
		}
		members = append(members, m)
	}
	return at(root, tree.NewMap(members...))
}

// swagger holds the media types that operations use unless they name others, and what references
// lead into.
type swagger struct {
	root               *tree.Node
	produces, consumes []string
}

// mediaTypes reads a list of media types; JSON stands in for an empty one.
func mediaTypes(n *tree.Node) []string {
	var types []string
	if n != nil {
		for _, item := range n.Items {
			if item.Kind == tree.String {
				types = append(types, item.Text)
			}
		}
	}
	if len(types) == 0 {
		return []string{"application/json"}
	}
	return types
}

// at gives a new node the place of the one it replaces.
func at(old, fresh *tree.Node) *tree.Node {
	fresh.Line, fresh.Col = old.Line, old.Col
	return fresh
}

// mapMembers replaces the values of an object.
func mapMembers(n *tree.Node, change func(key string, value *tree.Node) *tree.Node) *tree.Node {
	if n.Kind != tree.Map {
		return n
	}
	members := slices.Clone(n.Members)
	for i, m := range members {
		if m.Value.Kind == tree.Map {
			members[i].Value = change(m.Key, m.Value)
		}
	}
	return at(n, tree.NewMap(members...))
}

func (s swagger) pathItem(_ string, item *tree.Node) *tree.Node {
	shared := s.parameters(item.Get("parameters"))
	return mapMembers(item, func(key string, n *tree.Node) *tree.Node {
		if !slices.Contains(methods, key) {
			return n
		}
		return s.operation(n, shared)
	})
}

// part changes what another file holds, or one thing in it, by what it looks
// like: the operations of a path, or a response.
func (s swagger) part(_ string, n *tree.Node) *tree.Node {
	switch {
	case slices.ContainsFunc(methods, func(method string) bool { return n.Path(method, "responses") != nil }):
		return s.pathItem("", n)
	case n.Get("description") != nil && n.Get("schema") != nil && n.Get("in") == nil:
		return response(n, s.produces)
	default:
		return n
	}
}

// parameters are those of a list, references followed.
func (s swagger) parameters(list *tree.Node) (all []*tree.Node) {
	for _, p := range list.Elements() {
		all = append(all, s.followed(p))
	}
	return all
}

// followed is what a reference leads to; what leads nowhere stays as it is, and is told of by whoever
// follows it.
func (s swagger) followed(n *tree.Node) *tree.Node {
	found := n
	for range 20 {
		ref := found.Get("$ref").Str()
		if ref == "" {
			return found
		}
		next := s.root.At(strings.TrimPrefix(ref, "#"))
		if unescaped, err := url.PathUnescape(strings.TrimPrefix(ref, "#")); next == nil && err == nil {
			next = s.root.At(unescaped)
		}
		if next == nil {
			return n
		}
		found = next
	}
	return n
}

// operation brings an operation into the shape of 3.0; shared are the parameters of its path.
func (s swagger) operation(n *tree.Node, shared []*tree.Node) *tree.Node {
	produces, consumes := s.produces, s.consumes
	if own := n.Get("produces"); own != nil {
		produces = mediaTypes(own)
	}
	if own := n.Get("consumes"); own != nil {
		consumes = mediaTypes(own)
	}
	return mapWith(n, func(m tree.Member) tree.Member {
		if m.Key == "responses" {
			m.Value = mapMembers(m.Value, func(_ string, r *tree.Node) *tree.Node {
				if n.Get("produces") != nil { // which what it refers to knows nothing of
					r = s.followed(r)
				}
				return response(r, produces)
			})
		}
		return m
	}, requestBody(slices.Concat(s.parameters(n.Get("parameters")), shared), consumes))
}

// mapWith changes the members of an object and adds one, unless it has no
// value.
func mapWith(n *tree.Node, change func(tree.Member) tree.Member, extra tree.Member) *tree.Node {
	members := make([]tree.Member, 0, len(n.Members)+1)
	for _, m := range n.Members {
		members = append(members, change(m))
	}
	if extra.Value != nil {
		members = append(members, extra)
	}
	return at(n, tree.NewMap(members...))
}

// response moves the schema and the examples of a response under its media
// types. References are left for later: what they lead to is changed there.
func response(n *tree.Node, produces []string) *tree.Node {
	schema, examples := n.Get("schema"), n.Get("examples")
	if schema == nil && examples == nil || n.Get("$ref") != nil {
		return n
	}
	types := slices.Clone(produces)
	if examples != nil { // an example may be of a type that nothing else names
		for _, m := range examples.Members {
			if !slices.Contains(types, m.Key) {
				types = append(types, m.Key)
			}
		}
	}
	content := make([]tree.Member, len(types))
	for i, t := range types {
		var media []tree.Member
		if schema != nil {
			media = append(media, tree.Member{Key: "schema", Value: schema})
		}
		if example := examples.Get(t); example != nil {
			media = append(media, tree.Member{Key: "example", Value: example})
		}
		content[i] = tree.Member{Key: t, Line: n.Line, Col: n.Col, Value: at(n, tree.NewMap(media...))}
	}
	keep := func(m tree.Member) tree.Member { return m }
	return mapWith(n, keep, tree.Member{Key: "content", Value: at(n, tree.NewMap(content...))})
}

// requestBody makes the body parameter of an operation its requestBody.
func requestBody(parameters []*tree.Node, consumes []string) tree.Member {
	for _, p := range parameters {
		if p.Get("in").Str() != "body" || p.Get("schema") == nil {
			continue
		}
		content := make([]tree.Member, len(consumes))
		for i, t := range consumes {
			content[i] = tree.Member{Key: t, Value: at(p, tree.NewMap(tree.Member{Key: "schema", Value: p.Get("schema")}))}
		}
		body := []tree.Member{{Key: "content", Value: at(p, tree.NewMap(content...))}}
		if required := p.Get("required"); required != nil {
			body = append(body, tree.Member{Key: "required", Value: required})
		}
		return tree.Member{Key: "requestBody", Line: p.Line, Col: p.Col, Value: at(p, tree.NewMap(body...))}
	}
	return form(parameters, consumes)
}

// form makes the form parameters of an operation its requestBody: an object with a property for
// each. The first of a name counts.
func form(parameters []*tree.Node, consumes []string) tree.Member {
	var properties, encoding []tree.Member
	required := tree.NewList()
	file := false
	var first *tree.Node
	for _, p := range parameters {
		name := p.Get("name").Str()
		if p.Get("in").Str() != "formData" || slices.ContainsFunc(properties, func(m tree.Member) bool { return m.Key == name }) {
			continue
		}
		schema := p
		if first == nil {
			first = p
		}
		switch p.Get("type").Str() {
		case "file":
			schema = at(p, tree.NewMap(tree.Member{Key: "type", Value: tree.NewString("string")}, tree.Member{Key: "format", Value: tree.NewString("binary")}))
			file = true
		case "array":
			encoding = append(encoding, tree.Member{Key: name, Value: arrayEncoding(p)})
		}
		properties = append(properties, tree.Member{Key: name, Value: schema})
		if p.Get("required").IsTrue() {
			required.Items = append(required.Items, p.Get("name"))
		}
	}
	if properties == nil {
		return tree.Member{}
	}
	switch {
	case slices.ContainsFunc(consumes, func(t string) bool { return strings.Contains(t, "form") }):
	case file:
		consumes = []string{"multipart/form-data", "application/x-www-form-urlencoded"}
	default:
		consumes = []string{"application/x-www-form-urlencoded", "multipart/form-data"}
	}
	schema := tree.NewMap(tree.Member{Key: "type", Value: tree.NewString("object")},
		tree.Member{Key: "properties", Value: tree.NewMap(properties...)}, tree.Member{Key: "required", Value: required})
	content := make([]tree.Member, len(consumes))
	for i, t := range consumes {
		content[i] = tree.Member{Key: t, Value: tree.NewMap(tree.Member{Key: "schema", Value: schema}, tree.Member{Key: "encoding", Value: tree.NewMap(encoding...)})}
	}
	body := tree.NewMap(tree.Member{Key: "content", Value: tree.NewMap(content...)},
		tree.Member{Key: "required", Value: tree.NewBool(len(required.Items) > 0)})
	return tree.Member{Key: "requestBody", Line: first.Line, Col: first.Col, Value: at(first, body)}
}

// arrayEncoding is how the elements of a list stand in a form.
func arrayEncoding(p *tree.Node) *tree.Node {
	format := p.Get("collectionFormat").Str()
	style := contract.ListStyles[format]
	return tree.NewMap(tree.Member{Key: "style", Value: tree.NewString(cmp.Or(style, "form"))}, tree.Member{Key: "explode", Value: tree.NewBool(format == "multi")})
}
