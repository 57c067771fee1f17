// Package match finds what fits a call: path templates, the index over many of
// them, the order among several that fit, and what comes closest when none
// does.
//
// It returns verdicts with reasons and carries nothing out. Start with Rules
// for mappings and Router for anything else that is found by path.
package match

import (
	"cmp"
	"fmt"
	"net/url"
	"regexp"
	"strings"
)

// Template is a compiled path template such as /berths/{number}. It is
// immutable.
type Template struct {
	text     string
	segments []segment
}

// segment is one part between slashes: exactly one of literal text, a single
// name, a pattern that mixes both ({name}.{format}) or restricts a name
// ({name:[0-9]+}), or the rest of the path ({name...}).
type segment struct {
	literal  string
	names    []string
	pattern  *regexp.Regexp
	fixed    int  // how many bytes of the pattern are literal text
	optional bool // {name?}: it may be missing at the end
	rest     bool // {name...}: it takes all segments from here on, at least one
}

// class orders segments by how much they admit: literal text before a pattern
// before any text before the rest.
func (s segment) class() int {
	switch {
	case s.rest:
		return 3
	case s.pattern != nil:
		return 1
	case len(s.names) > 0:
		return 2
	default:
		return 0
	}
}

// String is the segment as it is written in a template.
func (s segment) String() string { return s.literal }

func (s segment) fits(value string) bool {
	switch s.class() {
	case 0:
		return s.literal == value
	case 1:
		return s.pattern.MatchString(value)
	default:
		return value != ""
	}
}

// String is the template as it was written.
func (t Template) String() string { return t.text }

// literal gives the segments of a template without parameters.
func (t Template) literal() (segments []string, ok bool) {
	for _, s := range t.segments {
		if s.class() != 0 {
			return nil, false
		}
		segments = append(segments, s.literal)
	}
	return segments, true
}

// Covers reports whether t surely fits every path that other fits. Of patterns
// only equal ones are known to.
func (t Template) Covers(other Template) bool {
	for i, s := range t.segments {
		if s.rest {
			return len(other.segments) > i && !other.segments[i].optional
		}
		if i >= len(other.segments) {
			return s.optional
		}
		o := other.segments[i]
		switch {
		case o.rest || o.optional && !s.optional:
			return false
		case s.class() == 2: // any one segment
			if o.literal == "" && o.class() == 0 {
				return false
			}
		case s.class() == 0 && !(o.class() == 0 && o.literal == s.literal):
			return false
		case s.class() == 1 && s.literal != o.literal && !(o.class() == 0 && s.fits(o.literal)):
			return false
		}
	}
	return len(t.segments) == len(other.segments)
}

// SameShape reports whether both fit the same paths: they differ in the names of parameters at most.
func (t Template) SameShape(other Template) bool { return t.Covers(other) && other.Covers(t) }

// ParseTemplate compiles a path template. Each {name} stands for one whole
// segment, or for a part of one beside other text; {name:pattern} for what fits
// a pattern of RE2; at the end {name?} for a segment that may be missing, and
// {name...} for all that follow.
func ParseTemplate(text string) (Template, error) {
	if !strings.HasPrefix(text, "/") {
		return Template{}, fmt.Errorf("path must begin with /, not %q", text)
	}
	if i := strings.IndexAny(text, "?#"); i >= 0 && !strings.Contains(text[:i], "{") || strings.Contains(text, "}?") {
		i = max(i, strings.Index(text, "}?")+1)
		return Template{}, fmt.Errorf("path %q must end before %q: a path has no query", text, text[i])
	}
	t := Template{text: text}
	seen := make(map[string]bool)
	parts := splitSegments(text[1:])
	for i, part := range parts {
		s, err := parseSegment(part)
		if err != nil {
			return Template{}, fmt.Errorf("path %q: %w", text, err)
		}
		if (s.rest || s.optional) && i < len(parts)-1 {
			return Template{}, fmt.Errorf("path %q: %s must be the last segment", text, part)
		}
		for _, name := range s.names {
			if seen[name] {
				return Template{}, fmt.Errorf("path %q has {%s} twice", text, name)
			}
			seen[name] = true
		}
		t.segments = append(t.segments, s)
	}
	return t, nil
}

var paramName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.-]*$`)

// splitSegments cuts a template at its slashes, save those inside of braces.
func splitSegments(text string) (parts []string) {
	depth, start := 0, 0
	for i := range len(text) {
		switch text[i] {
		case '{':
			depth++
		case '}':
			depth--
		case '/':
			if depth <= 0 {
				parts, start = append(parts, text[start:i]), i+1
			}
		}
	}
	return append(parts, text[start:])
}

func parseSegment(part string) (segment, error) {
	if !strings.ContainsAny(part, "{}") {
		literal, err := url.PathUnescape(part)
		if err != nil {
			return segment{}, fmt.Errorf("segment %q: %w", part, err)
		}
		return segment{literal: literal}, nil
	}
	s := segment{literal: part}
	var pattern strings.Builder
	restricted := false
	for rest := part; rest != ""; {
		before, after, found := strings.Cut(rest, "{")
		if strings.Contains(before, "}") {
			return s, fmt.Errorf("segment %q closes a brace that was not opened", part)
		}
		pattern.WriteString(regexp.QuoteMeta(before))
		s.fixed += len(before)
		if !found {
			break
		}
		end := closingBrace(after)
		if end < 0 {
			return s, fmt.Errorf("segment %q does not close its brace", part)
		}
		inside := after[:end]
		rest = after[end+1:]
		name, allowed, hasPattern := strings.Cut(inside, ":")
		if whole := part == "{"+inside+"}"; whole && !hasPattern {
			name, s.rest = strings.CutSuffix(name, "...")
			if !s.rest {
				name, s.optional = strings.CutSuffix(name, "?")
			}
		}
		if !paramName.MatchString(name) {
			return s, fmt.Errorf("{%s} must hold a name, such as {number}", inside)
		}
		s.names = append(s.names, name)
		if !hasPattern {
			allowed = ".+?"
		}
		restricted = restricted || hasPattern
		pattern.WriteString("(" + allowed + ")")
	}
	if len(s.names) == 1 && strings.HasPrefix(part, "{") && strings.HasSuffix(part, "}") && !restricted && closingBrace(part[1:]) == len(part)-2 {
		return s, nil
	}
	compiled, err := regexp.Compile("^" + pattern.String() + "$")
	if err != nil {
		return s, fmt.Errorf("segment %q: %w", part, err)
	}
	if compiled.NumSubexp() != len(s.names) {
		return s, fmt.Errorf("segment %q: write groups as (?:…)", part)
	}
	s.pattern = compiled
	return s, nil
}

// closingBrace is where the brace that was opened before text is closed, -1
// when it is not: patterns have braces of their own.
func closingBrace(text string) int {
	depth := 0
	for i := range len(text) {
		switch text[i] {
		case '{':
			depth++
		case '}':
			if depth == 0 {
				return i
			}
			depth--
		}
	}
	return -1
}

// Split cuts an escaped path into its decoded segments: "/berths/N%207" gives
// "berths" and "N 7". It appends to dst, which a caller may reuse.
func Split(dst []string, path string) []string {
	path = strings.TrimPrefix(path, "/")
	for {
		part, rest, more := strings.Cut(path, "/")
		if strings.IndexByte(part, '%') >= 0 {
			if decoded, err := url.PathUnescape(part); err == nil {
				part = decoded
			}
		}
		dst = append(dst, part)
		if !more {
			return dst
		}
		path = rest
	}
}

// Fits reports whether the decoded segments of a path fit the template.
func (t Template) Fits(segments []string) bool {
	least, open := len(t.segments), false
	if least > 0 {
		last := t.segments[least-1]
		if open = last.rest; last.optional {
			least--
		}
	}
	if len(segments) < least || len(segments) > len(t.segments) && !open {
		return false
	}
	for i, s := range t.segments {
		if i < len(segments) && !s.fits(segments[i]) {
			return false
		}
	}
	return true
}

// Params returns the values that a fitting path gives to the template's names.
// One that is optional and missing has none.
func (t Template) Params(segments []string) map[string]string {
	params := make(map[string]string)
	for i, s := range t.segments {
		if i >= len(segments) {
			break
		}
		switch s.class() {
		case 1:
			if found := s.pattern.FindStringSubmatch(segments[i]); found != nil {
				for j, value := range found[1:] {
					params[s.names[j]] = value
				}
			}
		case 2:
			params[s.names[0]] = segments[i]
		case 3:
			params[s.names[0]] = strings.Join(segments[i:], "/")
		}
	}
	return params
}

// Names lists the names in the template, from left to right.
func (t Template) Names() (names []string) {
	for _, s := range t.segments {
		names = append(names, s.names...)
	}
	return names
}

// Fill writes a path with values, escaped already, in the place of the names. ok
// is false when one is missing.
func (t Template) Fill(values map[string]string) (path string, ok bool) {
	path = t.text
	for _, s := range t.segments {
		for _, name := range s.names {
			if values[name] == "" {
				return "", false
			}
			start := strings.Index(path, "{"+name)
			path = path[:start] + values[name] + path[start+1+closingBrace(path[start+1:])+1:]
		}
	}
	return path, true
}

// compareTemplates orders templates, the more specific first: segment by
// segment from the left, literal text before a pattern before any text, and the pattern with more
// literal text before others.
func compareTemplates(a, b Template) int {
	for i := range min(len(a.segments), len(b.segments)) {
		x, y := a.segments[i], b.segments[i]
		if d := cmp.Or(x.class()-y.class(), y.fixed-x.fixed); d != 0 {
			return d
		}
	}
	return len(b.segments) - len(a.segments)
}
