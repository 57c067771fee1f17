package control

import (
	"errors"
	"math"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

const (
	// mostTried is on how many calls a mapping is tried at most.
	mostTried = 200
	// mostExpressions is how many expressions are worked out at most.
	mostExpressions = 50
)

// postTrial tells what a mapping would do if it were kept: a document with
// faults is no failure of the request.
func (s *server) postTrial(c *gin.Context) {
	var wanted api.TrialRequest
	if err := readFields(c, &wanted, "trial"); err != nil {
		s.fail(c, err, nil)
		return
	}
	trial := api.Trial{Faults: []problem.Item{}, Calls: []api.TrialCall{}}
	snapshot, m, err := s.preview(c, wanted)
	var known *problem.Error
	switch {
	case errors.As(err, &known) && (known.Code == problem.Invalid || known.Code == problem.Syntax):
		if trial.Faults = known.Items; len(trial.Faults) == 0 {
			trial.Faults = []problem.Item{{Detail: known.Detail}}
		}
		c.PureJSON(http.StatusOK, trial)
		return
	case err != nil:
		s.fail(c, err, nil)
		return
	}
	service := snapshot.Find(c.Param("service"))
	trial.Mapping, trial.Deviations, trial.Problem = &m.Spec, deviationViews(service.Deviations(m)), service.Problem(m)
	if trial.YAML, err = m.Spec.YAML(); err == nil {
		err = s.tryOnCalls(c, &trial, wanted, snapshot, m)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, trial)
}

// preview is the environment as it would be with the mapping of a trial.
func (s *server) preview(c *gin.Context, wanted api.TrialRequest) (*catalog.Snapshot, *catalog.Mapping, error) {
	given, err := s.mappingsIn(c, []byte(wanted.Document))
	if err != nil {
		return nil, nil, err
	}
	if len(given) != 1 {
		return nil, nil, problem.New(problem.Invalid, "the document must hold one mapping, not %d", len(given))
	}
	if wanted.Replaces != "" {
		given[0].Document.ID = wanted.Replaces
	}
	snapshot, m, err := s.Catalog.Preview(c.Param("service"), given[0].Document)
	return snapshot, m, located(err, given)
}

// tryOnCalls tries a mapping on the last calls of its service, and on the call
// that was asked for.
func (s *server) tryOnCalls(c *gin.Context, trial *api.Trial, wanted api.TrialRequest, snapshot *catalog.Snapshot, m *catalog.Mapping) error {
	service := snapshot.Find(c.Param("service"))
	records, err := s.lastCalls(c, call.Filter{Service: service.Spec.Name}, min(wanted.Recent, mostTried))
	if err != nil {
		return err
	}
	of := -1
	for i, record := range records {
		tried := api.TrialCall{Call: callView(record.Summary())}
		d := s.Engine.ExplainOn(c.Request.Context(), snapshot, again(record))
		s.Masker.Conceal(&d.Answer, &d.Explanation)
		if tried.Answers = d.Source == call.FromMapping && d.By == m.Spec.ID; !tried.Answers {
			tried.Reason = s.whyNot(d, service, m, record)
		}
		if of < 0 && chose(d, m) {
			of = i
		}
		trial.Calls = append(trial.Calls, tried)
		s.countHolding(trial, service, m, record)
	}
	if wanted.Call != "" {
		number, _ := call.ParseID(wanted.Call)
		record, err := s.receivedCall(c.Request.Context(), number)
		if err != nil {
			return err
		}
		result := s.explained(s.Engine.ExplainOn(c.Request.Context(), snapshot, again(record)))
		trial.Result = &result
		return s.workOut(c, trial, wanted.Expressions, m, record)
	}
	if of < 0 {
		return nil
	}
	return s.workOut(c, trial, wanted.Expressions, m, records[of])
}

// workOut tells what expressions give in the answer of a mapping to a call: all of them in one answer, or,
// where one of them fails, each in its own.
func (s *server) workOut(c *gin.Context, trial *api.Trial, expressions []string, m *catalog.Mapping, record *call.Record) error {
	if len(expressions) == 0 {
		return nil
	}
	if len(expressions) > mostExpressions {
		return problem.New(problem.Invalid, "at most %d expressions are worked out, not %d", mostExpressions, len(expressions))
	}
	trial.ValuesOf = call.ID(record.Number)
	if values, fault := s.given(c, m, record, expressions); fault == "" {
		for i, expression := range expressions {
			trial.Values = append(trial.Values, api.ExpressionValue{Expression: expression, Value: values[i]})
		}
		return nil
	}
	for _, expression := range expressions {
		one := api.ExpressionValue{Expression: expression}
		values, fault := s.given(c, m, record, []string{expression})
		if one.Fault = fault; fault == "" {
			one.Value = values[0]
		}
		trial.Values = append(trial.Values, one)
	}
	return nil
}

// given is what expressions give in an answer of a mapping to a call; fault says why they give nothing.
func (s *server) given(c *gin.Context, m *catalog.Mapping, record *call.Record, expressions []string) (values []*tree.Node, fault string) {
	list := tree.NewList()
	for _, expression := range expressions {
		list.Items = append(list.Items, tree.NewString("${"+expression+"}"))
	}
	telling := spec.Mapping{ID: m.Spec.ID, Enabled: true, Rank: math.MaxInt, Call: m.Spec.Call, Answer: spec.Answer{Let: m.Spec.Answer.Let, JSON: list}}
	snapshot, _, err := s.Catalog.Preview(record.Service, telling)
	var known *problem.Error
	if errors.As(err, &known) && len(known.Items) > 0 {
		return nil, known.Items[0].Detail
	}
	if err != nil {
		return nil, err.Error()
	}
	d := s.Engine.ExplainOn(c.Request.Context(), snapshot, again(record))
	s.Masker.Conceal(&d.Answer, &d.Explanation)
	told, err := tree.ParseJSON(d.Answer.Body)
	if d.Source != call.FromMapping || d.By != m.Spec.ID || err != nil || len(told.Items) != len(expressions) {
		return nil, d.Explanation.Summary.String()
	}
	return told.Items, ""
}

// countHolding counts the conditions of a mapping that a call meets.
func (s *server) countHolding(trial *api.Trial, service *catalog.Service, m *catalog.Mapping, record *call.Record) {
	holding, asked := s.Engine.Holding(service, m, again(record))
	if !asked {
		return
	}
	trial.Asked++
	if trial.Holding == nil {
		trial.Holding = make([]int, len(m.Spec.Call.Where))
	}
	for i, holds := range holding {
		if holds {
			trial.Holding[i]++
		}
	}
}

// lastCalls reads the last calls that a filter selects, the newest first.
func (s *server) lastCalls(c *gin.Context, which call.Filter, count int) (records []*call.Record, err error) {
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		return nil, err
	}
	if count <= 0 {
		return nil, nil
	}
	which.Received = true
	lines, err := s.Calls.ListCalls(c.Request.Context(), which, 0, count)
	for _, line := range lines {
		if record, err := s.Calls.Call(c.Request.Context(), line.Number); err == nil { // else retention took it meanwhile
			records = append(records, record)
		}
	}
	return records, err
}

// again is the request of a call as if it came once more.
func again(record *call.Record) *call.Request {
	r := record.Request
	return &r
}

// chose reports whether a call was for a mapping, which may have failed to answer it.
func chose(d engine.Decision, m *catalog.Mapping) bool {
	return slices.ContainsFunc(d.Explanation.Steps, func(step call.Step) bool {
		return step.Verdict == call.Taken && step.Of.Kind == call.KindMapping && step.Of.ID == m.Spec.ID
	})
}

// whyNot says why a call would not be answered by a mapping.
func (s *server) whyNot(d engine.Decision, service *catalog.Service, m *catalog.Mapping, record *call.Record) string {
	if !m.Spec.Enabled {
		return "it is switched off"
	}
	if chose(d, m) {
		return d.Explanation.Summary.String()
	}
	for _, step := range d.Explanation.Steps {
		if step.Of.Kind == call.KindMapping && step.Of.ID == m.Spec.ID {
			return step.String()
		}
	}
	if misfit := s.Engine.Misfit(service, m, &record.Request); misfit.Why != nil {
		return misfit.Why.String()
	}
	return d.Explanation.Summary.String()
}
