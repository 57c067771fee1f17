package contract

import (
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// Effect is what a change of a contract means for programs that were written for the one before.
type Effect string

// The effects, the worst first.
const (
	Breaking   Effect = "breaking"   // what worked does not any more
	Unknown    Effect = "unknown"    // it depends on the program
	Compatible Effect = "compatible" // nobody has to do anything
)

// worst is the first of the effects that one of some is.
func worst(effects []Effect) Effect {
	for _, e := range []Effect{Breaking, Unknown} {
		if slices.Contains(effects, e) {
			return e
		}
	}
	return Compatible
}

// change is a difference with what it takes to judge it.
type change struct {
	where         []string // as steps
	what          string
	before, after *tree.Node
	// callersGet is set where the callers of the contract get the request and send the answer, as with
	// callbacks and webhooks.
	callersGet bool
}

// at is a step from the end, 0 for the last; "" before the first.
func (c *change) at(back int) string {
	if i := len(c.where) - 1 - back; i >= 0 {
		return c.where[i]
	}
	return ""
}

// named are the words that names follow.
var named = map[string]bool{"properties": true, "patternProperties": true, "$defs": true, "definitions": true, "parameters": true, "responses": true, "content": true, "headers": true}

// within is the word of the contract that the last step stands in; "" where it stands in something
// that is only called so, such as a property named content.
func (c *change) within() string {
	word := ""
	for _, step := range c.where[:len(c.where)-1] {
		if named[word] {
			step = ""
		}
		word = step
	}
	return word
}

// asks reports whether it is about what callers send, not what they get.
func (c *change) asks() bool {
	switch c.where[0] {
	case "parameters", "requestBody", "request":
		return !c.callersGet
	case "responses":
		return c.callersGet
	}
	return strings.HasPrefix(c.where[0], "header ")
}

// effect judges a change. Whoever sends is hurt by what is demanded more, whoever gets by what is
// promised less.
func (c *change) effect() Effect {
	if len(c.where) == 0 {
		return Unknown
	}
	switch {
	case c.where[0] == "callbacks":
		return c.callback()
	case c.callersGet && (len(c.where) == 1 || c.within() == "content"):
		return c.received()
	case c.where[0] == "security":
		return moreOrLess(c.what, Breaking, Compatible)
	case c.where[0] == "ports":
		return moreOrLess(c.what, Compatible, Breaking)
	case c.where[0] == "action":
		return Breaking
	case len(c.where) == 2 && c.where[0] == "responses":
		return c.response()
	case len(c.where) == 2 && c.where[0] == "parameters":
		return c.parameter()
	case len(c.where) == 3 && c.where[0] == "parameters" && c.at(0) != "schema":
		return c.parameterKey()
	case len(c.where) == 1 && c.where[0] == "requestBody":
		if c.what == "added" && c.after.Get("required").IsTrue() {
			return Breaking
		}
		return moreOrLess(c.what, Compatible, Unknown)
	case len(c.where) == 2 && c.where[0] == "requestBody" && c.at(0) == "required":
		return demanded(c.after.IsTrue() != c.callersGet)
	case c.within() == "content", c.within() == "headers":
		return moreOrLess(c.what, Compatible, Breaking)
	}
	return c.schema()
}

// ofCallback is how many steps lead to what a callback sends or gets: callbacks, its name, its address,
// its method.
const ofCallback = 4

// callback judges a change of a callback: what was sent and is not any more breaks, what comes in
// addition depends on the program that is called.
func (c *change) callback() Effect {
	inner := *c
	inner.callersGet = true
	switch {
	case len(c.where) > ofCallback:
		inner.where = c.where[ofCallback:]
	case len(c.where) == ofCallback && c.at(0) == "parameters":
		return Unknown
	default:
		return moreOrLess(c.what, Unknown, Breaking)
	}
	return inner.effect()
}

// received judges what a callback or webhook sends with it at all: its body, or a form of it.
func (c *change) received() Effect {
	switch {
	case c.where[0] == "requestBody" && len(c.where) == 1:
		return moreOrLess(c.what, Compatible, Breaking)
	case c.where[0] == "requestBody":
		return moreOrLess(c.what, Unknown, Compatible)
	case c.where[0] == "responses" && len(c.where) > 1:
		return moreOrLess(c.what, Compatible, Breaking)
	}
	return Unknown
}

func moreOrLess(what string, added, removed Effect) Effect {
	switch what {
	case "added":
		return added
	case "removed":
		return removed
	default:
		return Unknown
	}
}

func demanded(more bool) Effect {
	if more {
		return Breaking
	}
	return Compatible
}

// response judges a status that came or went: programs count on success.
func (c *change) response() Effect {
	switch {
	case !strings.HasPrefix(c.at(0), "2"):
		return Compatible
	case c.what == "removed":
		return Breaking
	case c.callersGet:
		return Compatible // they may answer what they did
	default:
		return Unknown
	}
}

func (c *change) parameter() Effect {
	if c.callersGet {
		if c.what == "removed" && c.before.Get("required").IsTrue() {
			return Breaking
		}
		return moreOrLess(c.what, Compatible, Unknown)
	}
	if c.what == "added" {
		return demanded(c.after.Get("required").IsTrue())
	}
	return Unknown // who still sends it may be refused
}

func (c *change) parameterKey() Effect {
	switch c.at(0) {
	case "required":
		return demanded(c.after.IsTrue() != c.callersGet)
	case "in", "style", "explode", "collectionFormat":
		return Breaking
	}
	return c.schema()
}

// limits are the keywords that demand more when they rise, true, or when they fall.
var limits = map[string]bool{
	"minimum": true, "exclusiveMinimum": true, "minLength": true, "minItems": true, "minProperties": true, "minContains": true,
	"maximum": false, "exclusiveMaximum": false, "maxLength": false, "maxItems": false, "maxProperties": false, "maxContains": false,
}

// schema judges a change of a schema.
func (c *change) schema() Effect {
	last, before := c.at(0), c.within()
	switch {
	case before == "properties":
		return c.property()
	case before == "required":
		return c.tighter(c.what == "added")
	case before == "enum":
		return c.tighter(c.what == "removed")
	case before == "oneOf" || before == "anyOf":
		return c.tighter(c.what == "removed")
	case before == "allOf", before == "attributes":
		return Unknown
	}
	if rises, is := limits[last]; is {
		return c.limit(rises)
	}
	switch last {
	case "type":
		return c.types()
	case "enum", "pattern", "format", "const", "multipleOf", "uniqueItems", "fixed":
		if c.what == "changed" && last != "uniqueItems" {
			return Unknown
		}
		return c.tighter(c.what == "added" || c.after.IsTrue())
	case "nullable", "x-nullable", "nillable":
		return c.tighter(c.what == "removed" || c.after.IsFalse())
	case "additionalProperties":
		switch {
		case c.after.IsFalse():
			return c.tighter(true)
		case c.before.IsFalse():
			return c.tighter(false)
		}
	}
	return Unknown
}

// tighter judges a schema that allows less, or more: less to send breaks, less to get does not.
func (c *change) tighter(less bool) Effect {
	switch {
	case c.asks():
		return demanded(less)
	case less:
		return Compatible
	default:
		return c.wider()
	}
}

// wider judges a schema of an answer that allows more than before: what is no longer there where it
// always was breaks, a value that was not before depends on the program.
func (c *change) wider() Effect {
	if c.within() == "required" || strings.Contains(c.at(0), "null") || c.at(0) == "nillable" {
		return Breaking
	}
	return Unknown
}

func (c *change) property() Effect {
	switch {
	case c.what == "removed" && c.asks():
		return Unknown // who still sends it may be refused
	case c.what == "removed":
		return Breaking
	case c.what == "added":
		return Compatible // a demand for it is a change of its own
	}
	return Unknown
}

func (c *change) limit(rises bool) Effect {
	low, isLow := c.before.Float()
	high, isHigh := c.after.Float()
	switch {
	case c.what == "added":
		return c.tighter(true)
	case c.what == "removed":
		return c.tighter(false)
	case isLow && isHigh:
		return c.tighter(high > low == rises)
	}
	return Unknown
}

// types judges a type that became another: one that takes in the old one takes what was sent.
func (c *change) types() Effect {
	was, is := typeNamesOf(c.before), typeNamesOf(c.after)
	within := func(a, b []string) bool {
		return !slices.ContainsFunc(a, func(name string) bool {
			return !slices.Contains(b, name) && !(name == "integer" && slices.Contains(b, "number"))
		})
	}
	switch {
	case c.what == "removed":
		return c.tighter(false)
	case c.what == "added":
		return c.tighter(true)
	case c.asks():
		return demanded(!within(was, is))
	default:
		return demanded(!within(is, was))
	}
}

func typeNamesOf(n *tree.Node) (names []string) {
	if name := n.Str(); name != "" {
		return []string{name}
	}
	for _, item := range n.Elements() {
		names = append(names, item.Str())
	}
	return names
}
