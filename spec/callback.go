package spec

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"path"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Callbacks says whether a service calls others after its answers, and how. Written, it is on, off, or
// how:
//
//	callbacks: { after: 2s, retries: 3, hosts: [localhost] }
type Callbacks struct {
	On bool `json:"-"`
	Pace
	// Hosts are the names and addresses of this machine and of private networks that may be called,
	// with * for any part of one; others must be public.
	Hosts []string `json:"hosts,omitempty"`
	// To is where webhooks go that name no address themselves.
	To string `json:"to,omitempty"`
}

// Pace is when a callback is made, how often, and what becomes of one that fails.
type Pace struct {
	// After is how long after the answer, or after the webhook was asked for.
	After Duration `json:"after,omitzero"`
	// Times is how often it is made, Every the time between; 0 for once.
	Times int      `json:"times,omitempty"`
	Every Duration `json:"every,omitzero"`
	// Retries is how often it is tried again, each RetryEvery later, until it is answered with a
	// status below 400.
	Retries    int      `json:"retries,omitempty"`
	RetryEvery Duration `json:"retryEvery,omitzero"`
}

// Bounds of a Pace.
const (
	MaxTimes   = 100
	MaxRetries = 20
	MaxAfter   = Duration(time.Hour)
)

// Or is the pace with what another one says where it says nothing.
func (p Pace) Or(other Pace) Pace {
	if p.After == 0 {
		p.After = other.After
	}
	if p.Times == 0 {
		p.Times, p.Every = other.Times, orDuration(p.Every, other.Every)
	}
	if p.Retries == 0 {
		p.Retries, p.RetryEvery = other.Retries, orDuration(p.RetryEvery, other.RetryEvery)
	}
	return p
}

func orDuration(d, other Duration) Duration {
	if d == 0 {
		return other
	}
	return d
}

func (p Pace) faults(at string) (items []problem.Item) {
	if p.Times < 0 || p.Times > MaxTimes {
		items = append(items, problem.Item{At: at + "/times", Detail: fmt.Sprintf("times must be from 1 to %d, not %d", MaxTimes, p.Times)})
	}
	if p.Retries < 0 || p.Retries > MaxRetries {
		items = append(items, problem.Item{At: at + "/retries", Detail: fmt.Sprintf("retries must be from 0 to %d, not %d", MaxRetries, p.Retries)})
	}
	for _, d := range []struct {
		key   string
		value Duration
	}{{"after", p.After}, {"every", p.Every}, {"retryEvery", p.RetryEvery}} {
		if d.value > MaxAfter {
			items = append(items, problem.Item{At: at + "/" + d.key, Detail: fmt.Sprintf("%s must be at most %s, not %s", d.key, MaxAfter, d.value)})
		}
	}
	return items
}

// IsZero reports whether callbacks are off.
func (c Callbacks) IsZero() bool { return !c.On }

// Allows reports whether a host may be called although it is of this machine or of a private network.
func (c Callbacks) Allows(host string) bool {
	host = strings.ToLower(strings.TrimSuffix(host, "."))
	for _, pattern := range c.Hosts {
		if fits, _ := path.Match(strings.ToLower(pattern), host); fits {
			return true
		}
	}
	return false
}

// DecodeTree reads on, off, or how.
func (c *Callbacks) DecodeTree(n *tree.Node) error {
	if on, is := switched(n); is {
		*c = Callbacks{On: on}
		return nil
	}
	if n.Kind != tree.Map {
		return errors.New("must be on, off, or how callbacks are made, such as `callbacks: { after: 2s, retries: 3 }`")
	}
	type plain Callbacks
	read := plain{On: true}
	items := tree.Decode(n, &read, "callbacks")
	*c = Callbacks(read)
	return problem.FromItems("the callbacks cannot be used", items)
}

// MarshalJSON writes what DecodeTree reads.
func (c Callbacks) MarshalJSON() ([]byte, error) {
	if !c.On {
		return []byte(`"off"`), nil
	}
	type plain Callbacks
	text, err := json.Marshal(plain(c))
	if err == nil && string(text) == "{}" {
		return []byte(`"on"`), nil
	}
	return text, err
}

// UnmarshalJSON reads what MarshalJSON writes.
func (c *Callbacks) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	if n.Kind == tree.Null {
		*c = Callbacks{}
		return nil
	}
	return c.DecodeTree(n)
}

func (c Callbacks) faults() (items []problem.Item) {
	items = c.Pace.faults("/callbacks")
	for i, pattern := range c.Hosts {
		if _, err := path.Match(pattern, ""); err != nil || pattern == "" || strings.Contains(pattern, "/") {
			items = append(items, problem.Item{At: "/callbacks/hosts/" + strconv.Itoa(i), Detail: fmt.Sprintf("must be the name or address of a host, such as localhost or *.test, not %q", pattern)})
		}
	}
	if c.To != "" && !IsCallable(c.To) {
		items = append(items, problem.Item{At: "/callbacks/to", Detail: notCallable(c.To)})
	}
	return items
}

// IsCallable reports whether a text is an address to which a callback can go.
func IsCallable(address string) bool {
	u, err := url.Parse(address)
	return err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && u.User == nil
}

func notCallable(address string) string {
	return fmt.Sprintf("must be an address such as http://localhost:9000/told, not %q", address)
}

// Callback is a call that a service makes after it answered.
type Callback struct {
	// Name is that of a callback of the contract, from which comes what the document leaves out: the
	// address, the method and the body.
	Name string `json:"name,omitempty"`
	// To is the address, in which ${…} holds expressions, as in the headers and the body.
	To      string  `json:"to,omitempty"`
	Method  string  `json:"method,omitempty"` // POST where neither it nor the contract says so
	Headers Headers `json:"headers,omitempty"`
	// At most one of the bodies is set; see Answer.
	JSON    *tree.Node `json:"json,omitempty"`
	Text    *string    `json:"text,omitempty"`
	XML     *string    `json:"xml,omitempty"`
	Payload string     `json:"payload,omitempty"`
	// Pace stands above that of the service.
	Pace
}

// UnmarshalJSON reads a callback through the tree, so that the body keeps its order and digits.
func (c *Callback) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return problem.FromItems("the callback cannot be used", tree.Decode(n, c, "callback"))
}

// Message are headers and body of the callback as those of an answer.
func (c Callback) Message() Answer {
	return Answer{Status: Status{Code: 200}, Headers: c.Headers, JSON: c.JSON, Text: c.Text, XML: c.XML, Payload: c.Payload}
}

// HasBody reports whether the callback has a body of its own.
func (c Callback) HasBody() bool { return c.Message().bodies() > 0 }

// MaxCallbacks bounds the callbacks of one answer.
const MaxCallbacks = 20

// ReadCallback reads a document that changes a callback of this name, which the contract has; it may be
// empty.
func ReadCallback(text []byte, name string) (Callback, error) {
	if len(bytes.TrimSpace(text)) == 0 {
		text = []byte("{}")
	}
	n, err := tree.Parse(text)
	if err != nil {
		return Callback{}, SyntaxProblem(err, "the callback")
	}
	var c Callback
	items := tree.Decode(n, &c, "callback")
	c.Name = name
	items = append(items, tree.Locate(n, CallbackList{c}.faults(""))...)
	return c, problem.FromItems("the callback cannot be used", items)
}

// CallbackList are the callbacks of one answer, in their order; written as one or as a list. An empty
// list makes none, whatever the contract declares.
type CallbackList []Callback

// DecodeTree reads one or a list of them.
func (l *CallbackList) DecodeTree(n *tree.Node) error {
	given := []*tree.Node{n}
	if n.Kind == tree.List {
		given = n.Items
	}
	*l = make(CallbackList, 0, len(given))
	var items []problem.Item
	for i, one := range given {
		var c Callback
		for _, item := range tree.Decode(one, &c, "callback") {
			if n.Kind == tree.List {
				item.At = "/" + strconv.Itoa(i) + item.At
			}
			items = append(items, item)
		}
		*l = append(*l, c)
	}
	return problem.FromItems("the callbacks cannot be used", items)
}

// MarshalJSON writes one as an object, several as a list.
func (l CallbackList) MarshalJSON() ([]byte, error) {
	if len(l) == 1 {
		return json.Marshal(l[0])
	}
	return json.Marshal([]Callback(l))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (l *CallbackList) UnmarshalJSON(text []byte) error { return decodeJSON(text, l) }

// Place is the JSON Pointer to one of them, below that of the list.
func (l CallbackList) Place(i int) string {
	if len(l) == 1 {
		return ""
	}
	return "/" + strconv.Itoa(i)
}

func (l CallbackList) faults(at string) (items []problem.Item) {
	if len(l) > MaxCallbacks {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf("an answer has at most %d callbacks, not %d", MaxCallbacks, len(l))})
	}
	for i, c := range l {
		place := at + l.Place(i)
		fault := func(inside, format string, args ...any) {
			items = append(items, problem.Item{At: place + inside, Detail: fmt.Sprintf(format, args...)})
		}
		switch message := c.Message(); {
		case c.Name == "" && c.To == "":
			fault("", "a callback needs an address (to), or the name of a callback of the contract")
		case c.To != "" && !strings.Contains(c.To, "${") && !IsCallable(c.To):
			fault("/to", "%s", notCallable(c.To))
		case c.Method != "" && !token.MatchString(c.Method):
			fault("/method", "%q is no method", c.Method)
		case message.bodies() > 1:
			fault("", "a callback has one body: json, text, xml or payload")
		case c.Payload != "" && !PayloadName(c.Payload):
			fault("/payload", "payload must be the name of a file: %s, not %q", PayloadRule, c.Payload)
		}
		items = append(items, headerFaults(c.Headers, place+"/headers/")...)
		items = append(items, c.Pace.faults(place)...)
	}
	return items
}
