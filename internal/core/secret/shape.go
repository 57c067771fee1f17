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

// shapesAt says by two bytes which shapes have them in the first three bytes of their beginning, a
// bit each, at its very begin or one on; so every second pair of a text is enough to find all. Two
// bytes have one place with others that differ from them in their upper bits only.
var shapesAt = func() *[2][1 << 12]uint16 {
	var table [2][1 << 12]uint16
	for i, s := range shapes {
		for on := range table {
			table[on][pairPlace(s.begins[on], s.begins[on+1])] |= 1 << i
		}
	}
	return &table
}()

func pairPlace(a, b byte) uint16 { return uint16(a&0x3f)<<6 | uint16(b&0x3f) }

// shapesIn masks the values in a text that are secrets by their form. A text without
// any is returned as it is.
func (p *pass) shapesIn(text []byte) []byte {
	found := uint16(0)
	for i := 1; i < len(text); i += 2 {
		pair := pairPlace(text[i-1], text[i])
		if shapesAt[0][pair]|shapesAt[1][pair] == 0 {
			continue
		}
		for on := range min(2, i) {
			for may := shapesAt[on][pair] &^ found; may != 0; may &= may - 1 {
				at := bits.TrailingZeros16(may)
				if bytes.HasPrefix(text[i-1-on:], []byte(shapes[at].begins)) {
					found |= 1 << at
				}
			}
		}
	}
	for ; found != 0; found &= found - 1 {
		s := &shapes[bits.TrailingZeros16(found)]
		text = s.value.ReplaceAllFunc(text, func(value []byte) []byte { return []byte(p.take(string(value))) })
	}
	return text
}
