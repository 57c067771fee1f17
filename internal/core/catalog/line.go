package catalog

import (
	"context"
	"maps"
	"slices"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

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

// LineTag is the ETag of a line, which follows from what it says.
func LineTag(line spec.Line) string { return `"` + documentDigest(line)[:12] + `"` }

// FindLine returns a line by its name. The error names similar ones.
func (s *Snapshot) FindLine(name string) (spec.Line, error) {
	lines := s.Lines()
	line, there := lines[name]
	if !there {
		return line, notFound("line", name, slices.Sorted(maps.Keys(lines)))
	}
	return line, nil
}

func (s *Snapshot) checkLineTag(name, ifMatch string) (line spec.Line, there bool, err error) {
	line, there = s.Lines()[name]
	switch {
	case !there && demandsOne(ifMatch):
		_, err = s.FindLine(name)
	case !there || ifMatch == "" || ifMatch == "*" || ifMatch == LineTag(line):
	case ifMatch == NotThere:
		err = problem.New(problem.Stale, "line %q already exists", name)
	default:
		err = problem.New(problem.Stale, "line %q was changed by somebody else since you read it (it is at %s, you had %s)", name, LineTag(line), ifMatch)
	}
	return line, there, err
}

// PutLine makes or changes a line. Impairments that use it change with it. ifMatch may
// demand what it is now, by its LineTag.
func (c *Catalog) PutLine(ctx context.Context, name string, line spec.Line, ifMatch string) (isNew bool, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	have, there, err := c.Snapshot().checkLineTag(name, ifMatch)
	if err == nil {
		err = spec.CheckLine(name, line)
	}
	if err != nil || there && have == line {
		return false, err
	}
	edit := c.editLocked()
	edit.change.Lines = map[string]spec.Line{name: line}
	return !there, edit.withLine(ctx, name, &line)
}

// RemoveLine removes a line, or takes back what was changed of one that every environment
// has. ifMatch is as for PutLine.
func (c *Catalog) RemoveLine(ctx context.Context, name, ifMatch string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	_, there, err := c.Snapshot().checkLineTag(name, ifMatch)
	if err == nil && !there {
		_, err = c.Snapshot().FindLine(name)
	}
	if err != nil {
		return err
	}
	edit := c.editLocked()
	edit.change.RemoveLines = []string{name}
	original, known := spec.Lines()[name]
	if known {
		return edit.withLine(ctx, name, &original)
	}
	if user := edit.next.mappingOnLine(name); user != "" {
		return problem.New(problem.Invalid, "line %q is in use by mapping %s", name, user)
	}
	return edit.withLine(ctx, name, nil)
}

// withLine gives the environment a line, or with nil takes it away, and compiles the
// impairments anew that may use it.
func (e *edit) withLine(ctx context.Context, name string, line *spec.Line) error {
	if err := e.setLine(name, line); err != nil {
		return err
	}
	return e.commit(ctx)
}

// setLine is withLine without its commit. One that every environment has is as it was
// originally instead of gone.
func (e *edit) setLine(name string, line *spec.Line) error {
	next := *e.next
	next.impairments.lines = maps.Clone(next.Lines())
	if original, known := spec.Lines()[name]; line == nil && known {
		line = &original
	}
	if line != nil {
		next.impairments.lines[name] = *line
	} else {
		delete(next.impairments.lines, name)
	}
	for _, i := range next.Impairments() {
		made, fault := next.compileImpairment(i.StoredImpairment)
		if fault != nil {
			return problem.New(problem.Invalid, "line %q is in use by the impairment of %s", name, i.Plan.Target)
		}
		next.impairments.put(made)
	}
	e.next = &next
	return nil
}
