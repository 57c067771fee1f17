package match

import (
	"fmt"
	"strconv"
	"strings"

	"rapidmimic/internal/core/expr"
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

// ReadsBody reports whether the expression looks at the body of the call.
func (c *Conditions) ReadsBody() bool {
	return c != nil && c.when != nil && (c.when.LooksAt("body") || c.when.LooksAt("text"))
}

// first is the first of the conditions that compares a text, nil when none does.
func (c *Conditions) first() *condition {
	if c == nil {
		return nil
	}
	for i := range c.all {
		if c.all[i].equals != nil {
			return &c.all[i]
		}
	}
	return nil
}

// condition is one condition, compiled.
type condition struct {
	subject string // as people read it: "query season"
	values  func(*Facts) []*tree.Node
	test    func([]*tree.Node) (ok bool, expected string)
	// equals is what an equality on a text compares with: the index knows
	// mappings by it. Nil for every other test.
	equals *string
	// group is set instead of values and test.
	group []condition
	kind  string // any, all or none
}

// Schema is a compiled JSON Schema, safe for concurrent use.
type Schema interface {
	// Breach says in what a value does not obey it, "" when it does.
	Breach(value *tree.Node) string
}

// Compiler compiles what conditions ask.
type Compiler struct {
	// Schema compiles a JSON Schema. The error says what is wrong with it.
	Schema func(*tree.Node) (Schema, error)
}

// Conditions compiles what a pattern asks. The fault names the place.
func (k Compiler) Conditions(p spec.Pattern) (*Conditions, *problem.Item) {
	if len(p.Where) == 0 && p.If == "" {
		return nil, nil
	}
	all, fault := k.all(p.Where, "/call/where")
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

func (k Compiler) all(list []spec.Condition, at string) ([]condition, *problem.Item) {
	var all []condition
	for i, s := range list {
		c, fault := k.one(s, at+"/"+strconv.Itoa(i))
		if fault != nil {
			return nil, fault
		}
		all = append(all, c)
	}
	return all, nil
}

func (k Compiler) one(s spec.Condition, at string) (condition, *problem.Item) {
	for kind, list := range map[string][]spec.Condition{"all": s.All, "any": s.Any, "none": s.None} {
		if list != nil {
			group, fault := k.all(list, at+"/"+kind)
			return condition{kind: kind, group: group, subject: kind + " of " + strconv.Itoa(len(list))}, fault
		}
	}
	c, err := subjectOf(s)
	if err == nil && s.Caller == "" {
		c.test, err = k.testOf(s)
	}
	if want := s.Equals; want != nil && want.Kind == tree.String {
		c.equals = &want.Text
	}
	if err != nil {
		return c, &problem.Item{At: at, Detail: err.Error()}
	}
	return c, nil
}

// Fails says which condition a call does not meet, with the value seen and the
// one expected; "" when it meets all. An expression that has no value for the
// call is not met; scope gives what it sees. Whoever asks looks at the budget of
// the facts before it takes the result for one.
func (c *Conditions) Fails(f *Facts, scope func() *expr.Scope) string {
	if c == nil {
		return ""
	}
	for _, one := range c.all {
		if err := f.Budget.Spend(1); err != nil {
			return "not looked at: " + err.Error()
		}
		if reason := one.fails(f); reason != "" {
			return reason
		}
	}
	if c.when == nil {
		return ""
	}
	got, err := c.when.Run(scope())
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
