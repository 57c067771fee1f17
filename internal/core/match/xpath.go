package match

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/antchfx/xpath"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// prefixed fits the prefixes of names in an XPath, but not its axes, and texts in quotes, which may look
// like them.
var prefixed = regexp.MustCompile(`"[^"]*"|'[^']*'|\b[A-Za-z_][\w.-]*:(?:\b|\*)`)

// withoutPrefixes is an XPath whose names have no prefixes.
func withoutPrefixes(path string) string {
	return prefixed.ReplaceAllStringFunc(path, func(found string) string {
		if found[0] == '"' || found[0] == '\'' {
			return found
		}
		return strings.TrimLeft(found[strings.IndexByte(found, ':')+1:], ":")
	})
}

// maxXPath bounds the length of an XPath, in characters.
const maxXPath = 4_000

func compileXPath(text string) (*xpath.Expr, error) {
	if len(text) > maxXPath {
		return nil, fmt.Errorf("%.20q… is longer than an XPath may be, %d characters", text, maxXPath)
	}
	path, err := xpath.Compile(withoutPrefixes(text))
	if err != nil {
		return nil, fmt.Errorf("%q is not an XPath such as //manifest: %w", text, err)
	}
	return path, nil
}

// evaluate finds values in a document. The error is that of the budget, or says
// what the XPath cannot do.
func evaluate(path *xpath.Expr, root *xmltree.Node, b *budget.Budget) (values []*tree.Node, err error) {
	defer func() { // the library has no errors: it panics, and so does our navigator
		switch fault := recover().(type) {
		case nil:
		case spent:
			values, err = nil, fault.error
		default:
			values, err = nil, fmt.Errorf("the XPath fails: %v", fault)
		}
	}()
	switch found := path.Evaluate(&navigator{document: &document{root, b}, attr: -1}).(type) {
	case *xpath.NodeIterator:
		for found.MoveNext() {
			values = append(values, tree.NewString(found.Current().Value()))
		}
	case string:
		values = append(values, tree.NewString(found))
	case float64:
		values = append(values, tree.NewNumber(strconv.FormatFloat(found, 'f', -1, 64)))
	case bool:
		if found { // an XPath that is true finds, one that is false does not
			values = append(values, tree.NewBool(true))
		}
	}
	return values, nil
}

// document is what an XPath is held against, with the budget of the call.
type document struct {
	root   *xmltree.Node
	budget *budget.Budget
}

// spent ends an evaluation whose budget is used up, by a panic.
type spent struct{ error }

func (d *document) spend(steps int) {
	if err := d.budget.Spend(steps); err != nil {
		panic(spent{err})
	}
}

// navigator shows an element tree to the XPath library, names without their
// namespaces. It stands on the document (node is nil), on an element, on the text
// of one or on an attribute of one.
type navigator struct {
	*document
	node *xmltree.Node
	text bool
	attr int // -1 for none
}

// NodeType implements xpath.NodeNavigator, as do all below.
func (n *navigator) NodeType() xpath.NodeType {
	switch {
	case n.node == nil:
		return xpath.RootNode
	case n.attr >= 0:
		return xpath.AttributeNode
	case n.text:
		return xpath.TextNode
	default:
		return xpath.ElementNode
	}
}

func (n *navigator) LocalName() string {
	switch {
	case n.node == nil || n.text:
		return ""
	case n.attr >= 0:
		return n.node.Attrs[n.attr].Name.Local
	default:
		return n.node.Name.Local
	}
}

func (n *navigator) Prefix() string { return "" }

// NamespaceURL is what the function namespace-uri gives.
func (n *navigator) NamespaceURL() string {
	switch {
	case n.node == nil || n.text:
		return ""
	case n.attr >= 0:
		return n.node.Attrs[n.attr].Name.Space
	default:
		return n.node.Name.Space
	}
}

func (n *navigator) Value() string {
	switch {
	case n.node == nil:
		return n.within(n.root)
	case n.attr >= 0:
		return n.node.Attrs[n.attr].Value
	case n.text:
		return n.node.Text
	default:
		return n.within(n.node)
	}
}

// within is the text of an element and of all below it.
func (n *navigator) within(e *xmltree.Node) string {
	if len(e.Children) == 0 {
		n.spend(1)
		return e.Text
	}
	var b strings.Builder
	n.collect(&b, e)
	return b.String()
}

func (n *navigator) collect(b *strings.Builder, e *xmltree.Node) {
	n.spend(1 + len(e.Text)/64)
	b.WriteString(e.Text)
	for _, c := range e.Children {
		n.collect(b, c)
	}
}

func (n *navigator) Copy() xpath.NodeNavigator {
	n.spend(1)
	copied := *n
	return &copied
}

func (n *navigator) stand(on *xmltree.Node) bool {
	n.spend(1)
	n.node, n.text, n.attr = on, false, -1
	return true
}

func (n *navigator) MoveToRoot() { n.stand(nil) }

func (n *navigator) MoveToParent() bool {
	switch {
	case n.node == nil:
		return false
	case n.attr >= 0 || n.text:
		return n.stand(n.node)
	case n.node == n.root:
		return n.stand(nil)
	default:
		return n.stand(n.node.Parent)
	}
}

func (n *navigator) MoveToNextAttribute() bool {
	if n.node == nil || n.text || n.attr+1 >= len(n.node.Attrs) {
		return false
	}
	n.spend(1)
	n.attr++
	return true
}

func (n *navigator) MoveToChild() bool {
	switch {
	case n.node == nil:
		return n.stand(n.root)
	case n.attr >= 0 || n.text:
		return false
	case n.node.Text != "":
		n.spend(1)
		n.text = true
		return true
	case len(n.node.Children) > 0:
		return n.stand(n.node.Children[0])
	default:
		return false
	}
}

func (n *navigator) MoveToFirst() bool {
	if n.node == nil || n.attr >= 0 {
		return false
	}
	return n.text || n.node == n.root || n.MoveToParent() && n.MoveToChild()
}

func (n *navigator) MoveToNext() bool {
	switch {
	case n.node == nil || n.attr >= 0:
		return false
	case n.text:
		return len(n.node.Children) > 0 && n.stand(n.node.Children[0])
	case n.node == n.root || n.node.Index+1 >= len(n.node.Parent.Children):
		return false
	default:
		return n.stand(n.node.Parent.Children[n.node.Index+1])
	}
}

func (n *navigator) MoveToPrevious() bool {
	switch {
	case n.node == nil || n.attr >= 0 || n.text || n.node == n.root:
		return false
	case n.node.Index > 0:
		return n.stand(n.node.Parent.Children[n.node.Index-1])
	case n.node.Parent.Text != "":
		n.stand(n.node.Parent)
		n.text = true
		return true
	default:
		return false
	}
}

func (n *navigator) MoveTo(other xpath.NodeNavigator) bool {
	from, ok := other.(*navigator)
	if !ok || from.root != n.root {
		return false
	}
	*n = *from
	return true
}
