package match

import (
	"bytes"
	"fmt"
	"iter"
	"net/url"
	"strconv"
	"strings"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"
	"github.com/ohler55/ojg/jp"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/expr"
	"rapidmimic/internal/core/xmltree"
	"rapidmimic/spec/tree"
)

// Facts is a call as conditions look at it. What is decoded is decoded once. It
// belongs to one call.
type Facts struct {
	Request *call.Request
	// Operation is what the message asks for, where that tells operations apart.
	Operation string
	// Scope gives what expressions see.
	Scope func() *expr.Scope

	queries, fields, multipart, asked url.Values
	decoded                           any
	document                          *xmlquery.Node
	jsonRead, read                    bool
}

func (f *Facts) query() url.Values {
	if f.queries == nil {
		f.queries, _ = url.ParseQuery(f.Request.Query) // what can be read counts
	}
	return f.queries
}

func (f *Facts) form() url.Values {
	if f.fields == nil {
		f.fields, _ = url.ParseQuery(string(f.Request.Body.Bytes))
	}
	return f.fields
}

// parts are those of a multipart body by their names.
func (f *Facts) parts() url.Values {
	if f.multipart == nil {
		var err error
		if f.multipart, err = call.Parts(strings.Join(f.Request.Header["Content-Type"], ""), f.Request.Body.Bytes); err != nil {
			f.multipart = url.Values{}
		}
	}
	return f.multipart
}

func (f *Facts) graphQL() url.Values {
	if f.asked == nil {
		f.asked = readGraphQL(f.Request, f.query())
	}
	return f.asked
}

func (f *Facts) cookies(name string) (values []string) {
	for key, value := range Cookies(f.Request) {
		if key == name {
			values = append(values, value)
		}
	}
	return values
}

// Cookies goes through the cookies of a call in their order.
func Cookies(r *call.Request) iter.Seq2[string, string] {
	return func(yield func(string, string) bool) {
		for _, line := range r.Header["Cookie"] {
			for pair := range strings.SplitSeq(line, ";") {
				key, value, _ := strings.Cut(strings.TrimSpace(pair), "=")
				if key != "" && !yield(key, value) {
					return
				}
			}
		}
	}
}

func (f *Facts) json(path jp.Expr) (values []*tree.Node) {
	if !f.jsonRead {
		f.jsonRead = true
		if n, err := tree.ParseJSON(f.Request.Body.Bytes); err == nil {
			f.decoded = expr.Plain(n)
		}
	}
	if f.decoded == nil {
		return nil
	}
	return found(path, f.decoded)
}

func found(path jp.Expr, in any) (values []*tree.Node) {
	for _, value := range path.Get(in) {
		if n, err := tree.From(value); err == nil {
			values = append(values, n)
		}
	}
	return values
}

// FindJSON finds values by a JSONPath (RFC 9535).
func FindJSON(root *tree.Node, path string) ([]*tree.Node, error) {
	compiled, err := jp.ParseString(path)
	if err != nil {
		return nil, fmt.Errorf("%q is not a JSONPath such as $.vessel.name: %w", path, err)
	}
	return found(compiled, expr.Plain(root)), nil
}

// FindXML finds texts in an XML document by an XPath, whose prefixes do not
// matter.
func FindXML(document, path string) (texts []string, err error) {
	compiled, err := compileXPath(path)
	if err != nil {
		return nil, err
	}
	root, err := xmltree.Parse([]byte(document))
	if err != nil {
		return nil, fmt.Errorf("the text is not XML: %w", err)
	}
	parsed, err := xmlquery.Parse(bytes.NewReader(root.Bare()))
	if err != nil {
		return nil, fmt.Errorf("the text is not XML: %w", err)
	}
	for _, n := range evaluate(compiled, parsed) {
		texts = append(texts, n.Text)
	}
	return texts, nil
}

func (f *Facts) xml(path *xpath.Expr) (values []*tree.Node) {
	if !f.read {
		f.read = true
		if root, err := xmltree.Parse(f.Request.Body.Bytes); err == nil {
			f.document, _ = xmlquery.Parse(bytes.NewReader(root.Bare())) // written by ourselves
		}
	}
	if f.document == nil {
		return nil
	}
	return evaluate(path, f.document)
}

func evaluate(path *xpath.Expr, document *xmlquery.Node) (values []*tree.Node) {
	switch found := path.Evaluate(xmlquery.CreateXPathNavigator(document)).(type) {
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
	return values
}
