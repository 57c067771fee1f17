package tree

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// parts are the characters of which YAML needs at least one for each value.
var parts = []byte("\n:,[]{}-?")

func parseYAML(text []byte) (*Node, error) {
	count := 0
	for piece := range slices.Chunk(text, 256<<10) { // others are offered the processor in between
		for _, c := range parts {
			count += bytes.Count(piece, []byte{c})
		}
		runtime.Gosched()
	}
	if count > max(2*leastValues, len(text)/5) { // before the library takes far more for each
		return nil, ErrTooLarge
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, yamlSyntax(err, text)
	}
	if len(doc.Content) == 0 {
		return &Node{Line: 1, Col: 1}, nil
	}
	c := &yamlConverter{}
	return c.node(doc.Content[0], 0)
}

func yamlSyntax(err error, text []byte) error {
	var load *yaml.LoadError
	if !errors.As(err, &load) {
		return &SyntaxError{1, 1, strings.TrimPrefix(err.Error(), "yaml: ")}
	}
	e := &SyntaxError{load.Mark.Line, load.Mark.Column, load.Message}
	if e.Line == 0 {
		e.Line, e.Col = 1, 1
	}
	if lines := bytes.Split(text, []byte("\n")); e.Line <= len(lines) && bytes.HasPrefix(bytes.TrimLeft(lines[e.Line-1], " "), []byte("\t")) {
		e.Detail = "a tab cannot indent YAML; use spaces"
		return e
	}
	if load.ContextMsg != "" && load.ContextMark.Line > 0 {
		e.Detail += fmt.Sprintf(" (%s that began in line %d)", load.ContextMsg, load.ContextMark.Line)
	}
	return e
}

// yamlConverter turns the library's nodes into ours: aliases expanded within a
// budget, merge keys carried out, scalars resolved by YAML 1.2.
type yamlConverter struct {
	aliased int // nodes that came from aliases so far
	inAlias int // how many aliases are open
}

func (c *yamlConverter) node(y *yaml.Node, depth int) (*Node, error) {
	n := &Node{Line: int32(y.Line), Col: int32(y.Column)}
	if depth > MaxDepth {
		return nil, &SyntaxError{y.Line, y.Column, fmt.Sprintf("nested deeper than %d levels", MaxDepth)}
	}
	if c.inAlias > 0 {
		if c.aliased++; c.aliased > MaxAliasNodes {
			return nil, &SyntaxError{y.Line, y.Column, fmt.Sprintf("aliases add more than %d values", MaxAliasNodes)}
		}
	}
	switch y.Kind {
	case yaml.AliasNode:
		c.inAlias++
		defer func() { c.inAlias-- }()
		return c.node(y.Alias, depth+1)
	case yaml.SequenceNode:
		n.Kind = List
		for _, item := range y.Content {
			child, err := c.node(item, depth+1)
			if err != nil {
				return nil, err
			}
			n.Items = append(n.Items, child)
		}
	case yaml.MappingNode:
		return n, c.mapping(n, y, depth)
	default:
		n.Kind, n.Text = scalar(y)
	}
	return n, nil
}

func (c *yamlConverter) mapping(n *Node, y *yaml.Node, depth int) error {
	n.Kind = Map
	var merged []Member
	for i := 0; i+1 < len(y.Content); i += 2 {
		key := y.Content[i]
		value, err := c.node(y.Content[i+1], depth+1)
		if err != nil {
			return err
		}
		if key.Kind == yaml.ScalarNode && key.Value == "<<" && key.Style == 0 {
			merged = append(merged, mergeMembers(value)...)
			continue
		}
		if key.Kind == yaml.AliasNode {
			key = key.Alias
		}
		if key.Kind != yaml.ScalarNode {
			return &SyntaxError{key.Line, key.Column, "a key must be plain text"}
		}
		n.Members = append(n.Members, Member{Key: key.Value, Line: int32(key.Line), Col: int32(key.Column), Value: value})
	}
	n.Members = lastOfEach(n.Members)
	if len(merged) > 0 {
		n.merge(merged)
	}
	n.seal()
	return nil
}

// merge adds the members of a merge key; what is written beside it wins.
func (n *Node) merge(merged []Member) {
	own := make(map[string]bool, len(n.Members))
	for _, m := range n.Members {
		own[m.Key] = true
	}
	merged = slices.DeleteFunc(slices.Clone(merged), func(m Member) bool { return own[m.Key] })
	n.Members = lastOfEach(append(n.Members, merged...))
}

func mergeMembers(value *Node) []Member {
	if value.Kind != List {
		return value.Members
	}
	var all []Member
	for _, item := range value.Items {
		all = append(all, item.Members...)
	}
	return all
}

// jsonNumber is the grammar of RFC 8259: what it admits keeps its digits.
var jsonNumber = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?$`)

// scalar resolves a YAML scalar by the core schema of YAML 1.2, with one
// difference: digits that JSON could not write (01234) stay text, since they
// are nearly always codes.
func scalar(y *yaml.Node) (Kind, string) {
	const quoted = yaml.SingleQuotedStyle | yaml.DoubleQuotedStyle | yaml.LiteralStyle | yaml.FoldedStyle
	if y.Style&quoted != 0 || y.Tag == "!!str" && y.Style&yaml.TaggedStyle != 0 {
		return String, y.Value
	}
	switch v := y.Value; v {
	case "", "~", "null", "Null", "NULL":
		return Null, ""
	case "true", "True", "TRUE":
		return Bool, "true"
	case "false", "False", "FALSE":
		return Bool, "false"
	default:
		if jsonNumber.MatchString(v) {
			return Number, v
		}
		if strings.HasPrefix(v, "0x") || strings.HasPrefix(v, "0o") {
			if i, err := strconv.ParseInt(v, 0, 64); err == nil {
				return Number, strconv.FormatInt(i, 10)
			}
		}
		return String, v
	}
}

// YAML writes n as YAML that Parse reads back to the same tree.
func (n *Node) YAML() ([]byte, error) {
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(n.toYAML()); err != nil {
		return nil, fmt.Errorf("write YAML: %w", err)
	}
	return b.Bytes(), enc.Close()
}

func (n *Node) toYAML() *yaml.Node {
	switch n.Kind {
	case Map:
		y := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
		for _, m := range n.Members {
			y.Content = append(y.Content, NewString(m.Key).toYAML(), m.Value.toYAML())
		}
		return y
	case List:
		y := &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq"}
		for _, item := range n.Items {
			y.Content = append(y.Content, item.toYAML())
		}
		return y
	case String:
		return yamlString(n.Text)
	case Null:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!null", Value: "null"}
	case Bool:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: n.Text}
	default:
		return &yaml.Node{Kind: yaml.ScalarNode, Value: n.Text}
	}
}

// otherBreaks end a line for readers of YAML 1.1, so they are escaped: a block of lines
// with one of them in it does not come back as it was.
const otherBreaks = "\r\u0085\u2028\u2029"

// yamlString quotes what our own reader, or a YAML 1.1 reader, would not take
// for text.
func yamlString(s string) *yaml.Node {
	y := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: s}
	plain := &yaml.Node{Value: s}
	if kind, _ := scalar(plain); kind != String || s == "<<" || strings.ContainsAny(s, otherBreaks) {
		y.Style = yaml.DoubleQuotedStyle
	} else if strings.Contains(s, "\n") {
		y.Style = yaml.LiteralStyle
	}
	return y
}

// From turns any Go value into a tree by way of its JSON form.
func From(v any) (*Node, error) {
	text, err := json.Marshal(v)
	if err != nil {
		return nil, fmt.Errorf("write JSON: %w", err)
	}
	return ParseJSON(text)
}
