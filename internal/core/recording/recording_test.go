package recording_test

import (
	"encoding/base64"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
)

// exchange is "METHOD /path?query", a body, a status and an answer of a type.
func exchange(number uint64, line, body string, status int, mediaType, answer string) recording.Exchange {
	method, target, _ := strings.Cut(line, " ")
	path, query, _ := strings.Cut(target, "?")
	x := recording.Exchange{Number: number, At: time.Date(2026, 12, 1, 10, 0, int(number), 0, time.UTC), Took: 1500, Method: method, Path: path, Query: query,
		Request: call.Header{"Content-Type": {"application/json"}}, Body: []byte(body), Status: status, Answer: []byte(answer),
		Header: []call.Field{{Name: "Date", Value: "Tue"}, {Name: "X-Pier", Value: "north"}}}
	if mediaType != "" {
		x.Header = append(x.Header, call.Field{Name: "Content-Type", Value: mediaType})
	}
	return x
}

const jsonType = "application/json"

// proposed writes proposals as lines: id, call, conditions, answers, notes.
func proposed(t *testing.T, proposals []recording.Proposal) (lines []string) {
	for _, p := range proposals {
		text, err := json.Marshal(p.Mapping)
		require.NoError(t, err)
		_, err = spec.ReadMappings(text)
		require.NoError(t, err, "what is proposed can be kept")
		line := p.Mapping.ID + " " + p.Mapping.Call.Path
		for _, c := range p.Mapping.Call.Where {
			condition, err := json.Marshal(c)
			require.NoError(t, err)
			line += " " + string(condition)
		}
		for _, a := range p.Mapping.Answers() {
			switch {
			case a.JSON != nil:
				line += " => " + string(a.JSON.AppendJSON(nil))
			case a.Text != nil:
				line += " => text " + *a.Text
			case a.Base64 != nil:
				line += " => base64 " + *a.Base64
			case a.Payload != "":
				line += " => payload " + a.Payload
			default:
				line += " => " + a.Status.String()
			}
		}
		lines = append(lines, line)
	}
	return lines
}

func TestProposals(t *testing.T) {
	large := `"` + strings.Repeat("x", 70_000) + `"`
	for name, c := range map[string]struct {
		exchanges []recording.Exchange
		want      []string
		note      string
	}{
		"the same answer, once": {[]recording.Exchange{
			exchange(1, "GET /dues", "", 200, jsonType, `{"a": 1.50}`), exchange(2, "GET /dues", "", 200, jsonType, `{"a": 1.50}`),
		}, []string{`get-dues /dues => {"a":1.50}`}, "2 calls got the same answer"},
		"answers that change, in their order": {[]recording.Exchange{
			exchange(1, "GET /dues", "", 200, jsonType, `[1]`), exchange(2, "GET /dues", "", 200, jsonType, `[2]`), exchange(3, "GET /dues", "", 200, jsonType, `[1]`),
		}, []string{`get-dues /dues => [1] => [2] => [1]`}, "the 3 answers changed"},
		"telling parameters, in any order": {[]recording.Exchange{
			exchange(1, "GET /berths?pier=north&free=true&_=1", "", 200, jsonType, `[]`), exchange(2, "GET /berths?free=true&pier=north&_=2", "", 200, jsonType, `[]`),
			exchange(3, "GET /berths", "", 200, jsonType, `[1]`),
		}, []string{`get-berths /berths {"query":"free","equals":"true"} {"query":"pier","equals":"north"} => []`, `get-berths-2 /berths => [1]`}, "query _ is left out"},
		"a family": {[]recording.Exchange{
			exchange(1, "GET /berths/N7", "", 200, jsonType, `{"number":"N7","free":true}`), exchange(2, "GET /berths/S4", "", 200, jsonType, `{"number":"S4","free":true}`),
			exchange(3, "GET /berths/W1", "", 200, jsonType, `{"number":"W1","free":false}`),
		}, []string{`get-berths-berth /berths/{berth} => {"number":"${call.path.berth}","free":true}`, `get-berths-w1 /berths/W1 => {"number":"W1","free":false}`},
			"one for any berth: the answers to N7, S4 differ by it alone"},
		"bodies that tell calls apart": {[]recording.Exchange{
			exchange(1, "POST /bookings", `{"vessel": {"name": "Tern"}, "at": "2026-12-01T10:00:00Z", "nights": 2}`, 201, jsonType, `{"id":1}`),
			exchange(2, "POST /bookings", `{"vessel": {"name": "Gull"}, "at": "2026-12-01T10:00:05Z", "nights": 2}`, 409, jsonType, `{"no":1}`),
		}, []string{`post-bookings /bookings {"body":"$.vessel.name","equals":"Tern"} => {"id":1}`, `post-bookings-2 /bookings {"body":"$.vessel.name","equals":"Gull"} => {"no":1}`},
			"the answer depends on $.vessel.name of the body"},
		"members that only some bodies have": {[]recording.Exchange{
			exchange(1, "POST /bookings", `{"a": 1}`, 201, jsonType, `1`), exchange(2, "POST /bookings", `{"a": 1, "b": null}`, 409, jsonType, `2`),
		}, []string{`post-bookings /bookings {"body":"$.b","present":false} => 1`, `post-bookings-2 /bookings {"body":"$.b","equals":null} => 2`}, "depends on $.b"},
		"messages of XML": {[]recording.Exchange{
			exchange(1, "POST /desk", `<s:Envelope xmlns:s="x"><s:Header><id>1</id></s:Header><s:Body><list/></s:Body></s:Envelope>`, 200, jsonType, `1`),
			exchange(2, "POST /desk", `<s:Envelope xmlns:s="x"><s:Body><ask kind="a"><manifest>M1</manifest></ask></s:Body></s:Envelope>`, 200, jsonType, `2`),
		}, []string{`post-desk /desk {"xml":"/Envelope/Body/list","present":true} {"xml":"/Envelope/Body/ask/@kind","present":false} {"xml":"/Envelope/Body/ask/manifest","present":false} => 1`,
			`post-desk-2 /desk {"xml":"/Envelope/Body/list","present":false} {"xml":"/Envelope/Body/ask/@kind","equals":"a"} {"xml":"/Envelope/Body/ask/manifest","equals":"M1"} => 2`}, ""},
		"bodies that are no values": {[]recording.Exchange{exchange(1, "POST /log", `a`, 200, jsonType, `1`), exchange(2, "POST /log", `b`, 200, jsonType, `2`)},
			[]string{`post-log /log => 1 => 2`}, "they do not tell calls apart"},
		"bodies that do not": {[]recording.Exchange{
			exchange(1, "POST /log", `{"a":1}`, 204, "", ""), exchange(2, "POST /log", `{"a":2}`, 204, "", ""),
		}, []string{`post-log /log => 204`}, "2 different bodies got the same answer"},
		"other bodies than JSON": {[]recording.Exchange{
			exchange(1, "GET /a", "", 200, "text/plain", "costs ${amount}"), exchange(2, "GET /b", "", 200, "image/png", "\x89PNG"), exchange(3, "GET /c", "", 200, jsonType, large),
			exchange(4, "GET /d", "", 200, jsonType, "not JSON"),
		}, []string{`get-a /a => text costs $${amount}`, `get-b /b => base64 ` + base64.StdEncoding.EncodeToString([]byte("\x89PNG")), `get-c /c => payload recorded-3.json`, `get-d /d => text not JSON`}, ""},
		"braces in a path": {[]recording.Exchange{exchange(1, "GET /a{b}", "", 200, "text/plain", "x")}, []string{`get-a-7bb-7d /a%7Bb%7D => text x`}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			proposals, skipped := recording.Propose(c.exchanges, recording.Options{Labels: []string{"quay"}})
			assert.Empty(t, skipped)
			assert.Equal(t, c.want, proposed(t, proposals))
			var notes []string
			for _, p := range proposals {
				notes = append(notes, p.Notes...)
				assert.Equal(t, []string{"quay"}, p.Mapping.Labels)
			}
			assert.Contains(t, strings.Join(notes, "\n"), c.note)
		})
	}
	proposals, _ := recording.Propose([]recording.Exchange{exchange(1, "GET /x", "", 200, jsonType, "1")}, recording.Options{})
	assert.Equal(t, []spec.Header{{Name: "X-Pier", Value: "north"}}, proposals[0].Mapping.Answer.Headers, "the date is not played back")
	_, skipped := recording.Propose([]recording.Exchange{{Number: 7, Status: 200, Truncated: true}, {Number: 8, Status: 101}, {Number: 9, Status: 499}}, recording.Options{})
	assert.Len(t, skipped, 3)
	preflight := exchange(10, "OPTIONS /x", "", 204, "", "")
	preflight.Request = call.Header{"Access-Control-Request-Method": {"PUT"}}
	_, skipped = recording.Propose([]recording.Exchange{preflight}, recording.Options{NoPreflights: true})
	assert.Equal(t, []recording.Skipped{{Number: 10, Reason: "a preflight of a browser, which the service answers by itself"}}, skipped)
	proposals, skipped = recording.Propose([]recording.Exchange{preflight}, recording.Options{})
	assert.Len(t, proposals, 1)
	assert.Empty(t, skipped)
	separate, _ := recording.Propose([]recording.Exchange{exchange(1, "GET /berths/N7", "", 200, jsonType, `"N7"`), exchange(2, "GET /berths/S4", "", 200, jsonType, `"S4"`)}, recording.Options{Separate: true})
	assert.Len(t, separate, 2)
}

func TestHARGoesOutAndComesBack(t *testing.T) {
	exchanges := []recording.Exchange{
		exchange(1, "POST /berths/N7/bookings?dry=a%26b", `{"vessel":"Tern"}`, 201, jsonType, `{"id":1}`), exchange(2, "GET /photo", "", 200, "image/png", "\x89PNG\x00"),
	}
	exchanges[1].Body = nil
	text, err := recording.WriteHAR(spec.Recording{Name: "booking", Upstream: "https://office.example/api/"}, exchanges, "1")
	require.NoError(t, err)
	assert.Contains(t, string(text), `"url": "https://office.example/api/berths/N7/bookings?dry=a%26b"`)
	back, left, err := recording.ReadHAR(text, recording.Take{Base: "https://office.example/api"})
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Equal(t, exchanges, back)
}

// Documents of browsers and other tools deviate from the letter.
func TestHAROfOthers(t *testing.T) {
	document := "\ufeff" + `{"log": {"entries": [
		{"startedDateTime": "2026-12-01T10:00:01.5+01:00", "time": 3.2, "request": {"method": "get", "url": "https://office.example/dues", "headers": [{"name": ":authority", "value": "x"}, {"name": "accept", "value": "*/*"}]},
		 "response": {"status": 200, "headers": [{"name": "set-cookie", "value": "a=1\nb=2"}], "content": {"mimeType": "application/json", "text": "e30=", "encoding": "BASE64"}}},
		{"startedDateTime": "?", "request": {"method": "POST", "url": "https://office.example/form", "postData": {"params": [{"name": "a", "value": "1 2"}]}}, "response": {"status": 204, "content": {"size": 0}}},
		{"request": {"method": "GET", "url": "https://office.example/app.js"}, "response": {"status": 200, "content": {"text": "x"}}},
		{"request": {"method": "GET", "url": "https://other.example/dues"}, "response": {"status": 200, "content": {}}},
		{"request": {"method": "GET", "url": "wss://office.example/live"}, "response": {"status": 101, "content": {}}},
		{"request": {"method": "GET", "url": "https://office.example/blocked"}, "response": {"status": 0, "content": {}}},
		{"request": {"method": "GET", "url": "https://office.example/gone"}, "response": {"status": 200, "content": {"size": 500}}}
	]}}`
	exchanges, left, err := recording.ReadHAR([]byte(document), recording.Take{Host: "office.example"})
	require.NoError(t, err)
	require.Len(t, exchanges, 2)
	assert.Equal(t, "a=1+2", string(exchanges[0].Body))
	assert.Equal(t, "{}", string(exchanges[1].Answer))
	assert.Equal(t, call.Header{"Accept": {"*/*"}}, exchanges[1].Request)
	assert.Equal(t, []call.Field{{Name: "Set-Cookie", Value: "a=1"}, {Name: "Set-Cookie", Value: "b=2"}, {Name: "Content-Type", Value: "application/json"}}, exchanges[1].Header)
	var reasons []string
	for _, l := range left {
		reasons = append(reasons, l.Reason)
	}
	assert.Equal(t, []string{"it is a static file", "it went to other.example", "wss is not HTTP", "it was never answered", "its body was not kept by who made the document"}, reasons)
	for text, want := range map[string]string{"x": "is not HAR", `{"log":{"entries":[]}}`: "it has no entries"} {
		_, _, err := recording.ReadHAR([]byte(text), recording.Take{})
		assert.ErrorContains(t, err, want)
	}
}
