package openapi

import (
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// meant are the types, with their formats, that names of other languages stand for.
var meant = map[string][2]string{
	"float": {"number", "float"}, "double": {"number", "double"}, "decimal": {"number", ""}, "real": {"number", ""},
	"int": {"integer", ""}, "int32": {"integer", "int32"}, "int64": {"integer", "int64"}, "long": {"integer", "int64"}, "short": {"integer", "int32"},
	"bool": {"boolean", ""}, "str": {"string", ""}, "text": {"string", ""}, "char": {"string", ""}, "enum": {"string", ""}, "file": {"string", "binary"},
	"binary": {"string", "binary"}, "date": {"string", "date"}, "datetime": {"string", "date-time"}, "date-time": {"string", "date-time"}, "timestamp": {"string", "date-time"},
	"uuid": {"string", "uuid"}, "email": {"string", "email"}, "url": {"string", "uri"}, "uri": {"string", "uri"},
	"list": {"array", ""}, "map": {"object", ""}, "dict": {"object", ""}, "dictionary": {"object", ""}, "hash": {"object", ""}, "struct": {"object", ""},
}

// types are those of JSON Schema.
var types = []string{"array", "boolean", "integer", "null", "number", "object", "string"}

// readTypes turns types that JSON Schema does not know into those that are meant, and takes away what is
// no type at all: with one of them left nothing would be held against the whole schema.
func (r *reader) readTypes(version string) {
	s := &scanner{reader: r}
	s.visit = func(n *tree.Node) {
		if i := slices.IndexFunc(n.Members, func(m tree.Member) bool { return m.Key == "type" }); i >= 0 && !s.isSecurity() {
			s.readType(n, i, version)
		}
	}
	s.walk(r.root, false)
}

// isSecurity reports whether the walk is at a security scheme, which has types of its own.
func (s *scanner) isSecurity() bool {
	return len(s.path) > 1 && (s.path[len(s.path)-2] == "securitySchemes" || s.path[len(s.path)-2] == "securityDefinitions")
}

// readType reads the type of a schema, which is its member i.
func (s *scanner) readType(n *tree.Node, i int, version string) {
	given := n.Members[i].Value
	name := given.Str()
	if name == "" || slices.Contains(types, name) || name == "file" && version == "2.0" {
		return
	}
	read := meant[strings.ToLower(name)]
	if lower := strings.ToLower(name); slices.Contains(types, lower) {
		read[0] = lower
	}
	if read[0] == "" {
		s.warn(given, s.at()+"/type", "%q is no type of a schema, which has one of %s: any value obeys it", name, strings.Join(types, ", "))
		setMembers(n, slices.Delete(slices.Clone(n.Members), i, i+1))
		return
	}
	s.warn(given, s.at()+"/type", "%q is no type of a schema; it is read as %s", name, read[0])
	members := slices.Clone(n.Members)
	members[i].Value = &tree.Node{Kind: tree.String, Text: read[0], Line: given.Line, Col: given.Col}
	if read[1] != "" && n.Get("format") == nil {
		members = append(members, tree.Member{Key: "format", Value: tree.NewString(read[1])})
	}
	setMembers(n, members)
}

// setMembers gives an object other members.
func setMembers(n *tree.Node, members []tree.Member) {
	line, col := n.Line, n.Col
	*n = *tree.NewMap(members...)
	n.Line, n.Col = line, col
}
