package xsd

import (
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

const (
	// fullDepth is how deep optional parts are filled in, so that types that
	// contain themselves end.
	fullDepth = 8
	endless   = 1 << 20
	// wildHeight is the height of a place for any declared element: what has none is preferred to it.
	wildHeight = 1 << 10
	// maxElements bounds the size of one document, maxDepth how deep it goes, whatever
	// its schema demands.
	maxElements = 20_000
	maxDepth    = 60
)

// Generator draws documents. It belongs to one message.
type Generator struct {
	Draw *sample.Draw
	// Schemas has the elements that may stand where any known one may; it may be
	// nil.
	Schemas *Schemas
	// Held are ways to elements that must be there although they may be left out, by local names from
	// the children of the element on; * stands for any.
	Held [][]string
	// Given are texts by the local names of elements: the first element of a name that has no others in it
	// has the text if that obeys, instead of one that is drawn. What was decided is taken out, and Taken are
	// the names of those that have theirs.
	Given map[string]string
	Taken []string
	// Encoded writes the type of each element beside it, and arrays in SOAP's
	// own way.
	Encoded bool

	to       xmltree.Sink
	elements int
	rounds   int  // of particles, which may be empty
	cut      bool // an element was left empty because it is too deep
	// schema is set where the last thing drawn is a schema, whose data come next.
	schema bool
}

// Element draws an element of a declaration as a tree.
func (g *Generator) Element(e *Element) *xmltree.Node {
	var b xmltree.Builder
	g.Write(&b, e)
	return b.Root()
}

// Write draws an element of a declaration into what takes it.
func (g *Generator) Write(to xmltree.Sink, e *Element) {
	g.to = to
	g.element(e, 0)
}

func (g *Generator) element(e *Element, depth int) {
	g.elements++
	number := g.elements
	_ = g.Draw.Budget.Spend(5) // spent sees it
	if g.schema = e.Name == (Name{Space: Space, Local: "schema"}); g.schema {
		tableSchema().Send(g.to)
		return
	}
	e = g.standIn(e, depth)
	g.to.Open(e.Name)
	t := g.typeFor(e.Type, depth)
	if t != e.Type || g.Encoded && t.Name.Local != "" {
		g.writeType(t)
	}
	switch {
	case e.Nillable && e.Fixed == nil && len(g.Held) == 0 && (depth >= fullDepth && t.height > 1 || g.chance(4)):
		g.to.Attribute(Name{Space: xmltree.Instance, Local: "nil"}, "true")
		g.attributes(t)
	case e.Fixed != nil:
		g.attributes(t)
		g.to.Text(*e.Fixed)
	default:
		g.fill(e, t, depth)
	}
	if len(g.Given) > 0 && g.elements == number { // it has none in it
		delete(g.Given, e.Name.Local)
	}
	g.to.Close()
	g.schema = false
}

// given is a text for an element that has no others in it: the one that was given where that obeys, else the one
// that was drawn.
func (g *Generator) given(e *Element, t *Type, drawn string) string {
	if len(g.Given) == 0 {
		return drawn
	}
	text := g.Given[e.Name.Local]
	if text == "" || text == drawn || t.Simple != nil && t.Simple.Check(text, nil) != "" {
		return drawn
	}
	g.Taken = append(g.Taken, e.Name.Local)
	return text
}

// Whole reports whether all was drawn that the schema demands: documents have limits.
func (g *Generator) Whole() bool { return !g.cut && !g.spent() }

// spent reports whether no more elements are to be made.
func (g *Generator) spent() bool {
	return g.elements > maxElements || g.rounds > 10*maxElements || g.Draw.Budget.Err() != nil
}

func (g *Generator) chance(percent int64) bool { return g.Draw.Whole(0, 99) < percent }

func (g *Generator) writeType(t *Type) {
	if t.Name.Local != "" {
		g.to.NameAttribute(Name{Space: xmltree.Instance, Local: "type"}, t.Name, "")
	}
}

// standIn is the element itself, or one that may stand in its place.
func (g *Generator) standIn(e *Element, depth int) *Element {
	if len(e.Substitutes) == 0 || !e.Abstract && !g.chance(30) {
		return e
	}
	var usable []*Element
	for _, s := range e.Substitutes {
		if !s.Abstract && (depth < fullDepth || s.height() < endless) {
			usable = append(usable, s)
		}
	}
	if len(usable) == 0 {
		return e
	}
	if depth >= fullDepth {
		return slices.MinFunc(usable, func(a, b *Element) int { return a.height() - b.height() })
	}
	return usable[g.Draw.Whole(0, int64(len(usable)-1))]
}

// typeFor is the type itself, or one derived from it: always where it is
// abstract, else now and then.
func (g *Generator) typeFor(t *Type, depth int) *Type {
	if len(t.derived) == 0 || t.Anything || !t.Abstract && (depth >= fullDepth || !g.chance(20)) {
		return t
	}
	var usable []*Type
	for _, c := range t.concrete() {
		if c.Name.Local != "" && c.height < endless {
			usable = append(usable, c)
		}
	}
	if len(usable) == 0 {
		return t
	}
	if depth >= fullDepth {
		return slices.MinFunc(usable, func(a, b *Type) int { return a.height - b.height })
	}
	return usable[g.Draw.Whole(0, int64(len(usable)-1))]
}

// fill draws what an element has in it.
func (g *Generator) fill(e *Element, t *Type, depth int) {
	g.attributes(t)
	switch {
	case g.spent() || depth > maxDepth:
		g.cut = true
	case t.Array != nil && g.Encoded:
		g.array(t.Array, depth)
	case t.Simple != nil:
		if text, name := g.value(t.Simple, e.hint()); name != nil {
			g.to.NameText(*name)
		} else {
			g.to.Text(g.given(e, t, text))
		}
	case t.Anything:
		g.to.Text(g.given(e, t, g.Draw.Fake("word")))
	default:
		g.particle(t.Content, depth)
	}
}

func (g *Generator) attributes(t *Type) {
	for _, a := range t.Attributes {
		switch {
		case a.Fixed != nil && (a.Required || g.chance(50)):
			g.to.Attribute(a.Name, *a.Fixed)
		case a.Fixed == nil && (a.Required || g.chance(70)):
			if text, name := g.value(a.Type, a.named); name != nil {
				g.to.NameAttribute(a.Name, *name, "")
			} else {
				g.to.Attribute(a.Name, text)
			}
		}
	}
}

// value draws a value, h being what the name of its place says. One that names something comes as a name: its prefix
// is the writer's.
func (g *Generator) value(s *Simple, h *sample.Hint) (text string, name *Name) {
	text = s.draw(g.Draw, h)
	if s.names == nil {
		return text, nil
	}
	if means, ok := s.names[text]; ok {
		return "", &means
	}
	return text, nil
}

// array writes the elements of a SOAP-encoded array.
func (g *Generator) array(item *Type, depth int) {
	size := 2
	if depth >= fullDepth {
		size = 0
	}
	name := item.Name
	if name.Local == "" {
		name = anyType.Name
	}
	g.to.NameAttribute(Name{Space: Encoding, Local: "arrayType"}, name, "["+strconv.Itoa(size)+"]")
	for range size {
		g.element(&Element{Name: Name{Local: "item"}, Type: item}, depth+1)
	}
}

func (g *Generator) particle(p *Particle, depth int) {
	if p == nil {
		return
	}
	for range g.occurrences(p, depth) {
		if g.rounds++; g.spent() {
			return
		}
		switch p.Kind {
		case One:
			held := g.Held
			g.Held = below(held, p.Element.Name.Local)
			g.element(p.Element, depth+1)
			g.Held = held
		case Sequence:
			for _, item := range p.Items {
				g.particle(item, depth)
			}
		case All:
			for i := range p.Items { // any order is right; another one each time shows it
				g.particle(p.Items[(i+depth)%len(p.Items)], depth)
			}
		case Choice:
			if chosen := g.choose(p, depth); chosen != nil {
				g.particle(chosen, depth)
			}
		case Any:
			g.wild(p, depth)
		}
	}
}

// wild draws an element that a wildcard admits.
func (g *Generator) wild(p *Particle, depth int) {
	if g.schema {
		g.rows().Send(g.to)
		g.schema = false
		return
	}
	if known := g.known(p); known != nil {
		g.element(known, depth+1)
		return
	}
	g.to.Open(anyName(p))
	g.to.Text(g.Draw.Fake("word"))
	g.to.Close()
}

// known is a declared element that a wildcard admits, where it admits only those; nil where none can
// stand there that ends, since a wildcard may lead back to where it stands.
func (g *Generator) known(p *Particle) *Element {
	if p.isOpen() || g.Schemas == nil {
		return nil
	}
	return g.Schemas.lowest(p)
}

// lowest is the lowest of the declared elements that a wildcard admits.
func (s *Schemas) lowest(p *Particle) (lowest *Element) {
	admits := wildcard{p.Namespaces, p.Target}
	if found, ok := s.wildcards.Load(admits); ok {
		return found.(*Element)
	}
	for name, e := range s.Elements {
		if e.Abstract || !p.admits(name.Space) {
			continue
		}
		if height := e.height(); height < wildHeight && (lowest == nil || height < lowest.height() || height == lowest.height() && name.String() < lowest.Name.String()) {
			lowest = e
		}
	}
	s.wildcards.Store(admits, lowest)
	return lowest
}

// wildcard is what a particle of that kind admits.
type wildcard struct{ namespaces, target string }

// anyName is an element name that a wildcard admits.
func anyName(p *Particle) Name {
	made := Name{Space: "urn:rapid-mimic:extra", Local: "extra"}
	for _, space := range append([]string{made.Space, "", p.Target}, strings.Fields(p.Namespaces)...) {
		if p.admits(space) {
			made.Space = space
			break
		}
	}
	return made
}

func (g *Generator) occurrences(p *Particle, depth int) int {
	low, high := p.Min, p.Max
	if p.Kind == Any {
		return low
	}
	if low == 0 && g.holds(p) {
		low = 1
	}
	if depth >= fullDepth || p.height() >= endless || g.elements > maxElements {
		return low
	}
	if high == Unbounded {
		high = max(low, 3)
	}
	high = min(high, low+3)
	if low == 0 && high > 0 { // an optional part is there more often than not
		if g.chance(int64(15 + 25*max(0, depth-3))) { // less and less the deeper it is
			return 0
		}
		low = 1
	}
	if depth > 3 {
		high = low
	}
	return int(g.Draw.Whole(int64(low), int64(high)))
}

func (g *Generator) choose(p *Particle, depth int) *Particle {
	if len(p.Items) == 0 {
		return nil
	}
	if held := slices.IndexFunc(p.Items, g.holds); held >= 0 {
		return p.Items[held]
	}
	usable := slices.DeleteFunc(slices.Clone(p.Items), func(item *Particle) bool { return item.least() >= endless })
	if depth >= fullDepth || len(usable) == 0 {
		return slices.MinFunc(p.Items, func(a, b *Particle) int { return a.least() - b.least() })
	}
	return usable[g.Draw.Whole(0, int64(len(usable)-1))]
}

// holds reports whether a part of a content model has an element that must be there.
func (g *Generator) holds(p *Particle) bool {
	switch {
	case len(g.Held) == 0:
		return false
	case p.Kind == One:
		return len(below(g.Held, p.Element.Name.Local)) > 0
	}
	return slices.ContainsFunc(p.Items, g.holds)
}

// below are the ways that go on in an element.
func below(ways [][]string, local string) (rest [][]string) {
	for _, way := range ways {
		if len(way) > 0 && (way[0] == local || way[0] == "*") {
			rest = append(rest, way[1:])
		}
	}
	return rest
}

// Heights: how many levels a part has at least.

func (e *Element) height() int {
	least := endless
	if !e.Abstract {
		least = e.Type.least()
	}
	if e.Nillable {
		least = 1
	}
	for _, s := range e.Substitutes {
		if s != e && len(s.Substitutes) == 0 && !s.Abstract {
			least = min(least, s.Type.least())
		}
	}
	return least
}

// least is the height of the lowest type that can stand for t.
func (t *Type) least() int {
	least := endless
	if !t.Abstract {
		least = t.height
	}
	if t.Abstract {
		for _, c := range t.concrete() {
			least = min(least, c.height)
		}
	}
	return least
}

func (p *Particle) height() int {
	if p == nil {
		return 0
	}
	height := 0
	switch p.Kind {
	case One:
		height = p.Element.height()
	case Sequence, All:
		for _, item := range p.Items {
			height = max(height, item.least())
		}
	case Choice:
		if len(p.Items) > 0 {
			height = slices.MinFunc(p.Items, func(a, b *Particle) int { return a.least() - b.least() }).least()
		}
	case Any:
		if height = wildHeight; p.isOpen() {
			height = 1
		}
	}
	return height
}

// least is the height that a particle demands: none where it may be left out.
func (p *Particle) least() int {
	if p.Min == 0 {
		return 0
	}
	return p.height()
}

// settle finds the height of every type.
func settle(types []*Type) {
	for _, t := range types {
		t.height = endless
	}
	for changed := true; changed; {
		changed = false
		for _, t := range types {
			height := 1
			if t.Simple == nil && !t.Anything {
				height = min(t.Content.height()+1, endless)
			}
			if height < t.height {
				t.height, changed = height, true
			}
		}
	}
}
