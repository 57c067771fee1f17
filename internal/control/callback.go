package control

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// longestCallback is how long a request waits for what became of a callback.
const longestCallback = 40 * time.Second

func callbackViews(all []*contract.Callback) []api.Callback {
	views := make([]api.Callback, 0, len(all))
	for _, c := range all {
		op := c.Operation
		view := api.Callback{Name: c.Name, Method: op.Method, Address: c.Address, Summary: op.Summary, Description: op.Description, Deprecated: op.Deprecated, Sends: []api.OperationBody{}}
		if op.Body != nil {
			view.Sends = bodyViews(op, op.Body.MediaTypes)
		}
		views = append(views, view)
	}
	return views
}

func (s *server) listWebhooks(c *gin.Context) {
	_, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	var webhooks []*contract.Callback
	if service.Contract != nil {
		webhooks = service.Contract.Webhooks
	}
	respondList(s, c, listing[api.Callback, api.Callback]{
		items: callbackViews(webhooks), key: func(w api.Callback) string { return w.Name },
		view: func(w api.Callback) api.Callback { return w },
	})
}

// postWebhook makes a call that the contract declares as a webhook, and waits for what becomes of it
// unless that is for later.
func (s *server) postWebhook(c *gin.Context) {
	_, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	made, err := s.webhookOf(c, service)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	first := s.Callbacks.Follow(made)
	if made.After > 0 {
		c.PureJSON(http.StatusAccepted, api.CallbackResult{Waits: true})
		return
	}
	select {
	case result, ok := <-first:
		if !ok {
			s.fail(c, problem.New(problem.TooMany, "the webhook was not sent: too many callbacks wait"), nil)
			return
		}
		c.PureJSON(http.StatusOK, api.CallbackResult{Call: call.ID(result.Number), Status: result.Status, Why: result.Why, TookMs: milliseconds(result.Took)})
	case <-time.After(longestCallback):
		c.PureJSON(http.StatusAccepted, api.CallbackResult{Waits: true})
	case <-c.Request.Context().Done():
	}
}

// webhookOf is the call that a request asks for.
func (s *server) webhookOf(c *gin.Context, service *catalog.Service) (*call.Callback, error) {
	name, offered := c.Param("webhook"), []string{}
	if service.Contract != nil {
		for _, w := range service.Contract.Webhooks {
			offered = append(offered, w.Name)
		}
	}
	switch {
	case len(offered) == 0:
		return nil, problem.New(problem.NotFound, "the contract of service %q declares no webhooks", service.Spec.Name)
	case !slices.Contains(offered, name):
		return nil, problem.New(problem.NotFound, "webhook %q not found (%s)", name, problem.Suggest(name, offered, "there is"))
	case !service.Spec.Callbacks.On:
		return nil, problem.New(problem.Conflict, "callbacks of service %q are off (rapidmimic service set %s --callbacks on)", service.Spec.Name, service.Spec.Name)
	}
	text, err := readDocument(c)
	if err != nil {
		return nil, err
	}
	given, err := spec.ReadCallback(text, name)
	if err != nil {
		return nil, err
	}
	made, err := s.Engine.Webhook(c.Request.Context(), service.Spec.Name, c.Query("lane"), given)
	if err != nil {
		return nil, cmp.Or(problem.FromItems("the webhook cannot be sent", problem.ItemsOf(err)), error(problem.New(problem.Invalid, "the webhook cannot be sent: %v", err)))
	}
	return made, nil
}

// mostCallbacks is how many callbacks of a call are told of.
const mostCallbacks = 100

// callbacksOf are the calls that the service made after one, as far as the log has them.
func (s *server) callbacksOf(ctx context.Context, r *call.Record) (views []api.Call, err error) {
	if r.Explanation == nil || !slices.ContainsFunc(r.Explanation.Steps, func(step call.Step) bool { return step.Code == call.CallsBack }) {
		return nil, nil
	}
	lines, err := s.Calls.ListCalls(ctx, call.Filter{Service: r.Service, After: r.Number, Text: "cause:" + call.ID(r.Number)}, 0, mostCallbacks)
	for _, line := range slices.Backward(lines) {
		views = append(views, callView(line))
	}
	return views, err
}

// receivedCall is a call that came for a service, which those that services made did not.
func (s *server) receivedCall(ctx context.Context, service string, number uint64) (*call.Record, error) {
	record, err := s.Calls.Call(ctx, number)
	switch {
	case err != nil:
		return nil, err
	case record.Service != service: // which whoever asks may not see
		return nil, problem.New(problem.Invalid, "call %s was not for service %q", call.ID(number), service)
	case record.Source == call.FromCallback:
		return nil, problem.New(problem.Invalid, "call %s did not come: service %q made it itself", call.ID(number), record.Service)
	default:
		return record, nil
	}
}
