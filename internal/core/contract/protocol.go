package contract

import (
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// Protocol is how the callers of a service and the service speak: how a call says
// which operation it is for, and what an answer of one looks like. Package rest has
// that of plain HTTP, which services without a contract speak too, package wsdl that
// of SOAP.
//
// A Protocol is immutable and safe for concurrent use. It may implement Envelope, Publisher,
// Located, Redirector, Packager, Authenticator and Documented.
type Protocol interface {
	// Name is how the API calls it: "http", "soap".
	Name() string
	// ByMessage reports whether the body of a call tells its operation, so that it
	// must be known before a mapping on an operation can be found.
	ByMessage() bool
	// Dispatch finds the operation that a call is for. segments are those of its path
	// relative to the service, decoded.
	Dispatch(r *call.Request, segments []string) Asked
	// Addresses are the paths at which calls of an operation arrive.
	Addresses(op *Operation) []match.Template
	// Answer makes the answer of asked.Operation. The error is a *NotAcceptable, or
	// nil.
	Answer(asked *Asked, w Wanted) (Built, error)
	// Pin sets the fields that pins fix in an answer. It returns the pointers of
	// those that found their place; an error is that of an expression.
	Pin(b Built, pins []Pin, scope *expr.Scope) (out Built, pinned []string, err error)
	// CheckRequest lists in what a call breaks the contract of asked.Operation.
	CheckRequest(asked *Asked, f *match.Facts) []call.Deviation
	// CheckAnswer lists in what an answer breaks it. whole is false when the body was
	// not kept to its end; then it is not looked at. b may be nil.
	CheckAnswer(op *Operation, a *call.Answer, whole bool, b *budget.Budget) []call.Deviation
	// Try makes a call that an operation takes, its Address relative to the service.
	Try(op *Operation, draw *sample.Draw) call.Request
}

// Envelope is what a Protocol has in which answers and refusals travel in a form of
// their own, and which knows faults. Without one, what a mapping says is what is sent,
// and refusals are problem documents.
type Envelope interface {
	// Dress puts the answer of a mapping into that form, where it is not in it.
	Dress(asked *Asked, a call.Answer, written *spec.Answer) call.Answer
	// Refuse writes a refusal. ok is false for a call that does not speak the
	// protocol.
	Refuse(asked *Asked, f Fault) (a call.Answer, ok bool)
}

// Publisher is what a Protocol has whose services give their contract away.
type Publisher interface {
	// Published is the query at which they do: "wsdl".
	Published() string
	// Publish returns a document of the contract by the query of its address, with
	// addresses that begin with base. ok is false when the query asks for none.
	Publish(query, base string) (a call.Answer, ok bool)
}

// Located is what a Protocol has whose real services have their addresses in the contract, other than
// below that of the service.
type Located interface {
	// UpstreamPath is the path at which the upstream takes a call whose path, relative to the service,
	// has these segments; base is the path of the upstream. ok is false for a call that is none of the
	// protocol.
	UpstreamPath(base string, segments []string) (path string, ok bool)
}

// Redirector is what a Protocol has whose callers may want the answer somewhere else than on the way
// back.
type Redirector interface {
	// Elsewhere tells where a call wants an answer; ok is false for on the way back.
	Elsewhere(asked *Asked, a *call.Answer) (to Destination, ok bool)
}

// Destination is where an answer goes that is sent as a call.
type Destination struct {
	// Address is "" where nobody wants the answer.
	Address string
	// Header is what of the call says so.
	Header string
	// Fields are sent with it.
	Fields call.Header
}

// Packager is what a Protocol has whose answers may have their bytes in parts of their own.
type Packager interface {
	// Package puts the bytes of an answer into parts, where the call or the contract wants that, and
	// tells how many those are; ok is false for an answer that stays as it is.
	Package(asked *Asked, r *call.Request, a call.Answer) (packed call.Answer, parts int, ok bool)
}

// Authenticator is what a Protocol has whose messages carry the credentials of who sends them.
type Authenticator interface {
	// CheckCredentials lists what is wrong with those of a call.
	CheckCredentials(asked *Asked, with Credentials) []call.Deviation
}

// Credentials is what those of a call are held against.
type Credentials struct {
	Now time.Time
	// Password gives that of a user; ok is false where nobody is called so.
	Password func(user string) (text string, ok bool)
	// Fresh reports whether a nonce comes for the first time; nil where nobody knows.
	Fresh func(nonce string) bool
}

// Documented is what a Protocol has whose messages say the same as documents, by which a service
// can remember what they tell.
type Documented interface {
	// Shapes are the schemas of what a request and an answer of an operation hold; nil where they
	// hold no document.
	Shapes(op *Operation) (request, answer *Schema)
	// Request is what a call of asked.Operation holds; nil where it cannot be read.
	Request(asked *Asked) *tree.Node
	// Answered is what an answer of an operation holds; nil for a fault, and where it cannot be
	// read.
	Answered(op *Operation, body []byte) *tree.Node
	// Rewrite makes another answer of asked.Operation, or another declared fault, of one that was
	// built: edit is given what it holds. A fault that would not obey its declaration any more
	// stays as it is.
	Rewrite(asked *Asked, b Built, edit func(*tree.Node) *tree.Node) Built
}

// Asked is what a call asks of a contract.
type Asked struct {
	// Operation is nil when none takes the call.
	Operation *Operation
	// Segments are those of the path relative to the contract.
	Segments []string
	// Others are on the same path and take other methods.
	Others []*Operation
	// Known is the operation that takes the call and was skipped when the contract was read; nil for
	// none.
	Known *Operation
	// Reason says how the operation was found; "" where that is by its address.
	Reason string
	// Fault says why the call cannot be taken, where the protocol knows better than
	// what the closest address tells. Operation may be set all the same.
	Fault *Fault
	// Message is the call as the protocol has decoded it; nil for none.
	Message any
	// Understood are the namespaces of headers that the service is taken to understand although its
	// contract declares none of them; "*" for all.
	Understood []string
}

// ID is that of the operation; "" for none.
func (a *Asked) ID() string {
	if a.Operation == nil {
		return ""
	}
	return a.Operation.ID
}

// Fault is a refusal to be told in the words of a protocol.
type Fault struct {
	// Ours is set when the call is not to blame, Unsigned where its credentials are.
	Ours, Unsigned bool
	// Code is the protocol's own word for it; "" for the one that Ours asks for.
	Code, Text string
	// Detail are further lines.
	Detail []string
	// Foreign is set on a call that does not speak the protocol at all; Finding tells
	// of it.
	Foreign bool
	Finding call.Finding
	// Allow is the method that the address takes instead of that of the call; "" where it takes none.
	Allow string
}

// Wanted is which answer of an operation to make.
type Wanted struct {
	Status int
	// Headers are those of the response.
	Headers []*ResponseHeader
	// MediaTypes are the media types to choose from; none for an answer without a body.
	MediaTypes []*MediaType
	// Accept are the Accept headers of the call.
	Accept []string
	// Example names the example or fault to use; "" takes the first one, else data
	// drawn from the schema.
	Example string
	// Generate draws data although there are examples, where there is a schema.
	Generate bool
	// Held are the ways to fields that must be there although they may be left out, since pins fix them;
	// * stands for any step.
	Held [][]string
	// Echo gives the caller's own values back where the answer has places for them.
	Echo *match.Facts
	// Draw is called only when data are needed, and always gives the same draw.
	Draw func() *sample.Draw
}

// Built is an answer of an operation with what it was made from.
type Built struct {
	Answer    call.Answer
	MediaType *MediaType // nil when the answer has no body
	Used      *Example   // nil when the body was generated
	// Fault names the declared fault that it is; "" for none.
	Fault string
	// Value is the body as a tree where one was made of it, and IsJSON is set where one can be: see Tree.
	Value  *tree.Node
	IsJSON bool
	// Invalid says why no generated body obeys the schema; "" when one does.
	Invalid string
	// Echoed are the names of the fields that took the caller's values.
	Echoed []string
}

// Tree is the body as a tree; nil when it is written out in a media type of its own.
func (b *Built) Tree() *tree.Node {
	if b.Value == nil && b.IsJSON {
		b.Value, _ = tree.ParseJSON(b.Answer.Body) // which we wrote
	}
	return b.Value
}

// SetValue makes another value the body.
func (b *Built) SetValue(value *tree.Node) {
	if body, ok := b.MediaType.Encode(value); ok {
		b.Answer.Body, b.Value = body, value
	}
}

// SetHeader gives a header that the answer has another value.
func (b *Built) SetHeader(name, value string) {
	for i, f := range b.Answer.Header {
		if strings.EqualFold(f.Name, name) {
			b.Answer.Header[i].Value = value
		}
	}
}

// NotAcceptable says that the Accept header of a call excludes every media type of an
// operation.
type NotAcceptable struct{ MediaTypes []string }

func (n *NotAcceptable) Error() string {
	return "none of " + strings.Join(n.MediaTypes, ", ") + " is acceptable"
}

// Relative takes a base path of the contract off the path of a call, since callers
// may write it or leave it out. It returns nil when there is none; of several, the longest counts.
func (c *Contract) Relative(segments []string) []string {
	for _, rest := range c.Relatives(segments) {
		return rest
	}
	return nil
}

// Relatives are the path of a call without each of the base paths that it begins with, the longest
// first.
func (c *Contract) Relatives(segments []string) (all [][]string) {
	for _, base := range c.BasePaths {
		if rest, ok := cutPrefix(segments, match.Split(nil, base)); ok {
			all = append(all, rest)
		}
	}
	slices.SortStableFunc(all, func(a, b []string) int { return len(a) - len(b) })
	return all
}

func cutPrefix(segments, prefix []string) ([]string, bool) {
	if len(segments) <= len(prefix) {
		return nil, false
	}
	for i := range prefix {
		if segments[i] != prefix[i] {
			return nil, false
		}
	}
	return segments[len(prefix):], true
}
