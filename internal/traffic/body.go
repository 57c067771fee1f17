package traffic

import (
	"cmp"
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
)

// bytesPerSecond is how slow a caller may be at least, after the time that it has
// anyway, in sending a body or taking an answer.
const bytesPerSecond = 10_000

// due is until when so many bytes must have passed.
func due(begun time.Time, within time.Duration, bytes int64) time.Time {
	return begun.Add(within + time.Duration(bytes)*time.Second/bytesPerSecond)
}

// timedBody is a body that has to arrive in time. It remembers why it broke off.
type timedBody struct {
	io.ReadCloser
	fair     io.Reader // of it
	control  *http.ResponseController
	begun    time.Time
	within   time.Duration
	received int64
	err      error // nil while it did not break off
}

func (h *Handler) timed(w http.ResponseWriter, body io.ReadCloser) *timedBody {
	return &timedBody{ReadCloser: body, fair: budget.Fair(body), control: http.NewResponseController(w), begun: time.Now(), within: h.BodyTimeout}
}

// Read implements io.Reader.
func (b *timedBody) Read(p []byte) (int, error) {
	_ = b.control.SetReadDeadline(due(b.begun, b.within, b.received)) // where a connection has none, there is no limit
	n, err := b.fair.Read(p)
	b.received += int64(n)
	switch {
	case err == nil:
	case errors.Is(err, io.EOF):
		_ = b.control.SetReadDeadline(time.Time{})
	default: // net/http must not wait for the rest of it
		_ = b.control.SetReadDeadline(time.Now())
		b.err = cmp.Or(b.err, err)
	}
	return n, err
}

// brokeOff says in words why a body broke off.
func brokeOff(err error) string {
	if errors.Is(err, os.ErrDeadlineExceeded) {
		return "it did not arrive in time"
	}
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return "the connection ended within it"
	}
	return err.Error()
}

// Memory shares out what bodies that are held may take.
type Memory interface {
	// Reserve takes bytes for somebody, "" for nobody in particular, until release is
	// called; ok is false where that many are not left, or not for that one.
	Reserve(by string, bytes int64) (release func(), ok bool)
}

const (
	// smallBody is the size, in bytes, up to which nobody asks what a body takes.
	smallBody = 256 << 10
	// valueBytes is what a decoded value takes at most. The densest text has one in
	// two bytes.
	valueBytes = 150
)

// reserve takes the memory that the body of a call can take, decoded where the answer depends on it; none for one that is
// passed on as it comes. size is -1 where it is not known.
func (h *Handler) reserve(placed *engine.Placed, size int64) (release func(), ok bool) {
	if h.Memory == nil || size >= 0 && size <= smallBody || placed.Streams() {
		return func() {}, true
	}
	limit, decoded := int64(h.Log.BodyLimit()), placed.NeedsBody()
	if decoded {
		limit = h.MaxBody
	}
	if size < 0 || size > limit {
		size = limit
	}
	cost := 2 * size // it grows while it is read
	if decoded {
		cost += min(size/2, budget.MaxValues) * valueBytes
	}
	return h.Memory.Reserve(placed.LaneName(), cost)
}

// readBody reads the body as far as the log keeps it, or whole where the
// answer depends on it; the rest is read and counted. fits is false when it
// had to be held and was too large. err says why it broke off; then what was
// read is not the whole.
func (h *Handler) readBody(w http.ResponseWriter, r *http.Request, needed bool) (body call.Body, fits bool, err error) {
	if r.Body == nil || r.Body == http.NoBody {
		return call.Body{}, true, nil
	}
	from := h.timed(w, r.Body)
	limit := int64(h.Log.BodyLimit())
	if needed {
		limit = h.MaxBody
	}
	held, err := readUpTo(from, limit+1, r.ContentLength)
	body = call.Body{Bytes: held, Size: int64(len(held))}
	if err != nil {
		return h.broken(w, r, body), true, err
	}
	if body.Size <= limit {
		return body, true, nil
	}
	body.Bytes, body.Truncated = held[:limit], true
	if needed { // the connection ends here, instead of swallowing the rest
		w.Header().Set("Connection", "close")
		body.Size = max(body.Size, r.ContentLength)
		return body, false, nil
	}
	rest, err := io.Copy(io.Discard, from)
	body.Size += rest
	if err != nil {
		return h.broken(w, r, body), true, err
	}
	return body, true, nil
}

// growFrom is the size, in bytes, up to which a body is believed to be as long as its
// caller says: many that say so and send nothing must not take memory for it. When so
// much has come, the rest is believed.
const growFrom = 64 << 10

// readUpTo reads at most so many bytes. size is how many are said to come, -1 where
// that is not known.
func readUpTo(r io.Reader, most, size int64) ([]byte, error) {
	b := make([]byte, 0, min(max(size, 511), growFrom)+1) // one more tells that it ends
	for {
		n, err := r.Read(b[len(b):min(int64(cap(b)), most)])
		b = b[:len(b)+n]
		switch {
		case errors.Is(err, io.EOF) || err == nil && int64(len(b)) == most:
			return b, nil
		case err != nil:
			return b, err
		case len(b) == cap(b):
			grown := make([]byte, len(b), min(max(2*int64(cap(b)), size+1), most))
			copy(grown, b)
			b = grown
		}
	}
}

// broken is a body that broke off, whose connection cannot be used any more.
func (h *Handler) broken(w http.ResponseWriter, r *http.Request, body call.Body) call.Body {
	w.Header().Set("Connection", "close")
	body.Truncated, body.Size = true, max(body.Size+1, r.ContentLength) // at least one byte is missing
	return body
}

func trimToLog(body *call.Body, limit int) {
	if len(body.Bytes) > limit {
		body.Bytes, body.Truncated = body.Bytes[:limit], true
	}
}
