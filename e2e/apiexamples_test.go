package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/tree"
)

// examplesFile has what the API document gives as examples.
const examplesFile = "../internal/control/examples.yaml"

// apiSteps are requests in an order in which each can be answered, one an operation: its
// address and what is sent. {call} and {version} are known only then.
var apiSteps = [][2]string{
	{"POST /marks", `{"name": "morning"}`},
	{"PATCH /marks/morning", `{"everyNight": "03:00"}`},
	{"POST /logins", ""},
	{"PUT /presence/tab-7", `{"at": "/services/moorings"}`},
	{"PUT /log-level", `{"level": "info"}`},
	{"POST /services", `{"name": "buoys", "title": "Buoys and lights"}`},
	{"PUT /services/buoys", `{"title": "Buoys", "upstream": "$REAL"}`},
	{"PATCH /services/moorings", `{"seed": 7, "memory": "on", "callbacks": {"hosts": ["127.0.0.1"]}}`},
	{"POST /services/moorings/webhooks/berthFreed/calls", `{"to": "$REAL"}`},
	{"POST /imports?file=tides.yaml&name=gauges", "$TIDES"},
	{"PUT /services/moorings/operations/getBerth/pins", `{"pins": {"/state": "taken"}}`},
	{"POST /services/moorings/test-calls", `{"method": "GET", "path": "/berths/N7"}`},
	{"POST /services/moorings/explain", `{"method": "GET", "path": "/berths/N13"}`},
	{"POST /services/moorings/trials", `{"document": "{id: fog, call: {path: /fog}, answer: {status: 503}}", "recent": 2}`},
	{"POST /services/moorings/mappings", `[{"id": "fog", "call": {"method": "GET", "path": "/fog"}, "answer": {"status": 503, "json": {"title": "Fog"}}}]`},
	{"PUT /services/moorings/mappings/fog", `{"call": {"method": "GET", "path": "/fog"}, "flow": {"name": "weather", "when": ["start", "fog"], "then": "fog"}, "answer": {"status": 503, "json": {"title": "Thick fog"}}}`},
	{"PATCH /services/moorings/mappings/fog", `{"labels": ["weather"]}`},
	{"PATCH /services/moorings/mappings?label=weather", `{"enabled": true}`},
	{"PATCH /mappings?label=weather", `{"addLabels": ["night"]}`},
	{"POST /services/moorings/mappings/copies?label=weather", `{"service": "tides"}`},
	{"POST /services/moorings/mappings/fog/copies", `{"id": "fog-2"}`},
	{"POST /services/moorings/mappings/fog/loosenings", `{"call": "{call}"}`},
	{"POST /services/moorings/mappings/resets?label=weather", ""},
	{"DELETE /services/moorings/mappings/fog/positions", ""},
	{"DELETE /services/moorings/mappings/fog/counts", ""},
	{"DELETE /services/moorings/mappings/fog-2", ""},
	{"POST /services/moorings/mappings/fog-2/restore", `{}`},
	{"DELETE /services/moorings/mappings?id=fog-2", ""},
	{"POST /services/moorings/mappings/restores", ""},
	{"DELETE /mappings?text=fog-2", ""},
	{"PUT /services/moorings/payloads/chart.txt", "shallow at the north pier\n"},
	{"PATCH /variables", `{"variables": {"office": "https://office.skerry.test", "officeKey": {"secret": true, "value": "hush-hush-quay"}}}`},
	{"PUT /variables", `{"variables": {"harbour": "Skerry Sound", "gauges": "read by hand", "officeKey": {"secret": true}}, "variableSets": {"drill": {"gauges": "made up"}}, "variableSet": "drill"}`},
	{"PUT /impairments", `{"latency": "1ms..3ms", "seed": 4}`},
	{"PUT /services/moorings/impairments?operation=bookBerth", `{"errors": {"rate": "30%", "status": [503, 500]}}`},
	{"PATCH /services/moorings/impairments?operation=bookBerth", `{"latency": "20ms"}`},
	{"PATCH /impairments", `{"off": false}`},
	{"POST /impairments/reset", ""},
	{"PUT /lines/rope", `{"bytesPerSecond": 900}`},
	{"PATCH /lines/rope", `{"firstByte": "1s"}`},
	{"POST /scenarios", `[{"name": "fog", "title": "Fog over the sound", "services": {"moorings": {"mappingsOff": ["booking-refused"]}}}]`},
	{"PUT /scenarios/fog", `{"title": "Fog", "services": {"tides": {"off": true}}}`},
	{"PATCH /scenarios/fog", `{"labels": ["weather"]}`},
	{"PUT /activations", `{"scenario": "fog", "for": "1h"}`},
	{"POST /activations/reset", ""},
	{"POST /scenario-drafts", `{"name": "as-it-is", "calls": ["c-1"]}`},
	{"POST /lanes", `{"name": "night-run", "ttl": "30m"}`},
	{"PUT /lanes/night-run", `{"ttl": "1h", "services": {"customs": {"off": true}}}`},
	{"PATCH /lanes/night-run", `{"title": "Of the night run"}`},
	{"POST /ignored", `{"text": "method:GET path:/health"}`},
	{"PATCH /ignored", `{"off": true}`},
	{"PUT /ignored", `{"off": false, "calls": ["path:/health"]}`},
	{"POST /calls/assert", `{"service": "moorings", "calls": [{"method": "GET", "path": "/berths/N7"}], "atLeast": 1}`},
	{"POST /digests", `{"secret": "made up"}`},
	{"POST /services/buoys/recording-trials", `{"include": ["GET /lights/{id}"]}`},
	{"POST /services/buoys/recordings", `{"name": "lights"}`},
	{"PUT /services/buoys/recordings/{recording}/attendance", ""},
	{"POST /services/buoys/recordings/{recording}/stop", `{"onlyKeep": true}`},
	{"POST /services/buoys/recordings/{recording}/mappings", `{}`},
	{"POST /services/buoys/recordings/{recording}/replays", `{"against": "$REAL"}`},
	{"PUT /services/moorings/memory/berths/N1", `{"number": "N1", "pier": "north", "lengthMetres": 12, "draughtMetres": 2.5, "state": "free", "services": []}`},
	{"PUT /services/moorings/memory-values/free-N7", `2`},
	{"PUT /services/moorings/flows/weather", `{"state": "fog"}`},
	{"POST /services/moorings/boundary-scenarios", `{"operation": "getBerth", "at": ["$.state"], "only": "valid", "cycle": true, "name": "states"}`},
	{"POST /walks", `{"service": "moorings", "operation": "getBerth", "at": ["$.lengthMetres"], "name": "lengths", "only": "valid"}`},
	{"PUT /walks/lengths/position", `{"to": "2"}`},
	{"PUT /walks/lengths/steps/1", `{"verdict": "fine", "text": "shown as 5 m"}`},
	{"GET", ""}, // all that is only read
	{"DELETE /services/buoys/recordings/{recording}", ""},
	{"DELETE /services/moorings/operations/getBerth/pins", ""},
	{"DELETE /services/moorings/memory/berths/N1", ""},
	{"POST /walks/lengths/end", ""},
	{"DELETE /walks/lengths", ""},
	{"DELETE /services/moorings/memory-values/free-N7", ""},
	{"POST /services/moorings/memory-resets", ""},
	{"DELETE /services/moorings/impairments?operation=bookBerth", ""},
	{"DELETE /impairments", ""},
	{"GET /services/moorings/broken-examples", ""},
	{"DELETE /presence/tab-7", ""},
	{"DELETE /activations", ""},
	{"DELETE /lanes/night-run", ""},
	{"DELETE /scenarios/fog", ""},
	{"DELETE /lines/rope", ""},
	{"DELETE /services/moorings/payloads/chart.txt", ""},
	{"DELETE /services/gauges", ""},
	{"POST /activity/{entry}/undo", ""},
	{"POST /marks/morning/returns?dryRun=true", ""},
	{"DELETE /marks/morning", ""},
	{"POST /authority/rotations", ""},
	{"DELETE /calls", ""},
}

// withoutExample are operations whose answers are no JSON, or too long to be looked at.
var withoutExample = map[string]string{
	"getMetrics": "for Prometheus", "getOpenAPI": "this very document", "getSchema": "a JSON Schema", "getPAC": "a script", "getContract": "a contract", "getRevision": "a contract",
	"streamCalls": "it never ends", "applyFolder": "takes an archive", "exportFolder": "takes an archive", "compareFolder": "takes an archive", "getAuthority": "a certificate", "getPayload": "a file", "importHAR": "takes a HAR",
	"createToken": "tells a secret", "beginSession": "tells a secret", "revokeToken": "of a token", "getBackup": "an archive", "getHealth": "no JSON", "getReadiness": "no JSON", "getWalkReport": "no JSON", "listRecordedItems": "of a recording of a service that remembers", "getHAR": "a HAR", "proposeContract": "a contract, of messages", "getChanges": "of a second revision", "compareRecordings": "of a second recording", "rotateAuthority": "only where the proxy is on",
}

// The examples in the API document are what the demo really answers: it is asked again, and
// every operation has one. UPDATE=1 writes what is answered now.
func TestTheExamplesOfTheAPIDocument(t *testing.T) {
	t.Parallel()
	real := httptest.NewServer(lights())
	t.Cleanup(real.Close)
	s := startDemo(t)
	tides, err := os.ReadFile("../demo/data/tides.yaml")
	require.NoError(t, err)
	s.send("GET /moorings/berths/N7", "")
	s.send("GET /moorings/fog?day=1", "")
	operations := s.operationIDs(t)
	known, err := os.ReadFile(examplesFile)
	require.NoError(t, err)
	documented, err := tree.Parse(known)
	require.NoError(t, err)
	made := make(map[string]*tree.Node)
	values := map[string]string{"{call}": "c-2"}
	do := func(method, path, body string) {
		id := operations.of(method, path)
		require.NotEmpty(t, id, "%s %s is no operation", method, path)
		if withoutExample[id] != "" {
			return
		}
		for name, value := range values {
			path, body = strings.ReplaceAll(path, name, value), strings.ReplaceAll(body, name, value)
		}
		sent := strings.NewReplacer("$REAL", real.URL, "$TIDES", string(tides)).Replace(body)
		status, header, text := s.whole(method, "/api/v1"+path, []byte(sent))
		require.Less(t, status, 300, "%s %s: %s", method, path, text)
		if entry := header.Get("Rapid-Mimic-Activity"); entry != "" {
			values["{entry}"] = entry
		}
		if id == "putMapping" {
			values["{version}"] = strings.Trim(header.Get("ETag"), `"`)
		}
		example := []tree.Member{}
		if body != "" {
			if request, err := tree.ParseJSON([]byte(body)); err == nil {
				example = append(example, tree.Member{Key: "request", Value: request})
			}
		}
		example = append(example, tree.Member{Key: "status", Value: tree.NewNumber(fmt.Sprint(status))})
		if answer, err := tree.ParseJSON([]byte(text)); err == nil {
			example = append(example, tree.Member{Key: "answer", Value: shortened(answer)})
			if recorded := answer.Get("id").Str(); method+" "+path == "POST /services/buoys/recordings" {
				values["{recording}"] = recorded
			}
		}
		made[id] = tree.NewMap(example...)
		if path == "/services/buoys/recordings" && method == "POST" {
			s.send("GET /buoys/lights/7", "")
		}
	}
	for _, step := range apiSteps {
		method, path, one := strings.Cut(step[0], " ")
		if one {
			do(method, path, step[1])
			continue
		}
		for _, path := range operations.read() {
			do("GET", path, "")
		}
	}
	var all []tree.Member
	for _, id := range operations.ids {
		if withoutExample[id] != "" {
			continue
		}
		if !assert.NotNil(t, made[id], "%s has no example", id) {
			continue
		}
		all = append(all, tree.Member{Key: id, Value: made[id]})
		if want := documented.Get(id); assert.NotNil(t, want, "%s: UPDATE=1 writes its example", id) {
			assert.Equal(t, shapeOf(want), shapeOf(made[id]), "%s: UPDATE=1 writes its example", id)
		}
	}
	if os.Getenv("UPDATE") != "" {
		text, err := tree.NewMap(all...).YAML()
		require.NoError(t, err)
		text = []byte(strings.ReplaceAll(string(text), "$REAL", real.URL))
		for from, to := range map[string]string{s.control: "http://127.0.0.1:7400", s.traffic: "http://127.0.0.1:7401", real.URL: "https://office.example", s.data: "/var/lib/rapidmimic"} {
			_, host, _ := strings.Cut(from, "//")
			text = []byte(strings.ReplaceAll(string(text), from, to))
			if host != "" {
				text = []byte(strings.ReplaceAll(string(text), host, strings.TrimPrefix(strings.TrimPrefix(to, "http://"), "https://")))
			}
		}
		require.NoError(t, os.WriteFile(examplesFile, append([]byte("# What the demo was asked and answered, by operation of openapi.yaml; written by a test.\n"), text...), 0o644))
	}
}

// lights is a real service that is recorded.
func lights() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(`{"light": 7, "colour": "green"}`))
	})
}

// operationIDs are the operations of the API document, found by requests.
type operationIDs struct {
	ids     []string // in their order
	methods map[string]map[string]string
	paths   []string
}

func (s *service) operationIDs(t *testing.T) *operationIDs {
	_, _, text := s.whole("GET", "/api/v1/openapi.yaml", nil)
	document, err := tree.Parse([]byte(text))
	require.NoError(t, err)
	o := &operationIDs{methods: make(map[string]map[string]string)}
	for _, path := range document.Get("paths").Members {
		short := strings.TrimPrefix(path.Key, "/api/v1")
		o.paths, o.methods[short] = append(o.paths, short), make(map[string]string)
		for _, m := range path.Value.Members {
			if id := m.Value.Get("operationId").Str(); id != "" {
				o.ids, o.methods[short][strings.ToUpper(m.Key)] = append(o.ids, id), id
			}
		}
	}
	return o
}

// of is the operation that a request is for, "" for none.
func (o *operationIDs) of(method, path string) string {
	path, _, _ = strings.Cut(path, "?")
	parts := strings.Split(path, "/")
	for _, template := range o.paths { // those without parameters come first where both fit
		if template == path && o.methods[template][method] != "" {
			return o.methods[template][method]
		}
	}
	for _, template := range o.paths {
		segments := strings.Split(template, "/")
		fits := len(segments) == len(parts)
		for i := 0; fits && i < len(parts); i++ {
			fits = segments[i] == parts[i] || strings.HasPrefix(segments[i], "{")
		}
		if fits && o.methods[template][method] != "" {
			return o.methods[template][method]
		}
	}
	return ""
}

// read are the addresses that are only read, with values for their parameters.
func (o *operationIDs) read() (addresses []string) {
	parameters := strings.NewReplacer("{reference}", "x", "{service}/recordings", "buoys/recordings", "{service}/latencies", "buoys/latencies", "{service}", "moorings", "{collection}", "berths", "{mapping}", "fog", "{payload}", "chart.txt",
		"{scenario}", "fog", "{lane}", "night-run", "{line}", "rope", "/reference/{operation}", "/reference/getLine", "{operation}", "getBerth", "{revision}", "1", "/differences", "/differences?since=morning", "/comparison", "/comparison?with=now", "/search", "/search?text=berth", "{walk}", "lengths", "/boundary-values", "/boundary-values?operation=getBerth&at=$.lengthMetres")
	for _, path := range o.paths {
		if id := o.methods[path]["GET"]; id != "" && withoutExample[id] == "" {
			addresses = append(addresses, parameters.Replace(path))
		}
	}
	return addresses
}

// shortened is an answer with the beginnings of its lists and texts.
func shortened(n *tree.Node) *tree.Node {
	const mostItems, mostText = 2, 240
	switch n.Kind {
	case tree.List:
		list := tree.NewList()
		for _, item := range n.Items[:min(len(n.Items), mostItems)] {
			list.Items = append(list.Items, shortened(item))
		}
		return list
	case tree.Map:
		members := slices.Clone(n.Members)
		for i := range members {
			members[i].Value = shortened(members[i].Value)
		}
		return tree.NewMap(members...)
	case tree.String:
		if len(n.Text) > mostText {
			return tree.NewString(strings.ToValidUTF8(n.Text[:mostText], "") + " …")
		}
	}
	return n
}

// shapeOf is what a value consists of, whatever its texts and numbers are. Objects by free
// keys are compared by these, too: the requests are the same each time.
func shapeOf(n *tree.Node) string {
	if n == nil {
		return "nothing"
	}
	switch n.Kind {
	case tree.List:
		return "[" + shapeOf(append(n.Items, nil)[0]) + "]"
	case tree.Map:
		var b strings.Builder
		for _, m := range n.Members {
			if counts[m.Key] { // what was called in the last minute differs from run to run
				continue
			}
			b.WriteString(m.Key + ": " + shapeOf(m.Value) + ", ")
		}
		return "{" + b.String() + "}"
	default:
		return n.Kind.String()
	}
}

// counts are the members whose keys depend on when they are looked at.
var counts = map[string]bool{"lastMinute": true, "recent": true, "faults": true}
