package match

import (
	"bytes"
	"fmt"
	"net/netip"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"
	"github.com/ohler55/ojg/jp"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/expr"
	"rapidmimic/internal/core/xmltree"
	"rapidmimic/spec"
	"rapidmimic/spec/problem"
	"rapidmimic/spec/tree"
)

// Conditions are what a mapping asks of a call beside method and path. They are
// immutable.
type Conditions struct {
	all   []condition
	when  *expr.Program // nil when there is none
	count int
}

// Count is how many conditions there are; groups count as one.
func (c *Conditions) Count() int {
	if c == nil {
		return 0
	}
	return c.count
}

// condition is one condition, compiled.
type condition struct {
	subject string // as people read it: "query season"
	values  func(*Facts) []*tree.Node
	test    func([]*tree.Node) (ok bool, expected string)
	// group is set instead of values and test.
	group []condition
	kind  string // any, all or none
}

// CompileConditions compiles what a pattern asks. The fault names the place.
func CompileConditions(p spec.Pattern) (*Conditions, *problem.Item) {
	if len(p.Where) == 0 && p.If == "" {
		return nil, nil
	}
	all, fault := compileAll(p.Where, "/call/where")
	if fault != nil {
		return nil, fault
	}
	c := &Conditions{all: all, count: len(all)}
	if p.If != "" {
		c.count++
		program, err := expr.Compile(p.If)
		if err != nil {
			return nil, &problem.Item{At: "/call/if", Detail: err.Error()}
		}
		c.when = program
	}
	return c, nil
}

func compileAll(list []spec.Condition, at string) ([]condition, *problem.Item) {
	var all []condition
	for i, s := range list {
		c, fault := compile(s, at+"/"+strconv.Itoa(i))
		if fault != nil {
			return nil, fault
		}
		all = append(all, c)
	}
	return all, nil
}

func compile(s spec.Condition, at string) (condition, *problem.Item) {
	for kind, list := range map[string][]spec.Condition{"all": s.All, "any": s.Any, "none": s.None} {
		if list != nil {
			group, fault := compileAll(list, at+"/"+kind)
			return condition{kind: kind, group: group, subject: kind + " of " + strconv.Itoa(len(list))}, fault
		}
	}
	c, err := subjectOf(s)
	if err == nil && s.Caller == "" {
		c.test, err = testOf(s)
	}
	if err != nil {
		return c, &problem.Item{At: at, Detail: err.Error()}
	}
	return c, nil
}

// subjectOf finds the part of a call that a condition looks at.
func subjectOf(s spec.Condition) (condition, error) {
	switch {
	case s.Query != "":
		return condition{subject: "query " + s.Query, values: func(f *Facts) []*tree.Node { return texts(f.query()[s.Query]) }}, nil
	case s.Header != "":
		return condition{subject: "header " + s.Header, values: func(f *Facts) []*tree.Node { return texts(f.Request.Header.Values(s.Header)) }}, nil
	case s.Cookie != "":
		return condition{subject: "cookie " + s.Cookie, values: func(f *Facts) []*tree.Node { return texts(f.cookies(s.Cookie)) }}, nil
	case s.Form != "":
		return condition{subject: "form " + s.Form, values: func(f *Facts) []*tree.Node { return texts(f.form()[s.Form]) }}, nil
	case s.Text:
		return condition{subject: "body", values: func(f *Facts) []*tree.Node { return texts([]string{string(f.Request.Body.Bytes)}) }}, nil
	case s.Body != "":
		path, err := jp.ParseString(s.Body)
		if err != nil {
			return condition{}, fmt.Errorf("body %q is not a JSONPath such as $.vessel.name: %w", s.Body, err)
		}
		return condition{subject: "body " + s.Body, values: func(f *Facts) []*tree.Node { return f.json(path) }}, nil
	case s.XML != "":
		path, err := xpath.Compile(prefixed.ReplaceAllString(s.XML, ""))
		if err != nil {
			return condition{}, fmt.Errorf("xml %q is not an XPath such as //manifest: %w", s.XML, err)
		}
		return condition{subject: "xml " + s.XML, values: func(f *Facts) []*tree.Node { return f.xml(path) }}, nil
	default:
		return callerCondition(s.Caller)
	}
}

// prefixed fits the prefixes of names in an XPath, but not its axes.
var prefixed = regexp.MustCompile(`\b[A-Za-z_][\w.-]*:(?:\b|\*)`)

func callerCondition(text string) (condition, error) {
	within, err := netip.ParsePrefix(text)
	if err != nil {
		ip, ipErr := netip.ParseAddr(text)
		if ipErr != nil {
			return condition{}, fmt.Errorf("caller must be an address or a range such as 10.2.0.0/16, not %q", text)
		}
		within = netip.PrefixFrom(ip, ip.BitLen())
	}
	return condition{
		subject: "caller",
		values:  func(f *Facts) []*tree.Node { return texts([]string{f.Request.Caller}) },
		test: func(values []*tree.Node) (bool, string) {
			from, err := netip.ParseAddrPort(values[0].Text)
			return err == nil && within.Contains(from.Addr().Unmap()), "one in " + text
		},
	}, nil
}

func texts(values []string) []*tree.Node {
	nodes := make([]*tree.Node, len(values))
	for i, v := range values {
		nodes[i] = tree.NewString(v)
	}
	return nodes
}

// testOf compiles the test of a condition.
func testOf(s spec.Condition) (func([]*tree.Node) (bool, string), error) {
	one := func(expected string, holds func(*tree.Node) bool) func([]*tree.Node) (bool, string) {
		return func(values []*tree.Node) (bool, string) {
			for _, v := range values {
				if holds(v) {
					return true, ""
				}
			}
			return false, expected
		}
	}
	text := func(word string, want *string, holds func(have, want string) bool) func([]*tree.Node) (bool, string) {
		return one(word+" "+strconv.Quote(*want), func(v *tree.Node) bool { return holds(plainText(v), *want) })
	}
	switch {
	case s.Equals != nil:
		return one(shown(s.Equals), func(v *tree.Node) bool { return same(v, s.Equals) }), nil
	case s.Not != nil:
		return func(values []*tree.Node) (bool, string) {
			for _, v := range values {
				if same(v, s.Not) {
					return false, "anything but " + shown(s.Not)
				}
			}
			return true, ""
		}, nil
	case s.Contains != nil:
		return text("containing", s.Contains, strings.Contains), nil
	case s.Starts != nil:
		return text("starting with", s.Starts, strings.HasPrefix), nil
	case s.Ends != nil:
		return text("ending with", s.Ends, strings.HasSuffix), nil
	case s.Pattern != nil:
		re, err := regexp.Compile(*s.Pattern)
		if err != nil {
			return nil, fmt.Errorf("pattern %q: %w", *s.Pattern, err)
		}
		return one("fitting "+*s.Pattern, func(v *tree.Node) bool { return re.MatchString(plainText(v)) }), nil
	case s.Above != nil, s.Below != nil:
		return limitOf(s, one)
	case s.OneOf != nil:
		var names []string
		for _, n := range s.OneOf {
			names = append(names, shown(n))
		}
		return one("one of "+strings.Join(names, ", "), func(v *tree.Node) bool {
			for _, n := range s.OneOf {
				if same(v, n) {
					return true
				}
			}
			return false
		}), nil
	case s.Includes != nil:
		return one("including "+shown(s.Includes), func(v *tree.Node) bool { return includes(v, s.Includes) }), nil
	case s.Present != nil && !*s.Present:
		return func(values []*tree.Node) (bool, string) { return len(values) == 0, "not to be there" }, nil
	default:
		return func(values []*tree.Node) (bool, string) { return len(values) > 0, "to be there" }, nil
	}
}

func limitOf(s spec.Condition, one func(string, func(*tree.Node) bool) func([]*tree.Node) (bool, string)) (func([]*tree.Node) (bool, string), error) {
	limit, word := s.Above, "above"
	if s.Below != nil {
		limit, word = s.Below, "below"
	}
	border, ok := limit.Float()
	if !ok {
		return nil, fmt.Errorf("%s must be a number, not %s", word, limit.Kind)
	}
	return one(word+" "+limit.Text, func(v *tree.Node) bool {
		f, err := strconv.ParseFloat(strings.TrimSpace(v.Text), 64)
		return err == nil && v.Kind != tree.Bool && (word == "above" && f > border || word == "below" && f < border)
	}), nil
}

// same compares a value of a call with one of a document. Queries and headers
// are texts, so a number there is compared by what is written.
func same(v, want *tree.Node) bool {
	if v.Kind == tree.String && want.Kind != tree.String && want.Kind != tree.List && want.Kind != tree.Map {
		return v.Text == want.Text
	}
	return tree.Equal(v, want)
}

// includes reports whether v has everything that want has: members of objects,
// elements of lists in any place.
func includes(v, want *tree.Node) bool {
	switch {
	case want.Kind == tree.Map && v.Kind == tree.Map:
		for _, m := range want.Members {
			if have := v.Get(m.Key); have == nil || !includes(have, m.Value) {
				return false
			}
		}
		return true
	case want.Kind == tree.List && v.Kind == tree.List:
		for _, w := range want.Items {
			found := false
			for _, have := range v.Items {
				found = found || includes(have, w)
			}
			if !found {
				return false
			}
		}
		return true
	default:
		return same(v, want)
	}
}

func plainText(n *tree.Node) string {
	if n.Kind == tree.List || n.Kind == tree.Map {
		return string(n.AppendJSON(nil))
	}
	return n.Text
}

// shown is a value in a sentence.
func shown(n *tree.Node) string {
	text := string(n.AppendJSON(nil))
	if len(text) > 80 {
		return text[:80] + "…"
	}
	return text
}

// Fails says which condition a call does not meet, with the value seen and the
// one expected; "" when it meets all. An expression that has no value for the
// call is not met.
func (c *Conditions) Fails(f *Facts) string {
	if c == nil {
		return ""
	}
	for _, one := range c.all {
		if reason := one.fails(f); reason != "" {
			return reason
		}
	}
	if c.when == nil {
		return ""
	}
	got, err := c.when.Run(f.Scope())
	switch {
	case err != nil:
		return "if: " + err.Error()
	case got.Kind != tree.Bool:
		return "if: the expression gives " + shown(got) + ", not true or false"
	case !got.IsTrue():
		return "if: the expression is false"
	}
	return ""
}

func (c condition) fails(f *Facts) string {
	if c.group == nil {
		values := c.values(f)
		ok, expected := c.test(values)
		if ok {
			return ""
		}
		if len(values) == 0 {
			return fmt.Sprintf("%s is not there, expected %s", c.subject, expected)
		}
		return fmt.Sprintf("%s is %s, expected %s", c.subject, shown(values[0]), expected)
	}
	var reasons []string
	for _, one := range c.group {
		if reason := one.fails(f); reason != "" {
			reasons = append(reasons, reason)
		}
	}
	switch {
	case c.kind == "all" && len(reasons) > 0:
		return reasons[0]
	case c.kind == "any" && len(reasons) == len(c.group):
		return "none of: " + strings.Join(reasons, "; ")
	case c.kind == "none" && len(reasons) < len(c.group):
		return fmt.Sprintf("%d of the conditions that must not hold do", len(c.group)-len(reasons))
	}
	return ""
}

// Facts is a call as conditions look at it. What is decoded is decoded once. It
// belongs to one call.
type Facts struct {
	Request *call.Request
	// Scope gives what expressions see.
	Scope func() *expr.Scope

	queries, fields url.Values
	decoded         any
	document        *xmlquery.Node
	jsonRead, read  bool
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

func (f *Facts) cookies(name string) (values []string) {
	for _, pair := range strings.Split(strings.Join(f.Request.Header["Cookie"], ";"), ";") {
		if key, value, _ := strings.Cut(strings.TrimSpace(pair), "="); key == name {
			values = append(values, value)
		}
	}
	return values
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
	for _, found := range path.Get(f.decoded) {
		if n, err := tree.From(found); err == nil {
			values = append(values, n)
		}
	}
	return values
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
	switch found := path.Evaluate(xmlquery.CreateXPathNavigator(f.document)).(type) {
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
