// Package control is the control port: the REST API that console, command line
// and tests use, the event stream, health, metrics, and the console's files.
//
// It translates between HTTP and the core's use cases and decides nothing
// itself. There is one file for each resource; openapi.yaml describes them
// all, and a test holds it against the routes.
package control

import (
	"context"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/spec/api"
)

// Config is what the control port works with.
type Config struct {
	Catalog   *catalog.Catalog
	Log       CallLog
	Calls     CallStore
	Walks     WalkStore
	Metrics   http.Handler
	Console   fs.FS
	Logger    *slog.Logger
	Masker    *secret.Masker
	Engine    Decider
	Authority Authority
	// Callbacks makes the calls of webhooks.
	Callbacks Callbacks
	// Upstream asks real services, where a recording is replayed.
	Upstream Upstream
	// Fetch gets a contract from an address, with its name; nil where that is
	// not allowed.
	Fetch func(ctx context.Context, address string) (text []byte, name string, err error)
	// Expire ends what is over: lanes, and scenarios that were on for a time.
	Expire func(ctx context.Context, now time.Time) error
	// Ready reports whether calls are being answered.
	Ready func() bool

	Version   string
	StartedAt time.Time
	// ControlURL and TrafficURL are base URLs without a trailing slash.
	// ProxyURL is "" where there is no proxy.
	ControlURL, TrafficURL, ProxyURL string
	// Gate is passed before a large upload is worked on.
	Gate Gate
	// Lost says why nothing that is written now is kept; nil where all is.
	Lost func() error
	// Memory is asked before a large upload is read.
	Memory Memory
	// Data is the data folder.
	Data string
	// AnyHost admits every Host header; otherwise only names of this machine, Hosts and,
	// where a token is needed, addresses.
	AnyHost bool
	Hosts   []string
	// Tokens are those of the environment. NeedToken asks for one; with OpenView everybody
	// may look without.
	Tokens              *access.Tokens
	NeedToken, OpenView bool
	// RequestsPerSecond, ChangesPerMinute and LanesPerToken are the share of each token,
	// LaneCallsPerSecond what the traffic port lets a lane have; 0 for no limit.
	RequestsPerSecond, ChangesPerMinute, LanesPerToken, LaneCallsPerSecond int
	// SignIn lets people in by a provider; nil for none. SessionFor is for how long.
	SignIn     SignIn
	SessionFor time.Duration
	// LogLevel is that of the log; nil where it cannot be changed.
	LogLevel *slog.LevelVar
	// Backup writes all that the data folder needs as an archive.
	Backup func(ctx context.Context, w io.Writer) error
	// CertificateExpires is when the certificate of the ports ends; zero for never.
	CertificateExpires func() time.Time
}

type server struct {
	Config
	guard    hostGuard
	attended attendance
	repeats  *repeats
	walking  sync.Mutex // held while a walk changes
	guesses  guesses
	refusals once
	// demands are what the calls demand, by method and path.
	demands  map[string]demand
	quotas   *quotas
	present  presence
	arrivals arrivals
	requests requestIDs
	// described is done once the document of the API says which roles operations take.
	described     sync.Once
	withRolesText []byte
}

// Server is the handler of the control port, and what it does by itself.
type Server struct {
	http.Handler
	server *server
}

// MaxUpload bounds the body of every request to the API, in bytes.
const MaxUpload = 64 << 20

// New builds the control port.
func New(c Config) *Server {
	gin.SetMode(gin.ReleaseMode)
	s := &server{
		Config: c, guard: hostGuard{any: c.AnyHost, names: c.Hosts, addresses: c.NeedToken}, repeats: newRepeats(),
		guesses: guesses{from: lru.New[guessed](knownCallers)}, refusals: once{seen: lru.New[time.Time](knownCallers)},
		demands: make(map[string]demand),
		quotas: newQuotas(api.Quotas{
			RequestsPerSecond: c.RequestsPerSecond, ChangesPerMinute: c.ChangesPerMinute, LanesPerToken: c.LanesPerToken,
			LaneCallsPerSecond: c.LaneCallsPerSecond, LaneMappings: catalog.MaxLaneMappings,
		}),
	}
	for _, r := range s.table() {
		s.demands[r.method+" /api/v1"+r.path] = r.demand
	}
	router := gin.New()
	router.RedirectTrailingSlash = false
	router.HandleMethodNotAllowed = true
	router.UseRawPath, router.UnescapePathValues = true, true
	router.Use(s.logRequest, s.recoverFault, notRendered, s.guard.check, s.identify, s.within, s.limitBody, author)
	s.routes(router)
	router.NoRoute(s.noRoute)
	router.NoMethod(noMethod)
	return &Server{compressed(router), s}
}

// compressed compresses what is text and not small, for those who take that. The event
// stream is neither: it goes out as it comes.
func compressed(h http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(4<<10), gzhttp.ContentTypes([]string{
		"application/json", "application/problem+json", "application/yaml", "application/schema+json",
		"text/html", "text/css", "text/javascript", "text/plain", "image/svg+xml",
	}))
	if err != nil {
		panic(err) // our own settings are right
	}
	return wrap(h)
}

func (s *server) routes(router *gin.Engine) {
	router.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	router.GET("/readyz", s.readyz)
	router.GET("/proxy.pac", s.getPAC)
	if s.SignIn != nil {
		router.GET("/sign-in", s.beginSignIn)
		router.GET(signInBack, s.endSignIn)
	}
	router.GET("/metrics", s.allow(route{path: "/metrics", demand: view}), gin.WrapH(s.Metrics))
	api := router.Group("/api/v1")
	for _, r := range s.table() {
		check := s.checkQuery(r.method, api.BasePath()+inDocument(r.path))
		allow := s.allow(r)
		api.Handle(r.method, r.path, allow, check, s.onlyOnce, r.handle)
		if r.method == http.MethodGet && r.path != streamPath {
			api.Handle(http.MethodHead, r.path, allow, check, r.handle)
		}
	}
}

func (s *server) readyz(c *gin.Context) {
	if !s.Ready() {
		c.String(http.StatusServiceUnavailable, "not ready\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}
