package control

import (
	"cmp"
	"maps"
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

// seenOf is what the token of a request sees of a scenario: of services to which it is not
// limited, nothing.
func seenOf(c *gin.Context, scenario spec.Scenario) spec.Scenario {
	if holder(c).Whole() {
		return scenario
	}
	scenario.Services = maps.Clone(scenario.Services)
	maps.DeleteFunc(scenario.Services, func(name string, _ spec.ServiceChanges) bool { return !sees(c, name) })
	return scenario
}

func (s *server) scenarioView(c *gin.Context, scenario *catalog.Scenario) api.Scenario {
	snapshot, now := s.Catalog.Snapshot(), time.Now()
	seen := seenOf(c, scenario.Spec)
	view := api.Scenario{Scenario: seen, ETag: catalog.ETag(scenario.Version), Lines: seen.Lines(), Calls: sourcesView(s.Log.ScenarioCalls(scenario.Spec.Name)), On: []api.ActiveScenario{}}
	if a := snapshot.Active(nil, now); a != nil && a.Scenario == scenario.Spec.Name {
		view.On = append(view.On, activeView("", a))
	}
	for _, lane := range snapshot.Lanes(now) {
		if a := snapshot.Active(lane, now); a != nil && a.Scenario == scenario.Spec.Name {
			view.On = append(view.On, activeView(lane.Spec.Name, a))
		}
	}
	if !holder(c).Whole() { // which would tell of all services
		return view
	}
	view.Faults = snapshot.ScenarioFaults(scenario)
	for _, d := range snapshot.Differences(scenario) {
		view.Differences = append(view.Differences, api.ScenarioDifference{What: d.What, Here: d.Here, Instead: d.Instead, Of: d.Of})
	}
	return view
}

func (s *server) listScenarios(c *gin.Context) {
	label := c.Query("label")
	respondList(s, c, listing[*catalog.Scenario, api.Scenario]{
		items: slices.DeleteFunc(s.Catalog.Snapshot().Scenarios(), func(scenario *catalog.Scenario) bool {
			return label != "" && !slices.Contains(scenario.Spec.Labels, label)
		}),
		key:  func(scenario *catalog.Scenario) string { return scenario.Spec.Name },
		view: func(scenario *catalog.Scenario) api.Scenario { return s.scenarioView(c, scenario) },
		document: func(scenario *catalog.Scenario) tagged {
			return tagged{seenOf(c, scenario.Spec), catalog.ETag(scenario.Version)}
		},
	})
}

// postScenarios puts a document of one or many scenarios, all or none; all new ones,
// if the request demands it.
func (s *server) postScenarios(c *gin.Context) {
	text, err := readDocument(c)
	var given []spec.Given[spec.Scenario]
	if err == nil {
		given, err = spec.GivenScenarios(text)
	}
	var demands []string
	if err == nil {
		demands, err = demandsOf(c, given)
	}
	var made []*catalog.Scenario
	var outcomes []string
	if err == nil {
		made, outcomes, err = s.Catalog.PutScenarios(c.Request.Context(), spec.Documents(given), demands...)
	}
	if err != nil {
		s.failScenario(c, located(err, given), made)
		return
	}
	list := api.List[api.Scenario]{Items: []api.Scenario{}}
	for _, scenario := range made {
		list.Items = append(list.Items, s.scenarioView(c, scenario))
	}
	status := http.StatusOK
	if len(made) == 1 && outcomes[0] == catalog.Created {
		status = madeAt(c, "/api/v1/scenarios/"+made[0].Spec.Name)
	}
	c.PureJSON(status, list)
}

func (s *server) respondScenario(c *gin.Context, status int, scenario *catalog.Scenario) {
	c.Header("ETag", catalog.ETag(scenario.Version))
	s.respond(c, status, s.scenarioView(c, scenario), tagged{seenOf(c, scenario.Spec), catalog.ETag(scenario.Version)})
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
	putDocument(s, c, c.Param("scenario"), spec.GivenScenario, func(given spec.Given[spec.Scenario]) error {
		return checkAddress(c, "scenario", "name", c.Param("scenario"), given.Document.Name)
	}, s.replaceScenario)
}

func (s *server) patchScenario(c *gin.Context) {
	scenario, err := s.Catalog.Snapshot().FindScenario(c.Param("scenario"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	patchDocument(s, c, scenario.Spec, scenario.Spec.Name, catalog.ETag(scenario.Version), spec.GivenScenario, s.replaceScenario)
}

// replaceScenario puts the scenario of a document at the address; under another name it
// is renamed. given is the document where the caller knows its lines.
func (s *server) replaceScenario(c *gin.Context, document spec.Scenario, given []spec.Given[spec.Scenario], demand string) {
	made, outcome, err := s.Catalog.PutScenarioAs(c.Request.Context(), c.Param("scenario"), document, demand)
	if err != nil {
		err = located(err, given)
		var there []*catalog.Scenario
		if made != nil {
			there = append(there, made)
		}
		s.failScenario(c, err, there)
		return
	}
	if outcome == catalog.Created {
		c.Header("Location", c.Request.URL.Path)
	}
	s.respondScenario(c, written(outcome), made)
}

// failScenario answers with an error, and with the scenario that is there already or
// is another than was demanded, if that is what it is about.
func (s *server) failScenario(c *gin.Context, err error, made []*catalog.Scenario) {
	var current any
	if len(made) > 0 {
		current = s.scenarioView(c, made[0])
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

// givenActivation is a switch, or what tells which scenario is on as it was read.
type givenActivation struct {
	api.UseScenario
	Lane   string     `json:"lane"`
	Since  *time.Time `json:"since"`
	Until  *time.Time `json:"until"`
	By     string     `json:"by"`
	Before string     `json:"before"`
}

// isAs reports whether it was read from a scenario that is still on as it was then.
func (g givenActivation) isAs(now api.ActiveScenario) bool {
	return g.Since != nil && now.Since != nil && g.Scenario == now.Scenario && g.Since.Equal(*now.Since)
}

// putActive switches a scenario on instead of the one that was; what it counts
// begins anew. What was read can be put back: what is on already stays as it is, and no
// scenario means none.
func (s *server) putActive(c *gin.Context) {
	var wanted givenActivation
	err := readFields(c, &wanted, "switch")
	var lane *catalog.Lane
	if err == nil {
		lane, err = s.laneOf(c)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	now := time.Now()
	if view := activeView(c.Query("lane"), s.Catalog.Snapshot().Active(lane, now)); wanted.isAs(view) {
		c.PureJSON(http.StatusOK, view)
		return
	}
	if wanted.Scenario == "" {
		s.deleteActive(c)
		return
	}
	if wanted.Until != nil && wanted.For == 0 {
		if wanted.For = spec.Duration(wanted.Until.Sub(now)); wanted.For <= 0 {
			s.fail(c, problem.New(problem.Invalid, "the scenario was on until %s, which is over: leave until out, or say for how long by \"for\"", wanted.Until.Format(time.RFC3339)), nil)
			return
		}
	}
	err = s.beginAnew(c, wanted.Scenario)
	var used, before *catalog.Activation
	if err == nil {
		used, before, err = s.Catalog.UseScenario(c.Request.Context(), c.Query("lane"), wanted.Scenario, time.Duration(wanted.For), now)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := activeView(c.Query("lane"), used)
	if before != nil {
		view.Before = before.Scenario
	}
	view.Webhooks = s.sendWebhooks(c, c.Query("lane"), used)
	c.PureJSON(http.StatusOK, view)
}

// sendWebhooks sends the webhooks of a scenario that was switched on just now, in a lane or with "" in
// none, and tells of each.
func (s *server) sendWebhooks(c *gin.Context, lane string, on *catalog.Activation) (told []api.ScenarioWebhook) {
	for _, w := range s.Engine.ScenarioWebhooks(c.Request.Context(), lane, on) {
		if w.Call != nil {
			s.Callbacks.Make(w.Call)
		}
		if sees(c, w.Service) {
			told = append(told, api.ScenarioWebhook{Service: w.Service, Webhook: w.Name, Why: w.Why})
		}
	}
	return told
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
	err := readFields(c, &wanted, "draft")
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
		if record.Source == call.FromCallback {
			proposal.Skipped = append(proposal.Skipped, api.SkippedCall{Call: id, Address: record.Request.Method + " " + record.Request.Path, Reason: "the service made it itself"})
			continue
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
