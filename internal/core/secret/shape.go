package secret

import (
	"bytes"
	"regexp"
)

// shape is a form of values that are secrets whatever their name is.
type shape struct {
	begins []byte // what each of them has in it, to be found quickly
	value  *regexp.Regexp
}

// shapes are signed tokens, private keys, and keys that say by their beginning what
// they are.
var shapes = []shape{
	{[]byte("eyJ"), regexp.MustCompile(`eyJ[A-Za-z0-9_-]{5,}\.[A-Za-z0-9_-]+(?:\.[A-Za-z0-9_-]*){0,3}`)},
	{[]byte("PRIVATE KEY"), regexp.MustCompile(`-----BEGIN [A-Z ]*PRIVATE KEY(?: BLOCK)?-----[^-]*(?:-----END [A-Z ]*PRIVATE KEY(?: BLOCK)?-----|$)`)},
	{[]byte("AKIA"), regexp.MustCompile(`\bAKIA[0-9A-Z]{16}\b`)},
	{[]byte("AIza"), regexp.MustCompile(`\bAIza[0-9A-Za-z_-]{35}`)},
	{[]byte("gh"), regexp.MustCompile(`\bgh[pousr]_[0-9A-Za-z]{20,}|\bgithub_pat_[0-9A-Za-z_]{20,}`)},
	{[]byte("glpat-"), regexp.MustCompile(`\bglpat-[0-9A-Za-z_-]{20,}`)},
	{[]byte("xox"), regexp.MustCompile(`\bxox[abeoprs]-[0-9A-Za-z-]{10,}`)},
	{[]byte("_live_"), regexp.MustCompile(`\b[a-z]{2,4}_live_[0-9A-Za-z]{10,}`)},
	{[]byte("npm_"), regexp.MustCompile(`\bnpm_[0-9A-Za-z]{30,}`)},
	{[]byte("ya29."), regexp.MustCompile(`\bya29\.[0-9A-Za-z_-]{20,}`)},
}

// shapesIn masks the values in a text that are secrets by their form. A text without
// any is returned as it is.
func (p *pass) shapesIn(text []byte) []byte {
	for _, s := range shapes {
		if !bytes.Contains(text, s.begins) {
			continue
		}
		text = s.value.ReplaceAllFunc(text, func(value []byte) []byte { return []byte(p.take(string(value))) })
	}
	return text
}
