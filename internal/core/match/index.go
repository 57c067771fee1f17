package match

import (
	"hash/maphash"
	"iter"
	"slices"
	"strings"
	"unique"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Rules is an index over the rules of one service, each with a value of the
// caller's: by path, and where many share one, by operation and by the value
// that their first equality asks for. It is immutable once built.
//
// What a look-up touches lies close together: among 100,000 rules it costs by
// the lines of memory that it has to fetch.
type Rules[T any] struct {
	buckets  map[string]*bucket[T] // by template
	literals map[uint64]*bucket[T] // of templates without parameters, by hash
	router   Router[*bucket[T]]    // of all others
	narrowed bool
}

type ruleValue[T any] struct {
	rule   *Rule
	value  T
	method string // of a rule with just one, "" for any other
}

func (v *ruleValue[T]) allows(method string) bool {
	return v.method == method || v.method == "" && v.rule.AllowsMethod(method)
}

// bucket holds the rules of one template.
type bucket[T any] struct {
	// segments and path are those of a template without parameters: how many, and
	// all with NUL between them.
	segments int
	path     string
	next     *bucket[T]      // with the same hash
	one      [1]ruleValue[T] // where all begins
	all      []ruleValue[T]
	// open are those that nothing narrows, groups the others. Both are empty as
	// long as all are few enough to be asked one by one.
	open   []ruleValue[T]
	groups []*group[T]
	shared map[string]int // how many rules have an equality, of those with several
}

// group holds the rules that compare the same part of a call.
type group[T any] struct {
	operation bool
	subject   string // of the condition, "" when only the operation counts
	lens      string // of the condition: "" where keys are what it compares
	values    func(*Facts) []*tree.Node
	byKey     map[string][]ruleValue[T]
}

// fewRules is up to how many rules of one path are asked one by one: so few
// that an explanation can tell of each.
const fewRules = 20

// Add puts a rule into the index. All rules are added before the first Find.
func (rs *Rules[T]) Add(rule *Rule, value T) {
	text := rule.Template.String()
	b := rs.buckets[text]
	if b == nil {
		if rs.buckets == nil {
			rs.buckets = make(map[string]*bucket[T])
		}
		b = rs.newBucket(rule.Template)
		rs.buckets[text] = b
	}
	v := ruleValue[T]{rule: rule, value: value}
	if len(rule.Methods) == 1 {
		v.method = unique.Make(rule.Methods[0]).Value() // one memory for all
	}
	b.all = append(b.all, v)
	switch {
	case len(b.all) == fewRules+1:
		for _, v := range b.all {
			b.narrow(v)
		}
	case len(b.all) > fewRules:
		b.narrow(b.all[len(b.all)-1])
	}
	rs.narrowed = rs.narrowed || len(b.groups) > 0
}

func (rs *Rules[T]) newBucket(t Template) *bucket[T] {
	b := &bucket[T]{}
	b.all = b.one[:0]
	segments, ok := t.literal()
	if !ok {
		rs.router.Add(t, b)
		return b
	}
	if rs.literals == nil {
		rs.literals = make(map[uint64]*bucket[T])
	}
	key := hashOf(segments)
	b.segments, b.path, b.next = len(segments), strings.Join(segments, "\x00"), rs.literals[key]
	rs.literals[key] = b
	return b
}

var hashSeed = maphash.MakeSeed()

func hashOf(segments []string) (h uint64) {
	for _, s := range segments {
		h = h*31 + maphash.String(hashSeed, s)
	}
	return h
}

// is reports whether the segments are those of the bucket's path.
func (b *bucket[T]) is(segments []string) bool {
	if len(segments) != b.segments {
		return false
	}
	path := b.path
	for i, s := range segments {
		if i > 0 {
			if path == "" || path[0] != 0 {
				return false
			}
			path = path[1:]
		}
		if !strings.HasPrefix(path, s) {
			return false
		}
		path = path[len(s):]
	}
	return path == ""
}

// on appends the buckets whose path fits.
func (rs *Rules[T]) on(found []*bucket[T], segments []string) []*bucket[T] {
	if rs.literals != nil {
		for b := rs.literals[hashOf(segments)]; b != nil; b = b.next {
			if b.is(segments) {
				found = append(found, b)
			}
		}
	}
	return rs.router.Find(found, segments)
}

// narrow puts a rule where it is found by what it asks.
func (b *bucket[T]) narrow(v ruleValue[T]) {
	telling := b.telling(v.rule.Conditions.equalities())
	if telling == nil && v.rule.Operation == "" {
		b.open = append(b.open, v)
		return
	}
	subject, key := "", v.rule.Operation
	if telling != nil {
		subject, key = telling.lens+telling.subject, key+"\x00"+*telling.equals
	}
	i := slices.IndexFunc(b.groups, func(g *group[T]) bool {
		return g.subject == subject && g.operation == (v.rule.Operation != "")
	})
	if i < 0 {
		g := &group[T]{operation: v.rule.Operation != "", subject: subject, byKey: make(map[string][]ruleValue[T])}
		if telling != nil {
			g.lens, g.values = telling.lens, telling.values
			if telling.keys != nil {
				g.values = telling.keys
			}
		}
		i, b.groups = len(b.groups), append(b.groups, g)
	}
	b.groups[i].byKey[key] = append(b.groups[i].byKey[key], v)
}

// telling is the equality of a rule that the fewest of the rules before share; nil for
// none. Of recorded calls that ask for limit=20 and each for another offset it is the
// offset.
func (b *bucket[T]) telling(equalities []*condition) (least *condition) {
	if len(equalities) < 2 {
		for _, c := range equalities {
			return c
		}
		return nil
	}
	if b.shared == nil {
		b.shared = make(map[string]int)
	}
	fewest := 0
	for _, c := range equalities {
		key := c.lens + c.subject + "\x00" + *c.equals
		if b.shared[key]++; least == nil || b.shared[key] < fewest {
			least, fewest = c, b.shared[key]
		}
	}
	return least
}

// appendTo appends the rules that can fit a call of which facts are known.
func (b *bucket[T]) appendTo(found []ruleValue[T], facts *Facts) []ruleValue[T] {
	if facts == nil || len(b.groups) == 0 {
		return append(found, b.all...)
	}
	found = append(found, b.open...)
	for _, g := range b.groups {
		operation := ""
		if g.operation {
			operation = facts.Operation
		}
		if g.values == nil {
			found = append(found, g.byKey[operation]...)
			continue
		}
		values := g.values(facts)
		for i, v := range values {
			if v.Kind == tree.String && !slices.ContainsFunc(values[:i], func(other *tree.Node) bool { return tree.Equal(v, other) }) {
				found = append(found, g.byKey[operation+"\x00"+v.Text]...)
			}
		}
	}
	return found
}

// Fit is a rule that was looked at for a call because its path fits.
type Fit[T any] struct {
	Rule  *Rule
	Value T
	// Method is false when the call's method is not the rule's.
	Method bool
}

// Find returns the rules whose path fits, the winner first if its Method is
// true, those with another method last. With facts it leaves out, where many
// rules share a path, those whose first equality does not hold; others is their
// number.
func (rs *Rules[T]) Find(method string, segments []string, facts *Facts) (fits []Fit[T], others int) {
	var buffer [4]*bucket[T]
	var candidates [4]ruleValue[T]
	found := candidates[:0]
	for _, b := range rs.on(buffer[:0], segments) {
		before := len(found)
		found = b.appendTo(found, facts)
		others += len(b.all) - (len(found) - before)
	}
	if len(found) == 0 {
		return nil, others
	}
	fits = make([]Fit[T], len(found))
	for i := range found {
		fits[i] = Fit[T]{found[i].rule, found[i].value, found[i].allows(method)}
	}
	if len(fits) > 1 {
		SortFits(fits)
	}
	return fits, others
}

// SortFits brings rules into the order of Find.
func SortFits[T any](fits []Fit[T]) {
	slices.SortFunc(fits, func(a, b Fit[T]) int {
		if a.Method != b.Method {
			if a.Method {
				return -1
			}
			return 1
		}
		return a.Rule.Compare(b.Rule)
	})
}

// values are those of the buckets whose path fits that a pass over each picks. A nil
// index has none.
func (rs *Rules[T]) values(segments []string, pass func(*bucket[T]) []ruleValue[T]) iter.Seq[ruleValue[T]] {
	return func(yield func(ruleValue[T]) bool) {
		if rs == nil {
			return
		}
		for _, b := range rs.on(nil, segments) {
			for _, v := range pass(b) {
				if !yield(v) {
					return
				}
			}
		}
	}
}

// nearEnough is by how many letters a text that is compared may differ from that
// of the call to be a slip of the pen.
const nearEnough = 3

// near are the rules whose first text is a slip of the pen away from the call's,
// the nearest first.
func (b *bucket[T]) near(facts *Facts) []ruleValue[T] {
	if facts == nil {
		return nil
	}
	byDistance := make([][]ruleValue[T], nearEnough)
	for _, g := range b.groups {
		if g.values == nil || g.lens != "" {
			continue
		}
		for _, value := range g.values(facts) {
			for key, rules := range g.byKey {
				_, text, _ := strings.Cut(key, "\x00")
				if d := problem.Distance(value.Text, text, nearEnough); d < nearEnough {
					byDistance[d] = append(byDistance[d], rules...)
				}
			}
		}
	}
	for _, rules := range byDistance {
		slices.SortFunc(rules, func(a, b ruleValue[T]) int { return a.rule.Compare(b.rule) })
	}
	return slices.Concat(byDistance...)
}
