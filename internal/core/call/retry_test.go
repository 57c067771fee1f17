package call_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

func TestRetries(t *testing.T) {
	start := time.Unix(0, 0)
	var number uint64
	made := func(second float64, path, caller string, status int, retryAfter string) *call.Record {
		number++
		r := &call.Record{Number: number, At: start.Add(time.Duration(second * float64(time.Second))), Service: "quay",
			Request: call.Request{Method: "GET", Path: path, Caller: caller}, Answer: call.Answer{Status: status}, Send: 100 * time.Millisecond}
		if retryAfter != "" {
			r.Answer.Header = []call.Field{{Name: "Retry-After", Value: retryAfter}}
		}
		return r
	}
	inLane := func(r *call.Record) *call.Record { r.Lane = "mara"; return r }
	stories := call.Retries([]*call.Record{
		made(0, "/fine", "10.0.0.1:1", 200, ""),
		made(1, "/dues", "10.0.0.1:1", 503, "2"),
		made(1.5, "/dues", "10.0.0.2:1", 200, ""), // another caller
		made(2, "/dues", "10.0.0.1:2", 429, "2"),  // too early
		made(4.1, "/dues", "[::1]:7", 0, ""),
		made(4.2, "/dues", "10.0.0.1:3", 200, ""),                                                 // waited
		made(4.5, "/dues", "10.0.0.1:3", 200, ""),                                                 // a call of its own
		made(50, "/berths", "10.0.0.1:4", 503, ""), made(50.05, "/berths", "10.0.0.1:5", 503, ""), // at once
		made(51, "/berths", "10.0.0.1:4", 200, ""), made(51.02, "/berths", "10.0.0.1:4", 200, ""),
		inLane(made(60, "/tides", "10.0.0.1:4", 503, "")), made(61, "/tides", "10.0.0.1:4", 200, ""), // runs in two lanes
		inLane(made(62, "/tides", "10.0.0.1:4", 200, "")),
		made(200, "/dues", "10.0.0.1:4", 500, ""),
	}, start.Add(210*time.Second))
	for i := range stories {
		assert.Empty(t, stories[i].Operation)
	}
	of := func(r *call.Record, operation string) *call.Record { r.Operation = operation; return r }
	messages := call.Retries([]*call.Record{of(made(0, "/Desk", "10.0.0.1:1", 500, ""), "ask"), of(made(1, "/Desk", "10.0.0.1:1", 200, ""), "tell"), of(made(2, "/Desk", "10.0.0.1:1", 200, ""), "ask")}, start.Add(time.Hour))
	assert.Len(t, messages, 1)
	assert.Equal(t, "ask", messages[0].Operation)
	assert.Len(t, messages[0].Attempts, 2, "another message to the same address is no attempt at it")
	var told []string
	for _, s := range stories {
		line := strings.TrimPrefix(s.Lane+" ", " ") + s.Caller + " " + s.Path
		for _, a := range s.Attempts {
			line += " " + a.Gap.String()
			if a.Advised > 0 {
				line += map[bool]string{true: " obeyed", false: " too early"}[a.Obeyed]
			}
		}
		told = append(told, line+" "+string(s.Outcome))
	}
	assert.Equal(t, []string{
		"10.0.0.1 /dues 0s 900ms too early 2.1s obeyed got through",
		"::1 /dues 0s gave up",
		"10.0.0.1 /berths 0s 900ms got through",
		"10.0.0.1 /berths 0s 870ms got through",
		"mara 10.0.0.1 /tides 0s 1.9s got through",
		"10.0.0.1 /dues 0s still trying",
	}, told)
}
