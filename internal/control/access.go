package control

import (
	"fmt"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/spec/problem"
)

const holderKey = "holder"

// local is who asks where no token is needed.
var local = &access.Token{Role: access.Admin}

// anybody is who asks without a token where everybody may look.
var anybody = &access.Token{Role: access.Viewer}

// holder is the token of who asks.
func holder(c *gin.Context) *access.Token {
	if t, ok := c.Get(holderKey); ok {
		return t.(*access.Token)
	}
	return local
}

// identify finds out who asks, before anything of the request is read. The console's files,
// health and readiness are for everybody.
func (s *server) identify(c *gin.Context) {
	if !s.NeedToken {
		return
	}
	secret, given := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	path := c.Request.URL.Path
	switch {
	case !strings.HasPrefix(path, "/api/") && path != "/metrics":
		s.toTLS(c)
		return
	case !given && s.demands[c.Request.Method+" "+path].open:
		c.Set(holderKey, anybody)
		return
	case !given && s.OpenView:
		c.Set(holderKey, anybody)
		return
	case !given:
		s.unauthorized(c, problem.New(problem.Unauthorized, "this environment asks for a token (rapidmimic login %s, or RAPIDMIMIC_TOKEN; whoever is admin creates one: rapidmimic token create)", s.ControlURL))
		return
	case c.Request.TLS == nil && !isLoopbackCaller(c):
		s.unauthorized(c, problem.New(problem.Refused, "a token is taken over https only, or from this machine: everybody on the way could read it"))
		return
	}
	from := callerOf(c)
	if wait := s.guesses.wait(from, time.Now()); wait > 0 {
		c.Header("Retry-After", strconv.Itoa(int(wait.Seconds())+1))
		s.fail(c, problem.New(problem.TooMany, "too many wrong tokens from your address: try again in %d s", int(wait.Seconds())+1), nil)
		return
	}
	t, err := s.Tokens.Find(secret, time.Now())
	if err != nil {
		if s.guesses.wrong(from, time.Now()) {
			s.Logger.Warn("wrong token", "from", from, "reason", err)
			s.note(c, "", "refused a wrong token from "+from)
		}
		s.unauthorized(c, err)
		return
	}
	c.Set(holderKey, t)
}

// toTLS sends who opens the console without TLS there, where there is TLS.
func (s *server) toTLS(c *gin.Context) {
	if c.Request.TLS == nil && strings.HasPrefix(s.ControlURL, "https://") && !isLoopbackCaller(c) && c.Request.URL.Path != "/healthz" && c.Request.URL.Path != "/readyz" {
		c.Redirect(http.StatusPermanentRedirect, s.ControlURL+c.Request.URL.RequestURI())
		c.Abort()
	}
}

func (s *server) unauthorized(c *gin.Context, err error) {
	c.Header("WWW-Authenticate", `Bearer realm="rapidmimic"`)
	s.fail(c, err, nil)
}

func callerOf(c *gin.Context) string {
	host, _, err := net.SplitHostPort(c.Request.RemoteAddr)
	if err != nil {
		return c.Request.RemoteAddr
	}
	return host
}

func isLoopbackCaller(c *gin.Context) bool {
	ip := net.ParseIP(callerOf(c))
	return ip != nil && ip.IsLoopback()
}

// allow lets a request through whose token may do what the route needs.
func (s *server) allow(r route) gin.HandlerFunc {
	return func(c *gin.Context) {
		need := access.Need{Right: r.right, Lane: c.Param("lane"), Shared: r.limited}
		if r.right == access.Edit {
			need.Lane = c.Query("lane")
		}
		if isOn(c, "confirm") || isOn(c, "prune") { // hosts beyond the allowed, and what others made
			need.Right = access.Administer
		}
		services := c.QueryArray("service")
		if name := c.Param("service"); name != "" {
			services = append(services, name)
		}
		if len(services) == 0 {
			s.may(c, need)
		}
		for _, name := range services {
			if need.Service = s.nameOf(name); !s.may(c, need) {
				return
			}
		}
	}
}

// nameOf is the name of a service that is named by its id.
func (s *server) nameOf(nameOrID string) string {
	if nameOrID == "" || s.Catalog == nil {
		return nameOrID
	}
	if service := s.Catalog.Snapshot().Find(nameOrID); service != nil {
		return service.Spec.Name
	}
	return nameOrID
}

// may refuses a request that needs what its token does not have; it reports whether it may
// go on.
func (s *server) may(c *gin.Context, need access.Need) bool {
	err := holder(c).Refuse(need)
	if err == nil {
		return true
	}
	if s.refusals.first(holder(c).ID+c.Request.Method+c.FullPath(), time.Now()) {
		s.note(c, need.Service, fmt.Sprintf("was refused: %s %s", c.Request.Method, c.Request.URL.Path))
	}
	s.fail(c, err, nil)
	return false
}

// note keeps in the activity what is no edit. That it cannot be kept fails nothing.
func (s *server) note(c *gin.Context, service, text string) {
	if s.Catalog == nil {
		return
	}
	ctx := catalog.Through(catalog.By(c.Request.Context(), holder(c).Name), throughWhat(c), callerOf(c))
	if err := s.Catalog.Note(ctx, service, text); err != nil {
		s.Logger.Error("an entry of the activity was not kept", "error", err)
	}
}

// guesses slows down who tries tokens: after some wrong ones an address waits.
type guesses struct {
	mu   sync.Mutex
	from *lru.Map[guessed]
}

type guessed struct {
	count int
	until time.Time
}

const (
	freeGuesses  = 10
	guessWait    = 10 * time.Second // doubled with each more, up to longestGuess
	longestGuess = 10 * time.Minute
	knownCallers = 10_000
)

// wait is how long an address has to wait before it is listened to.
func (g *guesses) wait(from string, now time.Time) time.Duration {
	g.mu.Lock()
	defer g.mu.Unlock()
	if have := g.from.Get(from); have != nil {
		return max(0, have.until.Sub(now))
	}
	return 0
}

// wrong counts a wrong token, and reports whether it is to be told of.
func (g *guesses) wrong(from string, now time.Time) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	have := g.from.Ensure(from, func() guessed { return guessed{} })
	if !have.until.IsZero() && now.Sub(have.until) > longestGuess {
		*have = guessed{}
	}
	have.count++
	if over := have.count - freeGuesses; over >= 0 {
		have.until = now.Add(min(longestGuess, guessWait<<min(over, 6)))
	}
	return have.count == 1 || have.count == freeGuesses
}

// once tells things apart that are told once in a while.
type once struct {
	mu   sync.Mutex
	seen *lru.Map[time.Time]
}

// toldEvery is after how long something is told again.
const toldEvery = time.Hour

func (o *once) first(what string, now time.Time) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	at := o.seen.Ensure(what, func() time.Time { return time.Time{} })
	if now.Sub(*at) < toldEvery {
		return false
	}
	*at = now
	return true
}

// sees reports whether a service is one that the token of a request may see.
func sees(c *gin.Context, service string) bool { return holder(c).Sees(service) }

// seesTarget is sees for what an impairment is for; that of everything is everybody's.
func seesTarget(c *gin.Context, service string) bool { return service == "" || sees(c, service) }

// seenItems are those that tell of nothing that the token of a request may not see.
func seenItems(c *gin.Context, items []catalog.Item) []catalog.Item {
	if holder(c).Whole() {
		return items
	}
	return slices.DeleteFunc(slices.Clone(items), func(i catalog.Item) bool { return !sees(c, i.Service) })
}

// seesEntry reports whether an entry tells of nothing that the token of a request may not see.
func seesEntry(c *gin.Context, e catalog.Entry) bool {
	if holder(c).Whole() {
		return true
	}
	if e.About != "" {
		return sees(c, e.About)
	}
	return len(e.Items) > 0 && !slices.ContainsFunc(e.Items, func(i catalog.Item) bool { return !sees(c, i.Service) })
}
