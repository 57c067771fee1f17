package contract

import (
	"bytes"
	"cmp"
	"fmt"
	"maps"
	"mime/multipart"
	"net/textproto"
	"net/url"
	"slices"
	"strings"
	"sync"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

const formType = "application/x-www-form-urlencoded"

// Encode writes a value in the media type of the media type: as JSON, as XML by the
// names of the schema, as a form, and a plain value in any other type as it
// stands. ok is false when the type has no form for such a value.
func (o *MediaType) Encode(value *tree.Node) (body []byte, ok bool) {
	switch {
	case call.IsJSON(o.Name):
		return inItsSize(value.AppendJSON), true
	case call.IsXML(o.Name):
		return o.Schema.AppendXML(nil, value), true
	case call.IsYAML(o.Name) && !o.isText():
		text, err := value.YAML()
		return text, err == nil
	case call.BaseType(o.Name) == formType && value.Kind == tree.Map:
		return []byte(o.formText(value)), true
	case isMultipart(o.Name) && value.Kind == tree.Map:
		return o.multipart(value), true
	case isMultipart(o.Name) && value.Kind == tree.String: // of which nothing is said: a file
		return o.multipart(tree.NewMap(tree.Member{Key: "file", Value: value})), true
	case value.Kind == tree.List || value.Kind == tree.Map:
		return nil, false
	case value.Kind == tree.Null:
		return nil, true
	default:
		return []byte(value.Text), true
	}
}

// scratch are buffers in which bodies are put together whose size is not known before.
var scratch = sync.Pool{New: func() any { return new([]byte) }}

// mostScratch bounds what a buffer keeps between two bodies.
const mostScratch = 64 << 10

// DrawJSON draws a body in JSON.
func (o *MediaType) DrawJSON(d *sample.Draw) (body []byte, valid bool) {
	body = inItsSize(func(b []byte) (text []byte) {
		text, valid = o.Schema.AppendJSON(b, d)
		return text
	})
	return body, valid
}

// inItsSize is a body of just the size of what is appended: it may be kept for long.
func inItsSize(appendBody func([]byte) []byte) []byte {
	buffer := scratch.Get().(*[]byte)
	text := appendBody((*buffer)[:0])
	body := bytes.Clone(text)
	if cap(text) <= mostScratch {
		*buffer = text
		scratch.Put(buffer)
	}
	return body
}

// IsFile reports whether what the contract says of a body is no more than that it is of its media
// type, and that is one of which a small file can be made.
func (o *MediaType) IsFile() bool {
	if !sample.HasFile(o.Name) {
		return false
	}
	if o.Schema == nil {
		return true
	}
	types := o.Schema.Types()
	return (len(types) == 0 || slices.Contains(types, "string")) && o.Schema.Keyword("enum") == nil && o.Schema.Keyword("const") == nil
}

// isText reports whether the contract takes a body for a text, whatever it is written in.
func (o *MediaType) isText() bool {
	return o.Schema != nil && slices.Equal(o.Schema.Types(), []string{"string"})
}

// CanEncode reports whether values of the media type's schema can be written in its
// media type.
func (o *MediaType) CanEncode() bool {
	if o.IsFile() || o.Item != nil && isStream(o.Name) {
		return true
	}
	if o.Schema == nil {
		return false
	}
	types := schemaTypes(o.Schema.document, o.Schema.Resolved())
	switch {
	case call.IsJSON(o.Name), call.IsXML(o.Name), call.IsYAML(o.Name):
		return true
	case call.BaseType(o.Name) == formType, isMultipart(o.Name):
		return !slices.Contains(types, "array")
	default:
		return len(types) > 0 && !slices.Contains(types, "array") && !slices.Contains(types, "object")
	}
}

// encoding is how a property stands in a form.
func (o *MediaType) encoding(name string) Encoding {
	if e, said := o.Encoding[name]; said {
		return e
	}
	return Encoding{Style: "form", Explode: true}
}

// formText writes an object as a form, its keys in their order.
func (o *MediaType) formText(value *tree.Node) string {
	var b strings.Builder
	pair := func(key, text string) {
		if b.Len() > 0 {
			b.WriteByte('&')
		}
		b.WriteString(url.QueryEscape(key) + "=" + url.QueryEscape(text))
	}
	for _, m := range value.Members {
		e := o.encoding(m.Key)
		switch {
		case call.IsJSON(e.ContentType):
			pair(m.Key, string(m.Value.AppendJSON(nil)))
		case m.Value.Kind == tree.List && e.Explode:
			for _, item := range m.Value.Items {
				pair(m.Key, textOf(item))
			}
		case m.Value.Kind == tree.List:
			parts := make([]string, len(m.Value.Items))
			for i, item := range m.Value.Items {
				parts[i] = textOf(item)
			}
			pair(m.Key, strings.Join(parts, cmp.Or(separators[e.Style], ",")))
		case m.Value.Kind == tree.Map && e.Style == "deepObject":
			for _, inner := range m.Value.Members {
				pair(m.Key+"["+inner.Key+"]", textOf(inner.Value))
			}
		default:
			pair(m.Key, textOf(m.Value))
		}
	}
	return b.String()
}

// textOf is a value as the text of a field: lists and objects as JSON.
func textOf(v *tree.Node) string {
	if v.Kind == tree.List || v.Kind == tree.Map {
		return string(v.AppendJSON(nil))
	}
	return v.Text
}

func isMultipart(mediaType string) bool {
	return strings.HasPrefix(call.BaseType(mediaType), "multipart/")
}

// boundary is between the parts of the bodies that we write: always the same, so that the same data
// make the same body.
const boundary = "rapid-mimic-0f6c1b2d"

// ContentType is the media type as a header says it.
func (o *MediaType) ContentType() string {
	if isMultipart(o.Name) && !strings.Contains(o.Name, "boundary=") {
		return o.Name + "; boundary=" + boundary
	}
	return o.Name
}

// multipart writes an object as parts, one for each property, several for lists. What the schema has
// as binary is a file.
func (o *MediaType) multipart(value *tree.Node) []byte {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	_ = w.SetBoundary(boundary) // which is one
	part := func(name string, v *tree.Node) {
		head := textproto.MIMEHeader{"Content-Disposition": {fmt.Sprintf(`form-data; name=%q`, name)}}
		mediaType := o.Encoding[name].ContentType
		if v.Kind == tree.Map || v.Kind == tree.List {
			mediaType = cmp.Or(mediaType, "application/json")
		}
		if o.isFile(name) {
			head.Set("Content-Disposition", fmt.Sprintf(`form-data; name=%q; filename=%q`, name, name+".bin"))
			mediaType = cmp.Or(mediaType, "application/octet-stream")
		}
		if mediaType, _, _ = strings.Cut(mediaType, ","); mediaType != "" && !strings.Contains(mediaType, "*") {
			head.Set("Content-Type", strings.TrimSpace(mediaType))
		}
		into, _ := w.CreatePart(head) // a buffer takes everything
		_, _ = into.Write([]byte(textOf(v)))
	}
	for _, m := range value.Members {
		if m.Value.Kind != tree.List || call.IsJSON(o.Encoding[m.Key].ContentType) {
			part(m.Key, m.Value)
			continue
		}
		for _, item := range m.Value.Items {
			part(m.Key, item)
		}
	}
	_ = w.Close()
	return b.Bytes()
}

// isFile reports whether a property is binary, or a list of what is.
func (o *MediaType) isFile(name string) bool {
	if o.Schema == nil {
		return false
	}
	p, _ := o.Schema.Property(name)
	if p.Schema == nil {
		return false
	}
	if elements := p.Schema.Elements(); elements != nil {
		return elements.Keyword("format").Str() == "binary"
	}
	return p.Format == "binary" || p.Schema.Keyword("contentMediaType") != nil
}

// Decode reads a body in the media type of the media type into a value of its
// schema. The value is nil when a body of this type says nothing that a schema
// could judge.
func (o *MediaType) Decode(contentType string, body []byte) (*tree.Node, error) {
	base := call.BaseType(contentType)
	switch {
	case call.IsJSON(base):
		return tree.ParseJSON(body)
	case o.Schema == nil:
		return nil, nil
	case call.IsXML(base):
		return o.Schema.ReadXML(body)
	case call.IsYAML(base) && o.isText():
		return tree.NewString(string(body)), nil
	case call.IsYAML(base):
		return tree.Parse(body)
	case base == formType:
		fields, err := url.ParseQuery(string(body))
		return o.fields(fields), err
	case isMultipart(base) && len(o.Schema.Properties()) == 0:
		return nil, nil // nothing is said of its parts
	case isMultipart(base):
		fields, err := call.Parts(contentType, body)
		return o.fields(fields), err
	case strings.HasPrefix(base, "text/"):
		return typed(string(body), schemaTypes(o.Schema.document, o.Schema.Resolved())), nil
	default:
		return nil, nil
	}
}

// DecodeRequest is Decode for the body of a request.
func (o *MediaType) DecodeRequest(f *match.Facts) (*tree.Node, error) {
	contentType := f.Request.Header.Get("Content-Type")
	if call.IsJSON(call.BaseType(contentType)) {
		return f.JSON()
	}
	return o.Decode(contentType, f.Plain())
}

// Decoded is the body of a call as a tree, by what the contract says of its media
// type; nil when there is none, it cannot be read as what it says it is, or was not
// held whole.
func (o *Operation) Decoded(f *match.Facts) *tree.Node {
	r := f.Request
	if o.ByMessage || r.Body.Truncated || len(r.Body.Bytes) == 0 {
		return nil
	}
	mediaType := &MediaType{}
	if o.Body != nil {
		if own := o.Body.MediaType(r.Header.Get("Content-Type")); own != nil {
			mediaType = own
		}
	}
	n, err := mediaType.DecodeRequest(f)
	if err != nil {
		return nil
	}
	return n
}

// kindOf names a media type in a sentence.
func kindOf(base string) string {
	switch {
	case call.IsJSON(base):
		return "JSON"
	case call.IsXML(base):
		return "XML"
	case call.IsYAML(base):
		return "YAML"
	default:
		return base
	}
}

// fields makes an object of the fields of a form.
func (o *MediaType) fields(fields url.Values) *tree.Node {
	object, left := tree.NewMap(), maps.Clone(fields)
	for _, p := range o.Schema.Properties() {
		value, present := o.field(p, left)
		if present {
			object.Members = append(object.Members, tree.Member{Key: p.Name, Value: value})
		}
	}
	for _, name := range sortedKeys(left) {
		object.Members = append(object.Members, tree.Member{Key: name,
			Value: ofKind(o.Schema.document, propertyOf(o.Schema.document, o.Schema.Resolved(), name, 0), left[name])})
	}
	return object
}

// field is a property as the fields of a form say it, and takes them from those that are left.
func (o *MediaType) field(p Property, left url.Values) (value *tree.Node, present bool) {
	e, types := o.encoding(p.Name), p.Schema.Types()
	texts := left[p.Name]
	if len(texts) == 1 && (call.IsJSON(e.ContentType) || slices.Contains(types, "object")) {
		if n, err := tree.ParseJSON([]byte(texts[0])); err == nil && (n.Kind == tree.Map || n.Kind == tree.List || call.IsJSON(e.ContentType)) {
			delete(left, p.Name)
			return n, true
		}
	}
	if len(texts) > 0 && slices.Contains(types, "array") && o.holdsJSON(p) {
		list := tree.NewList()
		for _, text := range texts {
			n, err := tree.ParseJSON([]byte(text))
			if err != nil {
				n = tree.NewString(text)
			}
			list.Items = append(list.Items, n)
		}
		delete(left, p.Name)
		return oneOf(p.Schema, list, texts), true
	}
	own := &Parameter{Name: p.Name, In: "query", Style: cmp.Or(e.Style, "form"), Explode: e.Explode, Schema: p.Schema}
	if slices.Contains(types, "object") && e.Style == "form" && own.Explode && len(texts) > 0 {
		return nil, false // a text where an object should be, which is told of it
	}
	if value, present = own.readQuery(left); !present {
		return nil, false
	}
	for name := range left {
		inner, isInner := strings.CutPrefix(name, p.Name+"[")
		if name == p.Name || isInner && strings.HasSuffix(inner, "]") || value.Kind == tree.Map && own.Explode && value.Get(name) != nil && e.Style != "deepObject" {
			delete(left, name)
		}
	}
	return value, true
}

// holdsJSON reports whether the elements of a list are objects, which stand in a form as JSON.
func (o *MediaType) holdsJSON(p Property) bool {
	d := p.Schema.document
	return slices.Contains(schemaTypes(d, itemsOf(d, p.Schema.Resolved(), 0)), "object")
}

// Plain writes a value as it stands in a header or a path: the elements of a
// list with commas between them, an object as name and value in turn.
func Plain(value *tree.Node) string {
	switch value.Kind {
	case tree.List:
		parts := make([]string, len(value.Items))
		for i, item := range value.Items {
			parts[i] = Plain(item)
		}
		return strings.Join(parts, ",")
	case tree.Map:
		var parts []string
		for _, m := range value.Members {
			parts = append(parts, m.Key, Plain(m.Value))
		}
		return strings.Join(parts, ",")
	default:
		return value.Text
	}
}
