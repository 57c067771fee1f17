// The command screenshots takes the pictures of the console that the docs
// show, from a running demo:
//
//	go run ./e2e/screenshots -control http://127.0.0.1:7400 -out docs/screenshots
package main

import (
	"flag"
	"fmt"
	"net/url"
	"os"
	"path/filepath"

	"rapidmimic/e2e/browser"
)

// shot is one picture: where, what to wait for, what to do first.
type shot struct {
	name, path, theme string
	wait              string
	prepare           func(*browser.Page) error
}

var shots = []shot{
	{name: "services", path: "/", wait: "document.querySelectorAll('[data-service]').length > 1"},
	{name: "services-dark", path: "/", theme: "dark", wait: "document.querySelectorAll('[data-service]').length > 1"},
	{name: "service", path: "/services/moorings", wait: "document.querySelectorAll('[data-operation]').length > 5"},
	{name: "service-soap", path: "/services/customs", wait: "document.querySelectorAll('[data-operation]').length > 3"},
	{name: "docs", path: "/services/moorings/docs/bookBerth", wait: "document.querySelector('form .cm-content, form textarea')", prepare: sendTest},
	{name: "docs-dark", path: "/services/moorings/docs/getBerth", theme: "dark", wait: "document.querySelector('form .cm-content, form textarea')"},
	{name: "soap", path: "/services/customs/docs/submitManifest", wait: "document.querySelector('form .cm-content, form textarea')", prepare: sendTest},
	{name: "calls", path: "/calls", wait: "document.querySelectorAll('[data-call]').length > 5"},
	{name: "call", path: "/calls?text=bertsh", wait: "document.querySelectorAll('[data-call]').length > 0", prepare: openFirst},
	{name: "call-dark", path: "/calls?text=deviates", theme: "dark", wait: "document.querySelectorAll('[data-call]').length > 0", prepare: openFirst},
	{name: "mapping", path: "/services/moorings/mappings/booking-refused", wait: "document.querySelector('.cm-content')"},
	{name: "mapping-document", path: "/services/moorings/mappings/berth-under-repair?view=document", wait: "document.querySelector('.cm-content')", prepare: tryFirst},
	{name: "recording", path: "/services/moorings", wait: "document.querySelector('[data-mapping]')", prepare: record},
	{name: "mapping-dark", path: "/services/moorings/mappings/booking-refused", theme: "dark", wait: "document.querySelector('.cm-content')"},
}

func openFirst(p *browser.Page) error {
	if err := p.Click("[data-call]"); err != nil {
		return err
	}
	return p.Wait("document.querySelector('[data-testid=sentence]')")
}

// tryFirst shows what the first call that the mapping answers would get.
func tryFirst(p *browser.Page) error {
	if err := p.Wait("document.body.innerText.includes('answers it')"); err != nil {
		return err
	}
	if err := p.Press("GET /berths/N13"); err != nil {
		return err
	}
	return p.Wait("document.body.innerText.includes('Answered by mapping')")
}

// record starts a recording and waits for some calls.
func record(p *browser.Page) error {
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

func takeAll(control, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
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
	p, err := b.Open(base.String() + "/healthz")
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
	if err := p.Goto(base.String() + s.path); err != nil {
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
