package control

import (
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// quotas share the control port out among tokens: requests, and of them changes. Whoever asks
// without one, on a laptop, has all of it.
type quotas struct {
	api.Quotas

	mu sync.Mutex // guards of
	of *lru.Map[*share]
}

// share is what a token may still do.
type share struct{ requests, changes *rate.Limiter }

// burst is for how long a token may be faster than its quota, from rest.
const burst = 10 * time.Second

func newQuotas(q api.Quotas) *quotas {
	return &quotas{Quotas: q, of: lru.New[*share](2 * maxShares)}
}

// maxShares is how many tokens are told apart.
const maxShares = 1000

// shareOf is that of a token.
func (q *quotas) shareOf(id string) *share {
	q.mu.Lock()
	defer q.mu.Unlock()
	return *q.of.Ensure(id, func() *share {
		changes := rate.Limit(float64(q.ChangesPerMinute) / 60)
		return &share{
			rate.NewLimiter(rate.Limit(q.RequestsPerSecond), int(float64(q.RequestsPerSecond)*burst.Seconds())),
			rate.NewLimiter(changes, q.ChangesPerMinute),
		}
	})
}

// within lets a request through while its token keeps to its share, and says what is left of
// it (RateLimit and RateLimit-Policy, of the draft of the HTTP working group).
func (s *server) within(c *gin.Context) {
	t := holder(c)
	if t.ID == "" {
		return
	}
	share, now := s.quotas.shareOf(t.ID), time.Now()
	limits := []struct {
		name    string
		limiter *rate.Limiter
		window  int // seconds
		applies bool
		of      int
		per     string
	}{
		{"requests", share.requests, int(burst.Seconds()), s.quotas.RequestsPerSecond > 0, s.quotas.RequestsPerSecond, "second"},
		{"changes", share.changes, 60, s.quotas.ChangesPerMinute > 0 && s.changes(c), s.quotas.ChangesPerMinute, "minute"},
	}
	for _, l := range limits {
		if !l.applies {
			continue
		}
		c.Writer.Header().Add("RateLimit-Policy", fmt.Sprintf("%q;q=%d;w=%d", l.name, l.limiter.Burst(), l.window))
		allowed := l.limiter.AllowN(now, 1)
		left := l.limiter.TokensAt(now)
		wait := int(math.Ceil(max(0, 1-left) / float64(l.limiter.Limit())))
		c.Writer.Header().Add("RateLimit", fmt.Sprintf("%q;r=%d;t=%d", l.name, int(max(0, left)), wait))
		if !allowed {
			c.Header("Retry-After", strconv.Itoa(max(1, wait)))
			s.fail(c, problem.New(problem.TooMany, "token %q makes too many %s: its share is %d a %s; try again in %d s (serve --%s-per-%s)", t.Name, l.name, l.of, l.per, max(1, wait), l.name, l.per), nil)
			return
		}
	}
}

// mayOpen refuses to open a lane to a token that has as many open as it may.
func (s *server) mayOpen(c *gin.Context, now time.Time) error {
	most, t := s.quotas.LanesPerToken, holder(c)
	if t.ID == "" || most == 0 {
		return nil
	}
	open := 0
	for _, lane := range s.Catalog.Snapshot().Lanes(now) {
		if lane.By == t.Name || strings.HasPrefix(lane.By, t.Name+" (") { // see author
			open++
		}
	}
	if open >= most {
		return problem.New(problem.TooMany, "token %q has %d lanes open, and its share is %d (serve --lanes-per-token): close one (rapidmimic lane close NAME), or wait until one expires", t.Name, open, most)
	}
	return nil
}

// changes reports whether a request is one to change something: a page that says it is open,
// and a question with a body, are none.
func (s *server) changes(c *gin.Context) bool {
	d, known := s.demands[c.Request.Method+" "+c.FullPath()]
	return isWrite(c.Request.Method) && (!known || d.right != access.View)
}

func isWrite(method string) bool {
	return method != http.MethodGet && method != http.MethodHead && method != http.MethodOptions
}
