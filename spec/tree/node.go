// Package tree reads JSON and YAML into one ordered tree that remembers where
// everything stood.
//
// It exists because documents that people write are judged, shown and written
// back: the order of keys carries meaning ("the first example"), numbers must
// keep their digits (2^53+1, 1.0 against 1), and every complaint names a line
// and a column. Go maps and float64 keep none of these.
//
// Start with Parse. A Node is not changed once it is built, so it may be read
// by any number of goroutines.
package tree

import (
	"cmp"
	"strconv"
	"strings"
)

// Kind tells what a Node holds.
type Kind uint8

// The kinds of JSON. YAML scalars are resolved to these by the core schema of
// YAML 1.2: dates, `yes` and `01234` are strings.
const (
	Null Kind = iota
	Bool
	Number
	String
	List
	Map
)

var kindNames = [...]string{"null", "a boolean", "a number", "a string", "a list", "an object"}

// String names the kind as it is used in messages: "a string", "an object".
func (k Kind) String() string { return kindNames[k] }

// Node is one value of a document.
type Node struct {
	Kind Kind
	// Text is the string, the number as it was written, or "true"/"false".
	Text    string
	Items   []*Node
	Members []Member
	// Line and Col count from 1; 0 means that the value came from no document.
	Line, Col int32

	index map[string]int // of Members, for large objects only
}

// Member is one key of an object with its value.
type Member struct {
	Key       string
	Line, Col int32 // of the key
	Value     *Node
}

// indexFrom is the number of members from which an index is worth building. With 31 a scan takes 60 ns longer than a
// look-up, and an index takes 1.5 µs to build, which most answers that are drawn never use.
const indexFrom = 32

// seal builds the index of a finished object.
func (n *Node) seal() {
	if len(n.Members) < indexFrom {
		return
	}
	n.index = make(map[string]int, len(n.Members))
	for i, m := range n.Members {
		n.index[m.Key] = i
	}
}

// Get returns the value of key, or nil when n is no object or has no such key.
func (n *Node) Get(key string) *Node {
	if n == nil || n.Kind != Map {
		return nil
	}
	if n.index != nil {
		if i, ok := n.index[key]; ok {
			return n.Members[i].Value
		}
		return nil
	}
	for i := range n.Members {
		if n.Members[i].Key == key {
			return n.Members[i].Value
		}
	}
	return nil
}

// Entries are the members of an object, none of anything else.
func (n *Node) Entries() []Member {
	if n == nil {
		return nil
	}
	return n.Members
}

// Elements are the items of a list, none of anything else.
func (n *Node) Elements() []*Node {
	if n == nil {
		return nil
	}
	return n.Items
}

// Path follows keys from n; it is nil as soon as one is missing.
func (n *Node) Path(keys ...string) *Node {
	for _, key := range keys {
		n = n.Get(key)
	}
	return n
}

// Str returns the text of a string and "" for everything else.
func (n *Node) Str() string {
	if n == nil || n.Kind != String {
		return ""
	}
	return n.Text
}

// IsTrue reports whether n is the boolean true.
func (n *Node) IsTrue() bool { return n != nil && n.Kind == Bool && n.Text == "true" }

// IsFalse reports whether n is the boolean false.
func (n *Node) IsFalse() bool { return n != nil && n.Kind == Bool && n.Text == "false" }

// Float returns the number n holds; ok is false for every other kind.
func (n *Node) Float() (f float64, ok bool) {
	if n == nil || n.Kind != Number {
		return 0, false
	}
	f, err := strconv.ParseFloat(n.Text, 64)
	return f, err == nil
}

// Int returns the whole number n holds; ok is false when it holds none.
func (n *Node) Int() (i int, ok bool) {
	f, ok := n.Float()
	if !ok || f != float64(int(f)) {
		return 0, false
	}
	return int(f), true
}

// At follows a JSON Pointer (RFC 6901) from n; nil when it leads nowhere.
func (n *Node) At(pointer string) *Node {
	if pointer == "" {
		return n
	}
	for raw := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
		token := unescaped(raw)
		switch {
		case n == nil:
			return nil
		case n.Kind == Map:
			n = n.Get(token)
		case n.Kind == List:
			i, err := strconv.Atoi(token)
			if err != nil || i < 0 || i >= len(n.Items) {
				return nil
			}
			n = n.Items[i]
		default:
			return nil
		}
	}
	return n
}

var (
	unescaper = strings.NewReplacer("~1", "/", "~0", "~")
	escaper   = strings.NewReplacer("~", "~0", "/", "~1")
)

func unescaped(token string) string {
	if strings.IndexByte(token, '~') < 0 {
		return token
	}
	return unescaper.Replace(token)
}

// Tokens are the steps of a JSON Pointer.
func Tokens(pointer string) (tokens []string) {
	if pointer == "" {
		return nil
	}
	for raw := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
		tokens = append(tokens, unescaped(raw))
	}
	return tokens
}

// Join appends one step to a JSON Pointer.
func Join(pointer, token string) string { return pointer + "/" + escaper.Replace(token) }

// NewString, NewNumber, NewList and NewMap build values that stand in no
// document.
func NewString(s string) *Node { return &Node{Kind: String, Text: s} }

// NewNumber takes the digits as JSON writes them.
func NewNumber(digits string) *Node { return &Node{Kind: Number, Text: digits} }

// NewBool builds a boolean.
func NewBool(b bool) *Node { return &Node{Kind: Bool, Text: strconv.FormatBool(b)} }

// NewList takes ownership of items.
func NewList(items ...*Node) *Node { return &Node{Kind: List, Items: items} }

// NewMap takes ownership of members.
func NewMap(members ...Member) *Node {
	n := &Node{Kind: Map, Members: members}
	n.seal()
	return n
}

// Equal reports whether a and b mean the same: objects without regard to the
// order of their keys, numbers by value.
func Equal(a, b *Node) bool {
	if a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case List:
		return equalLists(a.Items, b.Items)
	case Map:
		return equalMaps(a, b)
	case Number:
		return a.Text == b.Text || CompareNumbers(a.Text, b.Text) == 0
	default:
		return a.Text == b.Text
	}
}

func equalLists(a, b []*Node) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !Equal(a[i], b[i]) {
			return false
		}
	}
	return true
}

func equalMaps(a, b *Node) bool {
	if len(a.Members) != len(b.Members) {
		return false
	}
	for _, m := range a.Members {
		other := b.Get(m.Key)
		if other == nil || !Equal(m.Value, other) {
			return false
		}
	}
	return true
}

// Compare orders values for a list: nothing first, then numbers by their size, then all
// else by its text.
func Compare(a, b *Node) int {
	switch {
	case a == nil || b == nil:
		return cmp.Compare(btoi(a != nil), btoi(b != nil))
	case a.Kind == Number && b.Kind == Number:
		x, _ := a.Float()
		y, _ := b.Float()
		return cmp.Compare(x, y)
	case a.Kind != b.Kind:
		return cmp.Compare(btoi(a.Kind != Number), btoi(b.Kind != Number))
	default:
		return cmp.Compare(a.Text, b.Text)
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
