package catalog

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

// views are the snapshots as lanes and scenarios change them, each made when it is
// first asked for. They change nothing of what a snapshot answers.
type views struct{ made sync.Map } // viewKey → *Snapshot

type viewKey struct {
	lane     *Lane
	scenario *Scenario
	since    int64
}

// View is the environment as calls see it at a time: those in a lane, or with nil
// those in none, under the scenario that is on there.
func (s *Snapshot) View(lane *Lane, now time.Time) *Snapshot {
	active := s.Active(lane, now)
	if active == nil {
		return s.under(lane, nil, time.Time{})
	}
	return s.under(lane, s.scenarios[active.Scenario], active.Since)
}

// ViewWith is View under a scenario that need not be on.
func (s *Snapshot) ViewWith(lane *Lane, scenario *Scenario) *Snapshot {
	return s.under(lane, scenario, time.Time{})
}

func (s *Snapshot) under(lane *Lane, scenario *Scenario, since time.Time) *Snapshot {
	if lane == nil && scenario == nil {
		return s
	}
	if s.views == nil {
		return s.makeView(lane, scenario, since)
	}
	key := viewKey{lane, scenario, since.UnixNano()}
	if made, ok := s.views.made.Load(key); ok {
		return made.(*Snapshot)
	}
	made, _ := s.views.made.LoadOrStore(key, s.makeView(lane, scenario, since))
	return made.(*Snapshot)
}

// InLane is the lane that the view is of; nil for none.
func (s *Snapshot) InLane() *Lane { return s.lane }

// LaneName is the name of the lane that the view is of, ScenarioName that of the
// scenario in force; "" for none.
func (s *Snapshot) LaneName() string {
	if s.lane == nil {
		return ""
	}
	return s.lane.Spec.Name
}

// ScenarioName is the name of the scenario in force; "" for none.
func (s *Snapshot) ScenarioName() string {
	if s.scenario == nil {
		return ""
	}
	return s.scenario.Spec.Name
}

// StateKey is how the keys of all that is counted in the view begin.
func (s *Snapshot) StateKey() string {
	if s.stateKey == "" {
		return stateKey(nil, "")
	}
	return s.stateKey
}

func stateKey(lane *Lane, scenario string) string { return LaneKey(lane) + scenario + "/" }

// LaneKey is how the keys of all that is counted in a lane begin, whatever its
// scenario; with nil in none.
func LaneKey(lane *Lane) string {
	if lane == nil {
		return "+"
	}
	return lane.ID + "+"
}

// layer is one of the sets of changes in a view; later ones win.
type layer struct {
	*changes
	since time.Time
}

// layersOf are the changes of a scenario and all that it builds on, the innermost
// first, then those of a lane.
func (s *Snapshot) layersOf(lane *Lane, scenario *Scenario, since time.Time) (layers []layer) {
	for _, one := range s.chain(scenario) {
		layers = append(layers, layer{changes: &one.changes, since: since})
	}
	if lane != nil {
		layers = append(layers, layer{changes: &lane.changes, since: lane.Opened})
	}
	return layers
}

func (s *Snapshot) makeView(lane *Lane, scenario *Scenario, since time.Time) *Snapshot {
	v := *s
	v.views, v.lane, v.scenario = nil, lane, scenario
	v.stateKey = stateKey(lane, v.ScenarioName())
	if lane != nil { // what is switched on for the others is not for it
		v.impairments = impairments{lines: s.impairments.lines}
	}
	layers := s.layersOf(lane, scenario, since)
	sum, variables := s.sum(layers), variablesOf(layers)
	v.impairments.byKey = maps.Clone(v.impairments.byKey)
	if v.impairments.byKey == nil {
		v.impairments.byKey = make(map[string]*Impairment)
	}
	for key, i := range sum.impairments {
		if own := v.impairments.byKey[key]; own == nil || since.IsZero() || !own.Since.After(since) { // the last to be switched on counts
			v.impairments.byKey[key] = i
		}
	}
	v.services = slices.Clone(s.services)
	for i, service := range v.services {
		own := sum.services[service.Spec.Name]
		if own != nil || lane != nil && service.Recording != nil || len(variables) > 0 {
			v.services[i] = service.with(own, lane != nil)
		}
		if len(variables) > 0 {
			v.services[i].resolve(s, variables...)
		}
	}
	v.index()
	return &v
}

// variablesOf are the variables that sets of changes set.
func variablesOf(layers []layer) (all []level) {
	for _, l := range layers {
		if len(l.Variables) > 0 {
			all = append(all, level{l.origin, l.Variables})
		}
	}
	return all
}

// Difference is something that two sets of changes say differently: the one that
// counts, and the one that it comes before.
type Difference struct {
	What          string // example of listBerths in moorings
	Here, Instead string
	Of            string // scenario "storm"
	origin        string // of whom Here is
}

// Differences lists what a scenario says otherwise than those it builds on.
func (s *Snapshot) Differences(scenario *Scenario) []Difference {
	all := s.sum(s.layersOf(nil, scenario, time.Time{})).differences
	return slices.DeleteFunc(all, func(d Difference) bool { return d.origin != scenario.origin })
}

// sum is what several sets of changes come to.
type sum struct {
	services    map[string]*serviceSum // by name
	impairments map[string]*Impairment // by key
	differences []Difference
	said        map[string]said // by what it is about
}

// said is what one set of changes says of a thing: text in words, exactly as it
// tells it from everything else.
type said struct{ origin, text, exactly string }

type serviceSum struct {
	off      string // by whom it is switched off; "" for nobody
	mode     string
	gone     map[string]string // mappings that do not answer → by whom
	mappings []*Mapping
	memory   *spec.Memory // nil for that of everybody
	with     string       // by whom it is
}

func (s *Snapshot) sum(layers []layer) *sum {
	out := &sum{services: make(map[string]*serviceSum), impairments: make(map[string]*Impairment), said: make(map[string]said)}
	for depth, l := range layers {
		for name, v := range l.Variables {
			exactly := documentDigest(v)
			out.say(l, "variable "+name, v.String(), exactly)
		}
		if l.Impair != nil {
			out.impair(s, l, spec.Target{}, "", *l.Impair)
		}
		for _, name := range slices.Sorted(maps.Keys(l.Services)) {
			if service := s.Named(name); service != nil {
				out.service(s, l, depth+1, service, l.Services[name])
			}
		}
	}
	return out
}

// say keeps who says what of a thing, and what it takes the place of.
func (m *sum) say(l layer, what, text, exactly string) {
	if before, is := m.said[what]; is && before.exactly != exactly {
		m.differences = append(m.differences, Difference{What: what, Here: text, Instead: before.text, Of: before.origin, origin: l.origin})
	}
	m.said[what] = said{l.origin, text, exactly}
}

func (m *sum) service(s *Snapshot, l layer, depth int, service *Service, own spec.ServiceChanges) {
	name := service.Spec.Name
	into := m.services[name]
	if into == nil {
		into = &serviceSum{gone: make(map[string]string)}
		m.services[name] = into
	}
	if own.Off != nil {
		if into.off = ""; *own.Off {
			into.off = l.origin
		}
		text := map[bool]string{true: "off", false: "on"}[*own.Off]
		m.say(l, name, text, text)
	}
	if own.Mode != "" && (own.Mode != spec.ModeRelay || service.Spec.Upstream != "") {
		into.mode = own.Mode
		m.say(l, "mode of "+name, own.Mode, own.Mode)
	}
	if own.Memory != nil {
		below := service.Spec.Memory
		if into.memory != nil {
			below = *into.memory
		}
		memory := own.Memory.Over(below)
		into.memory, into.with = &memory, strings.TrimSpace(into.with+" "+l.origin)
		exactly := documentDigest(memory)
		m.say(l, "memory of "+name, "its own", exactly)
	}
	for _, id := range own.MappingsOff {
		into.gone[id] = l.origin
		into.drop(id)
		m.say(l, "mapping "+id+" of "+name, "off", "off")
	}
	for _, made := range l.mappings[name] {
		if made.Chosen {
			m.say(l, "example of "+made.Spec.ID+" in "+name, made.Spec.Answer.Example, made.Spec.Answer.Example)
		} else {
			m.say(l, "mapping "+made.Spec.ID+" of "+name, answerText(made.Spec), mappingDigest(made.Spec))
		}
		into.put(made.onLayer(depth))
	}
	if own.Impair != nil {
		m.impair(s, l, spec.Target{Service: name}, service.Spec.ID, *own.Impair)
	}
	for _, id := range slices.Sorted(maps.Keys(own.ImpairOperations)) {
		m.impair(s, l, spec.Target{Service: name, Operation: id}, service.Spec.ID, own.ImpairOperations[id])
	}
	for _, id := range slices.Sorted(maps.Keys(own.ImpairMappings)) {
		m.impair(s, l, spec.Target{Service: name, Mapping: id}, service.Spec.ID, own.ImpairMappings[id])
	}
}

// answerText says in a line what a mapping answers.
func answerText(m spec.Mapping) string {
	replies := m.Answers()
	first, body := replies[0], ""
	switch {
	case first.Text != nil:
		body = *first.Text
	case first.XML != nil:
		body = *first.XML
	case first.JSON != nil:
		body = string(first.JSON.AppendJSON(nil))
	case first.Example != "":
		body = "example " + first.Example
	}
	const most = 60
	if body = strings.Join(strings.Fields(body), " "); len(body) > most {
		body = strings.ToValidUTF8(body[:most], "") + " …"
	}
	text := strings.TrimSpace(first.Status.String() + " " + body)
	if len(replies) > 1 {
		text += fmt.Sprintf(", and %d more answers", len(replies)-1)
	}
	return text
}

func (t *serviceSum) drop(id string) {
	t.mappings = slices.DeleteFunc(t.mappings, func(m *Mapping) bool { return m.Spec.ID == id && !m.Chosen })
}

// put adds a mapping instead of the one of its name.
func (t *serviceSum) put(m *Mapping) {
	t.mappings = slices.DeleteFunc(t.mappings, func(old *Mapping) bool { return old.Spec.ID == m.Spec.ID && old.Chosen == m.Chosen })
	t.mappings = append(t.mappings, m)
}

func (m *sum) impair(s *Snapshot, l layer, target spec.Target, serviceID string, i spec.Impairment) {
	exactly := documentDigest(i)
	if i.Seed == nil {
		i.Seed = seedOf(l.origin + " " + target.String())
	}
	stored := StoredImpairment{ServiceID: serviceID, Operation: target.Operation, Mapping: target.Mapping, Impairment: i, Since: l.since}
	made, fault := s.compileImpairment(stored)
	if fault != nil {
		return // its line is gone: see ScenarioFaults
	}
	plan := *made.Plan
	plan.Target += " in " + l.origin
	made.Origin, made.Plan = l.origin, &plan
	m.impairments[made.Key()] = made
	m.say(l, "impairment of "+target.String(), i.String(), exactly)
}

// onLayer is the mapping where it comes before those of lower layers.
func (m *Mapping) onLayer(depth int) *Mapping {
	on, rule := *m, *m.Rule
	rule.Layer = depth
	on.Rule = &rule
	return &on
}

// overlay is what stands above the mappings of a service.
type overlay struct {
	rules     match.Edited[*Mapping]
	mappings  []*Mapping
	gone      map[string]string // mappings of the service that do not answer → by whom
	looksInto bool
	off       string
}

// with is the service with changes, nil for none. In a lane no recording runs.
func (s *Service) with(own *serviceSum, inLane bool) *Service {
	next := s.alike()
	if inLane {
		next.Recording = nil
	}
	if own == nil {
		return next
	}
	if own.mode != "" {
		next.Spec.Mode = own.mode
	}
	if own.memory != nil {
		next.Spec.Memory, next.MemoryWith = *own.memory, own.with
		next.findCollections()
	}
	next.over = &overlay{mappings: own.mappings, gone: own.gone, off: own.off}
	for _, m := range own.mappings {
		next.over.looksInto = next.over.looksInto || m.looks() > 0
	}
	next.over.rules = match.NewEdited(next.entriesOf(own.mappings))
	return next
}

// Off says by whom the service is switched off; "" for nobody.
func (s *Service) Off() string {
	if s.over == nil {
		return ""
	}
	return s.over.off
}

// OwnMappings are those that a scenario or a lane adds in this view.
func (s *Service) OwnMappings() []*Mapping {
	if s.over == nil {
		return nil
	}
	return s.over.mappings
}

// Seen are the mappings of the view, those of the highest layer first. Chosen
// examples are none.
func (s *Service) Seen() []*Mapping {
	if len(s.OwnMappings()) == 0 {
		return s.Mappings
	}
	own := slices.DeleteFunc(slices.Clone(s.OwnMappings()), func(m *Mapping) bool { return m.Chosen })
	slices.SortStableFunc(own, func(a, b *Mapping) int { return cmp.Compare(b.Rule.Layer, a.Rule.Layer) })
	return append(own, s.Mappings...)
}

// OffBy says who keeps a mapping from answering in the view; "" when nobody does.
func (s *Service) OffBy(m *Mapping) string {
	if s.over == nil || m.Origin != "" {
		return ""
	}
	return s.over.gone[m.Spec.ID]
}

// overlaid finds the mappings of all layers whose path fits, the winner first.
func (s *Service) overlaid(method string, segments []string, facts *match.Facts) (fits []match.Fit[*Mapping], others int) {
	fits, others = s.mappings.rules.Find(method, segments, facts)
	if len(s.over.gone) > 0 {
		fits = slices.DeleteFunc(fits, func(f match.Fit[*Mapping]) bool { return s.over.gone[f.Value.Spec.ID] != "" })
	}
	own, more := s.over.rules.Find(method, segments, facts)
	if len(own) == 0 {
		return fits, others + more
	}
	fits = append(own, fits...)
	match.SortFits(fits)
	return fits, others + more
}
