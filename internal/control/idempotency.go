package control

import (
	"bytes"
	"crypto/sha256"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/spec/problem"
)

// Bounds of what is remembered of requests with an Idempotency-Key.
const (
	rememberedRequests = 1_000
	rememberedFor      = 24 * time.Hour
	rememberedBytes    = 256 << 10 // of one answer
	rememberedSum      = 16 << 20  // of all answers, in bytes
	longestRequestKey  = 255
)

// repeats answers a POST that is sent again with the same Idempotency-Key as it was
// answered the first time, so that a caller who did not get the answer can ask once more.
// What it remembers ends with the process.
type repeats struct {
	mu   sync.Mutex
	seen *lru.Map[*firstRequest]
}

// firstRequest is the one that made something.
type firstRequest struct {
	sum    [sha256.Size]byte // of what was sent
	at     time.Time
	done   bool
	status int
	header http.Header
	body   []byte
}

func newRepeats() *repeats { return &repeats{seen: lru.New[*firstRequest](rememberedRequests)} }

func (s *server) onlyOnce(c *gin.Context) {
	key := c.GetHeader("Idempotency-Key")
	if key == "" || c.Request.Method != http.MethodPost {
		return
	}
	if len(key) > longestRequestKey {
		s.fail(c, problem.New(problem.Invalid, "Idempotency-Key has at most %d characters", longestRequestKey), nil)
		return
	}
	key = holder(c).ID + "\n" + key // what one was answered is not for another
	first, isNew := s.repeats.begin(key, sumOf(c), time.Now())
	switch {
	case isNew:
		s.keepAnswer(c, key, first)
	case first.sum != sumOf(c):
		s.fail(c, problem.New(problem.Conflict, "the Idempotency-Key %q was used for another request: give each request a key of its own", c.GetHeader("Idempotency-Key")), nil)
	case !first.done:
		s.fail(c, problem.New(problem.Conflict, "the request with the Idempotency-Key %q is still at work: ask again in a moment", c.GetHeader("Idempotency-Key")), nil)
	default:
		for name, values := range first.header {
			c.Writer.Header()[name] = values
		}
		c.Header("Rapid-Mimic-Repeated", "true")
		c.Abort()
		c.Status(first.status)
		_, _ = c.Writer.Write(first.body) // a caller that left again is not ours to mend
	}
}

func sumOf(c *gin.Context) [sha256.Size]byte {
	body, _ := c.Get(bodyKey)
	text, _ := body.([]byte)
	return sha256.Sum256(append([]byte(c.Request.Method+" "+c.Request.URL.RequestURI()+"\n"), text...))
}

// begin finds the first request with a key, or notes that this is it. The request that is
// found is not changed any more once it is done.
func (r *repeats) begin(key string, sum [sha256.Size]byte, now time.Time) (first *firstRequest, isNew bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	have := *r.seen.Ensure(key, func() *firstRequest { return nil })
	if have != nil && now.Sub(have.at) < rememberedFor {
		copied := *have
		return &copied, false
	}
	first = &firstRequest{sum: sum, at: now}
	*r.seen.Get(key) = first
	return first, true
}

// limit forgets the answers that were asked for the longest ago, as far as they are too
// much together. The caller holds the lock.
func (r *repeats) limit() {
	sum := 0
	var over []string
	for key, first := range r.seen.All() {
		if *first != nil && (*first).done {
			if sum += len((*first).body); sum > rememberedSum {
				over = append(over, key)
			}
		}
	}
	for _, key := range over {
		r.seen.Delete(key)
	}
}

// keepAnswer lets the request go on and keeps what it is answered, unless that says that
// asking again may help.
func (s *server) keepAnswer(c *gin.Context, key string, first *firstRequest) {
	writer := &keepingWriter{ResponseWriter: c.Writer}
	c.Writer = writer
	finished := false
	defer func() {
		s.repeats.mu.Lock()
		defer s.repeats.mu.Unlock()
		if !finished || writer.Status() >= 500 || writer.kept.Len() > rememberedBytes {
			s.repeats.seen.Delete(key)
			return
		}
		first.done, first.status, first.header, first.body = true, writer.Status(), writer.Header().Clone(), writer.kept.Bytes()
		s.repeats.limit()
	}()
	c.Next()
	finished = true
}

// keepingWriter remembers the beginning of what is written.
type keepingWriter struct {
	gin.ResponseWriter
	kept bytes.Buffer
}

func (w *keepingWriter) Write(b []byte) (int, error) {
	w.kept.Write(b[:min(len(b), max(0, rememberedBytes+1-w.kept.Len()))])
	return w.ResponseWriter.Write(b)
}

func (w *keepingWriter) WriteString(text string) (int, error) { return w.Write([]byte(text)) }
