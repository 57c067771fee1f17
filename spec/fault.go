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

// Fault is a SOAP fault. In all its texts ${…} stands for what an expression gives.
type Fault struct {
	// Code is Client, Server, MustUnderstand or VersionMismatch; SOAP 1.2 calls the first two Sender and
	// Receiver, and has DataEncodingUnknown, too. Any other name is {NAMESPACE}LOCAL: in 1.2 it becomes
	// a subcode of Receiver.
	Code string `json:"code"`
	// Subcode are the names below the code, from the outside in, as {NAMESPACE}LOCAL. SOAP 1.1 has one
	// code only, which is the last of them.
	Subcode Subcodes `json:"subcode,omitempty"`
	// Text is for people, in English; SOAP 1.2 has it also in the languages of Translations.
	Text         string       `json:"text"`
	Translations Translations `json:"translations,omitempty"`
	// Node and Role say in 1.2 where the fault happened, and what that was then; in 1.1 Role is the
	// actor.
	Node string `json:"node,omitempty"`
	Role string `json:"role,omitempty"`
	// Detail is XML, sent as it stands.
	Detail string `json:"detail,omitempty"`
}

// FaultCodes are the names of codes that need no namespace.
var FaultCodes = []string{"Client", "Server", "Sender", "Receiver", "MustUnderstand", "VersionMismatch", "DataEncodingUnknown"}

var expandedName = regexp.MustCompile(`^\{[^{}]+\}[^{}\s:]+$`)

func (f *Fault) faults(at string) (items []problem.Item) {
	isName := func(name string) bool { return strings.Contains(name, "${") || expandedName.MatchString(name) }
	if !slices.Contains(FaultCodes, f.Code) && !isName(f.Code) {
		items = append(items, problem.Item{At: at + "/code", Detail: fmt.Sprintf("code must be Client, Server, MustUnderstand, VersionMismatch, or a name such as {urn:desk}Closed, not %q", f.Code)})
	}
	for i, code := range f.Subcode {
		if !isName(code) {
			place := at + "/subcode"
			if len(f.Subcode) > 1 {
				place += "/" + strconv.Itoa(i)
			}
			items = append(items, problem.Item{At: place, Detail: fmt.Sprintf("a subcode is a name such as {urn:desk}Closed, not %q", code)})
		}
	}
	return items
}

// Texts are the texts of the fault, in an order that depends on its shape alone; the detail comes last.
func (f *Fault) Texts() []*string {
	texts := []*string{&f.Code}
	for i := range f.Subcode {
		texts = append(texts, &f.Subcode[i])
	}
	for i := range f.Translations {
		texts = append(texts, &f.Translations[i].Text)
	}
	return append(texts, &f.Text, &f.Node, &f.Role, &f.Detail)
}

// Clone is a copy that shares nothing.
func (f *Fault) Clone() *Fault {
	copied := *f
	copied.Subcode, copied.Translations = slices.Clone(f.Subcode), slices.Clone(f.Translations)
	return &copied
}

// Subcodes is one name or a list of them.
type Subcodes []string

// DecodeTree reads one or a list of them.
func (s *Subcodes) DecodeTree(n *tree.Node) error {
	given := []*tree.Node{n}
	if n.Kind == tree.List {
		given = n.Items
	}
	*s = make(Subcodes, 0, len(given))
	for _, one := range given {
		if one.Kind != tree.String {
			return errors.New("must be a name such as {urn:desk}Closed, or a list of them")
		}
		*s = append(*s, one.Text)
	}
	return nil
}

// MarshalJSON writes one as a text, several as a list.
func (s Subcodes) MarshalJSON() ([]byte, error) {
	if len(s) == 1 {
		return json.Marshal(s[0])
	}
	return json.Marshal([]string(s))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Subcodes) UnmarshalJSON(text []byte) error { return decodeJSON(text, s) }

// Translation is the text of a fault in a language.
type Translation struct{ Language, Text string }

// Translations is an object of languages and texts.
type Translations []Translation

// DecodeTree reads them in their order.
func (t *Translations) DecodeTree(n *tree.Node) error {
	if n.Kind != tree.Map || slices.ContainsFunc(n.Members, func(m tree.Member) bool { return m.Value.Kind != tree.String || m.Key == "" }) {
		return errors.New("must be texts by their languages, such as { de: geschlossen }")
	}
	*t = make(Translations, 0, len(n.Members))
	for _, m := range n.Members {
		*t = append(*t, Translation{m.Key, m.Value.Text})
	}
	return nil
}

// MarshalJSON writes what DecodeTree reads.
func (t Translations) MarshalJSON() ([]byte, error) {
	var members []tree.Member
	for _, one := range t {
		members = append(members, tree.Member{Key: one.Language, Value: tree.NewString(one.Text)})
	}
	return tree.NewMap(members...).AppendJSON(nil), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (t *Translations) UnmarshalJSON(text []byte) error { return decodeJSON(text, t) }
