package control

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/walk"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// WalkStore keeps walks. Implementations are safe for concurrent use.
type WalkStore interface {
	Walks(ctx context.Context) ([]walk.Walk, error)
	PutWalk(ctx context.Context, w walk.Walk) error
	RemoveWalk(ctx context.Context, name string) error
}

const (
	mostWalks     = 100
	mostStepCalls = 50 // calls that are told of one step
)

func (s *server) findWalk(ctx context.Context, name string) (*walk.Walk, error) {
	walks, err := s.Walks.Walks(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(walks, func(w walk.Walk) bool { return w.Name == name }); i >= 0 {
		return &walks[i], nil
	}
	names := make([]string, len(walks))
	for i, w := range walks {
		names[i] = w.Name
	}
	if len(names) == 0 {
		return nil, problem.New(problem.NotFound, "walk %q not found: there is none", name)
	}
	return nil, problem.New(problem.NotFound, "walk %q not found (%s)", name, problem.Suggest(name, names, "there is"))
}

// lastCall is the number of the last call that came; 0 for none.
func (s *server) lastCall(ctx context.Context) (uint64, error) {
	if err := s.Log.Flush(ctx); err != nil {
		return 0, err
	}
	lines, err := s.Calls.ListCalls(ctx, call.Filter{}, 0, 1)
	if err != nil || len(lines) == 0 {
		return 0, err
	}
	return lines[0].Number, nil
}

// visitors are the calls that came to the service of a walk while a step answered, the first to
// come first.
func (s *server) visitors(ctx context.Context, w *walk.Walk, step *walk.Step) (lines []call.Summary, err error) {
	for _, visit := range slices.Backward(step.Visits) {
		before := uint64(0)
		if visit.Last > 0 {
			before = visit.Last + 1
		}
		found, err := s.Calls.ListCalls(ctx, call.Filter{Service: w.Service, Lane: w.Lane, After: visit.After, Received: true}, before, mostStepCalls-len(lines))
		if err != nil {
			return nil, err
		}
		lines = append(lines, found...)
		if len(lines) == mostStepCalls {
			break
		}
	}
	slices.Reverse(lines)
	return lines, nil
}

// walkView is a walk as the API tells of it, with the ids of calls where called is set.
func (s *server) walkView(ctx context.Context, w *walk.Walk, called bool) (api.Walk, error) {
	view := api.Walk{Name: w.Name, Service: w.Service, Mapping: w.Mapping, Operation: w.Operation, At: w.At, Lane: w.Lane, Position: w.Position, By: w.By, Started: w.Started.UTC(), Steps: []api.WalkStep{}}
	if !w.Ended.IsZero() {
		ended := w.Ended.UTC()
		view.Ended = &ended
	}
	view.Off = w.Ended.IsZero() && !s.isOn(w)
	for i := range w.Steps {
		step := &w.Steps[i]
		one := api.WalkStep{Boundary: boundaryView(step.Variant), Verdict: string(step.Verdict), Text: step.Text}
		if called && len(step.Visits) > 0 {
			lines, err := s.visitors(ctx, w, step)
			if err != nil {
				return view, err
			}
			for _, line := range lines {
				one.Calls = append(one.Calls, call.ID(line.Number))
			}
		}
		view.Steps = append(view.Steps, one)
	}
	return view, nil
}

// isOn reports whether the scenario of a walk is on where it holds.
func (s *server) isOn(w *walk.Walk) bool {
	lane, err := s.laneNamed(w.Lane)
	if err != nil { // it is closed
		return false
	}
	active := s.Catalog.Snapshot().Active(lane, time.Now())
	return active != nil && active.Scenario == w.Scenario()
}

func (s *server) respondWalk(c *gin.Context, status int, w *walk.Walk, err error) {
	var view api.Walk
	if err == nil {
		err = s.Log.Flush(c.Request.Context())
	}
	if err == nil {
		view, err = s.walkView(c.Request.Context(), w, true)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(status, view)
}

func (s *server) listWalks(c *gin.Context) {
	walks, err := s.Walks.Walks(c.Request.Context())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[walk.Walk, api.Walk]{
		items: walks, limit: defaultLimit, key: func(w walk.Walk) string { return w.Name },
		view: func(w walk.Walk) api.Walk {
			view, _ := s.walkView(c.Request.Context(), &w, false) // which asks nothing that fails
			return view
		},
	})
}

func (s *server) getWalk(c *gin.Context) {
	w, err := s.findWalk(c.Request.Context(), c.Param("walk"))
	s.respondWalk(c, http.StatusOK, w, err)
}

// createWalk begins a walk: the first value answers from the next call on.
func (s *server) createWalk(c *gin.Context) {
	var wanted api.NewWalk
	err := readFields(c, &wanted, "walk")
	ctx := c.Request.Context()
	var service *catalog.Service
	if err == nil {
		service, err = s.shared().FindService(wanted.Service)
	}
	var variants []boundary.Variant
	if err == nil {
		_, variants, err = s.varied(ctx, service, &wanted.BoundaryChoice)
	}
	var w *walk.Walk
	s.walking.Lock()
	defer s.walking.Unlock()
	if err == nil {
		w, err = s.newWalk(ctx, service, &wanted, variants)
	}
	var last uint64
	if err == nil {
		last, err = s.lastCall(ctx)
	}
	if err == nil {
		err = w.Go("1", last)
	}
	if err == nil {
		err = s.beginWalk(ctx, w)
	}
	s.respondWalk(c, http.StatusCreated, w, err)
}

// beginWalk keeps a new walk and switches its scenario on, or leaves nothing of it.
func (s *server) beginWalk(ctx context.Context, w *walk.Walk) error {
	err := s.useWalk(ctx, w)
	if err == nil {
		_, _, err = s.Catalog.UseScenario(ctx, w.Lane, w.Scenario(), 0, time.Now())
	}
	if err != nil {
		if s.Catalog.Snapshot().Scenario(w.Scenario()) != nil {
			err = errors.Join(err, s.Catalog.RemoveScenario(ctx, w.Scenario(), "", time.Now()))
		}
		err = errors.Join(err, s.Walks.RemoveWalk(ctx, w.Name))
	}
	return err
}

func (s *server) newWalk(ctx context.Context, service *catalog.Service, wanted *api.NewWalk, variants []boundary.Variant) (*walk.Walk, error) {
	walks, err := s.Walks.Walks(ctx)
	if err != nil {
		return nil, err
	}
	w := &walk.Walk{Name: wanted.Name, Service: service.Spec.Name, Mapping: wanted.Mapping, Operation: wanted.Operation, At: wanted.At, Lane: wanted.Lane, By: catalog.AuthorOf(ctx), Started: time.Now()}
	if w.Name == "" {
		w.Name = spec.Slug(wanted.Mapping+wanted.Operation, 40)
	}
	switch {
	case w.Name != spec.Slug(w.Name, 40):
		return nil, problem.New(problem.Invalid, "the name of a walk is small letters, digits and -, at most 40, not %q", w.Name)
	case len(variants) == 0:
		return nil, problem.New(problem.Invalid, "there is no value to walk through")
	case len(walks) >= mostWalks:
		return nil, problem.New(problem.Conflict, "there are %d walks, as many as can be: remove one (rapidmimic walk remove NAME)", len(walks))
	case slices.ContainsFunc(walks, func(have walk.Walk) bool { return have.Name == w.Name }):
		return nil, problem.New(problem.Exists, "walk %q is there already (give another name, or remove it: rapidmimic walk remove %s)", w.Name, w.Name)
	case s.Catalog.Snapshot().Scenario(w.Scenario()) != nil:
		return nil, problem.New(problem.Exists, "scenario %q is there already, and the walk needs one of this name (give the walk another name, or remove the scenario)", w.Scenario())
	}
	if i := slices.IndexFunc(walks, func(have walk.Walk) bool { return have.Lane == w.Lane && have.Ended.IsZero() }); i >= 0 {
		return nil, problem.New(problem.Conflict, "walk %q goes on there (end it first, or walk in a lane of your own)", walks[i].Name)
	}
	lane, err := s.laneNamed(w.Lane)
	if err != nil {
		return nil, err
	}
	if active := s.Catalog.Snapshot().Active(lane, time.Now()); active != nil {
		w.Before = active.Scenario
	}
	for _, v := range variants {
		w.Steps = append(w.Steps, walk.Step{Variant: v})
	}
	return w, nil
}

// laneNamed is an open lane; nil for "".
func (s *server) laneNamed(name string) (*catalog.Lane, error) {
	if name == "" {
		return nil, nil
	}
	return s.Catalog.Snapshot().FindLane(name, time.Now())
}

// useWalk makes the answer what the position of a walk says, and keeps the walk.
func (s *server) useWalk(ctx context.Context, w *walk.Walk) error {
	service, err := s.shared().FindService(w.Service)
	if err != nil {
		return err
	}
	scenario, err := w.Document(service)
	if err != nil {
		return err
	}
	if _, _, err = s.Catalog.PutScenarios(ctx, []spec.Scenario{scenario}); err != nil {
		return err
	}
	return s.Walks.PutWalk(ctx, *w)
}

// putWalkPosition goes to another step.
func (s *server) putWalkPosition(c *gin.Context) {
	var wanted api.WalkPosition
	ctx := c.Request.Context()
	err := readFields(c, &wanted, "position")
	s.walking.Lock()
	defer s.walking.Unlock()
	var w *walk.Walk
	if err == nil {
		w, err = s.findWalk(ctx, c.Param("walk"))
	}
	var last uint64
	if err == nil {
		last, err = s.lastCall(ctx)
	}
	if err == nil {
		err = w.Go(wanted.To, last)
	}
	if err == nil {
		err = s.useWalk(ctx, w)
	}
	s.respondWalk(c, http.StatusOK, w, err)
}

// putWalkNote keeps what a tester says of a step.
func (s *server) putWalkNote(c *gin.Context) {
	var said api.WalkNote
	ctx := c.Request.Context()
	err := readFields(c, &said, "note")
	s.walking.Lock()
	defer s.walking.Unlock()
	var w *walk.Walk
	if err == nil {
		w, err = s.findWalk(ctx, c.Param("walk"))
	}
	if err == nil {
		err = w.Say(c.Param("step"), walk.Verdict(said.Verdict), said.Text)
	}
	if err == nil {
		err = s.Walks.PutWalk(ctx, *w)
	}
	s.respondWalk(c, http.StatusOK, w, err)
}

// endWalk brings the answer back as it was, and the scenario that was on; the walk stays to be
// read.
func (s *server) endWalk(c *gin.Context) {
	s.walking.Lock()
	defer s.walking.Unlock()
	w, err := s.endOfWalk(c.Request.Context(), c.Param("walk"))
	s.respondWalk(c, http.StatusOK, w, err)
}

func (s *server) endOfWalk(ctx context.Context, name string) (*walk.Walk, error) {
	w, err := s.findWalk(ctx, name)
	if err != nil || !w.Ended.IsZero() {
		return w, err
	}
	last, err := s.lastCall(ctx)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	snapshot := s.Catalog.Snapshot()
	if s.isOn(w) {
		if w.Before != "" && snapshot.Scenario(w.Before) != nil {
			_, _, err = s.Catalog.UseScenario(ctx, w.Lane, w.Before, 0, now)
		} else {
			_, err = s.Catalog.LeaveScenario(ctx, w.Lane, now)
		}
	}
	if err == nil && snapshot.Scenario(w.Scenario()) != nil {
		err = s.Catalog.RemoveScenario(ctx, w.Scenario(), "", now)
	}
	if err != nil {
		return nil, err
	}
	w.End(last, now)
	return w, s.Walks.PutWalk(ctx, *w)
}

func (s *server) deleteWalk(c *gin.Context) {
	s.walking.Lock()
	defer s.walking.Unlock()
	w, err := s.endOfWalk(c.Request.Context(), c.Param("walk"))
	if err == nil {
		err = s.Walks.RemoveWalk(c.Request.Context(), w.Name)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

// getWalkReport gives a walk as Markdown, a page, or a suite of tests.
func (s *server) getWalkReport(c *gin.Context) {
	ctx := c.Request.Context()
	w, err := s.findWalk(ctx, c.Param("walk"))
	if err == nil {
		err = s.Log.Flush(ctx)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	calls := func(step *walk.Step) (told []string) {
		lines, problem := s.visitors(ctx, w, step)
		if err == nil {
			err = problem
		}
		for _, line := range lines {
			told = append(told, fmt.Sprintf("%s %s /%s%s %d", call.ID(line.Number), line.Method, line.Service, line.Path, line.Status))
		}
		return told
	}
	text, mediaType := "", ""
	var broken error
	switch format := c.Query("format"); format {
	case "", "markdown":
		text, mediaType = w.Markdown(calls), "text/markdown; charset=utf-8"
	case "html":
		text, broken = w.HTML(calls)
		mediaType = "text/html; charset=utf-8"
	case "junit":
		text, broken = w.JUnit(calls)
		mediaType = "application/xml"
	default:
		broken = problem.New(problem.Invalid, "format must be markdown, html or junit, not %q", format)
	}
	if err == nil {
		err = broken
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Data(http.StatusOK, mediaType, []byte(text))
}
