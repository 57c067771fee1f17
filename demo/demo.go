// Package demo is the port of Skerry Sound: three made-up contracts, a few
// mappings, a harbour office that calls them, and stand-ins for the real
// services behind them. It sets itself up over the control API like any other
// user.
package demo

import (
	"archive/zip"
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"strings"
	"time"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/problem"
)

//go:embed data
var data embed.FS

// Services are the names of the demo's services.
func Services() []string { return []string{"moorings", "tides", "customs"} }

// File returns one of the demo's files: moorings.yaml, tides.mappings.yaml …
func File(name string) ([]byte, error) { return data.ReadFile("data/" + name) }

// SetUp imports the contracts and puts the variables, mappings and scenarios. Services that are there
// already, from an earlier run on the same data, are left as they are.
func SetUp(ctx context.Context, api *client.Client) error {
	if err := setUpVariables(ctx, api); err != nil {
		return err
	}
	for _, service := range Services() {
		contract, file, err := contractOf(service)
		if err != nil {
			return err
		}
		_, err = api.Import(ctx, client.Import{Text: contract, File: file, Name: service})
		var known *problem.Error
		if errors.As(err, &known) && known.Code == problem.Exists {
			continue
		}
		if err != nil {
			return fmt.Errorf("import %s: %w", service, err)
		}
		mappings, err := File(service + ".mappings.yaml")
		if err != nil {
			return err
		}
		if _, err := api.PutMappings(ctx, service, mappings); err != nil {
			return fmt.Errorf("put mappings of %s: %w", service, err)
		}
	}
	return setUpScenarios(ctx, api)
}

// setUpVariables sets the variables, unless there are some already.
func setUpVariables(ctx context.Context, api *client.Client) error {
	have, err := api.Variables(ctx)
	if err != nil || len(have.Resolved)+len(have.Sets) > 0 {
		return err
	}
	variables, err := File("variables.yaml")
	if err != nil {
		return err
	}
	if _, err := api.PutVariables(ctx, variables, have.ETag); err != nil {
		return fmt.Errorf("set variables: %w", err)
	}
	return nil
}

// setUpScenarios puts the scenarios, unless there are some already.
func setUpScenarios(ctx context.Context, api *client.Client) error {
	have, err := api.Scenarios(ctx)
	if err != nil || len(have) > 0 {
		return err
	}
	scenarios, err := File("scenarios.yaml")
	if err != nil {
		return err
	}
	if _, err := api.PutScenarios(ctx, scenarios); err != nil {
		return fmt.Errorf("put scenarios: %w", err)
	}
	return nil
}

// contractOf is the contract of a service: one document, or the archive of a
// folder.
func contractOf(service string) (text []byte, file string, err error) {
	if text, err = File(service + ".yaml"); err == nil {
		return text, service + ".yaml", nil
	}
	folder, err := fs.Sub(data, "data/"+service)
	if err != nil {
		return nil, "", err
	}
	var archive bytes.Buffer
	w := zip.NewWriter(&archive)
	if err := w.AddFS(folder); err != nil {
		return nil, "", fmt.Errorf("pack %s: %w", service, err)
	}
	if err := w.Close(); err != nil {
		return nil, "", fmt.Errorf("pack %s: %w", service, err)
	}
	return archive.Bytes(), service + ".zip", nil
}

// request is something the harbour office asks for. Weight is how often.
type request struct {
	method, path, body string
	weight             int
}

// requests is the day of the office. The last ones are what a program in the
// making gets wrong.
var requests = []request{
	{"GET", "/moorings/berths?free=true&pier=north", "", 8},
	{"GET", "/moorings/berths/N7", "", 10},
	{"GET", "/moorings/berths/N13", "", 3},
	{"GET", "/moorings/berths/S4/bookings?from=2026-12-01", "", 4},
	{"POST", "/moorings/berths/N7/bookings", `{"vessel":{"name":"Grey Gannet","callSign":"SKQ41","lengthMetres":21.3},"from":"2026-12-01","until":"2026-12-04"}`, 4},
	{"POST", "/moorings/berths/W1/bookings", `{"vessel":{"name":"Swift Tern","callSign":"SKT12","lengthMetres":12},"from":"2026-12-02","until":"2026-12-03"}`, 2},
	{"GET", "/moorings/bookings/B-2041", "", 4},
	{"PUT", "/moorings/bookings/B-2041", `{"vessel":{"name":"Grey Gannet","callSign":"SKQ41","lengthMetres":21.3},"from":"2026-12-02","until":"2026-12-05"}`, 1},
	{"DELETE", "/moorings/bookings/B-2042", "", 1},
	{"PATCH", "/moorings/berths/N9", `{"state":"closed","remark":"Loose cleat"}`, 1},
	{"GET", "/moorings/dues?state=open", "", 3},
	{"GET", "/tides/stations", "", 2},
	{"GET", "/tides/stations/inner-quay/tides?date=2026-12-01", "", 6},
	{"GET", "/tides/stations/lamp-skerry/level", "", 8},
	{"GET", "/tides/warnings?severity=danger", "", 3},
	{"GET", "/tides/notice", "", 1},
	{"POST", "/tides/warnings", `{"id":"4c1be7d2-50a1-4c68-9f0e-8f3c5b7a9d10","severity":"notice","text":"Fog in the outer roads.","areas":["outer roads"],"from":"2026-12-01T06:00:00Z"}`, 1},

	{"POST", "/customs/Desk", message("1.1", `<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance>`), 5},
	{"POST", "/customs/Desk12", message("1.2", `<listHolds xmlns="https://customs.skerry-sound.example/cargo"><pier>north</pier></listHolds>`), 3},
	{"POST", "/customs", message("1.1", `<submitManifest xmlns="https://customs.skerry-sound.example/cargo"><vessel><name>Grey Gannet</name><callSign>SKQ41</callSign></vessel>`+
		`<arrival>2026-12-01T06:30:00Z</arrival><cargo line="1"><kind>fish</kind><description>Herring in boxes</description><pieces>40</pieces><weight>820.5</weight></cargo></submitManifest>`), 3},
	{"POST", "/customs", message("1.2", `<cancelManifest xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2042-SK</manifest><reason>Voyage called off</reason></cancelManifest>`), 1},

	{"POST", "/customs/Desk", message("1.1", `<askClearence xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearence>`), 1},
	{"POST", "/customs/Desk", message("1.1", `<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>2041</manifest></askClearance>`), 1},
	{"GET", "/moorings/bertsh/N7", "", 2},
	{"POST", "/moorings/berths/N7/bookings", `{"vessel":{"name":"Bold Curlew","lengthMetres":"19"},"from":"tomorrow","until":"2026-12-04"}`, 2},
	{"GET", "/moorings/berths?free=perhaps", "", 2},
	{"POST", "/moorings/bookings/B-2041", `{}`, 1},
	{"GET", "/tides/station/inner-quay/level", "", 1},
	{"GET", "/moring/berths", "", 1},
}

// message is a SOAP message of a version.
func message(version, body string) string {
	space := map[string]string{"1.1": "http://schemas.xmlsoap.org/soap/envelope/", "1.2": "http://www.w3.org/2003/05/soap-envelope"}[version]
	return `<?xml version="1.0" encoding="UTF-8"?><soap:Envelope xmlns:soap="` + space + `"><soap:Body>` + body + `</soap:Body></soap:Envelope>`
}

// pause is the mean time between two calls.
const pause = 700 * time.Millisecond

// Call calls the services at a traffic address until ctx ends, like an office
// at work: in small bursts with pauses between.
func Call(ctx context.Context, traffic string) {
	office := &http.Client{Timeout: 10 * time.Second}
	defer office.CloseIdleConnections()
	chance := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	total := 0
	for _, r := range requests {
		total += r.weight
	}
	for {
		r := drawRequest(chance.IntN(total))
		send(ctx, office, traffic, r)
		wait := time.Duration((0.2 + 1.6*chance.Float64()) * float64(pause))
		if chance.IntN(4) == 0 {
			wait /= 8
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
	}
}

func drawRequest(at int) request {
	for _, r := range requests {
		if at -= r.weight; at < 0 {
			return r
		}
	}
	return requests[0]
}

// send makes one call. What comes back does not matter: the office's screen is
// not shown here.
func send(ctx context.Context, office *http.Client, traffic string, r request) {
	req, err := http.NewRequestWithContext(ctx, r.method, traffic+r.path, strings.NewReader(r.body))
	if err != nil {
		return
	}
	req.Header.Set("User-Agent", "skerry-office/1.4")
	req.Header.Set("Authorization", "Bearer harbour-office-key")
	switch {
	case strings.Contains(r.body, "http://schemas.xmlsoap.org/soap/envelope/"):
		req.Header.Set("Content-Type", "text/xml; charset=utf-8")
		req.Header.Set("SOAPAction", `""`)
	case strings.Contains(r.body, "http://www.w3.org/2003/05/soap-envelope"):
		req.Header.Set("Content-Type", "application/soap+xml; charset=utf-8")
	case r.body != "":
		req.Header.Set("Content-Type", "application/json")
		fallthrough
	default:
		req.Header.Set("Accept", "application/json")
	}
	resp, err := office.Do(req)
	if err != nil {
		return
	}
	_, _ = io.Copy(io.Discard, resp.Body)
	_ = resp.Body.Close()
}
