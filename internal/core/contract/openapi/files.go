package openapi

import (
	"errors"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// filesKey holds, in the one tree that several files become, those beside the
// contract: file name → its content. References between files are written as
// pointers into it, so that nothing else needs to know of files.
const filesKey = "x-imported-files"

// joiner makes one tree of several files.
type joiner struct {
	bundle *bundle.Bundle
	trees  map[string]*tree.Node // nil while a file is only known to be wanted
	order  []string
	faults []problem.Item
}

// join reads the contract of a bundle with all the files that it refers to.
// faults are those of files beside the contract, which cost only what refers
// to them.
func join(b *bundle.Bundle, root *tree.Node) (joined *tree.Node, faults []problem.Item) {
	j := &joiner{bundle: b, trees: make(map[string]*tree.Node)}
	main := j.rewrite(root, b.Main, false)
	var files []tree.Member
	for i := 0; i < len(j.order); i++ { // grows while files are read
		name := j.order[i]
		if n := j.read(name); n != nil {
			files = append(files, tree.Member{Key: name, Line: 1, Col: 1, Value: j.rewrite(n, name, false)})
		}
	}
	if len(files) == 0 {
		return main, j.faults
	}
	members := slices.Clone(main.Members)
	out := tree.NewMap(append(members, tree.Member{Key: filesKey, Value: tree.NewMap(files...)})...)
	out.Line, out.Col = main.Line, main.Col
	return out, j.faults
}

func (j *joiner) read(name string) *tree.Node {
	text, _ := j.bundle.File(name)
	n, err := tree.ParseKept(text)
	if err == nil {
		return n
	}
	item := problem.Item{File: name, Detail: err.Error()}
	var syntax *tree.SyntaxError
	if errors.As(err, &syntax) {
		item.Line, item.Col, item.Detail = syntax.Line, syntax.Col, syntax.Detail
	}
	j.faults = append(j.faults, item)
	return nil
}

// target turns a reference in a file into one that holds in the joined tree.
// References that lead out of the bundle stay as they are, and are reported by
// whoever follows them.
func (j *joiner) target(ref, file string) string {
	base, fragment, _ := strings.Cut(ref, "#")
	if strings.Contains(base, ":") || fragment != "" && fragment[0] != '/' {
		return ref
	}
	name := file
	if base != "" {
		unescaped, err := url.PathUnescape(base)
		if err != nil {
			return ref
		}
		name = path.Join(path.Dir(file), unescaped)
		if _, there := j.bundle.File(name); !there {
			return ref
		}
	}
	if name == j.bundle.Main {
		return "#" + fragment
	}
	if _, known := j.trees[name]; !known {
		j.trees[name] = nil
		j.order = append(j.order, name)
	}
	return "#" + tree.Join("/"+filesKey, name) + fragment
}

// Keywords whose values are data that may look like anything, and those whose
// keys are names that may look like keywords.
var (
	dataKeywords = words("example", "default", "const", "enum", "value")
	nameKeywords = words("properties", "patternProperties", "$defs", "definitions", "dependentSchemas", "schemas", "responses",
		"parameters", "examples", "requestBodies", "headers", "securitySchemes", "links", "callbacks", "pathItems", "paths",
		"content", "encoding", "variables", "dependentRequired", filesKey)
)

func words(list ...string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, w := range list {
		set[w] = true
	}
	return set
}

// rewrite copies a part of a file with its references made to hold in the
// joined tree. names is set where the keys are names.
func (j *joiner) rewrite(n *tree.Node, file string, names bool) *tree.Node {
	switch n.Kind {
	case tree.List:
		items := make([]*tree.Node, len(n.Items))
		for i, item := range n.Items {
			items[i] = j.rewrite(item, file, false)
		}
		return at(n, tree.NewList(items...))
	case tree.Map:
		members := slices.Clone(n.Members)
		for i, m := range members {
			switch {
			case names:
				members[i].Value = j.rewrite(m.Value, file, false)
			case m.Key == "$ref" && m.Value.Kind == tree.String:
				members[i].Value = at(m.Value, tree.NewString(j.target(m.Value.Text, file)))
			case m.Key == "mapping" && m.Value.Kind == tree.Map:
				members[i].Value = j.mapping(m.Value, file)
			case !isData(m):
				members[i].Value = j.rewrite(m.Value, file, nameKeywords[m.Key])
			}
		}
		return at(n, tree.NewMap(members...))
	}
	return n
}

// isData reports whether the value of a keyword is data: `examples` is a list
// of them in a schema, and an object of named ones elsewhere.
func isData(m tree.Member) bool {
	return dataKeywords[m.Key] || m.Key == "examples" && m.Value.Kind == tree.List
}

// mapping rewrites the references of a discriminator.
func (j *joiner) mapping(n *tree.Node, file string) *tree.Node {
	members := slices.Clone(n.Members)
	for i, m := range members {
		if text := m.Value.Str(); strings.ContainsAny(text, "#/") {
			members[i].Value = at(m.Value, tree.NewString(j.target(text, file)))
		}
	}
	return at(n, tree.NewMap(members...))
}

// inFile turns a pointer into the joined tree into a file's name and a pointer
// into it; the name is "" for the contract itself.
func inFile(pointer string) (file, rest string) {
	inside, ok := strings.CutPrefix(pointer, "/"+filesKey+"/")
	if !ok {
		return "", pointer
	}
	name, rest, found := strings.Cut(inside, "/")
	if found {
		rest = "/" + rest
	}
	return strings.NewReplacer("~1", "/", "~0", "~").Replace(name), rest
}

// asWritten is how a reference reads to whoever wrote it.
func asWritten(ref string) string {
	pointer, local := strings.CutPrefix(ref, "#")
	if !local {
		return ref
	}
	file, rest := inFile(pointer)
	return file + "#" + rest
}

// leads says why a reference cannot be followed.
func leads(ref string, files []string) string {
	base, _, _ := strings.Cut(ref, "#")
	switch {
	case base == "":
		return fmt.Sprintf("$ref %q leads nowhere", asWritten(ref))
	case strings.Contains(base, ":"):
		return fmt.Sprintf("$ref %q leads to another address, and nothing is fetched", ref)
	case len(files) == 0:
		return fmt.Sprintf("$ref %q leads outside the document (import the folder, or a zip of it)", ref)
	default:
		return fmt.Sprintf("$ref %q leads to a file that is not among the %d imported", ref, len(files))
	}
}
