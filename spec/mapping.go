package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Mapping says: when a call looks like this, give that answer.
type Mapping struct {
	// ID is readable and unique in its service. Left out, it is made from
	// method and path.
	ID    string `json:"id"`
	Title string `json:"title,omitempty"`
	// Labels are free words to select by.
	Labels []string `json:"labels,omitempty"`
	// Enabled is true unless switched off.
	Enabled bool `json:"enabled"`
	// Rank decides between mappings that fit the same call: higher wins.
	Rank int     `json:"rank"`
	Call Pattern `json:"call"`
	// Answer is given to every call; or Sequence gives its answers in turn, or
	// Choose the first whose expression is true.
	Answer   Answer   `json:"answer,omitzero"`
	Sequence []Answer `json:"sequence,omitempty"`
	// Then is what comes after the last answer of the sequence: repeat-last, the
	// default, start-over, or pass, which leaves the call to whatever else fits.
	Then string `json:"then,omitempty"`
	// Per is whose calls the sequence counts: everyone, the default, or caller, by
	// the caller's address.
	Per    string   `json:"per,omitempty"`
	Choose []Choice `json:"choose,omitempty"`
	// Flow makes the mapping a move of a state machine; nil for none.
	Flow *Flow `json:"flow,omitempty"`
	// Impair is trouble that goes with every answer of the mapping.
	Impair *Impairment `json:"impair,omitempty"`
}

// Choice is one of several answers. The last one has no If.
type Choice struct {
	// If is an expression that must be true.
	If     string `json:"if,omitempty"`
	Answer Answer `json:"answer"`
}

// What Then and Per can be.
const (
	RepeatLast = "repeat-last"
	StartOver  = "start-over"
	Pass       = "pass"
	Everyone   = "everyone"
	PerCaller  = "caller"
)

// Answers are all that the mapping can give, in their order.
func (m *Mapping) Answers() []Answer {
	switch {
	case len(m.Sequence) > 0:
		return m.Sequence
	case len(m.Choose) > 0:
		answers := make([]Answer, len(m.Choose))
		for i, c := range m.Choose {
			answers[i] = c.Answer
		}
		return answers
	default:
		return []Answer{m.Answer}
	}
}

// StartingFrom is the mapping with another id for one that answers of it start from; starts
// is false where none does.
func (m Mapping) StartingFrom(id, renamed string) (out Mapping, starts bool) {
	out = m
	out.Sequence, out.Choose = slices.Clone(m.Sequence), slices.Clone(m.Choose)
	rename := func(a *Answer) {
		if id != "" && a.Original() == id {
			a.From, starts = FromMapping+renamed, true
		}
	}
	rename(&out.Answer)
	for i := range out.Sequence {
		rename(&out.Sequence[i])
	}
	for i := range out.Choose {
		rename(&out.Choose[i].Answer)
	}
	return out, starts
}

// AnswerPlace is the JSON Pointer to one of its answers.
func (m *Mapping) AnswerPlace(index int) string {
	switch {
	case len(m.Sequence) > 0:
		return "/sequence/" + strconv.Itoa(index)
	case len(m.Choose) > 0:
		return "/choose/" + strconv.Itoa(index) + "/answer"
	default:
		return "/answer"
	}
}

// Pattern says what a call looks like.
type Pattern struct {
	// Method is one or several; none means any.
	Method Methods `json:"method,omitempty"`
	// Path is a template relative to the service: /berths/{number}. It may be
	// left out when Operation is given.
	Path string `json:"path,omitempty"`
	// Operation is the id of an operation of the contract: its calls are meant.
	Operation string `json:"operation,omitempty"`
	// Where lists what must hold besides; all of it.
	Where []Condition `json:"where,omitempty"`
	// If is an expression that must be true.
	If string `json:"if,omitempty"`
}

// String says in a few words what calls are meant: GET /berths/{number}, or
// operation getBerth.
func (p Pattern) String() string {
	if p.Path == "" {
		return "operation " + p.Operation
	}
	return strings.TrimSpace(strings.Join(p.Method, "|") + " " + p.Path)
}

// Telling says what the pattern asks for beside method and path, such that mappings on
// one path can be told apart: limit=1, cookie sid, body.
func (p Pattern) Telling() (words []string) {
	words = tellingOf(p.Where)
	if p.If != "" {
		words = append(words, "if "+p.If)
	}
	return words
}

func tellingOf(conditions []Condition) (words []string) {
	for _, c := range conditions {
		if word := c.telling(); word != "" && !slices.Contains(words, word) {
			words = append(words, word)
		}
	}
	return words
}

// telling is one word or two for a condition; "" for one that tells nothing apart.
func (c Condition) telling() string {
	value := ""
	switch {
	case c.Equals != nil && c.Equals.Kind != tree.Map && c.Equals.Kind != tree.List:
		value = "=" + c.Equals.Text
	case c.Present != nil && !*c.Present:
		value = " absent"
	case c.Digest != nil:
		value = " by digest"
	}
	switch {
	case c.Only != "":
		return ""
	case c.isGroup():
		return map[bool]string{true: "all"}[c.All != nil] + map[bool]string{true: "any"}[c.Any != nil] + map[bool]string{true: "none"}[c.None != nil] +
			" of (" + strings.Join(tellingOf(slices.Concat(c.All, c.Any, c.None)), ", ") + ")"
	case c.Query != "":
		return c.Query + value
	case c.Header != "":
		return "header " + c.Header + value
	case c.Cookie != "":
		return "cookie " + c.Cookie + value
	case c.Form != "":
		return "form " + c.Form + value
	case c.Part != "":
		return "part " + c.Part
	case c.GraphQL != "":
		return "graphql " + c.GraphQL + value
	case c.Caller != "":
		return "caller " + c.Caller
	case c.XML != "" && strings.HasPrefix(c.XML, "count("): // of a recording
		return ""
	case c.XML != "":
		return c.XML[strings.LastIndexByte(c.XML, '/')+1:] + value
	case c.Text:
		return "body"
	default:
		return strings.TrimSuffix("body "+c.Body, " $") + value
	}
}

// Methods are HTTP methods in upper case, written as one name or a list.
type Methods []string

// DecodeTree reads one method or a list of them.
func (m *Methods) DecodeTree(n *tree.Node) error {
	items := []*tree.Node{n}
	if n.Kind == tree.List {
		items = n.Items
	}
	for _, item := range items {
		if item.Kind != tree.String {
			return errors.New("must be a method such as GET, or a list of methods")
		}
		*m = append(*m, strings.ToUpper(item.Text))
	}
	return nil
}

// MarshalJSON writes one method as a string, several as a list.
func (m Methods) MarshalJSON() ([]byte, error) {
	if len(m) == 1 {
		return json.Marshal(m[0])
	}
	return json.Marshal([]string(m))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (m *Methods) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return m.DecodeTree(n)
}

// newMapping gives the defaults of every key.
func newMapping() Mapping {
	return Mapping{Enabled: true}
}

var mappingKind = kind[Mapping]{
	noun: "mapping", key: "id", several: "mappings",
	added: []string{"service", "deviations", "origin", "offBy", "problem", "telling", "calls", "positions"},
	read:  readMapping,
	name:  func(m *Mapping) string { return m.ID },
}

// GivenMappings reads a document that holds one mapping or several. Faults of all of
// them are reported together; then nothing is returned.
func GivenMappings(text []byte) ([]Given[Mapping], error) { return mappingKind.list(text) }

// GivenMapping reads a document that holds one mapping; name is its id unless it gives
// one itself, or with "" what its call makes of it.
func GivenMapping(text []byte, name string) (Given[Mapping], error) {
	return mappingKind.one(text, name)
}

// ReadMappings is GivenMappings without what was said about them.
func ReadMappings(text []byte) ([]Mapping, error) {
	given, err := GivenMappings(text)
	if err != nil {
		return nil, err
	}
	return Documents(given), nil
}

func readMapping(n *tree.Node, id string) (Mapping, []problem.Item) {
	m := newMapping()
	m.ID = id
	items := tree.Decode(n, &m, "mapping")
	if n.Get("answer") != nil && (m.Sequence != nil || m.Choose != nil) || m.Sequence != nil && m.Choose != nil {
		items = append(items, problem.Item{Line: int(n.Line), Col: int(n.Col), Detail: "a mapping has one of answer, sequence and choose"})
	}
	if m.ID == "" {
		m.ID = m.idFromPattern()
	}
	m.setStatus()
	return m, append(items, Besides(items, tree.Locate(n, m.faults()), n)...)
}

// commonMethods are those that are meant by a slip of the pen, knownMethods beside them the
// ones of the IANA registry that look like one. Any other name may be a method of its own.
var (
	commonMethods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "CONNECT"}
	knownMethods  = append([]string{"ACL", "BIND", "LINK", "LOCK", "COPY", "MOVE", "PRI", "SEARCH", "REPORT", "REBIND", "UPDATE", "QUERY", "MERGE", "LABEL", "PURGE"}, commonMethods...)
)

func countConditions(list []Condition) int {
	count := len(list)
	for _, c := range list {
		count += countConditions(c.All) + countConditions(c.Any) + countConditions(c.None)
	}
	return count
}

// setStatus gives answers that name no status theirs.
func (m *Mapping) setStatus() {
	if m.Sequence != nil || m.Choose != nil {
		m.Answer = Answer{}
	} else {
		m.Answer.setStatus()
	}
	for i := range m.Sequence {
		m.Sequence[i].setStatus()
	}
	for i := range m.Choose {
		m.Choose[i].Answer.setStatus()
	}
}

func (m *Mapping) idFromPattern() string {
	method := "any"
	if len(m.Call.Method) > 0 {
		method = strings.Join(m.Call.Method, "-")
	}
	if m.Call.Path == "" {
		return Slug(m.Call.Operation, 120)
	}
	return Slug(method+" "+m.Call.Path, 120)
}

var mappingID = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]{0,127}$`)

// Document is the mapping as people would write it: without what is so anyhow.
func (m *Mapping) Document() *tree.Node {
	n, err := tree.From(m)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	members := slices.DeleteFunc(n.Members, func(member tree.Member) bool {
		return member.Key == "enabled" && member.Value.IsTrue() || member.Key == "rank" && member.Value.Text == "0"
	})
	return tree.NewMap(members...)
}

// YAML is the Document as text.
func (m *Mapping) YAML() (string, error) {
	text, err := m.Document().YAML()
	return string(text), err
}

// CheckMappingID says what is wrong with an id; nil for one that can be used.
func CheckMappingID(id string) error {
	if mappingID.MatchString(id) {
		return nil
	}
	return problem.New(problem.Invalid, "id must be letters, digits, `.`, `_` and `-`, at most 128, not %q", id)
}

// LabelRule says in words what ValidLabel demands.
const LabelRule = "one word of at most 60 characters, without commas"

// ValidLabel reports whether a word can be a label.
func ValidLabel(label string) bool {
	return label != "" && len(label) <= 60 && !strings.ContainsFunc(label, func(r rune) bool { return r <= ' ' || r == ',' })
}

// faults finds what the shape alone does not show.
func (m *Mapping) faults() (items []problem.Item) {
	fault := func(at, format string, args ...any) {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if !mappingID.MatchString(m.ID) && (m.ID != "" || m.Call.Path+m.Call.Operation != "") { // else there is nothing to make one of
		fault("/id", "id must be letters, digits, `.`, `_` and `-`, at most 128, not %q", m.ID)
	}
	if m.Call.Path == "" && m.Call.Operation == "" {
		fault("/call", "call needs a path, such as /berths/{number}, or an operation of the contract")
	}
	for _, method := range m.Call.Method {
		if !token.MatchString(method) {
			fault("/call/method", "%q is not an HTTP method", method)
		} else if near := problem.Closest(method, commonMethods); near != "" && !slices.Contains(knownMethods, method) {
			fault("/call/method", "%q is not an HTTP method (%s?)", method, near)
		}
	}
	for i, label := range m.Labels {
		if !ValidLabel(label) {
			fault("/labels/"+strconv.Itoa(i), "a label is %s, not %q", LabelRule, label)
		}
	}
	if n := countConditions(m.Call.Where); n > MaxConditions {
		fault("/call/where", "a mapping has at most %d conditions, not %d", MaxConditions, n)
	} else {
		items = append(items, conditionFaults(m.Call.Where, "/call/where")...)
	}
	if m.Flow != nil {
		items = append(items, m.Flow.faults("/flow")...)
	}
	if m.Impair != nil {
		items = append(items, m.Impair.Faults("/impair")...)
	}
	return append(items, m.answerFaults()...)
}

// Limits of one mapping. A call looks at all of it.
const (
	MaxConditions = 1_000  // of where, groups counted with what is in them
	MaxSequence   = 10_000 // answers of a sequence
	MaxChoices    = 1_000
)

// answerFaults finds what the shape of the answers does not show.
func (m *Mapping) answerFaults() (items []problem.Item) {
	fault := func(at, format string, args ...any) {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if m.Then != "" && !slices.Contains([]string{RepeatLast, StartOver, Pass}, m.Then) {
		fault("/then", "then must be repeat-last, start-over or pass, not %q", m.Then)
	}
	if m.Per != "" && m.Per != Everyone && m.Per != PerCaller {
		fault("/per", "per must be everyone or caller, not %q", m.Per)
	}
	if m.Sequence == nil && m.Then+m.Per != "" {
		fault("", "then and per belong to a sequence")
	}
	for i, c := range m.Choose {
		if last := i == len(m.Choose)-1; last && c.If != "" {
			fault("/choose/"+strconv.Itoa(i), "the last choice must have no if, so that every call gets an answer")
		} else if !last && c.If == "" {
			fault("/choose/"+strconv.Itoa(i), "only the last choice can have no if")
		}
	}
	switch {
	case m.Sequence != nil:
		for i, a := range m.Sequence {
			items = append(items, a.faults("/sequence/"+strconv.Itoa(i))...)
		}
		if n := len(m.Sequence); n > MaxSequence {
			fault("/sequence", "a sequence has at most %d answers, not %d", MaxSequence, n)
		}
		if len(m.Sequence) == 0 {
			fault("/sequence", "a sequence needs at least one answer")
		}
	case m.Choose != nil:
		for i, c := range m.Choose {
			items = append(items, c.Answer.faults("/choose/"+strconv.Itoa(i)+"/answer")...)
		}
		if n := len(m.Choose); n > MaxChoices {
			fault("/choose", "a choice has at most %d answers, not %d", MaxChoices, n)
		}
		if len(m.Choose) == 0 {
			fault("/choose", "a choice needs at least one answer")
		}
	default:
		items = append(items, m.Answer.faults("/answer")...)
	}
	return items
}
