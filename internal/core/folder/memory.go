package folder

import (
	"maps"
	"path"
	"slices"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Data is what a collection begins with, where it stands in a file of its own.
type Data struct {
	File  string
	Items []*tree.Node
}

// startingData reads what a collection begins with: a list of items, or one.
func (r *reader) startingData(s *Service, collection string, file File) {
	n, err := tree.Parse(file.Text)
	if err != nil {
		r.fault(s, file.Name, itemsOf(spec.SyntaxProblem(err, "the items"))...)
		return
	}
	items := []*tree.Node{n}
	if n.Kind == tree.List {
		items = n.Items
	}
	for _, item := range items {
		if item.Kind != tree.Map {
			r.fault(s, file.Name, problem.Item{Line: int(item.Line), Col: int(item.Col), Detail: "an item is an object"})
			return
		}
	}
	if other, there := s.Data[collection]; there {
		r.fault(s, file.Name, problem.Item{Detail: "the items of " + collection + " stand in " + other.File + " too"})
		return
	}
	if s.Data == nil {
		s.Data = make(map[string]Data)
	}
	s.Data[collection] = Data{file.Name, items}
}

// finishData gives the settings of a service what stands in files of its own. A service with such
// files remembers.
func (r *reader) finishData(s *Service) {
	if len(s.Data) == 0 || s.Unsettled {
		return
	}
	if s.Settings == nil {
		for _, data := range s.Data {
			r.fault(s, data.File, problem.Item{Detail: "needs a " + settingsFile + " beside " + memoryDir + ", whose settings it is part of"})
		}
		return
	}
	memory := spec.Memory{On: true, Collections: maps.Clone(s.Settings.Memory.Collections)}
	if memory.Collections == nil {
		memory.Collections = make(map[string]spec.CollectionRule)
	}
	for _, name := range slices.Sorted(maps.Keys(s.Data)) {
		data, rule := s.Data[name], memory.Collections[name]
		switch {
		case rule.Off || rule.Items != nil || rule.Generate > 0:
			r.fault(s, data.File, problem.Item{Detail: "what " + name + " begins with stands in " + settingsFile + " too"})
		case len(data.Items) > spec.MaxStartingItems:
			r.fault(s, data.File, spec.TooManyStartingItems(""))
		default:
			rule.Items = append([]*tree.Node{}, data.Items...)
			memory.Collections[name] = rule
		}
	}
	s.Settings.Memory = memory
}

// memoryFiles takes what stands in files of the folder out of settings, and writes those files.
func (u *updater) memoryFiles(local *Service, settings spec.Service) (spec.Service, error) {
	if len(local.Data) == 0 {
		return settings, nil
	}
	memory := spec.Memory{On: settings.Memory.On, Collections: maps.Clone(settings.Memory.Collections)}
	for name, data := range local.Data {
		rule := memory.Collections[name]
		if rule.Items == nil {
			delete(u.next, data.File)
			continue
		}
		text, err := tree.NewList(rule.Items...).YAML()
		if err != nil {
			return settings, err
		}
		file := path.Join(local.Name, memoryDir, name+".yaml")
		if file != data.File {
			delete(u.next, data.File)
		}
		if !sameItems(rule.Items, data.Items) {
			u.next[file] = text
		} else {
			u.next[data.File] = u.now[data.File]
		}
		if rule.Items = nil; rule.IsZero() {
			delete(memory.Collections, name)
		} else {
			memory.Collections[name] = rule
		}
	}
	settings.Memory = memory
	return settings, nil
}

func sameItems(a, b []*tree.Node) bool {
	return slices.EqualFunc(a, b, tree.Equal)
}
