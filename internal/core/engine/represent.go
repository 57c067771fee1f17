package engine

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
)

// represent chooses the form of a recorded answer for who asks: a 304 where it has that
// already, the coding in which it was recorded where it accepts that, else none.
func represent(d *Decision, r *call.Request) (steps []call.Step) {
	answer := call.Subject{Kind: call.KindAnswer}
	if call.NotModified(r, d.Answer.Status, d.Answer.Get("ETag"), d.Answer.Get("Last-Modified")) {
		d.Answer.Status, d.Answer.Body, d.Answer.Wire = 304, nil, nil
		d.Answer.Header = without(d.Answer.Header, "Content-Type", "Content-Encoding")
		return []call.Step{noted(call.Build, answer, call.Find(call.NotModifiedSince))}
	}
	wire := d.Answer.Wire
	if wire.Coded == nil || coding.Accepted(r.Header.Values("Accept-Encoding"), wire.Coding) {
		return nil
	}
	plain := *wire
	plain.Coding, plain.Coded = "", nil
	d.Answer.Wire = &plain
	d.Answer.Header = without(d.Answer.Header, "Content-Encoding")
	return []call.Step{noted(call.Build, answer, call.Find(call.CodingUndone, wire.Coding))}
}

// without leaves out fields by their names.
func without(fields []call.Field, names ...string) []call.Field {
	return slices.DeleteFunc(slices.Clone(fields), func(f call.Field) bool {
		return slices.ContainsFunc(names, func(name string) bool { return strings.EqualFold(name, f.Name) })
	})
}
