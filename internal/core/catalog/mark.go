package catalog

import (
	"context"
	"errors"
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
	// Nightly is when everything comes back to it each night, as "03:00" in the zone of the
	// service; "" for never. Returned is when that was last seen to.
	Nightly  string
	Returned time.Time
}

// Next is when everything comes back to the mark next; zero for never.
func (m Mark) Next() time.Time {
	at, err := time.Parse(nightlyFormat, m.Nightly)
	if err != nil {
		return time.Time{}
	}
	after := m.Returned.Local()
	next := time.Date(after.Year(), after.Month(), after.Day(), at.Hour(), at.Minute(), 0, 0, time.Local)
	if !next.After(after) {
		next = time.Date(after.Year(), after.Month(), after.Day()+1, at.Hour(), at.Minute(), 0, 0, time.Local)
	}
	return next
}

const nightlyFormat = "15:04"

// MaxMarks bounds the marks.
const MaxMarks = 200

// SetMark names this moment; nightly is as in SetNightly.
func (c *Catalog) SetMark(ctx context.Context, name, nightly string, now time.Time) (Mark, error) {
	nightly, err := timeOfDay(nightly)
	if err != nil {
		return Mark{}, err
	}
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
	mark := Mark{Name: name, Version: c.version, At: now, By: AuthorOf(ctx)}
	err = c.store.PutMark(ctx, mark)
	if err == nil {
		err = c.noteLocked(ctx, "", fmt.Sprintf("marked this moment %q", name))
	}
	if err != nil || nightly == "" {
		return mark, err
	}
	return c.setNightlyLocked(ctx, mark, nightly, now)
}

// timeOfDay is a time of the day as it is kept; "" stays "".
func timeOfDay(text string) (string, error) {
	at, err := time.Parse(nightlyFormat, text)
	switch {
	case text == "":
		return "", nil
	case err != nil:
		return "", problem.New(problem.Invalid, "%q is no time of day: write it as 03:00", text)
	default:
		return at.Format(nightlyFormat), nil
	}
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
	c.mu.Lock()
	defer c.mu.Unlock()
	mark, err := c.FindMark(ctx, name)
	if err == nil {
		err = c.store.RemoveMark(ctx, mark.Name)
	}
	if err == nil && mark.Nightly != "" {
		c.nightly.Store(nil)
	}
	return err
}

// SetNightly lets everything come back to a mark every night at a time, as "03:00"; with ""
// not any more. One mark at most is the nightly one: another is it no longer.
func (c *Catalog) SetNightly(ctx context.Context, name, at string, now time.Time) (Mark, error) {
	at, err := timeOfDay(at)
	if err != nil {
		return Mark{}, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	mark, err := c.FindMark(ctx, name)
	if err != nil || mark.Nightly == at {
		return mark, err
	}
	return c.setNightlyLocked(ctx, mark, at, now)
}

func (c *Catalog) setNightlyLocked(ctx context.Context, mark Mark, at string, now time.Time) (Mark, error) {
	before := c.nightly.Load()
	note := fmt.Sprintf("let everything come back to %q every night at %s", mark.Name, at)
	if at == "" {
		note = fmt.Sprintf("ended the nightly return to %q", mark.Name)
	}
	if before != nil && before.Name != mark.Name {
		other := *before
		other.Nightly = ""
		if err := c.store.PutMark(ctx, other); err != nil {
			return mark, err
		}
		c.nightly.Store(nil)
		note += fmt.Sprintf(", no longer to %q", other.Name)
	}
	mark.Nightly, mark.Returned = at, now
	if err := c.store.PutMark(ctx, mark); err != nil {
		return mark, err
	}
	if c.nightly.Store(&mark); at == "" {
		c.nightly.Store(nil)
	}
	return mark, c.noteLocked(ctx, "", note)
}

// ReturnNightly brings everything back to the nightly mark where the time for it has come; in
// that case mark is not nil. What keeps it from that is noted in the activity, and it is tried
// again the next night. The mark moves along: it is the moment after the return, so what it
// needs of the activity stays one day's.
func (c *Catalog) ReturnNightly(ctx context.Context, now time.Time) (mark *Mark, err error) {
	if due := c.nightly.Load(); due == nil || now.Before(due.Next()) {
		return nil, nil
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	due := c.nightly.Load()
	if due == nil || now.Before(due.Next()) { // it was ended meanwhile, or somebody else did it
		return nil, nil
	}
	next := *due
	next.Returned = now
	_, failed := c.backToLocked(ctx, due.Name, fmt.Sprintf("back to %q, as every night", due.Name), false, now)
	if failed == nil {
		next.Version = c.version
	} else {
		err = c.noteLocked(ctx, "", fmt.Sprintf("could not come back to %q for the night: %v", due.Name, failed))
	}
	c.nightly.Store(&next)
	return &next, errors.Join(failed, err, c.store.PutMark(ctx, next))
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
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.backToLocked(ctx, name, fmt.Sprintf("back to %q", name), dryRun, now)
}

func (c *Catalog) backToLocked(ctx context.Context, name, note string, dryRun bool, now time.Time) (*Entry, error) {
	mark, err := c.FindMark(ctx, name)
	if err != nil {
		return nil, err
	}
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
	items := u.ordered()
	for len(items) > 0 { // services first: what comes back with one need not be restored
		n := slices.IndexFunc(items, func(i Item) bool { return i.Kind != items[0].Kind })
		if n < 0 {
			n = len(items)
		}
		present := u.edit.next
		u.restoreAll(slices.DeleteFunc(slices.Clone(items[:n]), func(i Item) bool {
			return sameState(i.Kind, i.Before, present.definition(i.Key)) && sameSecrets(i.Secrets, present.secretsOf(i.Key))
		}))
		items = items[n:]
	}
	if len(u.faults) > 0 {
		failed := problem.New(problem.Conflict, "the environment cannot come back to %q", name)
		failed.Items = u.faults
		return nil, failed
	}
	if u.edit.next == c.Snapshot() {
		return nil, nil
	}
	u.edit.note = note
	if dryRun {
		return u.edit.entry(ctx), nil
	}
	if err := u.edit.commit(ctx); err != nil {
		return nil, err
	}
	return u.edit.change.Entry, nil
}
