package call

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
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
	// any case. Of keyed words service:moorings, method:POST, source:miss, status:5xx
	// and took:>200ms look at one thing; what follows body:, in quotes where it has
	// spaces, must occur in the body of the request or of the answer, as it is written.
	Text string
}

// NoLane selects the calls that are in no lane.
const NoLane = "-"

// Selection is a filter that calls are held against. It is safe for concurrent use.
type Selection struct {
	// Bodies are the texts that the body of the request or of the answer must hold;
	// Fits does not see them.
	Bodies []string

	tests []func(*Summary) bool
	words [][]byte // in lower case
}

// Compile reads the filter. The error says which word means nothing.
func (f Filter) Compile() (*Selection, error) {
	s := &Selection{}
	if f.Service != "" {
		s.test(func(r *Summary) bool { return r.Service == f.Service })
	}
	if f.Lane != "" {
		s.test(func(r *Summary) bool { return r.Lane == f.Lane || r.Lane == "" && f.Lane == NoLane })
	}
	for rest := strings.TrimSpace(f.Text); rest != ""; rest = strings.TrimSpace(rest) {
		if quoted, is := strings.CutPrefix(rest, `body:"`); is {
			var body string
			if body, rest, _ = strings.Cut(quoted, `"`); body != "" {
				s.Bodies = append(s.Bodies, body)
			}
			continue
		}
		end := strings.IndexFunc(rest, unicode.IsSpace)
		if end < 0 {
			end = len(rest)
		}
		if err := s.add(rest[:end]); err != nil {
			return nil, err
		}
		rest = rest[end:]
	}
	return s, nil
}

func (s *Selection) test(test func(*Summary) bool) { s.tests = append(s.tests, test) }

// add adds a word. One that ends in its colon is still being typed.
func (s *Selection) add(word string) error {
	key, value, _ := strings.Cut(word, ":")
	look := keyedWords[key]
	switch {
	case look == nil || key == word:
		s.words = append(s.words, lower([]byte(word)))
		return nil
	case value == "":
		return nil
	default:
		return look(s, value)
	}
}

// keyedWords look at one thing of a call.
var keyedWords = map[string]func(s *Selection, value string) error{
	"body":    func(s *Selection, value string) error { s.Bodies = append(s.Bodies, value); return nil },
	"service": (*Selection).addService,
	"method":  (*Selection).addMethod,
	"source":  (*Selection).addSource,
	"status":  (*Selection).addStatus,
	"took":    (*Selection).addTook,
}

func (s *Selection) addService(value string) error {
	s.test(func(r *Summary) bool { return strings.EqualFold(r.Service, value) })
	return nil
}

func (s *Selection) addMethod(value string) error {
	s.test(func(r *Summary) bool { return strings.EqualFold(r.Method, value) })
	return nil
}

func (s *Selection) addSource(value string) error {
	source := Source(strings.ToLower(value))
	if !slices.Contains(Sources, source) {
		return fmt.Errorf("source:%s means nothing; it is one of %s", value, strings.Trim(fmt.Sprint(Sources), "[]"))
	}
	s.test(func(r *Summary) bool { return r.Source == source })
	return nil
}

// addStatus reads 503, 5xx, or none for calls that got no answer.
func (s *Selection) addStatus(value string) error {
	class, isClass := strings.CutSuffix(strings.ToLower(value), "xx")
	number, err := strconv.Atoi(class)
	switch {
	case strings.EqualFold(value, "none"):
		number, isClass = 0, false
	case err != nil:
		return fmt.Errorf("status:%s means nothing; it is such as status:503, status:5xx or status:none", value)
	}
	s.test(func(r *Summary) bool { return r.Status == number || isClass && r.Status/100 == number })
	return nil
}

// addTook reads >200ms or <1s.
func (s *Selection) addTook(value string) error {
	than, err := time.ParseDuration(value[1:])
	if err != nil || value[0] != '<' && value[0] != '>' {
		return fmt.Errorf("took:%s means nothing; it is such as took:>200ms or took:<1s", value)
	}
	longer := value[0] == '>'
	s.test(func(r *Summary) bool { return r.Took != than && (r.Took > than) == longer })
	return nil
}

// Fits reports whether the selection has a call, as far as its line tells.
func (s *Selection) Fits(r *Summary) bool {
	for _, test := range s.tests {
		if !test(r) {
			return false
		}
	}
	if len(s.words) == 0 {
		return true
	}
	var space [512]byte // a log has a hundred thousand lines
	line := lower(r.appendLine(space[:0]))
	return !slices.ContainsFunc(s.words, func(word []byte) bool { return !bytes.Contains(line, word) })
}

// FitsBodies reports whether each of Bodies is in one of the bodies of a call.
func (s *Selection) FitsBodies(request, answer []byte) bool {
	return !slices.ContainsFunc(s.Bodies, func(text string) bool {
		return !bytes.Contains(request, []byte(text)) && !bytes.Contains(answer, []byte(text))
	})
}
