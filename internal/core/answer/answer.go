// Package answer builds what is sent back: from a mapping, or from an
// operation of a contract. It decides nothing about which of them answers.
package answer

import (
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/sample"
	"rapidmimic/spec/tree"
)

// Built is an answer of an operation with what it was made from.
type Built struct {
	Answer call.Answer
	Offer  *contract.Offer   // nil when the answer has no body
	Used   *contract.Example // nil when the body was generated
	// Value is the body as a tree; nil when it is written out in a media type
	// of its own.
	Value *tree.Node
	// Invalid is set when no generated body obeyed the schema.
	Invalid bool
}

// Wanted is which answer of an operation to make.
type Wanted struct {
	Status int
	// Headers are those of the response.
	Headers []*contract.HeaderOffer
	Offer   *contract.Offer // nil for an answer without a body
	// Example names the example to use; "" takes the first one, else data drawn
	// from the schema.
	Example string
	// Generate draws data although there are examples, where there is a schema.
	Generate bool
}

// FromOperation makes an answer of an operation. draw is called only when data
// are needed, and always gives the same draw.
func FromOperation(w Wanted, draw func() *sample.Draw) Built {
	b := Built{Answer: call.Answer{Status: w.Status}, Offer: w.Offer}
	if offer := w.Offer; offer != nil {
		b.Answer.Header = []call.Field{{Name: "Content-Type", Value: contentType(offer.MediaType)}}
		if b.Used = offer.Example(w.Example); b.Used == nil && len(offer.Examples) > 0 {
			b.Used = &offer.Examples[0]
		}
		if w.Generate && offer.CanEncode() {
			b.Used = nil
		}
		if b.Used != nil {
			b.Answer.Body, b.Value = b.Used.Body, b.Used.Value
		} else {
			value, valid := offer.Schema.Generate(draw())
			b.Invalid = !valid
			b.SetValue(value)
		}
	}
	for _, h := range w.Headers {
		if text, ok := headerText(h, draw); ok {
			b.Answer.Header = append(b.Answer.Header, call.Field{Name: h.Name, Value: text})
		}
	}
	return b
}

// SetValue makes another value the body.
func (b *Built) SetValue(value *tree.Node) {
	if body, ok := b.Offer.Encode(value); ok {
		b.Answer.Body, b.Value = body, value
	}
}

// SetHeader gives a header that the answer has another value.
func (b *Built) SetHeader(name, value string) {
	for i, f := range b.Answer.Header {
		if strings.EqualFold(f.Name, name) {
			b.Answer.Header[i].Value = value
		}
	}
}

// contentType adds the character set to text types that do not name one.
func contentType(mediaType string) string {
	if strings.HasPrefix(mediaType, "text/") && !strings.Contains(mediaType, "charset") {
		return mediaType + "; charset=utf-8"
	}
	return mediaType
}

// headerText is the value of a response's header. ok is false when the contract
// says too little about it, or nothing that could stand in a line.
func headerText(h *contract.HeaderOffer, draw func() *sample.Draw) (text string, ok bool) {
	switch {
	case h.Example != nil:
		text = *h.Example
	case h.Schema != nil:
		value, _ := h.Schema.GenerateNamed(draw(), h.Name)
		text = contract.Plain(value)
	default:
		return "", false
	}
	return text, !strings.ContainsAny(text, "\r\n\x00")
}
