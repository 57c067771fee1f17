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

// of is an exchange with headers of the request, such as "Accept: text/plain".
func (x from) of(lines ...string) recording.Exchange {
	out := recording.Exchange(x)
	for _, line := range lines {
		name, value, _ := strings.Cut(line, ": ")
		out.Request[name] = []string{value}
	}
	return out
}

type from recording.Exchange

const (
	right = "secret-a1b20000000000000000000000000001"
	wrong = "secret-a1b20000000000000000000000000002"
	lost  = "secret-00000000000000000000000000000003"
)

func TestProposals(t *testing.T) {
	large := `"` + strings.Repeat("x", 70_000) + `"`
	drawn, given := "0f0e0d0c-0b0a-4908-8706-050403020100", "1f0e0d0c-0b0a-4908-8706-050403020100"
	const onlyQuery = ` {"only":"query"}`
	for name, c := range map[string]struct {
		exchanges []recording.Exchange
		want      []string
		note      string
	}{
		"the same answer, once": {[]recording.Exchange{
			exchange(1, "GET /dues", "", 200, jsonType, `{"a":1.50}`), exchange(2, "GET /dues", "", 200, jsonType, `{"a":1.50}`),
		}, []string{`get-dues /dues` + onlyQuery + ` => {"a":1.50}`}, "2 calls got the same answer"},
		"answers that change, in their order": {[]recording.Exchange{
			exchange(1, "GET /dues", "", 200, jsonType, `[1]`), exchange(2, "GET /dues", "", 200, jsonType, `[2]`), exchange(3, "GET /dues", "", 200, jsonType, `[1]`),
		}, []string{`get-dues /dues` + onlyQuery + ` => [1] => [2] => [1]`}, "the 3 answers changed"},
		"telling parameters, in any order": {[]recording.Exchange{
			exchange(1, "GET /berths?pier=north&free=true&_=1", "", 200, jsonType, `[]`), exchange(2, "GET /berths?free=true&pier=north&_=2", "", 200, jsonType, `[]`),
			exchange(3, "GET /berths", "", 200, jsonType, `[1]`),
		}, []string{`get-berths-free-true-pier-north /berths {"query":"free","equals":"true"} {"query":"pier","equals":"north"}` + onlyQuery + ` => []`, `get-berths /berths` + onlyQuery + ` => [1]`},
			"query _ is left out"},
		"a time of day that is asked for, and one that says when": {[]recording.Exchange{
			exchange(1, "GET /tides?time=2026-11-01T06:00:00Z&at=1796119201", "", 200, jsonType, `[]`),
		}, []string{`get-tides-time-2026-11-01t06-00-00z /tides {"query":"time","equals":"2026-11-01T06:00:00Z"} {"only":"query","except":["at"]} => []`}, "query at is left out"},
		"paths with one answer each": {[]recording.Exchange{
			exchange(1, "GET /berths/N7", "", 200, jsonType, `{"number":"N7"}`), exchange(2, "GET /berths/S4", "", 200, jsonType, `{"number":"S4"}`),
		}, []string{`get-berths-n7 /berths/N7` + onlyQuery + ` => {"number":"N7"}`, `get-berths-s4 /berths/S4` + onlyQuery + ` => {"number":"S4"}`},
			"2 paths are answered alike save for the berth in them: folded they would be one mapping, for any berth"},
		"bodies tell calls apart, save what differs each time": {[]recording.Exchange{
			exchange(1, "POST /bookings", `{"vessel": {"name": "Tern"}, "at": "2026-12-01T10:00:00Z", "id": "`+drawn+`", "berth": "`+given+`", "from": "2027-01-01T10:00:00Z"}`, 201, jsonType, `["`+given+`"]`),
			exchange(2, "POST /bookings", `{"vessel": {"name": "Gull"}}`, 409, jsonType, `{"no":1}`),
		}, []string{
			`post-bookings /bookings {"body":"$","except":["$.at","$.id"],"equals":{"vessel":{"name":"Tern"},"at":"","id":"","berth":"` + given + `","from":"2027-01-01T10:00:00Z"}}` + onlyQuery + ` => ["` + given + `"]`,
			`post-bookings-2 /bookings {"body":"$","equals":{"vessel":{"name":"Gull"}}}` + onlyQuery + ` => {"no":1}`,
		}, "$.at of the body is left out: it differs each time"},
		"a body of each kind": {[]recording.Exchange{
			exchange(1, "POST /none", ``, 200, "", ""), from(exchange(2, "POST /form", `b=2&a=1&a=1`, 200, "", "")).of("Content-Type: application/x-www-form-urlencoded"),
			from(exchange(3, "POST /part", "--x\r\nContent-Disposition: form-data; name=\"a\"\r\n\r\n\xff\r\n--x--\r\n", 200, "", "")).of("Content-Type: multipart/form-data; boundary=x"),
			exchange(4, "POST /text", "fog", 200, "", ""), exchange(5, "POST /bytes", "\xff", 200, "", ""), exchange(6, "POST /twice", `{"a":1,"a":2}`, 200, "", ""),
		}, []string{
			`post-none /none {"text":true,"equals":""}` + onlyQuery + ` => 200`,
			`post-form /form {"form":"a","equals":"1"} {"form":"a","equals":"1"} {"form":"b","equals":"2"} {"only":"form"}` + onlyQuery + ` => 200`,
			`post-part /part {"part":"a","digest":"sha256:a8100ae6aa1940d0b663bb31cd466142ebbdbd5187131b92d93818987832eb89"} {"only":"part"}` + onlyQuery + ` => 200`,
			`post-text /text {"text":true,"equals":"fog"}` + onlyQuery + ` => 200`,
			`post-bytes /bytes {"text":true,"digest":"sha256:a8100ae6aa1940d0b663bb31cd466142ebbdbd5187131b92d93818987832eb89"}` + onlyQuery + ` => 200`,
			`post-twice /twice {"body":"$","equals":{"a":2}}` + onlyQuery + ` => 200`,
		}, ""},
		"messages of XML": {[]recording.Exchange{
			exchange(1, "POST /desk", `<s:Envelope xmlns:s="x"><s:Header><id>1</id></s:Header><s:Body><list/></s:Body></s:Envelope>`, 200, jsonType, `1`),
			exchange(2, "POST /desk", `<s:Envelope xmlns:s="x"><s:Body><ask kind="a"><m>M1</m><m>M2</m><at>2026-12-01T10:00:01Z</at></ask></s:Body></s:Envelope>`, 200, jsonType, `2`),
		}, []string{`post-desk /desk {"xml":"/Envelope/Body/list","present":true} {"xml":"count(/Envelope/Body//*)","equals":1}` + onlyQuery + ` => 1`,
			`post-desk-2 /desk {"xml":"/Envelope/Body/ask/@kind","equals":"a"} {"xml":"/Envelope/Body/ask/m[1]","equals":"M1"} {"xml":"/Envelope/Body/ask/m[2]","equals":"M2"} {"xml":"count(/Envelope/Body//*)","equals":4}` + onlyQuery + ` => 2`},
			"/Envelope/Body/ask/at of the body is left out"},
		"a secret in a body is known again, or left out where it cannot": {[]recording.Exchange{
			exchange(1, "POST /login", `{"user":"ida","password":"`+right+`"}`, 200, jsonType, `1`), exchange(2, "POST /login", `{"user":"ida","password":"`+wrong+`"}`, 401, jsonType, `2`),
			exchange(3, "POST /again", `{"password":"`+lost+`"}`, 200, jsonType, `3`),
		}, []string{
			`post-login /login {"body":"$","except":["$.password"],"equals":{"user":"ida","password":""}} {"body":"$.password","digest":"` + right + `"}` + onlyQuery + ` => 1`,
			`post-login-2 /login {"body":"$","except":["$.password"],"equals":{"user":"ida","password":""}} {"body":"$.password","digest":"` + wrong + `"}` + onlyQuery + ` => 2`,
			`post-again /again {"body":"$","except":["$.password"],"equals":{"password":""}}` + onlyQuery + ` => 3`,
		}, "$.password of the body is left out: it holds a secret that was masked before it was recorded"},
		"a cookie tells who is logged in": {[]recording.Exchange{
			exchange(1, "GET /me", "", 401, jsonType, `0`), from(exchange(2, "GET /me", "", 200, jsonType, `1`)).of("Cookie: theme=x; sid=" + right),
			from(exchange(3, "GET /me", "", 200, jsonType, `1`)).of("Cookie: theme=x; sid=" + right), from(exchange(4, "GET /me", "", 200, jsonType, `2`)).of("Cookie: theme=x; sid=" + wrong),
		}, []string{
			`get-me-without-sid /me` + onlyQuery + ` {"cookie":"sid","present":false} => 0`,
			`get-me /me` + onlyQuery + ` {"cookie":"sid","digest":"` + right + `"} => 1`,
			`get-me-2 /me` + onlyQuery + ` {"cookie":"sid","digest":"` + wrong + `"} => 2`,
		}, "the answer depends on cookie sid"},
		"credentials with the same answer do not count": {[]recording.Exchange{
			from(exchange(1, "GET /me", "", 200, jsonType, `1`)).of("Authorization: Bearer " + right), from(exchange(2, "GET /me", "", 200, jsonType, `1`)).of("Authorization: Bearer " + wrong),
		}, []string{`get-me /me` + onlyQuery + ` => 1`}, "2 calls got the same answer"},
		"signatures that differ each time explain nothing": {[]recording.Exchange{
			from(exchange(1, "GET /me", "", 200, jsonType, `1`)).of("X-Signature: secret-a1b20000000000000000000000000011"), from(exchange(2, "GET /me", "", 200, jsonType, `2`)).of("X-Signature: secret-a1b20000000000000000000000000012"),
			from(exchange(3, "GET /me", "", 200, jsonType, `3`)).of("X-Signature: secret-a1b20000000000000000000000000013"), from(exchange(4, "GET /me", "", 200, jsonType, `4`)).of("X-Signature: secret-a1b20000000000000000000000000014"),
		}, []string{`get-me /me` + onlyQuery + ` => 1 => 2 => 3 => 4`}, "come in their order"},
		"forms of one thing": {[]recording.Exchange{
			from(exchange(1, "GET /me", "", 200, jsonType, `1`)).of("Accept: application/json"), from(exchange(2, "GET /me", "", 200, "text/plain", `one`)).of("Accept: text/plain"),
		}, []string{
			`get-me-application-json /me` + onlyQuery + ` {"header":"accept","equals":"application/json"} => 1`, `get-me-text-plain /me` + onlyQuery + ` {"header":"accept","equals":"text/plain"} => text one`,
		}, "depends on header Accept"},
		"a header of one's own explains only what it repeats": {[]recording.Exchange{
			from(exchange(1, "GET /a", "", 200, jsonType, `1`)).of("X-Tenant: north"), from(exchange(2, "GET /a", "", 200, jsonType, `2`)).of("X-Tenant: south"), from(exchange(3, "GET /a", "", 200, jsonType, `1`)).of("X-Tenant: north"),
			from(exchange(4, "GET /b", "", 200, jsonType, `1`)).of("X-Tenant: north"), from(exchange(5, "GET /b", "", 200, jsonType, `2`)).of("X-Tenant: south"),
		}, []string{
			`get-a-north /a` + onlyQuery + ` {"header":"x-tenant","equals":"north"} => 1`, `get-a-south /a` + onlyQuery + ` {"header":"x-tenant","equals":"south"} => 2`, `get-b /b` + onlyQuery + ` => 1 => 2`,
		}, ""},
		"a part is no answer to who wants the whole": {[]recording.Exchange{from(exchange(1, "GET /a", "", 206, "text/plain", `to`)).of("Range: bytes=0-1")},
			[]string{`get-a-bytes-0-1 /a` + onlyQuery + ` {"header":"range","equals":"bytes=0-1"} => text to`}, ""},
		"bodies as they are written": {[]recording.Exchange{
			exchange(1, "GET /a", "", 200, "text/plain", "costs ${amount}"), exchange(2, "GET /b", "", 200, "image/png", "\x89PNG"), exchange(3, "GET /c", "", 200, jsonType, large),
			exchange(4, "GET /d", "", 200, jsonType, "not JSON"), exchange(5, "GET /e", "", 200, jsonType, `{ "a": 1e3, "a": 2 }`), exchange(6, "GET /f", "", 200, jsonType, large+`${x}`),
		}, []string{`get-a /a` + onlyQuery + ` => text costs $${amount}`, `get-b /b` + onlyQuery + ` => base64 ` + base64.StdEncoding.EncodeToString([]byte("\x89PNG")),
			`get-c /c` + onlyQuery + ` => payload recorded-a56af2e9bfeb.json`, `get-d /d` + onlyQuery + ` => text not JSON`, `get-e /e` + onlyQuery + ` => text { "a": 1e3, "a": 2 }`,
			`get-f /f` + onlyQuery + ` => payload recorded-0878360c8eb9.txt`}, ""},
		"braces in a path": {[]recording.Exchange{exchange(1, "GET /a{b}", "", 200, "text/plain", "x")}, []string{`get-a-7bb-7d /a%7Bb%7D` + onlyQuery + ` => text x`}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			service := spec.NewService("quay")
			proposals, skipped := recording.Propose(c.exchanges, recording.Options{Labels: []string{"quay"}, Noise: service.IsNoise})
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
}

func TestWhatIsNotPlayedBack(t *testing.T) {
	proposals, _ := recording.Propose([]recording.Exchange{exchange(1, "GET /x", "", 200, jsonType, "1")}, recording.Options{})
	assert.Equal(t, spec.Headers{{Name: "X-Pier", Value: "north"}, {Name: "Content-Type", Value: jsonType}}, proposals[0].Mapping.Answer.Headers, "the date is not played back")
	_, skipped := recording.Propose([]recording.Exchange{{Number: 7, Status: 200, Truncated: true}, {Number: 8, Status: 101}, {Number: 9, Status: 499}}, recording.Options{})
	assert.Len(t, skipped, 3)
	preflight := exchange(10, "OPTIONS /x", "", 204, "", "")
	preflight.Request = call.Header{"Access-Control-Request-Method": {"PUT"}}
	_, skipped = recording.Propose([]recording.Exchange{preflight}, recording.Options{NoPreflights: true})
	assert.Equal(t, []recording.Skipped{{Number: 10, Address: "OPTIONS /x", Reason: "a preflight of a browser, which the service answers by itself"}}, skipped)
	proposals, skipped = recording.Propose([]recording.Exchange{preflight}, recording.Options{})
	assert.Len(t, proposals, 1)
	assert.Empty(t, skipped)
}

func TestFolding(t *testing.T) {
	proposals, _ := recording.Propose([]recording.Exchange{
		exchange(1, "GET /berths/N7", "", 200, jsonType, `{"number": "N7","free":true}`), exchange(2, "GET /berths/S4", "", 200, jsonType, `{"number": "S4","free":true}`),
		exchange(3, "GET /berths/W1", "", 200, jsonType, `{"number": "W1","free":false}`), exchange(4, "GET /cities/N7", "", 200, jsonType, `[]`),
	}, recording.Options{Fold: true})
	assert.Equal(t, []string{
		`get-berths-berth /berths/{berth} {"only":"query"} => {"number":"${call.path.berth}","free":true}`, `get-berths-w1 /berths/W1 {"only":"query"} => text {"number": "W1","free":false}`,
		`get-cities-n7 /cities/N7 {"only":"query"} => []`,
	}, proposed(t, proposals))
	assert.Equal(t, []string{"one for any berth: the answers to N7, S4 differ by it alone"}, proposals[0].Notes)
}

// What other recordings tell of callers counts for what is made of this one.
func TestEarlierRecordings(t *testing.T) {
	before := []recording.Exchange{from(exchange(1, "GET /me", "", 200, jsonType, `1`)).of("Authorization: Bearer " + right), exchange(2, "GET /other", "", 200, jsonType, `9`)}
	now := []recording.Exchange{from(exchange(5, "GET /me", "", 200, jsonType, `2`)).of("Authorization: Bearer " + wrong)}
	proposals, _ := recording.Propose(now, recording.Options{Earlier: before})
	assert.Equal(t, []string{
		`get-me /me {"only":"query"} {"header":"authorization","digest":"` + right + `"} => 1`, `get-me-2 /me {"only":"query"} {"header":"authorization","digest":"` + wrong + `"} => 2`,
	}, proposed(t, proposals))
	assert.Equal(t, []bool{true, false}, []bool{proposals[0].Earlier, proposals[1].Earlier})
	alone, _ := recording.Propose(now, recording.Options{})
	assert.Equal(t, recording.KeyOf(alone[0].Mapping.Call), proposals[0].Wider, "what was made of one of them alone")
	assert.Empty(t, alone[0].Wider)

	same, _ := recording.Propose(now, recording.Options{Earlier: now[:1:1]})
	assert.Equal(t, proposed(t, alone), proposed(t, same), "answers that did not change need nothing")
	changed, _ := recording.Propose([]recording.Exchange{exchange(5, "GET /x", "", 200, jsonType, `2`)}, recording.Options{Earlier: []recording.Exchange{exchange(1, "GET /x", "", 200, jsonType, `1`)}})
	assert.Equal(t, []string{`get-x /x {"only":"query"} => 2`}, proposed(t, changed), "what nothing explains has changed")
}

// How an answer came over the connection is kept beside a body that can be read.
func TestHowAnAnswerCame(t *testing.T) {
	length := func(n int64) *int64 { return &n }
	base := exchange(1, "GET /a", "", 200, "text/plain", "ebb")
	base.Wire = &call.Wire{Length: 3}
	with := func(change func(x *recording.Exchange)) recording.Exchange {
		x, w := base, *base.Wire
		x.Wire, x.Header = &w, append([]call.Field{}, base.Header...)
		change(&x)
		return x
	}
	const sum = "4a3e5e8dbd4a26eaad0f7ca2bf7d2fcd"
	for name, c := range map[string]struct {
		x    recording.Exchange
		pace string
		want *spec.Recorded
	}{
		"nothing to tell": {base, "", nil},
		"an ETag":         {with(func(x *recording.Exchange) { x.Header = append(x.Header, call.Field{Name: "etag", Value: `"a"`}) }), "", &spec.Recorded{}},
		"no media type":   {with(func(x *recording.Exchange) { x.Header = nil }), "", &spec.Recorded{Untyped: true}},
		"a coding":        {with(func(x *recording.Exchange) { x.Wire.Coding, x.Wire.Coded = "gzip", []byte("z") }), "", &spec.Recorded{Coded: "recorded-594e519ae499.gz"}},
		"HEAD":            {with(func(x *recording.Exchange) { x.Method = "HEAD" }), "", &spec.Recorded{Length: length(3)}},
		"trailers":        {with(func(x *recording.Exchange) { x.Wire.Trailer = []call.Field{{Name: "Sum", Value: "1"}} }), "", &spec.Recorded{Trailers: []spec.Header{{Name: "Sum", Value: "1"}}}},
		"one piece":       {with(func(x *recording.Exchange) { x.Wire.Pieces = []call.Piece{{Bytes: 3}} }), "", nil},
		"one piece, paced": {with(func(x *recording.Exchange) { x.Wire.Pieces = []call.Piece{{Bytes: 3, After: time.Second}} }), "2x",
			&spec.Recorded{Pieces: []spec.Piece{{Bytes: 3, After: spec.Duration(time.Second)}}, Pace: "2x"}},
		"pieces": {with(func(x *recording.Exchange) { x.Wire.Pieces = []call.Piece{{Bytes: 1}, {Bytes: 2}} }), "", &spec.Recorded{Pieces: []spec.Piece{{Bytes: 1}, {Bytes: 2}}}},
	} {
		proposals, _ := recording.Propose([]recording.Exchange{c.x}, recording.Options{Pace: c.pace})
		got := proposals[0].Mapping.Answer.Recorded
		if c.want != nil && got != nil {
			c.want.Sum = got.Sum
			assert.Len(t, got.Sum, len(sum), name)
		}
		assert.Equal(t, c.want, got, name)
	}
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

// Where messages tell operations apart, mappings ask for these, at whichever address they came; answers
// that only say which message they are for are the same.
func TestMessagesAreToldByOperations(t *testing.T) {
	message := func(operation, berth string) string {
		return `<Envelope><Header><MessageID>urn:1</MessageID></Header><Body><` + operation + `><berth>` + berth + `</berth></` + operation + `></Body></Envelope>`
	}
	answer := func(to, text string) string {
		return `<Envelope><Header><a:RelatesTo xmlns:a="urn:a">` + to + `</a:RelatesTo></Header><Body>` + text + `</Body></Envelope>`
	}
	all := []recording.Exchange{
		exchange(1, "POST /Desk", message("ask", "N7"), 200, "text/xml", answer("urn:1", "free")),
		exchange(2, "POST /", message("ask", "N7"), 200, "text/xml", answer("urn:2", "free")),
		exchange(3, "POST /Desk", message("ask", "N8"), 200, "text/xml", answer("urn:3", "free")),
		exchange(4, "POST /Desk", message("book", "N7"), 200, "text/xml", answer("urn:4", "done")),
		exchange(5, "POST /Desk", "no message", 400, "text/plain", "what?"),
	}
	for i := range all {
		all[i].Request["Content-Type"] = []string{"text/xml"}
	}
	proposals, skipped := recording.Propose(all, recording.Options{Operation: func(x recording.Exchange) string {
		for _, name := range []string{"ask", "book"} {
			if strings.Contains(string(x.Body), "<"+name+">") {
				return name
			}
		}
		return ""
	}})
	assert.Empty(t, skipped)
	var told []string
	for _, p := range proposals {
		told = append(told, strings.Join([]string{p.Mapping.ID, p.Mapping.Call.Operation, strings.Join(p.Mapping.Call.Method, ""), p.Mapping.Call.Path}, "|"))
		assert.Empty(t, p.Mapping.Sequence)
		if p.Mapping.Call.Operation != "" {
			require.NotNil(t, p.Mapping.Answer.Recorded, "what it relates to follows who asks")
		}
	}
	assert.Equal(t, []string{"ask|ask||", "ask-2|ask||", "book|book||", "post-desk||POST|/Desk"}, told)
	assert.Equal(t, []uint64{1, 2}, proposals[0].Calls)
}

// A message with attachments asks for what it says, whatever its boundary and the names of its parts.
func TestMessagesWithAttachmentsAreAskedFor(t *testing.T) {
	message := func(number uint64, mark, content string) recording.Exchange {
		body := strings.ReplaceAll("--"+mark+"\nContent-Type: application/xop+xml\nContent-ID: <root>\n\n"+
			`<Envelope><Body><ask><photo><i:Include xmlns:i="http://www.w3.org/2004/08/xop/include" href="cid:`+mark+`"/></photo></ask></Body></Envelope>`+
			"\n--"+mark+"\nContent-ID: <"+mark+">\n\n"+content+"\n--"+mark+"--\n", "\n", "\r\n")
		x := exchange(number, "POST /Desk", body, 200, "text/xml", "<ok/>")
		x.Request["Content-Type"] = []string{`multipart/related; type="application/xop+xml"; start="<root>"; boundary=` + mark}
		return x
	}
	proposals, _ := recording.Propose([]recording.Exchange{message(1, "a", "N7"), message(2, "b", "N7"), message(3, "c", "N8")}, recording.Options{})
	require.Len(t, proposals, 2)
	assert.Equal(t, []uint64{1, 2}, proposals[0].Calls)
	assert.Equal(t, []string{"post-desk /Desk {\"xml\":\"/Envelope/Body/ask/photo\",\"equals\":\"Tjc=\"} {\"xml\":\"count(/Envelope/Body//*)\",\"equals\":2} {\"only\":\"query\"} => text <ok/>"}, proposed(t, proposals[:1]))
}
