// The command screenshots takes the pictures of the console that the docs
// show, from a running demo:
//
//	go run ./e2e/screenshots -control http://127.0.0.1:7400 -out docs/screenshots
package main

import (
	"errors"
	"flag"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sync/errgroup"

	"rapidmimic.example/e2e/browser"
)

// shot is one picture: where, what to wait for, what to do first.
type shot struct {
	name, path, theme string
	wait              string
	prepare           func(*browser.Page) error
}

var shots = []shot{
	{name: "services", path: "/", wait: "document.querySelectorAll('[data-service]').length > 1"},
	{name: "service", path: "/services/moorings", wait: "document.querySelectorAll('[data-operation]').length > 5"},
	{name: "docs", path: "/services/moorings/docs/bookBerth", wait: "document.querySelector('form .cm-content, form textarea')", prepare: sendTest},
	{name: "calls", path: "/calls", wait: "document.querySelectorAll('[data-call]').length > 5", prepare: between},
	{name: "call", path: "/calls?text=bertsh", wait: "document.querySelectorAll('[data-call]').length > 0", prepare: openFirst},
	{name: "memory", path: "/services/moorings/memory", wait: "document.querySelector('main [role=switch]')", prepare: remember},
	{name: "mapping", path: "/services/moorings/mappings/booking-refused", wait: "document.querySelector('.cm-content')"},
	{name: "impairments", path: "/services/moorings/trouble", wait: "document.querySelector('main form')", prepare: impairments},
	{name: "retries", path: "/", wait: "document.querySelector('[data-service]')", prepare: badDay},
	{name: "scenarios", path: "/scenarios?scenario=bad-night", wait: "document.querySelector('[data-changes=tides]')", prepare: situate},
	{name: "lanes", path: "/lanes", theme: "dark", wait: "document.querySelectorAll('[data-lane]').length === 2", prepare: mine},
	{name: "variables", path: "/variables?service=tides", wait: "document.querySelector('[data-seen=gauges]')", prepare: vary},
	{name: "activity", path: "/activity", wait: "document.querySelectorAll('[data-entry]').length > 8", prepare: undone},
	{name: "recording", path: "/services/moorings/recordings", wait: "document.querySelector('main form')", prepare: record},
	{name: "walk", path: "/", wait: "document.querySelector('[data-service]')", prepare: walkThrough},
}

// board is the address of the quay board of a demo.
const board = "http://127.0.0.1:7409/board/"

// impair switches an impairment on over the API of the demo, on whose console the
// page is.
func impair(p *browser.Page, target, document string) error {
	_, err := browser.Eval[any](p, fmt.Sprintf("fetch(%q, {method: 'PUT', body: %q}).then((answer) => answer.ok || Promise.reject(answer.status))", "/api/v1/"+target, document))
	return err
}

// between changes a mapping while calls come, twice, and waits for calls above it.
func between(p *browser.Page) error {
	for _, enabled := range []string{"false", "true"} {
		change := fmt.Sprintf("fetch('/api/v1/services/moorings/mappings/booking-refused', {method: 'PATCH', headers: {'Rapid-Mimic-By': 'mara'}, body: '{\"enabled\": %s}'}).then((answer) => answer.ok || Promise.reject(answer.status))", enabled)
		if _, err := browser.Eval[any](p, change); err != nil {
			return err
		}
		if err := p.Wait("document.querySelector('[data-change]') && document.querySelectorAll('[data-change], [data-call]')[3]?.dataset.change"); err != nil {
			return err
		}
	}
	return nil
}

// impairments makes moorings slow and failing, calls it, and shows how.
func impairments(p *browser.Page) error {
	if err := impair(p, "services/moorings/impairments", `{"latency": {"p50": "80ms", "p99": "400ms"}, "errors": {"rate": "30%", "status": [503, 500]}, "seed": 7}`); err != nil {
		return err
	}
	if err := impair(p, "services/moorings/impairments?operation=bookBerth", `{"limit": {"calls": 2, "per": "1m", "of": "caller"}}`); err != nil {
		return err
	}
	var calls errgroup.Group
	for i := range 80 {
		calls.Go(func() error {
			resp, err := http.Get(fmt.Sprintf("http://127.0.0.1:7401/moorings/berths/N%d", i))
			if err != nil {
				return err
			}
			return resp.Body.Close()
		})
	}
	if err := calls.Wait(); err != nil {
		return err
	}
	if err := p.Wait("document.querySelectorAll('[data-impairment]').length === 2"); err != nil {
		return err
	}
	_, err := browser.Eval[any](p, "new Promise((done) => setTimeout(done, 2500))")
	return err
}

// badDay gives each part of the quay board a trouble of its own, and shows how it took that.
func badDay(p *browser.Page) error {
	for target, document := range map[string]string{
		"tides/impairments?operation=getLevel":      `{"latency": "6s"}`,
		"moorings/impairments?operation=listDues":   `{"errors": {"rate": "100%", "status": 429, "retryAfter": "1h"}}`,
		"customs/impairments":                       `{"connection": "drop"}`,
		"moorings/impairments?operation=listBerths": `{"connection": "cut-body"}`,
		"tides/impairments?operation=listWarnings":  `{"errors": {"rate": "100%", "status": 503}}`,
	} {
		if err := p.Goto("http://127.0.0.1:7400/"); err != nil {
			return err
		}
		if err := impair(p, "services/"+target, document); err != nil {
			return err
		}
	}
	if err := p.Goto(board); err != nil {
		return err
	}
	err := p.Wait("['Gave up', 'Gave up', '429', 'Gave up', 'takes its time'].every((words, i) => " +
		"document.querySelectorAll('.told')[[0, 4, 1, 2, 3][i]].textContent.includes(words))")
	if err == nil {
		err = p.Goto("http://127.0.0.1:7400/retries")
	}
	if err != nil {
		return err
	}
	return p.Wait("document.querySelectorAll('[data-story]').length > 2")
}

// vary gives tides variables of its own, a secret among them, and puts the set of the demo
// in use.
func vary(p *browser.Page) error {
	for target, patch := range map[string]string{
		"services/tides": `{"variables": {"harbour": "Outer Skerry", "gaugeKey": {"secret": true, "value": "hush-hush-quay"}}}`, "variables": `{"variableSet": "drill"}`,
	} {
		if _, err := browser.Eval[any](p, fmt.Sprintf("fetch(%q, {method: 'PATCH', body: %q}).then((answer) => answer.ok || Promise.reject(answer.status))", "/api/v1/"+target, patch)); err != nil {
			return err
		}
	}
	return p.Wait("document.querySelector('[data-seen=gaugeKey]') && document.querySelector('header').innerText.includes('variables: drill')")
}

// undone has somebody remove a service and bring it back, and marks the moment.
func undone(p *browser.Page) error {
	if err := ask(p, `POST /marks {"name": "before the release test"}`, `PATCH /services/moorings {"seed": 7}`, `DELETE /services/tides`); err != nil {
		return err
	}
	if err := p.Wait("document.querySelector('[data-entry]').innerText.includes('removed service tides')"); err != nil {
		return err
	}
	if err := p.Click("[data-entry] [aria-label^=Undo]"); err != nil {
		return err
	}
	return p.Wait("document.querySelector('[data-entry]').innerText.includes('brought back') && document.querySelector('[data-mark]')")
}

func openFirst(p *browser.Page) error {
	if err := p.Click("[data-call]"); err != nil {
		return err
	}
	return p.Wait("document.querySelector('[data-testid=sentence]')")
}

// ask sends requests to the API of the demo, on whose console the page is, one after
// the other: "METHOD /path body".
func ask(p *browser.Page, requests ...string) error {
	for _, request := range requests {
		method, rest, _ := strings.Cut(request, " ")
		path, body, _ := strings.Cut(rest, " ")
		script := fmt.Sprintf("fetch(%q, {method: %q, body: %q || undefined}).then((answer) => answer.ok || Promise.reject(answer.status))", "/api/v1"+path, method, body)
		if _, err := browser.Eval[any](p, script); err != nil {
			return fmt.Errorf("%s: %w", request, err)
		}
	}
	return nil
}

// situate switches a scenario on, and opens lanes under others.
func situate(p *browser.Page) error {
	err := ask(p, `DELETE /impairments?all=true`, `PUT /activations {"scenario": "no-free-berth", "for": "1h"}`,
		`POST /lanes {"name": "night-run", "scenario": "tides-dead", "ttl": "2h"}`, `POST /lanes {"name": "mara", "scenario": "customs-holds"}`,
		`PUT /services/moorings/impairments?lane=mara {"latency": "200ms"}`)
	if err != nil {
		return err
	}
	return p.Wait("document.querySelector('[data-scenario=tides-dead]').innerText.includes('on in lane')")
}

// mine makes one of the lanes that of whoever looks, and calls both.
func mine(p *browser.Page) error {
	for i := range 17 {
		resp, err := http.Get("http://127.0.0.1:7401/@" + []string{"mara", "night-run"}[i%2] + "/moorings/berths")
		if err != nil {
			return err
		}
		if err := resp.Body.Close(); err != nil {
			return err
		}
	}
	if err := p.Press("Make it mine"); err != nil {
		return err
	}
	return p.Wait("document.body.innerText.includes('my lane:') && document.body.innerText.includes('9 calls')")
}

// record starts a recording and waits for some calls.
func record(p *browser.Page) error {
	if err := ask(p, `DELETE /activations`, `DELETE /lanes/mara`, `DELETE /lanes/night-run`, `DELETE /impairments?all=true`); err != nil {
		return err
	}
	if _, err := browser.Eval[any](p, "localStorage.clear()"); err != nil {
		return err
	}
	if err := p.Goto("http://127.0.0.1:7400/services/moorings/recordings"); err != nil {
		return err
	}
	if err := p.Fill("Name of the recording", "booking a berth"); err != nil {
		return err
	}
	if err := p.Press("Start recording"); err != nil {
		return err
	}
	return p.Wait("document.body.innerText.includes('4 calls captured') || document.body.innerText.includes('5 calls captured')")
}

func sendTest(p *browser.Page) error {
	if err := p.Click("form button[type=submit]"); err != nil {
		return err
	}
	return p.Wait("document.querySelector('[role=status] a')")
}

// remember switches the memory of the service on, books a berth twice and shows what it has.
func remember(p *browser.Page) error {
	steps := []error{p.Press("Remember what calls create"), p.Wait("document.querySelector('[data-collection=bookings]')")}
	for range 2 {
		resp, err := http.Post("http://127.0.0.1:7401/moorings/berths/N7/bookings", "application/json", strings.NewReader(
			`{"vessel": {"name": "Grey Gannet", "callSign": "SKQ41", "lengthMetres": 21.3}, "from": "2026-12-01", "until": "2026-12-04"}`))
		if err != nil {
			return err
		}
		steps = append(steps, resp.Body.Close())
	}
	_, err := browser.Eval[any](p, `document.querySelector('[data-collection=bookings] button').click();
		document.querySelector('[data-collection=bookings]').scrollIntoView({ block: 'center' }); null`)
	return errors.Join(append(steps, err, p.Wait("document.querySelector('[data-item]') && document.querySelector('[data-collection=bookings]').innerText.includes('2 items')"))...)
}

// walkThrough begins a walk through boundary values and says something of the first ones.
func walkThrough(p *browser.Page) error {
	call := func() error {
		resp, err := http.Get("http://127.0.0.1:7401/moorings/berths/N13")
		if err != nil {
			return err
		}
		return resp.Body.Close()
	}
	err := ask(p, `POST /walks {"service": "moorings", "mapping": "berth-under-repair", "at": ["$.lengthMetres"], "name": "lengths"}`)
	for i, said := range []string{`{"verdict": "fine"}`, `{"verdict": "note", "text": "the board rounds it"}`, `{"verdict": "defect", "text": "the board shows -1 m"}`} {
		err = errors.Join(err, call(), ask(p, fmt.Sprintf(`PUT /walks/lengths/steps/%d %s`, i+1, said), fmt.Sprintf(`PUT /walks/lengths/position {"to": "%d"}`, i+2)))
	}
	return errors.Join(err, call(), p.Goto("http://127.0.0.1:7400/walks/lengths"), p.Wait("document.querySelector('[data-position=\"4\"]')"),
		p.Wait("Number([...document.querySelectorAll('[data-step=minimum] td')].at(-1).innerText) > 0"))
}

func main() {
	control := flag.String("control", "http://127.0.0.1:7400", "control address of a running demo")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "take only the picture of this name")
	page := flag.String("page", "", "take a picture of this page instead, as page.png")
	theme := flag.String("theme", "light", "of the page")
	press := flag.String("press", "", "the name of a button to press first")
	flag.Parse()
	if *page != "" {
		shots = []shot{{name: "page", path: *page, theme: *theme, wait: "document.querySelector('.cm-content, main table')", prepare: func(p *browser.Page) error {
			if *press == "" {
				return nil
			}
			return p.Press(*press)
		}}}
	}
	if err := takeAll(*control, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// callWhatIsShown makes the calls that the pictures need, whatever the harbour
// office has asked by chance.
func callWhatIsShown() error {
	for _, path := range []string{"/moorings/bertsh/N7", "/moorings/berths?free=perhaps", "/moorings/berths/N13"} {
		resp, err := http.Get("http://127.0.0.1:7401" + path)
		if err != nil {
			return err
		}
		if err := resp.Body.Close(); err != nil {
			return err
		}
	}
	return nil
}

func takeAll(control, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	if err := callWhatIsShown(); err != nil {
		return err
	}
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Close()
	for _, s := range shots {
		if only != "" && s.name != only {
			continue
		}
		if err := take(b, control, filepath.Join(out, s.name+".png"), s); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
	}
	return nil
}

func take(b *browser.Browser, control, file string, s shot) error {
	base, err := url.Parse(control)
	if err != nil {
		return err
	}
	p, err := b.Open(base.String() + "/") // what a page keeps, such as its theme, it can have only on one of ours
	if err != nil {
		return err
	}
	defer p.Close()
	theme := s.theme
	if theme == "" {
		theme = "light"
	}
	if err := p.Theme(theme); err != nil {
		return err
	}
	address := base.String() + s.path
	if strings.HasPrefix(s.path, "http://") {
		address = s.path
	}
	if err := p.Goto(address); err != nil {
		return err
	}
	if err := p.Wait(s.wait); err != nil {
		return err
	}
	if s.prepare != nil {
		if err := s.prepare(p); err != nil {
			return err
		}
	}
	if err := p.Wait("document.fonts.status === 'loaded'"); err != nil {
		return err
	}
	if faults := p.Faults(); len(faults) > 0 {
		return fmt.Errorf("the page complains: %v", faults)
	}
	return p.Screenshot(file)
}
