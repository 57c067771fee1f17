package catalog

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"rapidmimic.example/spec/problem"
)

// Mark is a moment that somebody has named, to come back to.
type Mark struct {
	Name string
	// Version is that of the last change before it.
	Version int64
	At      time.Time
	By      string
}

// MaxMarks bounds the marks.
const MaxMarks = 200

// SetMark names this moment.
func (c *Catalog) SetMark(ctx context.Context, name string, now time.Time) (Mark, error) {
	if name = strings.TrimSpace(name); name == "" || len(name) > 100 || strings.ContainsFunc(name, unicode.IsControl) {
		return Mark{}, problem.New(problem.Invalid, "the name of a mark is a line of at most 100 bytes, not %q", name)
	}
	if _, is := ParseEntryID(name); is {
		return Mark{}, problem.New(problem.Invalid, "%q is what an entry is called (choose another name)", name)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	marks, err := c.store.Marks(ctx)
	switch {
	case err != nil:
		return Mark{}, err
	case slices.ContainsFunc(marks, func(m Mark) bool { return m.Name == name }):
		return Mark{}, problem.New(problem.Exists, "mark %q already exists (choose another name, or remove it)", name)
	case len(marks) >= MaxMarks:
		return Mark{}, problem.New(problem.Invalid, "there are %d marks already: remove some", len(marks))
	}
	mark := Mark{Name: name, Version: c.version, At: now, By: authorOf(ctx)}
	return mark, c.store.PutMark(ctx, mark)
}

// Marks lists the marks, the oldest first.
func (c *Catalog) Marks(ctx context.Context) ([]Mark, error) { return c.store.Marks(ctx) }

// FindMark returns a mark by its name. The error names similar ones.
func (c *Catalog) FindMark(ctx context.Context, name string) (Mark, error) {
	marks, err := c.store.Marks(ctx)
	if err != nil {
		return Mark{}, err
	}
	names := make([]string, len(marks))
	for i, m := range marks {
		if names[i] = m.Name; m.Name == name {
			return m, nil
		}
	}
	return Mark{}, notFound("mark", name, names)
}

// RemoveMark forgets a mark. What was changed since stays.
func (c *Catalog) RemoveMark(ctx context.Context, name string) error {
	mark, err := c.FindMark(ctx, name)
	if err != nil {
		return err
	}
	return c.store.RemoveMark(ctx, mark.Name)
}

// Differences lists what is another than it was after a version, each as it was then and as
// it is now.
func (c *Catalog) Differences(ctx context.Context, version int64) ([]Item, error) {
	since, err := c.store.EntriesSince(ctx, version)
	if err != nil {
		return nil, err
	}
	present := c.Snapshot()
	seen := make(map[Key]bool)
	items := []Item{}
	for _, e := range since {
		if !e.Whole {
			return nil, problem.New(problem.Conflict, "%s, since then, changed too much to be kept whole", EntryID(e.Version))
		}
		for _, item := range e.Items {
			if seen[item.Key] || item.Kind == KindRecording {
				continue
			}
			seen[item.Key] = true
			item.After = present.definition(item.Key)
			if item.Changed = changedKeys(item.Before, item.After); !sameState(item.Kind, item.Before, item.After) {
				items = append(items, item)
			}
		}
	}
	return items, nil
}

// VersionAt is the version that was in force at a moment: that of a mark, of an entry, or the
// last one by a time. It refuses what is before all that the activity keeps.
func (c *Catalog) VersionAt(ctx context.Context, moment string, at time.Time) (int64, error) {
	if _, is := ParseEntryID(moment); is {
		entry, err := c.FindEntry(ctx, moment)
		return entry.Version, err
	}
	if !at.IsZero() {
		return c.store.VersionAt(ctx, at)
	}
	mark, err := c.FindMark(ctx, moment)
	return mark.Version, err
}

// BackTo makes all definitions and switches what they were at a mark, as one change, and
// returns what it changed; nil where all is as it was. Lanes are left alone: they are
// private, and end by themselves. A dry run changes nothing.
func (c *Catalog) BackTo(ctx context.Context, name string, dryRun bool, now time.Time) (*Entry, error) {
	mark, err := c.FindMark(ctx, name)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	since, err := c.store.EntriesSince(ctx, mark.Version)
	if err != nil {
		return nil, err
	}
	whole := &Entry{Whole: true}
	u := &undoing{edit: c.editLocked(), ctx: ctx, now: now, entry: whole}
	seen := make(map[Key]bool)
	for _, e := range since { // the oldest first: what was before it is how things were at the mark
		if !e.Whole {
			return nil, problem.New(problem.Conflict, "%s, since the mark, changed too much to be kept whole", EntryID(e.Version))
		}
		for _, item := range e.Items {
			if seen[item.Key] || item.Kind == KindRecording || item.Kind == KindLane {
				continue
			}
			seen[item.Key] = true
			item.entry = e.Version
			whole.Items = append(whole.Items, item)
		}
	}
	for _, item := range u.ordered() {
		if now := u.edit.next; sameState(item.Kind, item.Before, now.definition(item.Key)) && sameSecrets(item.Secrets, now.secretsOf(item.Key)) {
			continue // it is so, or is again since its service came back
		}
		if err := u.restore(item); err != nil {
			u.fault(item, err.Error())
		}
	}
	if len(u.faults) > 0 {
		failed := problem.New(problem.Conflict, "the environment cannot come back to %q", name)
		failed.Items = u.faults
		return nil, failed
	}
	if u.edit.next == c.Snapshot() {
		return nil, nil
	}
	u.edit.note = fmt.Sprintf("back to %q", name)
	if dryRun {
		return u.edit.entry(ctx), nil
	}
	if err := u.edit.commit(ctx); err != nil {
		return nil, err
	}
	return u.edit.change.Entry, nil
}
