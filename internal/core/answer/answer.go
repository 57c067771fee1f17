// Package answer builds what is sent back: from a mapping, or from an
// operation of a contract. It decides nothing about which of them answers.
package answer

import (
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/sample"
	"rapidmimic/spec"
	"rapidmimic/spec/tree"
)

// FromMapping makes the answer of a mapping, once for all calls. The content
// type follows the body unless a header sets it.
func FromMapping(a spec.Answer) call.Answer {
	out := call.Answer{Status: a.Status}
	contentType := ""
	switch {
	case a.JSON != nil:
		contentType, out.Body = "application/json", a.JSON.AppendJSON(nil)
	case a.Text != nil:
		contentType, out.Body = "text/plain; charset=utf-8", []byte(*a.Text)
	}
	for _, h := range a.Headers {
		if strings.EqualFold(h.Name, "Content-Type") {
			contentType = ""
		}
		out.Header = append(out.Header, call.Field(h))
	}
	if contentType != "" {
		out.Header = append(out.Header, call.Field{Name: "Content-Type", Value: contentType})
	}
	return out
}

// Built is an answer of an operation with what it was made from.
type Built struct {
	Answer call.Answer
	Offer  *contract.Offer   // nil when the answer has no body
	Used   *contract.Example // nil when the body was generated
	// Value is the body as a tree; nil when it is no JSON.
	Value *tree.Node
	// Invalid is set when no generated body obeyed the schema.
	Invalid bool
}

// Wanted is which answer of an operation to make.
type Wanted struct {
	Status int
	Offer  *contract.Offer // nil for an answer without a body
	// Example names the example to use; "" takes the first one, else data drawn
	// from the schema.
	Example string
}

// FromOperation makes an answer of an operation. draw is called only when data
// are needed.
func FromOperation(w Wanted, draw func() *sample.Draw) Built {
	b := Built{Answer: call.Answer{Status: w.Status}, Offer: w.Offer}
	offer := w.Offer
	if offer == nil {
		return b
	}
	b.Answer.Header = []call.Field{{Name: "Content-Type", Value: offer.MediaType}}
	if b.Used = offer.Example(w.Example); b.Used == nil && len(offer.Examples) > 0 {
		b.Used = &offer.Examples[0]
	}
	if b.Used != nil {
		b.Answer.Body, b.Value = b.Used.Body, b.Used.Value
		return b
	}
	value, valid := offer.Schema.Generate(draw())
	b.Answer.Body, b.Value, b.Invalid = value.AppendJSON(nil), value, !valid
	return b
}
