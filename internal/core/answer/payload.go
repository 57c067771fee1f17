package answer

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/spec/problem"
)

// Payload is a body in a file of its own. It is immutable.
type Payload struct {
	Name    string
	Bytes   []byte
	Version int64 // of its last edit
}

// Payloads are those of one service, by their names.
type Payloads map[string]*Payload

// Names lists them in the order of the alphabet.
func (p Payloads) Names() []string { return slices.Sorted(maps.Keys(p)) }

// Clone returns a copy that can be changed.
func (p Payloads) Clone() Payloads {
	clone := make(Payloads, len(p)+1)
	maps.Copy(clone, p)
	return clone
}

// Content is a payload that an expression asks for, such as a key. The error names similar ones.
func (p Payloads) Content(name string) ([]byte, error) {
	if found := p[name]; found != nil {
		return found.Bytes, nil
	}
	return nil, missing(name, p)
}

// Text is a payload that must be a text, such as a script.
func (p Payloads) Text(name string) (string, error) {
	content, err := p.Content(name)
	if err == nil && !utf8.Valid(content) {
		err = fmt.Errorf("payload %q is no text", name)
	}
	return string(content), err
}

func missing(name string, payloads Payloads) error {
	if near := problem.Closest(name, payloads.Names()); near != "" {
		return fmt.Errorf("payload %q was not given to the service (%s?)", name, near)
	}
	return fmt.Errorf("payload %q was not given to the service", name)
}

// mediaTypes are ours, not those of the machine, so that all answer alike.
var mediaTypes = map[string]string{".json": "application/json", ".xml": "application/xml", ".txt": "text/plain; charset=utf-8",
	".csv": "text/csv; charset=utf-8", ".html": "text/html; charset=utf-8", ".md": "text/markdown; charset=utf-8", ".yaml": "application/yaml",
	".pdf": "application/pdf", ".png": "image/png", ".jpg": "image/jpeg", ".svg": "image/svg+xml", ".zip": "application/zip", ".gz": "application/gzip"}

// MediaType follows from the ending of the name.
func (p *Payload) MediaType() string {
	ending := strings.ToLower(path.Ext(p.Name))
	if known := mediaTypes[ending]; known != "" {
		return known
	}
	return asBytes.contentType
}

func (p *Payload) kind() bodyKind {
	kind := bodyKind{contentType: p.MediaType()}
	switch base, _, _ := strings.Cut(kind.contentType, ";"); {
	case base == "application/json", strings.HasSuffix(base, "+json"):
		kind.tree = true
	case base == "application/xml", base == "text/xml", strings.HasSuffix(base, "+xml"), base == "text/html":
		kind.escape = escapeXML
	}
	return kind
}

// isText reports whether the payload is a text, in which expressions can stand.
func (p *Payload) isText() bool { return utf8.Valid(p.Bytes) }
