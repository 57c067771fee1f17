// Package recording makes mappings of recorded calls, and reads and writes them
// as HAR. It stores nothing and decides about no call.
//
// What a recorded call asks for is worked out in ask.go and body.go, what else tells
// calls apart whose answers differ in telling.go, and what is sent back in answer.go.
// Start with Propose.
package recording

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/spec"
)

// Exchange is one recorded call with its answer, secrets masked, bodies decoded.
type Exchange struct {
	Number uint64    `json:"number"`
	At     time.Time `json:"at"`
	Took   int64     `json:"took"` // in microseconds
	// Asked is how long the upstream took until its answer began, in microseconds; 0 where
	// nobody knows.
	Asked   int64        `json:"asked,omitempty"`
	Method  string       `json:"method"`
	Path    string       `json:"path"` // relative to the service, escaped
	Query   string       `json:"query,omitempty"`
	Request call.Header  `json:"request,omitempty"`
	Body    []byte       `json:"body,omitempty"`
	Status  int          `json:"status"`
	Header  []call.Field `json:"header,omitempty"`
	Answer  []byte       `json:"answer,omitempty"`
	// Size is that of Answer, where that was not read with the rest.
	Size int `json:"size,omitempty"`
	// Truncated is set when a body was too large to keep whole: then it cannot be
	// played back.
	Truncated bool `json:"cut,omitempty"` // as recordings of old have it stored
	// Wire is how the answer came; nil in recordings of old, and where only the log knew
	// the call.
	Wire *call.Wire `json:"wire,omitempty"`

	earlier bool // it is of another recording than the calls that it is looked at with
}

// Of is a finished call, whose secrets are masked, as an exchange.
func Of(r *call.Record) Exchange {
	x := Exchange{
		Number: r.Number, At: r.At, Took: r.Took().Microseconds(), Asked: r.Ask.Microseconds(), Method: r.Request.Method, Path: r.Request.Path, Query: r.Request.Query,
		Request: r.Request.Header, Body: r.Request.Body.Bytes, Status: r.Answer.Status, Header: r.Answer.Header, Answer: r.Answer.Body,
		Truncated: r.Request.Body.Truncated || int64(len(r.Answer.Body)) < r.AnswerSize && r.Request.Method != "HEAD",
	}
	x = x.withStandIns(r.StandIns)
	if w := r.Wire; w != nil {
		kept := *w
		if plain, ok := coding.Decode(w.Coding, w.Coded, len(x.Answer)); w.Coded != nil && (!ok || !bytes.Equal(plain, x.Answer)) {
			kept.Coded = nil // there are secrets in it
		}
		x.Wire = &kept
	}
	return x
}

// Record is the exchange as a finished call to a service.
func (x Exchange) Record(service string) *call.Record {
	r := &call.Record{
		Number: x.Number, At: x.At, Service: service, Source: call.FromUpstream,
		Request: call.Request{Method: x.Method, Address: x.Path, Path: x.Path, Query: x.Query, Header: x.Request, Body: call.Body{Bytes: x.Body, Size: int64(len(x.Body)), Truncated: x.Truncated}},
		Answer:  call.Answer{Status: x.Status, Header: x.Header, Body: x.Answer}, AnswerSize: int64(len(x.Answer)),
	}
	if x.Truncated {
		r.AnswerSize++ // more was sent than is known
	}
	return r
}

// Options say how mappings are made.
type Options struct {
	// Labels go to every mapping.
	Labels []string
	// Fold makes one mapping of paths whose answers differ only by the same value: it
	// answers for values that were never recorded, too.
	Fold bool
	// NoPreflights leaves out what browsers ask before they let a page call: for a
	// service that answers it by itself.
	NoPreflights bool
	// Noise reports whether a query parameter says only when or how a call came; nil
	// where none does.
	Noise func(parameter string) bool
	// Operation names the operation that a call asks for, where the message tells operations apart; ""
	// for none. Nil where the address does.
	Operation func(x Exchange) string
	// Pace is that of the answers, see spec.Recorded.
	Pace string
	// Earlier are calls of other recordings of the service to the same paths, the oldest
	// first: where their answers differ from those of now by what a caller is, both
	// must be told apart by it.
	Earlier []Exchange
}

// Proposal is a mapping that would answer as the upstream did.
type Proposal struct {
	Mapping spec.Mapping
	// Name is the id of the mapping, before it was told from others of these proposals.
	Name  string
	Calls []uint64 // that it was made of
	// Notes tell what was decided on the way.
	Notes []string
	// Payloads are large bodies that the mapping sends, by name.
	Payloads map[string][]byte
	// Wider is the key of the pattern that asks for the same without what tells callers
	// apart; "" where nothing has to. A mapping that asks for it would answer others.
	Wider string
	// Earlier is set where all calls are of other recordings: the mapping is only needed
	// instead of one that is Wider.
	Earlier bool
}

// Skipped is a call that no mapping can be made of.
type Skipped struct {
	Number    uint64
	Address   string // "GET /berths/N7"
	Reason    string
	Truncated bool // a body of it was not kept whole
}

// Propose makes mappings of recorded calls: one of each call that was made, with the
// answers in their order where they changed.
func Propose(exchanges []Exchange, o Options) (proposals []Proposal, skipped []Skipped) {
	var usable []Exchange
	for _, x := range exchanges {
		reason := unusable(x)
		if o.NoPreflights && x.Method == "OPTIONS" && x.Request.Get("Access-Control-Request-Method") != "" {
			reason = "a preflight of a browser, which the service answers by itself"
		}
		if reason != "" {
			skipped = append(skipped, Skipped{x.Number, x.Method + " " + x.Path, reason, x.Truncated})
			continue
		}
		usable = append(usable, x)
	}
	var earlier []Exchange
	for _, x := range o.Earlier {
		if x.earlier = true; unusable(x) == "" {
			earlier = append(earlier, x)
		}
	}
	groups := grouped(usable, earlier, o)
	if o.Fold {
		groups = folded(groups)
	} else {
		offerFolding(groups)
	}
	ids := make(map[string]int)
	for _, g := range groups {
		p := g.proposal(o)
		p.Name = p.Mapping.ID
		if ids[p.Mapping.ID]++; ids[p.Mapping.ID] > 1 {
			p.Mapping.ID = fmt.Sprintf("%s-%d", p.Mapping.ID, ids[p.Mapping.ID])
		}
		proposals = append(proposals, p)
	}
	return proposals, skipped
}

func unusable(x Exchange) string {
	switch {
	case x.Truncated:
		return "a body was larger than the recording keeps, so it cannot be played back"
	case x.Status < 200:
		return "its protocol was changed, or it was never answered"
	case x.Status == 499:
		return "its caller left before the answer"
	default:
		return ""
	}
}

// group is calls that ask for the same.
type group struct {
	method, path string
	operation    string // that it asks for; "" where the address tells it
	ask          ask
	callers      []spec.Condition // what else tells them apart, see telling.go
	calls        []Exchange
	earlier      bool // all of them are of other recordings
	notes        []string
	param        string // of a folded group, the name of its parameter
	segment      int    // where it stands
}

// grouped puts calls together that ask for the same, in the order in which each was
// first made.
func grouped(exchanges, earlier []Exchange, o Options) (groups []*group) {
	all := slices.Concat(earlier, exchanges)
	known := knownOf(all)
	byKey := make(map[string]*group)
	for _, x := range all {
		a := askOf(x, known, o.Noise)
		key, operation := x.Method+"\x00"+x.Path+"\x00"+a.key, ""
		if o.Operation != nil {
			operation = o.Operation(x)
		}
		if operation != "" { // at whichever port
			key = operation + "\x00" + a.key
		}
		g := byKey[key]
		if g == nil {
			g = &group{method: x.Method, path: x.Path, operation: operation, ask: a, notes: a.notes, earlier: true}
			byKey[key] = g
			groups = append(groups, g)
		}
		g.earlier = g.earlier && x.earlier
		g.calls = append(g.calls, x)
	}
	var out []*group
	for _, g := range groups {
		if !g.earlier { // else nobody asks for it now
			out = append(out, g.byCaller(known)...)
		}
	}
	slices.SortStableFunc(out, func(a, b *group) int { return cmp.Compare(a.calls[0].Number, b.calls[0].Number) })
	return out
}

func (g *group) proposal(o Options) Proposal {
	m := spec.Mapping{Enabled: true, Labels: o.Labels, Call: spec.Pattern{Method: spec.Methods{g.method}, Path: literal(g.path)}}
	switch {
	case g.operation != "":
		m.Call = spec.Pattern{Operation: g.operation}
	case g.param != "":
		m.Call.Path = g.template()
	}
	m.Call.Where = slices.Clone(g.ask.conditions)
	p := Proposal{Notes: slices.Clone(g.notes), Payloads: make(map[string][]byte), Earlier: g.earlier}
	if len(g.callers) > 0 {
		p.Wider = KeyOf(m.Call)
		m.Call.Where = append(m.Call.Where, g.callers...)
	}
	m.ID = g.id(m.Call.Path)
	var answers []spec.Answer
	same := true
	for _, x := range g.calls {
		p.Calls = append(p.Calls, x.Number)
		same = same && answerKey(x) == answerKey(g.calls[0])
		answers = append(answers, g.answer(x, &p, o.Pace))
	}
	switch {
	case g.param != "":
		m.Answer = answers[0]
	case same:
		coded := slices.IndexFunc(g.calls, func(x Exchange) bool { return x.Wire != nil && x.Wire.Coding != "" })
		m.Answer = answers[max(coded, 0)] // callers that want no coding get it without
		if len(answers) > 1 {
			p.Notes = append(p.Notes, fmt.Sprintf("%d calls got the same answer", len(answers)))
		}
	default:
		m.Sequence, m.Then = answers[:min(len(answers), spec.MaxSequence)], spec.RepeatLast
		p.Notes = append(p.Notes, fmt.Sprintf("the %d answers changed, so they come in their order", len(answers)))
	}
	p.Mapping = m
	return p
}

// id says in a few words what the mapping is asked: get-slots-limit-1.
func (g *group) id(path string) string {
	words := []string{g.method, path}
	if g.operation != "" {
		words = []string{g.operation}
	}
	for _, q := range g.ask.query {
		words = append(words, q.name, q.value)
	}
	for _, c := range g.callers {
		if name := cmp.Or(c.Cookie, c.Header); c.Present != nil && !*c.Present {
			words = append(words, "without", name)
		} else if c.Equals != nil {
			words = append(words, c.Equals.Text)
		}
	}
	return spec.Slug(strings.Join(words, " "), 110)
}

// literal is a path as a template without parameters.
func literal(path string) string {
	return strings.NewReplacer("{", "%7B", "}", "%7D").Replace(path)
}
