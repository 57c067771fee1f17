package control

import (
	"cmp"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// laneOf is the lane that a request names in its query; nil for none.
func (s *server) laneOf(c *gin.Context) (*catalog.Lane, error) {
	name := c.Query("lane")
	if name == "" || name == call.NoLane {
		return nil, nil
	}
	return s.Catalog.Snapshot().FindLane(name, time.Now())
}

// viewOf is the environment as the calls of the lane see it that a request names.
func (s *server) viewOf(c *gin.Context) (*catalog.Snapshot, error) {
	lane, err := s.laneOf(c)
	if err != nil {
		return nil, err
	}
	return s.Catalog.Snapshot().View(lane, time.Now()), nil
}

// shared is the environment as calls in no lane see it.
func (s *server) shared() *catalog.Snapshot { return s.Catalog.Snapshot().View(nil, time.Now()) }

func activeView(lane string, a *catalog.Activation) api.ActiveScenario {
	view := api.ActiveScenario{Lane: lane}
	if a == nil {
		return view
	}
	since := a.Since.UTC()
	view.Scenario, view.Since, view.By = a.Scenario, &since, a.By
	if !a.Until.IsZero() {
		until := a.Until.UTC()
		view.Until = &until
	}
	return view
}

func (s *server) scenarioView(scenario *catalog.Scenario) api.Scenario {
	snapshot, now := s.Catalog.Snapshot(), time.Now()
	view := api.Scenario{Scenario: scenario.Spec, ETag: catalog.ETag(scenario.Version), Lines: scenario.Spec.Lines(), Calls: sourcesView(s.Log.ScenarioCalls(scenario.Spec.Name)), On: []api.ActiveScenario{}, Faults: snapshot.ScenarioFaults(scenario)}
	if a := snapshot.Active(nil, now); a != nil && a.Scenario == scenario.Spec.Name {
		view.On = append(view.On, activeView("", a))
	}
	for _, lane := range snapshot.Lanes(now) {
		if a := snapshot.Active(lane, now); a != nil && a.Scenario == scenario.Spec.Name {
			view.On = append(view.On, activeView(lane.Spec.Name, a))
		}
	}
	for _, d := range snapshot.Differences(scenario) {
		view.Differences = append(view.Differences, api.ScenarioDifference{What: d.What, Here: d.Here, Instead: d.Instead, Of: d.Of})
	}
	return view
}

func (s *server) listScenarios(c *gin.Context) {
	list := api.List[api.Scenario]{Items: []api.Scenario{}}
	documents := []spec.Scenario{}
	for _, scenario := range s.Catalog.Snapshot().Scenarios() {
		if text := c.Query("label"); text != "" && !slices.Contains(scenario.Spec.Labels, text) {
			continue
		}
		list.Items = append(list.Items, s.scenarioView(scenario))
		documents = append(documents, scenario.Spec)
	}
	s.respond(c, http.StatusOK, list, documents)
}

// postScenarios puts a document of one or many scenarios, all or none; all new ones,
// if the request demands it.
func (s *server) postScenarios(c *gin.Context) {
	text, err := readDocument(c)
	var wanted []spec.Scenario
	if err == nil {
		wanted, err = spec.ReadScenarios(text)
	}
	var made []*catalog.Scenario
	if err == nil {
		made, _, err = s.Catalog.PutScenarios(c.Request.Context(), wanted, demandOf(c))
	}
	if err != nil {
		s.failScenario(c, located(err, text), made)
		return
	}
	list := api.List[api.Scenario]{Items: []api.Scenario{}}
	for _, scenario := range made {
		list.Items = append(list.Items, s.scenarioView(scenario))
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) respondScenario(c *gin.Context, status int, scenario *catalog.Scenario) {
	c.Header("ETag", catalog.ETag(scenario.Version))
	s.respond(c, status, s.scenarioView(scenario), scenario.Spec)
}

func (s *server) getScenario(c *gin.Context) {
	scenario, err := s.Catalog.Snapshot().FindScenario(c.Param("scenario"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.respondScenario(c, http.StatusOK, scenario)
}

func (s *server) putScenario(c *gin.Context) {
	text, err := readDocument(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceScenario(c, text, true, demandOf(c))
}

func (s *server) patchScenario(c *gin.Context) {
	scenario, err := s.Catalog.Snapshot().FindScenario(c.Param("scenario"))
	var text []byte
	if err == nil {
		text, err = patched(c, scenario.Spec)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.replaceScenario(c, text, false, ifMatchOr(c, scenario.Version))
}

// replaceScenario puts a document under the name of the URL. ours says that the
// caller knows its lines.
func (s *server) replaceScenario(c *gin.Context, text []byte, ours bool, ifMatch string) {
	read, err := spec.ReadScenarioNamed(text, c.Param("scenario"))
	if err == nil && read.Name != c.Param("scenario") {
		err = problem.New(problem.Invalid, "the document is for scenario %q, the address for %q", read.Name, c.Param("scenario"))
	}
	var made []*catalog.Scenario
	var isNew []bool
	if err == nil {
		made, isNew, err = s.Catalog.PutScenarios(c.Request.Context(), []spec.Scenario{read}, ifMatch)
	}
	if err != nil {
		if err = located(err, text); !ours {
			err = withoutLines(err)
		}
		s.failScenario(c, err, made)
		return
	}
	s.respondScenario(c, created(isNew[0]), made[0])
}

// failScenario answers with an error, and with the scenario that is there already or
// is another than was demanded, if that is what it is about.
func (s *server) failScenario(c *gin.Context, err error, made []*catalog.Scenario) {
	var current any
	if len(made) > 0 {
		current = s.scenarioView(made[0])
	}
	s.fail(c, err, current)
}

func (s *server) deleteScenario(c *gin.Context) {
	if err := s.Catalog.RemoveScenario(c.Request.Context(), c.Param("scenario"), c.GetHeader("If-Match"), time.Now()); err != nil {
		s.fail(c, err, nil)
		return
	}
	s.Log.ForgetScenario(c.Param("scenario"))
	c.Status(http.StatusNoContent)
}

// getActive tells which scenario is on, in the lane of the query or in none.
func (s *server) getActive(c *gin.Context) {
	lane, err := s.laneOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, activeView(c.Query("lane"), s.Catalog.Snapshot().Active(lane, time.Now())))
}

// putActive switches a scenario on instead of the one that was; what it counts
// begins anew.
func (s *server) putActive(c *gin.Context) {
	var wanted api.UseScenario
	err := readJSON(c, &wanted, "switch")
	if err == nil {
		err = s.beginAnew(c, wanted.Scenario)
	}
	var used, before *catalog.Activation
	if err == nil {
		used, before, err = s.Catalog.UseScenario(c.Request.Context(), c.Query("lane"), wanted.Scenario, time.Duration(wanted.For), time.Now())
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := activeView(c.Query("lane"), used)
	if before != nil {
		view.Before = before.Scenario
	}
	c.PureJSON(http.StatusOK, view)
}

// beginAnew sets back what a scenario counts, before a call can be under it.
func (s *server) beginAnew(c *gin.Context, name string) error {
	lane, err := s.laneOf(c)
	if err != nil {
		return err
	}
	snapshot := s.Catalog.Snapshot()
	scenario, err := snapshot.FindScenario(name)
	if err == nil {
		s.Engine.ResetView(snapshot.ViewWith(lane, scenario))
	}
	return err
}

func (s *server) deleteActive(c *gin.Context) {
	before, err := s.Catalog.LeaveScenario(c.Request.Context(), c.Query("lane"), time.Now())
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := activeView(c.Query("lane"), nil)
	if before != nil {
		view.Before = before.Scenario
	}
	c.PureJSON(http.StatusOK, view)
}

// resetActive sets positions, counters, limits and counts back to their start, in
// the lane of the query or in none; definitions stay.
func (s *server) resetActive(c *gin.Context) {
	view, err := s.viewOf(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.Engine.ResetView(view)
	if view.InLane() == nil { // a lane's reset is nothing that others notice
		s.Log.ForgetScenario(view.ScenarioName())
	}
	c.Status(http.StatusNoContent)
}

// postDraft proposes a scenario of what is on, or of calls. It keeps nothing.
func (s *server) postDraft(c *gin.Context) {
	var wanted api.ScenarioDraft
	err := readJSON(c, &wanted, "draft")
	if err == nil && !spec.ValidName(wanted.Name) {
		err = problem.New(problem.Invalid, "the name of a scenario is %s, not %q", spec.NameRule, wanted.Name)
	}
	var proposal api.ScenarioProposal
	if err == nil {
		proposal, err = s.draft(c, wanted)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	proposal.Lines = proposal.Scenario.Lines()
	s.respond(c, http.StatusOK, proposal, proposal.Scenario)
}

func (s *server) draft(c *gin.Context, wanted api.ScenarioDraft) (proposal api.ScenarioProposal, err error) {
	snapshot, now := s.Catalog.Snapshot(), time.Now()
	if len(wanted.Calls) == 0 {
		var lane *catalog.Lane
		if wanted.Lane != "" {
			if lane, err = snapshot.FindLane(wanted.Lane, now); err != nil {
				return proposal, err
			}
		}
		proposal.Scenario, err = snapshot.DraftScenario(wanted.Name, lane, now)
		return proposal, err
	}
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		return proposal, err
	}
	byService := make(map[string][]recording.Exchange)
	for _, id := range wanted.Calls {
		number, ok := call.ParseID(id)
		if !ok {
			return proposal, problem.New(problem.NotFound, "%q is not a call id (such as c-81f3)", id)
		}
		record, err := s.Calls.Call(c.Request.Context(), number)
		if err != nil {
			return proposal, err
		}
		byService[record.Service] = append(byService[record.Service], recording.Of(record))
	}
	for _, exchanges := range byService {
		slices.SortFunc(exchanges, func(a, b recording.Exchange) int { return cmp.Compare(a.Number, b.Number) })
	}
	var skipped []recording.Skipped
	proposal.Scenario, skipped = snapshot.DraftFromCalls(wanted.Name, byService)
	for _, x := range skipped {
		proposal.Skipped = append(proposal.Skipped, api.SkippedCall{Call: call.ID(x.Number), Address: x.Address, Reason: x.Reason, Truncated: x.Truncated})
	}
	slices.SortFunc(proposal.Skipped, func(a, b api.SkippedCall) int { return strings.Compare(a.Call, b.Call) })
	return proposal, nil
}
