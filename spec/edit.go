package spec

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// What From of an answer can be.
const (
	FromUpstream = "upstream"
	FromContract = "contract"
	FromMapping  = "mapping:" // and its id
)

// Original is the id of the mapping whose answer this one starts from; "" for none.
func (a Answer) Original() string {
	id, another := strings.CutPrefix(a.From, FromMapping)
	if !another {
		return ""
	}
	return id
}

// ByContract reports whether the answer is what the contract has, as it is or changed.
func (a Answer) ByContract() bool { return a.Example != "" || a.Generate || a.From == FromContract }

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

// editFaults finds what is wrong with what an answer says of the one that it starts from.
func (a Answer) editFaults(at string) (items []problem.Item) {
	fault := func(inside, format string, args ...any) {
		items = append(items, problem.Item{At: at + inside, Detail: fmt.Sprintf(format, args...)})
	}
	switch {
	case a.From == "" && (len(a.Send)+len(a.Edit) > 0 || a.With != nil):
		fault("", "send, with and edit change an answer that comes from elsewhere: they need `from: upstream`, `from: contract` or `from: mapping:ID`")
	case a.From == "":
		return nil
	case a.From != FromUpstream && a.From != FromContract && CheckMappingID(a.Original()) != nil:
		fault("/from", "from must be upstream, contract, or mapping: and an id, not %q", a.From)
	case len(a.Send) > 0 && a.From != FromUpstream:
		fault("/send", "send changes the request on its way to the upstream: it needs `from: upstream`")
	case a.bodies() > 0 && (a.From != FromContract || a.Example == "" && !a.Generate):
		fault("", "an answer from elsewhere has a body of its own: change it by `with: { state: closed }`, or by edit, such as `- { op: replace, path: /body/state, value: closed }`")
	case (a.Status != Status{} && (a.From != FromContract || a.Status.Expr != "")) || len(a.Headers) > 0:
		fault("", "an answer from elsewhere has a status and headers of its own: change them by edit, such as `- { op: replace, path: /status, value: 503 }`")
	case a.Generate && a.Status.Code != 0:
		fault("/status", "generate draws the success response: leave out generate for that of status %d", a.Status.Code)
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
