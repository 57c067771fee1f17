package spec

import (
	"fmt"
	"regexp"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
)

// Recording is a named capture of calls to the upstream of a service, from start
// to stop.
type Recording struct {
	// ID is given when it is made and never changes.
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Labels []string `json:"labels,omitempty"`
	// Test is the name of the test that made it, where one did.
	Test string `json:"test,omitempty"`
	// Include and Exclude are calls such as "GET /berths/{number}" or
	// "/log/{rest...}"; without Include all are meant.
	Include []string `json:"include,omitempty"`
	Exclude []string `json:"exclude,omitempty"`
	// Hosts restrict it to calls to these, MediaTypes to answers of these:
	// "application/json", or "image/*".
	Hosts      []string `json:"hosts,omitempty"`
	MediaTypes []string `json:"mediaTypes,omitempty"`
	// Missing captures what the service does not answer itself: it goes on
	// answering, and asks its upstream otherwise.
	Missing bool `json:"missing,omitempty"`
	// By is who made it, Upstream where the calls went, Version that of the
	// program that made it.
	By       string    `json:"by,omitempty"`
	Upstream string    `json:"upstream,omitempty"`
	Version  string    `json:"version,omitempty"`
	Started  time.Time `json:"started"`
	// Stopped is zero while it runs.
	Stopped time.Time `json:"stopped,omitzero"`
}

// Runs reports whether calls are still captured.
func (r *Recording) Runs() bool { return r.Stopped.IsZero() }

var mediaRange = regexp.MustCompile(`^[A-Za-z0-9.+-]+/(\*|[A-Za-z0-9.+-]+)$`)

// CheckRecording says what is wrong with what people give for a recording.
func CheckRecording(r Recording) error {
	var items []problem.Item
	if strings.TrimSpace(r.Name) == "" || len(r.Name) > 120 {
		items = append(items, problem.Item{At: "/name", Detail: "a recording needs a name of at most 120 bytes"})
	}
	for i, label := range r.Labels {
		if !ValidLabel(label) {
			items = append(items, problem.Item{At: fmt.Sprintf("/labels/%d", i), Detail: fmt.Sprintf("a label is %s, not %q", LabelRule, label)})
		}
	}
	for i, host := range r.Hosts {
		if !hostName.MatchString(host) {
			items = append(items, problem.Item{At: fmt.Sprintf("/hosts/%d", i), Detail: fmt.Sprintf("a host is a name such as office.example, not %q", host)})
		}
	}
	for i, mediaType := range r.MediaTypes {
		if !mediaRange.MatchString(mediaType) {
			items = append(items, problem.Item{At: fmt.Sprintf("/mediaTypes/%d", i), Detail: fmt.Sprintf("a media type looks like application/json or image/*, not %q", mediaType)})
		}
	}
	return problem.FromItems("the recording cannot be made", items)
}
