package match

import (
	"errors"
	"fmt"
	"iter"
	"mime"
	"net/url"
	"strings"

	"github.com/antchfx/xpath"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Facts is a call as conditions, expressions and answers look at it. What is
// decoded of it is decoded once, when it is first asked for, within the budget of
// the call. It belongs to one call.
type Facts struct {
	Request *call.Request
	// Operation is what the message asks for, where that tells operations apart.
	Operation string
	// Budget is what the call has left; nil stands for no bound.
	Budget *budget.Budget
	// Hide takes secrets out of what is told of a condition that does not hold; nil
	// leaves them.
	Hide func(*call.Request, *call.Finding)
	// StandIn is the digest of a secret under the environment's key; nil where there is
	// none, and no secret is known again.
	StandIn func(secret string) string
	// Noise reports whether a query parameter says only when or how the call came; nil
	// where none does.
	Noise func(parameter string) bool

	queries, fields, multipart, asked url.Values
	text                              []*tree.Node
	decoded                           decoded[[]byte]
	json                              decoded[*tree.Node]
	xml                               decoded[*xmltree.Node]
	value                             decoded[*tree.Node]
	found                             map[string][]*tree.Node // by the text of a path
}

// decoded is a body in one notation.
type decoded[T any] struct {
	known bool
	value T
	err   error
}

func (d *decoded[T]) get(decode func() (T, error)) (T, error) {
	if !d.known {
		d.known = true
		d.value, d.err = decode()
	}
	return d.value, d.err
}

// bytesPerStep is how many bytes are decoded for a step of the budget.
const bytesPerStep = 10

var errNotWhole = errors.New("the body was not held whole")

// Plain is the body of a call as it is read: without its content coding; brought to UTF-8 where it is XML
// of another charset by its media type; of a message with attachments the message itself, in which those
// stand that it includes. It is the body as it is where that cannot be done.
func Plain(r *call.Request) []byte { return plainOf(r.Header.Get("Content-Type"), Uncoded(r)) }

// PlainAnswer is Plain for the body of an answer, which has no content coding any more.
func PlainAnswer(a *call.Answer) []byte { return plainOf(a.Get("Content-Type"), a.Body) }

func plainOf(contentType string, body []byte) []byte {
	if call.BaseType(contentType) == "multipart/related" {
		if message, ok := unpacked(contentType, body); ok {
			return message
		}
	}
	if !strings.Contains(contentType, "charset") || !strings.Contains(contentType, "xml") {
		return body
	}
	if _, params, err := mime.ParseMediaType(contentType); err == nil {
		if utf8, err := xmltree.InCharset(body, params["charset"]); err == nil {
			body = utf8
		}
	}
	return body
}

// Uncoded is the body of a call without its content coding.
func Uncoded(r *call.Request) []byte {
	if name := coding.Name(r.Header.Get("Content-Encoding")); name != "" && len(r.Body.Bytes) > 0 {
		if plain, ok := coding.Decode(name, r.Body.Bytes, mostPlain); ok {
			return plain
		}
	}
	return r.Body.Bytes
}

// mostPlain bounds what a body may hold without its coding, in bytes.
const mostPlain = 32 << 20

// Plain is the body without its coding, worked out once: see the function Plain.
func (f *Facts) Plain() []byte {
	body, _ := f.decoded.get(func() ([]byte, error) { return Plain(f.Request), nil })
	return body
}

// JSON is the body as JSON. The error says why it is none.
func (f *Facts) JSON() (*tree.Node, error) {
	return f.json.get(func() (*tree.Node, error) {
		if f.Request.Body.Truncated {
			return nil, errNotWhole
		}
		if err := f.Budget.Spend(len(f.Plain()) / bytesPerStep); err != nil {
			return nil, err
		}
		n, err := tree.ParseJSONWithin(f.Plain(), budget.MaxValues)
		return n, f.tooLarge(err)
	})
}

// XML is the body as XML. The error says why it is none.
func (f *Facts) XML() (*xmltree.Node, error) {
	return f.xml.get(func() (*xmltree.Node, error) {
		if f.Request.Body.Truncated {
			return nil, errNotWhole
		}
		if err := f.Budget.Spend(len(f.Plain()) / bytesPerStep); err != nil {
			return nil, err
		}
		n, err := xmltree.ParseWithin(f.Plain(), budget.MaxValues)
		return n, f.tooLarge(err)
	})
}

// tooLarge notes that a body has more values than the call may have.
func (f *Facts) tooLarge(err error) error {
	if errors.Is(err, tree.ErrTooLarge) || errors.Is(err, xmltree.ErrTooLarge) {
		return f.Budget.Fail(budget.TooManyValues())
	}
	return err
}

// Body is the body as expressions see it: JSON, or XML by its local names, an
// envelope by what is in its Body; nil for anything else.
func (f *Facts) Body() *tree.Node {
	n, _ := f.value.get(func() (*tree.Node, error) {
		if len(f.Plain()) == 0 {
			return nil, nil
		}
		if n, err := f.JSON(); err == nil || f.Budget.Err() != nil {
			return n, err
		}
		root, err := f.XML()
		if err != nil {
			return nil, err
		}
		return messageValue(root), nil
	})
	return n
}

func (f *Facts) query() url.Values {
	if f.queries == nil {
		f.queries, _ = url.ParseQuery(f.Request.Query) // what can be read counts
	}
	return f.queries
}

func (f *Facts) form() url.Values {
	if f.fields == nil {
		f.fields, _ = url.ParseQuery(string(f.Plain()))
	}
	return f.fields
}

// bodyText is the body as a text.
func (f *Facts) bodyText() []*tree.Node {
	if f.text == nil {
		f.text = texts([]string{string(f.Plain())})
	}
	return f.text
}

// parts are those of a multipart body by their names.
func (f *Facts) parts() url.Values {
	if f.multipart == nil {
		var err error
		if f.multipart, err = call.Parts(strings.Join(f.Request.Header["Content-Type"], ""), Uncoded(f.Request)); err != nil {
			f.multipart = url.Values{}
		}
	}
	return f.multipart
}

// part are the values of one part by its name, or by what a Content-ID has before =, where attachments of
// SOAP have it: IsPart.
func (f *Facts) part(name string) (values []string) {
	if values = f.parts()[name]; values != nil {
		return values
	}
	for id, content := range f.parts() {
		if IsPart(id, name) {
			values = append(values, content...)
		}
	}
	return values
}

// IsPart reports whether a Content-ID is that of a part of a message: sketch=4711@harbour is of sketch
// (WS-I Attachments Profile 1.0, R2933).
func IsPart(id, part string) bool {
	of, _, attached := strings.Cut(id, "=")
	return attached && of == part
}

func (f *Facts) graphQL() url.Values {
	if f.asked == nil {
		f.asked = f.readGraphQL()
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

// findJSON finds values in the body by a JSONPath; the same one is held against it
// once.
func (f *Facts) findJSON(path *jsonpath.Path) []*tree.Node {
	return f.once("json "+path.String(), func() []*tree.Node {
		root, err := f.JSON()
		if err != nil {
			return nil
		}
		found, _ := path.Find(root, f.Budget) // the budget tells that it ended
		return found
	})
}

// findXML finds values in the body by an XPath, likewise.
func (f *Facts) findXML(text string, path *xpath.Expr) []*tree.Node {
	return f.once("xml "+text, func() []*tree.Node {
		root, err := f.XML()
		if err != nil {
			return nil
		}
		found, _ := evaluate(path, root, f.Budget) // likewise; what an XPath cannot do finds nothing
		return found
	})
}

func (f *Facts) once(key string, find func() []*tree.Node) []*tree.Node {
	found, known := f.found[key]
	if !known {
		if f.found == nil {
			f.found = make(map[string][]*tree.Node)
		}
		found = find()
		f.found[key] = found
	}
	return found
}

// FindJSON finds values by a JSONPath (RFC 9535).
func FindJSON(root *tree.Node, path string, b *budget.Budget) ([]*tree.Node, error) {
	compiled, err := jsonpath.Compile(path)
	if err != nil {
		return nil, fmt.Errorf("%q is not a JSONPath such as $.vessel.name: %w", path, err)
	}
	return compiled.Find(root, b)
}

// FindXML finds texts in an XML document by an XPath, whose prefixes do not
// matter.
func FindXML(document, path string, b *budget.Budget) (texts []string, err error) {
	compiled, err := compileXPath(path)
	if err != nil {
		return nil, err
	}
	if err := b.Spend(len(document) / 10); err != nil {
		return nil, err
	}
	root, err := xmltree.ParseWithin([]byte(document), budget.MaxValues)
	if err != nil {
		return nil, fmt.Errorf("the text is not XML: %w", err)
	}
	found, err := evaluate(compiled, root, b)
	for _, n := range found {
		texts = append(texts, n.Text)
	}
	return texts, err
}

// messageValue is a document of XML as expressions see it.
func messageValue(root *xmltree.Node) *tree.Node {
	if body := root.Child(root.Name.Space, "Body"); root.Name.Local == "Envelope" && body != nil {
		return xmlValue(body)
	}
	return tree.NewMap(tree.Member{Key: root.Name.Local, Value: xmlValue(root)})
}

// xmlValue is an element as a value: a text, or an object of its attributes and
// children, of which those with one name are a list.
func xmlValue(n *xmltree.Node) *tree.Node {
	if len(n.Children) == 0 && len(n.Attrs) == 0 {
		return tree.NewString(n.Text)
	}
	var members []tree.Member
	at := make(map[string]int, len(n.Children)) // where the children with a name stand
	for _, a := range n.Attrs {
		members = append(members, tree.Member{Key: a.Name.Local, Value: tree.NewString(a.Value)})
		at[a.Name.Local] = len(members) - 1
	}
	if len(n.Children) == 0 {
		members = append(members, tree.Member{Key: "text", Value: tree.NewString(n.Text)})
	}
	for _, c := range n.Children {
		value := xmlValue(c)
		i, known := at[c.Name.Local]
		switch {
		case !known:
			at[c.Name.Local] = len(members)
			members = append(members, tree.Member{Key: c.Name.Local, Value: value})
		case members[i].Value.Kind == tree.List:
			members[i].Value.Items = append(members[i].Value.Items, value)
		default:
			members[i].Value = tree.NewList(members[i].Value, value)
		}
	}
	return tree.NewMap(members...)
}
