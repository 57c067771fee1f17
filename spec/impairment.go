package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Impairment is injected trouble: what it names happens to every call of its
// target. The zero value changes nothing.
type Impairment struct {
	// Latency is added before an answer.
	Latency *Latency `json:"latency,omitempty"`
	Errors  *Errors  `json:"errors,omitempty"`
	Limit   *Limit   `json:"limit,omitempty"`
	// Connection is what happens to the connection, or how slow it is.
	Connection *Connection `json:"connection,omitempty"`
	Outage     *Outage     `json:"outage,omitempty"`
	// Seed makes all chance of the impairment repeatable: the same seed gives the
	// same faults in the same order. One is drawn when it is left out.
	Seed *int64 `json:"seed,omitempty"`
}

// Empty reports whether it changes nothing.
func (i Impairment) Empty() bool {
	return i.Latency == nil && i.Errors == nil && i.Limit == nil && i.Connection == nil && i.Outage == nil
}

// Errors are answers that say that something went wrong. One of Rate, Next,
// Every and First says which calls get them.
type Errors struct {
	// Rate is the share of calls, by chance.
	Rate *Rate `json:"rate,omitempty"`
	// Next is how many of the next calls; Every means each n-th one.
	Next  int `json:"next,omitempty"`
	Every int `json:"every,omitempty"`
	// First is how many calls of each caller get errors before it is served.
	First int `json:"first,omitempty"`
	// Of says what a caller is, for First and RetryAfter; see Limit.
	Of string `json:"of,omitempty"`
	// Status is with which statuses, 503 unless given.
	Status Weights `json:"status,omitempty"`
	// RetryAfter tells callers how long to wait: who comes back earlier is refused
	// again, who waits is served.
	RetryAfter Duration `json:"retryAfter,omitzero"`
}

func (e Errors) String() string {
	switch {
	case e.Rate != nil:
		return "errors " + e.Rate.String()
	case e.Next > 0:
		return fmt.Sprintf("errors for the next %d", e.Next)
	case e.Every > 0:
		return fmt.Sprintf("errors for every %d. call", e.Every)
	default:
		return fmt.Sprintf("errors for the first %d of each caller", e.First)
	}
}

// Limit refuses calls over a number with 429: Calls in any span of the length
// Per, or InFlight at once.
type Limit struct {
	Calls int      `json:"calls,omitempty"`
	Per   Duration `json:"per,omitzero"`
	// InFlight is how many calls may be in work at once.
	InFlight int `json:"inFlight,omitempty"`
	// Of says who shares a limit: everyone, the default; caller, by address; or
	// header:NAME, by the value of a header.
	Of string `json:"of,omitempty"`
}

func (l Limit) String() string {
	var parts []string
	if l.Calls > 0 {
		parts = append(parts, fmt.Sprintf("%d in %s", l.Calls, l.Per))
	}
	if l.InFlight > 0 {
		parts = append(parts, fmt.Sprintf("%d at once", l.InFlight))
	}
	return "limit " + strings.Join(parts, ", ")
}

// What can happen to a connection.
const (
	EffectDrop        = "drop"         // closed before the answer
	EffectReset       = "reset"        // reset before the answer
	EffectHang        = "hang"         // never answered
	EffectCutBody     = "cut-body"     // closed in the middle of the body
	EffectWrongLength = "wrong-length" // a Content-Length that the body does not have
	EffectGarbage     = "garbage"      // bytes that are no HTTP
)

// Effects are all that can happen to a connection.
var Effects = []string{EffectDrop, EffectReset, EffectHang, EffectCutBody, EffectWrongLength, EffectGarbage}

// Connection is what happens to the connection of a call, and how slow it is.
type Connection struct {
	Effect string `json:"effect,omitempty"`
	// Rate is the share of calls that the effect happens to; all when left out.
	Rate *Rate `json:"rate,omitempty"`
	// Line is the name of a line of the environment, instead of its values: see
	// there.
	Line           string   `json:"line,omitempty"`
	BytesPerSecond int64    `json:"bytesPerSecond,omitempty"`
	FirstByte      Duration `json:"firstByte,omitzero"`
	Pause          Duration `json:"pause,omitzero"`
	Chunk          int      `json:"chunk,omitempty"`
}

// OwnLine is how slow the connection says that it is by itself.
func (c Connection) OwnLine() Line { return Line{c.BytesPerSecond, c.FirstByte, c.Pause, c.Chunk} }

func (c Connection) String() string {
	var parts []string
	if c.Effect != "" {
		text := c.Effect
		if c.Rate != nil {
			text += " " + c.Rate.String()
		}
		parts = append(parts, text)
	}
	if c.Line != "" {
		parts = append(parts, "line "+c.Line)
	}
	if line := c.OwnLine(); line.Slow() {
		parts = append(parts, line.String())
	}
	return strings.Join(parts, ", ")
}

// connectionKeys is Connection without its methods.
type connectionKeys Connection

// DecodeTree reads an effect, or an object.
func (c *Connection) DecodeTree(n *tree.Node) error {
	if n.Kind == tree.String {
		c.Effect = n.Text
		return nil
	}
	if items := tree.Decode(n, (*connectionKeys)(c), "connection"); len(items) > 0 {
		return errors.New(strings.TrimPrefix(items[0].At+": ", ": ") + items[0].Detail)
	}
	return nil
}

// MarshalJSON writes the effect alone where there is nothing else.
func (c Connection) MarshalJSON() ([]byte, error) {
	if c == (Connection{Effect: c.Effect}) {
		return json.Marshal(c.Effect)
	}
	return json.Marshal(connectionKeys(c))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (c *Connection) UnmarshalJSON(text []byte) error { return decodeJSON(text, c) }

// Outage is a time in which nothing works: from the moment it is set, for as
// long as For, and again after each Every; without either until it is taken
// back.
type Outage struct {
	// As is how: drop, reset, hang, or a status such as 503.
	As    string   `json:"as"`
	For   Duration `json:"for,omitzero"`
	Every Duration `json:"every,omitzero"`
}

func (o Outage) String() string {
	text := "outage (" + o.As + ")"
	if o.For > 0 {
		text += " for " + o.For.String()
	}
	if o.Every > 0 {
		text += " in every " + o.Every.String()
	}
	return text
}

// Status is the status with which it answers; 0 where the connection tells.
func (o Outage) Status() int {
	status, _ := strconv.Atoi(o.As)
	return status
}

// Draws reports whether chance has a part in it, so that its seed matters.
func (i Impairment) Draws() bool {
	return i.Latency != nil && i.Latency.Draws() ||
		i.Errors != nil && (i.Errors.Rate != nil || len(i.Errors.Status) > 1) || i.Connection != nil && i.Connection.Rate != nil
}

// String says in a line what it does.
func (i Impairment) String() string {
	var parts []string
	if i.Outage != nil {
		parts = append(parts, i.Outage.String())
	}
	if i.Limit != nil {
		parts = append(parts, i.Limit.String())
	}
	if i.Errors != nil {
		text := i.Errors.String()
		if len(i.Errors.Status) > 0 {
			text += " with " + strings.Trim(strings.ReplaceAll(fmt.Sprint(i.Errors.Status.Statuses()), " ", ", "), "[]")
		}
		if i.Errors.RetryAfter > 0 {
			text += ", retry after " + i.Errors.RetryAfter.String()
		}
		parts = append(parts, text)
	}
	if i.Latency != nil {
		parts = append(parts, "latency "+i.Latency.String())
	}
	if i.Connection != nil {
		parts = append(parts, "connection "+i.Connection.String())
	}
	return strings.Join(parts, "; ")
}

var impairmentKind = kind[Impairment]{noun: "impairment", read: readImpairment}

// ReadImpairment reads one impairment document.
func ReadImpairment(text []byte) (Impairment, error) {
	given, err := impairmentKind.one(text, "")
	return given.Document, err
}

func readImpairment(n *tree.Node, _ string) (i Impairment, items []problem.Item) {
	items = tree.Decode(n, &i, "impairment")
	if len(items) == 0 {
		items = tree.Locate(n, i.Faults(""))
	}
	return i, items
}

var targetImpairmentKind = kind[TargetImpairment]{
	noun: "impairment", key: "target", several: "impairments", always: true,
	added: []string{"text", "draws", "own", "origin", "since", "by", "down", "limits", "did"},
	read: func(n *tree.Node, _ string) (i TargetImpairment, items []problem.Item) {
		items = tree.Decode(n, &i, "impairment")
		if len(items) == 0 {
			items = tree.Locate(n, ownFaults(&i.Impairment, "/impairment"))
		}
		return i, items
	},
	name: func(i *TargetImpairment) string { return i.Target.String() },
}

// GivenImpairments are impairments as somebody gives them: one alone, for the target that
// the address names, or several with their targets, as a list of them was read.
type GivenImpairments struct {
	// Several is set for those of a list, which name their targets.
	Several bool
	// Off is what a list says of the switch for all of them; nil for nothing.
	Off   *bool
	Items []Given[TargetImpairment]
}

// ReadImpairments reads an impairment, one with its target, or a list of these. What
// mappings, scenarios and lanes have of themselves is passed over in a list.
func ReadImpairments(text []byte) (given GivenImpairments, err error) {
	n, err := parse(text, "the impairment")
	if err != nil {
		return given, err
	}
	if n.Kind != tree.List && n.Get("items") == nil && n.Get("impairments") == nil {
		return oneImpairment(text, n)
	}
	given.Several = true
	if off := n.Get("off"); off != nil {
		if off.Kind != tree.Bool {
			return given, problem.FromItems("the impairments cannot be used", []problem.Item{{At: "/off", Line: int(off.Line), Col: int(off.Col), Detail: "off must be true or false"}})
		}
		is := off.IsTrue()
		given.Off = &is
	}
	nodes, prefix := n.Get("items").Elements(), "/items/"
	switch {
	case n.Kind == tree.List:
		nodes, prefix = n.Items, "/"
	case n.Get("impairments") != nil:
		nodes, prefix = n.Get("impairments").Elements(), "/impairments/"
	}
	nodes = slices.DeleteFunc(slices.Clone(nodes), func(n *tree.Node) bool {
		return n.Get("own").IsTrue() || n.Get("origin").Str() != ""
	})
	items, faults := targetImpairmentKind.all(nodes, prefix)
	given.Items = items
	return given, problem.FromItems("the impairments cannot be used", faults)
}

func oneImpairment(text []byte, n *tree.Node) (given GivenImpairments, err error) {
	var one Given[TargetImpairment]
	if n.Get("impairment") != nil {
		one, err = targetImpairmentKind.one(text, "")
	} else {
		var bare Given[Impairment]
		bare, err = impairmentKind.one(text, "")
		one = Given[TargetImpairment]{Document: TargetImpairment{Impairment: bare.Document}, ETag: bare.ETag, Node: bare.Node}
	}
	given.Items = append(given.Items, one)
	return given, err
}

var callerOf = regexp.MustCompile("^(everyone|caller|header:[!#$%&'*+.^_`|~0-9A-Za-z-]+)$")

// Faults finds what the shape does not show; at is the place of the impairment.
func (i Impairment) Faults(at string) []problem.Item {
	f := faults{at: at}
	i.Latency.faults(&f)
	i.Errors.faults(&f)
	i.Limit.faults(&f)
	i.Connection.faults(&f)
	i.Outage.faults(&f)
	return f.items
}

// faults collects what is wrong with a document, below a place.
type faults struct {
	at    string
	items []problem.Item
}

func (f *faults) add(inside, format string, args ...any) {
	f.items = append(f.items, problem.Item{At: f.at + inside, Detail: fmt.Sprintf(format, args...)})
}

func (l *Latency) faults(f *faults) {
	if l != nil && (l.Low > l.High || l.P50 > l.P99 || max(l.High, l.P99) > Duration(time.Hour)) {
		f.add("/latency", "latency must grow from its first to its second time, and be at most 1h, not %s", l)
	}
}

func (e *Errors) faults(f *faults) {
	if e == nil {
		return
	}
	given := 0
	for _, is := range []bool{e.Rate != nil, e.Next > 0, e.Every > 0, e.First > 0} {
		if is {
			given++
		}
	}
	if given != 1 || min(e.Next, e.Every, e.First) < 0 {
		f.add("/errors", "errors need one of rate (30%%), next, every and first (numbers from 1)")
	}
	f.addOf("/errors/of", e.Of)
}

// addOf looks at who is counted.
func (f *faults) addOf(at, of string) {
	if of != "" && !callerOf.MatchString(of) {
		f.add(at, "of must be everyone, caller or header:NAME, not %q", of)
	}
}

// mostLimited bounds the calls of a limit, whose times are all remembered.
const mostLimited = 100_000

func (l *Limit) faults(f *faults) {
	if l == nil {
		return
	}
	if l.Calls < 0 || l.InFlight < 0 || l.Calls == 0 && l.InFlight == 0 || (l.Calls > 0) != (l.Per > 0) || l.Calls > mostLimited {
		f.add("/limit", "a limit needs calls (at most %d) and per, such as { calls: 60, per: 1m }, or inFlight", mostLimited)
	}
	f.addOf("/limit/of", l.Of)
}

func (c *Connection) faults(f *faults) {
	if c == nil {
		return
	}
	switch {
	case c.Effect != "" && !slices.Contains(Effects, c.Effect):
		f.add("/connection", "a connection can %s, not %q", strings.Join(Effects, ", "), c.Effect)
	case c.Effect == "" && c.Line == "" && !c.OwnLine().Slow():
		f.add("/connection", "connection needs an effect (%s), a line, or how slow it is (bytesPerSecond, firstByte, pause)", strings.Join(Effects, ", "))
	case c.Line != "" && c.OwnLine().Slow():
		f.add("/connection/line", "a connection has a line or values of its own, not both")
	case c.Effect == "" && c.Rate != nil:
		f.add("/connection/rate", "rate belongs to an effect")
	}
	f.items = append(f.items, c.OwnLine().faults(f.at+"/connection")...)
}

func (o *Outage) faults(f *faults) {
	if o == nil {
		return
	}
	if status := o.Status(); !slices.Contains([]string{EffectDrop, EffectReset, EffectHang}, o.As) && (status < 300 || status > 999) {
		f.add("/outage/as", "an outage is drop, reset, hang, or a status such as 503, not %q", o.As)
	}
	if o.Every > 0 && (o.For == 0 || o.For >= o.Every) {
		f.add("/outage/every", "an outage that comes again is shorter than the time after which it does: { as: 503, for: 20s, every: 2m }")
	}
}

// Target is what an impairment is for: all of the environment when it is zero,
// else a service, or one operation or mapping of it.
type Target struct {
	Service   string `json:"service,omitempty"` // its name
	Operation string `json:"operation,omitempty"`
	Mapping   string `json:"mapping,omitempty"`
}

func (t Target) String() string {
	switch {
	case t.Service == "":
		return "everything"
	case t.Operation != "":
		return "operation " + t.Operation + " of " + t.Service
	case t.Mapping != "":
		return "mapping " + t.Mapping + " of " + t.Service
	default:
		return t.Service
	}
}
