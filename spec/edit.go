package spec

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// FromUpstream is what From of an answer can be.
const FromUpstream = "upstream"

// EditStep is one step of a JSON Patch (RFC 6902). In its texts ${…} holds
// expressions.
type EditStep struct {
	Op   string `json:"op"`
	Path string `json:"path"`
	// From is where move and copy take the value from.
	From string `json:"from,omitempty"`
	// Value is what add and replace put there, and test expects.
	Value *tree.Node `json:"value,omitempty"`
}

// What edits can reach of an answer, and of the request on its way out. Headers
// and parameters of the query are objects by name; a name that occurs several
// times has a list. A body of JSON is a value, any other a text.
var (
	answerParts  = []string{"status", "headers", "body"}
	requestParts = []string{"method", "path", "query", "headers", "body"}
)

var editOps = []string{"add", "remove", "replace", "move", "copy", "test"}

// editFaults finds what is wrong with what an answer says of the upstream.
func (a Answer) editFaults(at string) (items []problem.Item) {
	fault := func(inside, format string, args ...any) {
		items = append(items, problem.Item{At: at + inside, Detail: fmt.Sprintf(format, args...)})
	}
	switch {
	case a.From == "" && len(a.Send)+len(a.Edit) > 0:
		fault("", "edit and send change what passes between a caller and the upstream: they need `from: upstream`")
	case a.From == "":
		return nil
	case a.From != FromUpstream:
		fault("/from", "from can only be upstream, not %q", a.From)
	case a.bodies() > 0:
		fault("", "the upstream's answer has a body of its own: change it by edit, such as `- { op: replace, path: /body/state, value: closed }`")
	case a.Status != Status{} || len(a.Headers) > 0:
		fault("", "the upstream's answer has a status and headers of its own: change them by edit, such as `- { op: replace, path: /status, value: 503 }`")
	}
	add := func(key string, steps []EditStep, parts []string) {
		for i, step := range steps {
			for _, item := range step.faults(parts) {
				fault(key+strconv.Itoa(i)+item.At, "%s", item.Detail)
			}
		}
	}
	add("/send/", a.Send, requestParts)
	add("/edit/", a.Edit, answerParts)
	return items
}

// faults finds what is wrong with a step; parts are what its paths can begin
// with.
func (s EditStep) faults(parts []string) (items []problem.Item) {
	fault := func(at, format string, args ...any) {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if !slices.Contains(editOps, s.Op) {
		fault("/op", "op must be one of %s, not %q", strings.Join(editOps, ", "), s.Op)
		return items
	}
	inside := func(at, pointer string) {
		first, _, _ := strings.Cut(strings.TrimPrefix(pointer, "/"), "/")
		if !strings.HasPrefix(pointer, "/") || !slices.Contains(parts, first) {
			fault(at, "must be a JSON Pointer that begins with /%s, not %q", strings.Join(parts, ", /"), pointer)
		}
	}
	inside("/path", s.Path)
	if takes := s.Op == "move" || s.Op == "copy"; takes {
		inside("/from", s.From)
	} else if s.From != "" {
		fault("/from", "from belongs to move and copy")
	}
	if needs := s.Op == "add" || s.Op == "replace" || s.Op == "test"; needs != (s.Value != nil) {
		fault("", "value belongs to add, replace and test, which need one")
	}
	return items
}
