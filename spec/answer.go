package spec

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Answer is what a mapping sends back. At most one of the bodies is set.
type Answer struct {
	Status  Status  `json:"status,omitzero"`
	Headers Headers `json:"headers,omitempty"`
	// Let names values that the rest of the answer uses by their names, an object: each is
	// worked out once for a call, in their order, and may use those before it.
	Let *tree.Node `json:"let,omitempty"`
	// Remember are values that the service keeps when it gives this answer.
	Remember RememberList `json:"remember,omitempty"`
	// Callbacks are calls that the service makes afterwards, where its callbacks are on, instead of
	// those of the contract; nil leaves it to that.
	Callbacks CallbackList `json:"callbacks,omitzero"`
	// JSON is sent compact, its keys in order, its numbers as written. In it, in
	// text, xml and headers ${…} stands for what an expression gives.
	JSON *tree.Node `json:"json,omitempty"`
	// Text is sent as it stands.
	Text *string `json:"text,omitempty"`
	// XML is a document; a SOAP service puts it into an envelope of the caller's
	// version, unless it is one.
	XML *string `json:"xml,omitempty"`
	// Base64 is a body of any bytes, in the standard alphabet.
	Base64 *string `json:"base64,omitempty"`
	// Payload is the name of a file that was given to the service: it is sent as
	// it is, save that ${…} stands for expressions in texts.
	Payload string `json:"payload,omitempty"`
	// Script is JavaScript that makes the answer, or the name of a payload with it that ends in
	// .js.
	Script string `json:"script,omitempty"`
	// Redirect sends the caller elsewhere: a path of the service, or an address.
	Redirect string `json:"redirect,omitempty"`
	// Example is the name of an example of the contract, or of a declared fault;
	// Generate draws data from its schema. Either stands for the whole answer.
	Example  string `json:"example,omitempty"`
	Generate bool   `json:"generate,omitempty"`
	// Fault makes a SOAP fault in the caller's version.
	Fault *Fault `json:"fault,omitempty"`
	// From is where the answer comes from: FromUpstream passes the call on, FromContract
	// gives what the contract would answer, and FromMapping with an id after it what
	// another mapping does. With is merged into its JSON body (RFC 7396), then Edit
	// changes it; an edit whose test fails changes nothing. Send changes the request on
	// its way to the upstream.
	From string     `json:"from,omitempty"`
	Send []EditStep `json:"send,omitempty"`
	With *tree.Node `json:"with,omitempty"`
	Edit []EditStep `json:"edit,omitempty"`
	// Recorded is how a recorded answer came over the connection, beside what the others
	// say.
	Recorded *Recorded `json:"recorded,omitempty"`
}

// ScriptPayload is the name of the payload that holds the script; "" where it stands in the
// answer itself.
func (a Answer) ScriptPayload() string {
	if strings.HasSuffix(a.Script, ".js") && PayloadName(a.Script) {
		return a.Script
	}
	return ""
}

// bodies counts the kinds of body that are given.
func (a Answer) bodies() (count int) {
	for _, given := range []bool{a.JSON != nil, a.Text != nil, a.XML != nil, a.Base64 != nil, a.Payload != "", a.Script != "", a.Redirect != "", a.Fault != nil,
		a.Example != "", a.Generate} {
		if given {
			count++
		}
	}
	return count
}

// UnmarshalJSON reads an answer through the tree, so that the body keeps its
// order and digits, and a body of null stays a body.
func (a *Answer) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return problem.FromItems("the answer cannot be used", tree.Decode(n, a, "answer"))
}

// Status is the status of an answer: a number, or an expression ${…} that gives
// one. The zero value stands for the usual one: 500 of a fault, 302 of a
// redirect, 200 of all else.
type Status struct {
	Code int    // 0 with an expression
	Expr string // as it is written, with ${ and }
}

// String is the status as it is written.
func (s Status) String() string {
	if s.Expr != "" {
		return s.Expr
	}
	return strconv.Itoa(s.Code)
}

// DecodeTree reads a number or an expression.
func (s *Status) DecodeTree(n *tree.Node) error {
	if n.Kind == tree.String && strings.HasPrefix(n.Text, "${") {
		s.Expr = n.Text
		return nil
	}
	code, err := strconv.Atoi(n.Text)
	if n.Kind != tree.Number || err != nil {
		return errors.New("must be a number such as 200, or an expression ${…}")
	}
	s.Code = code
	return nil
}

// MarshalJSON writes what DecodeTree reads.
func (s Status) MarshalJSON() ([]byte, error) {
	if s.Expr != "" {
		return json.Marshal(s.Expr)
	}
	return json.Marshal(s.Code)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Status) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return s.DecodeTree(n)
}

// setStatus gives an answer that names no status the usual one.
func (a *Answer) setStatus() {
	switch {
	case a.Status != Status{}, a.From != "", a.Script != "":
	case a.Fault != nil:
		a.Status.Code = 500
	case a.Redirect != "":
		a.Status.Code = 302
	default:
		a.Status.Code = 200
	}
}

// Headers are header lines in their order. They are written as a list of single headers,
// or where the order does not matter as an object, in which a list of values repeats a
// name.
type Headers []Header

// DecodeTree reads headers as a list or as an object.
func (h *Headers) DecodeTree(n *tree.Node) error {
	var items []problem.Item
	fault := func(n *tree.Node, at string, err error) {
		items = append(items, problem.Item{At: at, Line: int(n.Line), Col: int(n.Col), Detail: err.Error()})
	}
	switch n.Kind {
	case tree.List:
		for i, item := range n.Items {
			var single Header
			if err := single.DecodeTree(item); err != nil {
				fault(item, "/"+strconv.Itoa(i), fmt.Errorf("headers %w", err))
			}
			*h = append(*h, single)
		}
	case tree.Map:
		for _, m := range n.Members {
			for _, value := range valuesOf(m.Value) {
				if value.Kind == tree.List || value.Kind == tree.Map {
					fault(value, tree.Join("", m.Key), fmt.Errorf("a value of %s must be a text or a number, not %s", m.Key, value.Kind))
				}
				*h = append(*h, Header{m.Key, value.Text})
			}
		}
	default:
		return errors.New("must be a list of single headers, such as `- Cache-Control: no-store`, or an object")
	}
	return problem.FromItems("the headers cannot be used", items)
}

// valuesOf are the values that one name has: those of a list, or the one.
func valuesOf(n *tree.Node) []*tree.Node {
	if n.Kind == tree.List {
		return n.Items
	}
	return []*tree.Node{n}
}

// UnmarshalJSON reads headers as DecodeTree does.
func (h *Headers) UnmarshalJSON(text []byte) error { return decodeJSON(text, h) }

// Header is one header line; a name may occur several times.
type Header struct{ Name, Value string }

// DecodeTree reads an object with a single key: `Cache-Control: no-store`.
func (h *Header) DecodeTree(n *tree.Node) error {
	if n.Kind != tree.Map || len(n.Members) != 1 {
		return errors.New("must be a list of single headers, such as `- Cache-Control: no-store`")
	}
	m := n.Members[0]
	if m.Value.Kind == tree.List || m.Value.Kind == tree.Map {
		return fmt.Errorf("must give %s one value; repeat the header for several", m.Key)
	}
	h.Name, h.Value = m.Key, m.Value.Text
	return nil
}

// MarshalJSON writes {"Name": "value"}.
func (h Header) MarshalJSON() ([]byte, error) {
	return json.Marshal(map[string]string{h.Name: h.Value})
}

// UnmarshalJSON reads what MarshalJSON writes.
func (h *Header) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return h.DecodeTree(n)
}

var token = regexp.MustCompile("^[!#$%&'*+.^_`|~0-9A-Za-z-]+$")

// ownHeaders are written by the server from the body that is really sent.
var ownHeaders = []string{"content-length", "transfer-encoding", "connection"}

// faults finds what is wrong with one answer; at is its place.
func (a Answer) faults(at string) (items []problem.Item) {
	fault := func(inside, format string, args ...any) {
		items = append(items, problem.Item{At: at + inside, Detail: fmt.Sprintf(format, args...)})
	}
	if a.Script != "" && (a.Status != Status{} || len(a.Headers) > 0 || a.Let != nil) {
		fault("/script", "a script gives status and headers itself: return { status, headers, json }")
	}
	if code := a.Status.Code; (a.From == "" && a.Script == "" || code != 0) && a.Status.Expr == "" && (code < 200 || code > 999) {
		fault("/status", "status must be a number from 200 to 999, not %d", code)
	}
	items = append(items, a.letFaults(at+"/let")...)
	items = append(items, a.Remember.faults(at+"/remember")...)
	items = append(items, a.Callbacks.faults(at+"/callbacks")...)
	if a.From == FromUpstream && len(a.Remember) > 0 {
		fault("/remember", "remember goes with answers of our own, and this one is the upstream's")
	}
	if a.From == FromUpstream && len(a.Callbacks) > 0 {
		fault("/callbacks", "callbacks go with answers of our own, and this one is the upstream's, which makes its own")
	}
	if a.bodies() > 1 {
		fault("", "an answer has one body: json, xml, text, base64, payload, script, redirect, fault, example or generate")
	}
	if a.Base64 != nil {
		if _, err := base64.StdEncoding.DecodeString(*a.Base64); err != nil {
			fault("/base64", "base64 is not in the standard alphabet with its padding: %v", err)
		}
	}
	if a.Payload != "" && !PayloadName(a.Payload) {
		fault("/payload", "payload must be the name of a file: %s, not %q", PayloadRule, a.Payload)
	}
	if a.Redirect != "" && a.Status.Expr == "" && (a.Status.Code < 300 || a.Status.Code > 399) {
		fault("/status", "a redirect has a status from 300 to 399, not %d", a.Status.Code)
	}
	if a.Fault != nil {
		items = append(items, a.Fault.faults(at+"/fault")...)
	}
	if a.bodies() > 0 && (a.Status.Code == 204 || a.Status.Code == 304) {
		fault("/status", "an answer with status %d cannot have a body", a.Status.Code)
	}
	if a.Recorded != nil {
		items = append(items, a.Recorded.faults(at+"/recorded")...)
	}
	items = append(items, headerFaults(a.Headers, at+"/headers/")...)
	return append(items, a.editFaults(at)...)
}

// letFaults finds what is wrong with the values that an answer names.
func (a Answer) letFaults(at string) (items []problem.Item) {
	switch {
	case a.Let == nil:
		return nil
	case a.Let.Kind != tree.Map:
		return []problem.Item{{At: at, Detail: "let must be an object of names and values"}}
	case a.From != "" || a.Example != "" || a.Generate || a.Base64 != nil:
		return []problem.Item{{At: at, Detail: "let belongs to an answer that has expressions: json, text, xml, payload, redirect, headers or status"}}
	}
	for _, m := range a.Let.Members {
		if !letName.MatchString(m.Key) || slices.Contains(takenNames, m.Key) {
			items = append(items, problem.Item{At: tree.Join(at, m.Key), Detail: fmt.Sprintf("a name of let is letters, digits and _, beginning with a letter, and no word of expressions, not %q", m.Key)})
		}
	}
	return items
}

// takenNames mean something in expressions already.
var takenNames = append([]string{"call", "original", "upstream", "vars", "fake", "random", "jwt", "math", "strings", "base64"}, reservedWords...)

// reservedWords cannot be names in expressions.
var reservedWords = []string{"as", "break", "const", "continue", "else", "false", "for", "function", "if", "import", "in", "let", "loop", "namespace", "null", "package", "return", "true", "var", "void", "while"}

var letName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]{0,63}$`)

// headerFaults finds what is wrong with header lines; at is the beginning of their
// places.
func headerFaults(headers []Header, at string) (items []problem.Item) {
	for i, h := range headers {
		detail := ""
		switch {
		case !token.MatchString(h.Name):
			detail = fmt.Sprintf("%q is not a header name", h.Name)
		case strings.ContainsAny(h.Value, "\r\n\x00"):
			detail = fmt.Sprintf("the value of %s must be a single line", h.Name)
		case slices.Contains(ownHeaders, strings.ToLower(h.Name)):
			detail = h.Name + " follows from the body and cannot be set"
		default:
			continue
		}
		items = append(items, problem.Item{At: at + strconv.Itoa(i), Detail: detail})
	}
	return items
}
