package match

import (
	"cmp"
	"strconv"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
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

// equalities are those of the conditions by which the index can know a mapping.
func (c *Conditions) equalities() (found []*condition) {
	if c == nil {
		return nil
	}
	for i := range c.all {
		if c.all[i].equals != nil {
			found = append(found, &c.all[i])
		}
	}
	return found
}

// condition is one condition, compiled.
type condition struct {
	subject string // as people read it: "query season"
	lens    string // how the index tells values from other ones of the subject
	values  func(*Facts) []*tree.Node
	test    test
	// code says of values that do not pass what they are; "" for Differs.
	code call.Code
	// within finds where a value differs from the one expected; nil where the value as a
	// whole says enough.
	within func(v *tree.Node) *call.Finding
	// check stands instead of values and test.
	check func(*Facts) *call.Finding
	// equals is what the values, or keys where they are set, have among them when the
	// condition holds: the index knows mappings by it. Nil for tests that say no more
	// than whether they hold.
	equals *string
	keys   func(*Facts) []*tree.Node
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

	named named            // by the conditions that are being compiled
	where []spec.Condition // those themselves
}

// Conditions compiles what a pattern asks. The faults name their places.
func (k Compiler) Conditions(p spec.Pattern) (*Conditions, []problem.Item) {
	if len(p.Where) == 0 && p.If == "" {
		return nil, nil
	}
	k.named, k.where = namedIn(p.Where), p.Where
	all, faults := k.all(p.Where, "/call/where")
	c := &Conditions{all: all, count: len(all)}
	if p.If != "" {
		c.count++
		program, err := expr.Compile(p.If)
		if err != nil {
			faults = append(faults, problem.Item{At: "/call/if", Detail: err.Error()})
		}
		c.when = program
	}
	if len(faults) > 0 {
		return nil, faults
	}
	return c, nil
}

func (k Compiler) all(list []spec.Condition, at string) (all []condition, faults []problem.Item) {
	for i, s := range list {
		c, wrong := k.one(s, at+"/"+strconv.Itoa(i))
		all, faults = append(all, c), append(faults, wrong...)
	}
	return all, faults
}

func (k Compiler) one(s spec.Condition, at string) (condition, []problem.Item) {
	for kind, list := range map[string][]spec.Condition{"all": s.All, "any": s.Any, "none": s.None} {
		if list != nil {
			group, faults := k.all(list, at+"/"+kind)
			return condition{kind: kind, group: group, subject: kind + " of " + strconv.Itoa(len(list))}, faults
		}
	}
	if s.Only != "" {
		return k.only(s), nil
	}
	c, err := subjectOf(s)
	if err == nil && s.Caller == "" {
		c.test, err = k.testOf(&s)
	}
	switch want := s.Equals; {
	case err != nil:
	case s.Digest != nil:
		c = c.byDigest(*s.Digest)
	case want == nil:
	case want.Kind == tree.String:
		c.equals = &want.Text
	case want.Kind == tree.Map || want.Kind == tree.List:
		err = c.byStructure(want, s.Except)
	}
	if err != nil {
		return c, []problem.Item{{At: at, Detail: err.Error()}}
	}
	return c, nil
}

// Fails says which condition a call does not meet, with the value seen and the
// one expected; nil when it meets all. An expression that has no value for the
// call is not met; scope gives what it sees. Whoever asks looks at the budget of
// the facts before it takes the result for one.
func (c *Conditions) Fails(f *Facts, scope func() *expr.Scope) *call.Finding {
	if c == nil {
		return nil
	}
	for i := range c.all {
		if err := f.Budget.Spend(1); err != nil {
			return call.Found(call.NotLookedAt, err)
		}
		if unmet := c.all[i].fails(f); unmet != nil {
			return unmet
		}
	}
	if c.when == nil {
		return nil
	}
	got, err := c.when.Run(scope())
	switch {
	case err != nil:
		return call.Found(call.IfFailed, err)
	case got.Kind != tree.Bool:
		return &call.Finding{Code: call.IfNotBoolean, Part: "if", Seen: seen(got)}
	case !got.IsTrue():
		return call.Found(call.IfFalse)
	}
	return nil
}

// Holding tells of each condition in the document, groups as one, whether a call meets it.
func (c *Conditions) Holding(f *Facts) []bool {
	if c == nil {
		return nil
	}
	holding := make([]bool, len(c.all))
	for i := range c.all {
		holding[i] = c.all[i].fails(f) == nil
	}
	return holding
}

// Unmet is Fails that says as well which condition it is: its number in the document, -1
// for the expression, which is not asked.
func (c *Conditions) Unmet(f *Facts) (number int, why *call.Finding) {
	if c == nil {
		return -1, nil
	}
	for i := range c.all {
		if why := c.all[i].fails(f); why != nil {
			return i, why
		}
	}
	return -1, nil
}

func (c *condition) fails(f *Facts) *call.Finding {
	if c.check != nil {
		return c.check(f)
	}
	if c.group == nil {
		values := c.values(f)
		ok, expected := c.test(values)
		if ok {
			return nil
		}
		unmet := &call.Finding{Code: call.Absent, Part: c.subject, Expected: expected}
		if len(values) > 0 {
			unmet.Code, unmet.Seen = cmp.Or(c.code, call.Differs), seen(values[0])
			if c.within != nil {
				unmet = c.within(values[0])
			}
		}
		if f.Hide != nil {
			f.Hide(f.Request, unmet)
		}
		return unmet
	}
	var unmet []call.Finding
	for i := range c.group {
		if one := c.group[i].fails(f); one != nil {
			unmet = append(unmet, *one)
		}
	}
	switch {
	case c.kind == "all" && len(unmet) > 0:
		return &unmet[0]
	case c.kind == "any" && len(unmet) == len(c.group):
		return &call.Finding{Code: call.NoneHold, Among: unmet}
	case c.kind == "none" && len(unmet) < len(c.group):
		return call.Found(call.ForbiddenHold, len(c.group)-len(unmet))
	}
	return nil
}

// mostSeen is how many bytes of a value stand in a finding.
const mostSeen = 1_000

// seen is a value of a call in a finding.
func seen(n *tree.Node) string {
	text := string(n.AppendJSON(nil))
	return text[:min(len(text), mostSeen)]
}
