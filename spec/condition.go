package spec

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Condition is one thing that must hold of a call: a part of it and a test, or
// a group of conditions.
type Condition struct {
	// The groups: all, at least one, or none of them must hold.
	All  []Condition `json:"all,omitzero"`
	Any  []Condition `json:"any,omitzero"`
	None []Condition `json:"none,omitzero"`

	// The parts: names of a query parameter, header, cookie or form field; a
	// JSONPath (RFC 9535) or an XPath into the body, whose prefixes do not matter;
	// the name of a part of a multipart body; the body as a whole; of a GraphQL
	// request its type, name or field; the caller's address, by itself or as a
	// range.
	Query   string `json:"query,omitempty"`
	Header  string `json:"header,omitempty"`
	Cookie  string `json:"cookie,omitempty"`
	Form    string `json:"form,omitempty"`
	Body    string `json:"body,omitempty"`
	XML     string `json:"xml,omitempty"`
	Part    string `json:"part,omitempty"`
	Text    bool   `json:"text,omitempty"`
	GraphQL string `json:"graphql,omitempty"`
	Caller  string `json:"caller,omitempty"`
	// Only forbids what the conditions of the mapping do not name: other parameters of
	// the query, other headers, other fields of the form, other parts of a multipart body.
	// What a service calls noise, and headers that every client sends, may be there all the
	// same.
	Only string `json:"only,omitempty"`
	// Except lists what does not count: names, for Only; JSONPaths into the value, for
	// Equals of a body.
	Except []string `json:"except,omitzero"`

	// The tests; one of them, or present: true when none is given. A part that
	// occurs several times passes when one of its values does.
	Equals *tree.Node `json:"equals,omitempty"`
	// Not is a value, or one other test, that holds of no value: {contains: fog}.
	Not      *tree.Node   `json:"not,omitempty"`
	Contains *string      `json:"contains,omitempty"`
	Starts   *string      `json:"starts,omitempty"`
	Ends     *string      `json:"ends,omitempty"`
	Pattern  *string      `json:"pattern,omitempty"`
	Present  *bool        `json:"present,omitempty"`
	Above    *tree.Node   `json:"above,omitempty"`
	Below    *tree.Node   `json:"below,omitempty"`
	OneOf    []*tree.Node `json:"oneOf,omitzero"`
	Includes *tree.Node   `json:"includes,omitempty"`
	// Digest is what a recording keeps instead of a value: secret- and 32 digits for a
	// secret, under the key of the environment, or sha256: and 64 digits. A secret's own
	// digest stands for it, too: whoever was given it by a played back answer sends it.
	Digest *string `json:"digest,omitempty"`
	// Length is how many characters a text has, elements a list, or members an object.
	Length *tree.Node `json:"length,omitempty"`
	// Type is the JSON type that a value has: string, number, integer, boolean, object,
	// array or null.
	Type *string `json:"type,omitempty"`
	// Before and After compare dates and times, as RFC 3339, HTTP or a plain date writes them.
	Before *string `json:"before,omitempty"`
	After  *string `json:"after,omitempty"`
	// Near is a number and how far from it a value may be: {value: 12.5, within: 0.1}.
	Near *tree.Node `json:"near,omitempty"`
	// Count is how many values the part has, or what their number is above or below:
	// {above: 0, below: 5}.
	Count *tree.Node `json:"count,omitempty"`
	// Schema is a JSON Schema, which a text that is JSON meets by what it says.
	Schema *tree.Node `json:"schema,omitempty"`
}

// GraphQLParts are what a condition on a GraphQL request can look at: whether it
// is a query, mutation or subscription, its operation's name, its top fields.
var GraphQLParts = []string{"type", "name", "field"}

// What Only can name.
var OnlyParts = []string{"query", "header", "form", "part"}

var digestText = regexp.MustCompile(`^(secret-[0-9a-f]{32}|sha256:[0-9a-f]{64})$`)

// UnmarshalJSON reads a condition through the tree, so that a value of null
// stays one.
func (c *Condition) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return problem.FromItems("the condition cannot be used", tree.Decode(n, c, "condition"))
}

// parts counts what the condition looks at.
func (c Condition) parts() (count int) {
	for _, given := range []bool{c.All != nil, c.Any != nil, c.None != nil, c.Query != "", c.Header != "", c.Cookie != "", c.Form != "", c.Body != "", c.XML != "",
		c.Part != "", c.Text, c.GraphQL != "", c.Caller != "", c.Only != ""} {
		if given {
			count++
		}
	}
	return count
}

// Test is one of the tests that a condition can have.
type Test struct {
	// Name is its key in a document.
	Name string
	// Given reports whether a condition has it.
	Given func(*Condition) bool
}

// Tests are all of them: a new one stands here, and in the compilers of the core, the
// schema of documents, the API document and the reference. Tests hold these together.
var Tests = []Test{
	{"equals", func(c *Condition) bool { return c.Equals != nil }},
	{"not", func(c *Condition) bool { return c.Not != nil }},
	{"contains", func(c *Condition) bool { return c.Contains != nil }},
	{"starts", func(c *Condition) bool { return c.Starts != nil }},
	{"ends", func(c *Condition) bool { return c.Ends != nil }},
	{"pattern", func(c *Condition) bool { return c.Pattern != nil }},
	{"present", func(c *Condition) bool { return c.Present != nil }},
	{"above", func(c *Condition) bool { return c.Above != nil }},
	{"below", func(c *Condition) bool { return c.Below != nil }},
	{"oneOf", func(c *Condition) bool { return c.OneOf != nil }},
	{"includes", func(c *Condition) bool { return c.Includes != nil }},
	{"digest", func(c *Condition) bool { return c.Digest != nil }},
	{"length", func(c *Condition) bool { return c.Length != nil }},
	{"type", func(c *Condition) bool { return c.Type != nil }},
	{"before", func(c *Condition) bool { return c.Before != nil }},
	{"after", func(c *Condition) bool { return c.After != nil }},
	{"near", func(c *Condition) bool { return c.Near != nil }},
	{"count", func(c *Condition) bool { return c.Count != nil }},
	{"schema", func(c *Condition) bool { return c.Schema != nil }},
}

// Test names the test of the condition; "" when it has none, which is present.
func (c *Condition) Test() string {
	for _, t := range Tests {
		if t.Given(c) {
			return t.Name
		}
	}
	return ""
}

func (c *Condition) tests() (count int) {
	for _, t := range Tests {
		if t.Given(c) {
			count++
		}
	}
	return count
}

// isGroup reports whether the condition is a group of others.
func (c Condition) isGroup() bool { return c.All != nil || c.Any != nil || c.None != nil }

// conditionFaults finds what the shape of conditions does not show.
func conditionFaults(conditions []Condition, at string) (items []problem.Item) {
	for i, c := range conditions {
		here := at + "/" + strconv.Itoa(i)
		fault := func(format string, args ...any) {
			items = append(items, problem.Item{At: here, Detail: fmt.Sprintf(format, args...)})
		}
		switch {
		case c.parts() == 0:
			fault("a condition looks at one part of the call: query, header, cookie, form, body, xml, part, text, graphql, caller or only; or it is a group: all, any or none")
		case c.parts() > 1:
			fault("a condition looks at one part of the call; write several conditions for several parts")
		case (c.isGroup() || c.Caller != "" || c.Only != "") && c.tests() > 0:
			fault("a group, a caller or only takes no test")
		case c.Only != "" && !slices.Contains(OnlyParts, c.Only):
			fault("only must be query, header, form or part, not %q", c.Only)
		case c.Except != nil && c.Only == "" && (c.Body == "" || c.Equals == nil):
			fault("except belongs to only, or to a body with equals")
		case c.Digest != nil && !digestText.MatchString(*c.Digest):
			fault("digest must be secret- with 32 digits, or sha256: with 64, as a recording or \"rapidmimic digest\" writes it, not %q", *c.Digest)
		case c.GraphQL != "" && !slices.Contains(GraphQLParts, c.GraphQL):
			fault("graphql must be type, name or field, not %q", c.GraphQL)
		case c.tests() > 1:
			fault("a condition has one test; write several conditions for several tests")
		}
		for _, group := range []struct {
			name       string
			conditions []Condition
		}{{"all", c.All}, {"any", c.Any}, {"none", c.None}} {
			items = append(items, conditionFaults(group.conditions, here+"/"+group.name)...)
		}
	}
	return items
}
