package spec

import (
	"slices"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Ignored says which calls lists and streams leave out unless they are asked for. They are
// answered, kept and counted like all others.
type Ignored struct {
	// Off shows all of them again, and keeps the rules.
	Off bool `json:"off"`
	// Calls are rules in the words of filters, such as method:GET path:/health: a call that
	// one of them fits is ignored.
	Calls []string `json:"calls"`
}

// MaxIgnored bounds the rules: each call of a list is held against all of them.
const MaxIgnored = 100

var ignoredKind = kind[Ignored]{
	noun: "list of ignored calls", key: "calls", added: []string{"counts"}, always: true,
	read: func(n *tree.Node, _ string) (i Ignored, items []problem.Item) {
		i.Calls = []string{}
		items = tree.Decode(n, &i, "list of ignored calls")
		return i, append(items, i.faults("")...)
	},
}

func (i Ignored) faults(at string) (items []problem.Item) {
	for n, rule := range i.Calls {
		if rule == "" {
			items = append(items, problem.Item{At: at + "/calls/" + strconv.Itoa(n), Detail: "a rule is what a filter would be, such as method:GET path:/health, not empty"})
		}
	}
	if len(i.Calls) > MaxIgnored {
		items = append(items, problem.Item{At: at + "/calls", Detail: "there are more than " + strconv.Itoa(MaxIgnored) + " rules"})
	}
	return items
}

// Same reports whether two say the same.
func (i Ignored) Same(other Ignored) bool {
	return i.Off == other.Off && slices.Equal(i.Calls, other.Calls)
}

// GivenIgnored reads a document of ignored calls, which has no name.
func GivenIgnored(text []byte, _ string) (Given[Ignored], error) { return ignoredKind.one(text, "") }
