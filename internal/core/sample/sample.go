// Package sample makes plausible data from JSON Schemas, in the 2020-12
// dialect, repeatably: the same Draw gives the same data.
//
// Compile turns a schema into a Generator once; Generate may then run on any
// number of goroutines. The generator obeys most keywords by construction.
// Where it cannot be sure (`not`, overlapping `oneOf`, `unevaluated…`) it says
// so by Exact, and the caller checks what came out and draws again.
package sample

import (
	"hash/fnv"
	"math/rand/v2"
	"strconv"

	"github.com/brianvoe/gofakeit/v7"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/spec/tree"
)

// Draw is the chance of one generated answer. It belongs to one call.
type Draw struct {
	rand  *rand.Rand
	faker *gofakeit.Faker

	// Budget is what the call has left that the data are for; nil stands for no
	// bound.
	Budget *budget.Budget

	values   int  // made so far
	room     int  // bytes of texts that may still be made
	optional int  // percentage of optional parts that are there
	plain    bool // texts are not drawn by the examples of schemas

	members []member // of the objects that are being drawn, the outermost first
}

// NewDraw derives all chance from a seed, a key that names what is drawn, and
// the number of the draw.
func NewDraw(seed int64, key string, number uint64) *Draw {
	h := fnv.New128a()
	told := strconv.AppendInt(make([]byte, 0, 96), seed, 10)
	told = append(append(append(told, 0), key...), 0)
	_, _ = h.Write(strconv.AppendUint(told, number, 10)) // never fails
	sum := h.Sum(nil)
	word := func(b []byte) (w uint64) {
		for _, c := range b {
			w = w<<8 | uint64(c)
		}
		return w
	}
	source := rand.NewPCG(word(sum[:8]), word(sum[8:]))
	return &Draw{rand: rand.New(source), faker: gofakeit.NewFaker(source, false), optional: optionalShare, room: maxText}
}

// sparser are the shares of optional parts in later attempts at a value: what
// overlaps or depends on one another often does so in what is optional.
var sparser = [...]int{optionalShare, optionalShare, 50, 10, 0, 70, 30}

// Again readies the draw for another attempt at a value, the first being
// attempt 0. Later ones do without the examples of schemas, which are always the same.
func (d *Draw) Again(attempt int) {
	d.plain = attempt >= 2
	d.optional, d.values, d.room = sparser[attempt%len(sparser)], 0, maxText
}

// spent reports whether no more values are to be made.
func (d *Draw) spent() bool { return d.values > maxValues || d.room <= 0 || d.Budget.Err() != nil }

func (d *Draw) chance(percent int) bool { return d.rand.IntN(100) < percent }

// between draws a whole number, both ends included.
func (d *Draw) between(low, high int) int {
	if high <= low {
		return low
	}
	return low + d.rand.IntN(high-low+1)
}

func pick[T any](d *Draw, from []T) T { return from[d.rand.IntN(len(from))] }

// Resolver finds what a $ref points to.
type Resolver interface {
	// Resolve returns the schema that ref names, by pointer or by anchor, nil
	// when there is none. It is called while compiling, from one goroutine.
	Resolve(ref string) *tree.Node
}

// Generator makes values of one schema. It is immutable and safe for
// concurrent use.
type Generator struct {
	root     *shape
	exact    bool
	hopeless bool
}

// Side tells what the values are for: readOnly properties have no place in
// requests, writeOnly ones none in answers.
type Side uint8

// The sides of a call.
const (
	ForAnswer Side = iota
	ForRequest
)

// Compile prepares a schema. It never fails: what cannot be understood is
// left unrestricted, and Exact is then false.
func Compile(schema *tree.Node, resolver Resolver, side Side) *Generator {
	c := &compiler{resolver: resolver, side: side, byRef: make(map[string]*shape), byText: make(map[string]*shape), hints: make(map[string]*Hint), exact: true, work: maxWork}
	root := c.shape(schema, 0)
	c.settleHeights()
	c.settleNothing()
	hopeless := root.demandsTooMuch() || root.nothing || root.height > tree.MaxDepth-fullDepth
	return &Generator{root: root, exact: c.exact && !hopeless && c.allEnd(), hopeless: hopeless}
}

// Exact reports whether everything Generate makes is valid by construction.
func (g *Generator) Exact() bool { return g.exact }

// Hopeless reports whether nothing that Generate makes is valid, since the schema
// demands more than is ever drawn, or what excludes itself.
func (g *Generator) Hopeless() bool { return g.hopeless }

// AppendJSON appends one value to b, as JSON. name may say what it is; "" says nothing.
func (g *Generator) AppendJSON(b []byte, d *Draw, name string) []byte {
	h := noHint
	if name != "" {
		h = hintOf(name, "")
	}
	return g.root.generate(b, d, h, 0)
}

// Generate makes one value, as AppendJSON does.
func (g *Generator) Generate(d *Draw, name string) *tree.Node {
	return parsed(g.AppendJSON(nil, d, name))
}

// parsed is a value that was drawn, which is always JSON.
func parsed(text []byte) *tree.Node {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return &tree.Node{}
	}
	return n
}
