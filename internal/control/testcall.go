package control

import (
	"context"
	"errors"
	"io"
	"net/http"
	"regexp"
	"strings"
	"time"

	"rapidmimic/spec/api"
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
func sendTestCall(ctx context.Context, address string, test api.TestCall) (api.TestCallResult, error) {
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
	result.Answer = message(headerLines(map[string][]string(resp.Header)), body, max(int64(len(body)), resp.ContentLength))
	return result, nil
}
