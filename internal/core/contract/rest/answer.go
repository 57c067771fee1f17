package rest

import (
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Answer implements contract.Protocol.
func (*Protocol) Answer(asked *contract.Asked, w contract.Wanted) (contract.Built, error) {
	b := contract.Built{Answer: call.Answer{Status: w.Status}}
	if len(w.MediaTypes) > 0 {
		types := contract.MediaTypeNames(w.MediaTypes)
		i := call.Accepts(strings.Join(w.Accept, ","), types)
		if i < 0 && asked.Operation != nil {
			if response := asked.Operation.Response(w.Status); response != nil && call.Accepts(strings.Join(w.Accept, ","), response.Unwritten) >= 0 {
				i = 0 // what is asked for cannot be written: the next best is better than nothing
			}
		}
		if i < 0 {
			return b, &contract.NotAcceptable{MediaTypes: types}
		}
		addBody(&b, w.MediaTypes[i], w)
	}
	for _, h := range w.Headers {
		if text, ok := headerText(h, w.Draw); ok {
			b.Answer.Header = append(b.Answer.Header, call.Field{Name: h.Name, Value: text})
		}
	}
	if w.Echo != nil {
		echo(&b, asked, w.Echo)
	}
	return b, nil
}

// echo puts values of the call into the answer, where it has some.
func echo(b *contract.Built, asked *contract.Asked, facts *match.Facts) {
	body, params := asked.Operation.Decoded(facts), asked.Operation.Template.Params(asked.Segments)
	if body == nil && len(params) == 0 || b.Tree() == nil {
		return
	}
	var value *tree.Node
	if value, b.Echoed = contract.Echo(b.Value, b.MediaType.Schema, body, params); len(b.Echoed) > 0 {
		b.SetValue(value)
	}
}

// addBody gives an answer the example that is wanted, else data drawn.
func addBody(b *contract.Built, mediaType *contract.MediaType, w contract.Wanted) {
	b.MediaType = mediaType
	b.Answer.Header = []call.Field{{Name: "Content-Type", Value: contentType(mediaType.ContentType())}}
	b.Used = mediaType.Used(w.Example)
	if w.Generate && mediaType.CanEncode() {
		b.Used = nil
	}
	if b.Used != nil {
		b.Answer.Body, b.Value = b.Used.Body, b.Used.Value
		return
	}
	if mediaType.Item != nil && mediaType.CanEncode() {
		var valid bool
		if b.Answer.Body, valid = mediaType.Stream(w.Draw()); !valid {
			b.Invalid = "no attempt did"
		}
		return
	}
	if mediaType.IsFile() {
		b.Answer.Body = w.Draw().File(mediaType.Name)
		return
	}
	if !drawBody(b, mediaType, w.Draw()) {
		b.Invalid = "no attempt did"
	}
}

// drawBody draws a body; valid is false where none that was tried obeys.
func drawBody(b *contract.Built, mediaType *contract.MediaType, draw *sample.Draw) (valid bool) {
	if !call.IsJSON(mediaType.Name) { // it is read back from how it is written, and may differ
		value, valid := mediaType.Schema.Generate(draw)
		b.SetValue(value)
		return valid
	}
	b.IsJSON = true
	if b.Answer.Body, valid = mediaType.DrawJSON(draw); valid {
		b.Answer.Proven = b.Answer.Body
	}
	return valid
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
func headerText(h *contract.ResponseHeader, draw func() *sample.Draw) (text string, ok bool) {
	switch {
	case h.Example != nil:
		text = *h.Example
	case h.Schema != nil:
		value, _ := h.Schema.GenerateNamed(draw(), h.Name)
		if text = h.Written(value); isMoment(h.Name) {
			text = httpDate(text, draw())
		}
	default:
		return "", false
	}
	return text, !strings.ContainsAny(text, "\r\n\x00")
}

// isMoment reports whether a header has a date in the form of HTTP.
func isMoment(name string) bool {
	switch strings.ToLower(name) {
	case "last-modified", "expires", "sunset":
		return true
	}
	return false
}

// httpDate is a moment as headers have it: one that was drawn, else another.
func httpDate(drawn string, draw *sample.Draw) string {
	if _, ok := call.ParseTime(drawn); ok {
		return drawn
	}
	at, err := time.Parse(time.RFC3339, drawn)
	if err != nil {
		at, _ = time.Parse(time.RFC3339, draw.Fake("time")) // which is one
	}
	return at.UTC().Format(call.HTTPDate)
}
