package tree

import (
	"bytes"
	"fmt"
	"regexp"
	"unsafe"
)

// Limits of what is read. They bound the work that a hostile document can
// cause: nesting exhausts the stack, aliases multiply a small text.
const (
	MaxDepth = 500
	// MaxAliasNodes bounds the nodes that aliases add to what is written.
	MaxAliasNodes = 1_000_000
)

// SyntaxError says where a text stops being JSON or YAML, and why.
type SyntaxError struct {
	Line, Col int
	Detail    string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Col, e.Detail)
}

var byteOrderMark = []byte("\xef\xbb\xbf")

// Parse reads a document in JSON or YAML, whichever it is. A text that begins
// with `{` or `[` is tried as JSON, and as YAML when it is not JSON, since
// YAML's flow style begins the same way; one that begins with `{"` is meant as
// JSON and nothing else. An empty text gives a Null node. The error is a
// *SyntaxError.
func Parse(text []byte) (*Node, error) { return parse(text, ParseJSON) }

// ParseKept is Parse for a text that nobody changes any more: what is read shares its memory.
func ParseKept(text []byte) (*Node, error) {
	return parse(text, func(text []byte) (*Node, error) {
		return parseJSON(unsafe.String(unsafe.SliceData(text), len(text)), mostValues(text))
	})
}

func parse(text []byte, asJSON func([]byte) (*Node, error)) (*Node, error) {
	text = bytes.TrimPrefix(text, byteOrderMark)
	if !startsLikeJSON(text) {
		return parseYAML(text)
	}
	n, jsonErr := asJSON(text)
	if jsonErr == nil {
		return n, nil
	}
	if isObject.Match(text) {
		return nil, jsonErr
	}
	if n, err := parseYAML(text); err == nil {
		return n, nil
	}
	return nil, jsonErr
}

// isObject fits the beginning of a JSON object with a key.
var isObject = regexp.MustCompile(`^\s*\{\s*"`)

// startsLikeJSON reports whether text is first tried as JSON.
func startsLikeJSON(text []byte) bool {
	text = bytes.TrimLeft(text, " \t\r\n")
	return len(text) > 0 && (text[0] == '{' || text[0] == '[')
}
