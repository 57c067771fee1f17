package contract

import (
	"bytes"
	"fmt"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Bodies that are streams of items, each of which obeys the itemSchema of its media type.

// streamItems is how many items are drawn.
const streamItems = 3

// recordSeparator begins each text of a sequence (RFC 7464).
const recordSeparator = "\x1e"

// isStream reports whether items of a media type can be written and read one by one.
func isStream(mediaType string) bool {
	switch call.BaseType(mediaType) {
	case "application/jsonl", "application/x-ndjson", "application/ndjson", "application/x-jsonlines", "application/json-seq", "text/event-stream":
		return true
	}
	return isMultipart(mediaType) && call.BaseType(mediaType) != "multipart/form-data"
}

// Stream draws the items of a body, and writes it. valid is false when one does not obey.
func (o *MediaType) Stream(draw *sample.Draw) (body []byte, valid bool) {
	valid = true
	items := make([]*tree.Node, streamItems)
	for i := range items {
		item, ok := o.Item.Generate(draw)
		items[i], valid = item, valid && ok
	}
	return o.writeStream(items), valid
}

// Items are the sizes of the items of a body, which add up to its own; none where it is no stream.
func (o *MediaType) Items(body []byte) (sizes []int) {
	if !isStream(o.Name) {
		return nil
	}
	ends, keep := []string{"\n"}, 0 // how much of an end is of the next item
	switch base := call.BaseType(o.Name); {
	case base == "text/event-stream":
		ends = []string{"\r\n\r\n", "\n\n"}
	case isMultipart(base):
		ends, keep = []string{"\r\n--", "\n--"}, len("--")
	}
	for len(body) > 0 {
		size := len(body)
		for _, end := range ends {
			if at := bytes.Index(body, []byte(end)); at >= 0 {
				size = min(size, at+len(end)-keep)
			}
		}
		sizes, body = append(sizes, size), body[size:]
	}
	return sizes
}

func (o *MediaType) writeStream(items []*tree.Node) []byte {
	var b bytes.Buffer
	for _, item := range items {
		text := item.AppendJSON(nil)
		switch base := call.BaseType(o.Name); {
		case base == "text/event-stream":
			writeEvent(&b, item)
		case base == "application/json-seq":
			fmt.Fprintf(&b, "%s%s\n", recordSeparator, text)
		case isMultipart(base):
			fmt.Fprintf(&b, "--%s\r\nContent-Type: application/json\r\n\r\n%s\r\n", boundary, text)
		default:
			fmt.Fprintf(&b, "%s\n", text)
		}
	}
	if isMultipart(o.Name) {
		fmt.Fprintf(&b, "--%s--\r\n", boundary)
	}
	return b.Bytes()
}

// writeEvent writes an item as an event: an object with the fields of events, or else data.
func writeEvent(b *bytes.Buffer, item *tree.Node) {
	if item.Get("data") == nil && item.Get("event") == nil {
		item = tree.NewMap(tree.Member{Key: "data", Value: item})
	}
	for _, name := range []string{"event", "id", "retry", "data"} {
		value := item.Get(name)
		if value == nil {
			continue
		}
		for _, line := range strings.Split(textOf(value), "\n") {
			fmt.Fprintf(b, "%s: %s\n", name, line)
		}
	}
	b.WriteByte('\n')
}

// readStream reads the items of a body.
func (o *MediaType) readStream(contentType string, body []byte) (items []*tree.Node, err error) {
	read := func(text string) error {
		n, err := tree.ParseJSON([]byte(text))
		if err != nil {
			return fmt.Errorf("item %d: %w", len(items)+1, err)
		}
		items = append(items, n)
		return nil
	}
	text := strings.ReplaceAll(string(body), "\r\n", "\n")
	switch base := call.BaseType(contentType); {
	case base == "text/event-stream":
		for _, event := range strings.Split(text, "\n\n") {
			if item := readEvent(event, o.Item); item != nil {
				items = append(items, item)
			}
		}
	case isMultipart(base):
		return nil, nil // its parts are of types of their own
	default:
		for _, line := range strings.FieldsFunc(text, func(r rune) bool { return r == '\n' || r == rune(recordSeparator[0]) }) {
			if strings.TrimSpace(line) == "" {
				continue
			}
			if err := read(line); err != nil {
				return items, err
			}
		}
	}
	return items, nil
}

// readEvent reads an event as an object with its fields; nil for what is none, such as a comment.
func readEvent(text string, item *Schema) *tree.Node {
	fields := make(map[string][]string)
	for _, line := range strings.Split(text, "\n") {
		name, value, _ := strings.Cut(line, ":")
		if name != "" {
			fields[name] = append(fields[name], strings.TrimPrefix(value, " "))
		}
	}
	object := tree.NewMap()
	for _, name := range []string{"event", "id", "retry", "data"} {
		if fields[name] == nil {
			continue
		}
		var types []string
		if p, has := item.Property(name); has {
			types = p.Schema.Types()
		}
		object.Members = append(object.Members, tree.Member{Key: name, Value: typed(strings.Join(fields[name], "\n"), types)})
	}
	if len(object.Members) == 0 {
		return nil
	}
	if _, own := item.Property("data"); !own && len(object.Members) == 1 { // the item is what the data say
		if n, err := tree.ParseJSON([]byte(object.Get("data").Str())); err == nil {
			return n
		}
	}
	return object
}
