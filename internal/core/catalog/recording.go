package catalog

import (
	"cmp"
	"context"
	"fmt"
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
	return compileCapture(r)
}

func compileCapture(r spec.Recording) (*Capture, error) {
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
	case old.Upstream == nil:
		return nil, problem.New(problem.Invalid, "service %q has no upstream to record", old.Spec.Name).With(problem.SetUpstream, old.Spec.Name)
	case r.Missing && !old.Spec.Falls(spec.OtherwiseUpstream):
		return nil, problem.New(problem.Invalid, "service %q does not ask its upstream for what it does not answer itself", old.Spec.Name).With(problem.AskUpstream, old.Spec.Name)
	case old.Recording != nil:
		return nil, problem.New(problem.Exists, "service %q is already being recorded, as %q since %s", old.Spec.Name, old.Recording.Spec.Name, old.Recording.Spec.Started.UTC().Format(time.RFC3339))
	}
	r.ID = "r-" + strconv.FormatInt(c.nextLocked(), 36)
	r.By, r.Upstream = authorOf(ctx), old.Spec.Upstream
	capture, err := compileCapture(r)
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
// service answers by itself from the next call on.
func (c *Catalog) StopRecording(ctx context.Context, nameOrID, id string, at time.Time, answer bool) (spec.Recording, error) {
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
	r.Stopped = at
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
	r.By = authorOf(ctx)
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

// RemoveRecording removes a recording with its calls; mappings that were made of
// it stay.
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
	edit.change.RemoveRecordings = []string{r.Recording.ID}
	return edit.commit(ctx)
}

// What becomes of mappings that are there already when a recording makes ones
// of the same ids.
const (
	// ExistingKeep leaves mappings that were edited by hand, and replaces those
	// that a recording made and nobody changed.
	ExistingKeep    = "keep"
	ExistingReplace = "replace"
	ExistingAdd     = "add" // under another id
)

// Made is what became of one proposal.
type Made struct {
	recording.Proposal
	Outcome string // created, changed, unchanged or kept
}

// RecordedBy is the author of mappings that recordings make.
const RecordedBy = "recording "

// MakeMappings puts the mappings that recorded calls propose into a service.
// Ones that are there already are treated as existing says. With dryRun it says
// what would happen.
func (c *Catalog) MakeMappings(ctx context.Context, nameOrID string, proposals []recording.Proposal, name, existing string, dryRun bool) ([]Made, error) {
	if !slices.Contains([]string{"", ExistingKeep, ExistingReplace, ExistingAdd}, existing) {
		return nil, problem.New(problem.Invalid, "existing must be keep, replace or add, not %q", existing)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	var made []Made
	var put []spec.Mapping
	payloads := make(map[string][]byte)
	for _, p := range proposals {
		m := Made{Proposal: p, Outcome: Created}
		if have := s.Mapping(p.Mapping.ID); have != nil {
			if m.Outcome, err = c.collision(ctx, s, have, p.Mapping, existing); err != nil {
				return nil, err
			}
			if existing == ExistingAdd && m.Outcome == Created {
				m.Mapping.ID = freeID(s, p.Mapping.ID)
			}
		}
		if m.Outcome == Created || m.Outcome == Changed {
			put = append(put, m.Mapping)
			for payload, content := range p.Payloads {
				payloads[payload] = content
			}
		}
		made = append(made, m)
	}
	if dryRun || len(put) == 0 {
		return made, nil
	}
	edit := c.editLocked()
	if len(payloads) > 0 {
		if s, err = edit.putPayloads(s, payloads); err != nil {
			return nil, err
		}
	}
	if _, _, _, err := edit.putMappings(s, put); err != nil {
		return nil, err
	}
	return made, edit.commit(By(ctx, RecordedBy+name))
}

// collision says what becomes of a proposal whose id is taken.
func (c *Catalog) collision(ctx context.Context, s *Service, have *Mapping, next spec.Mapping, existing string) (string, error) {
	if mappingDigest(have.Spec) == mappingDigest(next) {
		return Unchanged, nil
	}
	switch existing {
	case ExistingReplace:
		return Changed, nil
	case ExistingAdd:
		return Created, nil
	}
	versions, err := c.store.MappingVersions(ctx, s.Spec.ID, have.Spec.ID)
	if err != nil {
		return "", fmt.Errorf("see who changed mapping %q: %w", have.Spec.ID, err)
	}
	if len(versions) > 0 && strings.HasPrefix(versions[0].By, RecordedBy) {
		return Changed, nil
	}
	return "kept", nil
}
