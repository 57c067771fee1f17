package openapi

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// scan looks through the whole document for what nothing else meets before a
// call does: references of schemas that lead nowhere, and limits that no value
// can keep.
func (r *reader) scan() {
	known := make(map[[2]int]bool)
	for _, w := range r.contract.Warnings {
		known[[2]int{w.Line, w.Col}] = true
	}
	for _, op := range r.contract.Operations {
		if op.Skipped != nil {
			known[[2]int{op.Skipped.Line, op.Skipped.Col}] = true
		}
	}
	s := &scanner{reader: r, known: known}
	s.visit = s.look
	s.walk(r.root, false)
}

// scanner walks through a document, but for what is data in it.
type scanner struct {
	*reader
	visit func(*tree.Node)
	known map[[2]int]bool // places that were reported already
	path  []string
}

func (s *scanner) walk(n *tree.Node, names bool) {
	switch n.Kind {
	case tree.List:
		for i, item := range n.Items {
			s.step(strconv.Itoa(i), item, false)
		}
	case tree.Map:
		if !names {
			s.visit(n)
		}
		for _, m := range n.Members {
			if names || !isData(m) && !strings.HasPrefix(m.Key, "x-") || m.Key == filesKey {
				s.step(m.Key, m.Value, !names && nameKeywords[m.Key])
			}
		}
	}
}

func (s *scanner) step(key string, n *tree.Node, names bool) {
	s.path = append(s.path, key)
	s.walk(n, names)
	s.path = s.path[:len(s.path)-1]
}

// at is where the walk is.
func (s *scanner) at() (pointer string) {
	for _, key := range s.path {
		pointer = tree.Join(pointer, key)
	}
	return pointer
}

func (s *scanner) look(n *tree.Node) {
	say := func(format string, args ...any) {
		if !s.known[[2]int{int(n.Line), int(n.Col)}] {
			s.warn(n, s.at(), format, args...)
		}
	}
	if ref := n.Get("$ref").Str(); ref != "" && !s.document.Has(ref) {
		say("%s", leads(ref, s.files))
	}
	for keyword, most := range largest {
		if least := n.Get(keyword); least != nil && least.Kind == tree.Number && tree.CompareNumbers(least.Text, strconv.Itoa(most)) > 0 {
			say("%s %s is more than is ever drawn (%d): answers will not obey it", keyword, least.Text, most)
		}
	}
	if fault := contradiction(n); fault != "" {
		say("no value can obey this schema: %s", fault)
	}
}

// largest is what data are drawn up to, by the keyword that can demand more.
var largest = map[string]int{"minItems": sample.MaxItems, "minProperties": sample.MaxItems, "minContains": sample.MaxItems, "minLength": sample.MaxLength}

// contradiction says which keywords of a schema exclude each other; "" when
// none do, as far as one schema by itself shows.
func contradiction(n *tree.Node) string {
	for _, pair := range [][2]string{
		{"minimum", "maximum"}, {"minLength", "maxLength"}, {"minItems", "maxItems"}, {"minProperties", "maxProperties"},
		{"exclusiveMinimum", "maximum"}, {"minimum", "exclusiveMaximum"}, {"minContains", "maxContains"},
	} {
		low, ok := n.Get(pair[0]).Float()
		high, both := n.Get(pair[1]).Float()
		excluded := strings.HasPrefix(pair[0], "exclusive") || strings.HasPrefix(pair[1], "exclusive")
		if ok && both && (low > high || excluded && low == high) {
			return fmt.Sprintf("%s %s leaves nothing below %s %s", pair[0], n.Get(pair[0]).Text, pair[1], n.Get(pair[1]).Text)
		}
	}
	if enum := n.Get("enum"); enum != nil && enum.Kind == tree.List {
		if len(enum.Items) == 0 {
			return "its enum is empty"
		}
		if n.Get("const") != nil && !slices.ContainsFunc(enum.Items, func(v *tree.Node) bool { return tree.Equal(v, n.Get("const")) }) {
			return "its const is not in its enum"
		}
	}
	if pattern := n.Get("pattern"); pattern.Str() != "" {
		if _, err := sample.CompilePattern(pattern.Text); err != nil {
			return fmt.Sprintf("its pattern %q is none: %v", pattern.Text, err)
		}
	}
	return ""
}
