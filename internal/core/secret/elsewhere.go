package secret

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// needle is one coding of a secret.
type needle struct{ text, secret string }

// elsewhere replaces the secrets of a call where nothing says that they are some.
type elsewhere struct {
	pass  *pass
	found []needle // of the secrets that were found, the longest first
	all   []needle // and of those that are known; nil until one of these occurs
}

// longEnough is from which length, in bytes, the beginning of a secret is taken for
// it, since texts that tell of it may be shortened.
const longEnough = 12

// elsewhere is for the secrets that were found, and those that are known; nil for none.
func (p *pass) elsewhere() *elsewhere {
	e := &elsewhere{pass: p}
	for _, secret := range p.values {
		if !telling(secret.value) {
			continue
		}
		for _, text := range codings(secret.value) {
			e.found = append(e.found, needle{text, secret.value})
		}
	}
	if len(e.found) == 0 && p.known == nil {
		return nil
	}
	sortNeedles(e.found)
	return e
}

// sortNeedles lets a secret come before one that is part of it.
func sortNeedles(needles []needle) {
	slices.SortStableFunc(needles, func(a, b needle) int { return len(b.text) - len(a.text) })
}

// needles are those that may be in a text.
func needlesFor[T string | []byte](e *elsewhere, text T) []needle {
	if !occurs(e.pass.known, text) {
		return e.found
	}
	if e.all == nil {
		e.all = append(slices.Clone(e.found), e.pass.known.needles...)
		sortNeedles(e.all)
	}
	return e.all
}

// telling reports whether a value is no word that texts have anyway.
func telling(value string) bool {
	plain := 0
	for i := range len(value) {
		if c := value[i] | 0x20; 'a' <= c && c <= 'z' {
			plain++
		}
	}
	digits := strings.Trim(value, "0123456789") == ""
	switch {
	case digits:
		return len(value) >= 6
	case plain == len(value):
		return len(value) >= 8
	default:
		return len(value) >= 5
	}
}

// codings are the ways in which a value may be written, itself first, each once.
func codings(value string) []string {
	all := []string{value}
	add := func(text string) {
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	if strings.ContainsFunc(value, func(r rune) bool {
		return r >= 0x7f || !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.", r)
	}) {
		quoted, _ := json.Marshal(value) // a string always does
		add(string(quoted[1 : len(quoted)-1]))
		var b bytes.Buffer
		encoder := json.NewEncoder(&b)
		encoder.SetEscapeHTML(false)
		_ = encoder.Encode(value)
		add(strings.TrimSuffix(b.String(), "\n")[1 : b.Len()-2])
		goQuoted := strconv.Quote(value)
		add(goQuoted[1 : len(goQuoted)-1])
		for _, escaped := range []string{url.QueryEscape(value), url.PathEscape(value)} {
			add(escaped)
			add(lowerEscapes(escaped))
		}
		for _, escape := range toXML {
			add(escape.Replace(value))
		}
	}
	standard := base64.RawStdEncoding.EncodeToString([]byte(value))
	add(standard)
	if strings.ContainsAny(standard, "+/") {
		add(base64.RawURLEncoding.EncodeToString([]byte(value)))
	}
	return all
}

// toXML are the usual ways of escaping in XML and HTML.
var toXML = []*strings.Replacer{
	strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;"),
	strings.NewReplacer("&", "&amp;", "<", "&lt;"),
	strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;"),
	strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;", "'", "&#39;"),
	strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&#34;", "'", "&#39;"),
	strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;", "'", "&apos;"),
}

// lowerEscapes writes %2F as %2f.
func lowerEscapes(text string) string {
	b := []byte(text)
	for i := 0; i+2 < len(b); i++ {
		if b[i] == '%' {
			b[i+1], b[i+2] = lower(b[i+1]), lower(b[i+2])
		}
	}
	return string(b)
}

func lower(c byte) byte {
	if 'A' <= c && c <= 'F' {
		return c + 'a' - 'A'
	}
	return c
}

// bytes replaces what is secret in a text: whole secrets first, then beginnings of
// them. A text without is returned as it is.
func (e *elsewhere) bytes(text []byte) []byte {
	needles := needlesFor(e, text)
	for _, n := range needles {
		text = e.replace(n, text, n.text)
	}
	for _, n := range needles {
		if len(n.text) > longEnough && !strings.ContainsAny(n.text[:longEnough], " /") { // no sentence, no address
			text = e.replace(n, text, n.text[:longEnough])
		}
	}
	return text
}

// replace puts the mark in place of each part of a text that begins like the needle,
// for as long as it goes on like it.
func (e *elsewhere) replace(n needle, text []byte, begin string) []byte {
	at := bytes.Index(text, []byte(begin))
	if at < 0 {
		return text
	}
	mark := e.pass.note(n.secret)
	w := &patch{text: text}
	for i := 0; at >= 0; at = bytes.Index(text[i:], []byte(begin)) {
		start := i + at
		for i = start + len(begin); i < len(text) && i-start < len(n.text) && text[i] == n.text[i-start]; i++ {
		}
		w.put(start, i, mark)
	}
	return w.bytes()
}

func (e *elsewhere) string(text string) string {
	for _, n := range needlesFor(e, text) {
		if strings.Contains(text, n.text[:min(len(n.text), longEnough)]) {
			return string(e.bytes([]byte(text)))
		}
	}
	return text
}

// record replaces the secrets in all of a call.
func (e *elsewhere) record(r *call.Record) {
	q := &r.Request
	q.Address, q.Path, q.Query, q.ProxyUser = e.string(q.Address), e.string(q.Path), e.string(q.Query), e.string(q.ProxyUser)
	q.Header = e.header(q.Header)
	before := len(q.Body.Bytes)
	q.Body.Bytes = e.bytes(q.Body.Bytes)
	q.Body.Size += int64(len(q.Body.Bytes) - before)
	e.answer(&r.Answer)
	if x := r.Upstream; x != nil { // of which Mask has made its own
		x.Target, x.RequestHeader, x.RequestBody = e.string(x.Target), e.header(x.RequestHeader), e.bytes(x.RequestBody)
		e.answer(&x.Answer)
	}
	r.By = e.string(r.By)
	r.Explanation = e.explanation(r.Explanation)
	r.Deviations = Found{e}.Deviations(r.Deviations)
}

func (e *elsewhere) answer(a *call.Answer) {
	a.Header, a.Body = e.fields(a.Header), e.bytes(a.Body)
}

func (e *elsewhere) header(h call.Header) call.Header {
	cloned := false
	for name, values := range h {
		for i, value := range values {
			hidden := e.string(value)
			if hidden == value {
				continue
			}
			if !cloned {
				h, cloned = maps.Clone(h), true
			}
			own := slices.Clone(h[name])
			own[i] = hidden
			h[name] = own
		}
	}
	return h
}

func (e *elsewhere) fields(fields []call.Field) []call.Field {
	cloned := false
	for i, f := range fields {
		hidden := e.string(f.Value)
		if hidden == f.Value {
			continue
		}
		if !cloned {
			fields, cloned = slices.Clone(fields), true
		}
		fields[i].Value = hidden
	}
	return fields
}

// explanation replaces the secrets in what is said of a call. Many calls share one:
// it is copied where something changes.
func (e *elsewhere) explanation(x *call.Explanation) *call.Explanation {
	if x == nil {
		return nil
	}
	summary, changed := e.finding(x.Summary)
	steps := x.Steps
	for i, step := range x.Steps {
		finding, differs := e.finding(step.Finding)
		if !differs {
			continue
		}
		if !changed || &steps[0] == &x.Steps[0] {
			steps = slices.Clone(x.Steps)
		}
		steps[i].Finding, changed = finding, true
	}
	if !changed {
		return x
	}
	return &call.Explanation{Summary: summary, Steps: steps}
}

func (e *elsewhere) finding(f call.Finding) (call.Finding, bool) {
	out := f
	out.Part, out.Seen, out.Expected = e.string(f.Part), e.string(f.Seen), e.string(f.Expected)
	changed := out.Part != f.Part || out.Seen != f.Seen || out.Expected != f.Expected
	for i, value := range f.Values {
		if hidden := e.string(value); hidden != value {
			out.Values = slices.Clone(out.Values)
			out.Values[i], changed = hidden, true
		}
	}
	for i, among := range f.Among {
		if hidden, differs := e.finding(among); differs {
			out.Among = slices.Clone(out.Among)
			out.Among[i], changed = hidden, true
		}
	}
	return out, changed
}
