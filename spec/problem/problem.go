// Package problem is how every layer says that something a user gave it is
// wrong: a stable code, a sentence, and the places concerned.
//
// The control API carries it as RFC 9457 problem details, the command line
// prints it, and each maps the code in one file of its own (to an HTTP status,
// to an exit code).
package problem

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Code is stable: scripts and tests may rely on it.
type Code string

// The codes in use.
const (
	Invalid     Code = "invalid"     // a document says something it may not
	Syntax      Code = "syntax"      // a document is not JSON or YAML at all
	NotFound    Code = "not-found"   // nothing has this name
	Exists      Code = "exists"      // the name is taken
	Conflict    Code = "conflict"    // parts of a request contradict one another
	Stale       Code = "stale"       // somebody changed it since it was read
	TooLarge    Code = "too-large"   // over a stated limit
	Unsupported Code = "unsupported" // understood, but not something we do
	Refused     Code = "refused"     // not allowed from here, or to you
	// Unauthorized is for who did not say who they are, or with a token that does not hold.
	Unauthorized Code = "unauthorized"
	TooMany      Code = "too-many"    // requests; later ones are answered
	Unreachable  Code = "unreachable" // the service did not answer
	Unavailable  Code = "unavailable" // not possible now, such as when the disk is full
	Internal     Code = "internal"    // our fault
)

// MaxItems bounds how many places one error lists.
const MaxItems = 100

// Item is one place where something is wrong.
type Item struct {
	// At is a JSON Pointer into the document, "" for the whole of it.
	At string `json:"at,omitempty"`
	// File is set when a document has several.
	File string `json:"file,omitempty"`
	// Line and Col count from 1; 0 when the document had no text.
	Line   int    `json:"line,omitempty"`
	Col    int    `json:"column,omitempty"`
	Detail string `json:"detail"`
	// Hint is what can be done about it; nil where that is plain, or not known.
	Hint *Hint `json:"hint,omitempty"`
}

// String gives "file:line:column: detail" with whatever of it is known.
func (i Item) String() string {
	var b strings.Builder
	if i.File != "" {
		b.WriteString(i.File + ":")
	}
	switch {
	case i.Line > 0:
		fmt.Fprintf(&b, "%d:%d:", i.Line, i.Col)
	case i.At != "":
		b.WriteString(i.At + ":")
	}
	if b.Len() > 0 {
		b.WriteByte(' ')
	}
	return b.String() + i.Detail
}

// Error is a failure that a user can mend.
type Error struct {
	Code   Code
	Detail string
	Items  []Item
	Hint   *Hint // what can be done about it; nil where that is plain, or not known
}

func (e *Error) Error() string {
	if len(e.Items) == 0 {
		return e.Detail
	}
	parts := make([]string, len(e.Items))
	for i, item := range e.Items {
		parts[i] = item.String()
	}
	return e.Detail + ": " + strings.Join(parts, "; ")
}

// New builds an Error without places.
func New(code Code, format string, args ...any) *Error {
	return &Error{Code: code, Detail: fmt.Sprintf(format, args...)}
}

// FromItems returns nil when there are none, else an Invalid error that lists
// the first MaxItems in the order of the document.
func FromItems(detail string, items []Item) error {
	if len(items) == 0 {
		return nil
	}
	Sort(items)
	if len(items) > MaxItems {
		detail = fmt.Sprintf("%s (the first %d of %d faults)", detail, MaxItems, len(items))
		items = items[:MaxItems]
	}
	return &Error{Code: Invalid, Detail: detail, Items: items}
}

// Sort brings places into the order of their files and lines.
func Sort(items []Item) {
	slices.SortStableFunc(items, func(a, b Item) int {
		return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Col, b.Col))
	})
}

// ItemsOf are the places that an error names, none when it names none.
func ItemsOf(err error) []Item {
	var known *Error
	if errors.As(err, &known) {
		return known.Items
	}
	return nil
}

// Closest returns the candidate nearest to word, or "" when none is near
// enough to be a slip of the pen.
func Closest(word string, candidates []string) string {
	best, bestDistance := "", 3
	for _, c := range candidates {
		d := Distance(strings.ToLower(word), strings.ToLower(c), bestDistance)
		if d < bestDistance && d < (len(word)+len(c)+1)/2 {
			best, bestDistance = c, d
		}
	}
	return best
}

// Suggest is what an unknown word was probably meant to be, "label?", or else all that is
// known, behind the words that say so: "it has label, text".
func Suggest(word string, known []string, say string) string {
	if near := Closest(word, known); near != "" {
		return near + "?"
	}
	return say + " " + strings.Join(known, ", ")
}

// Distance counts the letters to insert, remove, change or swap with their
// neighbour to get from a to b (optimal string alignment), in bytes. It stops
// counting at limit.
func Distance(a, b string, limit int) int {
	if a == b {
		return 0
	}
	if diff := len(a) - len(b); diff >= limit || -diff >= limit {
		return limit
	}
	before, prev, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		smallest := i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			cur[j] = min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], before[j-2]+1)
			}
			smallest = min(smallest, cur[j])
		}
		if smallest >= limit {
			return limit
		}
		before, prev, cur = prev, cur, before
	}
	return min(prev[len(b)], limit)
}
