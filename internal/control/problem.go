package control

import (
	"errors"
	"io"
	"log/slog"
	"net/http"
	"os"
	"runtime/debug"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// statusOf is the HTTP status of each problem code.
var statusOf = map[problem.Code]int{
	problem.Invalid:      http.StatusUnprocessableEntity,
	problem.Syntax:       http.StatusBadRequest,
	problem.NotFound:     http.StatusNotFound,
	problem.Exists:       http.StatusConflict,
	problem.Conflict:     http.StatusConflict,
	problem.Stale:        http.StatusPreconditionFailed,
	problem.TooLarge:     http.StatusRequestEntityTooLarge,
	problem.Unsupported:  http.StatusUnsupportedMediaType,
	problem.Refused:      http.StatusForbidden,
	problem.Unauthorized: http.StatusUnauthorized,
	problem.TooMany:      http.StatusTooManyRequests,
	problem.Unavailable:  http.StatusServiceUnavailable,
	problem.Unreachable:  http.StatusBadGateway,
	problem.Internal:     http.StatusInternalServerError,
}

// fail answers with an error as an RFC 9457 problem document. current is the
// present state of what a stale write wanted to change, else nil.
func (s *server) fail(c *gin.Context, err error, current any) {
	var p *problem.Error
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &p):
	case errors.As(err, &tooLarge):
		p = problem.New(problem.TooLarge, "the body is larger than the %d MiB allowed", tooLarge.Limit>>20)
	case errors.Is(err, os.ErrDeadlineExceeded), errors.Is(err, io.ErrUnexpectedEOF):
		p = problem.New(problem.Syntax, "the body did not arrive whole (%v); nothing was changed", err)
	default:
		level := slog.LevelError
		if c.Request.Context().Err() != nil { // nobody waits for it any more
			level = slog.LevelDebug
		}
		s.Logger.Log(c.Request.Context(), level, "request failed", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		p = problem.New(problem.Internal, "this is a fault of Rapid Mimic; its log has the details")
	}
	if p.Code == problem.Stale && c.GetBool(mayRetryKey) {
		c.Set(staleKey, true)
		return
	}
	if p.Code != problem.Stale {
		current = nil
	}
	writeProblem(c, p, statusOf[p.Code], current)
}

func writeProblem(c *gin.Context, p *problem.Error, status int, current any) {
	c.Abort()
	c.Header("Content-Type", "application/problem+json")
	c.JSON(status, api.Problem{
		Type: "urn:rapid-mimic:" + string(p.Code), Title: http.StatusText(status), Status: status,
		Detail: p.Detail, Code: p.Code, Errors: p.Items, Hint: p.Hint, Current: current,
	})
}

func (s *server) recoverFault(c *gin.Context) {
	defer func() {
		if fault := recover(); fault != nil {
			s.Logger.Error("a request made the service fail", "path", c.Request.URL.Path, "fault", fault, "stack", string(debug.Stack()))
			writeProblem(c, problem.New(problem.Internal, "this is a fault of Rapid Mimic; its log has the details"), http.StatusInternalServerError, nil)
		}
	}()
	c.Next()
}

// noMethod refuses a method that an address does not have. It answers who asks for those
// that it has.
func noMethod(c *gin.Context) {
	if c.Request.Method == http.MethodOptions {
		c.Status(http.StatusNoContent)
		c.Writer.WriteHeaderNow()
		return
	}
	writeProblem(c, problem.New(problem.NotFound, "%s does not know the method %s", c.Request.URL.Path, c.Request.Method), http.StatusMethodNotAllowed, nil)
}
