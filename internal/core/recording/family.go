package recording

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/spec"
)

// familiesOf finds the groups that would fold into one, by their keys.
func familiesOf(groups []*group) map[string][]*group {
	families := make(map[string][]*group)
	for _, g := range groups {
		for _, key := range g.familyKeys() {
			families[key] = append(families[key], g)
		}
	}
	return families
}

// offerFolding notes which groups could be one.
func offerFolding(groups []*group) {
	families := familiesOf(groups)
	for _, g := range groups {
		for i, key := range g.familyKeys() {
			members := families[key]
			if len(members) < 2 || members[0] != g {
				continue
			}
			name := paramName(g.values(), g.foldable()[i])
			g.notes = append(g.notes, fmt.Sprintf("%d paths are answered alike save for the %s in them: folded they would be one mapping, for any %s", len(members), name, name))
			break
		}
	}
}

// answerWithout is an answer without a value.
func answerWithout(x Exchange, value string) string {
	x.Answer = bytes.ReplaceAll(x.Answer, []byte(value), []byte{0})
	x.Header = slices.Clone(x.Header)
	for i, f := range x.Header {
		x.Header[i].Value = strings.ReplaceAll(f.Value, value, "\x00")
	}
	return answerKey(x)
}

// folded puts groups together whose paths differ in one segment and whose
// answers differ only by that segment's value: /berths/N7 and /berths/S4, each
// answered with its own number, are one /berths/{berth}.
func folded(groups []*group) (out []*group) {
	families := familiesOf(groups)
	taken := make(map[*group]bool)
	for _, g := range groups {
		if taken[g] {
			continue
		}
		folded := g
		for i, key := range g.familyKeys() {
			members := slices.DeleteFunc(slices.Clone(families[key]), func(m *group) bool { return taken[m] })
			if len(members) > 1 && key != "" {
				folded = fold(members, g.foldable()[i])
				for _, m := range members {
					taken[m] = true
				}
				break
			}
		}
		out = append(out, folded)
	}
	return out
}

// foldable are the segments of a group's path that its answer repeats.
func (g *group) foldable() (segments []int) {
	inBody := func(c spec.Condition) bool { return c.Query == "" && c.Only != "query" }
	if len(g.calls) != 1 || len(g.callers) > 0 || slices.ContainsFunc(g.ask.conditions, inBody) {
		return nil
	}
	for i, value := range g.values() {
		if len(value) > 1 && strings.Contains(string(g.calls[0].Answer), value) {
			segments = append(segments, i)
		}
	}
	return segments
}

// values are the segments of the path, decoded.
func (g *group) values() []string {
	segments := strings.Split(strings.TrimPrefix(g.path, "/"), "/")
	for i, s := range segments {
		if decoded, err := url.PathUnescape(s); err == nil {
			segments[i] = decoded
		}
	}
	return segments
}

// familyKeys are equal for groups that fold into one: the call and the answer
// with a mark instead of one segment's value, for each segment that may vary.
func (g *group) familyKeys() (keys []string) {
	values := g.values()
	for _, i := range g.foldable() {
		path := slices.Clone(values)
		path[i] = "\x00"
		keys = append(keys, fmt.Sprintf("%s %q %v %s", g.method, path, g.ask.key, answerWithout(g.calls[0], values[i])))
	}
	return keys
}

// fold makes one group of a family.
func fold(members []*group, segment int) *group {
	first := *members[0]
	first.segment = segment
	first.param = paramName(first.values(), segment)
	var values []string
	first.calls = nil
	for _, m := range members {
		first.calls = append(first.calls, m.calls...)
		values = append(values, m.values()[segment])
	}
	first.notes = append(slices.Clone(first.notes), fmt.Sprintf("one for any %s: the answers to %s differ by it alone", first.param, strings.Join(values, ", ")))
	return &first
}

// paramName names a segment by the one before it: the berth of /berths/N7.
func paramName(values []string, segment int) string {
	if segment == 0 {
		return "id"
	}
	name := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return -1
	}, values[segment-1])
	switch {
	case name == "":
		return "id"
	case strings.HasSuffix(name, "ies"):
		return strings.TrimSuffix(name, "ies") + "y"
	default:
		return strings.TrimSuffix(name, "s")
	}
}

// template is the path of a folded group.
func (g *group) template() string {
	segments := strings.Split(strings.TrimPrefix(literal(g.path), "/"), "/")
	segments[g.segment] = "{" + g.param + "}"
	return "/" + strings.Join(segments, "/")
}

// withParam is a text of the answer in which the value of a folded group's
// parameter is that of the call; every other ${ stands for itself.
func (g *group) withParam(text string) string {
	text = escaped(text)
	if g.param == "" {
		return text
	}
	return strings.ReplaceAll(text, g.values()[g.segment], "${call.path."+g.param+"}")
}
