package catalog

import (
	"context"
	"maps"
	"slices"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

func isKnown(line string) bool {
	_, known := spec.Lines()[line]
	return known
}

// mappingOnLine is a mapping that has a line of itself; "" for none.
func (s *Snapshot) mappingOnLine(name string) string {
	for _, service := range s.services {
		for _, m := range service.Mappings {
			if m.Impair != nil && m.Impair.Spec.Connection != nil && m.Impair.Spec.Connection.Line == name {
				return m.Spec.ID + " of " + service.Spec.Name
			}
		}
	}
	return ""
}

// PutLine makes or changes a line; nil removes it, or takes back what was changed
// of one that every environment has. Impairments that use it change with it.
func (c *Catalog) PutLine(ctx context.Context, name string, line *spec.Line) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	next := *edit.next
	next.impairments.lines = maps.Clone(next.Lines())
	switch original, known := spec.Lines()[name]; {
	case line != nil:
		if err := spec.CheckLine(name, *line); err != nil {
			return err
		}
		next.impairments.lines[name] = *line
		edit.change.Lines = map[string]spec.Line{name: *line}
	case known:
		next.impairments.lines[name] = original
		edit.change.RemoveLines = []string{name}
	default:
		if _, there := next.impairments.lines[name]; !there {
			return notFound("line", name, slices.Sorted(maps.Keys(next.impairments.lines)))
		}
		delete(next.impairments.lines, name)
		edit.change.RemoveLines = []string{name}
	}
	if user := next.mappingOnLine(name); line == nil && !isKnown(name) && user != "" {
		return problem.New(problem.Invalid, "line %q is in use by mapping %s", name, user)
	}
	for _, i := range next.Impairments() {
		made, fault := next.compileImpairment(i.StoredImpairment)
		if fault != nil {
			return problem.New(problem.Invalid, "line %q is in use by the impairment of %s", name, i.Plan.Target)
		}
		next.impairments.put(made)
	}
	edit.next = &next
	return edit.commit(ctx)
}
