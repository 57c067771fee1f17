package secret

import (
	"bytes"
	"math/bits"
	"regexp"
)

// shortest is how long a value with a shape is at least, in bytes.
const shortest = 16

// shape is a form of values that are secrets whatever their name is.
type shape struct {
	begins string // what each of them has in it, to be found quickly
	value  *regexp.Regexp
}

// shapes are signed tokens, private keys, and keys that say by their beginning what
// they are.
var shapes = []shape{
	{"eyJ", regexp.MustCompile(`eyJ[A-Za-z0-9_-]{5,}\.[A-Za-z0-9_-]+(?:\.[A-Za-z0-9_-]*){0,3}`)},
	{"PRIVATE KEY", regexp.MustCompile(`-----BEGIN [A-Z ]*PRIVATE KEY(?: BLOCK)?-----[^-]*(?:-----END [A-Z ]*PRIVATE KEY(?: BLOCK)?-----|$)`)},
	{"AKIA", regexp.MustCompile(`\bAKIA[0-9A-Z]{16}\b`)},
	{"AIza", regexp.MustCompile(`\bAIza[0-9A-Za-z_-]{35}`)},
	{"ghp_", regexp.MustCompile(`\bghp_[0-9A-Za-z_]{20,}`)},
	{"gho_", regexp.MustCompile(`\bgho_[0-9A-Za-z_]{20,}`)},
	{"ghs_", regexp.MustCompile(`\bghs_[0-9A-Za-z_]{20,}`)},
	{"ghu_", regexp.MustCompile(`\bghu_[0-9A-Za-z_]{20,}`)},
	{"github_pat_", regexp.MustCompile(`\bgithub_pat_[0-9A-Za-z_]{20,}`)},
	{"glpat-", regexp.MustCompile(`\bglpat-[0-9A-Za-z_-]{20,}`)},
	{"xox", regexp.MustCompile(`\bxox[abeoprs]-[0-9A-Za-z-]{10,}`)},
	{"_live_", regexp.MustCompile(`\b[a-z]{2,4}_live_[0-9A-Za-z]{10,}`)},
	{"npm_", regexp.MustCompile(`\bnpm_[0-9A-Za-z]{30,}`)},
	{"ya29.", regexp.MustCompile(`\bya29\.[0-9A-Za-z_-]{20,}`)},
}

// pairs says for two bytes which shapes begin with them, a bit each. Texts are gone
// through once.
var pairs = func() *[1 << 16]uint16 {
	var table [1 << 16]uint16
	for i, s := range shapes {
		table[uint16(s.begins[0])<<8|uint16(s.begins[1])] |= 1 << i
	}
	return &table
}()

// shapesIn masks the values in a text that are secrets by their form. A text without
// any is returned as it is.
func (p *pass) shapesIn(text []byte) []byte {
	found := uint16(0)
	for i := 1; i < len(text); i++ {
		for begun := pairs[uint16(text[i-1])<<8|uint16(text[i])] &^ found; begun != 0; begun &= begun - 1 {
			at := bits.TrailingZeros16(begun)
			if bytes.HasPrefix(text[i-1:], []byte(shapes[at].begins)) {
				found |= 1 << at
			}
		}
	}
	for ; found != 0; found &= found - 1 {
		s := &shapes[bits.TrailingZeros16(found)]
		text = s.value.ReplaceAllFunc(text, func(value []byte) []byte { return []byte(p.take(string(value))) })
	}
	return text
}
