package control

import (
	"bytes"
	"context"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/spec/problem"
)

// hostGuard keeps web pages of others from using the API through a tester's
// browser: a name that was made to resolve to us (DNS rebinding) is told by
// its Host header, a page of another origin by its Origin header.
type hostGuard struct {
	any bool
	// names are more names of ours. Addresses are not names, so nobody made them resolve to
	// us; where a token is needed they are taken, too.
	names     []string
	addresses bool
}

// takes reports whether a Host header is one of ours.
func (g hostGuard) takes(hostport string) bool {
	if g.any || isOwnHost(hostport) {
		return true
	}
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	_, err = netip.ParseAddr(strings.Trim(host, "[]"))
	return g.addresses && err == nil || slices.ContainsFunc(g.names, func(name string) bool { return strings.EqualFold(name, host) })
}

func (g hostGuard) check(c *gin.Context) {
	if !g.takes(c.Request.Host) {
		writeProblem(c, problem.New(problem.Refused, "the control port does not answer to the name %q", c.Request.Host), http.StatusForbidden, nil)
		return
	}
	h := c.Request.Header
	if site := h.Get("Sec-Fetch-Site"); (site == "cross-site" || site == "same-site") && (h.Get("Sec-Fetch-Mode") != "navigate" || c.Request.Method != http.MethodGet) {
		writeProblem(c, problem.New(problem.Refused, "pages of other sites may not use the control port"), http.StatusForbidden, nil)
		return
	}
	if origin := h.Get("Origin"); origin != "" {
		if u, err := url.Parse(origin); err != nil || u.Host != c.Request.Host {
			writeProblem(c, problem.New(problem.Refused, "pages of %s may not use the control port", origin), http.StatusForbidden, nil)
		}
	}
}

// notRendered keeps what comes from outside, such as contracts and payloads, from being
// a page of ours: a browser takes it for nothing but what we say it is, runs nothing in
// it, and gives it to no other site. The console's own page has a policy of its own.
func notRendered(c *gin.Context) {
	c.Header("X-Content-Type-Options", "nosniff")
	c.Header("Content-Security-Policy", "sandbox; default-src 'none'; frame-ancestors 'none'")
	c.Header("Cross-Origin-Resource-Policy", "same-origin")
	c.Header("Referrer-Policy", "no-referrer")
}

// attached has a browser save what it gets, under a name.
func attached(c *gin.Context, name string) {
	c.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": path.Base(name)}))
}

func isOwnHost(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	if host == "localhost" {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.IsLoopback()
}

// Memory shares out what uploads may take.
type Memory interface {
	// Reserve takes bytes for somebody, "" for nobody in particular, until release is
	// called; ok is false where that many are not left, or not for that one.
	Reserve(by string, bytes int64) (release func(), ok bool)
	Limit() int64
}

// Gate lets few do heavy work at a time, so that calls find a processor.
type Gate interface {
	// Enter waits for a place; false when ctx ends, or waiting takes too long.
	Enter(ctx context.Context) bool
	Leave()
}

// smallUpload is the size, in bytes, up to which nobody asks what an upload takes.
const smallUpload = 1 << 20

// uploadTimeout is how long a body may take to arrive.
const uploadTimeout = 2 * time.Minute

// limitBody bounds what a request may send, and reserves the memory that reading it
// can take: many times its size, for a document.
func (s *server) limitBody(c *gin.Context) {
	size := c.Request.ContentLength
	if size == 0 {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxUpload)
	if size < 0 || size > MaxUpload {
		size = MaxUpload // what is larger is refused when it is read
	}
	release, ok := func() {}, true
	if size > smallUpload { // so much is sure before it is read
		release, ok = s.Memory.Reserve(holder(c).Name, size*costAsBytes)
	}
	defer release()
	if !ok {
		s.refuseUpload(c, size, size*costAsBytes)
		return
	}
	control := http.NewResponseController(c.Writer)
	_ = control.SetReadDeadline(time.Now().Add(uploadTimeout)) // where a connection has none, there is no limit
	text, err := readSized(budget.Fair(c.Request.Body), c.Request.ContentLength)
	_ = control.SetReadDeadline(time.Time{})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	holdBody(c, text)
	c.Set(bodyKey, text)
	if len(text) <= smallUpload {
		c.Next()
		return
	}
	cost := costOf(text, strings.Contains(c.Request.URL.Path, "/payloads/"))
	if !s.Gate.Enter(c.Request.Context()) {
		s.fail(c, problem.New(problem.Unavailable, "busy with other large uploads or expensive calls; nothing was changed, try again"), nil)
		return
	}
	defer s.Gate.Leave()
	more, ok := s.Memory.Reserve(holder(c).Name, max(0, cost-size*costAsBytes))
	defer more()
	if !ok {
		s.refuseUpload(c, int64(len(text)), cost)
		return
	}
	c.Next()
}

// readSized reads a body whose size may be known, without growing on the way.
func readSized(r io.Reader, size int64) ([]byte, error) {
	if size < 0 || size > MaxUpload {
		return io.ReadAll(r)
	}
	text := make([]byte, size)
	_, err := io.ReadFull(r, text)
	return text, err
}

func (s *server) refuseUpload(c *gin.Context, size, cost int64) {
	s.fail(c, problem.New(problem.TooLarge, "an upload of %d MB may take %d MB of memory to read, and that is not free: uploads have %d MB together (serve --memory-limit)",
		size>>20, cost>>20, s.Memory.Limit()>>20), nil)
}

// How many times its size a text takes at most while it is read and compiled.
const (
	costAsBytes = 3
	costAsJSON  = 12
	costAsYAML  = 30
)

// costOf estimates how many bytes it takes to read an upload.
func costOf(text []byte, payload bool) int64 {
	start := bytes.TrimLeft(text, " \t\r\n")
	switch {
	case payload:
		return int64(len(text)) * costAsBytes
	case bundle.IsArchive(text):
		return int64(len(text)) + bundle.UnpackedSize(text)*costAsYAML
	case bytes.HasPrefix(start, []byte("{")) || bytes.HasPrefix(start, []byte("[")):
		return int64(len(text)) * costAsJSON
	default:
		return int64(len(text)) * costAsYAML
	}
}
