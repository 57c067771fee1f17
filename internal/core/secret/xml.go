package secret

import (
	"bytes"
	"strings"
)

// xml masks the text of elements, and the values of attributes, with secret names.
func (p *pass) xml(text []byte) []byte {
	w := &patch{text: text}
	for i := 0; ; {
		at := bytes.IndexByte(text[i:], '<')
		if at < 0 {
			return w.bytes()
		}
		if i += at; i+1 < len(text) && text[i+1] == '/' { // it closes one
			i += len("</")
			continue
		}
		end := markupEnd(text, i)
		name, isElement := elementName(text[i:end])
		if !isElement {
			i = end
			continue
		}
		p.xmlAttributes(w, i+1+len(name), end)
		k := p.nameKind(localName(name))
		i = end
		if k != open && text[end-1] == '>' && text[end-2] != '/' {
			i = p.xmlContent(w, end, k)
		}
	}
}

// markupEnd is where a tag, comment, instruction or CDATA section ends that begins at
// i.
func markupEnd(text []byte, i int) int {
	if i+1 < len(text) && (text[i+1] == '!' || text[i+1] == '?') {
		for _, pair := range [][2]string{{"<!--", "-->"}, {"<![CDATA[", "]]>"}, {"<?", "?>"}} {
			if bytes.HasPrefix(text[i:], []byte(pair[0])) {
				if end := bytes.Index(text[i:], []byte(pair[1])); end >= 0 {
					return i + end + len(pair[1])
				}
				return len(text)
			}
		}
	}
	if end := bytes.IndexByte(text[i:], '>'); end >= 0 && bytes.IndexByte(text[i:i+end], '"') < 0 && bytes.IndexByte(text[i:i+end], '\'') < 0 {
		return i + end + 1 // nearly always
	}
	quote := byte(0)
	for j := i; j < len(text); j++ {
		switch c := text[j]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>':
			return j + 1
		}
	}
	return len(text)
}

// elementName is the name in a tag that opens an element.
func elementName(tag []byte) (name []byte, ok bool) {
	if len(tag) < 3 || tag[1] == '/' || tag[1] == '!' || tag[1] == '?' {
		return nil, false
	}
	for i, c := range tag[1:] {
		switch c {
		case ' ', '\t', '\r', '\n', '/', '>':
			return tag[1 : 1+i], true
		}
	}
	return tag[1:], true
}

func localName(name []byte) []byte { return name[bytes.LastIndexByte(name, ':')+1:] }

func (p *pass) xmlAttributes(w *patch, from, to int) {
	text := w.text
	for i := from; i < to; {
		equals := bytes.IndexByte(text[i:to], '=')
		if equals < 0 {
			return
		}
		name := localName(bytes.TrimSpace(text[i : i+equals]))
		i = skipSpace(text, i+equals+1)
		if i >= to || text[i] != '"' && text[i] != '\'' {
			return
		}
		end := bytes.IndexByte(text[i+1:to], text[i])
		if end < 0 {
			end = to - i - 1
		}
		value := fromXML(text[i+1 : i+1+end])
		if k := p.nameKind(name); k == sure && value != "" || k == likely && looksSecret(value) {
			w.put(i+1, i+1+end, p.take(value))
		}
		i += end + 2
	}
}

// xmlContent masks all text from i to where its element ends; of an element whose
// name only may be that of a secret the text that follows at once.
func (p *pass) xmlContent(w *patch, i int, k kind) int {
	text := w.text
	for depth := 1; i < len(text); {
		next := bytes.IndexByte(text[i:], '<')
		end := i + next
		if next < 0 {
			end = len(text)
		}
		p.xmlText(w, i, end, k)
		if end == len(text) || k == likely {
			return end
		}
		i = markupEnd(text, end)
		tag := text[end:i]
		switch {
		case bytes.HasPrefix(tag, []byte("<![CDATA[")):
			p.xmlText(w, end+len("<![CDATA["), max(end+len("<![CDATA["), i-len("]]>")), k)
		case bytes.HasPrefix(tag, []byte("</")):
			if depth--; depth == 0 {
				return i
			}
		default:
			if name, ok := elementName(tag); ok {
				p.xmlAttributes(w, end+1+len(name), i)
				if tag[len(tag)-2] != '/' {
					depth++
				}
			}
		}
	}
	return i
}

func (p *pass) xmlText(w *patch, from, to int, k kind) {
	value := strings.TrimSpace(fromXML(w.text[from:to]))
	if value == "" || k == likely && !looksSecret(value) {
		return
	}
	w.put(from, to, p.take(value))
}

var entities = strings.NewReplacer("&lt;", "<", "&gt;", ">", "&quot;", `"`, "&apos;", "'", "&#34;", `"`, "&#39;", "'", "&amp;", "&")

func fromXML(text []byte) string {
	if bytes.IndexByte(text, '&') < 0 {
		return string(text)
	}
	return entities.Replace(string(text))
}
