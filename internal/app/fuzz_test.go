package app

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/calllog"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/internal/rescue"
	"rapidmimic.example/spec"
)

// Whatever is sent, and whatever is defined, must go through the engine and the log
// without a panic, in a bounded time and with a bounded amount of memory.

// What one input may cost. Fuzzing runs beside other work, so these are far above what
// anything takes.
const (
	mayTake     = 20 * time.Second
	mayAllocate = 1 << 30
	longest     = 1 << 20 // bytes of an input; what is longer is not tried
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
func (nowhere) Entry(context.Context, int64) (catalog.Entry, error) { return catalog.Entry{}, nil }
func (nowhere) Load(context.Context) (catalog.Definitions, error)   { return catalog.Definitions{}, nil }
func (nowhere) Apply(context.Context, catalog.Change) error         { return nil }
func (nowhere) Contract(context.Context, string, int) (catalog.StoredContract, error) {
	return catalog.StoredContract{}, nil
}
func (nowhere) Revisions(context.Context, string) ([]catalog.StoredContract, error) { return nil, nil }
func (nowhere) MappingVersions(context.Context, string, string) ([]catalog.MappingVersion, error) {
	return nil, nil
}
func (nowhere) RemovedMappings(context.Context, string) ([]catalog.MappingVersion, error) {
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
func (nowhere) InsertCalls(context.Context, []*call.Record) error               { return nil }
func (nowhere) InsertExchanges(context.Context, []*call.Record) error           { return nil }
func (nowhere) TrimCalls(context.Context, int64, int64) (int64, error)          { return 0, nil }
func (nowhere) ClearCalls(context.Context, time.Time) error                     { return nil }
func (nowhere) CountCalls(context.Context) (int64, uint64, error)               { return 0, 0, nil }
func (nowhere) TrimmedIn(context.Context, string, string) (time.Time, error) {
	return time.Time{}, nil
}
func (nowhere) Trimmed(context.Context) (time.Time, error)              { return time.Time{}, nil }
func (nowhere) Cleared(context.Context) (last, at time.Time, err error) { return last, at, nil }
func (nowhere) BeginRun(context.Context, time.Time) (time.Time, error)  { return time.Time{}, nil }
func (nowhere) EndRun(context.Context, time.Time, uint64) error         { return nil }
func (nowhere) ReserveNumbers(context.Context, uint64) error            { return nil }

// environment is the core of a service, with its log.
type environment struct {
	*catalog.Catalog
	engine *engine.Engine
	log    *calllog.Log
}

func newEnvironment(t testing.TB) *environment {
	e := &environment{}
	var err error
	e.Catalog, err = catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	e.engine = engine.New(engine.Config{Definitions: e.Catalog, State: &engine.Memory{}, Control: "http://127.0.0.1:7400", RunSeed: 1, Now: time.Now})
	e.log, err = calllog.Open(t.Context(), calllog.Config{Store: nowhere{}, Masker: secret.NewMasker([]byte("k"), secret.NewRules(nil, nil), nil), Checker: e.engine, WriteEvery: time.Microsecond,
		Logger: slog.New(slog.NewTextHandler(io.Discard, nil))})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- e.log.Run(ctx) }()
	t.Cleanup(func() {
		stop()
		require.NoError(t, <-ended)
	})
	return e
}

// send sends a call through the engine and the log, and gives the status.
func (e *environment) send(ctx context.Context, r call.Request) int {
	record := &call.Record{Number: e.log.Number(), At: time.Now(), Request: r}
	placed := e.engine.Place(ctx, &record.Request)
	defer placed.Release()
	d := e.engine.Decide(placed, &record.Request)
	record.Service, record.Source, record.By, record.Answer, record.Explanation = d.Service, d.Source, d.By, d.Answer, d.Explanation
	record.AnswerSize = int64(len(d.Answer.Body))
	e.log.Add(record)
	_ = e.log.Flush(ctx) // what is late is seen by the time it takes
	return d.Answer.Status
}

// bounded fails where work takes too long, too much memory, or panics.
func bounded(t *testing.T, input string, work func(ctx context.Context)) {
	if len(input) > longest {
		t.Skip()
	}
	ctx, cancel := context.WithTimeout(t.Context(), mayTake)
	defer cancel()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	faults := rescue.Faults()
	work(ctx)
	if ctx.Err() != nil {
		t.Fatalf("it takes longer than %s", mayTake)
	}
	if runtime.ReadMemStats(&after); after.TotalAlloc-before.TotalAlloc > mayAllocate {
		t.Fatalf("it allocates %d MB", (after.TotalAlloc-before.TotalAlloc)>>20)
	}
	if rescue.Faults() > faults {
		t.Fatal("something in the background panicked")
	}
}

// looking are mappings that look at calls in every way.
const looking = `[
  {"id": "json", "call": {"path": "/look", "where": [{"body": "$..a[?@.b > 1]", "above": 3}]}, "answer": {"json": {"all": "${call.body}"}}},
  {"id": "xml", "call": {"path": "/look", "where": [{"xml": "//a[b]/@c", "contains": "x"}]}, "answer": {"xml": "<a>${call.text}</a>"}},
  {"id": "form", "call": {"path": "/look", "where": [{"form": "a", "equals": "1"}, {"part": "b"}, {"cookie": "c"}]}, "answer": {"text": "x"}},
  {"id": "graphql", "call": {"path": "/look", "where": [{"graphql": "field", "equals": "berths"}]}, "answer": {"text": "x"}},
  {"id": "schema", "call": {"path": "/look", "where": [{"body": "$", "schema": {"type": "array", "uniqueItems": true, "items": {"pattern": "^(?=a)(a+)+$"}}}]}, "answer": {"text": "x"}},
  {"id": "if", "call": {"path": "/look", "if": "call.body.a + call.body.b == call.body.c || call.body in call.body.d"}, "answer": {"text": "x"}},
  {"id": "echo", "call": {"path": "/echo/{rest...}"}, "answer": {"json": {"q": "${call.query}", "h": "${call.headers}", "p": "${call.path}", "t": "${call.text}"}}}
]`

// contractText is a contract of the demo: a file, or a folder as an archive.
func contractText(t testing.TB, name string) []byte {
	folder := os.DirFS("../../demo/data")
	var files []bundle.File
	err := fs.WalkDir(folder, name, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := fs.ReadFile(folder, path)
		files = append(files, bundle.File{Name: strings.TrimPrefix(path, name+"/"), Text: text})
		return err
	})
	require.NoError(t, err)
	if len(files) == 1 {
		return files[0].Text
	}
	archive, err := bundle.Pack(files)
	require.NoError(t, err)
	return archive
}

func FuzzCall(f *testing.F) {
	e := newEnvironment(f)
	for _, name := range []string{"moorings.yaml", "tides.yaml", "customs"} {
		_, err := e.Import(f.Context(), catalog.Import{Text: contractText(f, name), File: name})
		require.NoError(f, err)
	}
	service := spec.NewService("office")
	_, _, err := e.PutService(f.Context(), "office", service, "")
	require.NoError(f, err)
	mappings, err := spec.ReadMappings([]byte(looking))
	require.NoError(f, err)
	_, _, err = e.PutMappings(f.Context(), "office", mappings)
	require.NoError(f, err)
	strict := e.Snapshot().Named("tides").Spec
	strict.Conformance = spec.ConformanceRefuse
	_, _, err = e.PutService(f.Context(), "tides", strict, "")
	require.NoError(f, err)

	f.Add("GET", "/moorings/berths?minLength=1e999999999", "Accept: */*", "")
	f.Add("POST", "/moorings/berths/N7/bookings", "Content-Type: application/json", "["+strings.Repeat("1e999999,", 50)+"1]")
	f.Add("POST", "/office/look", "Content-Type: application/json", `{"a": [{"b": 1e1000001}], "c": 1, "d": []}`)
	f.Add("POST", "/office/look", "Content-Type: application/x-www-form-urlencoded\nCookie: c=1", "a=1&b=%zz")
	f.Add("POST", "/office/look", "Content-Type: multipart/form-data; boundary=x", "--x\r\nContent-Disposition: form-data; name=b\r\n\r\n1\r\n--x--")
	f.Add("POST", "/office/look", "Content-Type: text/xml", "<a>"+strings.Repeat("x&#65;", 50)+strings.Repeat("<b/>", 50)+"</a>")
	f.Add("POST", "/office/look", "Content-Type: application/graphql", "query q { berths { number } }")
	f.Add("POST", "/customs", "SOAPAction: \"\"", `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><a/></s:Body></s:Envelope>`)
	f.Add("GET", "/%40mara/moorings//berths/..%2f", "Rapid-Mimic: lane=mara, delay=\"9h\"\nBaggage: rapid-mimic.lane=x", "")
	f.Add("OPTIONS", "*", "Origin: http://a.example\nAccess-Control-Request-Method: PUT", "")
	f.Add("CONNECT", "", "", "")
	f.Fuzz(func(t *testing.T, method, target, header, body string) {
		bounded(t, method+target+header+body, func(ctx context.Context) {
			address, query, _ := strings.Cut(target, "?")
			r := call.Request{Method: method, Address: address, Query: query, Host: "127.0.0.1:7401", Caller: "127.0.0.1:4242", Header: call.Header{},
				Body: call.Body{Bytes: []byte(body), Size: int64(len(body))}}
			for line := range strings.Lines(header) {
				name, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
				r.Header[name] = append(r.Header[name], value)
			}
			if status := e.send(ctx, r); status < 100 || status > 999 {
				t.Fatalf("status %d", status)
			}
		})
	})
}

// FuzzDocument puts documents of mappings, and calls what they are for.
func FuzzDocument(f *testing.F) {
	doubled := "[1]" + strings.Repeat(".map(a, [a, a])", 30)
	f.Add(looking, `{"a": 1}`)
	f.Add(`{call: {path: /look, if: "`+doubled+` == call.body"}, answer: {json: "${`+doubled+`}"}}`, "[1]")
	f.Add(`{call: {path: /look}, answer: {text: "${'x'.padStart(100000, 'y') + call.text}"}}`, "x")
	f.Add("call: {path: /look}\nsequence: [{text: a}, {xml: <a>${call.body.a}</a>}]\nthen: pass", "<a/>")
	f.Add("call: {path: /look}\nchoose: [{if: 'call.body.size() > 1', answer: {fault: {code: Client, text: x}}}, {answer: {redirect: /x}}]", "[1, 2]")
	f.Add("- &a {call: {path: /look}, answer: &b {json: [*b]}}", "")
	f.Fuzz(func(t *testing.T, document, body string) {
		e := newEnvironment(t)
		bounded(t, document+body, func(ctx context.Context) {
			mappings, err := spec.ReadMappings([]byte(document))
			if err != nil {
				return
			}
			if _, _, err := e.PutService(ctx, "office", spec.NewService("office"), ""); err != nil {
				t.Fatal(err)
			}
			if _, _, err := e.PutMappings(ctx, "office", mappings); err != nil {
				return
			}
			for _, path := range []string{"/office/look", "/office" + mappings[0].Call.Path} {
				e.send(ctx, call.Request{Method: "POST", Address: path, Header: call.Header{}, Body: call.Body{Bytes: []byte(body), Size: int64(len(body))}})
			}
		})
	})
}

// FuzzContract imports contracts in every notation, and calls their operations.
func FuzzContract(f *testing.F) {
	for _, name := range []string{"moorings.yaml", "tides.yaml"} {
		f.Add(string(contractText(f, name)))
	}
	for _, schema := range []string{
		`{"type": "array", "minItems": 1000000000, "items": {"minLength": 100000000}}`,
		`{"$ref": "#/components/schemas/A"}`,
		`{"anyOf": [{"items": {"$ref": "#/components/schemas/A"}}, {"items": {"$ref": "#/components/schemas/A"}}]}`,
		`{"type": "string", "pattern": "^(a{1,1000}){1,1000}$"}`,
		`{"oneOf": [{"$ref": "#/components/schemas/A"}, {"type": "object", "required": ["a"], "properties": {"a": {"$ref": "#/components/schemas/A"}}}], "discriminator": {"propertyName": "a"}}`,
	} {
		f.Add(fmt.Sprintf(`{"openapi": "3.1.0", "info": {"title": "a", "version": "1"}, "paths": {"/a": {"post": {"requestBody": {"content": {"application/json": {"schema": %[1]s}}}, "responses": {"200": {"description": "", "content": {"application/json": {"schema": %[1]s}}}}}}}, "components": {"schemas": {"A": %[1]s}}}`, schema))
	}
	for _, content := range []string{
		`<xsd:any namespace="##any"/>`, `<xsd:element name="t" type="xsd:string" minOccurs="1000000000"/>`, `<xsd:element ref="t:Out"/>`, `<xsd:group ref="t:G"/>`,
	} {
		f.Add(`<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:t" xmlns:xsd="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:t">
<types><xsd:schema targetNamespace="urn:t"><xsd:group name="G"><xsd:sequence><xsd:group ref="t:G"/></xsd:sequence></xsd:group><xsd:element name="Out"><xsd:complexType><xsd:sequence>` + content + `</xsd:sequence></xsd:complexType></xsd:element></xsd:schema></types>
<message name="in"><part name="p" element="t:Out"/></message><portType name="pt"><operation name="ask"><input message="t:in"/><output message="t:in"/></operation></portType>
<binding name="b" type="t:pt"><soap:binding style="document" transport="http://schemas.xmlsoap.org/soap/http"/><operation name="ask"><soap:operation soapAction=""/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="s"><port name="p" binding="t:b"><soap:address location="http://x/"/></port></service></definitions>`)
	}
	f.Fuzz(func(t *testing.T, text string) {
		e := newEnvironment(t)
		bounded(t, text, func(ctx context.Context) {
			imported, err := e.Import(ctx, catalog.Import{Text: []byte(text), Name: "office"})
			if err != nil {
				return
			}
			for i, op := range imported.Service.Contract.Operations {
				if i == 3 || op.Skipped != nil {
					break
				}
				path, _ := op.Template.Fill(nil)
				e.send(ctx, call.Request{Method: op.Method, Address: "/office" + path, Header: call.Header{"Content-Type": {"application/json"}}, Body: call.Body{Bytes: []byte(`{"a": [[[1]]]}`), Size: 14}})
				e.send(ctx, call.Request{Method: "POST", Address: "/office", Header: call.Header{"Content-Type": {"text/xml"}},
					Body: call.Body{Bytes: []byte(`<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><Out xmlns="urn:t"/></s:Body></s:Envelope>`), Size: 100}})
			}
		})
	})
}
