package control

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func testConfig() Config {
	return Config{
		Metrics: http.NotFoundHandler(), Ready: func() bool { return false },
		Console: fstest.MapFS{
			"index.html":       {Data: []byte(`<script nonce="{{nonce}}"></script>`)},
			"theme.js":         {Data: []byte("1")},
			"assets/a-1234.js": {Data: []byte("1")},
		},
	}
}

func TestTheAPIDocumentDescribesTheRoutes(t *testing.T) {
	doc, err := tree.Parse(openAPI)
	require.NoError(t, err)
	described := map[string]bool{}
	for _, path := range doc.Get("paths").Members {
		for _, m := range path.Value.Members {
			if m.Key != "parameters" {
				described[strings.ToUpper(m.Key)+" "+path.Key] = true
			}
			assert.NotEqual(t, "", m.Key)
		}
	}
	router := gin.New()
	(&server{Config: testConfig()}).routes(router)
	served := map[string]bool{}
	for _, route := range router.Routes() {
		if route.Method != http.MethodHead {
			served[route.Method+" "+inDocument(route.Path)] = true
		}
	}
	assert.Equal(t, served, described)
	for code := range statusOf {
		assert.NotZero(t, statusOf[code])
	}
}

func TestEveryReferenceInTheAPIDocumentLeadsSomewhere(t *testing.T) {
	doc, err := tree.Parse(openAPI)
	require.NoError(t, err)
	var walk func(n *tree.Node)
	walk = func(n *tree.Node) {
		if ref := n.Get("$ref").Str(); ref != "" {
			assert.NotNil(t, doc.At(strings.TrimPrefix(ref, "#")), ref)
		}
		for _, m := range n.Members {
			walk(m.Value)
		}
		for _, item := range n.Items {
			walk(item)
		}
	}
	walk(doc)
}

func TestOnlyThisMachinesPagesMayUseIt(t *testing.T) {
	handler := New(testConfig())
	for _, c := range []struct {
		host, origin string
		status       int
	}{
		{"127.0.0.1:7400", "", 200},
		{"localhost:7400", "http://localhost:7400", 200},
		{"[::1]:7400", "", 200},
		{"rebound.example", "", 403},
		{"10.0.0.7:7400", "", 403},
		{"127.0.0.1:7400", "http://127.0.0.1:7401", 403},
		{"127.0.0.1:7400", "https://elsewhere.example", 403},
		{"127.0.0.1:7400", "null", 403},
	} {
		r := httptest.NewRequest("GET", "/healthz", nil)
		r.Host = c.host
		if c.origin != "" {
			r.Header.Set("Origin", c.origin)
		}
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		assert.Equal(t, c.status, w.Code, "host %s, origin %s", c.host, c.origin)
		if c.status == 403 {
			assert.Contains(t, w.Body.String(), string(problem.Refused))
		}
	}
}

// A browser says where a request comes from, also where it names no origin.
func TestRequestsOfOtherSitesAreRefused(t *testing.T) {
	handler := New(testConfig())
	for _, c := range []struct {
		method, path, site, mode string
		status                   int
	}{
		{"GET", "/api/v1/openapi.yaml", "same-origin", "cors", 200},
		{"GET", "/api/v1/openapi.yaml", "none", "navigate", 200},
		{"GET", "/services/moorings", "cross-site", "navigate", 200}, // a link in a chat
		{"GET", "/api/v1/openapi.yaml", "cross-site", "no-cors", 403},
		{"GET", "/api/v1/calls/stream", "cross-site", "cors", 403},
		{"GET", "/api/v1/openapi.yaml", "same-site", "cors", 403}, // another port of this machine
		{"POST", "/api/v1/services", "cross-site", "navigate", 403},
		{"GET", "/healthz", "cross-site", "no-cors", 403},
	} {
		r := httptest.NewRequest(c.method, c.path, nil)
		r.Host = "127.0.0.1:7400"
		r.Header.Set("Sec-Fetch-Site", c.site)
		r.Header.Set("Sec-Fetch-Mode", c.mode)
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		assert.Equal(t, c.status, w.Code, "%+v", c)
		assert.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"), "%+v", c)
		if c.path != "/services/moorings" {
			assert.Contains(t, w.Header().Get("Content-Security-Policy"), "sandbox; default-src 'none'", "%+v", c)
		}
	}
}

func TestTheConsoleIsServed(t *testing.T) {
	handler := New(testConfig())
	get := func(method, path string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, path, nil)
		r.Host = "127.0.0.1"
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		return w
	}
	page := get("GET", "/services/moorings")
	assert.Equal(t, 200, page.Code)
	policy := page.Header().Get("Content-Security-Policy")
	nonce := regexp.MustCompile(`'nonce-([^']+)'`).FindStringSubmatch(policy)
	require.Len(t, nonce, 2)
	assert.Contains(t, page.Body.String(), `nonce="`+nonce[1]+`"`)
	assert.NotContains(t, policy, "unsafe")
	assert.Contains(t, policy, "script-src 'self';")
	assert.NotEqual(t, policy, get("GET", "/").Header().Get("Content-Security-Policy"), "each page has a nonce of its own")
	assert.Equal(t, "no-store", page.Header().Get("Cache-Control"))
	assert.Contains(t, get("GET", "/assets/a-1234.js").Header().Get("Cache-Control"), "immutable")
	assert.Equal(t, "no-cache", get("GET", "/theme.js").Header().Get("Cache-Control"))

	assert.Equal(t, 404, get("GET", "/assets/gone.js").Code, "a missing asset is not the page")
	assert.Equal(t, 404, get("GET", "/api/v1/nothing").Code)
	assert.Equal(t, 405, get("POST", "/services").Code)
	assert.Equal(t, 405, get("PUT", "/api/v1/status").Code)
	assert.Equal(t, 503, get("GET", "/readyz").Code)
}

// What the codes of explanations mean stands in the API document, in the order of the
// table.
func TestTheAPIDocumentExplainsTheCodes(t *testing.T) {
	doc, err := tree.Parse(openAPI)
	require.NoError(t, err)
	var want, documented [][2]string
	for code, meaning := range call.Codes {
		want = append(want, [2]string{string(code), meaning})
	}
	for _, n := range doc.Get("components").Get("schemas").Get("FindingCode").Get("oneOf").Items {
		documented = append(documented, [2]string{n.Get("const").Text, n.Get("description").Text})
	}
	assert.Equal(t, want, documented)
}

func TestWhatIsLargeIsCompressedForThoseWhoTakeThat(t *testing.T) {
	handler := New(testConfig())
	for _, c := range []struct{ path, accepts, want string }{
		{"/api/v1/openapi.yaml", "gzip", "gzip"},
		{"/api/v1/openapi.yaml", "", ""},
		{"/healthz", "gzip", ""},
	} {
		r := httptest.NewRequest("GET", "http://127.0.0.1"+c.path, nil)
		r.Header.Set("Accept-Encoding", c.accepts)
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		require.Equal(t, 200, w.Code)
		assert.Equal(t, c.want, w.Header().Get("Content-Encoding"), c.path)
		body := io.Reader(w.Body)
		if c.want != "" {
			unzipped, err := gzip.NewReader(body)
			require.NoError(t, err)
			body = unzipped
		}
		text, err := io.ReadAll(body)
		require.NoError(t, err)
		if c.path != "/healthz" {
			assert.Equal(t, string((&server{}).withRoles()), string(text))
		}
	}
}
