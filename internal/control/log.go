package control

import (
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// logRequest writes a line for each request to the API when it is over: of shared environments
// always, of others with --log-level debug. Queries are left out: they may hold what somebody
// looks for.
func (s *server) logRequest(c *gin.Context) {
	level := slog.LevelDebug
	if s.NeedToken {
		level = slog.LevelInfo
	}
	if s.Logger == nil || !s.Logger.Enabled(c.Request.Context(), level) || !strings.HasPrefix(c.Request.URL.Path, "/api/") {
		return
	}
	begun, id := time.Now(), s.requests.next()
	c.Header(requestHeader, id)
	c.Next()
	s.Logger.Log(c.Request.Context(), level, "request", "id", id, "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(),
		"ms", time.Since(begun).Milliseconds(), "bytes", max(0, c.Writer.Size()), "token", holder(c).Name, "from", callerOf(c), "entry", c.Writer.Header().Get(entryHeader))
}

// requestHeader tells who asked under which id the log has the request.
const requestHeader = "Rapid-Mimic-Request"

// requestIDs numbers requests, beginning at the moment of the start, so that none has the id of
// one of a run before.
type requestIDs struct{ last atomic.Int64 }

func (r *requestIDs) next() string {
	r.last.CompareAndSwap(0, time.Now().UnixMicro())
	return "r-" + strconv.FormatInt(r.last.Add(1), 36)
}

func (s *server) getLogLevel(c *gin.Context) {
	c.PureJSON(http.StatusOK, s.logLevel())
}

func (s *server) logLevel() api.LogLevel {
	if s.LogLevel == nil {
		return api.LogLevel{}
	}
	return api.LogLevel{Level: strings.ToLower(s.LogLevel.Level().String())}
}

func (s *server) putLogLevel(c *gin.Context) {
	var wanted api.LogLevel
	err := readFields(c, &wanted, "log level")
	var level slog.Level
	switch {
	case err != nil:
	case s.LogLevel == nil:
		err = problem.New(problem.Unavailable, "the level of this log cannot be changed")
	case level.UnmarshalText([]byte(wanted.Level)) != nil:
		err = problem.New(problem.Invalid, "level must be debug, info, warn or error, not %q", wanted.Level)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	s.LogLevel.Set(level)
	c.PureJSON(http.StatusOK, s.logLevel())
}
