package control

import (
	_ "embed"
	"slices"
	"strings"
	"sync"

	"rapidmimic.example/spec/tree"
)

// examples are what the demo was asked and answered, by operation: request, status and
// answer. A test asks it again.
//
//go:embed examples.yaml
var examples []byte

// describedAPI is the document of the API with an example for each operation.
var describedAPI = sync.OnceValue(func() []byte {
	document, err := tree.Parse(openAPI)
	var known *tree.Node
	if err == nil {
		known, err = tree.Parse(examples)
	}
	var text []byte
	if err == nil {
		text, err = withExamples(document, known).YAML()
	}
	if err != nil {
		panic(err) // both are ours, and a test reads them
	}
	return text
})

// withExamples puts the examples into a document. What an operation shares with others is
// written out in it then, since its example is its own.
func withExamples(document, known *tree.Node) *tree.Node {
	resolve := func(n *tree.Node) *tree.Node {
		if ref := n.Get("$ref").Str(); ref != "" {
			return document.At(strings.TrimPrefix(ref, "#"))
		}
		return n
	}
	paths := document.Get("paths")
	for _, path := range paths.Entries() {
		for _, method := range path.Value.Entries() {
			example := known.Get(method.Value.Get("operationId").Str())
			if example == nil {
				continue
			}
			operation := method.Value
			if request := example.Get("request"); request != nil {
				operation = with(operation, "requestBody", exampleIn(resolve(operation.Get("requestBody")), request))
			}
			if answer := example.Get("answer"); answer != nil {
				status := example.Get("status").Text
				responses := operation.Get("responses")
				if response := responses.Get(status); response != nil {
					operation = with(operation, "responses", with(responses, status, exampleIn(resolve(response), answer)))
				}
			}
			path.Value = with(path.Value, method.Key, operation)
		}
		paths = with(paths, path.Key, path.Value)
	}
	return with(document, "paths", paths)
}

// withRoles is the document of the API, and says of each operation which role it takes at
// least.
func (s *server) withRoles() []byte {
	document, err := tree.Parse(describedAPI())
	if err != nil {
		panic(err) // it is ours
	}
	paths := document.Get("paths")
	for _, r := range s.table() {
		path, method := "/api/v1"+inDocument(r.path), strings.ToLower(r.method)
		operations := paths.Get(path)
		role := tree.NewString(string(r.right.Role()))
		paths = with(paths, path, with(operations, method, with(operations.Get(method), "x-role", role)))
	}
	text, err := with(document, "paths", paths).YAML()
	if err != nil {
		panic(err)
	}
	return text
}

// exampleIn is a body with an example in each of its media types that are JSON; one that is
// none else is a text.
func exampleIn(body, example *tree.Node) *tree.Node {
	content := body.Get("content")
	for _, media := range content.Entries() {
		if isJSON := strings.Contains(media.Key, "json"); isJSON == (example.Kind == tree.String) || strings.Contains(media.Key, "json-patch") {
			continue
		}
		content = with(content, media.Key, with(media.Value, "example", example))
	}
	if content == nil {
		return body
	}
	return with(body, "content", content)
}

// with is an object with another value of a key.
func with(object *tree.Node, key string, value *tree.Node) *tree.Node {
	members := slices.Clone(object.Members)
	if at := slices.IndexFunc(members, func(m tree.Member) bool { return m.Key == key }); at >= 0 {
		members[at].Value = value
	} else {
		members = append(members, tree.Member{Key: key, Value: value})
	}
	return tree.NewMap(members...)
}
