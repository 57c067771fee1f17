package engine_test

import (
	"context"
	"encoding/json"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
)

// nowhere is a store that keeps nothing.
type nowhere struct{}

func (nowhere) EntriesSince(context.Context, int64) ([]catalog.Entry, error) { return nil, nil }
func (nowhere) Marks(context.Context) ([]catalog.Mark, error)                { return nil, nil }
func (nowhere) VersionAt(context.Context, time.Time) (int64, error)          { return 0, nil }
func (nowhere) PutMark(context.Context, catalog.Mark) error                  { return nil }
func (nowhere) RemoveMark(context.Context, string) error                     { return nil }

func (nowhere) Removed(context.Context, string) (catalog.Definitions, error) {
	return catalog.Definitions{}, nil
}
func (nowhere) PayloadBefore(context.Context, int64, string, string) ([]byte, error) {
	return nil, nil
}
func (nowhere) Activity(context.Context, catalog.ActivityFilter) ([]catalog.Entry, error) {
	return nil, nil
}
func (nowhere) Entry(context.Context, int64) (catalog.Entry, error)                 { return catalog.Entry{}, nil }
func (nowhere) Load(context.Context) (catalog.Definitions, error)                   { return catalog.Definitions{}, nil }
func (nowhere) Apply(context.Context, catalog.Change) error                         { return nil }
func (nowhere) Revisions(context.Context, string) ([]catalog.StoredContract, error) { return nil, nil }
func (nowhere) MappingVersions(context.Context, string, string) ([]catalog.MappingVersion, error) {
	return nil, nil
}
func (nowhere) Recordings(context.Context, string) ([]catalog.StoredRecording, error) {
	return nil, nil
}
func (nowhere) RemovedRecordings(context.Context, string) ([]catalog.StoredRecording, error) {
	return nil, nil
}
func (nowhere) ExchangeHeads(context.Context, string, uint64, int) ([]recording.Exchange, error) {
	return nil, nil
}
func (nowhere) CountExchanges(context.Context, string) (int, error) { return 0, nil }
func (nowhere) ExchangesOn(context.Context, string, string, []string) ([]recording.Exchange, error) {
	return nil, nil
}
func (nowhere) Exchanges(context.Context, string) ([]recording.Exchange, error) { return nil, nil }
func (nowhere) Applied(context.Context) ([]catalog.Applied, error)              { return nil, nil }

func (nowhere) RemovedMappings(context.Context, string) ([]catalog.MappingVersion, error) {
	return nil, nil
}
func (nowhere) Contract(context.Context, string, int) (catalog.StoredContract, error) {
	return catalog.StoredContract{}, nil
}

// harbour is an environment with the demo's contracts and the mappings given.
func harbour(t testing.TB, mappings string) (*catalog.Catalog, *engine.Engine) {
	ctx := context.Background()
	c, err := catalog.Open(ctx, nowhere{})
	require.NoError(t, err)
	for _, name := range []string{"moorings.yaml", "tides.yaml"} {
		text, err := os.ReadFile("../../../demo/data/" + name)
		require.NoError(t, err)
		_, err = c.Import(ctx, catalog.Import{Text: text, File: name})
		require.NoError(t, err)
	}
	_, err = c.CreateService(ctx, spec.NewService("bare"))
	require.NoError(t, err)
	if mappings != "" {
		list, err := spec.ReadMappings([]byte(mappings))
		require.NoError(t, err)
		_, _, err = c.PutMappings(ctx, "moorings", list)
		require.NoError(t, err)
	}
	return c, engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Control: "http://127.0.0.1:7400", RunSeed: 1, Now: time.Now})
}

// ask decides one call, written as "METHOD /address?query" with header lines.
func ask(e *engine.Engine, line string, headers ...string) *engine.Decision {
	method, target, _ := strings.Cut(line, " ")
	address, query, _ := strings.Cut(target, "?")
	r := &call.Request{Method: method, Address: address, Query: query, Header: call.Header{}}
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		r.Header[name] = append(r.Header[name], value)
	}
	return e.Decide(e.Place(context.Background(), r), r)
}

const someMappings = `
- id: closed
  call: { method: GET, path: "/berths/N13" }
  answer: { status: 503, json: { state: closed } }
- id: any-berth
  call: { path: "/berths/{number}" }
  answer: { text: hello }
- id: shadowed
  rank: -1
  call: { method: GET, path: "/berths/N13" }
  answer: { status: 200 }
- id: off
  enabled: false
  rank: 100
  call: { method: GET, path: "/berths/N13" }
  answer: { status: 418 }
`

func TestDecisions(t *testing.T) {
	_, e := harbour(t, someMappings)
	for _, c := range []struct {
		call    string
		headers []string
		status  int
		source  call.Source
		by      string
		body    string // a part of it
		because string // a part of the explanation
	}{
		{call: "GET /moorings/berths/N13", status: 503, source: call.FromMapping, by: "closed", body: `{"state":"closed"}`, because: "shadowed fits too, but rank -1 is below rank 0"},
		{call: "DELETE /moorings/berths/N7", status: 200, source: call.FromMapping, by: "any-berth", body: "hello", because: "any /berths/{number}"},
		{call: "GET /moorings/v2/berths/N7", status: 200, source: call.FromMapping, by: "any-berth", body: "hello"},
		{call: "GET /moorings/berths", status: 200, source: call.FromContract, by: `listBerths, "two-free"`, body: `{"total":2,`, because: `example "two-free" as application/json`},
		{call: "GET /moorings/v2/dues", status: 200, source: call.FromContract, by: "listDues", body: `"lines":[`, because: "data generated from the schema"},
		{call: "HEAD /moorings/berths", status: 200, source: call.FromContract, by: `listBerths, "two-free"`},
		{call: "DELETE /moorings/bookings/B-2041", status: 204, source: call.FromContract, by: "cancelBooking", because: "without a body"},
		{call: "GET /tides/stations/x/tides", headers: []string{"Accept: text/csv"}, status: 200, source: call.FromContract, by: "getTides", body: "at,kind,height_m"},
		{call: "GET /tides/stations/x/tides", headers: []string{"Accept: image/png"}, status: 406, source: call.FromSelf, by: "not-acceptable", body: `"mediaTypes":["application/json","text/csv"]`},
		{call: "GET /moorings/bertsh/N7", status: 404, source: call.FromMiss, by: "path, segment 1", body: "`bertsh`, expected `berths`", because: "mapping any-berth path, segment 1"},
		{call: "POST /moorings/dues", status: 404, source: call.FromMiss, by: "method", because: "operation listDues its path /dues fits, its method is GET"},
		{call: "GET /moorings/v2/due", status: 404, source: call.FromMiss, by: "path, segment 1"},
		{call: "GET /bare/anything", status: 404, source: call.FromMiss, by: "no similar call", body: "neither a contract nor a mapping"},
		{call: "GET /moring/berths", status: 404, source: call.FromMiss, by: "no such service", body: `Did you mean \"moorings\"?`},
		{call: "GET /", status: 200, source: call.FromSelf, by: "root", body: "/moorings"},
		{call: "OPTIONS /moorings/dues", headers: []string{"Origin: http://a.example", "Access-Control-Request-Method: GET"}, status: 204, source: call.FromSelf, by: "preflight"},
	} {
		t.Run(c.call, func(t *testing.T) {
			d := ask(e, c.call, c.headers...)
			assert.Equal(t, c.status, d.Answer.Status)
			assert.Equal(t, c.source, d.Source)
			assert.Equal(t, c.by, d.By)
			assert.Contains(t, string(d.Answer.Body), c.body)
			require.NotNil(t, d.Explanation)
			why := d.Explanation.Summary.String()
			for _, step := range d.Explanation.Steps {
				why += "\n" + step.Of.String() + " " + step.String()
			}
			assert.Contains(t, why, c.because)
			assert.NotContains(t, why, "418", "a mapping that is off plays no part")
		})
	}
}

func TestMissesAreProblemDocuments(t *testing.T) {
	_, e := harbour(t, "")
	d := ask(e, "GET /moorings/bertsh/N7")
	assert.Equal(t, []call.Field{{Name: "Content-Type", Value: "application/problem+json"}}, d.Answer.Header)
	var doc struct {
		Type, Title, Detail, Service, Console string
		Status                                int
		Closest                               []struct{ Kind, ID, Call, Part, Seen, Expected string }
	}
	require.NoError(t, json.Unmarshal(d.Answer.Body, &doc))
	assert.Equal(t, "urn:rapid-mimic:miss", doc.Type)
	assert.Equal(t, 404, doc.Status)
	require.NotEmpty(t, doc.Closest)
	assert.Equal(t, "getBerth", doc.Closest[0].ID)
	assert.Equal(t, "bertsh", doc.Closest[0].Seen)
	assert.Equal(t, "berths", doc.Closest[0].Expected)
}

func TestSeeds(t *testing.T) {
	c, e := harbour(t, "")
	body := func(line string) string { return string(ask(e, line).Answer.Body) }
	assert.NotEqual(t, body("GET /moorings/dues"), body("GET /moorings/dues"), "fresh data on each call")

	seed := int64(7)
	seeded := spec.NewService("moorings")
	seeded.Seed = &seed
	_, _, err := c.PutService(context.Background(), "moorings", seeded, "")
	require.NoError(t, err)
	first := body("GET /moorings/dues")
	assert.NotEqual(t, first, body("GET /moorings/dues?state=open"), "other calls get other data")
	assert.Equal(t, first, body("GET /moorings/dues"), "the same call gets the same data, in any order")

	r := &call.Request{Method: "GET", Address: "/moorings/dues", Header: call.Header{}}
	assert.True(t, e.Place(context.Background(), r).NeedsBody(), "the data depend on the body, so it must be held")
}

func TestHintsAndChosenExamples(t *testing.T) {
	c, e := harbour(t, someMappings)
	choose := func(examples map[string]string) error {
		s := spec.NewService("moorings")
		s.Examples = examples
		_, _, err := c.PutService(context.Background(), "moorings", s, "")
		return err
	}
	require.NoError(t, choose(map[string]string{"listBerths": "none-free"}))
	const hint = "Rapid-Mimic: "
	for _, c := range []struct {
		call, header string
		status       int
		by, body     string
	}{
		{"GET /moorings/berths", "", 200, `listBerths, "none-free"`, `{"total":0,"berths":[]}`},
		{"GET /moorings/berths", hint + `example="two-free"`, 200, `listBerths, "two-free"`, `{"total":2,`},
		{"GET /moorings/berths/N13", hint + `example=taken`, 200, `getBerth, "taken"`, `"state":"taken"`},
		{"GET /moorings/berths/N13", hint + `example="unknown"`, 404, `getBerth, "unknown"`, `"title":"Not in our books"`},
		{"GET /moorings/berths/N13", hint + `status=404`, 404, `getBerth, "unknown"`, `"status":404`},
		{"GET /moorings/v2/berths/N13", "Baggage: a=b, rapid-mimic.example=taken;p=1, rapid-mimic.status=200", 200, `getBerth, "taken"`, `"vessel"`},
		{"POST /moorings/berths/N7/bookings", hint + `status=422`, 422, "bookBerth", `"title":`},
		{"GET /moorings/berths/N7", hint + `example="takken"`, 400, "hint", `"examples":["free","taken","unknown"]`},
		{"GET /moorings/berths/N7", hint + `example="taken", status=404`, 400, "hint", `no example \"taken\" with status 404`},
		{"GET /moorings/berths/N7", hint + `status=500`, 400, "hint", "has no response 500 (200, 404)"},
		{"GET /moorings/berths/N7", hint + `hurry=3`, 400, "hint", `\"hurry\" is not a hint (delay, example, lane, scenario, status)`},
		{"GET /moorings/berths/N7", hint + `example=`, 400, "hint", "is not a dictionary"},
		{"GET /moorings/berths/N7", hint + `status=abc`, 400, "hint", "must be a number from 200 to 999"},
		{"GET /moorings/bertsh/N7", hint + `status=404`, 404, "path, segment 1", "expected `berths`"},
	} {
		var headers []string
		if c.header != "" {
			headers = append(headers, c.header)
		}
		d := ask(e, c.call, headers...)
		assert.Equal(t, c.status, d.Answer.Status, "%s %s", c.call, c.header)
		assert.Equal(t, c.by, d.By, "%s %s", c.call, c.header)
		assert.Contains(t, string(d.Answer.Body), c.body, "%s %s", c.call, c.header)
	}
	assert.ErrorContains(t, choose(map[string]string{"listBerths": "non-free"}), `example "non-free" not found (none-free?)`)
	assert.ErrorContains(t, choose(map[string]string{"listBerth": "free"}), `operation "listBerth" not found (listBerths?)`)
}

func TestEcho(t *testing.T) {
	c, e := harbour(t, "")
	post := func(body string) *engine.Decision {
		r := &call.Request{Method: "POST", Address: "/moorings/v2/berths/S4/bookings", Header: call.Header{"Content-Type": {"application/json"}}}
		r.Body.Bytes = []byte(body)
		return e.Decide(e.Place(context.Background(), r), r)
	}
	d := post(`{"from": "2027-01-01", "until": 7, "price": {"amount": "1"}, "ghost": "x", "state": "confirmed"}`)
	body := string(d.Answer.Body)
	assert.Contains(t, body, `"from":"2027-01-01"`)
	assert.Contains(t, body, `"until":"2026-12-04"`, "another kind of value")
	assert.Contains(t, body, `"price":{"amount":"186.00"`, "it would break the schema")
	assert.NotContains(t, body, "ghost", "nothing is added")
	assert.Contains(t, stepsOf(d), "values of the call stand in from\n")
	assert.Contains(t, string(post(`{"from": broken`).Answer.Body), `"from":"2026-12-01"`)

	berth := func(line string) string { return string(ask(e, line).Answer.Body) }
	assert.Contains(t, berth("GET /moorings/berths/S4"), `"number":"S4"`, "ask for a berth, get that berth")
	assert.Contains(t, berth("GET /moorings/berths/quay"), `"number":"N7"`, "no berth has such a number")
	assert.Contains(t, berth("GET /tides/stations/lamp-skerry/level"), `"station":"lamp-skerry"`)

	off := spec.NewService("moorings")
	off.Echo = false
	_, _, err := c.PutService(context.Background(), "moorings", off, "")
	require.NoError(t, err)
	assert.Contains(t, berth("GET /moorings/berths/S4"), `"number":"N7"`)
}

func TestConformance(t *testing.T) {
	c, e := harbour(t, `{id: wrong, call: {method: GET, path: "/berths/N13"}, answer: {json: {number: 13}}}`)
	set := func(conformance string) {
		s := spec.NewService("moorings")
		s.Conformance = conformance
		_, _, err := c.PutService(context.Background(), "moorings", s, "")
		require.NoError(t, err)
	}
	finished := func(line, body string) *call.Record {
		method, target, _ := strings.Cut(line, " ")
		address, query, _ := strings.Cut(target, "?")
		record := &call.Record{Service: "moorings", Request: call.Request{Method: method, Address: address, Query: query, Header: call.Header{"Content-Type": {"application/json"}}}}
		record.Request.Body = call.Body{Bytes: []byte(body), Size: int64(len(body))}
		d := e.Decide(e.Place(context.Background(), &record.Request), &record.Request)
		record.Source, record.By, record.Answer, record.AnswerSize = d.Source, d.By, d.Answer, int64(len(d.Answer.Body))
		return record
	}
	places := func(r *call.Record) (list []string) {
		_, found, err := e.Check(t.Context(), r)
		require.NoError(t, err)
		for _, d := range found {
			list = append(list, d.Side+" "+d.Where)
		}
		return list
	}
	booking := `{"vessel": {"name": "Tern", "callSign": "SKT12", "lengthMetres": 12}, "from": "2026-12-01", "until": "2026-12-04"}`
	assert.Empty(t, places(finished("POST /moorings/v2/berths/N7/bookings", booking)))
	assert.Equal(t, []string{"request body /from", "request body /vessel"}, sorted(places(finished("POST /moorings/berths/N7/bookings", `{"vessel": {}, "from": 1, "until": "2026-12-04"}`))))
	assert.Equal(t, []string{"request query free"}, places(finished("GET /moorings/berths?free=perhaps", "")))
	assert.Equal(t, []string{"answer body", "answer body /number"}, sorted(places(finished("GET /moorings/berths/N13", ""))), "a mapping's answer is held against it too")
	assert.Empty(t, places(finished("GET /moorings/bertsh/N13", "")), "a miss has no contract")

	set(spec.ConformanceRefuse)
	refused := finished("POST /moorings/berths/N7/bookings", `{"vessel": {}, "until": "2026-12-04"}`)
	assert.Equal(t, 400, refused.Answer.Status)
	assert.Equal(t, "contract-broken", refused.By)
	assert.Contains(t, string(refused.Answer.Body), `"deviations":[{"side":"request","where":"body`)
	assert.Equal(t, 201, finished("POST /moorings/berths/N7/bookings", booking).Answer.Status)
	assert.True(t, e.Place(context.Background(), &call.Request{Method: "GET", Address: "/moorings/x", Header: call.Header{}}).NeedsBody())

	set(spec.ConformanceOff)
	assert.Empty(t, places(finished("GET /moorings/berths?free=perhaps", "")))
}

func sorted(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}

func TestCrossOriginCalls(t *testing.T) {
	c, e := harbour(t, someMappings)
	get := func(fields []call.Field, name string) string {
		for _, f := range fields {
			if f.Name == name {
				return f.Value
			}
		}
		return ""
	}
	origin := "Origin: http://office.example"
	d := ask(e, "GET /moorings/berths/N13", origin)
	assert.Equal(t, "http://office.example", get(d.Answer.Header, "Access-Control-Allow-Origin"))
	assert.Contains(t, get(d.Answer.Header, "Access-Control-Expose-Headers"), "Rapid-Mimic, Content-Type")
	assert.Empty(t, get(ask(e, "GET /moorings/berths/N13").Answer.Header, "Access-Control-Allow-Origin"), "the mapping's own headers are untouched")

	closed := spec.NewService("moorings")
	closed.CORS = false
	_, _, err := c.PutService(context.Background(), "moorings", closed, "")
	require.NoError(t, err)
	assert.Empty(t, get(ask(e, "GET /moorings/berths/N13", origin).Answer.Header, "Access-Control-Allow-Origin"))
	options := ask(e, "OPTIONS /moorings/dues", origin, "Access-Control-Request-Method: GET")
	assert.Equal(t, call.FromSelf, options.Source)
	assert.Equal(t, []call.Field{{Name: "Allow", Value: "GET, HEAD, OPTIONS"}}, options.Answer.Header, "and no word on origins")
}

func BenchmarkDecide(b *testing.B) {
	_, e := harbour(b, someMappings)
	header := call.Header{"Accept": {"*/*"}}
	for _, address := range []string{"/moorings/berths/N13", "/moorings/berths", "/moorings/dues", "/moorings/bertsh/N7"} {
		b.Run(address[1:], func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				r := &call.Request{Method: "GET", Address: address, Header: header}
				e.Decide(e.Place(context.Background(), r), r)
			}
		})
	}
}
