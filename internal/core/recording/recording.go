// Package recording makes mappings of recorded calls, and reads and writes them
// as HAR. It stores nothing and decides about no call. Start with Propose.
package recording

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// Exchange is one recorded call with its answer, secrets masked, bodies decoded.
type Exchange struct {
	Number  uint64       `json:"number"`
	At      time.Time    `json:"at"`
	Took    int64        `json:"took"` // in microseconds
	Method  string       `json:"method"`
	Path    string       `json:"path"` // relative to the service, escaped
	Query   string       `json:"query,omitempty"`
	Request call.Header  `json:"request,omitempty"`
	Body    []byte       `json:"body,omitempty"`
	Status  int          `json:"status"`
	Header  []call.Field `json:"header,omitempty"`
	Answer  []byte       `json:"answer,omitempty"`
	// Truncated is set when a body was too large to keep whole: then it cannot be
	// played back.
	Truncated bool `json:"cut,omitempty"` // as recordings of old have it stored
}

// Of is a finished call, whose secrets are masked, as an exchange.
func Of(r *call.Record) Exchange {
	x := Exchange{
		Number: r.Number, At: r.At, Took: r.Took().Microseconds(), Method: r.Request.Method, Path: r.Request.Path, Query: r.Request.Query,
		Request: r.Request.Header, Body: r.Request.Body.Bytes, Status: r.Answer.Status, Header: r.Answer.Header, Answer: r.Answer.Body,
		Truncated: r.Request.Body.Truncated || int64(len(r.Answer.Body)) < r.AnswerSize && r.Request.Method != "HEAD",
	}
	return x.withStandIns()
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
	// Separate keeps paths apart whose answers differ only by the same value.
	Separate bool
	// NoPreflights leaves out what browsers ask before they let a page call: for a
	// service that answers it by itself.
	NoPreflights bool
}

// Proposal is a mapping that would answer as the upstream did.
type Proposal struct {
	Mapping spec.Mapping
	Calls   []uint64 // that it was made of
	// Notes tell what was decided on the way.
	Notes []string
	// Payloads are large bodies that the mapping sends, by name.
	Payloads map[string][]byte
}

// Skipped is a call that no mapping can be made of.
type Skipped struct {
	Number uint64
	Reason string
}

// Propose makes mappings of recorded calls: one of each call that was made,
// with the answers in their order where they changed.
func Propose(exchanges []Exchange, o Options) (proposals []Proposal, skipped []Skipped) {
	var usable []Exchange
	for _, x := range exchanges {
		reason := unusable(x)
		if o.NoPreflights && x.Method == "OPTIONS" && x.Request.Get("Access-Control-Request-Method") != "" {
			reason = "a preflight of a browser, which the service answers by itself"
		}
		if reason != "" {
			skipped = append(skipped, Skipped{x.Number, reason})
			continue
		}
		usable = append(usable, x)
	}
	groups := grouped(usable)
	if !o.Separate {
		groups = folded(groups)
	}
	ids := make(map[string]int)
	for _, g := range groups {
		p := g.proposal(o)
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
		return "a body was larger than the log keeps, so it cannot be played back"
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
	query        []pair // the telling parameters
	conditions   []spec.Condition
	calls        []Exchange
	notes        []string
	param        string // of a folded group, the name of its parameter
	segment      int    // where it stands
}

type pair struct{ name, value string }

// noise are query parameters that say when or how a call came, not what it asks
// for.
var noise = regexp.MustCompile(`(?i)^(_|t|ts|time|timestamp|nonce|cb|cachebuster|cache|rand|random|utm_.*|trace.*|request-?id)$`)

func tellingQuery(raw string) (telling []pair, left []string) {
	for part := range strings.SplitSeq(raw, "&") {
		if part == "" {
			continue
		}
		name, value, _ := strings.Cut(part, "=")
		name, nameErr := url.QueryUnescape(name)
		value, valueErr := url.QueryUnescape(value)
		if nameErr != nil || valueErr != nil {
			continue
		}
		if noise.MatchString(name) {
			left = append(left, name)
			continue
		}
		telling = append(telling, pair{name, value})
	}
	slices.SortStableFunc(telling, func(a, b pair) int { return cmp.Or(strings.Compare(a.name, b.name), strings.Compare(a.value, b.value)) })
	return telling, left
}

// grouped puts calls together that ask for the same, in the order in which each
// was first made.
func grouped(exchanges []Exchange) (groups []*group) {
	byKey := make(map[string]*group)
	for _, x := range exchanges {
		query, left := tellingQuery(x.Query)
		key := fmt.Sprint(x.Method, "\x00", x.Path, "\x00", query)
		g := byKey[key]
		if g == nil {
			g = &group{method: x.Method, path: x.Path, query: query}
			byKey[key] = g
			groups = append(groups, g)
		}
		if len(left) > 0 && len(g.notes) == 0 {
			g.notes = append(g.notes, "query "+strings.Join(left, ", ")+" is left out: it says when or how the call came")
		}
		g.calls = append(g.calls, x)
	}
	var out []*group
	for _, g := range groups {
		out = append(out, byBody(g)...)
	}
	return out
}

// answerKey is an answer without what differs by itself.
func answerKey(x Exchange) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%d\n", x.Status)
	for _, f := range kept(x.Header) {
		fmt.Fprintf(&b, "%s: %s\n", f.Name, f.Value)
	}
	b.Write(x.Answer)
	return b.String()
}

// ownHeaders follow from the body or the moment, and are not played back.
var ownHeaders = []string{"Date", "Content-Length", "Content-Encoding", "Connection", "Transfer-Encoding", "Keep-Alive", "Age", "Trailer", "Rapid-Mimic",
	"X-Request-Id", "Traceparent", "Server-Timing"}

func kept(fields []call.Field) (out []call.Field) {
	for _, f := range fields {
		if !slices.ContainsFunc(ownHeaders, func(own string) bool { return strings.EqualFold(own, f.Name) }) {
			out = append(out, f)
		}
	}
	return out
}

func (g *group) proposal(o Options) Proposal {
	m := spec.Mapping{Enabled: true, Labels: o.Labels, Call: spec.Pattern{Method: spec.Methods{g.method}, Path: literal(g.path)}}
	if g.param != "" {
		m.Call.Path = g.template()
	}
	for _, q := range g.query {
		m.Call.Where = append(m.Call.Where, spec.Condition{Query: q.name, Equals: tree.NewString(q.value)})
	}
	m.Call.Where = append(m.Call.Where, g.conditions...)
	m.ID = spec.Slug(g.method+" "+m.Call.Path, 110)
	p := Proposal{Notes: slices.Clone(g.notes), Payloads: make(map[string][]byte)}
	var answers []spec.Answer
	same := true
	for _, x := range g.calls {
		p.Calls = append(p.Calls, x.Number)
		same = same && answerKey(x) == answerKey(g.calls[0])
		answers = append(answers, g.answer(x, &p))
	}
	switch {
	case g.param != "" || same:
		m.Answer = answers[0]
		if len(answers) > 1 && g.param == "" {
			p.Notes = append(p.Notes, fmt.Sprintf("%d calls got the same answer", len(answers)))
		}
	default:
		m.Sequence, m.Then = answers[:min(len(answers), spec.MaxSequence)], spec.RepeatLast
		p.Notes = append(p.Notes, fmt.Sprintf("the %d answers changed, so they come in their order", len(answers)))
	}
	p.Mapping = m
	return p
}

// literal is a path as a template without parameters.
func literal(path string) string {
	return strings.NewReplacer("{", "%7B", "}", "%7D").Replace(path)
}

// largeBody is from which size on a body becomes a payload.
const largeBody = 64 << 10

// answer is what an exchange was answered with.
func (g *group) answer(x Exchange, p *Proposal) spec.Answer {
	a := spec.Answer{Status: spec.Status{Code: x.Status}}
	mediaType := ""
	for _, f := range kept(x.Header) {
		if strings.EqualFold(f.Name, "Content-Type") {
			mediaType = f.Value
		}
		a.Headers = append(a.Headers, spec.Header{Name: f.Name, Value: g.withParam(f.Value)})
	}
	if len(x.Answer) == 0 {
		return a
	}
	base, _, _ := strings.Cut(mediaType, ";")
	base = strings.ToLower(strings.TrimSpace(base))
	text := g.withParam(string(x.Answer))
	if len(x.Answer) > largeBody {
		name := fmt.Sprintf("recorded-%d%s", x.Number, endings[base])
		p.Payloads[name], a.Payload = []byte(escaped(string(x.Answer))), name
		if !utf8.Valid(x.Answer) {
			p.Payloads[name] = x.Answer
		}
		return a
	}
	if base == "application/json" || strings.HasSuffix(base, "+json") {
		if n, err := tree.ParseJSON([]byte(text)); err == nil {
			if mediaType == "application/json" {
				a.Headers = slices.DeleteFunc(a.Headers, func(h spec.Header) bool { return strings.EqualFold(h.Name, "Content-Type") })
			}
			a.JSON = n
			return a
		}
	}
	if utf8.Valid(x.Answer) && !bytes.ContainsRune(x.Answer, 0) {
		a.Text = &text
		return a
	}
	coded := base64.StdEncoding.EncodeToString(x.Answer)
	a.Base64 = &coded
	return a
}

var endings = map[string]string{"application/json": ".json", "application/xml": ".xml", "text/xml": ".xml", "text/html": ".html", "text/plain": ".txt",
	"text/csv": ".csv", "application/pdf": ".pdf", "image/png": ".png", "image/jpeg": ".jpg"}

// escaped makes a text stand for itself where expressions may stand.
func escaped(text string) string { return strings.ReplaceAll(text, "${", "$${") }
