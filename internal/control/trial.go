package control

import (
	"errors"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
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
		record, err := s.receivedCall(c.Request.Context(), service.Spec.Name, number)
		if err != nil {
			return err
		}
		result := s.explained(s.Engine.ExplainOn(c.Request.Context(), snapshot, again(record)))
		trial.Result = &result
		return s.workOut(c, trial, wanted.Expressions, snapshot, m, record)
	}
	if of < 0 {
		return nil
	}
	return s.workOut(c, trial, wanted.Expressions, snapshot, m, records[of])
}

// workOut tells what expressions give in an answer of a mapping to a call.
func (s *server) workOut(c *gin.Context, trial *api.Trial, expressions []string, snapshot *catalog.Snapshot, m *catalog.Mapping, record *call.Record) error {
	if len(expressions) > mostExpressions {
		return problem.New(problem.Invalid, "at most %d expressions are worked out, not %d", mostExpressions, len(expressions))
	}
	worked, ok := s.Engine.WorkOut(c.Request.Context(), snapshot, m, again(record), expressions)
	if !ok || len(worked) == 0 {
		return nil
	}
	told := tree.NewList()
	for _, one := range worked {
		told.Items = append(told.Items, expressionTree(one))
	}
	shown, err := s.concealed(told)
	if err != nil {
		return err
	}
	trial.ValuesOf = call.ID(record.Number)
	for i, one := range shown.Items {
		trial.Values = append(trial.Values, api.ExpressionValue{Expression: expressions[i], Value: one.Get("value"), Fault: one.Get("fault").Str()})
	}
	return nil
}

func expressionTree(one engine.Worked) *tree.Node {
	if one.Err != nil {
		return tree.NewMap(tree.Member{Key: "fault", Value: tree.NewString(one.Err.Error())})
	}
	return tree.NewMap(tree.Member{Key: "value", Value: one.Value})
}

// concealed is a document without the values that are known for secrets.
func (s *server) concealed(whole *tree.Node) (*tree.Node, error) {
	answer := call.Answer{Status: http.StatusOK, Header: []call.Field{{Name: "Content-Type", Value: "application/json"}}, Body: whole.AppendJSON(nil)}
	var none *call.Explanation
	s.Masker.Conceal(&answer, &none)
	return tree.ParseJSON(answer.Body)
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
func chose(d *engine.Decision, m *catalog.Mapping) bool {
	return slices.ContainsFunc(d.Explanation.Steps, func(step call.Step) bool {
		return step.Verdict == call.Taken && step.Of.Kind == call.KindMapping && step.Of.ID == m.Spec.ID
	})
}

// whyNot says why a call would not be answered by a mapping.
func (s *server) whyNot(d *engine.Decision, service *catalog.Service, m *catalog.Mapping, record *call.Record) string {
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
