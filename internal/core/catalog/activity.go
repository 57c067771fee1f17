package catalog

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Kinds of what an entry of the activity is about.
const (
	KindService    = "service"
	KindContract   = "contract"
	KindMapping    = "mapping"
	KindPayload    = "payload"
	KindRecording  = "recording"
	KindImpairment = "impairment"
	KindLine       = "line"
	KindScenario   = "scenario"
	KindLane       = "lane"
	KindVariables  = "variables"
	KindIgnored    = "ignored calls"
	KindSwitch     = "switch" // its id is "scenario" or "impairments"
)

// Key names a definition. A service is its own: then ID is "".
type Key struct {
	Kind      string `json:"kind"`
	ServiceID string `json:"serviceId,omitempty"`
	ID        string `json:"id,omitempty"`
}

// Item is one definition that an edit changed: as it was, and as it is since; nil where it
// was, or is, not there. Neither holds the values of secrets.
type Item struct {
	Key
	Service string `json:"service,omitempty"` // the name that the service has since, or had
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
	before, after := e.catalog.Snapshot(), e.next
	o, _ := ctx.Value(originKey{}).(origin)
	entry := &Entry{Version: e.catalog.version, By: authorOf(ctx), Via: o.via, From: o.from, Undoes: e.undoes, Note: e.note, About: e.about}
	for _, key := range e.change.keys(before, after) {
		item := Item{Key: key, Before: before.definition(key), After: after.definition(key)}
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
		entry.Items = append(entry.Items, item)
	}
	for _, r := range e.change.Recordings {
		entry.Items = append(entry.Items, e.recordingItem(r))
	}
	if len(entry.Items) == 0 && entry.Note == "" {
		return nil
	}
	if entry.Version <= e.catalog.lastEntry { // what goes has no version of its own
		entry.Version = e.catalog.nextLocked()
	}
	e.catalog.lastEntry = entry.Version
	return entry
}

// recordingItem is a recording that began, ended, or was kept of calls.
func (e *edit) recordingItem(r StoredRecording) Item {
	item := Item{Key: Key{KindRecording, r.ServiceID, r.Recording.ID}, After: marshalled(r.Recording)}
	if s := e.next.byID(r.ServiceID); s != nil {
		item.Service = s.Spec.Name
	}
	if running := e.catalog.Snapshot().byID(r.ServiceID); running != nil && running.Recording != nil && running.Recording.Spec.ID == r.Recording.ID {
		item.Before = marshalled(running.Recording.Spec)
	}
	return item
}

// byID is the service with an id; nil for none.
func (s *Snapshot) byID(id string) *Service {
	if id == "" {
		return nil
	}
	for _, service := range s.services {
		if service.Spec.ID == id {
			return service
		}
	}
	return nil
}

// keys are those of all that a change may have touched.
func (c *Change) keys(before, after *Snapshot) (keys []Key) {
	seen := make(map[Key]bool)
	add := func(kind, serviceID, id string) {
		if key := (Key{kind, serviceID, id}); !seen[key] {
			seen[key] = true
			keys = append(keys, key)
		}
	}
	for _, s := range c.Services {
		add(KindService, s.Service.ID, "")
	}
	for _, id := range c.RemoveServices {
		add(KindService, id, "")
	}
	for _, stored := range slices.Concat(c.Contracts, c.WithdrawContracts) {
		add(KindContract, stored.ServiceID, "")
	}
	for _, p := range slices.Concat(c.Payloads, c.RemovePayloads) {
		add(KindPayload, p.ServiceID, p.Name)
	}
	for _, m := range c.Mappings {
		add(KindMapping, m.ServiceID, m.Mapping.ID)
	}
	for _, m := range c.RemoveMappings {
		add(KindMapping, m.ServiceID, m.ID)
	}
	for _, i := range slices.Concat(c.Impairments, c.RemoveImpairments) {
		add(KindImpairment, i.ServiceID, partOf(i))
	}
	for name := range c.Lines {
		add(KindLine, "", name)
	}
	for _, name := range c.RemoveLines {
		add(KindLine, "", name)
	}
	for _, s := range c.Scenarios {
		add(KindScenario, "", s.Scenario.Name)
	}
	for _, name := range c.RemoveScenarios {
		add(KindScenario, "", name)
	}
	for _, l := range c.Lanes {
		add(KindLane, "", l.Spec.Name)
	}
	for _, name := range c.RemoveLanes {
		add(KindLane, "", name)
	}
	if c.Variables != nil {
		add(KindVariables, "", "")
	}
	if c.Ignored != nil {
		add(KindIgnored, "", "")
	}
	if c.ImpairmentsOff != nil {
		add(KindSwitch, "", "impairments")
	}
	if c.Switched != nil {
		add(KindSwitch, "", "scenario")
	}
	return keys
}

// partOf names the part of a service that an impairment is for: "" for all of it.
func partOf(i StoredImpairment) string {
	switch {
	case i.Operation != "":
		return "operation " + i.Operation
	case i.Mapping != "":
		return "mapping " + i.Mapping
	default:
		return ""
	}
}

// targetOfPart is the inverse of partOf.
func targetOfPart(service, part string) spec.Target {
	t := spec.Target{Service: service}
	if operation, is := strings.CutPrefix(part, "operation "); is {
		t.Operation = operation
	}
	if mapping, is := strings.CutPrefix(part, "mapping "); is {
		t.Mapping = mapping
	}
	return t
}

// laneState is what of a lane is compared and brought back.
type laneState struct {
	spec.Lane
	Active *Activation `json:"active,omitempty"`
	Until  time.Time   `json:"until"`
}

// contractState tells one revision of a contract from another.
type contractState struct {
	Revision int    `json:"revision"`
	File     string `json:"file,omitempty"`
	Title    string `json:"title,omitempty"`
	Digest   string `json:"digest"`
}

// payloadState tells one content of a payload from another.
type payloadState struct {
	Bytes  int    `json:"bytes"`
	Digest string `json:"digest"`
}

// definition is a definition as a document; nil where it is not there.
func (s *Snapshot) definition(key Key) json.RawMessage {
	service := s.byID(key.ServiceID)
	switch key.Kind {
	case KindService:
		if service != nil {
			return marshalled(service.Spec)
		}
	case KindContract:
		if service != nil && service.Contract != nil {
			return marshalled(contractState{service.Contract.Revision, service.Contract.File, service.Contract.Title, service.Contract.digest})
		}
	case KindMapping:
		if service != nil {
			if m := service.mappings.byID(key.ID); m != nil {
				return marshalled(m.Spec)
			}
		}
	case KindPayload:
		if service != nil && service.Payloads[key.ID] != nil {
			content := service.Payloads[key.ID].Bytes
			return marshalled(payloadState{len(content), digest(content)})
		}
	case KindImpairment:
		t := targetOfPart("", key.ID)
		if i := s.Impairment(key.ServiceID, t.Operation, t.Mapping); i != nil {
			return marshalled(i.Impairment)
		}
	case KindLine:
		if line, there := s.Lines()[key.ID]; there {
			return marshalled(line)
		}
	case KindScenario:
		if scenario := s.scenarios[key.ID]; scenario != nil {
			return marshalled(scenario.Spec)
		}
	case KindLane:
		if lane := s.lanes[key.ID]; lane != nil {
			return marshalled(laneState{lane.StoredLane.Spec, lane.Active, lane.Until})
		}
	case KindVariables:
		return marshalled(s.variables.Variables)
	case KindIgnored:
		return marshalled(s.Ignored().Spec)
	case KindSwitch:
		if key.ID == "impairments" {
			return marshalled(s.impairments.off)
		}
		if s.active != nil {
			return marshalled(s.active)
		}
	}
	return nil
}

func marshalled(v any) json.RawMessage {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	return text
}

// tableOf are the variables that a definition has; those of a scenario or a lane alone.
func (s *Snapshot) tableOf(key Key) spec.VariableTable {
	switch key.Kind {
	case KindService:
		if service := s.byID(key.ServiceID); service != nil {
			return service.Spec.VariableTable
		}
	case KindScenario:
		if scenario := s.scenarios[key.ID]; scenario != nil {
			return spec.VariableTable{Variables: scenario.Spec.Variables}
		}
	case KindLane:
		if lane := s.lanes[key.ID]; lane != nil {
			return spec.VariableTable{Variables: lane.StoredLane.Spec.Variables}
		}
	case KindVariables:
		return s.variables.Variables.VariableTable
	}
	return spec.VariableTable{}
}

// secretsOf are the values of the secrets of a definition, by their places.
func (s *Snapshot) secretsOf(key Key) (values map[string]string) {
	s.tableOf(key).EachSecret(func(place, value string) string {
		if value != "" {
			if values == nil {
				values = make(map[string]string)
			}
			values[place] = value
		}
		return ""
	})
	return values
}

func sameSecrets(a, b map[string]string) bool {
	if len(a) != len(b) {
		return false
	}
	for place, value := range a {
		if b[place] != value {
			return false
		}
	}
	return true
}

// Note keeps in the activity what is no edit: that the log was cleared, that something was
// taken out. service is the name of the one that it is about, "" for none.
func (c *Catalog) Note(ctx context.Context, service, note string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
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
	By      string
	Since   time.Time
	Before  int64 // entries older than this one; 0 for all
	Limit   int
}

// Activity lists what was changed, the newest first.
func (c *Catalog) Activity(ctx context.Context, filter ActivityFilter) ([]Entry, error) {
	return c.store.Activity(ctx, filter)
}

// FindEntry returns an entry with all that it changed.
func (c *Catalog) FindEntry(ctx context.Context, id string) (Entry, error) {
	version, ok := ParseEntryID(id)
	if !ok {
		return Entry{}, problem.New(problem.NotFound, "%q is not the id of an entry (such as a-71)", id)
	}
	return c.store.Entry(ctx, version)
}

// Undo takes an entry back: each definition that it changed is as it was before, all of them
// or none. One that was changed since keeps it from that.
func (c *Catalog) Undo(ctx context.Context, id string, now time.Time) (*Entry, error) {
	entry, err := c.FindEntry(ctx, id)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case entry.Count == 0:
		return nil, problem.New(problem.Conflict, "%s changed no definition: there is nothing to take back", id)
	case !entry.Whole:
		return nil, problem.New(problem.Conflict, "%s changed too much to be kept whole, so it cannot be undone", id)
	case entry.UndoneBy != 0:
		return nil, problem.New(problem.Conflict, "%s is undone already, by %s (undo that one to have it again)", id, EntryID(entry.UndoneBy))
	}
	u := &undoing{edit: c.editLocked(), ctx: ctx, now: now, entry: &entry}
	u.edit.undoes = entry.Version
	for _, item := range entry.Items {
		u.check(item)
	}
	if len(u.faults) == 0 {
		for _, item := range u.ordered() {
			if err := u.restore(item); err != nil {
				u.fault(item, err.Error())
			}
		}
	}
	if len(u.faults) > 0 {
		failed := problem.New(problem.Conflict, "%s cannot be undone", id)
		failed.Items = u.faults
		return nil, failed
	}
	if u.edit.next == c.Snapshot() {
		return nil, problem.New(problem.Conflict, "%s has nothing to take back: all is as it was before", id)
	}
	if err := u.edit.commit(ctx); err != nil {
		return nil, err
	}
	return u.edit.change.Entry, nil
}

// undoing is one undo at work.
type undoing struct {
	edit   *edit
	ctx    context.Context
	now    time.Time
	entry  *Entry
	faults []problem.Item
}

func (u *undoing) fault(item Item, detail string) {
	u.faults = append(u.faults, problem.Item{Detail: item.Name() + ": " + detail})
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

// check notes that a definition is another one now than the entry left behind.
func (u *undoing) check(item Item) {
	if item.Kind == KindRecording {
		u.fault(item, "recordings are not undone: stop or remove it")
		return
	}
	if present := u.edit.next.definition(item.Key); !sameState(item.Kind, present, item.After) {
		detail := "it was changed since"
		switch {
		case present == nil:
			detail = "it was removed since"
		case item.After == nil:
			detail = "there is another one since"
		}
		u.fault(item, detail)
		return
	}
	if item.Kind != KindService || item.Before != nil {
		return
	}
	for _, m := range u.edit.next.byID(item.ServiceID).Mappings { // it would go with all that it has
		if m.Version > u.entry.Version {
			u.fault(item, fmt.Sprintf("it has mapping %s since, which would go with it", m.Spec.ID))
			return
		}
	}
}

// sameState reports whether two states of a definition are the same. Contracts are told by
// their texts: an undo makes a new revision of an earlier one.
func sameState(kind string, a, b json.RawMessage) bool {
	if kind != KindContract || a == nil || b == nil {
		return bytes.Equal(a, b)
	}
	var one, other contractState
	return json.Unmarshal(a, &one) == nil && json.Unmarshal(b, &other) == nil && one.Digest == other.Digest
}

// undoOrder is in which order definitions are brought back: what others need comes first.
var undoOrder = []string{KindVariables, KindLine, KindService, KindContract, KindPayload, KindMapping, KindScenario, KindLane, KindImpairment, KindIgnored, KindSwitch}

// ordered are the items in the order in which they can be restored: what comes back first,
// each after what it needs, then what goes, the other way round; services go before all.
func (u *undoing) ordered() []Item {
	items := slices.Clone(u.entry.Items)
	frees := func(i Item) bool { return i.Kind == KindService && i.Before == nil } // its name, which another may need
	slices.SortStableFunc(items, func(a, b Item) int {
		if frees(a) != frees(b) {
			return map[bool]int{true: -1, false: 1}[frees(a)]
		}
		if goes := a.Before == nil; goes != (b.Before == nil) {
			return map[bool]int{true: 1, false: -1}[goes]
		}
		order := cmp.Compare(slices.Index(undoOrder, a.Kind), slices.Index(undoOrder, b.Kind))
		if a.Before == nil {
			return -order
		}
		return order
	})
	return items
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
