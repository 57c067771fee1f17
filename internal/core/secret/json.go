package secret

import (
	"bytes"
	"encoding/json"
	"strings"
)

// patch is a text in which places are replaced; it is copied with the first of them.
type patch struct {
	text []byte
	out  []byte
	done int // up to where text is in out
}

// put replaces text[from:to]; places come in their order.
func (w *patch) put(from, to int, with string) {
	if w.out == nil {
		w.out = make([]byte, 0, len(w.text)+len(with))
	}
	w.out = append(append(w.out, w.text[w.done:from]...), with...)
	w.done = to
}

// bytes is the text as it is now: itself where nothing was replaced.
func (w *patch) bytes() []byte {
	if w.out == nil {
		return w.text
	}
	return append(w.out, w.text[w.done:]...)
}

// json masks the values of members with secret names. It looks for what stands in
// quotes and for what follows, and so reads several documents, parts of one, and JSON
// in other text as well.
func (p *pass) json(text []byte) []byte {
	w := &patch{text: text}
	for i := 0; ; {
		quote := bytes.IndexByte(text[i:], '"')
		if quote < 0 {
			return w.bytes()
		}
		start := i + quote
		end, telling := stringEnd(text, start)
		i = end
		behind := skipSpace(text, end)
		if behind == len(text) || text[behind] != ':' {
			if telling && end-start >= 8 {
				p.jsonText(w, start, end)
			}
			continue
		}
		k := p.nameKind(nameIn(text[start:end]))
		i = skipSpace(text, behind+1)
		if k != open {
			i = p.jsonValue(w, i, k)
		}
	}
}

// letters tell what a byte in a string is: 0 for most.
var letters = func() (table [256]byte) {
	for _, c := range []byte(`(?#@=<{`) {
		table[c] = structured
	}
	table['"'], table['\\'] = closing, escaping
	return table
}()

const (
	structured = 1 + iota // stands in texts that are something else than words
	closing               // ends a string
	escaping              // begins an escape
)

// stringEnd is where a string in quotes ends, behind its last quote; a text that is
// over ends it, too. It says as well whether the string may be a text of its own.
func stringEnd(text []byte, start int) (end int, isText bool) {
	for i := start + 1; i < len(text); i++ {
		switch letters[text[i]] {
		case closing:
			return i + 1, isText
		case escaping:
			isText = true
			i++
		case structured:
			isText = true
		}
	}
	return len(text), isText
}

func skipSpace(text []byte, i int) int {
	for i < len(text) && (text[i] == ' ' || text[i] == '\n' || text[i] == '\t' || text[i] == '\r') {
		i++
	}
	return i
}

// nameIn is the name that stands in quotes.
func nameIn(quoted []byte) []byte {
	if bytes.IndexByte(quoted, '\\') < 0 {
		return withoutQuotes(quoted)
	}
	return []byte(unquoted(quoted))
}

// unquoted is the text of a string as JSON has it. Of one that is not whole it is what
// there is.
func unquoted(quoted []byte) string {
	if bytes.IndexByte(quoted, '\\') >= 0 {
		var plain string
		if json.Unmarshal(quoted, &plain) == nil {
			return plain
		}
	}
	return string(withoutQuotes(quoted))
}

func withoutQuotes(quoted []byte) []byte {
	if len(quoted) > 0 && quoted[0] == '"' {
		quoted = quoted[1:]
	}
	if n := len(quoted); n > 0 && quoted[n-1] == '"' {
		quoted = quoted[:n-1]
	}
	return quoted
}

// jsonValue masks the value that begins at i: a text or a number, or all of them in an
// object or a list. It returns from where to go on.
func (p *pass) jsonValue(w *patch, i int, k kind) int {
	text := w.text
	if i >= len(text) {
		return len(text)
	}
	switch c := text[i]; {
	case c == '"':
		end, _ := stringEnd(text, i)
		p.jsonSecret(w, i, end, k)
		return end
	case (c == '{' || c == '[') && k == sure:
		return p.jsonAll(w, i)
	case c == '-' || '0' <= c && c <= '9':
		end := i
		for end < len(text) && strings.IndexByte("+-.eE0123456789", text[end]) >= 0 {
			end++
		}
		if k == sure || looksSecret(string(text[i:end])) {
			w.put(i, end, `"`+p.take(string(text[i:end]))+`"`)
		}
		return end
	default:
		return i
	}
}

// jsonAll masks every text and number from an opening bracket to its closing one.
func (p *pass) jsonAll(w *patch, i int) int {
	text := w.text
	for depth := 0; i < len(text); {
		switch c := text[i]; {
		case c == '{' || c == '[':
			depth++
			i++
		case c == '}' || c == ']':
			if i++; depth <= 1 {
				return i
			}
			depth--
		case c == '"':
			end, _ := stringEnd(text, i)
			if behind := skipSpace(text, end); behind < len(text) && text[behind] == ':' {
				i = behind + 1
				continue
			}
			p.jsonSecret(w, i, end, sure)
			i = end
		case c == '-' || '0' <= c && c <= '9':
			i = p.jsonValue(w, i, sure)
		default:
			i++
		}
	}
	return i
}

// jsonSecret masks a string, which the end of the text may have cut off.
func (p *pass) jsonSecret(w *patch, start, end int, k kind) {
	if k == likely && end-start < 8 { // too short for one
		return
	}
	value := unquoted(w.text[start:end])
	if value == "" || k == likely && !looksSecret(value) {
		return
	}
	closing := `"`
	if end == len(w.text) && (end-start < 2 || w.text[end-1] != '"') {
		closing = ""
	}
	w.put(start, end, `"`+p.take(value)+closing)
}

// jsonText masks what is secret in a string that is a text of its own: JSON in
// quotes, an address, a question of GraphQL.
func (p *pass) jsonText(w *patch, start, end int) {
	quoted := w.text[start:end]
	value := unquoted(quoted)
	masked := value
	p.within(func() { masked = p.inside(value) })
	if masked == value {
		return
	}
	var b bytes.Buffer
	encoder := json.NewEncoder(&b)
	encoder.SetEscapeHTML(false)
	_ = encoder.Encode(masked) // a string always encodes
	again := strings.TrimSuffix(b.String(), "\n")
	if quoted[len(quoted)-1] != '"' {
		again = strings.TrimSuffix(again, `"`)
	}
	w.put(start, end, again)
}
