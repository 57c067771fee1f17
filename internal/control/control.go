// Package control is the control port: the REST API that console, command line
// and tests use, the event stream, health, metrics, and the console's files.
//
// It translates between HTTP and the core's use cases and decides nothing
// itself. There is one file for each resource; openapi.yaml describes them
// all, and a test holds it against the routes.
package control

import (
	"context"
	"io/fs"
	"log/slog"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
)

// Config is what the control port works with.
type Config struct {
	Catalog   *catalog.Catalog
	Log       CallLog
	Calls     CallStore
	Metrics   http.Handler
	Console   fs.FS
	Logger    *slog.Logger
	Masker    *call.Masker
	Engine    Decider
	Authority Authority
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
	// AnyHost admits every Host header; otherwise only names of this machine.
	AnyHost bool
}

type server struct {
	Config
	guard hostGuard
}

// MaxUpload bounds the body of every request to the API, in bytes.
const MaxUpload = 64 << 20

// New builds the handler of the control port.
func New(c Config) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &server{Config: c, guard: hostGuard{any: c.AnyHost}}
	router := gin.New()
	router.RedirectTrailingSlash = false
	router.HandleMethodNotAllowed = true
	router.UseRawPath, router.UnescapePathValues = true, true
	router.Use(s.recoverFault, s.guard.check, s.limitBody, author)
	s.routes(router)
	router.NoRoute(s.noRoute)
	router.NoMethod(noMethod)
	return compressed(router)
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
	router.GET("/metrics", gin.WrapH(s.Metrics))

	api := router.Group("/api/v1")
	api.GET("/openapi.yaml", getOpenAPI)
	api.GET("/status", s.getStatus)

	api.GET("/schemas/:schema", s.getSchema)

	api.POST("/imports", s.postImport)

	api.GET("/authority", s.getAuthority)
	api.POST("/apply", s.postApply)
	api.POST("/export", s.postExport)

	api.GET("/services", s.listServices)
	api.POST("/services", s.postService)
	api.GET("/services/:service", s.getService)
	api.PUT("/services/:service", s.putService)
	api.PATCH("/services/:service", s.again(s.patchService))
	api.DELETE("/services/:service", s.deleteService)
	api.GET("/services/:service/contract", s.getContract)
	api.GET("/services/:service/operations", s.listOperations)
	api.GET("/services/:service/operations/:operation", s.getOperation)
	api.POST("/services/:service/test-calls", s.postTestCall)
	api.POST("/services/:service/explain", s.postExplain)
	api.POST("/services/:service/trials", s.postTrial)
	api.GET("/services/:service/revisions", s.listRevisions)
	api.GET("/services/:service/revisions/:revision", s.getRevision)
	api.GET("/services/:service/revisions/:revision/changes", s.getChanges)

	api.GET("/services/:service/mappings", s.listMappings)
	api.POST("/services/:service/mappings", s.postMappings)
	api.GET("/services/:service/mappings/:mapping", s.getMapping)
	api.PUT("/services/:service/mappings/:mapping", s.putMapping)
	api.PATCH("/services/:service/mappings/:mapping", s.again(s.patchMapping))
	api.DELETE("/services/:service/mappings/:mapping", s.deleteMapping)

	api.PATCH("/services/:service/mappings", s.again(s.patchMappings))
	api.DELETE("/services/:service/mappings", s.deleteMappings)
	api.GET("/services/:service/removed-mappings", s.listRemovedMappings)
	api.GET("/services/:service/mappings/:mapping/versions", s.listMappingVersions)
	api.GET("/services/:service/mappings/:mapping/versions/:version", s.getMappingVersion)
	api.POST("/services/:service/mappings/:mapping/restore", s.restoreMapping)
	api.POST("/services/:service/mappings/:mapping/copies", s.copyMapping)
	api.DELETE("/services/:service/mappings/:mapping/positions", s.resetPositions)
	api.DELETE("/services/:service/mappings/:mapping/counts", s.resetCounts)
	api.DELETE("/services/:service/counts", s.resetAllCounts)

	api.GET("/services/:service/recordings", s.listRecordings)
	api.POST("/services/:service/recordings", s.postRecording)
	api.POST("/services/:service/recording-imports", s.postHAR)
	api.POST("/services/:service/recording-trials", s.postRecordingTrial)
	api.GET("/services/:service/recordings/:recording", s.getRecording)
	api.DELETE("/services/:service/recordings/:recording", s.deleteRecording)
	api.GET("/services/:service/recordings/:recording/calls", s.listRecordedCalls)
	api.GET("/services/:service/recordings/:recording/har", s.getHAR)
	api.POST("/services/:service/recordings/:recording/stop", s.stopRecording)
	api.POST("/services/:service/recordings/:recording/mappings", s.postRecordedMappings)

	api.GET("/services/:service/payloads", s.listPayloads)
	api.GET("/services/:service/payloads/:payload", s.getPayload)
	api.PUT("/services/:service/payloads/:payload", s.putPayload)
	api.DELETE("/services/:service/payloads/:payload", s.deletePayload)

	api.GET("/impairments", s.listImpairments)
	api.PATCH("/impairments", s.again(s.patchImpairments))
	api.POST("/impairments/reset", s.resetImpairments)
	for _, target := range []string{"/impairments", "/services/:service/impairments"} {
		api.PUT(target, s.putImpairment)
		api.DELETE(target, s.deleteImpairment)
	}
	api.GET("/scenarios", s.listScenarios)
	api.POST("/scenarios", s.postScenarios)
	api.GET("/scenarios/:scenario", s.getScenario)
	api.PUT("/scenarios/:scenario", s.putScenario)
	api.PATCH("/scenarios/:scenario", s.again(s.patchScenario))
	api.DELETE("/scenarios/:scenario", s.deleteScenario)
	api.GET("/activations", s.getActive)
	api.PUT("/activations", s.putActive)
	api.DELETE("/activations", s.deleteActive)
	api.POST("/activations/reset", s.resetActive)
	api.POST("/scenario-drafts", s.postDraft)

	api.GET("/lanes", s.listLanes)
	api.POST("/lanes", s.postLane)
	api.GET("/lanes/:lane", s.getLane)
	api.PUT("/lanes/:lane", s.putLane)
	api.PATCH("/lanes/:lane", s.again(s.patchLane))
	api.DELETE("/lanes/:lane", s.deleteLane)

	api.GET("/lines", s.listLines)
	api.PUT("/lines/:line", s.putLine)
	api.DELETE("/lines/:line", s.deleteLine)

	api.GET("/calls", s.listCalls)
	api.DELETE("/calls", s.clearCalls)
	api.POST("/calls/assert", s.postAssertion)
	api.GET("/calls/retries", s.listRetries)
	api.GET("/services/:service/timings", s.getTimings)
	api.GET("/calls/stream", s.streamCalls)
	api.GET("/calls/:call", s.getCall)
}

func (s *server) readyz(c *gin.Context) {
	if !s.Ready() {
		c.String(http.StatusServiceUnavailable, "not ready\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}
