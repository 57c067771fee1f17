package recording

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// mostWritten is the size, in bytes, up to which a body is compared by what it says; a
// larger one, or one that is no text, by its digest.
const mostWritten = 16 << 10

// body asks for the body of a call: for all that it says, save what differs each time.
func (a *ask) body(x Exchange, k *known) {
	if base := call.BaseType(x.Request.Get("Content-Type")); base == "multipart/related" {
		if root, _, err := call.Related(x.Request.Get("Content-Type"), x.Body); err == nil && call.IsXML(root.ContentType) { // whose parts are told by it
			x.Body = match.Plain(&call.Request{Header: call.Header{"Content-Type": x.Request["Content-Type"]}, Body: call.Body{Bytes: x.Body}})
			x.Request = call.Header{"Content-Type": {root.ContentType}}
		}
	}
	switch base := call.BaseType(x.Request.Get("Content-Type")); {
	case len(x.Body) == 0:
		if x.Method == "POST" || x.Method == "PUT" || x.Method == "PATCH" {
			a.conditions = append(a.conditions, spec.Condition{Text: true, Equals: tree.NewString("")})
		}
	case base == "application/x-www-form-urlencoded":
		a.fields(x, k)
	case strings.HasPrefix(base, "multipart/"):
		a.parts(x, k)
	case call.IsXML(base) && a.xml(x, k), a.json(x, k), a.xml(x, k):
	default:
		a.text(x)
	}
}

// text compares a body as it stands.
func (a *ask) text(x Exchange) {
	c := spec.Condition{Text: true}
	switch {
	case standIns.Match(x.Body):
		a.notes = append(a.notes, "the body is left out: it is no JSON, XML or form, and has a secret in it")
		return
	case len(x.Body) <= mostWritten && utf8.Valid(x.Body):
		c.Equals = tree.NewString(string(x.Body))
	default:
		c.Digest = plainDigest(x.Body)
	}
	a.conditions = append(a.conditions, c)
}

func plainDigest(value []byte) *string {
	sum := sha256.Sum256(value)
	digest := "sha256:" + hex.EncodeToString(sum[:])
	return &digest
}

// json compares a body of JSON. It reports false for any other.
func (a *ask) json(x Exchange, k *known) bool {
	n, err := tree.ParseJSON(x.Body)
	if err != nil {
		return false
	}
	j := valueWalk{ask: a, x: x, known: k}
	if j.walk("$", n); len(x.Body) > mostWritten && len(j.except) == 0 {
		a.text(x)
		return true
	}
	a.conditions = append(a.conditions, spec.Condition{Body: "$", Equals: n, Except: j.except})
	a.conditions = append(a.conditions, j.secrets...)
	return true
}

// valueWalk goes through the values of a body.
type valueWalk struct {
	*ask
	x       Exchange
	known   *known
	except  []string
	secrets []spec.Condition
}

// walk looks at a value. What does not count is emptied, so that what is compared is
// the same for all calls that ask for it.
func (j *valueWalk) walk(path string, n *tree.Node) {
	switch n.Kind {
	case tree.Map:
		for _, m := range n.Members {
			j.walk(jsonpath.Child(path, m.Key), m.Value)
		}
	case tree.List:
		for i, item := range n.Items {
			j.walk(path+"["+strconv.Itoa(i)+"]", item)
		}
	case tree.String, tree.Number:
		digest, found := secretIn(n.Text)
		switch {
		case digest != "":
			j.secrets = append(j.secrets, spec.Condition{Body: path, Digest: &digest})
		case found:
			j.notes = append(j.notes, path+" of the body is left out: "+lostSecret)
		case j.known.passing(n.Text, j.x):
			j.notes = append(j.notes, path+" of the body is left out: it differs each time")
		default:
			return
		}
		j.except = append(j.except, path)
		n.Kind, n.Text = tree.String, ""
	}
}

// fields compares a form.
func (a *ask) fields(x Exchange, k *known) {
	values, err := url.ParseQuery(string(x.Body))
	if err != nil {
		a.text(x)
		return
	}
	a.named("form", values, x, k, func(name string) spec.Condition { return spec.Condition{Form: name} })
}

// parts compares the parts of a multipart body, whose boundaries differ each time.
func (a *ask) parts(x Exchange, k *known) {
	values, err := call.Parts(x.Request.Get("Content-Type"), x.Body)
	if err != nil {
		a.text(x)
		return
	}
	a.named("part", values, x, k, func(name string) spec.Condition { return spec.Condition{Part: name} })
}

// named compares values that have names, and lets no others be there.
func (a *ask) named(kind string, values url.Values, x Exchange, k *known, condition func(name string) spec.Condition) {
	var except []string
	for _, name := range slices.Sorted(maps.Keys(values)) {
		for _, value := range values[name] {
			c := condition(name)
			ok := name != "" && !k.passing(value, x)
			if ok && (len(value) > mostWritten || !utf8.ValidString(value)) {
				c.Digest = plainDigest([]byte(value))
			} else if ok {
				c, ok = valued(c, value)
			}
			if ok {
				a.conditions = append(a.conditions, c)
				continue
			}
			except = append(except, name)
			a.notes = append(a.notes, kind+" "+name+" is left out: it differs each time, or holds a secret that nothing knows again")
		}
	}
	a.conditions = append(a.conditions, spec.Condition{Only: kind, Except: slices.Compact(except)})
}

// mostLeaves is how many texts and attributes of a document are compared one by one.
const mostLeaves = 200

// xml compares a document by its elements, whatever their prefixes; of an envelope what
// is in its body. It reports false for a body of anything else.
func (a *ask) xml(x Exchange, k *known) bool {
	root, err := xmltree.Parse(x.Body)
	if err != nil {
		return false
	}
	from, path := root, "/"+root.Name.Local
	if body := root.Child(root.Name.Space, "Body"); root.Name.Local == "Envelope" && body != nil {
		from, path = body, path+"/Body"
	}
	d := xmlBody{x: x, known: k}
	if d.walk(path, from); len(d.conditions) > mostLeaves {
		a.text(x)
		return true
	}
	a.conditions = append(append(a.conditions, d.conditions...),
		spec.Condition{XML: "count(" + path + "//*)", Equals: tree.NewNumber(strconv.Itoa(d.elements))})
	a.notes = append(a.notes, d.notes...)
	return true
}

// xmlBody goes through the elements of a document.
type xmlBody struct {
	x          Exchange
	known      *known
	conditions []spec.Condition
	notes      []string
	elements   int // below the first
}

func (d *xmlBody) walk(path string, n *xmltree.Node) {
	for _, attribute := range n.Attrs {
		d.value(path+"/@"+attribute.Name.Local, attribute.Value)
	}
	if len(n.Children) == 0 {
		d.value(path, strings.TrimSpace(n.Text))
		return
	}
	count, nth := make(map[string]int), make(map[string]int)
	for _, c := range n.Children {
		count[c.Name.Local]++
	}
	for _, c := range n.Children {
		here := path + "/" + c.Name.Local
		if nth[c.Name.Local]++; count[c.Name.Local] > 1 {
			here = fmt.Sprintf("%s[%d]", here, nth[c.Name.Local])
		}
		d.elements++
		d.walk(here, c)
	}
}

func (d *xmlBody) value(path, value string) {
	c, ok := spec.Condition{XML: path}, true
	switch {
	case d.known.passing(value, d.x):
		d.notes = append(d.notes, path+" of the body is left out: it differs each time")
		return
	case value == "": // nothing to compare: it is there
		there := true
		c.Present = &there
	default:
		if c, ok = valued(c, value); !ok {
			d.notes = append(d.notes, path+" of the body is left out: "+lostSecret)
			return
		}
	}
	d.conditions = append(d.conditions, c)
}
