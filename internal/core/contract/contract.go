// Package contract holds what any contract offers, whatever it was written in:
// the operations, how each answers, its examples, and the schemas that answers
// obey. Package openapi below it reads one notation.
//
// A Contract is immutable and safe for concurrent use; the schemas inside
// compile themselves on first use, which does not change what they say.
package contract

import (
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Contract is one revision of an imported document.
type Contract struct {
	Title, Version string
	// Format is how the document names itself: "OpenAPI 3.1".
	Format     string
	Operations []*Operation // in the order of the document
	// Webhooks are calls that the service makes when something happened.
	Webhooks []*Callback
	// Callbacks is how many callbacks the operations declare.
	Callbacks int
	// BasePaths are the paths of the contract's servers, without a trailing
	// slash; callers may write them or leave them out.
	BasePaths []string
	// Servers are where the document says that it is served.
	Servers []Server
	// Files are the names of the documents it was read from, none when there
	// was only one.
	Files []string
	// Warnings are faults of the document that do not stop it from answering.
	Warnings []problem.Item
	// Keys are where callers give API keys, whether an operation demands them or not.
	Keys []call.Key
	// SignIn is where programs get the tokens that it demands, Scopes what those are for; none where
	// it demands no tokens.
	SignIn []SignIn
	Scopes []string

	// Protocol is how callers speak to a service of the contract.
	Protocol Protocol

	document *Document // for Compare
}

// Root is the document that the schemas of the contract stand in, as it was brought into the shape of
// OpenAPI 3.
func (c *Contract) Root() *tree.Node { return c.document.root }

// Server is where a contract says that it is served.
type Server struct{ Address, Name, Description string }

// SignIn is an address at which programs get tokens, or learn how.
type SignIn struct {
	Path string // relative to the service
	Kind SignInKind
	// Issuer is the path of who gives the tokens, "" for the service itself.
	Issuer string
}

// SignInOf are the paths of an issuer, by what they give.
func (c *Contract) SignInOf(issuer string) map[SignInKind]string {
	paths := make(map[SignInKind]string)
	for _, s := range c.SignIn {
		if s.Issuer == issuer && paths[s.Kind] == "" {
			paths[s.Kind] = s.Path
		}
	}
	return paths
}

// SignInKind is what an address of SignIn gives.
type SignInKind string

// The kinds.
const (
	SignInToken    SignInKind = "token"    // tokens
	SignInMetadata SignInKind = "metadata" // where tokens and keys are
	SignInKeys     SignInKind = "keys"     // the keys by which tokens are checked
)

// Operation is one thing a contract lets a caller do.
type Operation struct {
	ID       string
	Method   string
	Template match.Template
	Summary  string
	// Description is longer than Summary, in Markdown; Tags group operations.
	Description string
	Tags        []string
	// Group is what it stands under where a contract groups its operations, outermost first, each in the
	// words to be read.
	Group      []string
	Deprecated bool
	// Skipped says why the operation cannot answer; nil when it can.
	Skipped    *problem.Item
	Parameters []*Parameter
	// Security are the credentials that it demands: one of the alternatives, each whole. None where it
	// demands none.
	Security [][]Credential
	Body     *Body // nil when the operation takes none
	// Responses are all that can be sent, in the order of the document; Success
	// is the one sent unless something else is asked for, nil when the
	// operation is skipped.
	Responses []*Response
	Success   *Response
	// Callbacks are calls that the service makes after an answer of the operation.
	Callbacks []*Callback

	// Facts are what else a protocol tells of it.
	Facts []Fact

	// ByMessage is set on operations that share their addresses: the message tells
	// which is meant.
	ByMessage bool
	// Webhook is set on what a webhook calls: no caller asks for it.
	Webhook bool

	source *tree.Node // the operation as it was written, for Compare
}

// Fact is something that is told of an operation: its name and what it is.
type Fact struct{ Name, Value string }

// String names the operation by what is called: "GET /berths/{number}".
// Where operations share their addresses, their names tell them apart, as with webhooks.
func (o *Operation) String() string {
	switch {
	case o.Webhook:
		return "webhook " + o.ID
	case o.ByMessage:
		return o.ID + " at " + o.Template.String()
	}
	return o.Method + " " + o.Template.String()
}

// Response finds what the contract says for a status: the response of exactly
// this status, else that of its class (4XX), else the default one. It returns
// nil when there is none of them.
func (o *Operation) Response(status int) *Response {
	class := strconv.Itoa(status/100) + "XX"
	for _, key := range []string{strconv.Itoa(status), class, "default"} {
		for _, r := range o.Responses {
			if strings.EqualFold(r.Key, key) {
				return r
			}
		}
	}
	return nil
}

// Named returns the first response that has an example of this name, the
// success response before all others, and nil when none has.
func (o *Operation) Named(example string) *Response {
	if o.Success != nil && o.Success.has(example) {
		return o.Success
	}
	for _, r := range o.Responses {
		if r.has(example) {
			return r
		}
	}
	return nil
}

// ExampleNames lists the names of all examples, those of the success response
// first, each name once.
func (o *Operation) ExampleNames() []string {
	var names []string
	add := func(r *Response) {
		for _, mediaType := range r.MediaTypes {
			for _, e := range mediaType.Examples {
				if e.Name != "" && !slices.Contains(names, e.Name) {
					names = append(names, e.Name)
				}
			}
		}
	}
	if o.Success != nil {
		add(o.Success)
	}
	for _, r := range o.Responses {
		add(r)
	}
	return names
}

// Response is one response of an operation.
type Response struct {
	// Key is how the document names it: 200, 4XX, default. Status is what is
	// sent for it.
	Key         string
	Status      int
	Description string
	// Headers are what it carries beside the content type, in the order of the
	// document.
	Headers []*ResponseHeader
	Links   []Link
	// MediaTypes has one entry for each media type, none when there is no body.
	MediaTypes []*MediaType
	// Unwritten are the media types that it has, too, and in which nothing can be written.
	Unwritten []string
}

// ResponseHeader is one header of a response.
type ResponseHeader struct {
	Name        string
	Required    bool
	Description string
	// Example is its value when the contract gives one, else it is drawn from
	// Schema; both are nil when the contract says nothing.
	Example *string
	Schema  *Schema
	// Content is the media type in which it is written; "" for as headers are.
	Content string
}

// Written is a value as it stands in the header.
func (h *ResponseHeader) Written(value *tree.Node) string {
	if call.IsJSON(h.Content) {
		return string(value.AppendJSON(nil))
	}
	return h.Schema.Written(value)
}

// OfConnection reports whether a header is no matter of a contract: whoever sends a message sets it,
// by the body, the connection or the moment.
func OfConnection(name string) bool {
	switch strings.ToLower(name) {
	case "content-type", "content-length", "content-encoding", "transfer-encoding", "connection", "keep-alive", "te", "trailer", "upgrade", "date":
		return true
	}
	return false
}

// Link says how to go on from a response: with which operation, and where its
// parameters come from.
type Link struct {
	Name, Description string
	Operation         string // id
	// Parameters are expressions of OpenAPI, such as
	// $response.body#/reference, in the order of the document.
	Parameters []LinkParameter
}

// LinkParameter gives one parameter of a linked operation its value.
type LinkParameter struct{ Name, Expression string }

func (r *Response) has(example string) bool { return len(r.With(example)) > 0 }

// With returns the media types that have an example of this name.
func (r *Response) With(example string) []*MediaType {
	var mediaTypes []*MediaType
	for _, mediaType := range r.MediaTypes {
		if mediaType.Example(example) != nil {
			mediaTypes = append(mediaTypes, mediaType)
		}
	}
	return mediaTypes
}

// MediaTypeNames lists the names of media types.
func MediaTypeNames(mediaTypes []*MediaType) []string {
	types := make([]string, len(mediaTypes))
	for i, mediaType := range mediaTypes {
		types[i] = mediaType.Name
	}
	return types
}

// MediaType is a response in one media type.
type MediaType struct {
	Name string
	// Written is the media type or range as the contract has it.
	Written  string
	Examples []Example
	// Schema describes the body; nil when the contract does not.
	Schema *Schema
	// Item describes each of the items that the body is a stream of; nil for no stream.
	Item *Schema
	// Drawn is set when the examples were drawn, only to be looked at.
	Drawn bool
	// Encoding is how the properties of a form are written, as far as the contract says so.
	Encoding map[string]Encoding
	// Described describes the body where no Schema does; nil where nothing does.
	Described func() []Field
}

// Fields describes the body place by place.
func (o *MediaType) Fields() []Field {
	switch {
	case o.Schema != nil:
		return o.Schema.Fields()
	case o.Described != nil:
		return o.Described()
	}
	return nil
}

// Encoding is how one property stands in a form.
type Encoding struct {
	// ContentType is the media type of its part; "" for the usual one.
	ContentType string
	// Style and Explode are those of a parameter in the query.
	Style   string
	Explode bool
}

// Example returns the example of this name, or nil.
func (o *MediaType) Example(name string) *Example {
	for i := range o.Examples {
		if o.Examples[i].Name == name {
			return &o.Examples[i]
		}
	}
	return nil
}

// Used is the example that is sent when one of a name, or with "" any, is wanted: that one, else the first; nil
// for none.
func (o *MediaType) Used(name string) *Example {
	if used := o.Example(name); used != nil || len(o.Examples) == 0 {
		return used
	}
	return &o.Examples[0]
}

// Example is a named example of an answer, ready to send.
type Example struct {
	Name    string // "" when the contract gives it none
	Summary string
	Body    []byte
	// Value is the example as a tree; nil when it is written out in a media
	// type of its own.
	Value *tree.Node
}
