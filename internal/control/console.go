package control

import (
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/problem"
)

// noncePlaceholder stands in the built page where the nonce of each request
// goes.
const noncePlaceholder = "{{nonce}}"

const contentPolicy = "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-%s'; img-src 'self' data:; " +
	"font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// noRoute serves the console: files by their path, and the page itself for
// every other path outside the API, since the page has addresses of its own.
func (s *server) noRoute(c *gin.Context) {
	target := path.Clean(c.Request.URL.Path)
	if strings.HasPrefix(target, "/api") {
		s.fail(c, problem.New(problem.NotFound, "the API has no %s (/api/v1/openapi.yaml describes it)", target), nil)
		return
	}
	if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead {
		noMethod(c)
		return
	}
	file := strings.TrimPrefix(target, "/")
	if data, err := fs.ReadFile(s.Console, file); err == nil && file != "index.html" {
		s.consoleFile(c, file, data)
		return
	}
	if path.Ext(file) != "" && strings.HasPrefix(file, "assets/") {
		s.fail(c, problem.New(problem.NotFound, "the console has no file %s (reload the page)", target), nil)
		return
	}
	s.consolePage(c)
}

func (s *server) consoleFile(c *gin.Context, file string, data []byte) {
	cache := "no-cache"
	if strings.HasPrefix(file, "assets/") { // their names change with their content
		cache = "public, max-age=31536000, immutable"
	}
	c.Header("Cache-Control", cache)
	c.Data(http.StatusOK, mime.TypeByExtension(path.Ext(file)), data)
}

func (s *server) consolePage(c *gin.Context) {
	page, err := fs.ReadFile(s.Console, "index.html")
	if err != nil {
		c.Data(http.StatusNotFound, "text/plain; charset=utf-8",
			[]byte("This is Rapid Mimic. The binary was built without its console (make build makes both).\nThe API is at /api/v1, described at /api/v1/openapi.yaml.\n"))
		return
	}
	secret := make([]byte, 16)
	if _, err := rand.Read(secret); err != nil {
		s.fail(c, err, nil)
		return
	}
	nonce := base64.RawURLEncoding.EncodeToString(secret)
	c.Header("Cache-Control", "no-store")
	c.Header("Content-Security-Policy", fmt.Sprintf(contentPolicy, nonce))
	c.Data(http.StatusOK, "text/html; charset=utf-8", bytes.ReplaceAll(page, []byte(noncePlaceholder), []byte(nonce)))
}
