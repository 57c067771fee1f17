package catalog

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"
	"time"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Lane is a lane that was opened, compiled.
type Lane struct {
	StoredLane
	changes
	rule *match.Conditions // nil without one
}

// ClosedLane is a lane that is no more.
type ClosedLane struct {
	Name string
	At   time.Time
}

// mostClosed bounds how many closed lanes are remembered.
const mostClosed = 500

// MaxLaneMappings bounds the mappings that a lane has of its own.
const MaxLaneMappings = 5_000

func countLaneMappings(l spec.Lane) (count int) {
	for _, own := range l.Services {
		count += len(own.Mappings)
	}
	return count
}

// open reports whether the lane is open at a time.
func (l *Lane) open(now time.Time) bool { return now.Before(l.Until) }

// Takes reports whether the rule of the lane lets a call belong to it.
func (l *Lane) Takes(facts *match.Facts, scope func() *expr.Scope) bool {
	return l.rule.Fails(facts, scope) == nil
}

// byOpening sorts lanes, the first to be opened first.
func byOpening(a, b *Lane) int {
	return cmp.Or(a.Opened.Compare(b.Opened), cmp.Compare(a.Spec.Name, b.Spec.Name))
}

// Lanes lists the lanes that are open at a time, the first to be opened first.
func (s *Snapshot) Lanes(now time.Time) (open []*Lane) {
	for _, lane := range s.lanes {
		if lane.open(now) {
			open = append(open, lane)
		}
	}
	slices.SortFunc(open, byOpening)
	return open
}

// LaneNames names the lanes that are open at a time, the first to be opened first.
func (s *Snapshot) LaneNames(now time.Time) (names []string) {
	for _, lane := range s.Lanes(now) {
		names = append(names, lane.Spec.Name)
	}
	return names
}

// Lane returns the lane with this name that is open at a time, or nil.
func (s *Snapshot) Lane(name string, now time.Time) *Lane {
	if lane := s.lanes[name]; lane != nil && lane.open(now) {
		return lane
	}
	return nil
}

// FindLane returns an open lane by its name. The error says when it was closed, or
// names similar ones.
func (s *Snapshot) FindLane(name string, now time.Time) (*Lane, error) {
	if lane := s.Lane(name, now); lane != nil {
		return lane, nil
	}
	closed := time.Time{}
	if lane := s.lanes[name]; lane != nil {
		closed = lane.Until
	}
	for _, c := range s.closed {
		if c.Name == name {
			closed = c.At
		}
	}
	if !closed.IsZero() {
		return nil, problem.New(problem.NotFound, "lane %q is closed since %s", name, closed.UTC().Format("15:04:05 UTC"))
	}
	return nil, notFound("lane", name, s.LaneNames(now))
}

// Ruled lists the open lanes that have a rule, the first to be opened first.
func (s *Snapshot) Ruled() []*Lane { return s.ruled }

// orderLanes finds the lanes that have a rule.
func (s *Snapshot) orderLanes() {
	s.ruled = nil
	for _, lane := range s.lanes {
		if lane.rule != nil {
			s.ruled = append(s.ruled, lane)
		}
	}
	slices.SortFunc(s.ruled, byOpening)
}

func compileLane(s *Snapshot, stored StoredLane) (*Lane, []problem.Item) {
	lane := &Lane{StoredLane: stored}
	var faults []problem.Item
	lane.changes, faults = s.compileChanges(stored.Spec.Changes, "lane "+strconv.Quote(stored.Spec.Name))
	if when := stored.Spec.When; when != nil {
		rule, wrong := conditionCompiler.Conditions(spec.Pattern{Where: when.Where, If: when.If})
		for _, fault := range wrong {
			fault.At = "/when" + fault.At[len("/call"):]
			faults = append(faults, fault)
		}
		if rule != nil && rule.ReadsBody() {
			faults = append(faults, problem.Item{At: "/when/if", Detail: "the lane of a call is known before its body is read: look at caller, headers, cookies or query"})
		}
		lane.rule = rule
	}
	return lane, faults
}

// OpenLane opens a lane, with its scenario on.
func (c *Catalog) OpenLane(ctx context.Context, l spec.Lane, now time.Time) (*Lane, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	snapshot := c.Snapshot()
	if open := snapshot.Lane(l.Name, now); open != nil {
		return open, problem.New(problem.Exists, "lane %q is already open, until %s", l.Name, open.Until.UTC().Format("15:04:05 UTC"))
	}
	version := c.nextLocked()
	stored := StoredLane{ID: "l-" + strconv.FormatInt(version, 36), Spec: l, Opened: now, Until: now.Add(time.Duration(l.TTL)), By: AuthorOf(ctx), Version: version}
	if l.Scenario != "" {
		if _, err := snapshot.FindScenario(l.Scenario); err != nil {
			return nil, err
		}
		stored.Active = &Activation{Scenario: l.Scenario, Since: now, By: stored.By}
	}
	return c.commitLane(ctx, stored)
}

func (c *Catalog) commitLane(ctx context.Context, stored StoredLane) (*Lane, error) {
	if n := countLaneMappings(stored.Spec); n > MaxLaneMappings {
		return nil, problem.New(problem.TooLarge, "a lane has at most %d mappings of its own, and %q would have %d (what everybody may have belongs to the service)", MaxLaneMappings, stored.Spec.Name, n)
	}
	edit := c.editLocked()
	lane, faults := compileLane(edit.next, stored)
	if err := problem.FromItems("the lane cannot be used", faults); err != nil {
		return nil, err
	}
	edit.putLane(lane)
	return lane, edit.commit(ctx)
}

// EditLane changes what an open lane says. One whose time to live changes stays
// open that long from when it was opened. ifMatch may demand a version.
func (c *Catalog) EditLane(ctx context.Context, name, ifMatch string, now time.Time, change func(*spec.Lane) error) (*Lane, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Snapshot().FindLane(name, now)
	if err != nil {
		return nil, err
	}
	if err := checkTag(ifMatch, old.Version, "lane "+strconv.Quote(name)); err != nil {
		return old, err
	}
	stored := old.StoredLane
	stored.Spec.Services = maps.Clone(stored.Spec.Services)
	if err := change(&stored.Spec); err != nil {
		return nil, err
	}
	stored.Spec.Name = name
	if err := spec.CheckLane(stored.Spec); err != nil {
		return nil, err
	}
	stored.Spec.Changes = stored.Spec.KeepingSecrets(old.Spec.Changes)
	if documentDigest(stored.Spec) == documentDigest(old.Spec) && stored.Spec.SameSecrets(old.Spec.Changes) {
		return old, nil
	}
	stored.Version, stored.Until = c.nextLocked(), old.Opened.Add(time.Duration(stored.Spec.TTL))
	return c.commitLane(ctx, stored)
}

// putLane puts a lane instead of the one of its name.
func (e *edit) putLane(lane *Lane) {
	next := *e.next
	next.lanes = maps.Clone(next.lanes)
	if next.lanes == nil {
		next.lanes = make(map[string]*Lane)
	}
	next.lanes[lane.Spec.Name] = lane
	next.orderLanes()
	e.next = &next
	e.change.Lanes = append(e.change.Lanes, lane.StoredLane)
}

// CloseLane closes a lane: what it held is gone from the answers. It returns the
// lane as it was.
func (c *Catalog) CloseLane(ctx context.Context, name string, now time.Time) (*Lane, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	lane, err := c.Snapshot().FindLane(name, now)
	if err != nil {
		return nil, err
	}
	edit := c.editLocked()
	edit.closeLane(lane, now)
	return lane, edit.commit(ctx)
}

func (e *edit) closeLane(lane *Lane, at time.Time) {
	next := *e.next
	next.lanes = maps.Clone(next.lanes)
	delete(next.lanes, lane.Spec.Name)
	next.closed = append(slices.Clone(next.closed[max(0, len(next.closed)-mostClosed):]), ClosedLane{lane.Spec.Name, at})
	next.orderLanes()
	e.next = &next
	e.change.RemoveLanes = append(e.change.RemoveLanes, lane.Spec.Name)
}

// Expire closes the lanes whose time is over, switches off the scenarios whose
// time is, and returns the lanes. What has ended is not in force before either.
func (c *Catalog) Expire(ctx context.Context, now time.Time) (closed []*Lane, err error) {
	if !c.Snapshot().anyOver(now) {
		return nil, nil
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	for _, lane := range edit.next.lanes {
		switch {
		case !lane.open(now):
			edit.closeLane(lane, lane.Until)
			closed = append(closed, lane)
		case lane.Active != nil && lane.Active.at(now) == nil:
			changed := *lane
			changed.Active = nil
			edit.putLane(&changed)
		}
	}
	if edit.next.active != nil && edit.next.active.at(now) == nil {
		next := *edit.next
		next.active = nil
		edit.next, edit.change.Switched = &next, &Activation{}
	}
	return closed, edit.commit(ctx)
}

// anyOver reports whether there is something to expire.
func (s *Snapshot) anyOver(now time.Time) bool {
	over := func(a *Activation) bool { return a != nil && a.at(now) == nil }
	for _, lane := range s.lanes {
		if !lane.open(now) || over(lane.Active) {
			return true
		}
	}
	return over(s.active)
}
