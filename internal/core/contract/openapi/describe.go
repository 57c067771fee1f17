package openapi

import (
	"cmp"
	"slices"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// groups are the tags of a document, by their names.
func groups(root *tree.Node) map[string]*tree.Node {
	tags := make(map[string]*tree.Node)
	for _, tag := range root.Get("tags").Elements() {
		tags[tag.Get("name").Str()] = tag
	}
	return tags
}

// groupOf is what an operation with a tag stands under, outermost first: the tag and its parents, each
// by its summary where it has one.
func (r *reader) groupOf(tag string) []string {
	var group, names []string
	for name := tag; name != "" && !slices.Contains(names, name); name = r.tags[name].Get("parent").Str() {
		names = append(names, name)
		group = append(group, cmp.Or(r.tags[name].Get("summary").Str(), name))
	}
	slices.Reverse(group)
	return group
}

// servers are where a contract says that it is served.
func servers(root *tree.Node) []contract.Server {
	var all []contract.Server
	for _, n := range root.Get("servers").Elements() {
		server := contract.Server{Name: n.Get("name").Str(), Description: n.Get("description").Str()}
		server.Address = addressesOf(n)[0]
		if server.Address != "" && len(all) < mostAddresses {
			all = append(all, server)
		}
	}
	return all
}
