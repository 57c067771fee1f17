package answer

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/spec"
)

// recorded is an answer as it came over the connection, while its body is the one that
// was recorded; with another one, what followed from the bytes follows from those.
func (c *compiler) recorded(a call.Answer, r *spec.Recorded, payloads Payloads) call.Answer {
	wire := &call.Wire{Untyped: r.Untyped && len(a.Body) > 0, Length: -1}
	if r.Length != nil {
		wire.Length = *r.Length
	}
	for _, f := range r.Trailers {
		wire.Trailer = append(wire.Trailer, call.Field{Name: f.Name, Value: f.Value})
	}
	a.Wire = wire
	sum := sha256.Sum256(a.Body)
	if hex.EncodeToString(sum[:16]) != r.Sum {
		a.Header = edited(a.Header, sum[:8])
		return a
	}
	if speed := r.Speed(); speed > 0 {
		for _, p := range r.Pieces {
			wire.Pieces = append(wire.Pieces, call.Piece{Bytes: p.Bytes, After: time.Duration(float64(p.After) / speed)})
		}
	}
	if r.Coded != "" {
		if p := c.find(r.Coded, "/recorded/coded", payloads); p != nil {
			wire.Coding, wire.Coded = coding.Name(a.Get("Content-Encoding")), p.Bytes
		}
	}
	return a
}

// edited are the headers of an answer whose body is another one than was recorded.
func edited(fields []call.Field, sum []byte) (out []call.Field) {
	for _, f := range fields {
		switch {
		case strings.EqualFold(f.Name, "ETag"):
			weak := ""
			if strings.HasPrefix(f.Value, "W/") {
				weak = "W/"
			}
			f.Value = weak + `"` + hex.EncodeToString(sum) + `"`
		case strings.EqualFold(f.Name, "Content-Encoding"),
			slices.ContainsFunc(call.OfBytes, func(name string) bool { return strings.EqualFold(name, f.Name) }):
			continue
		}
		out = append(out, f)
	}
	return out
}
