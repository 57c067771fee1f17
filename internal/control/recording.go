package control

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func recordingView(r catalog.StoredRecording) api.Recording {
	return api.Recording{Recording: r.Recording, Running: r.Recording.Runs(), Calls: r.Calls}
}

func (s *server) listRecordings(c *gin.Context) {
	recordings, err := s.flushedRecordings(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[catalog.StoredRecording, api.Recording]{
		items: recordings, view: recordingView,
		key: func(r catalog.StoredRecording) string { return r.Recording.ID },
	})
}

// flushedRecordings lists the recordings with the calls of the last moment.
func (s *server) flushedRecordings(c *gin.Context) ([]catalog.StoredRecording, error) {
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		return nil, err
	}
	return s.Catalog.Recordings(c.Request.Context(), c.Param("service"))
}

// postRecording starts a recording, or makes one of calls in the log.
func (s *server) postRecording(c *gin.Context) {
	var wanted api.RecordingStart
	if err := readFields(c, &wanted, "recording"); err != nil {
		s.fail(c, err, nil)
		return
	}
	r := recordingOf(wanted)
	r.Started = time.Now().UTC()
	if len(wanted.Keep) > 0 {
		s.keepCalls(c, r, wanted.Keep)
		return
	}
	service, err := s.Catalog.StartRecording(c.Request.Context(), c.Param("service"), r)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusCreated, recordingView(catalog.StoredRecording{Recording: service.Recording.Spec}))
}

func recordingOf(wanted api.RecordingStart) spec.Recording {
	return spec.Recording{Name: wanted.Name, Labels: wanted.Labels, Test: wanted.Test, Version: wanted.Version,
		Include: wanted.Include, Exclude: wanted.Exclude, Hosts: wanted.Hosts, MediaTypes: wanted.MediaTypes, Missing: wanted.Missing,
		Attended: wanted.Attended, End: wanted.End}
}

// postRecordingTrial tells which of the last calls a recording would have
// captured.
func (s *server) postRecordingTrial(c *gin.Context) {
	var wanted api.RecordingStart
	if err := readFields(c, &wanted, "recording"); err != nil {
		s.fail(c, err, nil)
		return
	}
	capture, err := s.Catalog.TryRecording(recordingOf(wanted))
	var service *catalog.Service
	if err == nil {
		service, err = s.Catalog.Find(c.Param("service"))
	}
	var records []*call.Record
	if err == nil {
		records, err = s.lastCalls(c, call.Filter{Service: service.Spec.Name}, mostTried)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	trial := api.RecordingTrial{Calls: []api.RecordingTest{}}
	for _, record := range records {
		why := capture.LeavesOut(&record.Request, match.Split(nil, record.Request.Path))
		if why == "" {
			why = capture.LeavesOutAnswer(record.Answer.Get("Content-Type"))
		}
		if why == "" {
			trial.Captured++
		}
		trial.Calls = append(trial.Calls, api.RecordingTest{Call: callView(record.Summary()), Reason: why})
	}
	c.PureJSON(http.StatusOK, trial)
}

// keepCalls makes a recording of calls that were relayed before.
func (s *server) keepCalls(c *gin.Context, r spec.Recording, ids []string) {
	if err := s.Log.Flush(c.Request.Context()); err != nil {
		s.fail(c, err, nil)
		return
	}
	var exchanges []recording.Exchange
	for _, id := range ids {
		number, ok := call.ParseID(id)
		if !ok {
			s.fail(c, problem.New(problem.NotFound, "%q is not a call id (such as c-81f3)", id), nil)
			return
		}
		record, err := s.Calls.Call(c.Request.Context(), number)
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		if record.Source != call.FromUpstream {
			s.fail(c, problem.New(problem.Invalid, "call %s was answered by %s, not by the upstream, so it is nothing to record", id, record.Source), nil)
			return
		}
		exchanges = append(exchanges, recording.Of(record))
	}
	slices.SortFunc(exchanges, func(a, b recording.Exchange) int { return cmp.Compare(a.Number, b.Number) })
	r.Started, r.Stopped = exchanges[0].At.UTC(), exchanges[len(exchanges)-1].At.UTC()
	r, err := s.Catalog.KeepAsRecording(c.Request.Context(), c.Param("service"), r, exchanges)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusCreated, recordingView(catalog.StoredRecording{Recording: r, Calls: len(exchanges)}))
}

func (s *server) getRecording(c *gin.Context) {
	if _, err := s.flushedRecordings(c); err != nil {
		s.fail(c, err, nil)
		return
	}
	r, err := s.Catalog.FindRecording(c.Request.Context(), c.Param("service"), c.Param("recording"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, recordingView(r))
}

func (s *server) listRecordedCalls(c *gin.Context) {
	var exchanges []recording.Exchange
	after, ok := call.ParseID(c.Query("after"))
	last, notNumber := 0, error(nil)
	if text := c.Query("last"); text != "" {
		last, notNumber = strconv.Atoi(text)
	}
	err := s.Log.Flush(c.Request.Context())
	switch {
	case err != nil:
	case c.Query("after") != "" && !ok:
		err = problem.New(problem.Invalid, "after must be the id of a call (such as c-81f3), not %q", c.Query("after"))
	case notNumber != nil || last < 0:
		err = problem.New(problem.Invalid, "last must be a number of calls, not %q", c.Query("last"))
	case isOn(c, "check"):
		_, exchanges, err = s.Catalog.Exchanges(c.Request.Context(), c.Param("service"), c.Param("recording"))
	default:
		_, exchanges, err = s.Catalog.ExchangeHeads(c.Request.Context(), c.Param("service"), c.Param("recording"), after, last)
	}
	var service *catalog.Service
	if err == nil {
		service, err = s.Catalog.Find(c.Param("service"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.RecordedCall]{Items: []api.RecordedCall{}}
	for _, x := range exchanges {
		view := recordedCallView(x)
		if isOn(c, "check") {
			operation, found, _ := s.Engine.Check(c.Request.Context(), x.Record(service.Spec.Name)) // what was found is told
			view.Operation, view.Deviations = operation, deviationViews(found)
		}
		list.Items = append(list.Items, view)
	}
	c.PureJSON(http.StatusOK, list)
}

func recordedCallView(x recording.Exchange) api.RecordedCall {
	return api.RecordedCall{ID: call.ID(x.Number), At: x.At.UTC(), Method: x.Method, Path: x.Path, Query: x.Query, Status: x.Status, Size: max(x.Size, len(x.Answer)), Truncated: x.Truncated}
}

// askedOfRecording reads what a request asks of a recording, and the recording with
// its calls. ok is false when it has answered that this cannot be.
func (s *server) askedOfRecording(c *gin.Context, wanted any, what string) (r catalog.StoredRecording, exchanges []recording.Exchange, ok bool) {
	err := readFields(c, wanted, what)
	if err == nil {
		r, exchanges, err = s.exchanges(c)
	}
	if err != nil {
		s.fail(c, err, nil)
	}
	return r, exchanges, err == nil
}

func (s *server) exchanges(c *gin.Context) (catalog.StoredRecording, []recording.Exchange, error) {
	return s.exchangesOf(c.Request.Context(), c.Param("service"), c.Param("recording"))
}

// exchangesOf reads a recording with its calls, also those of the last moment.
func (s *server) exchangesOf(ctx context.Context, service, id string) (catalog.StoredRecording, []recording.Exchange, error) {
	if err := s.Log.Flush(ctx); err != nil {
		return catalog.StoredRecording{}, nil, err
	}
	return s.Catalog.Exchanges(ctx, service, id)
}

// putAttendance says that somebody attends to a recording.
func (s *server) putAttendance(c *gin.Context) {
	r, err := s.Catalog.FindRecording(c.Request.Context(), c.Param("service"), c.Param("recording"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if !r.Recording.Runs() {
		s.fail(c, problem.New(problem.NotFound, "recording %q is not running", r.Recording.Name), nil)
		return
	}
	s.attended.saw(r.Recording.ID, time.Now())
	c.Status(http.StatusNoContent)
}

// stopRecording ends a recording and, unless it is only kept, makes mappings of
// it that answer from the next call on.
func (s *server) stopRecording(c *gin.Context) {
	var wanted api.RecordingStop
	err := readFields(c, &wanted, "stop")
	var report api.RecordingReport
	if err == nil {
		report, err = s.endRecording(c.Request.Context(), c.Param("service"), c.Param("recording"), wanted.RecordingEnd, "")
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, report)
}

// endRecording ends a recording as it was said when it was started, and now. why is why
// it ends, where nobody stopped it.
func (s *server) endRecording(ctx context.Context, service, id string, now spec.RecordingEnd, why string) (report api.RecordingReport, err error) {
	r, exchanges, err := s.exchangesOf(ctx, service, id)
	if err != nil {
		return report, err
	}
	end := r.Recording.End
	end.OnlyKeep, end.Fold = end.OnlyKeep || now.OnlyKeep, end.Fold || now.Fold
	end.Existing, end.Pace = cmp.Or(now.Existing, end.Existing), cmp.Or(now.Pace, end.Pace)
	report = api.RecordingReport{Mappings: []api.MadeMapping{}, Skipped: []api.SkippedCall{}}
	propose := func(exchanges []recording.Exchange) (err error) {
		if !end.OnlyKeep && len(exchanges) > 0 {
			report.Mappings, report.Skipped, err = s.makeMappings(ctx, service, r, exchanges, api.MakeMappings{RecordingEnd: end})
		}
		return err
	}
	// made before it ends, so that the next call is answered, and again when calls
	// came in meanwhile
	if err := propose(exchanges); err != nil {
		return report, err
	}
	stopped, err := s.Catalog.StopRecording(ctx, service, r.Recording.ID, time.Now().UTC(), !end.OnlyKeep && len(exchanges) > 0, why)
	if err != nil {
		return report, err
	}
	before := len(exchanges)
	if _, exchanges, err = s.exchangesOf(ctx, service, r.Recording.ID); err != nil {
		return report, err
	}
	switch more := exchanges[min(before, len(exchanges)):]; {
	case len(more) == 0:
	case end.Existing == catalog.ExistingFollow:
		made := report.Mappings
		if err = propose(more); err == nil {
			report.Mappings = append(made, report.Mappings...)
		}
	default:
		err = propose(exchanges)
	}
	if err != nil {
		return report, err
	}
	s.noteOthers(ctx, service, report.Mappings, exchanges)
	report.Operations = operationsOf(exchanges)
	if len(exchanges) == 0 {
		report.Reasons = s.whyNothing(ctx, service, stopped)
	}
	if !end.OnlyKeep {
		report.Otherwise = s.otherwiseOf(service)
	}
	report.Recording = recordingView(catalog.StoredRecording{Recording: stopped, Calls: len(exchanges)})
	return report, nil
}

func operationsOf(exchanges []recording.Exchange) []api.RecordedOperation {
	operations := []api.RecordedOperation{}
	for _, x := range exchanges {
		name := x.Method + " " + x.Path
		i := slices.IndexFunc(operations, func(o api.RecordedOperation) bool { return o.Call == name })
		if i < 0 {
			i, operations = len(operations), append(operations, api.RecordedOperation{Call: name})
		}
		operations[i].Count++
	}
	return operations
}

// whyNothing says why a recording captured nothing, from what was seen while it
// ran.
func (s *server) whyNothing(ctx context.Context, name string, r spec.Recording) (reasons []string) {
	service, err := s.Catalog.Find(name)
	if err != nil {
		return nil
	}
	seen, err := s.Calls.ListCalls(ctx, call.Filter{Received: true}, 0, 200)
	if err != nil {
		return nil
	}
	here, elsewhere := 0, 0
	for _, line := range seen {
		switch {
		case line.At.Before(r.Started):
		case line.Service == service.Spec.Name:
			here++
		default:
			elsewhere++
		}
	}
	switch {
	case here > 0:
		reasons = append(reasons, fmt.Sprintf("%d calls came to %s, and none is of those to capture (include %v, exclude %v)", here, service.Spec.Name, r.Include, r.Exclude))
	case elsewhere > 0:
		reasons = append(reasons, fmt.Sprintf("%d calls came to other services or to none; those for %s must begin with %s", elsewhere, service.Spec.Name, s.address(service.Spec.Name)))
	default:
		reasons = append(reasons, fmt.Sprintf("no call at all reached this port: is the program pointed at %s?", s.address(service.Spec.Name)))
	}
	return reasons
}

func (s *server) postRecordedMappings(c *gin.Context) {
	var wanted api.MakeMappings
	r, exchanges, ok := s.askedOfRecording(c, &wanted, "request")
	if !ok {
		return
	}
	var err error
	report := api.RecordingReport{Recording: recordingView(r), Operations: operationsOf(exchanges)}
	report.Recording.Calls = len(exchanges)
	if exchanges, err = chosenOf(exchanges, wanted); err == nil {
		report.Mappings, report.Skipped, err = s.makeMappings(c.Request.Context(), c.Param("service"), r, exchanges, wanted)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if !wanted.DryRun {
		report.Otherwise = s.otherwiseOf(c.Param("service"))
		s.noteOthers(c.Request.Context(), c.Param("service"), report.Mappings, exchanges)
	}
	c.PureJSON(http.StatusOK, report)
}

// chosenOf are the calls of a recording of which mappings are wanted.
func chosenOf(exchanges []recording.Exchange, how api.MakeMappings) (chosen []recording.Exchange, err error) {
	capture, err := catalog.CompileCapture(spec.Recording{Include: how.Paths})
	if err != nil {
		return nil, err
	}
	for _, x := range exchanges {
		asked := call.Request{Method: x.Method, Path: x.Path}
		if (len(how.Calls) == 0 || slices.Contains(how.Calls, call.ID(x.Number))) && (len(how.Statuses) == 0 || slices.Contains(how.Statuses, x.Status)) &&
			capture.LeavesOut(&asked, match.Split(nil, x.Path)) == "" {
			chosen = append(chosen, x)
		}
	}
	if len(chosen) == 0 && len(exchanges) > 0 {
		return nil, problem.New(problem.Invalid, "none of the %d calls of the recording is chosen: see \"recording show\" for their ids, paths and statuses", len(exchanges))
	}
	return chosen, nil
}

func (s *server) makeMappings(ctx context.Context, name string, r catalog.StoredRecording, exchanges []recording.Exchange, how api.MakeMappings) ([]api.MadeMapping, []api.SkippedCall, error) {
	service, err := s.Catalog.Find(name)
	if err != nil {
		return nil, nil, err
	}
	if err := spec.CheckPace(how.Pace); err != nil {
		return nil, nil, err
	}
	earlier, err := s.Catalog.EarlierExchanges(ctx, name, r.Recording.ID, exchanges)
	if err != nil {
		return nil, nil, err
	}
	proposals, skipped := recording.Propose(exchanges, recording.Options{
		Labels: labelsOf(r.Recording), Fold: how.Fold, NoPreflights: service.Spec.CORS, Noise: service.Spec.IsNoise, Operation: service.OperationAsked(), Earlier: earlier, Pace: how.Pace})
	made, err := s.Catalog.MakeMappings(ctx, name, proposals, catalog.Making{Name: r.Recording.Name, Existing: how.Existing, DryRun: how.DryRun})
	if err != nil {
		return nil, nil, err
	}
	mappings, without := []api.MadeMapping{}, []api.SkippedCall{}
	for _, m := range made {
		view := api.MadeMapping{Mapping: m.Mapping, Telling: m.Mapping.Call.Telling(), Outcome: m.Outcome, Notes: append([]string{}, m.Notes...), Calls: []string{}}
		for _, number := range m.Calls {
			view.Calls = append(view.Calls, call.ID(number))
		}
		mappings = append(mappings, view)
	}
	for _, x := range skipped {
		without = append(without, api.SkippedCall{Call: call.ID(x.Number), Address: x.Address, Reason: x.Reason, Truncated: x.Truncated})
	}
	return mappings, without, nil
}

// otherwiseOf says what answers calls that were not recorded; "" for a miss.
func (s *server) otherwiseOf(name string) string {
	service, err := s.Catalog.Find(name)
	switch {
	case err != nil:
		return ""
	case service.Spec.Falls(spec.OtherwiseUpstream):
		return "upstream"
	case service.Contract != nil && service.Spec.AnswersByContract():
		return "contract"
	default:
		return ""
	}
}

// noteOthers tells of mappings that answer recorded calls instead of those that
// were made of them. The service must not relay any more.
func (s *server) noteOthers(ctx context.Context, name string, made []api.MadeMapping, exchanges []recording.Exchange) {
	service, err := s.Catalog.Find(name)
	if err != nil {
		return
	}
	for i := range made {
		at := slices.IndexFunc(exchanges, func(x recording.Exchange) bool { return slices.Contains(made[i].Calls, call.ID(x.Number)) })
		if at < 0 {
			continue
		}
		r := exchanges[at].Record(service.Spec.Name).Request
		r.Address = "/" + service.Spec.Name + r.Path
		d := s.Engine.Explain(ctx, &r)
		switch {
		case d.Source != call.FromMapping:
		case d.By != made[i].Mapping.ID:
			made[i].Notes = append(made[i].Notes, fmt.Sprintf("mapping %s comes before it, and answers what was recorded", d.By))
		default:
			for _, step := range d.Explanation.Steps {
				if beaten(step) && !slices.ContainsFunc(made, func(m api.MadeMapping) bool { return m.Mapping.ID == step.Of.ID }) {
					made[i].Notes = append(made[i].Notes, fmt.Sprintf("it comes before mapping %s, which fits, too", step.Of.ID))
				}
			}
		}
	}
}

// beaten reports whether a step passes over a mapping that fits, since another comes
// before it.
func beaten(step call.Step) bool {
	switch step.Code {
	case call.LowerRank, call.LessSpecific, call.NamesNoMethod, call.AsksForLess, call.LaterID:
		return step.Of.Kind == call.KindMapping
	default:
		return false
	}
}

// labelsOf are the labels of mappings that a recording makes: its own, and its
// name.
func labelsOf(r spec.Recording) []string {
	labels := slices.Clone(r.Labels)
	if name := spec.Slug(r.Name, 60); name != "" && !slices.Contains(labels, name) {
		labels = append(labels, name)
	}
	return labels
}

func (s *server) deleteRecording(c *gin.Context) {
	if err := s.Catalog.RemoveRecording(c.Request.Context(), c.Param("service"), c.Param("recording")); err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Status(http.StatusNoContent)
}

// getHAR writes a recording as HAR 1.2.
func (s *server) getHAR(c *gin.Context) {
	r, exchanges, err := s.exchanges(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	text, err := recording.WriteHAR(r.Recording, exchanges, s.Version)
	if err == nil && c.Request.Method == http.MethodGet {
		err = s.Catalog.Note(c.Request.Context(), c.Param("service"), fmt.Sprintf("took out recording %q of %s as HAR", r.Recording.Name, c.Param("service")))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", spec.Slug(r.Recording.Name, 60)+".har"))
	c.Data(http.StatusOK, "application/json", text)
}

// getProposedContract gives a contract that is made of recorded messages of SOAP.
func (s *server) getProposedContract(c *gin.Context) {
	r, exchanges, err := s.exchanges(c)
	var service *catalog.Service
	if err == nil {
		service, err = s.Catalog.Find(c.Param("service"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	var messages []wsdl.Heard
	for _, x := range exchanges {
		record := x.Record(service.Spec.Name)
		messages = append(messages, wsdl.HeardOf(&record.Request, &record.Answer))
	}
	text, ok := wsdl.Propose(spec.Slug(service.Spec.Name, 60), cmp.Or(service.Spec.Upstream, s.address(service.Spec.Name)), messages)
	if !ok {
		s.fail(c, problem.New(problem.Invalid, "recording %q has no messages of SOAP, of which a contract could be made", r.Recording.Name), nil)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", spec.Slug(service.Spec.Name, 60)+".wsdl"))
	c.Data(http.StatusOK, "text/xml; charset=utf-8", text)
}

// postHAR makes a recording of a HAR document.
func (s *server) postHAR(c *gin.Context) {
	text, err := readDocument(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	exchanges, left, err := recording.ReadHAR(text, recording.Take{Host: c.Query("host"), Base: c.Query("base"), Static: isOn(c, "static")})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	var keys []call.Key
	if service := s.Catalog.Snapshot().Find(c.Param("service")); service != nil {
		keys = service.Keys()
	}
	for i := range exchanges {
		x := &exchanges[i]
		masked := call.Record{Recording: "har", Request: call.Request{Query: x.Query, Header: x.Request, Body: call.Body{Bytes: x.Body}, Keys: keys}, Answer: call.Answer{Header: x.Header, Body: x.Answer}}
		s.Masker.Mask(&masked)
		kept := recording.Of(&masked)
		x.Query, x.Request, x.Body, x.Header, x.Answer = kept.Query, kept.Request, kept.Body, kept.Header, kept.Answer
	}
	r := spec.Recording{Name: c.Query("name"), Version: s.Version, Upstream: c.Query("base"), Started: exchanges[0].At.UTC(), Stopped: exchanges[len(exchanges)-1].At.UTC()}
	r, err = s.Catalog.KeepAsRecording(c.Request.Context(), c.Param("service"), r, exchanges)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	report := api.RecordingReport{Recording: recordingView(catalog.StoredRecording{Recording: r, Calls: len(exchanges)}), Operations: operationsOf(exchanges),
		Mappings: []api.MadeMapping{}, Skipped: []api.SkippedCall{}}
	for _, l := range left {
		report.Skipped = append(report.Skipped, api.SkippedCall{Call: l.Call, Address: l.Call, Reason: l.Reason})
	}
	c.PureJSON(http.StatusCreated, report)
}
