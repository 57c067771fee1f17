package recording

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// parts are the single values of a body by their places, in their order.
type parts struct {
	kind   string // json, xml or form
	places []string
	values map[string]*tree.Node
}

func (p *parts) add(place string, value *tree.Node) {
	if _, twice := p.values[place]; !twice {
		p.places = append(p.places, place)
	}
	p.values[place] = value
}

// condition demands of a body what stands in a place of this one.
func (p *parts) condition(place string) spec.Condition {
	c := spec.Condition{}
	switch p.kind {
	case "xml":
		c.XML = place
	case "form":
		c.Form = place
	default:
		c.Body = place
	}
	value, present := p.values[place]
	if !present || value == nil { // which has no value to compare
		c.Present = &present
	} else {
		c.Equals = value
	}
	return c
}

// partsOf reads a body of JSON, XML or a form; nil for any other.
func partsOf(x Exchange) *parts {
	p := &parts{values: make(map[string]*tree.Node)}
	if n, err := tree.ParseJSON(x.Body); err == nil {
		p.kind = "json"
		p.addJSON("$", n)
		return p
	}
	if call.BaseType(x.Request.Get("Content-Type")) == "application/x-www-form-urlencoded" {
		values, err := url.ParseQuery(string(x.Body))
		if err != nil {
			return nil
		}
		p.kind = "form"
		for name := range values {
			p.add(name, tree.NewString(values.Get(name)))
		}
		slices.Sort(p.places)
		return p
	}
	root, err := xmltree.Parse(x.Body)
	if err != nil {
		return nil
	}
	p.kind = "xml"
	p.addXML("/"+root.Name.Local, root)
	return p
}

// plainKey is a name that needs no quotes in a JSONPath.
var plainKey = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

func (p *parts) addJSON(path string, n *tree.Node) {
	switch n.Kind {
	case tree.Map:
		for _, m := range n.Members {
			if plainKey.MatchString(m.Key) {
				p.addJSON(path+"."+m.Key, m.Value)
			}
		}
	case tree.List:
	default:
		p.add(path, n)
	}
}

// addXML adds the texts of elements by their local names. What stands several
// times is left out, as are the headers of an envelope.
func (p *parts) addXML(path string, n *xmltree.Node) {
	for _, a := range n.Attrs {
		p.add(path+"/@"+a.Name.Local, tree.NewString(a.Value))
	}
	if len(n.Children) == 0 {
		if text := strings.TrimSpace(n.Text); text != "" {
			p.add(path, tree.NewString(text))
		} else {
			p.add(path, nil)
		}
		return
	}
	count := make(map[string]int)
	for _, c := range n.Children {
		count[c.Name.Local]++
	}
	for _, c := range n.Children {
		if count[c.Name.Local] == 1 && !(n.Name.Local == "Envelope" && c.Name.Local == "Header") {
			p.addXML(path+"/"+c.Name.Local, c)
		}
	}
}

// byBody takes a group apart by what its bodies say, where the answers depend on
// that.
func byBody(g *group) []*group {
	distinct, answers := make(map[string][]Exchange), make(map[string]bool)
	var order []string
	for _, x := range g.calls {
		key := string(x.Body)
		if _, known := distinct[key]; !known {
			order = append(order, key)
		}
		distinct[key] = append(distinct[key], x)
		answers[answerKey(x)] = true
	}
	if len(distinct) == 1 || len(answers) == 1 {
		if len(distinct) > 1 {
			g.notes = append(g.notes, fmt.Sprintf("%d different bodies got the same answer, so the body does not count", len(distinct)))
		}
		return []*group{g}
	}
	var bodies []*parts
	for _, key := range order {
		p := partsOf(distinct[key][0])
		if p == nil || len(bodies) > 0 && p.kind != bodies[0].kind {
			g.notes = append(g.notes, "the bodies are not all JSON, XML or forms, so they do not tell calls apart")
			return []*group{g}
		}
		bodies = append(bodies, p)
	}
	places := differing(bodies)
	if len(places) == 0 {
		return []*group{g}
	}
	var groups []*group
	for i, key := range order {
		part := *g
		part.calls, part.notes = distinct[key], append(slices.Clone(g.notes), "the answer depends on "+strings.Join(places, ", ")+" of the body")
		for _, place := range places {
			part.conditions = append(part.conditions, bodies[i].condition(place))
		}
		groups = append(groups, &part)
	}
	return groups
}

// moments are values that differ from call to call by themselves.
var moments = regexp.MustCompile(`^\d{4}-\d\d-\d\dT\d\d:\d\d|^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)

// differing lists the places in which bodies differ, save times and identifiers
// that differ in all of them.
func differing(bodies []*parts) (places []string) {
	values, seen := make(map[string]map[string]bool), make(map[string]int)
	var order []string
	for _, body := range bodies {
		for _, place := range body.places {
			if values[place] == nil {
				values[place] = make(map[string]bool)
				order = append(order, place)
			}
			seen[place]++
			text := ""
			if value := body.values[place]; value != nil {
				text = string(value.AppendJSON(nil))
			}
			values[place][text] = true
		}
	}
	for _, place := range order {
		if len(values[place]) == 1 && seen[place] == len(bodies) {
			continue
		}
		passing := len(values[place]) == len(bodies)
		for value := range values[place] {
			passing = passing && moments.MatchString(strings.Trim(value, `"`))
		}
		if !passing {
			places = append(places, place)
		}
	}
	return places
}
