package control

import (
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (s *server) getIgnored(c *gin.Context) {
	s.respondIgnored(c, http.StatusOK, s.Catalog.Snapshot().Ignored())
}

// respondIgnored answers with the rules, and how many calls of the log each fits.
func (s *server) respondIgnored(c *gin.Context, status int, ignored *catalog.Ignored) {
	view := api.Ignored{Ignored: ignored.Spec, ETag: ignored.ETag(), Counts: make([]int, len(ignored.Spec.Calls))}
	err := s.Log.Flush(c.Request.Context())
	if err == nil && len(view.Counts) > 0 {
		_, err = s.Calls.ListCalls(c.Request.Context(), call.Filter{Ignored: func(r *call.Summary) bool {
			if rule := ignored.Rule(r); rule >= 0 {
				view.Counts[rule]++
			}
			return true // all of them are looked at, and none is wanted
		}}, 0, 1)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", view.ETag)
	s.respond(c, status, view, tagged{ignored.Spec, view.ETag})
}

func (s *server) putIgnored(c *gin.Context) {
	putDocument(s, c, "", spec.GivenIgnored, nil, s.replaceIgnored)
}

func (s *server) patchIgnored(c *gin.Context) {
	have := s.Catalog.Snapshot().Ignored()
	patchDocument(s, c, have.Spec, "", have.ETag(), spec.GivenIgnored, s.replaceIgnored)
}

// replaceIgnored puts the rules. given is their document where the caller knows its lines.
func (s *server) replaceIgnored(c *gin.Context, ignored spec.Ignored, given []spec.Given[spec.Ignored], demand string) {
	now, err := s.Catalog.PutIgnored(c.Request.Context(), ignored, demand)
	if err != nil {
		s.fail(c, located(err, given), api.Ignored{Ignored: now.Spec, ETag: now.ETag()})
		return
	}
	s.respondIgnored(c, http.StatusOK, now)
}

// postIgnored adds a rule: as it is given, or for calls like one.
func (s *server) postIgnored(c *gin.Context) {
	var wanted api.IgnoreRequest
	err := readFields(c, &wanted, "rule")
	rule := strings.TrimSpace(wanted.Text)
	switch {
	case err != nil:
	case (rule == "") == (wanted.Call == ""):
		err = problem.New(problem.Invalid, "a rule has text, such as method:GET path:/health, or call, the id of a call to ignore the like of")
	case wanted.Call != "":
		rule, err = s.ruleOf(c, wanted.Call)
	}
	for try := 0; err == nil; try++ {
		have := s.Catalog.Snapshot().Ignored()
		next := have.Spec
		if !slices.Contains(next.Calls, rule) {
			next.Calls = append(slices.Clone(next.Calls), rule)
		}
		next.Off = false // who adds one wants it to count
		if len(next.Calls) > spec.MaxIgnored {
			err = problem.New(problem.Invalid, "there are %d rules already: join some with or", spec.MaxIgnored)
			break
		}
		var now *catalog.Ignored
		if now, err = s.Catalog.PutIgnored(c.Request.Context(), next, have.ETag()); err == nil {
			s.respondIgnored(c, http.StatusOK, now)
			return
		}
		if stale := (*problem.Error)(nil); try < patchTries && errors.As(err, &stale) && stale.Code == problem.Stale { // somebody was faster
			err = nil
		}
	}
	if items := problem.ItemsOf(err); len(items) > 0 { // the caller knows no document
		err = problem.New(problem.Invalid, "%s", items[0].Detail)
	}
	s.fail(c, err, nil)
}

// ruleOf is the rule that fits a call and those to the same place.
func (s *server) ruleOf(c *gin.Context, id string) (string, error) {
	number, ok := call.ParseID(id)
	if !ok {
		return "", problem.New(problem.NotFound, "%q is not a call id (such as c-81f3)", id)
	}
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		return "", err
	}
	record, err := s.Calls.Call(c.Request.Context(), number)
	if err != nil {
		return "", err
	}
	line := record.Summary()
	return line.Rule(), nil
}
