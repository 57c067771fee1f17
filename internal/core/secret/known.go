package secret

import (
	"slices"

	"rapidmimic.example/internal/core/call"
)

// known are values that are secrets wherever they occur, whatever the place says: those of
// secret variables. It is immutable.
type known struct {
	values  []string
	needles []needle // all codings of all of them; the pass gives their marks
	// begins has a bit for the first two bytes of each needle, so that a text without any
	// is read once, however many there are.
	begins [1 << 10]uint64
	first  map[uint16][]string // their beginnings
}

// mostKnown bounds the values that are known for secrets.
const mostKnown = 2_000

// Know has values taken for secrets wherever they occur from now on, beside those that it
// was told of before: calls that had one may still be on their way.
func (m *Masker) Know(values []string) {
	m.knowing.Lock()
	defer m.knowing.Unlock()
	var grown []string
	if before := m.known.Load(); before != nil {
		grown = before.values
	}
	had := len(grown)
	for _, value := range values {
		if !slices.Contains(grown, value) {
			grown = append(slices.Clone(grown), value)
		}
	}
	if len(grown) == had {
		return
	}
	m.known.Store(know(grown[max(0, len(grown)-mostKnown):]))
	m.clean.forget()
}

func know(values []string) *known {
	k := &known{values: values, first: make(map[uint16][]string)}
	for _, value := range values {
		for _, text := range codings(value) {
			begin := text[:min(len(text), longEnough)]
			key := uint16(begin[0])<<8 | uint16(begin[1])
			k.needles = append(k.needles, needle{text: text, secret: value})
			k.begins[key>>6] |= 1 << (key & 63)
			k.first[key] = append(k.first[key], begin)
		}
	}
	return k
}

// occurs reports whether one of the values, or the beginning of one, is in a text.
func occurs[T string | []byte](k *known, text T) bool {
	if k == nil {
		return false
	}
	for i := 1; i < len(text); i++ {
		key := uint16(text[i-1])<<8 | uint16(text[i])
		if k.begins[key>>6]&(1<<(key&63)) == 0 {
			continue
		}
		for _, begin := range k.first[key] {
			if len(text)-i+1 >= len(begin) && string(text[i-1:i-1+len(begin)]) == begin {
				return true
			}
		}
	}
	return false
}

// Conceal takes the values that are known for secrets out of an answer and its explanation,
// of which it may replace what others share.
func (m *Masker) Conceal(answer *call.Answer, explanation **call.Explanation) {
	if e := m.pass(hidden).elsewhere(); e != nil {
		e.answer(answer)
		*explanation = e.explanation(*explanation)
	}
}

// knownIn masks what is known for a secret in a text that nothing else looks at again. One
// without any is returned as it is.
func (p *pass) knownIn(text []byte) []byte {
	if !occurs(p.known, text) {
		return text
	}
	e := &elsewhere{pass: p}
	return e.bytes(text)
}
