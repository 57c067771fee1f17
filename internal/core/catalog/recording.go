package catalog

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Capture is a recording that runs: while it does, its service relays. It is
// immutable.
type Capture struct {
	Spec             spec.Recording
	include, exclude []match.Rule
}

// LeavesOut says why a call, with its path relative to the service, does not belong
// to the recording; "" when it does.
func (c *Capture) LeavesOut(r *call.Request, segments []string) (why string) {
	fits := func(rule match.Rule) bool { return rule.AllowsMethod(r.Method) && rule.Template.Fits(segments) }
	switch {
	case len(c.include) > 0 && !slices.ContainsFunc(c.include, fits):
		return "it is none of those to capture"
	case slices.ContainsFunc(c.exclude, fits):
		return "it is one of those to leave out"
	case len(c.Spec.Hosts) > 0 && !slices.ContainsFunc(c.Spec.Hosts, func(h string) bool { return strings.EqualFold(h, r.HostName()) }):
		return "it is to the host " + r.HostName()
	}
	return ""
}

// LeavesOutAnswer says why an answer of a content type does not belong to the
// recording; "" when it does.
func (c *Capture) LeavesOutAnswer(contentType string) (why string) {
	base := call.BaseType(contentType)
	fits := func(wanted string) bool {
		kind, any := strings.CutSuffix(strings.ToLower(wanted), "*")
		return any && strings.HasPrefix(base, kind) || base == kind
	}
	if len(c.Spec.MediaTypes) == 0 || slices.ContainsFunc(c.Spec.MediaTypes, fits) {
		return ""
	}
	if base == "" {
		return "its answer has no media type"
	}
	return "its answer is " + base
}

// TryRecording is what a recording would capture, without its being made.
func (c *Catalog) TryRecording(r spec.Recording) (*Capture, error) {
	r.Name = cmp.Or(r.Name, "trial")
	if err := spec.CheckRecording(r); err != nil {
		return nil, err
	}
	return CompileCapture(r)
}

// CompileCapture compiles which calls a recording captures.
func CompileCapture(r spec.Recording) (*Capture, error) {
	c := &Capture{Spec: r}
	var items []problem.Item
	compile := func(at string, texts []string) (rules []match.Rule) {
		for i, text := range texts {
			methods, path, two := strings.Cut(strings.TrimSpace(text), " ")
			if !two {
				methods, path = "", methods
			}
			t, err := match.ParseTemplate(path)
			if err != nil {
				items = append(items, problem.Item{At: at + "/" + strconv.Itoa(i), Detail: err.Error()})
			}
			rules = append(rules, match.Rule{Methods: strings.FieldsFunc(methods, func(r rune) bool { return r == '|' || r == ',' }), Template: t})
		}
		return rules
	}
	c.include, c.exclude = compile("/include", r.Include), compile("/exclude", r.Exclude)
	return c, problem.FromItems("the recording cannot be made", items)
}

// StartRecording captures the calls to a service from the next one on. The
// service relays until it is stopped.
func (c *Catalog) StartRecording(ctx context.Context, nameOrID string, r spec.Recording) (*Service, error) {
	if err := spec.CheckRecording(r); err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	switch {
	case old.Spec.Upstream == "":
		return nil, problem.New(problem.Invalid, "service %q has no upstream to record", old.Spec.Name).With(problem.SetUpstream, old.Spec.Name)
	case old.UpstreamFault != "":
		return nil, problem.New(problem.Invalid, "service %q cannot ask its upstream: %s", old.Spec.Name, old.UpstreamFault)
	case r.Missing && !old.Spec.Falls(spec.OtherwiseUpstream):
		return nil, problem.New(problem.Invalid, "service %q does not ask its upstream for what it does not answer itself", old.Spec.Name).With(problem.AskUpstream, old.Spec.Name)
	case old.Recording != nil:
		return nil, problem.New(problem.Exists, "service %q is already being recorded, as %q since %s", old.Spec.Name, old.Recording.Spec.Name, old.Recording.Spec.Started.UTC().Format(time.RFC3339))
	}
	r.ID = "r-" + strconv.FormatInt(c.nextLocked(), 36)
	r.By, r.Upstream = AuthorOf(ctx), old.Upstream.String()
	capture, err := CompileCapture(r)
	if err != nil {
		return nil, err
	}
	edit := c.editLocked()
	edit.change.Recordings = []StoredRecording{{ServiceID: old.Spec.ID, Recording: r}}
	p := old.parts()
	p.recording = capture
	next := edit.replace(old, compileService(old.stored(), p))
	return next, edit.commit(ctx)
}

// StopRecording ends the recording of a service. Unless it is only kept, the
// service answers by itself from the next call on. why is why it ended, where nobody
// stopped it.
func (c *Catalog) StopRecording(ctx context.Context, nameOrID, id string, at time.Time, answer bool, why string) (spec.Recording, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return spec.Recording{}, err
	}
	if old.Recording == nil || old.Recording.Spec.ID != id && old.Recording.Spec.Name != id {
		return spec.Recording{}, problem.New(problem.NotFound, "recording %q of service %q is not running", id, old.Spec.Name)
	}
	r := old.Recording.Spec
	r.Stopped, r.Ended = at, why
	edit := c.editLocked()
	edit.change.Recordings = []StoredRecording{{ServiceID: old.Spec.ID, Recording: r}}
	p, stored := old.parts(), old.stored()
	p.recording = nil
	if answer && stored.Service.Relays() {
		stored.Service.Mode, stored.Version = spec.ModeAnswer, c.nextLocked()
		edit.putService(old, stored, p)
	} else {
		edit.replace(old, compileService(stored, p))
	}
	return r, edit.commit(ctx)
}

// KeepAsRecording makes a recording of calls that were made already.
func (c *Catalog) KeepAsRecording(ctx context.Context, nameOrID string, r spec.Recording, exchanges []recording.Exchange) (spec.Recording, error) {
	if err := spec.CheckRecording(r); err != nil {
		return r, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s, err := c.Find(nameOrID)
	if err != nil {
		return r, err
	}
	r.ID = "r-" + strconv.FormatInt(c.nextLocked(), 36)
	r.By = AuthorOf(ctx)
	edit := c.editLocked()
	edit.change.Recordings = []StoredRecording{{ServiceID: s.Spec.ID, Recording: r}}
	edit.change.Exchanges = exchanges
	return r, edit.commit(ctx)
}

// Recordings lists the recordings of a service, the newest first.
func (c *Catalog) Recordings(ctx context.Context, nameOrID string) ([]StoredRecording, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	return c.store.Recordings(ctx, s.Spec.ID)
}

// FindRecording returns a recording of a service by its id or its name; of
// several with one name the newest.
func (c *Catalog) FindRecording(ctx context.Context, nameOrID, id string) (StoredRecording, error) {
	all, err := c.Recordings(ctx, nameOrID)
	if err != nil {
		return StoredRecording{}, err
	}
	var names []string
	for _, r := range all {
		if r.Recording.ID == id || r.Recording.Name == id {
			return r, nil
		}
		names = append(names, r.Recording.Name)
	}
	return StoredRecording{}, notFound("recording", id, names)
}

// Exchanges returns a recording with its calls.
func (c *Catalog) Exchanges(ctx context.Context, nameOrID, id string) (StoredRecording, []recording.Exchange, error) {
	r, err := c.FindRecording(ctx, nameOrID, id)
	if err != nil {
		return r, nil, err
	}
	exchanges, err := c.store.Exchanges(ctx, r.Recording.ID)
	return r, exchanges, err
}

// ExchangeHeads is Exchanges without large bodies, of the calls after a number; of them
// the last ones only, where last is not 0.
func (c *Catalog) ExchangeHeads(ctx context.Context, nameOrID, id string, after uint64, last int) (StoredRecording, []recording.Exchange, error) {
	r, err := c.FindRecording(ctx, nameOrID, id)
	if err != nil {
		return r, nil, err
	}
	exchanges, err := c.store.ExchangeHeads(ctx, r.Recording.ID, after, last)
	return r, exchanges, err
}

// Captured counts the calls that a running recording has captured.
func (c *Catalog) Captured(ctx context.Context, running *Capture) (int, error) {
	return c.store.CountExchanges(ctx, running.Spec.ID)
}

// RemoveRecording removes a recording with its calls; mappings that were made of it stay. An
// undo brings it back for as long as removed recordings are kept.
func (c *Catalog) RemoveRecording(ctx context.Context, nameOrID, id string) error {
	r, err := c.FindRecording(ctx, nameOrID, id)
	if err != nil {
		return err
	}
	if r.Recording.Runs() {
		return problem.New(problem.Exists, "recording %q is running: stop it first", r.Recording.Name)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	edit.change.RemoveRecordings = []StoredRecording{r}
	return edit.commit(ctx)
}

// What becomes of a mapping that asks for the same as one that a recording makes. Left
// open, one that a recording made and nobody touched since is replaced, and one that
// somebody edited is kept.
const (
	ExistingKeep    = "keep"
	ExistingReplace = "replace"
	// ExistingFollow puts the new answers behind the old ones, in one sequence.
	ExistingFollow = "follow"
)

// What can become of a proposal, beside Created, Changed and Unchanged.
const (
	Kept     = "kept"     // the mapping that is there stays
	Followed = "followed" // the answers came behind those that are there
	Narrowed = "narrowed" // the mapping that is there asks for more now, and answers as before
)

// Made is what became of one proposal.
type Made struct {
	recording.Proposal
	Outcome string
}

// RecordedBy is the author of mappings that recordings make.
const RecordedBy = "recording "

// Making says how mappings are made of a recording.
type Making struct {
	// Name is that of the recording.
	Name     string
	Existing string // "" or one of those above
	DryRun   bool
}

// MakeMappings puts the mappings that recorded calls propose into a service, or says
// what would become of them. A mapping is told by what it asks for, whatever its id.
func (c *Catalog) MakeMappings(ctx context.Context, nameOrID string, proposals []recording.Proposal, how Making) ([]Made, error) {
	if !slices.Contains([]string{"", ExistingKeep, ExistingReplace, ExistingFollow}, how.Existing) {
		return nil, problem.New(problem.Invalid, "existing must be keep, replace or follow, not %q", how.Existing)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	m := making{Making: how, ctx: ctx, catalog: c, service: s, asks: make(map[string]*Mapping), ids: make(map[string]bool), payloads: make(map[string][]byte), given: make(map[string]bool)}
	for _, have := range s.Mappings {
		m.asks[recording.KeyOf(have.Spec.Call)] = have
		m.ids[have.Spec.ID] = true
	}
	var made []Made
	for _, p := range proposals {
		one, err := m.one(p)
		if err != nil {
			return nil, err
		}
		if one != nil {
			made = append(made, *one)
		}
	}
	if how.DryRun || len(m.put) == 0 {
		return made, nil
	}
	edit := c.editLocked()
	if len(m.payloads) > 0 {
		if s, err = edit.putPayloads(s, m.payloads); err != nil {
			return nil, err
		}
	}
	if _, _, _, err := edit.putMappings(s, m.put); err != nil {
		return nil, err
	}
	return made, edit.commit(By(ctx, RecordedBy+how.Name))
}

// making is MakeMappings at work. It belongs to who holds the catalog's lock.
type making struct {
	Making
	ctx     context.Context
	catalog *Catalog
	service *Service
	asks    map[string]*Mapping // those that are there, by what they ask for
	ids     map[string]bool     // that are taken
	given   map[string]bool     // ids of mappings that have become another's
	put     []spec.Mapping
	// payloads are those of put.
	payloads map[string][]byte
}

// one decides about one proposal; nil for one that nobody needs.
func (m *making) one(p recording.Proposal) (*Made, error) {
	made := &Made{Proposal: p, Outcome: Created}
	have := m.asks[recording.KeyOf(p.Mapping.Call)]
	wider := m.asks[p.Wider]
	if p.Wider == "" || have != nil {
		wider = nil
	}
	if wider != nil {
		untouched, err := m.untouched(wider)
		if err != nil {
			return nil, err
		}
		if !untouched || m.given[wider.Spec.ID] {
			if p.Earlier && !untouched {
				return nil, nil // it answers them as before
			}
			wider = nil
		}
	}
	switch {
	case p.Earlier && (have != nil || wider == nil && !m.given[m.idOf(p.Wider)]):
		return nil, nil
	case have != nil:
		if err := m.collide(made, have); err != nil {
			return nil, err
		}
	case wider != nil: // it would answer for all others, too
		made.Outcome = Changed
		if p.Earlier {
			made.Outcome = Narrowed
		}
		m.given[wider.Spec.ID] = true
		made.Mapping = takingPlace(wider.Spec, p.Mapping)
	default:
		made.Mapping.ID = m.freeID(p.Name)
	}
	if made.Outcome != Kept && (made.Outcome != Unchanged || !slices.Equal(made.Mapping.Labels, have.Spec.Labels)) {
		m.put = append(m.put, made.Mapping)
		for name, content := range p.Payloads {
			m.payloads[name] = content
		}
	}
	return made, nil
}

// idOf is the id of the mapping that asks for this, "" for none.
func (m *making) idOf(ask string) string {
	if have := m.asks[ask]; ask != "" && have != nil {
		return have.Spec.ID
	}
	return ""
}

// collide says what becomes of a proposal that asks for the same as a mapping that is
// there.
func (m *making) collide(made *Made, have *Mapping) error {
	next := takingPlace(have.Spec, made.Mapping)
	untouched, err := m.untouched(have)
	switch {
	case err != nil:
		return err
	case m.Existing == ExistingFollow:
		followed, ok := following(have.Spec, made.Mapping)
		switch next = followed; {
		case !ok:
			made.Outcome = Kept
			made.Notes = append(made.Notes, fmt.Sprintf("no answer can follow: it chooses among its answers, or has %d of them", spec.MaxSequence))
		case sameBut(have.Spec, followed):
			made.Outcome = Unchanged
		default:
			made.Outcome = Followed
		}
	case sameBut(have.Spec, next):
		made.Outcome = Unchanged
	case m.Existing == ExistingKeep, m.Existing == "" && !untouched:
		made.Outcome = Kept
	default:
		made.Outcome = Changed
	}
	if !have.Spec.Enabled {
		made.Notes = append(made.Notes, "it is switched off, and stays so")
	}
	made.Mapping = next
	if made.Outcome == Kept {
		made.Mapping = have.Spec
	}
	return nil
}

// untouched reports whether a recording made a mapping as it is.
func (m *making) untouched(have *Mapping) (bool, error) {
	versions, err := m.catalog.store.MappingVersions(m.ctx, m.service.Spec.ID, have.Spec.ID)
	if err != nil {
		return false, fmt.Errorf("see who changed mapping %q: %w", have.Spec.ID, err)
	}
	return len(versions) > 0 && strings.HasPrefix(versions[0].By, RecordedBy), nil
}

// freeID is an id that no mapping has, nor one that was proposed.
func (m *making) freeID(id string) string {
	free := id
	for n := 2; m.ids[free]; n++ {
		free = id + "-" + strconv.Itoa(n)
	}
	m.ids[free] = true
	return free
}

// takingPlace is a proposal as the next state of a mapping: it keeps what a recording
// does not say.
func takingPlace(have, next spec.Mapping) spec.Mapping {
	next.ID, next.Title, next.Rank, next.Enabled, next.Impair = have.ID, have.Title, have.Rank, have.Enabled, have.Impair
	labels := slices.Clone(have.Labels)
	for _, label := range next.Labels {
		if !slices.Contains(labels, label) {
			labels = append(labels, label)
		}
	}
	next.Labels = labels
	if next.Sequence != nil && have.Sequence != nil {
		next.Then, next.Per = have.Then, have.Per
	}
	return next
}

// following is a mapping with the answers of another behind its own, unless they are
// there already. ok is false where it has no order.
func following(have, next spec.Mapping) (followed spec.Mapping, ok bool) {
	if have.Choose != nil {
		return have, false
	}
	followed = takingPlace(have, next)
	before, more := have.Answers(), next.Answers()
	followed.Answer, followed.Sequence = spec.Answer{}, slices.Concat(before, more)
	if from := len(before) - len(more); from >= 0 && sameAnswers(before[from:], more) {
		followed.Answer, followed.Sequence, followed.Then = have.Answer, have.Sequence, have.Then
		return followed, true
	}
	if followed.Then == "" {
		followed.Then = spec.RepeatLast
	}
	return followed, len(followed.Sequence) <= spec.MaxSequence
}

// sameBut reports whether two mappings differ by their labels at most.
func sameBut(a, b spec.Mapping) bool {
	a.Labels = b.Labels
	return mappingDigest(a) == mappingDigest(b)
}

func sameAnswers(a, b []spec.Answer) bool {
	return mappingDigest(spec.Mapping{Sequence: a}) == mappingDigest(spec.Mapping{Sequence: b})
}

// EarlierExchanges are the calls of all other recordings of a service to the paths of
// some, the oldest first.
func (c *Catalog) EarlierExchanges(ctx context.Context, nameOrID, id string, exchanges []recording.Exchange) ([]recording.Exchange, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	paths := make(map[string]bool)
	for _, x := range exchanges {
		paths[x.Path] = true
	}
	return c.store.ExchangesOn(ctx, s.Spec.ID, id, slices.Sorted(maps.Keys(paths)))
}
