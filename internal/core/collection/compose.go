package collection

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// ETag is the entity tag of an item as it is.
func (i *Item) ETag() string { return `"` + strconv.FormatInt(i.Version, 10) + `"` }

// scalarText is a value as it stands in a path; "" for what can stand in none.
func scalarText(n *tree.Node) string {
	if n == nil || n.Kind == tree.Map || n.Kind == tree.List || n.Kind == tree.Null {
		return ""
	}
	return n.Text
}

// with is a document with another value of a property, at its place or at the end.
func with(n *tree.Node, name string, value *tree.Node) *tree.Node {
	members := slices.Clone(n.Entries())
	if i := slices.IndexFunc(members, func(m tree.Member) bool { return m.Key == name }); i >= 0 {
		members[i].Value = value
	} else {
		members = append(members, tree.Member{Key: name, Value: value})
	}
	return tree.NewMap(members...)
}

// beginning are the items that a collection begins with: what its rule says, else what the
// examples of the contract show.
func (c *Collection) beginning() (items []*Item) {
	add := func(value *tree.Node) {
		if value == nil || value.Kind != tree.Map {
			return
		}
		key, under := scalarText(value.Get(c.Key)), c.placed(value, nil)
		if key == "" || c.nested && len(under) < len(paramsOf(c.At)) {
			return // nobody could find it
		}
		items = append(items, &Item{Key: key, Value: value, Version: 1, Under: under})
	}
	for i := range c.start.Generate {
		if c.schema != nil {
			add(c.generated(i))
		}
	}
	for _, item := range c.start.Items {
		add(item)
	}
	if c.start.Generate > 0 || c.start.Items != nil {
		return items
	}
	for _, role := range c.Roles {
		m := jsonOf(role.Operation.Success)
		if m == nil || role.Verb != List && role.Verb != Read {
			continue
		}
		for _, example := range m.Examples {
			if example.Value == nil || m.Drawn {
				continue
			}
			at := example.Value.Path(role.within...)
			if role.Verb == Read {
				add(at)
				continue
			}
			for _, element := range at.Elements() {
				add(element)
			}
		}
	}
	return items
}

// generated is one of the items that a collection begins with, the same in every run. Its key is
// a number of its own where keys are numbers or free text.
func (c *Collection) generated(i int) *tree.Node {
	draw := sample.NewDraw(1, c.Name, uint64(i))
	value, _ := c.schema.Generate(draw)
	number := c.KeyNode(strconv.Itoa(i + 1))
	switch {
	case c.Key == "" || value.Kind != tree.Map:
	case c.keySchema == nil || c.keySchema.Breach(number) == "":
		value = with(value, c.Key, number)
	case c.beside:
		key, _ := c.keySchema.Generate(draw)
		value = tree.NewMap(append([]tree.Member{{Key: c.Key, Value: key}}, value.Entries()...)...)
	}
	return value
}

// shown is the example of a created item, else of one that is read; nil for none.
func (c *Collection) shown() *tree.Node {
	for _, verb := range []Verb{Create, Read} {
		if role := c.does(verb); role != nil {
			if m := jsonOf(role.Operation.Success); m != nil && !m.Drawn && len(m.Examples) > 0 {
				return m.Examples[0].Value.Path(role.within...)
			}
		}
	}
	return nil
}

// composed is a new item: what the caller sent, and what the service adds. taken is set where
// the caller demands a key that another item has.
func (c *Collection) composed(call *Call, h *held, key string) (value *tree.Node, made string, taken bool) {
	sent := call.item()
	if sent == nil || sent.Kind != tree.Map {
		sent = tree.NewMap()
	}
	asked := call.Role.asked()
	value, example := tree.NewMap(), c.shown()
	var drawn *tree.Node
	generated := func(name string) *tree.Node {
		if drawn == nil {
			drawn, _ = c.schema.Generate(call.draw())
		}
		if own := drawn.Get(name); own != nil {
			return own
		}
		p, _ := c.property(name)
		own, _ := p.Schema.GenerateNamed(call.draw(), name)
		return own
	}
	for _, p := range c.properties {
		given := sent.Get(p.Name)
		switch {
		case p.Name == c.Key || p.WriteOnly:
			continue
		case given != nil && !p.ReadOnly:
			value = with(value, p.Name, given)
		default:
			if own := c.served(p, call, asked, example, generated); own != nil {
				value = with(value, p.Name, own)
			}
		}
	}
	if len(c.properties) == 0 { // nothing is known of it
		value = sent
	}
	if c.schema != nil {
		value = c.completed(value, call, generated)
	}
	p, known := c.property(c.Key)
	given := scalarText(sent.Get(c.Key))
	switch {
	case key != "":
	case given != "" && !p.ReadOnly:
		key = given
		taken = h.byKey[c.identity(key, call.Params)] != nil
	default:
		key = c.newKey(call, h)
	}
	if known || c.beside || len(c.properties) == 0 && c.Key != "" {
		others := slices.DeleteFunc(slices.Clone(value.Entries()), func(m tree.Member) bool { return m.Key == c.Key })
		value = tree.NewMap(append([]tree.Member{{Key: c.Key, Value: c.KeyNode(key)}}, others...)...)
	}
	return value, key, taken
}

// completed fills what is required deeper in an item and what only the service can say.
func (c *Collection) completed(value *tree.Node, call *Call, generated func(string) *tree.Node) *tree.Node {
	for _, p := range c.properties {
		now := value.Get(p.Name)
		if now == nil || now.Kind != tree.Map || p.Schema.Breach(now) == "" {
			continue
		}
		if whole := filled(now, generated(p.Name)); p.Schema.Breach(whole) == "" {
			value = with(value, p.Name, whole)
		}
	}
	return value
}

// served is the value of a property that the caller did not send: what the service fills in, nil
// where it stays away.
func (c *Collection) served(p contract.Property, call *Call, asked []contract.Property, example *tree.Node, generated func(string) *tree.Node) *tree.Node {
	if p.Name == c.ParentField && c.Parent != nil {
		if params := call.Role.params; len(params) > 0 && !call.Role.keyed {
			text := call.Params[params[len(params)-1]]
			return kindOf(p.Schema, text)
		}
	}
	askable := slices.ContainsFunc(asked, func(a contract.Property) bool { return a.Name == p.Name && !a.ReadOnly })
	shown := example.Get(p.Name)
	switch {
	case p.Format == "date-time" && (p.ReadOnly || !askable) && stamp.MatchString(p.Name):
		return tree.NewString(call.Now.UTC().Format(time.RFC3339))
	case p.Default != nil:
		return p.Default
	case !p.Required && !p.ReadOnly && (askable || shown == nil):
		return nil
	case !askable && shown != nil:
		return shown
	case askable && !p.Required:
		return nil
	case p.Example != nil:
		return p.Example
	case shown != nil && p.ReadOnly:
		return shown
	case p.Required && askable && slices.Contains(p.Schema.Types(), "array") && p.Schema.Breach(tree.NewList()) == "":
		return tree.NewList() // nothing of it was asked for
	case c.schema != nil && p.Required:
		return generated(p.Name)
	default:
		return nil
	}
}

// stamp are names of the moments of a creation or a change.
var stamp = regexp.MustCompile(`(?i)created|creation|create_?(?:time|date)|updated|modified|changed|inserted|registered|timestamp|At$|_at$|_on$|On$`)

// changeStamp are names of the moment of the last change.
var changeStamp = regexp.MustCompile(`(?i)updated|modified|changed`)

func (call *Call) draw() *sample.Draw {
	if call.Draw == nil {
		return sample.NewDraw(1, call.Role.Operation.ID, 0)
	}
	return call.Draw()
}

// kindOf is a text as a value of the kind that a schema has.
func kindOf(s *contract.Schema, text string) *tree.Node {
	if s != nil && text != "" {
		types := s.Types()
		if !slices.Contains(types, "string") && (slices.Contains(types, "integer") || slices.Contains(types, "number")) {
			if n, err := tree.ParseJSON([]byte(text)); err == nil && n.Kind == tree.Number {
				return n
			}
		}
	}
	return tree.NewString(text)
}

// KeyNode is a key as an item has it.
func (c *Collection) KeyNode(key string) *tree.Node { return kindOf(c.keySchema, key) }

// mostDraws bounds how often a key is drawn that nothing else has.
const mostDraws = 50

var lastDigits = regexp.MustCompile(`^(.*?)([0-9]+)$`)

// newKey is a key that no item has: the next number, the next of keys that end in one, else one
// that is drawn from the schema.
func (c *Collection) newKey(call *Call, h *held) string {
	free := func(key string) bool { return h.byKey[c.identity(key, call.Params)] == nil }
	if n := c.nextNumber(h); n != "" && free(n) {
		return n
	}
	if c.keySchema != nil {
		draw := call.draw()
		for attempt := range mostDraws {
			draw.Again(attempt)
			value, valid := c.keySchema.GenerateNamed(draw, c.Key)
			if text := scalarText(value); valid && text != "" && !strings.Contains(text, "/") && free(text) {
				return text
			}
		}
	}
	for n := len(h.order) + 1; ; n++ {
		if key := strconv.Itoa(n); free(key) {
			return key
		}
	}
}

// numbered is the highest of keys that end in a number.
type numbered struct {
	highest uint64
	prefix  string
	width   int // of the digits; 0 where no key ends in a number
}

// take notes a key.
func (n *numbered) take(key string) {
	part := lastDigits.FindStringSubmatch(key)
	if part == nil {
		return
	}
	number, err := strconv.ParseUint(part[2], 10, 64)
	if err == nil && number < 1<<53 && (number >= n.highest || n.width == 0) {
		n.highest, n.prefix, n.width = number, part[1], len(part[2])
	}
}

// nextNumber is the key after the highest, where keys are numbers or end in one; "" where they
// do not, or the schema refuses it.
func (c *Collection) nextNumber(h *held) string {
	var types []string
	if c.keySchema != nil {
		types = c.keySchema.Types()
	}
	if p, ok := c.property(c.Key); ok && p.Format == "uuid" {
		return ""
	}
	last := h.numbered
	last.take(scalarText(c.shown().Get(c.Key)))
	whole := slices.Contains(types, "integer") || slices.Contains(types, "number")
	if whole && last.prefix != "" {
		last = numbered{}
	}
	if !whole && last.width == 0 || len(last.prefix) > 20 {
		return ""
	}
	next := fmt.Sprintf("%s%0*d", last.prefix, last.width, last.highest+1)
	if c.keySchema != nil && c.keySchema.Breach(c.KeyNode(next)) != "" {
		return ""
	}
	return next
}

// changed is an item as a call makes it. wrong says why it cannot be; "" where it can.
func (c *Collection) changed(item *Item, call *Call) (value *tree.Node, wrong string) {
	sent := call.item()
	switch {
	case sent == nil:
		return item.Value, ""
	case call.Role.Verb == Change && (call.Patch || isPatch(sent)):
		text, err := tree.Patch(item.Value.AppendJSON(nil), call.Body.AppendJSON(nil))
		if err != nil {
			return nil, err.Error()
		}
		if value, err = tree.ParseJSON(text); err != nil {
			return nil, err.Error()
		}
	case sent.Kind != tree.Map:
		return nil, "it must be an object"
	case call.Role.Verb == Change:
		value = merged(item.Value, c.known(sent))
	default:
		value = c.replaced(item, sent, call)
	}
	for _, p := range c.properties { // what the caller cannot change
		old := item.Value.Get(p.Name)
		switch {
		case p.Name == c.Key && old != nil, p.ReadOnly && old != nil && !changeStamp.MatchString(p.Name):
			value = with(value, p.Name, old)
		case p.Format == "date-time" && changeStamp.MatchString(p.Name) && (p.ReadOnly || sent.Get(p.Name) == nil) && old != nil:
			value = with(value, p.Name, tree.NewString(call.Now.UTC().Format(time.RFC3339)))
		}
	}
	if c.schema == nil || c.schema.Breach(item.Value) != "" {
		return value, ""
	}
	if wrong = c.schema.Breach(value); wrong != "" && !call.Patch && sent.Kind == tree.Map && len(call.Role.asked()) > 0 {
		value = c.repaired(value, item.Value) // what the caller sent is what the contract asks for
		wrong = ""
	}
	if wrong != "" {
		return nil, wrong
	}
	return value, ""
}

// repaired takes from an item as it was what a new one lacks or has otherwise than answers may:
// where requests and answers differ in the same field.
func (c *Collection) repaired(value, old *tree.Node) *tree.Node {
	for _, p := range c.properties {
		now, before := value.Get(p.Name), old.Get(p.Name)
		switch {
		case before == nil || now != nil && p.Schema.Breach(now) == "":
			continue
		case now == nil && p.Required:
			value = with(value, p.Name, before)
		case now != nil:
			filled := filled(now, before)
			if p.Schema.Breach(filled) != "" {
				filled = before
			}
			value = with(value, p.Name, filled)
		}
	}
	return value
}

// filled is an object with what it lacks of another, at every depth.
func filled(n, from *tree.Node) *tree.Node {
	if n == nil || n.Kind != tree.Map || from.Kind != tree.Map {
		return n
	}
	for _, m := range from.Members {
		if have := n.Get(m.Key); have == nil {
			n = with(n, m.Key, m.Value)
		} else {
			n = with(n, m.Key, filled(have, m.Value))
		}
	}
	return n
}

// known is what a caller sent without what the contract does not know of an item.
func (c *Collection) known(sent *tree.Node) *tree.Node {
	if len(c.properties) == 0 {
		return sent
	}
	return tree.NewMap(slices.DeleteFunc(slices.Clone(sent.Entries()), func(m tree.Member) bool {
		_, ok := c.property(m.Key)
		return !ok
	})...)
}

// replaced is what a caller sent, with what only the service says.
func (c *Collection) replaced(item *Item, sent *tree.Node, call *Call) *tree.Node {
	asked := call.Role.asked()
	value := tree.NewMap()
	for _, p := range c.properties {
		askable := slices.ContainsFunc(asked, func(a contract.Property) bool { return a.Name == p.Name && !a.ReadOnly })
		old, given := item.Value.Get(p.Name), sent.Get(p.Name)
		switch {
		case p.WriteOnly:
		case given != nil && !p.ReadOnly:
			value = with(value, p.Name, given)
		case old != nil && (!askable || p.Required):
			value = with(value, p.Name, old)
		}
	}
	if len(c.properties) == 0 {
		value = sent
	}
	if old := item.Value.Get(c.Key); old != nil && (c.beside || len(c.properties) == 0) {
		value = with(value, c.Key, old)
	}
	return value
}

// isPatch reports whether a body is a JSON Patch (RFC 6902) by its form: many call it JSON.
func isPatch(n *tree.Node) bool {
	return n.Kind == tree.List && len(n.Items) > 0 && n.Items[0].Get("op") != nil && n.Items[0].Get("path") != nil
}

// merged lays a JSON Merge Patch (RFC 7396) over a document.
func merged(document, patch *tree.Node) *tree.Node {
	if patch.Kind != tree.Map {
		return patch
	}
	if document == nil || document.Kind != tree.Map {
		document = tree.NewMap()
	}
	for _, m := range patch.Entries() {
		if m.Value.Kind == tree.Null {
			members := slices.DeleteFunc(slices.Clone(document.Entries()), func(have tree.Member) bool { return have.Key == m.Key })
			document = tree.NewMap(members...)
			continue
		}
		document = with(document, m.Key, merged(document.Get(m.Key), m.Value))
	}
	return document
}
