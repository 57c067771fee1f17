package spec

import (
	"fmt"
	"regexp"
	"slices"
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
	// Attended ends the recording when nobody attends to it for some seconds: the command
	// that started it is gone. End says how it ends then.
	Attended bool         `json:"attended,omitempty"`
	End      RecordingEnd `json:"end,omitzero"`
	// Ended says why it ended where nobody stopped it.
	Ended string `json:"ended,omitempty"`
	// By is who made it, Upstream where the calls went, Version that of the
	// program that made it.
	By       string    `json:"by,omitempty"`
	Upstream string    `json:"upstream,omitempty"`
	Version  string    `json:"version,omitempty"`
	Started  time.Time `json:"started"`
	// Stopped is zero while it runs.
	Stopped time.Time `json:"stopped,omitzero"`
}

// RecordingEnd says what becomes of a recording that ends.
type RecordingEnd struct {
	// OnlyKeep makes no mappings, and leaves the mode of the service.
	OnlyKeep bool `json:"onlyKeep,omitempty"`
	// Existing says what becomes of mappings that ask for the same: keep, replace or
	// follow; left out, those that a recording made and nobody touched are replaced, and
	// those that somebody edited are kept.
	Existing string `json:"existing,omitempty"`
	// Fold makes one mapping of paths whose answers differ only by the same value.
	Fold bool `json:"fold,omitempty"`
	// Pace is that of the answers: none, recorded, or a factor such as 2x.
	Pace string `json:"pace,omitempty"`
}

// RecorderGone is the Ended of a recording whose recorder left it.
const RecorderGone = "its recorder was gone"

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
	if !slices.Contains([]string{"", "keep", "replace", "follow"}, r.End.Existing) {
		items = append(items, problem.Item{At: "/end/existing", Detail: fmt.Sprintf("existing must be keep, replace or follow, not %q", r.End.Existing)})
	}
	if err := CheckPace(r.End.Pace); err != nil {
		items = append(items, problem.Item{At: "/end/pace", Detail: err.Error()})
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
