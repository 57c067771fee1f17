package catalog

import (
	"context"
	"slices"
	"strings"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Selection says which mappings of a service are meant: all that meet every
// demand given.
type Selection struct {
	IDs   []string
	Label string
	// Text is found in id, title, method, path, operation or a label.
	Text string
}

// IsEmpty reports whether the selection demands nothing.
func (s Selection) IsEmpty() bool { return len(s.IDs) == 0 && s.Label == "" && s.Text == "" }

// Selects reports whether a mapping is meant.
func (s Selection) Selects(m *Mapping) bool {
	return (len(s.IDs) == 0 || slices.Contains(s.IDs, m.Spec.ID)) &&
		(s.Label == "" || slices.Contains(m.Spec.Labels, s.Label)) &&
		(s.Text == "" || strings.Contains(searched(m.Spec), strings.ToLower(s.Text)))
}

// searched is the text in which mappings are searched.
func searched(m spec.Mapping) string {
	return strings.ToLower(strings.Join([]string{m.ID, m.Title, strings.Join(m.Call.Method, " ") + " " + m.Call.Path, m.Call.Operation, strings.Join(m.Labels, " ")}, "\n"))
}

// BulkEdit is one change to many mappings.
type BulkEdit struct {
	Remove     bool
	Enabled    *bool
	AddLabels  []string
	DropLabels []string
}

// EditMappings changes all the mappings that are selected, or none. It returns
// those that changed.
func (c *Catalog) EditMappings(ctx context.Context, nameOrID string, which Selection, change BulkEdit) (changed []string, err error) {
	if which.IsEmpty() {
		return nil, problem.New(problem.Invalid, "select mappings by id, label or text")
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	for _, id := range which.IDs {
		if old.Mapping(id) == nil {
			return nil, noMapping(old, id)
		}
	}
	var meant []*Mapping
	var edited []spec.Mapping
	for _, m := range old.Mappings {
		if !which.Selects(m) {
			continue
		}
		next, differs := change.apply(m.Spec)
		if change.Remove || differs {
			meant, edited, changed = append(meant, m), append(edited, next), append(changed, m.Spec.ID)
		}
	}
	if len(meant) == 0 {
		return nil, nil
	}
	edit := c.editLocked()
	if change.Remove {
		edit.removeMappings(old, meant...)
	} else if _, _, _, err := edit.putMappings(old, edited); err != nil {
		return nil, err
	}
	return changed, edit.commit(ctx)
}

// apply changes one mapping; differs is false when there was nothing to change.
func (b BulkEdit) apply(m spec.Mapping) (next spec.Mapping, differs bool) {
	if b.Enabled != nil && m.Enabled != *b.Enabled {
		m.Enabled, differs = *b.Enabled, true
	}
	labels := slices.DeleteFunc(slices.Clone(m.Labels), func(label string) bool { return slices.Contains(b.DropLabels, label) })
	for _, label := range b.AddLabels {
		if !slices.Contains(labels, label) {
			labels = append(labels, label)
		}
	}
	if !slices.Equal(labels, m.Labels) {
		m.Labels, differs = labels, true
	}
	return m, differs
}
