package fetch_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/fetch"
	"rapidmimic.example/internal/outgoing"
	"rapidmimic.example/spec/problem"
)

func TestFetch(t *testing.T) {
	var mux http.ServeMux
	mux.HandleFunc("/contracts/moorings.yaml", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("openapi: 3.1.0")) })
	mux.HandleFunc("/moved", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/contracts/moorings.yaml", http.StatusFound)
	})
	mux.HandleFunc("/round", func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/round", http.StatusFound) })
	mux.HandleFunc("/large", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte(strings.Repeat("x", 200))) })
	server := httptest.NewServer(&mux)
	defer server.Close()
	allowed := fetch.New(100, &outgoing.Rules{})

	text, name, err := allowed.Fetch(context.Background(), server.URL+"/contracts/moorings.yaml?x=1")
	require.NoError(t, err)
	assert.Equal(t, "openapi: 3.1.0", string(text))
	assert.Equal(t, "moorings.yaml", name)
	_, name, err = allowed.Fetch(context.Background(), server.URL+"/moved")
	require.NoError(t, err)
	assert.Equal(t, "moved", name)

	for path, want := range map[string]string{
		"/none":  "it answered 404",
		"/round": "redirects more than 5 times",
		"/large": "is larger than",
	} {
		_, _, err := allowed.Fetch(context.Background(), server.URL+path)
		assert.ErrorContains(t, err, want)
	}
	for _, address := range []string{"file:///etc/passwd", "moorings.yaml", "http://"} {
		_, _, err := allowed.Fetch(context.Background(), address)
		assert.ErrorContains(t, err, "is not an address to import from")
	}
	for _, address := range []string{"http://127.0.0.1:1/x.yaml", "http://quay.invalid/x.yaml"} {
		_, _, err := allowed.Fetch(context.Background(), address)
		var told *problem.Error
		require.ErrorAs(t, err, &told)
		assert.Equal(t, problem.Invalid, told.Code, "as for any address that gives no contract")
	}
	port := server.URL[strings.LastIndex(server.URL, ":"):]
	for _, host := range []string{"127.0.0.1", "localhost", "[::ffff:127.0.0.1]", "10.0.0.1", "169.254.169.254", "100.64.0.1", "0.0.0.0"} {
		_, _, err := fetch.New(100, &outgoing.Rules{Public: true}).Fetch(context.Background(), "http://"+host+port+"/contracts/moorings.yaml")
		assert.ErrorContains(t, err, "private network", host)
	}
}
