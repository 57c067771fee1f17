package contract

import (
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec/tree"
)

const formType = "application/x-www-form-urlencoded"

// Encode writes a value in the media type of the media type: as JSON, as XML by the
// names of the schema, as a form, and a plain value in any other type as it
// stands. ok is false when the type has no form for such a value.
func (o *MediaType) Encode(value *tree.Node) (body []byte, ok bool) {
	switch {
	case call.IsJSON(o.Name):
		return value.AppendJSON(nil), true
	case call.IsXML(o.Name):
		return o.Schema.AppendXML(nil, value), true
	case call.BaseType(o.Name) == formType && value.Kind == tree.Map:
		return []byte(formText(value)), true
	case value.Kind == tree.List || value.Kind == tree.Map:
		return nil, false
	case value.Kind == tree.Null:
		return nil, true
	default:
		return []byte(value.Text), true
	}
}

// CanEncode reports whether values of the media type's schema can be written in its
// media type.
func (o *MediaType) CanEncode() bool {
	if o.Schema == nil {
		return false
	}
	types := schemaTypes(o.Schema.document, o.Schema.Resolved())
	switch {
	case call.IsJSON(o.Name), call.IsXML(o.Name):
		return true
	case call.BaseType(o.Name) == formType:
		return !slices.Contains(types, "array")
	default:
		return len(types) > 0 && !slices.Contains(types, "array") && !slices.Contains(types, "object")
	}
}

// formText writes an object as a form, its keys in their order; the elements
// of lists are repeated.
func formText(value *tree.Node) string {
	var b strings.Builder
	pair := func(key string, v *tree.Node) {
		if b.Len() > 0 {
			b.WriteByte('&')
		}
		text := v.Text
		if v.Kind == tree.List || v.Kind == tree.Map {
			text = string(v.AppendJSON(nil))
		}
		b.WriteString(url.QueryEscape(key) + "=" + url.QueryEscape(text))
	}
	for _, m := range value.Members {
		if m.Value.Kind != tree.List {
			pair(m.Key, m.Value)
			continue
		}
		for _, item := range m.Value.Items {
			pair(m.Key, item)
		}
	}
	return b.String()
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
	case base == formType:
		fields, err := url.ParseQuery(string(body))
		return o.Schema.fields(fields), err
	case strings.HasPrefix(base, "multipart/"):
		fields, err := call.Parts(contentType, body)
		return o.Schema.fields(fields), err
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
	return o.Decode(contentType, f.Request.Body.Bytes)
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
	default:
		return base
	}
}

// fields makes an object of the fields of a form.
func (s *Schema) fields(fields url.Values) *tree.Node {
	object := tree.NewMap()
	for _, name := range sortedKeys(fields) {
		object.Members = append(object.Members, tree.Member{Key: name,
			Value: ofKind(s.document, propertyOf(s.document, s.Resolved(), name, 0), fields[name])})
	}
	return object
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
