package contract

import (
	"cmp"
	"net/textproto"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/tree"
)

// Strange says how far a call is from being for the operation, where several have paths of the same
// shape: 0 for not at all. A parameter that must have one of some values tells most.
func (o *Operation) Strange(r *call.Request, segments []string) (n int) {
	path := o.Template.Params(segments)
	var query url.Values
	for _, p := range o.Parameters {
		tells := p.Required && p.Schema != nil && (p.In == "query" || p.In == "header") && (p.Schema.Keyword("enum") != nil || p.Schema.Keyword("const") != nil)
		if p.Schema == nil || p.In != "path" && !tells {
			continue
		}
		if query == nil {
			query, _ = url.ParseQuery(r.Query)
		}
		value, present := p.read(r, path, query)
		switch {
		case present && p.Schema.Breach(value) == "":
		case tells:
			n += 100
		default:
			n++
		}
	}
	return n
}

// ignored reports whether the standard has the parameter ignored: what it says belongs to the media
// types and to security.
func (p *Parameter) ignored() bool {
	if p.In != "header" {
		return false
	}
	switch strings.ToLower(p.Name) {
	case "accept", "content-type", "authorization":
		return true
	}
	return false
}

func (c *check) parameter(p *Parameter, r *call.Request, path map[string]string, query url.Values) {
	if p.ignored() {
		return
	}
	where := p.In + " " + p.Name
	value, present := p.read(r, path, query)
	switch {
	case !present:
		if p.Required {
			c.add(where, "it is required and missing")
		}
	case p.Schema == nil || value == nil:
	case p.In == "cookie": // whose values are secrets, and not spoken of
		if p.Schema.Breach(value) != "" {
			c.add(where, "its value does not obey the contract")
		}
	default:
		c.value(where, p.Schema, value)
	}
}

// read finds the value of a parameter in a request. present is false when the
// request does not have it.
func (p *Parameter) read(r *call.Request, path map[string]string, query url.Values) (value *tree.Node, present bool) {
	switch p.In {
	case "path":
		text, ok := path[p.Name]
		return p.decode(text), ok
	case "query":
		return p.readQuery(query)
	case "querystring":
		if r.Query == "" {
			return nil, false
		}
		value, err := (&MediaType{Name: p.Content, Schema: p.Schema}).Decode(p.Content, []byte(p.wholeQuery(r.Query)))
		if err != nil {
			return tree.NewString(r.Query), true
		}
		return value, true
	case "header":
		lines := r.Header[textproto.CanonicalMIMEHeaderKey(p.Name)]
		return p.decode(strings.Join(lines, ",")), len(lines) > 0
	default:
		for _, pair := range strings.Split(strings.Join(r.Header["Cookie"], ";"), ";") {
			if name, text, _ := strings.Cut(strings.TrimSpace(pair), "="); name == p.Name {
				if unescaped, err := url.QueryUnescape(text); err == nil {
					text = unescaped
				}
				return p.decode(text), true
			}
		}
		return nil, false
	}
}

// readQuery reads the styles in which a parameter is more than one pair of the
// query: repeated ones, and objects.
func (p *Parameter) readQuery(query url.Values) (value *tree.Node, present bool) {
	types := p.types()
	switch {
	case p.Content != "":
	case slices.Contains(types, "object") && p.Style == "deepObject":
		object := tree.NewMap()
		for _, name := range sortedKeys(query) {
			if inner, ok := strings.CutPrefix(name, p.Name+"["); ok && strings.HasSuffix(inner, "]") {
				p.put(object, strings.TrimSuffix(inner, "]"), query[name])
			}
		}
		return object, len(object.Members) > 0
	case slices.Contains(types, "object") && p.Explode:
		object := tree.NewMap()
		for _, name := range propertyNames(p.Schema.document, p.Schema.Resolved(), 0) {
			if texts := query[name]; len(texts) > 0 {
				p.put(object, name, texts)
			}
		}
		return object, len(object.Members) > 0
	}
	texts, present := query[p.Name]
	if !present {
		texts, present = query[p.Name+"[]"] // as some programs write lists
	}
	switch {
	case !present:
		return nil, false
	case slices.Contains(types, "array") && (p.Explode || len(texts) > 1) && p.Content == "":
		return oneOf(p.Schema, p.list(texts), texts), true
	default:
		return p.decode(texts[0]), true
	}
}

// oneOf is a list that was read, or the one text that it was read from where that obeys the schema and
// the list does not: some values are either.
func oneOf(s *Schema, list *tree.Node, texts []string) *tree.Node {
	types := s.Types()
	if len(texts) != 1 || len(types) < 2 || s.Breach(list) == "" {
		return list
	}
	if text := typed(texts[0], types); s.Breach(text) == "" {
		return text
	}
	return list
}

// wholeQuery is the query of a call as a body of the parameter's media type: unescaped, unless it is
// a form.
func (p *Parameter) wholeQuery(query string) string {
	if call.BaseType(p.Content) != formType {
		if unescaped, err := url.QueryUnescape(query); err == nil {
			return unescaped
		}
	}
	return query
}

func sortedKeys(query url.Values) []string {
	keys := make([]string, 0, len(query))
	for key := range query {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}

func (p *Parameter) types() []string {
	if p.Schema == nil {
		return nil
	}
	return schemaTypes(p.Schema.document, p.Schema.Resolved())
}

// put adds a member to an object, its value of the kind that the schema of the
// property asks for.
func (p *Parameter) put(object *tree.Node, name string, texts []string) {
	d := p.Schema.document
	object.Members = append(object.Members, tree.Member{Key: name, Value: ofKind(d, propertyOf(d, p.Schema.Resolved(), name, 0), texts)})
}

// ofKind turns the texts given for one name into a value of the kind that a
// schema asks for.
func ofKind(d *Document, schema *tree.Node, texts []string) *tree.Node {
	types := schemaTypes(d, schema)
	if !slices.Contains(types, "array") {
		return typed(texts[0], types)
	}
	within := itemsOf(d, schema, 0)
	items := schemaTypes(d, within)
	if n, err := tree.ParseJSON([]byte(texts[0])); len(texts) == 1 && err == nil && n.Kind == tree.List {
		return n // the whole as JSON, as some write it
	}
	list := tree.NewList()
	for _, text := range texts {
		if slices.Contains(items, "array") {
			list.Items = append(list.Items, ofKind(d, within, strings.Split(text, separatorOf(within))))
			continue
		}
		list.Items = append(list.Items, typed(text, items))
	}
	return list
}

func (p *Parameter) list(texts []string) *tree.Node {
	return ofKind(p.Schema.document, p.Schema.Resolved(), texts)
}

// separators between the parts of one text, by style.
var separators = map[string]string{"spaceDelimited": " ", "pipeDelimited": "|", Tabs: "\t"}

// Tabs is the style of lists with tabs between their elements, which Swagger 2.0 alone has.
const Tabs = "tabs"

// ListStyles are the styles of lists by the collectionFormat of Swagger 2.0, but for those with commas.
var ListStyles = map[string]string{"ssv": "spaceDelimited", "pipes": "pipeDelimited", "tsv": Tabs}

// separatorOf is what stands between the elements of a list, as Swagger 2.0 says it in the schema.
func separatorOf(schema *tree.Node) string {
	return cmp.Or(separators[ListStyles[schema.Get("collectionFormat").Str()]], ",")
}

// Written is a value as it stands in a header or a path: the elements of a list with a separator between
// them, an object as name and value in turn. s may be nil.
func (s *Schema) Written(value *tree.Node) string {
	if s == nil {
		return Plain(value)
	}
	return written(s.document, s.Resolved(), value, "")
}

// written writes a value whose outermost list has a separator, "" for that of its schema.
func written(d *Document, schema, value *tree.Node, separator string) string {
	if value.Kind != tree.List {
		return Plain(value)
	}
	if separator == "" {
		separator = separatorOf(schema)
	}
	within := itemsOf(d, schema, 0)
	parts := make([]string, len(value.Items))
	for i, item := range value.Items {
		parts[i] = written(d, within, item, "")
	}
	return strings.Join(parts, separator)
}

// decode turns the text of a parameter into a value of the kind its schema asks
// for, by the style of the parameter.
func (p *Parameter) decode(text string) *tree.Node {
	if call.IsJSON(p.Content) {
		if n, err := tree.ParseJSON([]byte(text)); err == nil {
			return n
		}
		return tree.NewString(text)
	}
	separator := separators[p.Style]
	switch p.Style {
	case "label":
		text = strings.TrimPrefix(text, ".")
		if p.Explode {
			separator = "."
		}
	case "matrix":
		text = strings.TrimPrefix(text, ";")
		if p.Explode {
			separator = ";"
		}
		text = strings.ReplaceAll(strings.TrimPrefix(text, p.Name+"="), ";"+p.Name+"=", ";")
	}
	if separator == "" {
		separator = ","
		if p.Schema != nil {
			separator = separatorOf(p.Schema.Resolved())
		}
	}
	types := p.types()
	switch {
	case slices.Contains(types, "object"):
		return p.object(strings.Split(text, separator))
	case !slices.Contains(types, "array"):
		return typed(text, types)
	}
	parts := strings.Split(text, separator)
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	return p.list(parts)
}

// object reads the parts of an object: name=value when exploded, else name and
// value in turn.
func (p *Parameter) object(parts []string) *tree.Node {
	object := tree.NewMap()
	for i := 0; i < len(parts); i++ {
		name, text, both := strings.Cut(parts[i], "=")
		if !p.Explode || !both {
			if i+1 >= len(parts) {
				break
			}
			name, text = parts[i], parts[i+1]
			i++
		}
		p.put(object, name, []string{text})
	}
	return object
}

// typed reads a text as the first of the types that it can be.
func typed(text string, types []string) *tree.Node {
	for _, name := range types {
		switch name {
		case "integer", "number":
			if n, err := tree.ParseJSON([]byte(text)); err == nil && n.Kind == tree.Number {
				return n
			}
		case "boolean":
			if text == "true" || text == "false" {
				return tree.NewBool(text == "true")
			}
		case "object", "array": // which some write as JSON
			if n, err := tree.ParseJSON([]byte(text)); err == nil && (n.Kind == tree.Map || n.Kind == tree.List) {
				return n
			}
		case "null":
			if text == "" {
				return &tree.Node{}
			}
		}
	}
	return tree.NewString(text)
}

// schemaTypes are the types that a schema names, itself, through a reference
// or in the parts it is put together from.
func schemaTypes(d *Document, schema *tree.Node) []string {
	return typesWithin(d, schema, 0)
}

func typesWithin(d *Document, schema *tree.Node, depth int) []string {
	schema = deref(d, schema)
	if schema == nil || depth > maxFollow {
		return nil
	}
	n := schema.Get("type")
	if name := n.Str(); name != "" {
		return []string{name}
	}
	var names []string
	if n != nil {
		for _, item := range n.Items {
			names = append(names, item.Str())
		}
		return names
	}
	for _, key := range []string{"allOf", "oneOf", "anyOf"} {
		if parts := schema.Get(key); parts != nil {
			for _, part := range parts.Items {
				names = append(names, typesWithin(d, part, depth+1)...)
			}
		}
	}
	return names
}

// StyleOf gives a parameter's style and explode their defaults.
func StyleOf(in, style string, explode *bool) (string, bool) {
	if style == "" {
		style = "simple"
		if in == "query" || in == "cookie" {
			style = "form"
		}
	}
	if explode == nil {
		return style, style == "form"
	}
	return style, *explode
}
