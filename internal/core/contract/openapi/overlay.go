package openapi

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// An overlay (OpenAPI Overlay 1.0 and 1.1) says what of a contract is otherwise: each action selects
// places by a JSONPath, and updates or removes them. Those among the files of a bundle are laid over
// the contract in the order of their names.

// isOverlay fits the key that makes a document an overlay.
var isOverlay = regexp.MustCompile(`(?m)\A(?:\s*#.*\n|\s|---)*(?:overlay|["']overlay["'])\s*:|\A\s*\{\s*"overlay"\s*:`)

// overlaid is a contract with the overlays of its bundle laid over it. faults are what of them had
// no effect.
func overlaid(b *bundle.Bundle, root *tree.Node) (_ *tree.Node, faults []problem.Item, err error) {
	files := slices.Clone(b.Files)
	slices.SortFunc(files, func(x, y bundle.File) int { return strings.Compare(x.Name, y.Name) })
	for _, f := range files {
		if f.Name == b.Main || !isOverlay.Match(f.Text[:min(len(f.Text), 4096)]) {
			continue
		}
		document, err := tree.Parse(f.Text)
		if err != nil {
			return nil, nil, refuse(problem.Item{File: f.Name, Detail: err.Error()})
		}
		if version := scalarText(document.Get("overlay")); !strings.HasPrefix(version, "1.") {
			return nil, nil, refuse(problem.Item{File: f.Name, At: "/overlay", Detail: fmt.Sprintf("overlay %q is not supported; 1.0 and 1.1 are", version)})
		}
		for i, action := range document.Get("actions").Elements() {
			at := "/actions/" + strconv.Itoa(i)
			changed, found, err := acted(root, action)
			item := problem.Item{File: f.Name, At: at, Line: int(action.Line), Col: int(action.Col)}
			switch {
			case err != nil:
				item.Detail = err.Error()
				return nil, nil, refuse(item)
			case !found:
				item.Detail = fmt.Sprintf("target %q selects nothing of the contract", action.Get("target").Str())
				faults = append(faults, item)
			}
			root = changed
		}
	}
	return root, faults, nil
}

// acted carries out one action.
func acted(root, action *tree.Node) (changed *tree.Node, found bool, err error) {
	targets, err := selected(root, action.Get("target").Str())
	if err != nil {
		return root, false, fmt.Errorf("target: %w", err)
	}
	update := action.Get("update")
	if from := action.Get("copy").Str(); from != "" && update == nil {
		sources, err := selected(root, from)
		if err != nil {
			return root, false, fmt.Errorf("copy: %w", err)
		}
		if len(sources) != 1 {
			return root, false, fmt.Errorf("copy must select one place, and selects %d", len(sources))
		}
		update = sources[0]
	}
	hit := make(map[*tree.Node]bool, len(targets))
	for _, target := range targets {
		hit[target] = true
	}
	return laidOver(root, hit, update, action.Get("remove").IsTrue()), len(targets) > 0, nil
}

func selected(root *tree.Node, path string) ([]*tree.Node, error) {
	compiled, err := jsonpath.Compile(path)
	if err != nil {
		return nil, err
	}
	return compiled.Find(root, nil)
}

// laidOver is a document whose chosen parts are updated, or gone.
func laidOver(n *tree.Node, hit map[*tree.Node]bool, update *tree.Node, remove bool) *tree.Node {
	switch n.Kind {
	case tree.Map:
		members := make([]tree.Member, 0, len(n.Members))
		for _, m := range n.Members {
			if !remove || !hit[m.Value] {
				m.Value = laidOver(m.Value, hit, update, remove)
				members = append(members, m)
			}
		}
		n = replaced(n, at(n, tree.NewMap(members...)), hit)
	case tree.List:
		items := make([]*tree.Node, 0, len(n.Items))
		for _, item := range n.Items {
			if !remove || !hit[item] {
				items = append(items, laidOver(item, hit, update, remove))
			}
		}
		n = replaced(n, at(n, tree.NewList(items...)), hit)
	}
	if hit[n] && !remove && update != nil {
		return updated(n, update)
	}
	return n
}

// replaced has the copy of a chosen part chosen, too.
func replaced(old, fresh *tree.Node, hit map[*tree.Node]bool) *tree.Node {
	if hit[old] {
		hit[fresh] = true
	}
	return fresh
}

// updated is a value with an update in it: objects are merged, lists made longer, all else replaced.
func updated(n, update *tree.Node) *tree.Node {
	switch {
	case n.Kind == tree.List && update.Kind == tree.List:
		return at(n, tree.NewList(slices.Concat(n.Items, update.Items)...))
	case n.Kind == tree.List:
		return at(n, tree.NewList(append(slices.Clone(n.Items), update)...))
	case n.Kind != tree.Map || update.Kind != tree.Map:
		return update
	}
	members := slices.Clone(n.Members)
	for _, m := range update.Members {
		if i := slices.IndexFunc(members, func(have tree.Member) bool { return have.Key == m.Key }); i >= 0 {
			members[i].Value = updated(members[i].Value, m.Value)
		} else {
			members = append(members, m)
		}
	}
	return at(n, tree.NewMap(members...))
}
