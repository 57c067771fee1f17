// Package match finds what fits a call: path templates, the index over many of
// them, the order among several that fit, and what comes closest when none
// does.
//
// It returns verdicts with reasons and carries nothing out. Start with Rules
// for mappings and Router for anything else that is found by path.
package match

import (
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
// name, or a pattern that mixes both ({name}.{format}).
type segment struct {
	literal string
	names   []string
	pattern *regexp.Regexp
}

// class orders segments by how much they admit: literal text before a pattern
// before any text.
func (s segment) class() int {
	switch {
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

// ParseTemplate compiles a path template. Each {name} stands for one whole
// segment, or for a part of one beside other text.
func ParseTemplate(text string) (Template, error) {
	if !strings.HasPrefix(text, "/") {
		return Template{}, fmt.Errorf("path must begin with /, not %q", text)
	}
	if i := strings.IndexAny(text, "?#"); i >= 0 && !strings.Contains(text[:i], "{") {
		return Template{}, fmt.Errorf("path %q must end before %q: a path has no query", text, text[i])
	}
	t := Template{text: text}
	seen := make(map[string]bool)
	for _, part := range strings.Split(text[1:], "/") {
		s, err := parseSegment(part)
		if err != nil {
			return Template{}, fmt.Errorf("path %q: %w", text, err)
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
	for rest := part; rest != ""; {
		before, after, found := strings.Cut(rest, "{")
		if strings.Contains(before, "}") {
			return s, fmt.Errorf("segment %q closes a brace that was not opened", part)
		}
		pattern.WriteString(regexp.QuoteMeta(before))
		if !found {
			break
		}
		name, remaining, closed := strings.Cut(after, "}")
		if !closed {
			return s, fmt.Errorf("segment %q does not close its brace", part)
		}
		if !paramName.MatchString(name) {
			return s, fmt.Errorf("{%s} must hold a name, such as {number}", name)
		}
		s.names = append(s.names, name)
		pattern.WriteString("(.+?)")
		rest = remaining
	}
	if part == "{"+s.names[0]+"}" {
		return s, nil
	}
	compiled, err := regexp.Compile("^" + pattern.String() + "$")
	if err != nil {
		return s, fmt.Errorf("segment %q: %w", part, err)
	}
	s.pattern = compiled
	return s, nil
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
	if len(segments) != len(t.segments) {
		return false
	}
	for i, s := range t.segments {
		if !s.fits(segments[i]) {
			return false
		}
	}
	return true
}

// Params returns the values that a fitting path gives to the template's names.
func (t Template) Params(segments []string) map[string]string {
	params := make(map[string]string)
	for i, s := range t.segments {
		switch s.class() {
		case 1:
			for j, value := range s.pattern.FindStringSubmatch(segments[i])[1:] {
				params[s.names[j]] = value
			}
		case 2:
			params[s.names[0]] = segments[i]
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
			path = strings.Replace(path, "{"+name+"}", values[name], 1)
		}
	}
	return path, true
}

// compareTemplates orders templates, the more specific first: segment by
// segment from the left, literal text before a pattern before any text.
func compareTemplates(a, b Template) int {
	for i := range min(len(a.segments), len(b.segments)) {
		if d := a.segments[i].class() - b.segments[i].class(); d != 0 {
			return d
		}
	}
	return len(b.segments) - len(a.segments)
}
