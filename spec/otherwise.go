package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// The ways that have names: by the contract, or by the upstream.
const (
	OtherwiseExample   = "example"
	OtherwiseGenerated = "generated"
	OtherwiseUpstream  = "upstream"
	// OtherwiseMiss is the last one: what no way before it answers is a miss, as it is
	// where nothing stands behind them.
	OtherwiseMiss = "miss"
)

// Way is a way to answer calls that no mapping does: one of the names above, or
// an answer of its own.
type Way struct {
	Name   string
	Answer *Answer // nil with a name
}

// DecodeTree reads a name, or {answer: …}.
func (w *Way) DecodeTree(n *tree.Node) error {
	if n.Kind == tree.String {
		w.Name = n.Text
		return nil
	}
	var own struct {
		Answer *Answer `json:"answer"`
	}
	if items := tree.Decode(n, &own, "way to answer"); len(items) > 0 {
		return errors.New(items[0].Detail)
	}
	if own.Answer == nil {
		return errors.New("must be example, generated, upstream, miss, or an answer such as `answer: { status: 503 }`")
	}
	own.Answer.setStatus()
	w.Answer = own.Answer
	return nil
}

// MarshalJSON writes what DecodeTree reads.
func (w Way) MarshalJSON() ([]byte, error) {
	if w.Answer == nil {
		return json.Marshal(w.Name)
	}
	return json.Marshal(map[string]*Answer{"answer": w.Answer})
}

// UnmarshalJSON reads what MarshalJSON writes.
func (w *Way) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return w.DecodeTree(n)
}

// Falls reports whether a way with a name stands in Otherwise.
func (s Service) Falls(name string) bool {
	if s.Otherwise == nil {
		return name == OtherwiseExample || name == OtherwiseGenerated
	}
	return slices.ContainsFunc(s.Otherwise, func(w Way) bool { return w.Name == name })
}

// OtherwiseAnswer is the answer that stands in Otherwise, with its place; nil
// when there is none, or none that is reached since the upstream comes first.
func (s Service) OtherwiseAnswer() (answer *Answer, at string) {
	for i, w := range s.Otherwise {
		if w.Answer != nil {
			return w.Answer, "/otherwise/" + strconv.Itoa(i) + "/answer"
		}
		if w.Name == OtherwiseUpstream {
			return nil, ""
		}
	}
	return nil, ""
}

// AnswersByContract reports whether the contract answers calls that no mapping
// does.
func (s Service) AnswersByContract() bool {
	return s.Falls(OtherwiseExample) || s.Falls(OtherwiseGenerated)
}

func (s Service) otherwiseFaults() (items []problem.Item) {
	fault := func(i int, format string, args ...any) {
		items = append(items, problem.Item{At: "/otherwise/" + strconv.Itoa(i), Detail: fmt.Sprintf(format, args...)})
	}
	last := ""
	for i, way := range s.Otherwise {
		switch {
		case way.Answer == nil && !slices.Contains([]string{OtherwiseExample, OtherwiseGenerated, OtherwiseUpstream, OtherwiseMiss}, way.Name):
			fault(i, "otherwise lists example, generated, upstream, miss, or an answer, not %q", way.Name)
		case last != "":
			fault(i, "nothing comes after %s, which answers every call", last)
		case way.Name == OtherwiseMiss:
			last = "a miss"
		case way.Answer != nil:
			last = "an answer"
			items = append(items, way.Answer.faults("/otherwise/"+strconv.Itoa(i)+"/answer")...)
			if len(way.Answer.Remember) > 0 {
				items = append(items, problem.Item{At: "/otherwise/" + strconv.Itoa(i) + "/answer/remember", Detail: "remember belongs to the answers of mappings"})
			}
			if way.Answer.From != "" || way.Answer.ByContract() {
				fault(i, "the answer must be one of its own (the upstream and the contract are ways by their names)")
			}
		case way.Name == OtherwiseUpstream:
			last = "the upstream"
			if s.Upstream == "" {
				fault(i, "a service without an upstream cannot ask it")
			}
		}
	}
	return items
}
