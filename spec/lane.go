package spec

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Lane is a private view of the shared environment, for one tester or one test
// run. Its changes stand above its scenario, and that above what everybody has.
type Lane struct {
	Name  string `json:"name"`
	Title string `json:"title,omitempty"`
	// Scenario is the one that is on in the lane when it opens.
	Scenario string `json:"scenario,omitempty"`
	// TTL is how long it stays open, an hour when left out.
	TTL Duration `json:"ttl,omitzero"`
	// When lets calls belong to the lane that do not name it themselves.
	When *LaneRule `json:"when,omitempty"`
	Changes
}

// LaneRule says which calls belong to a lane. It is asked before a body is read,
// so it can look at callers, headers, cookies and queries.
type LaneRule struct {
	// Where lists what must hold; all of it.
	Where []Condition `json:"where,omitempty"`
	// If is an expression that must be true.
	If string `json:"if,omitempty"`
}

// How long lanes stay open.
const (
	DefaultTTL = Duration(time.Hour)
	LongestTTL = Duration(30 * 24 * time.Hour)
)

// A lane's name is a token of RFC 9651 without what would need escaping in an
// address.
var laneName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9._-]{0,62}$`)

// LaneNameRule says in words what the name of a lane may be.
const LaneNameRule = "letters, digits, `.`, `_` and `-`, beginning with a letter, at most 63"

// NewLane gives the defaults of every key.
func NewLane(name string) Lane { return Lane{Name: name, TTL: DefaultTTL} }

var laneKind = kind[Lane]{
	noun: "lane", key: "name", several: "lanes",
	added: []string{"opened", "until", "by", "active", "lines", "address", "header", "baggage", "calls", "lastMinute"},
	read:  readLane,
	name:  func(l *Lane) string { return l.Name },
}

// GivenLane reads one lane document, which has this name unless it gives another.
func GivenLane(text []byte, name string) (Given[Lane], error) { return laneKind.one(text, name) }

// GivenLanes reads a document that holds one lane or several.
func GivenLanes(text []byte) ([]Given[Lane], error) { return laneKind.list(text) }

// ReadLane is GivenLane without what was said about it.
func ReadLane(text []byte, name string) (Lane, error) {
	given, err := GivenLane(text, name)
	return given.Document, err
}

func readLane(n *tree.Node, name string) (Lane, []problem.Item) {
	l := NewLane(name)
	items := tree.Decode(n, &l, "lane")
	return l, append(items, Besides(items, tree.Locate(n, l.faults()), n)...)
}

// CheckLane says what is wrong with a lane.
func CheckLane(l Lane) error { return problem.FromItems("the lane cannot be used", l.faults()) }

func (l Lane) faults() (items []problem.Item) {
	fault := func(at, format string, args ...any) {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if !laneName.MatchString(l.Name) {
		fault("/name", "the name of a lane is %s, not %q", LaneNameRule, l.Name)
	}
	if l.TTL <= 0 || l.TTL > LongestTTL {
		fault("/ttl", "ttl must be a time such as 30m, at most %s, not %s", LongestTTL, l.TTL)
	}
	if l.When != nil {
		if len(l.When.Where) == 0 && l.When.If == "" {
			fault("/when", "a rule needs where or if")
		}
		items = append(items, conditionFaults(l.When.Where, "/when/where")...)
		if readsBody(l.When.Where) {
			fault("/when/where", "the lane of a call is known before its body is read: look at caller, header, cookie or query")
		}
	}
	for _, name := range slices.Sorted(maps.Keys(l.Services)) {
		if len(l.Services[name].Webhooks) > 0 {
			fault(tree.Join("/services", name)+"/webhooks", "webhooks are sent by scenarios: put them into one, and name it by scenario")
		}
	}
	return append(items, l.Changes.faults()...)
}

// readsBody reports whether conditions look into the body of a call.
func readsBody(conditions []Condition) bool {
	for _, c := range conditions {
		if c.Body != "" || c.XML != "" || c.Form != "" || c.Part != "" || c.Text || c.GraphQL != "" || c.Only == "form" || c.Only == "part" || readsBody(c.All) || readsBody(c.Any) || readsBody(c.None) {
			return true
		}
	}
	return false
}
