package control

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// testCallBody is how much of an answer a test call shows, in bytes.
const testCallBody = 1 << 20

// testCaller sends test calls: plain HTTP over loopback, without following
// redirects.
var testCaller = &http.Client{
	Timeout:       time.Minute,
	Transport:     &http.Transport{DisableKeepAlives: true, DisableCompression: true},
	CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
}

// revealedCall finds the id of a call in the Rapid-Mimic header of its answer.
var revealedCall = regexp.MustCompile(`(?:^|[, ])call=(c-[0-9a-f]+)`)

// sendTestCall sends a call to the service at address and reads what comes
// back.
func (s *server) sendTestCall(ctx context.Context, address string, test api.TestCall) (api.TestCallResult, error) {
	if !strings.HasPrefix(test.Path, "/") {
		return api.TestCallResult{}, errors.New("its path must begin with /")
	}
	req, err := http.NewRequestWithContext(ctx, test.Method, address+test.Path, strings.NewReader(test.Body))
	if err != nil {
		return api.TestCallResult{}, err
	}
	req.Header.Set("User-Agent", "rapid-mimic-test-call")
	for _, h := range test.Headers {
		if strings.EqualFold(h[0], "User-Agent") {
			req.Header.Del("User-Agent")
		}
		req.Header.Add(h[0], h[1])
	}
	begun := time.Now()
	resp, err := testCaller.Do(req)
	if err != nil {
		return api.TestCallResult{}, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(io.LimitReader(resp.Body, testCallBody))
	if err != nil {
		return api.TestCallResult{}, err
	}
	result := api.TestCallResult{Status: resp.StatusCode, TookMs: milliseconds(time.Since(begun))}
	if found := revealedCall.FindStringSubmatch(resp.Header.Get("Rapid-Mimic")); found != nil {
		result.Call = found[1]
	}
	size := max(int64(len(body)), resp.ContentLength)
	answer, none := call.Answer{Body: body}, (*call.Explanation)(nil)
	for _, line := range headerLines(map[string][]string(resp.Header)) {
		answer.Header = append(answer.Header, call.Field{Name: line[0], Value: line[1]})
	}
	s.Masker.Conceal(&answer, &none)
	result.Answer = message(fieldLines(answer.Header), answer.Body, size+int64(len(answer.Body)-len(body)))
	return result, nil
}

// readTestCall reads the service and the call that a request speaks of.
func (s *server) readTestCall(c *gin.Context) (service *catalog.Service, test api.TestCall, err error) {
	if service, err = s.Catalog.Find(c.Param("service")); err != nil {
		return nil, test, err
	}
	if err := c.ShouldBindJSON(&test); err != nil {
		return nil, test, problem.New(problem.Syntax, "the call cannot be read: %v", err)
	}
	return service, test, nil
}

// pathInLane is how the address of a service begins in a lane, or with "" in none.
func pathInLane(service *catalog.Service, lane string) string {
	path := "/" + service.Spec.Name // which needs no escaping
	if lane != "" {
		path = "/@" + url.PathEscape(lane) + path
	}
	return path
}

// postTestCall sends a call to a service, over the network as its callers do.
func (s *server) postTestCall(c *gin.Context) {
	service, test, err := s.readTestCall(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	result, err := s.sendTestCall(c.Request.Context(), s.TrafficURL+pathInLane(service, test.Lane), test)
	if err != nil {
		s.fail(c, problem.New(problem.Invalid, "the test call was not sent: %v", err), nil)
		return
	}
	c.PureJSON(http.StatusOK, result)
}

// postExplain tells what a call would get, without making it.
func (s *server) postExplain(c *gin.Context) {
	service, test, err := s.readTestCall(c)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if !strings.HasPrefix(test.Path, "/") || test.Method == "" {
		s.fail(c, problem.New(problem.Invalid, "a call has a method and a path that begins with /"), nil)
		return
	}
	address, query, _ := strings.Cut(pathInLane(service, test.Lane)+test.Path, "?")
	r := &call.Request{
		Method: strings.ToUpper(test.Method), Address: address, Query: query, Host: strings.TrimPrefix(s.TrafficURL, "http://"),
		Protocol: "HTTP/1.1", Caller: c.Request.RemoteAddr, Header: call.Header{},
		Body: call.Body{Bytes: []byte(test.Body), Size: int64(len(test.Body))},
	}
	for _, h := range test.Headers {
		key := http.CanonicalHeaderKey(h[0])
		r.Header[key] = append(r.Header[key], h[1])
	}
	c.PureJSON(http.StatusOK, s.explained(s.Engine.Explain(c.Request.Context(), r)))
}

// explained is a decision without the values of secret variables: those who may look at
// answers need not know them.
func (s *server) explained(d *engine.Decision) api.ExplainResult {
	s.Masker.Conceal(&d.Answer, &d.Explanation)
	result := api.ExplainResult{
		Source: string(d.Source), By: d.By, Status: d.Answer.Status, Explanation: explanationView(d.Explanation),
		Answer: message(fieldLines(d.Answer.Header), d.Answer.Body, int64(len(d.Answer.Body))),
		WaitMs: milliseconds(d.Delay), Effect: d.Effect,
	}
	if d.Relay != nil {
		result.Status, result.Asks = 0, d.Relay.Target.Redacted()
	}
	return result
}
