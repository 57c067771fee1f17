package call_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

func TestAccepts(t *testing.T) {
	offers := []string{"application/json", "text/csv; charset=utf-8", "application/problem+json"}
	for accept, want := range map[string]int{
		"":                              0,
		"*/*":                           0,
		"text/csv":                      1,
		"text/*":                        1,
		"TEXT/CSV":                      1,
		"application/*;q=0.2, text/csv": 1,
		"application/json;q=0, */*":     1,
		"application/json;q=0.1, text/csv;q=0.9, */*;q=0.5": 1,
		"image/png":                  -1,
		"application/problem+json":   2,
		"application/xml, */*;q=0.1": 0,
	} {
		assert.Equal(t, want, call.Accepts(accept, offers), accept)
	}
	assert.Equal(t, -1, call.Accepts("", nil))
}

func TestIDs(t *testing.T) {
	for _, n := range []uint64{1, 0x81f3, 1 << 40} {
		got, ok := call.ParseID(call.ID(n))
		assert.True(t, ok)
		assert.Equal(t, n, got)
	}
	assert.Equal(t, "c-81f3", call.ID(0x81f3))
	for _, id := range []string{"", "c-", "81f3", "c-xyz", "c--1", "c-ffffffffffffffff"} {
		_, ok := call.ParseID(id)
		assert.False(t, ok, id)
	}
}

func TestTraces(t *testing.T) {
	const id, span = "4bf92f3577b34da6a3ce929d0e0e4736", "-00f067aa0ba902b7-01"
	for header, want := range map[string]string{
		"00-" + id + span: id, "cc-" + id + span + "-what-comes-later": id, "": "", "00-" + id: "", "00-" + id[1:] + span: "", "0-" + id + span: "", "00-" + id + "-00f067-01": "",
		"00-" + strings.Repeat("0", 32) + span: "", "00-" + strings.ToUpper(id) + span: "", "00-" + id[:31] + "g" + span: "",
	} {
		assert.Equal(t, want, (&call.Request{Header: call.Header{"Traceparent": {header}}}).Trace(), header)
	}
}

func TestFilterAndCurl(t *testing.T) {
	r := &call.Record{
		Service: "moorings", Source: call.FromMiss, By: "path, segment 1", Answer: call.Answer{Status: 404},
		Request: call.Request{
			Method: "POST", Address: "/moorings/bertsh", Path: "/bertsh", Query: "q=it's",
			Header: call.Header{"Accept": {"*/*"}, "Content-Type": {"application/json"}, "Content-Length": {"2"}, "User-Agent": {"curl/8"}},
			Body:   call.Body{Bytes: []byte(`{}`), Size: 2},
		},
	}
	line := r.Summary()
	line.Host, line.Trace = "moorings.skerry.example:8443", "4bf92f3577b34da6a3ce929d0e0e4736"
	line.Took = 300 * time.Millisecond
	fits := func(f call.Filter) bool {
		selection, err := f.Compile()
		require.NoError(t, err)
		return selection.Fits(&line, func(place int) bool { return selection.Bodies[place] == "Grey Gannet" })
	}
	for text, want := range map[string]bool{
		"": true, "post MISS": true, "/moorings/bertsh?q": true, "404": true, "200": false, "post tides": false,
		"status:404": true, "status:4xx": true, "status:5XX": false, "status:40": false, "status:none": false, "status:": true,
		"method:post service:Moorings source:miss": true, "method:pos": false, "service:mooring": false, "source:mapping": false,
		"took:>200ms": true, "took:<1m30s": true, "took:<1s miss": true, "took:<300ms": false, "took:>300ms": false, "took:": true,
		"-post": false, "-tides": true, "-status:5xx": true, "-status:404": false, "miss -method:get": true, "- miss": false,
		"tides or miss": true, "tides or mapping": false, "tides OR": false, "or": true, "or miss": true, "tides mapping or post miss": true, "post or tides miss": true,
		`"post /moorings"`: true, `"/moorings post"`: false, `"or"`: true, `"nor"`: false, `-"post /moorings"`: false, `""`: true, `"not closed`: false, `"status:404"`: false,
		"host:SKERRY": true, "host:tides": false, "agent:Curl": true, "curl/8": true, "agent:python": false, "-agent:python": true, "trace:4BF9": true, "trace:bf92": false, "-trace:4bf92f3577b34da6a3ce929d0e0e4736": false, `service:"moorings"`: true,
		`body:"Grey Gannet"`: true, `body:Tern`: false, `-body:Tern`: true, `body:Tern or body:"Grey Gannet"`: true, `body:Tern or -body:"Grey Gannet"`: false,
		"path:/bertsh": true, "path:/berts": false, "path:/*": true, "path:/*/x": false, "-path:/x": true, line.Rule(): true,
		"lane:none": false, "impaired:latency": false, "cause:c-9": false, "-cause:c-9": true,
	} {
		assert.Equal(t, want, fits(call.Filter{Text: text}), text)
	}
	for _, k := range []struct {
		lane, text string
		want       [2]bool
	}{
		{"run-1", "", [2]bool{true, false}}, {call.NoLane, "", [2]bool{false, true}}, {"", "", [2]bool{true, true}},
		{"", "scenario:storm", [2]bool{true, false}}, {"", "lane:run-1 -scenario:calm", [2]bool{true, false}},
	} {
		selection, err := call.Filter{Lane: k.lane, Text: k.text}.Compile()
		require.NoError(t, err)
		for i, r := range []call.Summary{{Lane: "run-1", Scenario: "storm"}, {By: "run-1 storm"}} {
			assert.Equal(t, k.want[i], selection.Fits(&r, nil), "%+v on %+v", k, r)
		}
	}
	made := call.Summary{Number: 12, Source: call.FromCallback, Service: "moorings", Method: "POST", Host: "quay.example:90", Path: "/told", Cause: 9, Status: 204, By: "bookingChanged"}
	assert.Equal(t, "POST quay.example:90/told 204 callback bookingChanged", made.Line(), "it went elsewhere")
	for _, k := range []struct {
		filter call.Filter
		want   bool
	}{{call.Filter{Text: "cause:C-9"}, true}, {call.Filter{Text: "cause:c-a"}, false}, {call.Filter{Text: "source:callback", Service: "moorings"}, true}, {call.Filter{Received: true}, false}} {
		selection, err := k.filter.Compile()
		require.NoError(t, err)
		assert.Equal(t, k.want, selection.Fits(&made, nil), k.filter.Text)
	}
	noon := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	within, err := call.Filter{Since: noon, Until: noon.Add(time.Minute)}.Compile()
	require.NoError(t, err)
	for after, want := range map[time.Duration]bool{-1: false, 0: true, time.Minute - 1: true, time.Minute: false} {
		assert.Equal(t, want, within.Fits(&call.Summary{At: noon.Add(after)}, nil), after)
	}
	odd := call.Summary{Method: "GET", Path: "/a*b [1]", Host: "x.example"}
	assert.Equal(t, `host:x.example method:GET path:"/a\*b \[1]"`, odd.Rule())
	rule, err := call.Filter{Text: odd.Rule()}.Compile()
	require.NoError(t, err, odd.Rule())
	assert.True(t, rule.Fits(&odd, nil), odd.Rule())
	odd.Path = "/aab [1]"
	assert.False(t, rule.Fits(&odd, nil))
	labelled, err := call.Filter{Text: "label:quiet", Labels: func(*call.Summary) []string { return []string{"quiet"} }, Ignored: func(r *call.Summary) bool { return r.Path == "/x" }}.Compile()
	require.NoError(t, err)
	assert.True(t, labelled.Fits(&odd, nil))
	assert.False(t, labelled.Fits(&call.Summary{Path: "/x"}, nil), "it is left out")
	assert.False(t, labelled.Empty())
	_, err = call.Filter{Text: "label:quiet"}.Compile()
	assert.ErrorContains(t, err, "only lists of ignored calls know")
	_, err = call.Filter{Text: "path:/["}.Compile()
	assert.ErrorContains(t, err, "path:/[ means nothing")
	for _, text := range []string{"status:bad", "status:xx", "took:200ms", "took:>soon", "source:mis", "cause:9"} {
		_, err := call.Filter{Text: text}.Compile()
		assert.ErrorContains(t, err, text+" means nothing; it is ")
	}
	for text, want := range map[string]string{
		"stauts:404": "stauts: means nothing in a filter (agent, body, cause, host, impaired, label, lane, method, operation, path, scenario, service, source, status, took, trace); to look for it as it stands, put it in quotes",
		"-hots:x":    "hots: means nothing in a filter (agent,",
	} {
		_, err := call.Filter{Text: text}.Compile()
		assert.ErrorContains(t, err, want)
	}
	asked, err := call.Filter{Service: "tides", Text: `service:moorings body:a -body:b or service:moorings body:a`}.Compile()
	require.NoError(t, err)
	assert.Equal(t, []string{"tides", "moorings"}, asked.Services)
	assert.Equal(t, []string{"a", "b"}, asked.Bodies)
	assert.False(t, fits(call.Filter{Service: "tides"}))
	assert.Equal(t, `curl -X POST 'http://127.0.0.1:7401/moorings/bertsh?q=it'\''s' -H 'Content-Type: application/json' --data-raw '{}'`,
		r.Request.Curl("http://127.0.0.1:7401"))
}

func TestFieldsOfAHeader(t *testing.T) {
	assert.Equal(t, []call.Field{{Name: "A", Value: "2"}, {Name: "A", Value: "1"}, {Name: "B", Value: "3"}}, call.Header{"B": {"3"}, "A": {"2", "1"}}.Fields())
	assert.Nil(t, call.Header(nil).Fields())
}

func TestDelivered(t *testing.T) {
	for status, want := range map[int]bool{0: false, 199: false, 200: true, 204: true, 302: true, 399: true, 400: false, 503: false} {
		assert.Equal(t, want, call.Delivered(status), status)
	}
}

func TestHeaderLinesAreArranged(t *testing.T) {
	fields := []call.Field{{Name: "Content-Type", Value: "a"}, {Name: "X-B", Value: "1"}, {Name: "X-B", Value: "2"}, {Name: "X-C", Value: "3"}}
	arranged := call.Arrange(fields, []call.Field{{Name: "x-b", Value: "other"}, {Name: "Gone"}, {Name: "content-type"}, {Name: "X-B"}})
	assert.Equal(t, []call.Field{{Name: "x-b", Value: "1"}, {Name: "content-type", Value: "a"}, {Name: "X-B", Value: "2"}, {Name: "X-C", Value: "3"}}, arranged)
	assert.Equal(t, "Content-Type", fields[0].Name, "what was given is untouched")
	assert.True(t, call.IsArranged(arranged))
	assert.False(t, call.IsArranged(fields))
	assert.False(t, call.IsArranged(nil))
	assert.True(t, call.IsArranged([]call.Field{{Name: "X-C"}, {Name: "X-B"}}))
	assert.True(t, call.IsArranged([]call.Field{{Name: "ETag"}}), "which net/http would spell Etag")
}

// A list holds each of its calls against all rules of what is ignored.
func BenchmarkIgnoreRules(b *testing.B) {
	var rules []*call.Selection
	for i := range 100 {
		rule, err := call.Filter{Text: fmt.Sprintf("service:moorings method:GET path:/health/%d or agent:probe-%d", i, i)}.Compile()
		require.NoError(b, err)
		rules = append(rules, rule)
	}
	r := call.Summary{Service: "moorings", Method: "GET", Path: "/berths/N7", Agent: "curl/8", Source: call.FromContract, By: "getBerth"}
	for b.Loop() {
		for _, rule := range rules {
			if rule.Fits(&r, nil) {
				b.Fatal("no rule fits")
			}
		}
	}
}
