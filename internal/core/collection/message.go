package collection

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"unicode"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// Operations that share an address are told apart by their messages: what they do follows from
// their names, getBerth, listBerths, addBerth …, and must be borne out by what their messages hold.

// kinds are what the first word of a name says, or the last.
var kinds = map[string]Verb{
	"create": Create, "add": Create, "insert": Create, "register": Create, "submit": Create, "new": Create, "book": Create,
	"get": Read, "read": Read, "fetch": Read, "retrieve": Read, "load": Read, "lookup": Read, "show": Read, "view": Read, "describe": Read, "find": Read,
	"list": List, "search": List, "query": List, "enumerate": List, "browse": List,
	"update": Change, "change": Change, "modify": Change, "edit": Change, "set": Change, "save": Change, "replace": Change, "amend": Change, "correct": Change,
	"delete": Remove, "remove": Remove, "cancel": Remove, "withdraw": Remove, "erase": Remove, "unregister": Remove, "deregister": Remove,
}

// Words of names that say nothing of the thing.
var (
	linking  = []string{"by", "with", "for", "of", "from", "in"} // what follows them is not the thing
	filling  = []string{"all", "the", "my", "a", "an", "one", "single"}
	trailing = []string{"list", "details", "detail", "info", "information", "data", "record", "records", "operation", "request", "async"}
)

// wordsOf are the words of a name, in small letters.
func wordsOf(name string) (words []string) {
	var word []rune
	end := func() {
		if len(word) > 0 {
			words, word = append(words, strings.ToLower(string(word))), nil
		}
	}
	runes := []rune(name)
	for i, r := range runes {
		switch {
		case !unicode.IsLetter(r):
			end()
			continue
		case unicode.IsUpper(r) && (i > 0 && unicode.IsLower(runes[i-1]) || i+1 < len(runes) && unicode.IsLower(runes[i+1]) && !severalAt(runes, i+1)):
			end()
		}
		word = append(word, r)
	}
	end()
	return words
}

// severalAt reports whether an s ends a word of capitals: IDs.
func severalAt(name []rune, i int) bool {
	return name[i] == 's' && (i+1 == len(name) || unicode.IsUpper(name[i+1]))
}

// purpose is what the name of an operation says that it does, and to what: the thing as one, and
// the words for it. verb is "" where it says nothing plain.
func purpose(name string) (verb Verb, one string, words []string) {
	words = wordsOf(name)
	switch {
	case len(words) < 2:
		return "", "", nil
	case kinds[words[0]] != "":
		verb, words = kinds[words[0]], words[1:]
	default:
		last := len(words) - 1
		verb, words = kinds[words[last]], words[:last]
	}
	if i := slices.IndexFunc(words, func(w string) bool { return slices.Contains(linking, w) }); i > 0 {
		words = words[:i]
	}
	for len(words) > 1 && slices.Contains(filling, words[0]) {
		words = words[1:]
		if verb == Read {
			verb = List
		}
	}
	for last := len(words) - 1; last > 0 && slices.Contains(trailing, words[last]); last-- {
		if words[last] == "list" && verb == Read {
			verb = List
		}
		words = words[:last]
	}
	return verb, singular(strings.Join(words, "")), words
}

// plural is the name of several, as English mostly forms it.
func plural(name string) string {
	if singular(name) != plain(name) {
		return name
	}
	for _, ending := range [][2]string{{"ay", "ays"}, {"ey", "eys"}, {"oy", "oys"}, {"y", "ies"}, {"s", "ses"}, {"x", "xes"}, {"ch", "ches"}, {"sh", "shes"}} {
		if stem, is := strings.CutSuffix(name, ending[0]); is {
			return stem + ending[1]
		}
	}
	return name + "s"
}

// addMessages makes the collections of operations that are told apart by their messages.
func (f *finder) addMessages(operations []*contract.Operation) {
	byThing := make(map[string]*Collection)
	var order []string
	var parts []*contract.Operation // which may change a part of a thing: changePilotName
	join := func(thing, name string, op *contract.Operation, verb Verb) {
		if byThing[thing] == nil {
			byThing[thing] = &Collection{Name: name}
			order = append(order, thing)
		}
		c := byThing[thing]
		c.Roles = append(c.Roles, &Role{Operation: op, Verb: verb, Collection: c, message: true})
	}
	for _, op := range operations {
		if name, verb := f.said(op); name != "" {
			join("\x00"+name, name, op, verb)
			continue
		}
		verb, one, words := purpose(op.ID)
		if verb == "" {
			f.why[op.ID] = "its name says neither create, read, list, change nor remove"
			continue
		}
		name := plural(strings.Join(words, "-"))
		if rule, known := f.rules[name]; known && rule.Operations != nil {
			f.why[op.ID] = "what " + name + " has is said"
			continue
		}
		if verb == Change {
			parts = append(parts, op)
			continue
		}
		join(one, name, op, verb)
	}
	for _, op := range parts {
		verb, one, words := purpose(op.ID)
		for n := len(words) - 1; byThing[one] == nil && n > 0; n-- {
			if whole := singular(strings.Join(words[:n], "")); byThing[whole] != nil {
				one = whole
			}
		}
		join(one, plural(strings.Join(words, "-")), op, verb)
	}
	for _, thing := range order {
		f.addThing(byThing[thing])
	}
}

// said is the collection to which an operation was given, and what it does there; "" for none.
func (f *finder) said(op *contract.Operation) (name string, verb Verb) {
	for name, rule := range f.rules {
		for does, id := range rule.Operations {
			if id == op.ID {
				return name, Verb(does)
			}
		}
	}
	return "", ""
}

// addThing takes a collection whose operations do what their names say, by their messages.
func (f *finder) addThing(c *Collection) {
	if f.rules[c.Name].Off {
		f.leave(c.Roles, "memory of "+c.Name+" is off")
		return
	}
	c.Roles = slices.DeleteFunc(c.Roles, func(r *Role) bool {
		r.asks, r.answers = f.documented.Shapes(r.Operation)
		if r.asks != nil || r.answers != nil {
			return false
		}
		f.why[r.Operation.ID] = "its messages hold no document"
		return true
	})
	for _, r := range c.Roles {
		if r.Verb == Read && (listsOnly(r.answers) || namesSeveral(r.Operation.ID) && holdsList(r.answers, c)) || r.Verb == List && f.rules[c.Name].Operations == nil && !holdsList(r.answers, c) {
			r.Verb = map[Verb]Verb{Read: List, List: Read}[r.Verb]
		}
	}
	if f.learnThing(c); !slices.ContainsFunc(c.Roles, writes) {
		return // which says enough
	}
	c.Roles = slices.DeleteFunc(c.Roles, func(r *Role) bool {
		why := f.placeMessage(c, r)
		if why != "" {
			f.why[r.Operation.ID] = why
		}
		return why != ""
	})
	if c.schema == nil || c.does(Read) == nil && c.does(List) == nil {
		f.leave(c.Roles, "no operation reads or lists what it writes")
		return
	}
	f.take(c)
}

func writes(r *Role) bool { return r.Verb != Read && r.Verb != List }

// leave says why operations touch no collection.
func (f *finder) leave(roles []*Role, why string) {
	for _, r := range roles {
		f.why[r.Operation.ID] = why
	}
}

// namesSeveral reports whether the name of an operation speaks of several things.
func namesSeveral(name string) bool {
	_, one, words := purpose(name)
	return one != plain(strings.Join(words, ""))
}

// alone leads through objects that hold one thing each, as answers of many programs do.
func alone(s *contract.Schema) (inner *contract.Schema, path []string) {
	for inner = s; inner != nil && len(path) < 3; {
		properties := inner.Properties()
		if len(properties) != 1 {
			break
		}
		inner, path = properties[0].Schema, append(path, properties[0].Name)
	}
	return inner, path
}

func listsOnly(answer *contract.Schema) bool {
	inner, _ := alone(answer)
	return inner != nil && slices.Contains(inner.Types(), "array")
}

func holdsList(answer *contract.Schema, c *Collection) bool {
	if answer == nil {
		return false
	}
	path, _ := listInside(answer, c)
	return path != nil
}

// listInside is listIn, also within objects that hold one thing each.
func listInside(answer *contract.Schema, c *Collection) (path []string, elements *contract.Schema) {
	if path, elements = listIn(answer, c); path != nil {
		return path, elements
	}
	inner, outer := alone(answer)
	if path, elements = listIn(inner, c); path != nil {
		path = append(outer, path...)
	}
	return path, elements
}

// learnThing finds what the items of a collection look like, and their key.
func (f *finder) learnThing(c *Collection) {
	thing := singular(c.Name)
	var told []*contract.Schema // as answers have it
	var sent *contract.Schema   // as requests do
	for _, r := range c.Roles {
		item := (*contract.Schema)(nil)
		switch {
		case r.Verb == Read && r.answers != nil:
			item, _ = itemIn(r.answers, c)
		case r.Verb == List && r.answers != nil:
			_, item = listInside(r.answers, c)
		case sent == nil && (r.Verb == Create || r.Verb == Change) && r.asks != nil:
			sent, _ = itemIn(r.asks, c)
		}
		if item != nil && len(item.Properties()) > 0 {
			told = append(told, item)
		}
	}
	if c.schema = sent; !slices.ContainsFunc(told, sent.Same) {
		if i := slices.IndexFunc(told, func(item *contract.Schema) bool { return sent == nil || tells(item, sent) }); i >= 0 {
			c.schema = told[i]
		}
	}
	if c.schema == nil || len(c.schema.Properties()) == 0 {
		c.schema = nil
		return
	}
	rule := f.rules[c.Name]
	c.properties, c.Key, c.start = c.schema.Properties(), rule.Key, rule
	for _, verb := range []Verb{Read, Remove, Change} {
		role := c.does(verb)
		if role == nil || role.asks == nil || c.Key != "" {
			continue
		}
		given, _ := scalarsIn(role.asks)
		for _, p := range given {
			if key := c.keyBy(p); key != "" && c.Key == "" {
				c.Key = key
			}
		}
		if c.Key == "" && len(given) == 1 && slices.Contains(unnamed, strings.TrimRight(plain(given[0].Name), "0123456789")) {
			c.Key = keyOf(c.properties, "", thing)
		}
		if c.Key == "" && len(given) == 1 {
			c.Key = given[0].Name
		}
	}
	if c.Key == "" {
		c.Key = keyOf(c.properties, "", thing)
	}
	if p, ok := c.property(c.Key); ok {
		c.keySchema = p.Schema
	} else {
		c.keyBeside()
	}
}

// tells reports whether what answers tell of an item is at least half of what a request says of it.
// Else it is a message about the item, such as whether it was cleared.
func tells(told, sent *contract.Schema) bool {
	said, known := sent.Properties(), 0
	for _, p := range said {
		if _, has := told.Property(p.Name); has {
			known++
		}
	}
	return 2*known >= len(said)
}

// typedAs is the one property that has a type of its own which is also that of something else.
func (c *Collection) typedAs(s *contract.Schema) (name string) {
	for _, p := range c.properties {
		if p.Schema.Same(s) {
			if name != "" {
				return ""
			}
			name = p.Name
		}
	}
	return name
}

// unnamed are names of arguments that say nothing.
var unnamed = []string{"arg", "in", "param", "value", "string", "int", "id", "key"}

// keyBy is the property of an item that a text of a message is; "" for none.
func (c *Collection) keyBy(p contract.Property) string {
	if key := c.typedAs(p.Schema); key != "" {
		return key
	}
	one, given := singular(c.Name), plain(p.Name)
	for _, own := range c.properties {
		if name := plain(own.Name); isScalar(own.Schema) && (name == given || one+name == given || name == one+given) {
			return own.Name
		}
	}
	return ""
}

// keyBeside takes the key from the messages that name it, where items do not have it.
func (c *Collection) keyBeside() {
	for _, role := range c.Roles {
		if role.asks == nil {
			continue
		}
		given, _ := scalarsIn(role.asks)
		for _, p := range given {
			if p.Name == c.Key {
				c.keySchema, c.beside = p.Schema, true
				return
			}
		}
	}
}

// itemIn finds the item in a message: what has its schema, else the object that all of it is in.
func itemIn(message *contract.Schema, c *Collection) (item *contract.Schema, path []string) {
	for _, outer := range message.Properties() {
		if outer.Schema.Same(c.schema) {
			return outer.Schema, []string{outer.Name}
		}
		for _, inner := range outer.Schema.Properties() {
			if inner.Schema.Same(c.schema) {
				return inner.Schema, []string{outer.Name, inner.Name}
			}
		}
	}
	inner, path := alone(message)
	if len(path) > 0 && len(inner.Properties()) == 0 { // its last thing is a text or a list
		return message, path[:len(path)-1]
	}
	for _, p := range inner.Properties() {
		if plain(p.Name) == singular(c.Name) && len(p.Schema.Properties()) > 0 {
			return p.Schema, append(path, p.Name)
		}
	}
	return inner, path
}

// scalarsIn are the texts and numbers of a message that may name an item or narrow a list, and the
// way to where they stand.
func scalarsIn(message *contract.Schema) (scalars []contract.Property, path []string) {
	inner, path := alone(message)
	if len(path) > 0 && len(inner.Properties()) == 0 {
		path = path[:len(path)-1]
		inner = message
		for _, name := range path {
			p, _ := inner.Property(name)
			inner = p.Schema
		}
	}
	for _, p := range inner.Properties() {
		if len(p.Schema.Properties()) == 0 && isScalar(p.Schema) && !slices.Contains(cursorNames, plain(p.Name)) && !slices.Contains(p.Schema.Types(), "boolean") {
			scalars = append(scalars, p)
		}
	}
	return scalars, path
}

// placeMessage finds where the item, its key and what filters stand in the messages of an
// operation. why says why it cannot be a role; "" where it can.
func (f *finder) placeMessage(c *Collection, r *Role) (why string) {
	if r.answers != nil {
		if r.Verb == List {
			var elements *contract.Schema
			if r.within, elements = listInside(r.answers, c); elements != nil && !elements.Same(c.schema) && len(elements.Properties()) > 0 {
				r.within = nil
			}
			if own := f.rules[c.Name].ListPath(); own != nil {
				r.within = own
			}
		} else {
			item, path := itemIn(r.answers, c)
			r.within, r.whole = path, item.Same(c.schema)
		}
	}
	switch {
	case r.Verb == List && r.within == nil, r.Verb == Read && !r.whole && f.rules[c.Name].Operations == nil:
		return fmt.Sprintf("its answer holds no %s", map[Verb]string{List: "list of " + c.Name, Read: "item of " + c.Name}[r.Verb])
	case r.asks == nil && r.Verb != List:
		return "its message holds nothing"
	case r.asks == nil:
		return ""
	}
	given, at := scalarsIn(r.asks)
	if r.Verb == List {
		r.queriesAt = at
		for _, p := range given {
			r.queries = append(r.queries, &contract.Parameter{Name: p.Name, In: "query", Schema: p.Schema})
		}
		return ""
	}
	if r.Verb == Create || r.Verb == Change || r.Verb == Replace {
		var sent *contract.Schema
		if sent, r.wrapped = itemIn(r.asks, c); r.Verb == Change && sent.Same(c.schema) {
			r.Verb = Replace
		}
		r.asks = sent
	}
	if r.Verb == Create {
		return ""
	}
	for _, p := range given {
		if p.Name == c.Key || c.keyBy(p) == c.Key && c.Key != "" {
			r.named = append(slices.Clone(at), p.Name)
			return ""
		}
	}
	if len(given) == 1 && (r.Verb == Read || r.Verb == Remove) {
		r.named = append(slices.Clone(at), given[0].Name)
		return ""
	}
	if _, has := r.asks.Property(c.Key); has && (r.Verb == Change || r.Verb == Replace) {
		r.named = append(slices.Clone(r.wrapped), c.Key)
		return ""
	}
	return "nothing in its message names an item of " + c.Name
}

// queryOf is what a message that lists asks for, as a query has it.
func (r *Role) queryOf(body *tree.Node) url.Values {
	query := make(url.Values)
	for _, p := range r.queries {
		if text := scalarText(body.Path(append(slices.Clone(r.queriesAt), p.Name)...)); text != "" {
			query.Set(p.Name, text)
		}
	}
	return query
}
