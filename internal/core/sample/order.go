package sample

import (
	"slices"
	"time"
)

// moments are the words of names that say where in a course of events a time
// stands.
var moments = map[string]int{
	"created": 1, "opened": 2, "issued": 2, "start": 3, "starts": 3, "started": 3, "begin": 3, "begins": 3, "from": 3, "since": 3,
	"updated": 4, "modified": 4, "changed": 4, "end": 5, "ends": 5, "ended": 5, "until": 5, "to": 5, "through": 5, "finish": 5, "finished": 5,
	"due": 6, "expires": 6, "expiry": 6, "expired": 6, "closed": 7, "deleted": 8,
}

// momentOf is the place of a property in a course of events; 0 when its name
// does not say.
func momentOf(name string) int {
	for _, word := range wordsOf(name) {
		if m := moments[word]; m > 0 {
			return m
		}
	}
	return 0
}

// dated are the properties of an object that hold times of one format, in the
// order in which these must follow one another.
type dated struct {
	layout string
	names  []string
}

var layouts = map[string]string{"date": time.DateOnly, "date-time": time.RFC3339}

// orderOf finds the properties of an object whose times follow one another.
func orderOf(props []property) []dated {
	var found []dated
	for _, format := range []string{"date", "date-time"} {
		var chosen []property
		for _, p := range props {
			if s := p.shape; s.format == format && s.drawing == nil && len(s.values) == 0 && len(s.alts) == 0 && momentOf(p.name) > 0 {
				chosen = append(chosen, p)
			}
		}
		if len(chosen) < 2 {
			continue
		}
		slices.SortStableFunc(chosen, func(a, b property) int { return momentOf(a.name) - momentOf(b.name) })
		d := dated{layout: layouts[format]}
		for _, p := range chosen {
			d.names = append(d.names, p.name)
		}
		found = append(found, d)
	}
	return found
}

// putInOrder lets the later times of an object, which stands in b, follow the first one within
// days. All times of a format are of one length, and have no characters that are escaped.
func (o dated) putInOrder(b []byte, d *Draw, members []member) {
	var last time.Time
	for _, name := range o.names {
		i := slices.IndexFunc(members, func(m member) bool { return m.name == name })
		if i < 0 || b[members[i].from] != '"' {
			continue
		}
		text := b[members[i].from+1 : members[i].to-1]
		if last.IsZero() {
			var err error
			if last, err = time.Parse(o.layout, string(text)); err != nil {
				return
			}
			continue
		}
		step := time.Duration(d.between(1, 9)) * 24 * time.Hour
		if o.layout == time.RFC3339 {
			step = time.Duration(d.between(1, 9*24)) * time.Hour
		}
		last = last.Add(step)
		if later := last.Format(o.layout); len(later) == len(text) {
			copy(text, later)
		}
	}
}
