package recording

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// addressed is what of an answer by WS-Addressing says which message it is for, and which one it is.
var addressed = regexp.MustCompile(`(<(?:[\w.-]+:)?(?:RelatesTo|MessageID)(?:\s[^>]*)?>)[^<]*`)

// answerKey is equal for exchanges with the same answer, apart from what differs by
// itself: the moment, the connection, and in which coding it came.
func answerKey(x Exchange) string {
	sum := sha256.New()
	fmt.Fprintf(sum, "%d\n", x.Status)
	for _, f := range x.kept() {
		if !follows(f.Name) && !strings.EqualFold(f.Name, "Content-Encoding") && !strings.EqualFold(f.Name, "Vary") {
			fmt.Fprintf(sum, "%s: %s\n", strings.ToLower(f.Name), f.Value)
		}
	}
	body := x.Answer
	if bytes.Contains(body, []byte("RelatesTo")) {
		body = addressed.ReplaceAll(body, []byte("$1"))
	}
	_, _ = sum.Write(body) // a hash never fails
	if x.Wire != nil && x.Method == "HEAD" {
		fmt.Fprintf(sum, "\n%d", x.Wire.Length)
	}
	return string(sum.Sum(nil))
}

// follows reports whether a header follows from the bytes that are sent.
func follows(name string) bool {
	return slices.ContainsFunc(call.OfBytes, func(one string) bool { return strings.EqualFold(one, name) })
}

// ownHeaders belong to the connection or the moment, and are not played back.
var ownHeaders = []string{"Date", "Content-Length", "Connection", "Transfer-Encoding", "Keep-Alive", "Age", "Trailer", "Rapid-Mimic",
	"X-Request-Id", "Traceparent", "Server-Timing"}

// kept are the headers that are played back. A coding is none of them where the body is
// only known without it.
func (x Exchange) kept() (out []call.Field) {
	decoded := x.Wire == nil || x.Wire.Coding != "" && x.Wire.Coded == nil
	for _, f := range x.Header {
		own := slices.ContainsFunc(ownHeaders, func(own string) bool { return strings.EqualFold(own, f.Name) })
		if !own && !(decoded && strings.EqualFold(f.Name, "Content-Encoding")) {
			out = append(out, f)
		}
	}
	return out
}

// largeBody is from which size on a body becomes a payload.
const largeBody = 64 << 10

// answer is what an exchange was answered with: its body such that the very bytes come
// back, and can be edited where they are text.
func (g *group) answer(x Exchange, p *Proposal, pace string) spec.Answer {
	a := spec.Answer{Status: spec.Status{Code: x.Status}}
	mediaType := ""
	for _, f := range x.kept() {
		if strings.EqualFold(f.Name, "Content-Type") {
			mediaType = f.Value
		}
		a.Headers = append(a.Headers, spec.Header{Name: f.Name, Value: g.withParam(f.Value)})
	}
	if g.param == "" {
		a.Recorded = x.recorded(mediaType, p, pace)
	}
	if len(x.Answer) == 0 {
		return a
	}
	base := call.BaseType(mediaType)
	text := g.withParam(string(x.Answer))
	if len(x.Answer) > largeBody {
		a.Payload = p.payload(x.Answer, text, base)
		return a
	}
	if base == "application/json" || strings.HasSuffix(base, "+json") {
		// easier to read and to edit, where it is written the way we write it
		if n, err := tree.ParseJSON([]byte(text)); err == nil && (g.param != "" || bytes.Equal(n.AppendJSON(nil), []byte(text))) {
			a.JSON = n
			return a
		}
	}
	if utf8.Valid(x.Answer) && !bytes.ContainsRune(x.Answer, 0) && !bytes.HasPrefix(x.Answer, []byte("\ufeff")) {
		a.Text = &text
		return a
	}
	coded := base64.StdEncoding.EncodeToString(x.Answer)
	a.Base64 = &coded
	return a
}

// payload keeps a body in a file of its own, under a name that follows from what it says.
func (p *Proposal) payload(body []byte, text, base string) (name string) {
	ending := endings[base]
	if utf8.Valid(body) {
		if body = []byte(text); strings.Contains(text, "${") { // JSON with expressions would be written anew
			ending = ".txt"
		}
	}
	name = "recorded-" + sumOf(body)[:12] + ending
	p.Payloads[name] = body
	return name
}

var endings = map[string]string{"application/json": ".json", "application/xml": ".xml", "text/xml": ".xml", "text/html": ".html", "text/plain": ".txt",
	"text/csv": ".csv", "application/pdf": ".pdf", "image/png": ".png", "image/jpeg": ".jpg"}

func sumOf(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:16])
}

// recorded is what the body does not say of the answer that was sent; nil for nothing.
func (x Exchange) recorded(mediaType string, p *Proposal, pace string) *spec.Recorded {
	r := spec.Recorded{Untyped: mediaType == "" && len(x.Answer) > 0}
	telling := r.Untyped || slices.ContainsFunc(x.Header, func(f call.Field) bool { return follows(f.Name) || strings.EqualFold(f.Name, "Last-Modified") })
	if call.IsXML(mediaType) && bytes.Contains(x.Answer, []byte("RelatesTo")) { // it follows who asks
		telling = true
		p.Notes = append(p.Notes, "RelatesTo and MessageID of the answer follow the message that it answers")
	}
	if w := x.Wire; w != nil {
		if x.Method == "HEAD" {
			r.Length, telling = &w.Length, true
		}
		if w.Coded != nil {
			r.Coded, telling = "recorded-"+sumOf(w.Coded)[:12]+"."+codedEnding(w.Coding), true
			p.Payloads[r.Coded] = w.Coded
		}
		for _, f := range w.Trailer {
			r.Trailers, telling = append(r.Trailers, spec.Header{Name: f.Name, Value: f.Value}), true
		}
		if paced := (&spec.Recorded{Pace: pace}).Speed() > 0; len(w.Pieces) > 1 || paced && len(w.Pieces) > 0 {
			if paced {
				r.Pace = pace
			}
			for _, piece := range w.Pieces {
				r.Pieces = append(r.Pieces, spec.Piece{Bytes: piece.Bytes, After: spec.Duration(piece.After.Round(time.Millisecond))})
			}
			telling = true
		}
	}
	if !telling {
		return nil
	}
	r.Sum = sumOf(x.Answer)
	return &r
}

// codedEnding is how files with a coding end.
func codedEnding(coding string) string {
	switch coding {
	case "gzip", "x-gzip":
		return "gz"
	case "zstd":
		return "zst"
	default:
		return spec.Slug(coding, 20)
	}
}

// escaped makes a text stand for itself where expressions may stand.
func escaped(text string) string { return strings.ReplaceAll(text, "${", "$${") }
