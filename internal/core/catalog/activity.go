package catalog

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Item is one definition that an edit changed: as it was, and as it is since; nil where it
// was, or is, not there. Neither holds the values of secrets.
type Item struct {
	Key
	Service string `json:"service,omitempty"` // the name that the service has since, or had
	Version int64  `json:"version,omitempty"` // of a mapping, the one that it has since
	// Position is where a mapping stood among those of its service; 0 where it was not there.
	Position int64 `json:"position,omitempty"`
	// Changed says which keys of the document are others, with values that are short.
	Changed string          `json:"changed,omitempty"`
	Before  json.RawMessage `json:"before,omitempty"`
	After   json.RawMessage `json:"after,omitempty"`
	// Secrets are the values of the secret variables before, by their places. They are kept
	// apart, encrypted.
	Secrets map[string]string `json:"-"`
	entry   int64             // of which it is, where it is not that of the undo
}

// Entry is an edit as the activity keeps it.
type Entry struct {
	// Version is the highest that the edit gave; it tells entries apart and orders them.
	Version int64
	At      time.Time
	By      string // "" for nobody in particular
	Via     string // console, command, API, folder; "" for the service itself
	From    string // address of who asked for it
	// Undoes is the entry that this one takes back, UndoneBy the one that took it back; 0 for
	// none.
	Undoes, UndoneBy int64
	// Note says what for, where that is more than its items tell: back to "before the test".
	// About is the service that a note alone is about, "" for none.
	Note, About string
	Items       []Item // of a list the first ones, long documents left out
	Count       int    // of all items
	// Whole is set where Items are all of them, with their documents.
	Whole bool
}

// Name says what an item is, as "mapping fog of moorings".
func (i Item) Name() string {
	text := i.Kind
	if i.Kind == KindSwitch {
		return map[string]string{"impairments": "the switch of all impairments", "scenario": "the scenario that is on"}[i.ID]
	}
	if i.Kind == KindService {
		return text + " " + i.Service
	}
	if i.ID != "" && i.Kind != KindImpairment {
		text += " " + i.ID
	}
	switch {
	case i.Kind == KindImpairment:
		return text + " of " + targetOfPart(i.Service, i.ID).String()
	case i.Service != "":
		return text + " of " + i.Service
	}
	return text
}

// Concerns reports whether an entry may change what a service answers: it is about that one,
// or about the whole environment.
func (e Entry) Concerns(service string) bool {
	return len(e.Items) == 0 && (e.About == "" || e.About == service) || e.Count > len(e.Items) ||
		slices.ContainsFunc(e.Items, func(i Item) bool { return i.Service == "" || i.Service == service })
}

type originKey struct{}

type origin struct{ via, from string }

// Through gives a context whose edits are kept as asked for in some way, from somewhere.
func Through(ctx context.Context, via, from string) context.Context {
	return context.WithValue(ctx, originKey{}, origin{via, from})
}

type noteKey struct{}

// Noted gives a context of whose edits note is told the entry in the activity, where there is
// something to take back.
func Noted(ctx context.Context, note func(version int64)) context.Context {
	return context.WithValue(ctx, noteKey{}, note)
}

// entry is what the activity keeps of an edit: all that differs before and after it.
func (e *edit) entry(ctx context.Context) *Entry {
	o, _ := ctx.Value(originKey{}).(origin)
	entry := &Entry{Version: e.catalog.version, By: AuthorOf(ctx), Via: o.via, From: o.from, Undoes: e.undoes, Note: e.note, About: e.about, Items: e.items()}
	entry.Items = append(entry.Items, e.recordingItems()...)
	if len(entry.Items) == 0 && entry.Note == "" {
		return nil
	}
	if entry.Version <= e.catalog.lastEntry { // what goes has no version of its own
		entry.Version = e.catalog.nextLocked()
	}
	e.catalog.lastEntry = entry.Version
	return entry
}

// items are the definitions that differ before and after the edit.
func (e *edit) items() (items []Item) {
	before, after := e.catalog.Snapshot(), e.next
	versions := e.change.mappingVersions()
	for _, key := range e.change.keys(before, after) {
		item := Item{Key: key, Version: versions[key], Position: before.positionOf(key), Before: before.definition(key), After: after.definition(key)}
		same := bytes.Equal(item.Before, item.After)
		if secrets := before.secretsOf(key); len(secrets) > 0 || same {
			item.Secrets = secrets
			same = same && sameSecrets(secrets, after.secretsOf(key))
		}
		if same {
			continue
		}
		if s := after.byID(key.ServiceID); s != nil {
			item.Service = s.Spec.Name
		} else if s := before.byID(key.ServiceID); s != nil {
			item.Service = s.Spec.Name
		}
		if item.Changed = changedKeys(item.Before, item.After); bytes.Equal(item.Before, item.After) {
			item.Changed = "the value of a secret"
		}
		items = append(items, item)
	}
	return items
}

// recordingItems are recordings that began, ended, were kept of calls, were removed, or came
// back. Snapshots know only those that run.
func (e *edit) recordingItems() (items []Item) {
	add := func(r StoredRecording, before, after json.RawMessage) {
		item := Item{Key: Key{KindRecording, r.ServiceID, r.Recording.ID}, Before: before, After: after}
		if s := e.next.byID(r.ServiceID); s != nil {
			item.Service = s.Spec.Name
		}
		items = append(items, item)
	}
	for _, r := range e.change.Recordings {
		var before json.RawMessage
		if s := e.catalog.Snapshot().byID(r.ServiceID); s != nil && s.Recording != nil && s.Recording.Spec.ID == r.Recording.ID {
			before = stateOfRecording(s.Recording.Spec)
		}
		add(r, before, stateOfRecording(r.Recording))
	}
	for _, r := range e.change.RemoveRecordings {
		add(r, stateOfRecording(r.Recording), nil)
	}
	for _, r := range e.change.RestoreRecordings {
		add(r, nil, stateOfRecording(r.Recording))
	}
	return items
}

// Note keeps in the activity what is no edit: that the log was cleared, that something was
// taken out. service is the name of the one that it is about, "" for none.
func (c *Catalog) Note(ctx context.Context, service, note string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.noteLocked(ctx, service, note)
}

func (c *Catalog) noteLocked(ctx context.Context, service, note string) error {
	edit := c.editLocked()
	edit.note, edit.about = note, service
	return edit.commit(ctx)
}

// EntryID is the id of an entry, as people write it.
func EntryID(version int64) string { return "a-" + strconv.FormatInt(version, 36) }

// ParseEntryID is its inverse.
func ParseEntryID(id string) (version int64, ok bool) {
	text, is := strings.CutPrefix(id, "a-")
	version, err := strconv.ParseInt(text, 36, 64)
	return version, is && err == nil && version > 0
}

// ActivityFilter says which entries are wanted.
type ActivityFilter struct {
	Service string // name
	// Answering adds, to those of a service, those of Lane and of the whole environment, and
	// leaves out what changed no definition, and what was made and undone after After.
	Answering bool
	Lane      string
	By        string
	Since     time.Time
	Before    int64 // entries older than this one; 0 for all
	After     int64 // entries newer than this one; 0 for all
	Limit     int
}

// latest is the last entry that can be read.
type latest struct {
	version int64
	later   chan struct{} // closed when there is a later one
}

// entered makes an entry the last one.
func (c *Catalog) entered(version int64) {
	if before := c.latest.Swap(&latest{version, make(chan struct{})}); before != nil {
		close(before.later)
	}
}

// LastEntry is the version of the last entry; later is closed when there is a later one.
func (c *Catalog) LastEntry() (version int64, later <-chan struct{}) {
	last := c.latest.Load()
	return last.version, last.later
}

// Activity lists what was changed, the newest first.
func (c *Catalog) Activity(ctx context.Context, filter ActivityFilter) ([]Entry, error) {
	return c.store.Activity(ctx, filter)
}

// ChangedSince lists the entries after a version that may have changed what a service answers
// in a lane, the newest first, without what was undone since.
func (c *Catalog) ChangedSince(ctx context.Context, version int64, service, lane string, limit int) ([]Entry, error) {
	return c.store.Activity(ctx, ActivityFilter{Service: service, Lane: lane, Answering: true, After: version, Limit: limit})
}

// FindEntry returns an entry with all that it changed.
func (c *Catalog) FindEntry(ctx context.Context, id string) (Entry, error) {
	version, ok := ParseEntryID(id)
	if !ok {
		return Entry{}, problem.New(problem.NotFound, "%q is not the id of an entry (such as a-71)", id)
	}
	return c.store.Entry(ctx, version)
}

// changedKeys names what of a document is another, with the values where they are short.
func changedKeys(before, after json.RawMessage) string {
	if before == nil || after == nil {
		return ""
	}
	was, err := tree.ParseJSON(before)
	is, err2 := tree.ParseJSON(after)
	if err != nil || err2 != nil || was.Kind != tree.Map || is.Kind != tree.Map {
		return ""
	}
	const most = 4
	changed := differingKeys(was, is, true)
	if more := len(changed) - most; more > 0 {
		changed = append(changed[:most], fmt.Sprintf("and %d more", more))
	}
	return strings.Join(changed, ", ")
}

// differingKeys are those of two objects whose values differ; of objects within, with deep
// set, their keys.
func differingKeys(was, is *tree.Node, deep bool) (changed []string) {
	var keys []string
	for _, n := range []*tree.Node{was, is} {
		for _, m := range n.Entries() {
			if !slices.Contains(keys, m.Key) {
				keys = append(keys, m.Key)
			}
		}
	}
	for _, key := range keys {
		a, b := was.Get(key), is.Get(key)
		switch {
		case a != nil && b != nil && tree.Equal(a, b):
		case deep && (a == nil || a.Kind == tree.Map) && (b == nil || b.Kind == tree.Map):
			for _, below := range differingKeys(a, b, false) {
				changed = append(changed, key+"."+below)
			}
		default:
			changed = append(changed, key+changedValue(a, b))
		}
	}
	return changed
}

// changedValue is " answer → relay" of values that are short; "" else.
func changedValue(a, b *tree.Node) string {
	const short = 40
	text := func(n *tree.Node) (string, bool) {
		if n == nil {
			return "none", true
		}
		return n.Text, n.Kind != tree.List && n.Kind != tree.Map && len(n.Text) <= short
	}
	was, ok := text(a)
	is, ok2 := text(b)
	if !ok || !ok2 {
		return ""
	}
	return " " + was + " → " + is
}
