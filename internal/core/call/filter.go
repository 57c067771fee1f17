package call

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"path"
	"regexp"
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
// and mappings put into the rest. What the User-Agent says comes last.
func (r *Summary) Line() string { return string(r.appendLine(nil)) }

func (r *Summary) appendLine(b []byte) []byte {
	if r.Lane != "" {
		b = append(append(append(b, laneWord...), r.Lane...), ' ')
	}
	if r.Source == FromCallback { // it went elsewhere
		b = append(append(append(append(b, r.Method...), ' '), r.Host...), r.Path...)
	} else {
		b = append(append(append(append(b, r.Method...), " /"...), r.Service...), r.Path...)
	}
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
	if r.Agent != "" {
		b = append(append(b, ' '), r.Agent...)
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
	// After selects the calls that came after the one with this number; 0 all.
	After uint64
	// Since and Until select the calls that came in a time, Until not in it; zero for no bound.
	Since, Until time.Time
	// Text is split at spaces, but for what is in double quotes. Every word must occur in
	// the call's Line, in any case; -word must not, and "or" stands between several such
	// choices. Of keyed words service:moorings, method:POST, source:miss, status:5xx,
	// took:>200ms, path:/berths/*, host:gauges, agent:python, trace:4bf92f35 and cause:c-81f3 look at one thing; what
	// follows body: must occur in the body of the request or of the answer, as it is written.
	Text string
	// Labels are those of the mapping that answered a call, for label:; nil where they are
	// not known.
	Labels func(*Summary) []string
	// Received leaves out the calls that services made themselves.
	Received bool
	// Ignored are calls that fit and are left out; nil for none.
	Ignored func(*Summary) bool
}

// NoLane selects the calls that are in no lane.
const NoLane = "-"

// Selection is a filter that calls are held against. It is safe for concurrent use.
type Selection struct {
	// Bodies are the texts that are looked for in bodies, Services the names of services
	// that the filter asks for; each once.
	Bodies, Services []string

	always  []term
	choices [][]term // of which one must hold; none asks for nothing
	labels  func(*Summary) []string
	ignored func(*Summary) bool
}

// term is what a word asks of a call: one of test, word and body.
type term struct {
	not  bool
	test func(*Summary) bool
	word []byte // in lower case
	body int    // place in Bodies, where there is neither
}

// Compile reads the filter. The error says which word means nothing.
func (f Filter) Compile() (*Selection, error) {
	s := &Selection{labels: f.Labels, ignored: f.Ignored}
	if f.Service != "" {
		s.Services = []string{f.Service}
		s.always = append(s.always, term{test: func(r *Summary) bool { return r.Service == f.Service }})
	}
	if f.Lane != "" {
		s.always = append(s.always, term{test: func(r *Summary) bool { return r.Lane == f.Lane || r.Lane == "" && f.Lane == NoLane }})
	}
	if f.Received {
		s.always = append(s.always, term{test: func(r *Summary) bool { return r.Source != FromCallback }})
	}
	if f.After > 0 {
		s.always = append(s.always, term{test: func(r *Summary) bool { return r.Number > f.After }})
	}
	if !f.Since.IsZero() {
		s.always = append(s.always, term{test: func(r *Summary) bool { return !r.At.Before(f.Since) }})
	}
	if !f.Until.IsZero() {
		s.always = append(s.always, term{test: func(r *Summary) bool { return r.At.Before(f.Until) }})
	}
	var choice []term
	for rest := strings.TrimSpace(f.Text); rest != ""; rest = strings.TrimSpace(rest) {
		var w word
		if w, rest = nextWord(rest); w.or {
			s.choices, choice = append(s.choices, choice), nil
			continue
		}
		asked, err := s.read(w)
		if err != nil {
			return nil, err
		}
		choice = append(choice, asked...)
	}
	s.choices = append(s.choices, choice)
	s.choices = slices.DeleteFunc(s.choices, func(choice []term) bool { return len(choice) == 0 }) // still being typed
	return s, nil
}

// word is one of the text of a filter.
type word struct {
	key, value string // key is "" where the word is none that has a key
	not, or    bool
}

var keyed = regexp.MustCompile(`^([a-z]+):`)

// nextWord cuts the first word off a text that does not begin with a space.
func nextWord(text string) (w word, rest string) {
	if unquoted, is := strings.CutPrefix(text, "-"); is && unquoted != "" && !unicode.IsSpace(rune(unquoted[0])) {
		w.not, text = true, unquoted
	}
	if m := keyed.FindStringSubmatch(text); m != nil {
		w.key, text = m[1], text[len(m[0]):]
	}
	if quoted, is := strings.CutPrefix(text, `"`); is {
		w.value, rest, _ = strings.Cut(quoted, `"`)
		return w, rest
	}
	end := strings.IndexFunc(text, unicode.IsSpace)
	if end < 0 {
		end = len(text)
	}
	w.value, rest = text[:end], text[end:]
	w.or = w.key == "" && !w.not && strings.EqualFold(w.value, "or")
	return w, rest
}

// lineWords are keys that stand in the line of a call as they are.
var lineWords = []string{"lane", "operation", "impaired", "scenario"}

// keyedWords look at one thing of a call.
var keyedWords = map[string]func(s *Selection, value string) (term, error){
	"body":    (*Selection).readBody,
	"service": (*Selection).readService,
	"method":  reading(func(r *Summary) string { return r.Method }, strings.EqualFold),
	"host":    reading(func(r *Summary) string { return r.Host }, containsFold),
	"agent":   reading(func(r *Summary) string { return r.Agent }, containsFold),
	"trace":   reading(func(r *Summary) string { return r.Trace }, beginsFold),
	"path":    readPath,
	"label":   (*Selection).readLabel,
	"source":  readSource,
	"cause":   readCause,
	"status":  readStatus,
	"took":    readTook,
}

// read gives what a word asks; nothing for one that is still being typed.
func (s *Selection) read(w word) ([]term, error) {
	look := keyedWords[w.key]
	var asked term
	var err error
	switch {
	case w.key == "" || slices.Contains(lineWords, w.key):
		text := w.value
		if w.key != "" {
			text = w.key + ":" + w.value
		}
		if text == "" {
			return nil, nil
		}
		asked = term{word: lower([]byte(text))}
	case look == nil:
		return nil, &UnknownKey{w.key, slices.Sorted(slices.Values(slices.AppendSeq(slices.Clone(lineWords), maps.Keys(keyedWords))))}
	case w.value == "":
		return nil, nil
	default:
		asked, err = look(s, w.value)
	}
	asked.not = w.not
	return []term{asked}, err
}

// UnknownKey says that a keyed word of a filter means nothing.
type UnknownKey struct {
	Key   string
	Known []string
}

// Error names what is known.
func (e *UnknownKey) Error() string { return e.Say(strings.Join(e.Known, ", ")) }

// Say is the error with a hint, such as the nearest of those that are known.
func (e *UnknownKey) Say(hint string) string {
	return e.Key + ": means nothing in a filter (" + hint + "); to look for it as it stands, put it in quotes"
}

// beginsFold takes the first digits of an id for it.
func beginsFold(text, begin string) bool { return strings.HasPrefix(text, strings.ToLower(begin)) }

func containsFold(text, part string) bool {
	return strings.Contains(strings.ToLower(text), strings.ToLower(part))
}

// reading reads a word that compares one text of a call.
func reading(of func(*Summary) string, same func(text, value string) bool) func(*Selection, string) (term, error) {
	return func(_ *Selection, value string) (term, error) {
		return term{test: func(r *Summary) bool { return same(of(r), value) }}, nil
	}
}

// place is that of a text in a list, to which it is added.
func place(list *[]string, text string) int {
	at := slices.Index(*list, text)
	if at < 0 {
		at, *list = len(*list), append(*list, text)
	}
	return at
}

func (s *Selection) readBody(value string) (term, error) {
	return term{body: place(&s.Bodies, value)}, nil
}

func (s *Selection) readService(value string) (term, error) {
	place(&s.Services, value)
	return term{test: func(r *Summary) bool { return strings.EqualFold(r.Service, value) }}, nil
}

// readPath reads the path within the service, in which * stands for what is between two
// slashes.
func readPath(_ *Selection, value string) (asked term, err error) {
	if _, err := path.Match(value, ""); err != nil {
		return asked, fmt.Errorf("path:%s means nothing; it is such as path:/health or path:/berths/*", value)
	}
	return term{test: func(r *Summary) bool {
		fits, _ := path.Match(value, r.Path) // the pattern is sound
		return fits
	}}, nil
}

func (s *Selection) readLabel(value string) (asked term, err error) {
	if s.labels == nil {
		return asked, errors.New("label: looks at the mapping that answered, which only lists of ignored calls know")
	}
	return term{test: func(r *Summary) bool { return slices.Contains(s.labels(r), value) }}, nil
}

// Empty reports whether the selection asks for nothing.
func (s *Selection) Empty() bool { return len(s.always)+len(s.choices) == 0 }

// special are what patterns of paths have a meaning for.
var special = strings.NewReplacer(`\`, `\\`, `*`, `\*`, `?`, `\?`, `[`, `\[`)

// Rule is the text of a filter that fits the call and others to the same place.
func (r *Summary) Rule() string {
	rule := keyedWord("method", r.Method) + " " + keyedWord("path", special.Replace(r.Path))
	if r.Service != "" {
		return keyedWord("service", r.Service) + " " + rule
	}
	return keyedWord("host", r.Host) + " " + rule
}

// keyedWord is a keyed word of a filter, in quotes where it needs them.
func keyedWord(key, value string) string {
	if strings.ContainsFunc(value, unicode.IsSpace) || value == "" {
		return key + `:"` + value + `"`
	}
	return key + ":" + value
}

func readSource(_ *Selection, value string) (asked term, err error) {
	source := Source(strings.ToLower(value))
	if !slices.Contains(Sources, source) {
		return asked, fmt.Errorf("source:%s means nothing; it is one of %s", value, strings.Trim(fmt.Sprint(Sources), "[]"))
	}
	return term{test: func(r *Summary) bool { return r.Source == source }}, nil
}

// readCause reads the id of a call after which the service made others.
func readCause(_ *Selection, value string) (asked term, err error) {
	number, ok := ParseID(strings.ToLower(value))
	if !ok {
		return asked, fmt.Errorf("cause:%s means nothing; it is the id of a call, such as cause:c-81f3", value)
	}
	return term{test: func(r *Summary) bool { return r.Cause == number }}, nil
}

// readStatus reads 503, 5xx, or none for calls that got no answer.
func readStatus(_ *Selection, value string) (asked term, err error) {
	class, isClass := strings.CutSuffix(strings.ToLower(value), "xx")
	number, err := strconv.Atoi(class)
	switch {
	case strings.EqualFold(value, "none"):
		number, isClass = 0, false
	case err != nil:
		return asked, fmt.Errorf("status:%s means nothing; it is such as status:503, status:5xx or status:none", value)
	}
	return term{test: func(r *Summary) bool { return r.Status == number || isClass && r.Status/100 == number }}, nil
}

// readTook reads >200ms or <1s.
func readTook(_ *Selection, value string) (asked term, err error) {
	than, err := time.ParseDuration(value[1:])
	if err != nil || value[0] != '<' && value[0] != '>' {
		return asked, fmt.Errorf("took:%s means nothing; it is such as took:>200ms or took:<1s", value)
	}
	longer := value[0] == '>'
	return term{test: func(r *Summary) bool { return r.Took != than && (r.Took > than) == longer }}, nil
}

// Fits reports whether the selection has a call. inBodies tells whether one of Bodies, by
// its place, stands in the body of the request or of the answer; it is not asked where
// Bodies is empty.
func (s *Selection) Fits(r *Summary, inBodies func(place int) bool) bool {
	var line []byte
	var space [512]byte // a log has a hundred thousand lines
	holds := func(t term) bool {
		switch {
		case t.test != nil:
			return t.test(r) != t.not
		case t.word == nil:
			return inBodies(t.body) != t.not
		case line == nil:
			line = lower(r.appendLine(space[:0]))
		}
		return bytes.Contains(line, t.word) != t.not
	}
	fails := func(terms []term) bool { return slices.ContainsFunc(terms, func(t term) bool { return !holds(t) }) }
	return !fails(s.always) && (len(s.choices) == 0 || slices.ContainsFunc(s.choices, func(choice []term) bool { return !fails(choice) })) &&
		(s.ignored == nil || !s.ignored(r))
}
