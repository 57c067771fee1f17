package catalog

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Scenario is a scenario, compiled.
type Scenario struct {
	Spec    spec.Scenario
	Version int64
	changes
}

func (s *Scenario) stored() StoredScenario { return StoredScenario{s.Spec, s.Version} }

// Activation is a scenario that is on.
type Activation struct {
	Scenario string    `json:"scenario"`
	Since    time.Time `json:"since"`
	// Until is when it ends by itself; zero for one that stays.
	Until time.Time `json:"until,omitzero"`
	By    string    `json:"by,omitempty"`
}

// at is the activation as it is at a time: nil when it has ended.
func (a *Activation) at(now time.Time) *Activation {
	if a == nil || !a.Until.IsZero() && !now.Before(a.Until) {
		return nil
	}
	return a
}

// Scenarios lists all scenarios in the order of their names.
func (s *Snapshot) Scenarios() []*Scenario {
	return slices.SortedFunc(maps.Values(s.scenarios), func(a, b *Scenario) int { return cmp.Compare(a.Spec.Name, b.Spec.Name) })
}

// Scenario returns the scenario with this name, or nil.
func (s *Snapshot) Scenario(name string) *Scenario { return s.scenarios[name] }

// ScenarioNames lists the names of all scenarios.
func (s *Snapshot) ScenarioNames() []string { return slices.Sorted(maps.Keys(s.scenarios)) }

// FindScenario returns a scenario by its name. The error names similar ones.
func (s *Snapshot) FindScenario(name string) (*Scenario, error) {
	if found := s.scenarios[name]; found != nil {
		return found, nil
	}
	return nil, notFound("scenario", name, s.ScenarioNames())
}

// chain are the scenarios that hold with one, the innermost first.
func (s *Snapshot) chain(scenario *Scenario) (chain []*Scenario) {
	for scenario != nil && !slices.Contains(chain, scenario) {
		chain = append(chain, scenario)
		scenario = s.scenarios[scenario.Spec.BuildsOn]
	}
	slices.Reverse(chain)
	return chain
}

// Webhook is a webhook that a scenario has a service send.
type Webhook struct {
	Service string
	spec.Callback
}

// Webhooks are those that are sent when a scenario is switched on, those of the innermost scenario
// that it builds on first.
func (s *Snapshot) Webhooks(scenario string) (all []Webhook) {
	for _, one := range s.chain(s.scenarios[scenario]) {
		for _, name := range slices.Sorted(maps.Keys(one.Spec.Services)) {
			for _, w := range one.Spec.Services[name].Webhooks {
				all = append(all, Webhook{name, w})
			}
		}
	}
	return all
}

// ScenarioFaults lists what of a scenario cannot be used with the services that
// are there now.
func (s *Snapshot) ScenarioFaults(scenario *Scenario) []problem.Item {
	_, faults := s.compileChanges(scenario.Spec.Changes, scenario.origin)
	if fault := s.baseFault(scenario); fault != nil {
		faults = append(faults, *fault)
	}
	return faults
}

// compileScenario leaves out what cannot be used: see ScenarioFaults.
func compileScenario(s *Snapshot, stored StoredScenario) *Scenario {
	compiled, _ := s.compileChanges(stored.Scenario.Changes, "scenario "+strconv.Quote(stored.Scenario.Name))
	return &Scenario{stored.Scenario, stored.Version, compiled}
}

// PutScenarios creates or replaces scenarios, all of them or, when one cannot be
// used, none. They may build on one another in any order. Those that are on change with
// the next call. It tells of each whether it was Created, Changed, or Unchanged. Each may
// demand a version, tags being in their order; where one has another, that is the scenario
// that is returned. Of a scenario that is not there nothing is demanded: what was removed
// can be put back.
func (c *Catalog) PutScenarios(ctx context.Context, scenarios []spec.Scenario, tags ...string) (made []*Scenario, outcomes []string, err error) {
	return c.putScenarios(ctx, scenarios, func(spec.Scenario, string) error { return nil }, tags)
}

// putScenarios is PutScenarios, in which missing may refuse a scenario that is not there.
func (c *Catalog) putScenarios(ctx context.Context, scenarios []spec.Scenario, missing func(s spec.Scenario, tag string) error, tags []string) (made []*Scenario, outcomes []string, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	for i, s := range scenarios {
		tag := ""
		if i < len(tags) {
			tag = tags[i]
		}
		old := edit.next.Scenario(s.Name)
		if old == nil {
			if err := missing(s, tag); err != nil {
				return nil, nil, err
			}
		} else {
			if err := checkTag(tag, old.Version, "scenario "+strconv.Quote(s.Name)); err != nil {
				return []*Scenario{old}, nil, err
			}
		}
		scenario, outcome := edit.writeScenario(old, s)
		made, outcomes = append(made, scenario), append(outcomes, outcome)
	}
	var faults []problem.Item
	for i, scenario := range made { // now that all are there which may build on one another
		for _, fault := range edit.next.ScenarioFaults(scenario) {
			if len(scenarios) > 1 {
				fault.At = "/" + strconv.Itoa(i) + fault.At
			}
			faults = append(faults, fault)
		}
	}
	if err := problem.FromItems("the scenario cannot be used", faults); err != nil && !allUnchanged(outcomes) {
		return nil, nil, err
	}
	return made, outcomes, edit.commitUnless(ctx, allUnchanged(outcomes))
}

// PutScenarioAs is PutScenarios for one that is called name, and gets the name of the
// document: what it is on for and what builds on it follow.
func (c *Catalog) PutScenarioAs(ctx context.Context, name string, s spec.Scenario, ifMatch string) (made *Scenario, outcome string, err error) {
	if s.Name == name {
		made, outcomes, err := c.putScenarios(ctx, []spec.Scenario{s}, func(s spec.Scenario, tag string) error {
			if demandsOne(tag) {
				return notFound("scenario", s.Name, c.Snapshot().ScenarioNames())
			}
			return nil
		}, []string{ifMatch})
		switch {
		case err == nil:
			return made[0], outcomes[0], nil
		case len(made) > 0:
			return made[0], "", err
		}
		return nil, "", err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	old, err := edit.next.FindScenario(name)
	if err != nil {
		return nil, "", err
	}
	if err := checkTag(ifMatch, old.Version, "scenario "+strconv.Quote(name)); err != nil {
		return old, "", err
	}
	if edit.next.Scenario(s.Name) != nil {
		return nil, "", problem.New(problem.Exists, "scenario %q already exists (choose another name)", s.Name)
	}
	s.Changes = s.KeepingSecrets(old.Spec.Changes)
	made = edit.putScenario(s)
	edit.renameScenario(name, s.Name)
	if err := problem.FromItems("the scenario cannot be used", edit.next.ScenarioFaults(made)); err != nil {
		return nil, "", err
	}
	return made, Changed, edit.commit(ctx)
}

// renameScenario lets what names a scenario name another one instead of it, and takes it
// away.
func (e *edit) renameScenario(from, to string) {
	for _, other := range e.next.Scenarios() {
		if other.Spec.BuildsOn == from {
			changed := other.Spec
			changed.BuildsOn = to
			e.putScenario(changed)
		}
	}
	moved := func(a *Activation) *Activation {
		if a == nil || a.Scenario != from {
			return a
		}
		renamed := *a
		renamed.Scenario = to
		return &renamed
	}
	for _, lane := range e.next.lanes {
		changed := *lane
		changed.Active = moved(lane.Active)
		if changed.Spec.Scenario == from {
			changed.Spec.Scenario = to
		}
		if changed.Active != lane.Active || changed.Spec.Scenario != lane.Spec.Scenario {
			e.putLane(&changed)
		}
	}
	if active := moved(e.next.active); active != e.next.active {
		next := *e.next
		next.active = active
		e.next, e.change.Switched = &next, active
	}
	e.removeScenario(from)
}

// writeScenario is putScenario that leaves one as it is which says the same.
func (e *edit) writeScenario(old *Scenario, s spec.Scenario) (made *Scenario, outcome string) {
	switch {
	case old == nil:
		return e.putScenario(s), Created
	case documentDigest(old.Spec) == documentDigest(s) && s.KeepingSecrets(old.Spec.Changes).SameSecrets(old.Spec.Changes):
		return old, Unchanged
	default:
		return e.putScenario(s), Changed
	}
}

// putScenario puts a scenario, whatever its faults are: see ScenarioFaults.
func (e *edit) putScenario(s spec.Scenario) *Scenario {
	if old := e.next.Scenario(s.Name); old != nil {
		s.Changes = s.KeepingSecrets(old.Spec.Changes)
	}
	scenario := compileScenario(e.next, StoredScenario{s, e.catalog.nextLocked()})
	next := *e.next
	next.scenarios = maps.Clone(next.scenarios)
	if next.scenarios == nil {
		next.scenarios = make(map[string]*Scenario)
	}
	next.scenarios[s.Name] = scenario
	e.next = &next
	e.change.Scenarios = append(e.change.Scenarios, scenario.stored())
	return scenario
}

// baseFault says why a scenario cannot build on the one that it names; nil when it
// can.
func (s *Snapshot) baseFault(scenario *Scenario) *problem.Item {
	on := scenario.Spec.BuildsOn
	if on == "" {
		return nil
	}
	if s.scenarios[on] == nil {
		return &problem.Item{At: "/buildsOn", Detail: notFound("scenario", on, s.ScenarioNames()).Error()}
	}
	if innermost := s.chain(scenario)[0]; s.scenarios[innermost.Spec.BuildsOn] != nil {
		return &problem.Item{At: "/buildsOn", Detail: "scenarios cannot build on one another in a circle"}
	}
	return nil
}

// RemoveScenario removes a scenario. One that is on, or that another builds on,
// stays.
func (c *Catalog) RemoveScenario(ctx context.Context, name, ifMatch string, now time.Time) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Snapshot().FindScenario(name)
	if err != nil {
		return err
	}
	if err := checkTag(ifMatch, old.Version, "scenario "+strconv.Quote(name)); err != nil {
		return err
	}
	if users := c.Snapshot().usersOf(name, now); len(users) > 0 {
		return problem.New(problem.Exists, "scenario %q is in use by %s", name, strings.Join(users, ", "))
	}
	edit := c.editLocked()
	edit.removeScenario(name)
	return edit.commit(ctx)
}

func (e *edit) removeScenario(name string) {
	next := *e.next
	next.scenarios = maps.Clone(next.scenarios)
	delete(next.scenarios, name)
	e.next = &next
	e.change.RemoveScenarios = append(e.change.RemoveScenarios, name)
}

// usersOf says in words what a scenario is on for, and what builds on it.
func (s *Snapshot) usersOf(name string, now time.Time) (users []string) {
	if a := s.active.at(now); a != nil && a.Scenario == name {
		users = append(users, "everybody in no lane")
	}
	for _, lane := range s.Lanes(now) {
		if a := lane.Active.at(now); a != nil && a.Scenario == name {
			users = append(users, "lane "+lane.Spec.Name)
		}
	}
	for _, other := range s.Scenarios() {
		if other.Spec.BuildsOn == name {
			users = append(users, "scenario "+other.Spec.Name)
		}
	}
	return users
}

// Situated reports whether a scenario is on or a lane with a rule is open, so that
// calls that name no lane can be answered by another view.
func (s *Snapshot) Situated() bool { return s.active != nil || len(s.ruled) > 0 }

// Active is the scenario that is on, in a lane or with nil in none; nil when none
// is.
func (s *Snapshot) Active(lane *Lane, now time.Time) *Activation {
	if lane != nil {
		return lane.Active.at(now)
	}
	return s.active.at(now)
}

// UseScenario switches a scenario on instead of the one that was, in a lane or with
// "" in none. It ends by itself after a time, unless that is 0.
func (c *Catalog) UseScenario(ctx context.Context, lane, name string, lasts time.Duration, now time.Time) (used, before *Activation, err error) {
	if _, err := c.Snapshot().FindScenario(name); err != nil {
		return nil, nil, err
	}
	if lasts < 0 {
		return nil, nil, problem.New(problem.Invalid, "how long a scenario is on must be a time such as 10m, not %s", lasts)
	}
	used = &Activation{Scenario: name, Since: now, By: AuthorOf(ctx)}
	if lasts > 0 {
		used.Until = now.Add(lasts)
	}
	before, err = c.switchTo(ctx, lane, used, now)
	return used, before, err
}

// LeaveScenario switches off the scenario that is on, in a lane or with "" in none,
// and returns it; nil when none was.
func (c *Catalog) LeaveScenario(ctx context.Context, lane string, now time.Time) (before *Activation, err error) {
	return c.switchTo(ctx, lane, nil, now)
}

func (c *Catalog) switchTo(ctx context.Context, laneName string, to *Activation, now time.Time) (before *Activation, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if to != nil {
		if _, err := c.Snapshot().FindScenario(to.Scenario); err != nil { // it may have gone since
			return nil, err
		}
	}
	edit := c.editLocked()
	if laneName == "" {
		next := *edit.next
		before, next.active = next.active.at(now), to
		edit.next = &next
		if edit.change.Switched = to; to == nil {
			edit.change.Switched = &Activation{}
		}
		return before, edit.commit(ctx)
	}
	lane, err := c.Snapshot().FindLane(laneName, now)
	if err != nil {
		return nil, err
	}
	before = lane.Active.at(now)
	changed := *lane
	changed.Active = to
	edit.putLane(&changed)
	return before, edit.commit(ctx)
}
