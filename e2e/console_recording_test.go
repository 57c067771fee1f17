package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
)

// A service is given an upstream, recorded, and answers without it.
func TestConsoleRecording(t *testing.T) {
	t.Parallel()
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, `{"path": %q}`, r.URL.Path)
	}))
	s := startDemo(t)
	p := s.page("/services/moorings/recordings")
	must(t, p.WaitText("what that answers can be recorded"), p.Press("settings"), p.Fill("Upstream: base URL of the real service; empty for none", upstream.URL), p.Press("Set the upstream"), p.Press("Recordings"))
	must(t, p.WaitText("Start recording"), p.Fill("Name of the recording", "a look around"), p.Fill("Only these calls", "GET /berths/{number}"), p.Press("Start recording"))
	must(t, p.WaitText("calls captured"), p.WaitStrip("recording moorings"))
	_, body := s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, `{"path": "/berths/N7"}`, body)
	s.send("GET /moorings/dues", "")
	s.send("GET /moorings/pilots", "")
	must(t, p.Press("Contract"), p.WaitText("Relayed, but no operation describes it"), p.WaitText("/pilots"), p.Click("a[href$=recordings]"), p.WaitText("1 call captured"), p.Press("Stop and answer from it"), p.WaitText("1 call, 1 mapping"), p.Wait(`document.querySelector('[data-recording]')`))
	upstream.Close()
	resp, body := s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, `{"path": "/berths/N7"}`, body)
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), "source=mapping")

	// mappings of chosen calls only, looked at before they are made
	must(t, p.Press("Make mappings"), p.WaitText("Show what would be made"), p.Fill("Only calls with this in them", "dues"), p.WaitText("No call has that in it"),
		p.Fill("Only calls with this in them", "N7"), p.Press("Show what would be made"), p.WaitText("unchanged"), p.Press("Make mappings of 1 call"), p.WaitText("1 mapping of “a look around”"))

	// a miss says what is too many, and one press lets it be there
	_, body = s.send("GET /moorings/berths/S4", "")
	assert.Contains(t, body, `"number":"S4"`, "of the contract, as the report says")
	must(t, p.WaitText("What was not recorded is answered by the contract"), p.Press("settings"), p.Press("The contract answers when no mapping does"), p.Wait(`[...document.querySelectorAll('[role=switch][aria-checked=false]')].some((e) => e.labels[0].innerText.includes('The contract answers'))`))
	resp, body = s.send("GET /moorings/berths/N7?page=2", "")
	assert.Equal(t, 404, resp.StatusCode)
	assert.Contains(t, body, `query page is \"2\", expected none`)
	missed := s.answered.Load().(string)
	other := s.page("/calls?call=" + missed)
	must(t, other.WaitText("query page is"), other.Press("Let it answer this, too"), other.WaitText("query page may be there, however often"))
	_, body = s.send("GET /moorings/berths/N7?page=2", "")
	assert.Equal(t, `{"path": "/berths/N7"}`, body)

	// is it still true? the real service is asked again; here another one answers
	changed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"path": 7}`)
	}))
	defer changed.Close()
	must(t, p.Press("Recordings"), p.Press("Still true?"), p.Fill("Address of the real service", changed.URL), p.Press("Ask again"), p.WaitText("1 call compared, 1 differ"), p.WaitText("a number it was a string"), p.WaitText("breaks the contract"), p.Press("Close"))

	// the switch relays, and says in the answer why nothing came back
	must(t, p.Press("relay"), p.WaitText("moorings relays to"))
	resp, _ = s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, 502, resp.StatusCode)
	must(t, p.Press("answer"), p.WaitText("moorings answers by itself"))

	// nothing captured is said, with the likely reason
	must(t, p.Fill("Name of the recording", "nobody comes"), p.Press("Start recording"), p.Press("Stop, only keep it"), p.WaitText("captured nothing"), p.WaitText("is the program pointed at"))
}

// A body of a megabyte is edited like any other.
func TestConsoleLargeBody(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	_, _, _ = s.request("POST /services", `{"name": "quay"}`)
	large := `[` + strings.Repeat(`{"number": "N7", "metres": 18.0},`, 32_000) + `0]`
	_, err := s.api.PutMappings(t.Context(), "quay", []byte(`{"id": "large", "call": {"path": "/large"}, "answer": {"json": `+large+`}}`))
	require.NoError(t, err)
	p := s.page("/services/quay/mappings/large")
	must(t, p.Wait(`document.querySelector('.cm-content')`), p.WaitText("not tried while it is typed: it is large"))
	must(t, p.Fill("Title", "Large"), p.Press("Save"), p.WaitText("large is saved and live on the next call"))
	_, body := s.send("GET /quay/large", "")
	assert.True(t, strings.ReplaceAll(large, " ", "") == body, "not a digit is lost")
}
