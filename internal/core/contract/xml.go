package contract

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// XML bodies of a contract follow OpenAPI's XML object: a schema names its
// element or attribute, a list may have an element around it, a namespace may
// be given with a prefix.

const (
	xmlDeclaration = `<?xml version="1.0" encoding="UTF-8"?>` + "\n"
	xmlInstance    = "http://www.w3.org/2001/XMLSchema-instance"
	maxXMLDepth    = 200
)

// AppendXML writes a value as an XML document. A schema of nil names nothing:
// then the root is called root and properties are elements.
func (s *Schema) AppendXML(b []byte, value *tree.Node) []byte {
	w := xmlWriter{b: append(b, xmlDeclaration...)}
	name, schema := "root", (*tree.Node)(nil)
	if s != nil {
		w.document, schema = s.document, s.Resolved()
		name = s.rootName()
	}
	if value.Kind == tree.List { // a document has one root, whatever the schema says
		w.wrapped(name, schema, value)
	} else {
		w.element(name, schema, value)
	}
	return append(w.b, '\n')
}

// rootName is the name of the element that a value of the schema is.
func (s *Schema) rootName() string {
	schema := s.Resolved()
	if name := xmlKey(s.document, schema, "name").Str(); name != "" {
		return name
	}
	if ref := schema.Get("$ref").Str(); ref != "" {
		return ref[strings.LastIndex(ref, "/")+1:]
	}
	if i := strings.LastIndex(s.pointer, "/schemas/"); i >= 0 && !strings.Contains(s.pointer[i+9:], "/") {
		return s.pointer[i+9:]
	}
	return "root"
}

// deref resolves the $ref of a schema.
func deref(d *Document, schema *tree.Node) *tree.Node {
	for range maxFollow {
		ref := schema.Get("$ref").Str()
		if ref == "" {
			break
		}
		schema = d.Resolve(ref)
	}
	return schema
}

// xmlKey reads a key of a schema's xml object; what stands beside a $ref comes
// before what the target says.
func xmlKey(d *Document, schema *tree.Node, key string) *tree.Node {
	if n := schema.Path("xml", key); n != nil || schema == nil || d == nil {
		return n
	}
	if all := schema.Get("allOf").Elements(); len(all) > 0 {
		for _, part := range all { // what is written here goes before what a part refers to
			if n := part.Path("xml", key); n != nil {
				return n
			}
		}
		return xmlKey(d, all[0], key)
	}
	return deref(d, schema).Path("xml", key)
}

// property finds the schema of a property, in the schema itself or in what it
// is put together from.
func propertyOf(d *Document, schema *tree.Node, name string, depth int) *tree.Node {
	schema = deref(d, schema)
	if schema == nil || depth > maxFollow {
		return nil
	}
	if found := schema.Get("properties").Get(name); found != nil {
		return found
	}
	for _, key := range []string{"allOf", "oneOf", "anyOf"} {
		if parts := schema.Get(key); parts != nil {
			for _, part := range parts.Items {
				if found := propertyOf(d, part, name, depth+1); found != nil {
					return found
				}
			}
		}
	}
	return nil
}

// memberOf is the schema of what an object has under a name: that of the property, else that of all
// others; nil for none.
func memberOf(d *Document, schema *tree.Node, name string) *tree.Node {
	if found := propertyOf(d, schema, name, 0); found != nil || schema == nil {
		return found
	}
	if extra := deref(d, schema).Get("additionalProperties"); extra != nil && extra.Kind == tree.Map {
		return extra
	}
	return nil
}

// itemsOf finds the schema of the elements of a list, in the schema itself or in what it is put
// together from.
func itemsOf(d *Document, schema *tree.Node, depth int) *tree.Node {
	schema = deref(d, schema)
	if schema == nil || depth > maxFollow {
		return nil
	}
	if found := schema.Get("items"); found != nil {
		return found
	}
	for _, key := range []string{"allOf", "oneOf", "anyOf"} {
		for _, part := range schema.Get(key).Elements() {
			if found := itemsOf(d, part, depth+1); found != nil {
				return found
			}
		}
	}
	return nil
}

type xmlWriter struct {
	b        []byte
	document *Document // nil without a schema
}

func (w *xmlWriter) property(schema *tree.Node, name string) *tree.Node {
	if w.document == nil || schema == nil {
		return nil
	}
	return memberOf(w.document, schema, name)
}

func (w *xmlWriter) items(schema *tree.Node) *tree.Node {
	if w.document == nil {
		return nil
	}
	return itemsOf(w.document, schema, 0)
}

// element writes one element with all that is in it.
func (w *xmlWriter) element(name string, schema, value *tree.Node) {
	start := w.open(name, schema)
	if value.Kind == tree.Null {
		w.b = append(w.b, ` xmlns:xsi="`+xmlInstance+`" xsi:nil="true"/>`...)
		return
	}
	var children []tree.Member
	for _, m := range value.Members {
		property := w.property(schema, m.Key)
		if xmlKey(w.document, property, "attribute").IsTrue() {
			w.attribute(m, property)
		} else {
			children = append(children, m)
		}
	}
	w.b = append(w.b, '>')
	switch value.Kind {
	case tree.Map:
		for _, m := range children {
			w.member(m.Key, w.property(schema, m.Key), m.Value)
		}
	case tree.List:
		for _, item := range value.Items {
			w.element("item", w.items(schema), item)
		}
	default:
		w.text(value.Text)
	}
	w.b = append(w.b, "</"+start+">"...)
}

// open writes the beginning of a tag and returns its name with the prefix.
func (w *xmlWriter) open(name string, schema *tree.Node) string {
	name = xmlName(name)
	prefix, namespace := xmlKey(w.document, schema, "prefix").Str(), xmlKey(w.document, schema, "namespace").Str()
	declaration := "xmlns"
	if prefix != "" {
		name = prefix + ":" + name
		declaration += ":" + prefix
	}
	w.b = append(w.b, "<"+name...)
	if namespace != "" {
		w.b = append(w.b, " "+declaration+`="`...)
		w.text(namespace)
		w.b = append(w.b, '"')
	}
	return name
}

func (w *xmlWriter) attribute(m tree.Member, schema *tree.Node) {
	w.b = append(w.b, " "+xmlName(nameOf(w.document, schema, m.Key))+`="`...)
	w.text(Plain(m.Value))
	w.b = append(w.b, '"')
}

func (w *xmlWriter) member(key string, schema, value *tree.Node) {
	switch {
	case value.Kind != tree.List:
		w.element(nameOf(w.document, schema, key), schema, value)
	case xmlKey(w.document, schema, "wrapped").IsTrue():
		w.wrapped(nameOf(w.document, schema, key), schema, value)
	default:
		items := w.items(schema)
		for _, item := range value.Items {
			w.element(nameOf(w.document, items, key), items, item)
		}
	}
}

// wrapped writes a list inside an element of its own.
func (w *xmlWriter) wrapped(name string, schema, value *tree.Node) {
	end := w.open(name, schema)
	w.b = append(w.b, '>')
	items := w.items(schema)
	for _, item := range value.Items {
		w.element(nameOf(w.document, items, name), items, item)
	}
	w.b = append(w.b, "</"+end+">"...)
}

func nameOf(d *Document, schema *tree.Node, otherwise string) string {
	if name := xmlKey(d, schema, "name").Str(); name != "" {
		return name
	}
	return otherwise
}

func (w *xmlWriter) text(s string) {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // a buffer takes everything
	w.b = append(w.b, b.Bytes()...)
}

// xmlName makes a name that can be an element's.
func xmlName(name string) string {
	fixed := strings.Map(func(r rune) rune {
		if r == '_' || r == '-' || r == '.' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r > 127 {
			return r
		}
		return '_'
	}, name)
	if fixed == "" || fixed[0] >= '0' && fixed[0] <= '9' || fixed[0] == '-' || fixed[0] == '.' {
		return "_" + fixed
	}
	return fixed
}

// xmlElement is an element as it was read.
type xmlElement struct {
	name       string // without prefix
	attributes []xml.Attr
	children   []*xmlElement
	text       strings.Builder
}

// ReadXML reads an XML document into a value of the schema: elements and
// attributes become the properties that the schema names so, repeated or
// wrapped elements lists, and texts what their schema says they are.
func (s *Schema) ReadXML(text []byte) (*tree.Node, error) {
	root, err := readElement(text)
	if err != nil {
		return nil, err
	}
	if want := xmlName(s.rootName()); want != root.name && want != "root" {
		return nil, fmt.Errorf("its root is <%s>, expected <%s>", root.name, want)
	}
	r := xmlReader{s.document}
	if schema := s.Resolved(); slices.Contains(schemaTypes(s.document, schema), "array") {
		return r.list(root.children, itemsOf(s.document, schema, 0)), nil
	}
	return r.value(root, s.Resolved()), nil
}

func readElement(text []byte) (*xmlElement, error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	var open []*xmlElement
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil, errors.New("it has no element")
		}
		if err != nil {
			return nil, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			e := &xmlElement{name: t.Name.Local, attributes: t.Attr}
			if len(open) > 0 {
				parent := open[len(open)-1]
				parent.children = append(parent.children, e)
			}
			if open = append(open, e); len(open) > maxXMLDepth {
				return nil, errors.New("it is nested too deep")
			}
		case xml.EndElement:
			if len(open) == 1 {
				return open[0], nil
			}
			open = open[:len(open)-1]
		case xml.CharData:
			if len(open) > 0 {
				open[len(open)-1].text.Write(t)
			}
		case xml.Directive:
			return nil, errors.New("it has a document type declaration, which is not read")
		}
	}
}

type xmlReader struct{ document *Document }

func (r xmlReader) value(e *xmlElement, schema *tree.Node) *tree.Node {
	for _, a := range e.attributes {
		if a.Name.Space == xmlInstance && a.Name.Local == "nil" && a.Value == "true" {
			return &tree.Node{}
		}
	}
	types := schemaTypes(r.document, schema)
	names := propertyNames(r.document, schema, 0)
	switch {
	case len(names) > 0 || slices.Contains(types, "object"):
		return r.object(e, schema, names)
	case slices.Contains(types, "array"):
		return r.list(e.children, itemsOf(r.document, schema, 0))
	case len(types) == 0 && len(e.children) > 0:
		return r.object(e, nil, nil)
	default:
		text := e.text.String()
		if !slices.Contains(types, "string") {
			text = strings.TrimSpace(text)
		}
		return typed(text, types)
	}
}

func (r xmlReader) list(elements []*xmlElement, items *tree.Node) *tree.Node {
	list := tree.NewList()
	for _, e := range elements {
		list.Items = append(list.Items, r.value(e, items))
	}
	return list
}

// object reads the properties that the schema names, then whatever is left.
func (r xmlReader) object(e *xmlElement, schema *tree.Node, names []string) *tree.Node {
	var members []tree.Member
	taken := make(map[*xmlElement]bool)
	for _, name := range names {
		property := propertyOf(r.document, schema, name, 0)
		element := xmlName(nameOf(r.document, property, name))
		if xmlKey(r.document, property, "attribute").IsTrue() {
			for _, a := range e.attributes {
				if a.Name.Local == element {
					members = append(members, tree.Member{Key: name, Value: typed(a.Value, schemaTypes(r.document, property))})
				}
			}
			continue
		}
		isList := slices.Contains(schemaTypes(r.document, property), "array")
		wrapped := xmlKey(r.document, property, "wrapped").IsTrue()
		items := itemsOf(r.document, property, 0)
		if isList && !wrapped {
			element = xmlName(nameOf(r.document, items, name))
		}
		found := e.named(element)
		for _, child := range found {
			taken[child] = true
		}
		switch {
		case len(found) == 0:
		case isList && wrapped:
			members = append(members, tree.Member{Key: name, Value: r.list(found[0].children, items)})
		case isList:
			members = append(members, tree.Member{Key: name, Value: r.list(found, items)})
		default:
			members = append(members, tree.Member{Key: name, Value: r.value(found[0], property)})
		}
	}
	for _, child := range e.children {
		if !taken[child] {
			members = append(members, tree.Member{Key: child.name, Value: r.value(child, memberOf(r.document, schema, child.name))})
		}
	}
	return tree.NewMap(members...)
}

func (e *xmlElement) named(name string) (found []*xmlElement) {
	for _, child := range e.children {
		if child.name == name {
			found = append(found, child)
		}
	}
	return found
}

// propertyNames lists the properties of a schema and of what it is put
// together from, each once.
func propertyNames(d *Document, schema *tree.Node, depth int) (names []string) {
	schema = deref(d, schema)
	if schema == nil || depth > maxFollow {
		return nil
	}
	if props := schema.Get("properties"); props != nil {
		for _, m := range props.Members {
			names = append(names, m.Key)
		}
	}
	for _, key := range []string{"allOf", "oneOf", "anyOf"} {
		if parts := schema.Get(key); parts != nil {
			for _, part := range parts.Items {
				for _, name := range propertyNames(d, part, depth+1) {
					if !slices.Contains(names, name) {
						names = append(names, name)
					}
				}
			}
		}
	}
	return names
}
