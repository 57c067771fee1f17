package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Ignored calls are answered, kept and counted, and lists leave them out until they are
// asked for.
func TestIgnoredCalls(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`{id: beat, labels: [heartbeat], call: {path: /beat}, answer: {text: ok}}`))
	require.NoError(t, err)
	for _, line := range []string{"GET /moorings/health", "GET /moorings/health", "GET /moorings/beat", "GET /moorings/berths/N7"} {
		s.send(line, "")
	}
	list := func(q client.CallQuery) (paths []string, left int) {
		calls, err := s.api.Calls(t.Context(), q)
		require.NoError(t, err)
		for _, call := range calls.Items {
			paths = append(paths, call.Path)
		}
		return paths, calls.Ignored
	}
	all, _ := s.api.Calls(t.Context(), client.CallQuery{Text: "path:/health"})
	ignored, err := s.api.Ignore(t.Context(), api.IgnoreRequest{Call: all.Items[0].ID})
	require.NoError(t, err)
	assert.Equal(t, []string{"service:moorings method:GET path:/health"}, ignored.Calls)
	again, err := s.api.Ignore(t.Context(), api.IgnoreRequest{Call: all.Items[1].ID})
	require.NoError(t, err)
	assert.Equal(t, ignored.ETag, again.ETag, "the rule is there already")
	ignored, err = s.api.Ignore(t.Context(), api.IgnoreRequest{Text: "label:heartbeat"})
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1}, ignored.Counts)

	stream, err := s.api.Follow(t.Context(), client.CallQuery{}, "")
	require.NoError(t, err)
	defer stream.Close()
	s.send("GET /moorings/health", "")
	s.send("GET /moorings/dues", "")
	for left, seen := 0, 0; left+seen < 2; {
		batch, err := stream.Next()
		require.NoError(t, err)
		for _, call := range batch.Calls {
			assert.Equal(t, "/dues", call.Path)
		}
		left, seen = left+batch.Ignored, seen+len(batch.Calls)
	}

	paths, left := list(client.CallQuery{Service: "moorings"})
	assert.Equal(t, []string{"/dues", "/berths/N7"}, paths)
	assert.Equal(t, 4, left)
	paths, left = list(client.CallQuery{Service: "moorings", Ignored: true})
	assert.Len(t, paths, 6)
	assert.Zero(t, left)
	held, err := s.api.Assert(t.Context(), api.Assertion{Service: "moorings", Calls: []spec.Pattern{{Path: "/health"}}, Times: new(int)})
	require.NoError(t, err)
	assert.False(t, held.Holds, "checks see them all")

	// off in one step, also after a restart, and by whoever read the newest state
	off, err := s.api.PutIgnored(t.Context(), spec.Ignored{Off: true, Calls: ignored.Calls}, ignored.ETag)
	require.NoError(t, err)
	_, err = s.api.PutIgnored(t.Context(), spec.Ignored{Calls: []string{}}, ignored.ETag)
	assert.ErrorContains(t, err, "was changed by somebody else")
	paths, _ = list(client.CallQuery{Service: "moorings"})
	assert.Len(t, paths, 6)
	stream.Close()
	s.stop()
	s = start(t, config.Config{Data: s.data})
	now, err := s.api.Ignored(t.Context())
	require.NoError(t, err)
	assert.Equal(t, off.Ignored, now.Ignored)
	assert.Equal(t, []int{3, 1}, now.Counts)

	for rule, want := range map[string]string{"": "a rule has text", "bdy:x": "bdy: means nothing in a filter (body?)", "body:x": "is not looked at here", `""`: "it fits every call"} {
		_, err = s.api.Ignore(t.Context(), api.IgnoreRequest{Text: rule})
		assert.ErrorContains(t, err, want, rule)
	}
}

func TestConsoleIgnoresCalls(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.send("GET /moorings/health", "")
	s.send("GET /moorings/berths/N7", "")
	p := s.page("/calls")
	must(t, p.Wait("document.querySelectorAll('[data-call]').length === 2"), p.Visit("/calls?text=health"), p.Wait("document.querySelectorAll('[data-call]').length === 1"),
		p.Click("[data-call]"), p.Press("Ignore calls like this"), p.WaitText("1 call left out here: ignored by 1 rule"), p.Wait("document.querySelectorAll('[data-call]').length === 0"))
	must(t, p.Press("Show them"), p.Wait("document.querySelectorAll('[data-call]').length === 1"), p.Press("Rules"), p.WaitText("service:moorings method:GET path:/health"))
	must(t, p.Press("Stop ignoring"), p.WaitText("Nothing is ignored now"), p.Press("Remove the rule service:moorings method:GET path:/health"), p.Wait("!document.querySelector('[data-testid=ignored]')"))
	ignored, err := s.api.Ignored(t.Context())
	require.NoError(t, err)
	assert.Empty(t, ignored.Calls)
}
