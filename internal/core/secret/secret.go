// Package secret takes the secrets out of calls: first it finds their values, by
// reading each part of a call as what it is and by the form of values, then it
// replaces them wherever they occur, in every coding: in the part itself, in what was
// answered, and in all that was said of the call.
//
// Reading is lenient: what was truncated, or is not quite what it says it is, is read
// as far as it goes. Start with Masker.
package secret

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"hash"
	"io"
	"slices"
	"sync"
	"sync/atomic"

	"rapidmimic.example/internal/core/call"
)

// Masker replaces secret values by a digest, so that what is stored and shown
// betrays nothing, and equal values can still be recognised as equal. It is safe for
// concurrent use.
type Masker struct {
	rules *Rules
	// digests are hashes under the present key, used one after the other.
	digests  atomic.Pointer[sync.Pool]
	standIns *StandIns
	clean    cleanBodies
	knowing  sync.Mutex // guards changes of known
	known    atomic.Pointer[known]
}

// NewMasker builds a Masker. Digests can be compared only under the same key, which
// should never leave the environment. Calls that are recorded get stand-ins, too.
func NewMasker(key []byte, rules *Rules, standIns *StandIns) *Masker {
	m := &Masker{rules: rules, standIns: standIns}
	m.SetKey(key)
	return m
}

// SetKey has digests made under another key from now on.
func (m *Masker) SetKey(key []byte) {
	m.digests.Store(&sync.Pool{New: func() any { return hmac.New(sha256.New, key) }})
}

// Prefix begins every digest.
const Prefix = "masked-"

// Hidden stands for a secret where nobody has to tell it from others.
const Hidden = "(secret)"

// digest is 128 bits wide, so that two values hardly ever have the same one.
func (m *Masker) digest(secret string) string {
	pool := m.digests.Load()
	mac := pool.Get().(hash.Hash)
	defer pool.Put(mac)
	mac.Reset()
	_, _ = io.WriteString(mac, secret) // a hash never fails
	var sum [sha256.Size]byte
	return Prefix + hex.EncodeToString(mac.Sum(sum[:0])[:16])
}

// StandIn is what recordings keep of a secret.
func (m *Masker) StandIn(secret string) string { return m.standIns.Of(secret) }

// hidden stands for a secret where whoever reads it may not even recognise it.
func hidden(string) string { return Hidden }

// pass is one way through the parts of a call.
type pass struct {
	rules  *Rules
	mark   func(secret string) string // what stands for a secret
	values []found                    // the secrets that were found
	known  *known                     // nil for nothing
	keys   []call.Key                 // where the contract of the service has API keys
	depth  int                        // of texts within texts
	clean  *cleanBodies               // nil where none are remembered
	names  *names                     // nil until one is asked for
}

// take notes a secret, and gives what stands for it.
func (p *pass) take(secret string) string {
	if secret == "" {
		return ""
	}
	return p.note(secret)
}

// found is a secret in the clear, and what stands for it.
type found struct{ value, mark string }

// note has a secret replaced wherever it occurs, by what it gives.
func (p *pass) note(secret string) (mark string) {
	for _, known := range p.values {
		if known.value == secret {
			return known.mark
		}
	}
	mark = p.mark(secret)
	if len(p.values) < mostValues {
		p.values = append(p.values, found{secret, mark})
	}
	return mark
}

// mostValues bounds how many secrets of one call are looked for elsewhere.
const mostValues = 64

// within goes through a text inside of a text, unless that is too deep inside.
func (p *pass) within(through func()) {
	if p.depth < 4 {
		p.depth++
		through()
		p.depth--
	}
}

func (m *Masker) pass(mark func(string) string) *pass {
	return &pass{rules: m.rules, mark: mark, known: m.known.Load()}
}

// Found are the secrets that were found in a call.
type Found struct{ in *elsewhere }

// Deviations takes them out of what is found of the call later. What it gets stays as it is.
func (f Found) Deviations(list []call.Deviation) []call.Deviation {
	if f.in == nil || len(list) == 0 {
		return list
	}
	masked := slices.Clone(list)
	for i := range masked {
		d := &masked[i]
		d.Where, d.Detail = f.in.string(d.Where), f.in.string(d.Detail)
	}
	return masked
}

// Mask takes the secrets out of r. What holds some is replaced, not changed: others
// may share it.
func (m *Masker) Mask(r *call.Record) Found {
	mark := m.digest
	if r.Recording != "" && m.standIns != nil {
		r.StandIns = make(map[string]string)
		mark = func(secret string) string {
			digest := m.digest(secret)
			r.StandIns[digest] = m.standIns.Of(secret)
			return digest
		}
	}
	p := m.pass(mark)
	if !slices.ContainsFunc(r.Request.Keys, func(key call.Key) bool { return key.In == "query" }) {
		p.clean = &m.clean // else addresses in bodies may have secrets that those of other services have not
	}
	p.request(&r.Request)
	before := len(r.Answer.Body)
	p.answer(&r.Answer)
	if x := r.Upstream; x != nil {
		exchange := *x
		exchange.Target = p.address(x.Target)
		exchange.RequestHeader = p.header(x.RequestHeader)
		exchange.RequestBody = p.body(x.RequestBody, x.RequestHeader.Get("Content-Type"), x.RequestHeader.Get("Content-Encoding"))
		p.answer(&exchange.Answer)
		r.Upstream = &exchange
	}
	t := p.elsewhere()
	if t != nil {
		t.record(r)
	}
	p.end()
	// sizes follow, so that a body that was masked does not look truncated
	r.AnswerSize += int64(len(r.Answer.Body) - before)
	return Found{t}
}

// Clean takes the secrets of a request out of what we say of it: of our own answer and
// its explanation. Nothing in them tells one secret from another, since they go to
// whoever calls.
func (m *Masker) Clean(r *call.Request, answer *call.Answer, explanation **call.Explanation) {
	p := m.pass(hidden)
	asked := *r
	p.request(&asked)
	t := p.elsewhere()
	if t == nil {
		return
	}
	answer.Body = t.bytes(answer.Body)
	answer.Header = t.fields(answer.Header)
	*explanation = t.explanation(*explanation)
}

func (p *pass) request(r *call.Request) {
	p.keys = r.Keys
	r.Query = p.query(r.Query)
	r.Header = p.header(r.Header)
	sent := len(r.Body.Bytes)
	r.Body.Bytes = p.bodyOf(r.Body.Bytes, bodyKind{r.Header.Get("Content-Type"), r.Header.Get("Content-Encoding"), p.known}, false)
	r.Body.Size += int64(len(r.Body.Bytes) - sent)
}

func (p *pass) answer(a *call.Answer) {
	a.Header = p.fields(a.Header)
	a.Body = p.bodyOf(a.Body, bodyKind{a.Get("Content-Type"), a.Get("Content-Encoding"), p.known}, true)
}

// bodyOf is body for one that may be known to be clean, and that calls may share.
func (p *pass) bodyOf(body []byte, of bodyKind, shared bool) []byte {
	if p.clean == nil {
		return p.body(body, of.contentType, of.coding)
	}
	digest, clean := p.clean.look(body, of, shared)
	if clean {
		return body
	}
	known := len(p.values)
	masked := p.body(body, of.contentType, of.coding)
	if same(masked, body) && len(p.values) == known {
		p.clean.saw(digest)
	}
	return masked
}
