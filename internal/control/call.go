package control

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"net/http"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func callView(line call.Summary) api.Call {
	// the log keeps microseconds, and a call that has just come is told alike
	view := api.Call{
		ID: call.ID(line.Number), At: line.At.UTC().Truncate(time.Microsecond), Service: line.Service, Method: line.Method, Path: line.Path,
		Query: line.Query, Status: line.Status, Source: string(line.Source), By: line.By, Operation: line.Operation, TookMs: milliseconds(line.Took),
		Deviations: line.Deviations, Lane: line.Lane, Scenario: line.Scenario, Impaired: strings.Fields(line.Injected),
		Host: line.Host, Agent: line.Agent, Trace: line.Trace,
	}
	if line.Cause > 0 {
		view.Cause = call.ID(line.Cause)
	}
	return view
}

func milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// filterOf reads which calls a request is about.
func filterOf(c *gin.Context) (f call.Filter, selection *call.Selection, err error) {
	f = call.Filter{Service: c.Query("service"), Lane: c.Query("lane"), Text: c.Query("text"), Ignored: hidden(c)}
	if selection, err = f.Compile(); err != nil {
		err = problem.New(problem.Invalid, "%v", catalog.FilterFault(err))
	}
	return f, selection, err
}

// hidden are calls that the token of a request may not see; nil for none.
func hidden(c *gin.Context) func(*call.Summary) bool {
	if holder(c).Whole() {
		return nil
	}
	return func(line *call.Summary) bool { return !sees(c, line.Service) }
}

// unknownService says that a filter asks for a service that there is not.
func (s *server) unknownService(selection *call.Selection) error {
	snapshot := s.Catalog.Snapshot()
	for _, name := range selection.Services {
		if !slices.ContainsFunc(snapshot.Names(), func(known string) bool { return strings.EqualFold(known, name) }) {
			_, err := s.Catalog.Find(name)
			return problem.New(problem.Invalid, "%v", err)
		}
	}
	return nil
}

func (s *server) listCalls(c *gin.Context) {
	limit, err := limitOf(c, defaultLimit)
	filter, selection, wrong := filterOf(c)
	err = cmp.Or(err, wrong)
	for name, bound := range map[string]*time.Time{"since": &filter.Since, "until": &filter.Until} {
		if text := c.Query(name); text != "" && err == nil {
			*bound, err = momentOf(name, text, time.Now())
		}
	}
	ignored, leftOut := s.Catalog.Snapshot().Ignored(), 0
	if !isOn(c, "ignored") {
		hides := filter.Ignored
		filter.Ignored = func(r *call.Summary) bool {
			if hides != nil && hides(r) {
				return true
			}
			if !ignored.IsIgnored(r) {
				return false
			}
			leftOut++
			return true
		}
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	var before uint64
	if after := c.Query("after"); after != "" {
		var ok bool
		if before, ok = call.ParseID(after); !ok {
			s.fail(c, problem.New(problem.Invalid, "after must be the id of a call, not %q", after), nil)
			return
		}
	}
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		s.fail(c, err, nil)
		return
	}
	lines, err := s.Calls.ListCalls(c.Request.Context(), filter, before, limit+1)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if len(lines) == 0 {
		if err := s.unknownService(selection); err != nil {
			s.fail(c, err, nil)
			return
		}
	}
	list := struct {
		api.List[any]
		Ignored int `json:"ignored,omitempty"`
	}{api.List[any]{Items: []any{}}, leftOut}
	if len(lines) > limit {
		lines = lines[:limit]
		list.Next = call.ID(lines[limit-1].Number)
	}
	if list.Next != "" {
		c.Header("Link", "<"+followingPage(c, list.Next)+`>; rel="next"`)
	}
	for _, line := range lines {
		one := callView(line)
		one.Ignored = ignored.IsIgnored(&line)
		view, err := onlyFields(one, c.Query("fields"))
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		list.Items = append(list.Items, view)
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) clearCalls(c *gin.Context) {
	err := s.Log.Clear(c.Request.Context())
	if err == nil {
		err = s.Catalog.Note(c.Request.Context(), "", "cleared the log of calls")
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

// callNamed reads a call that the token of a request may see.
func (s *server) callNamed(c *gin.Context, id string) (*call.Record, error) {
	number, ok := call.ParseID(id)
	if !ok {
		return nil, problem.New(problem.NotFound, "%q is not a call id (such as c-81f3)", id)
	}
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		return nil, err
	}
	r, err := s.Calls.Call(c.Request.Context(), number)
	if err == nil && !sees(c, r.Service) {
		err = problem.New(problem.NotFound, "call %s not found", id)
	}
	return r, err
}

func (s *server) getCall(c *gin.Context) {
	r, err := s.callNamed(c, c.Param("call"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	detail := s.callDetail(r)
	if detail.Callbacks, err = s.callbacksOf(c.Request.Context(), r); err == nil {
		detail.ChangedSince, detail.MoreSince, err = s.changedSince(c, r)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, detail)
}

// changedSince lists what was changed since a call that may change what its service answers,
// without what the token of a request may not see.
func (s *server) changedSince(c *gin.Context, r *call.Record) (since []api.Entry, more bool, err error) {
	const most = 20
	if r.Environment == 0 {
		return nil, false, nil
	}
	entries, err := s.Catalog.ChangedSince(c.Request.Context(), r.Environment, r.Service, r.Lane, most+1)
	if err != nil {
		return nil, false, err
	}
	for _, e := range entries[:min(most, len(entries))] {
		if seesEntry(c, e) {
			since = append(since, entryView(e))
		}
	}
	return since, len(entries) > most, nil
}

// addressed is the request of a call as it is made to the traffic port: what came through
// the proxy, or by its host, is told its service and its lane by the address.
func (s *server) addressed(r *call.Record) call.Request {
	asked := r.Request
	if on, _ := s.Catalog.Snapshot().OnHost(asked.HostName(), asked.Address); on == nil || on.Spec.Name != r.Service {
		return asked
	}
	asked.Address = "/" + r.Service + asked.Path
	if r.Lane != "" {
		asked.Address = "/@" + r.Lane + asked.Address
	}
	return asked
}

func (s *server) callDetail(r *call.Record) api.CallDetail {
	detail := api.CallDetail{
		Call: callView(r.Summary()), Protocol: r.Request.Protocol, Caller: r.Request.Caller, Certificate: r.Request.Certificate,
		Request: message(headerLines(r.Request.Header), r.Request.Body.Bytes, r.Request.Body.Size),
		Answer:  message(fieldLines(r.Answer.Header), r.Answer.Body, r.AnswerSize),
		Timing:  api.Timing{ReadMs: milliseconds(r.Read), DecideMs: milliseconds(r.Decide), WaitMs: milliseconds(r.Wait), AskMs: milliseconds(r.Ask), SendMs: milliseconds(r.Send)},
	}
	repeated, base := s.addressed(r), s.TrafficURL
	if r.Source == call.FromCallback {
		repeated, base = r.Request, "http://"+r.Request.Host
	}
	detail.Curl, detail.PowerShell = repeated.Repeat(base, call.POSIX), repeated.Repeat(base, call.PowerShell)
	if x := r.Upstream; x != nil {
		view := api.Exchange{Method: x.Method, Target: x.Target, Request: message(headerLines(x.RequestHeader), x.RequestBody, int64(len(x.RequestBody)))}
		if x.Answer.Status != 0 {
			answer := message(fieldLines(x.Answer.Header), x.Answer.Body, int64(len(x.Answer.Body)))
			view.Status, view.Answer = x.Answer.Status, &answer
		}
		detail.Upstream = &view
	}
	if r.Environment > 0 {
		detail.Environment = catalog.EntryID(r.Environment)
	}
	detail.Injected = injectedViews(r.Injected)
	detail.DeviationList = deviationViews(r.Deviations)
	detail.Explanation = explanationView(r.Explanation)
	return detail
}

func explanationView(e *call.Explanation) api.Explanation {
	view := api.Explanation{Steps: []api.Step{}}
	if e == nil {
		return view
	}
	view.Code, view.Sentence = string(e.Summary.Code), e.Summary.String()
	for _, step := range e.Steps {
		view.Steps = append(view.Steps, api.Step{
			Stage: string(step.Stage), Verdict: string(step.Verdict), Subject: step.Of.String(), Reason: step.String(),
			Of: api.Subject{Kind: string(step.Of.Kind), ID: step.Of.ID, From: step.Of.From}, Finding: findingView(step.Finding),
		})
	}
	return view
}

func findingView(f call.Finding) api.Finding {
	view := api.Finding{Code: string(f.Code), Part: f.Part, Seen: f.Seen, Expected: f.Expected, Values: f.Values}
	for _, one := range f.Among {
		view.Among = append(view.Among, findingView(one))
	}
	return view
}

func message(headers [][2]string, body []byte, size int64) api.Message {
	m := api.Message{Headers: headers, Encoding: "text", Size: size, Truncated: size > int64(len(body))}
	if utf8.Valid(body) || m.Truncated && utf8.Valid(body[:max(0, len(body)-utf8.UTFMax)]) {
		m.Body = string(body)
	} else {
		m.Encoding, m.Body = "base64", base64.StdEncoding.EncodeToString(body)
	}
	m.Parts = partsOf(headers, body)
	return m
}

// partsOf are the parts of a message with attachments; none of any other.
func partsOf(headers [][2]string, body []byte) (parts []api.MessagePart) {
	at := slices.IndexFunc(headers, func(h [2]string) bool { return strings.EqualFold(h[0], "Content-Type") })
	if at < 0 || call.BaseType(headers[at][1]) != "multipart/related" {
		return nil
	}
	root, others, err := call.Related(headers[at][1], body)
	if err != nil {
		return nil // what was sent is shown as it is
	}
	for _, part := range append([]call.RelatedPart{root}, others...) {
		one := api.MessagePart{ID: part.ID, ContentType: part.ContentType, Size: len(part.Content)}
		if utf8.Valid(part.Content) && !bytes.Contains(part.Content, []byte{0}) {
			one.Text = string(part.Content)
		}
		parts = append(parts, one)
	}
	return parts
}

func headerLines(h call.Header) [][2]string {
	lines := [][2]string{}
	for name, values := range h {
		for _, value := range values {
			lines = append(lines, [2]string{name, value})
		}
	}
	slices.SortStableFunc(lines, func(a, b [2]string) int { return cmp.Compare(a[0], b[0]) })
	return lines
}

func fieldLines(fields []call.Field) [][2]string {
	lines := [][2]string{}
	for _, f := range fields {
		lines = append(lines, [2]string{f.Name, f.Value})
	}
	return lines
}
