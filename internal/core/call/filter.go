package call

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Line is the text of a call that filters search: who was asked what, and who
// answered. Source, status and method are words of it, so "503" and "miss"
// find what they say; a call for an operation has the word "operation:" with its
// id, one that was impaired "impaired:" with the kind, one that breaks the
// contract the word "deviates", one under a scenario "scenario:" with its name. One
// in a lane begins with "lane:" and its name: no method begins so, whatever callers
// and mappings put into the rest.
func (r *Summary) Line() string { return string(r.appendLine(nil)) }

func (r *Summary) appendLine(b []byte) []byte {
	if r.Lane != "" {
		b = append(append(append(b, laneWord...), r.Lane...), ' ')
	}
	b = append(append(append(append(b, r.Method...), " /"...), r.Service...), r.Path...)
	if r.Query != "" {
		b = append(append(b, '?'), r.Query...)
	}
	b = strconv.AppendInt(append(b, ' '), int64(r.Status), 10)
	b = append(append(append(append(b, ' '), r.Source...), ' '), r.By...)
	if r.Operation != "" {
		b = append(append(b, " operation:"...), r.Operation...)
	}
	for kind := range strings.FieldsSeq(r.Injected) {
		b = append(append(b, " impaired:"...), kind...)
	}
	if r.Deviations > 0 {
		b = append(b, " deviates"...)
	}
	if r.Scenario != "" {
		b = append(append(b, " scenario:"...), r.Scenario...)
	}
	return b
}

// lower is text in lower case, in its place where that can be.
func lower(text []byte) []byte {
	for i, c := range text {
		switch {
		case c >= utf8.RuneSelf:
			return bytes.ToLower(text)
		case 'A' <= c && c <= 'Z':
			text[i] = c | 0x20
		}
	}
	return text
}

const laneWord = "lane:"

// Filter selects calls.
type Filter struct {
	// Service is a service's name; "" selects all.
	Service string
	// Lane is the name of a lane; "" selects all, NoLane those in none.
	Lane string
	// Text is split at spaces; every word must occur in the call's Line, in
	// any case. What follows body:, in quotes where it has spaces, must occur in the
	// body of the request or of the answer, as it is written.
	Text string
}

const bodyWord = "body:"

// split gives the words of Text, and the texts that bodies must hold.
func (f Filter) split() (words, bodies []string) {
	for rest := strings.TrimSpace(f.Text); rest != ""; rest = strings.TrimSpace(rest) {
		var word string
		if quoted, is := strings.CutPrefix(rest, bodyWord+`"`); is {
			word, rest, _ = strings.Cut(quoted, `"`)
			bodies = append(bodies, word)
			continue
		}
		end := strings.IndexFunc(rest, unicode.IsSpace)
		if end < 0 {
			end = len(rest)
		}
		word, rest = rest[:end], rest[end:]
		if body, is := strings.CutPrefix(word, bodyWord); is {
			bodies = append(bodies, body)
		} else {
			words = append(words, word)
		}
	}
	return words, slices.DeleteFunc(bodies, func(text string) bool { return text == "" })
}

// Bodies are the texts that the body of the request or of the answer must hold.
func (f Filter) Bodies() []string {
	_, bodies := f.split()
	return bodies
}

// NoLane selects the calls that are in no lane.
const NoLane = "-"

// Compile gives the filter as a function that reports whether it selects a call, as
// far as its line tells: see Bodies.
func (f Filter) Compile() func(*Summary) bool {
	var words [][]byte
	inLine, _ := f.split()
	for _, word := range inLine {
		words = append(words, lower([]byte(word)))
	}
	return func(r *Summary) bool {
		if f.Service != "" && f.Service != r.Service {
			return false
		}
		if f.Lane == NoLane && r.Lane != "" || f.Lane != "" && f.Lane != NoLane && f.Lane != r.Lane {
			return false
		}
		if len(words) == 0 {
			return true
		}
		var space [512]byte // a log has a hundred thousand lines
		line := lower(r.appendLine(space[:0]))
		return !slices.ContainsFunc(words, func(word []byte) bool { return !bytes.Contains(line, word) })
	}
}
