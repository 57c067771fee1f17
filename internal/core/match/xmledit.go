package match

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/antchfx/xpath"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/xmltree"
)

// XMLStep is one step of an edit of XML.
type XMLStep struct {
	// Op is replace, remove, add, or test.
	Op string
	// Path is an XPath of the elements or attributes that it is about.
	Path string
	// Value is the text that replaces what is in them, or that is expected there; for add it is XML that
	// comes at the end of what is in them.
	Value string
}

// ErrTest is the error of a test that does not hold.
var ErrTest = errors.New("the test does not hold")

// EditXML edits a document and leaves all else as it stands. The error is ErrTest, that of the budget, or
// says what cannot be done.
func EditXML(text []byte, steps []XMLStep, b *budget.Budget) ([]byte, error) {
	for _, step := range steps {
		var err error
		if text, err = step.apply(text, b); err != nil {
			return nil, err
		}
	}
	return text, nil
}

// place is where an element or an attribute stands in a document.
type place struct {
	node *xmltree.Node
	attr int // -1 for the element
}

func (s XMLStep) apply(text []byte, b *budget.Budget) ([]byte, error) {
	path, err := compileXPath(s.Path)
	if err != nil {
		return nil, err
	}
	if err := b.Spend(len(text) / bytesPerStep); err != nil {
		return nil, err
	}
	root, err := xmltree.ParseWithin(text, budget.MaxValues)
	if err != nil {
		return nil, err
	}
	if plain, err := xmltree.UTF8(text); err != nil || len(plain) != len(text) {
		return nil, errors.New("the document is in another encoding than UTF-8")
	}
	found, err := places(path, root, b)
	if err != nil {
		return nil, err
	}
	if len(found) == 0 {
		if s.Op == "test" {
			return nil, fmt.Errorf("%w: %s finds nothing", ErrTest, s.Path)
		}
		return nil, fmt.Errorf("%s finds nothing", s.Path)
	}
	var changes []splice
	for _, at := range found {
		change, err := s.at(text, at)
		if err != nil {
			return nil, err
		}
		changes = append(changes, change)
	}
	if s.Op == "test" {
		return text, nil
	}
	return spliced(text, changes), nil
}

// splice is a part of a document with what takes its place.
type splice struct {
	from, to int
	with     []byte
}

// spliced is a document with changes, of which those within others are swallowed by these.
func spliced(text []byte, changes []splice) []byte {
	slices.SortStableFunc(changes, func(a, b splice) int { return cmp.Or(a.from-b.from, b.to-a.to) })
	var out []byte
	done := 0
	for _, c := range changes {
		if c.from < done {
			continue
		}
		out = append(append(out, text[done:c.from]...), c.with...)
		done = c.to
	}
	return append(out, text[done:]...)
}

// at is what the step changes at one place.
func (s XMLStep) at(text []byte, at place) (change splice, err error) {
	n := at.node
	if at.attr >= 0 {
		return s.atAttribute(text, n, n.Attrs[at.attr])
	}
	switch s.Op {
	case "test":
		if strings.TrimSpace(n.Text) != s.Value || len(n.Children) > 0 {
			return change, fmt.Errorf("%w: %s is %q", ErrTest, s.Path, strings.TrimSpace(n.Text))
		}
		return change, nil
	case "remove":
		if n.Parent == nil {
			return change, errors.New("the root of a document cannot be removed")
		}
		return splice{n.Start, n.After, nil}, nil
	}
	inner := xmltree.Escape(s.Value)
	if s.Op == "add" {
		inner = []byte(s.Value)
		if _, err := xmltree.Parse(slices.Concat([]byte("<all>"), inner, []byte("</all>"))); err != nil {
			return change, fmt.Errorf("what is added is no XML: %w", err)
		}
	}
	switch open := text[n.Start:n.End]; {
	case bytes.HasSuffix(open, []byte("/>")): // it gets something to hold
		return splice{n.Start, n.After, slices.Concat(open[:len(open)-2], []byte(">"), inner, []byte("</"), tagName.Find(open[1:]), []byte(">"))}, nil
	case s.Op == "add":
		return splice{n.Close, n.Close, inner}, nil
	default:
		return splice{n.End, n.Close, inner}, nil
	}
}

var tagName = regexp.MustCompile(`^[^\s/>]+`)

// attributes fits those of a tag: the name and the value, in its quotes.
var attributes = regexp.MustCompile(`\s+([^\s"'=<>/]+)\s*=\s*("[^"]*"|'[^']*')`)

func localOf(name []byte) []byte { return name[bytes.IndexByte(name, ':')+1:] }

func (s XMLStep) atAttribute(text []byte, n *xmltree.Node, a xmltree.Attr) (change splice, err error) {
	switch {
	case s.Op == "test" && a.Value != s.Value:
		return change, fmt.Errorf("%w: %s is %q", ErrTest, s.Path, a.Value)
	case s.Op == "test":
		return change, nil
	case s.Op == "add":
		return change, errors.New("nothing is added to an attribute; replace changes it")
	}
	var written []int
	for _, one := range attributes.FindAllSubmatchIndex(text[n.Start:n.End], -1) {
		if string(localOf(text[n.Start+one[2]:n.Start+one[3]])) == a.Name.Local {
			written = one
			break
		}
	}
	if written == nil {
		return change, fmt.Errorf("%s is not found where it was", s.Path)
	}
	if s.Op == "remove" {
		return splice{n.Start + written[0], n.Start + written[1], nil}, nil
	}
	return splice{n.Start + written[4], n.Start + written[5], slices.Concat([]byte(`"`), xmltree.Escape(s.Value), []byte(`"`))}, nil
}

// places are the elements and attributes that an XPath finds, each once.
func places(path *xpath.Expr, root *xmltree.Node, b *budget.Budget) (found []place, err error) {
	defer func() { // as in evaluate
		switch fault := recover().(type) {
		case nil:
		case spent:
			found, err = nil, fault.error
		default:
			found, err = nil, fmt.Errorf("the XPath fails: %v", fault)
		}
	}()
	nodes, ok := path.Evaluate(&navigator{document: &document{root, b}, attr: -1}).(*xpath.NodeIterator)
	if !ok {
		return nil, fmt.Errorf("%s finds no elements or attributes", path)
	}
	known := make(map[place]bool)
	for nodes.MoveNext() {
		at, is := nodes.Current().(*navigator)
		if !is || at.node == nil {
			continue
		}
		if one := (place{at.node, at.attr}); !known[one] {
			known[one] = true
			found = append(found, one)
		}
	}
	return found, nil
}
