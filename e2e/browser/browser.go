// Package browser drives the console in headless Chromium, for the tests and
// for the screenshots in the docs. It finds things as a person does: by the
// words on them.
package browser

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/performance"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Keys that are no letters, for Type.
const (
	Down   = kb.ArrowDown
	Escape = kb.Escape
)

// Browser is one Chromium. Pages in it share nothing.
type Browser struct {
	ctx    context.Context
	cancel context.CancelFunc
}

// Find returns the path of Chromium, an error when there is none. The one that has no windows at all
// takes two thirds of the time of the others, but draws in software: figures of a page are those of the one that
// CHROMIUM names.
func Find() (string, error) {
	if name := os.Getenv("CHROMIUM"); name != "" {
		return exec.LookPath(name)
	}
	for _, name := range []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"} {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", errors.New("chromium is not installed (Debian's package is called chromium-headless-shell)")
}

// Start starts Chromium. It reaches loopback only.
func Start() (*Browser, error) { return start() }

// StartThrough starts Chromium with a proxy, host:port, for all but loopback. It
// takes certificates of the authority whose public key has this digest: SHA-256
// in base64.
func StartThrough(proxy, authority string) (*Browser, error) {
	return start(chromedp.Flag("proxy-server", proxy), chromedp.Flag("ignore-certificate-errors-spki-list", authority))
}

func start(more ...chromedp.ExecAllocatorOption) (*Browser, error) {
	path, err := Find()
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.DisableGPU, chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-domain-reliability", true),
		chromedp.Flag("no-pings", true), chromedp.Flag("font-render-hinting", "none"), chromedp.Flag("lang", "en-US"),
		chromedp.Flag("proxy-server", "direct://"), chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND , EXCLUDE 127.0.0.1"),
	)
	options = append(options, more...)
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, cancel := chromedp.NewContext(allocator)
	b := &Browser{ctx: ctx, cancel: func() { cancel(); stop() }}
	if err := chromedp.Do(ctx); err != nil { // the first Do owns the browser: no time limit
		b.cancel()
		return nil, fmt.Errorf("start chromium: %w", err)
	}
	return b, nil
}

// Close ends Chromium.
func (b *Browser) Close() { b.cancel() }

// Page is one page with cookies and storage of its own.
type Page struct {
	ctx    context.Context
	cancel context.CancelFunc

	mu     sync.Mutex // guards faults
	faults []string
}

// stepTime bounds every single step on a page.
const stepTime = 30 * time.Second

// Open opens a page at an address.
func (b *Browser) Open(url string) (*Page, error) {
	p := &Page{}
	p.ctx, p.cancel = chromedp.NewContext(b.ctx, chromedp.WithNewBrowserContext(), chromedp.WithListener(p.listen))
	if err := chromedp.Do(p.ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		p.cancel()
		return nil, fmt.Errorf("open page: %w", err)
	}
	return p, p.Goto(url)
}

// listen collects what the page complains about: exceptions, console errors
// and breaches of its content security policy.
func (p *Page) listen(event any) {
	var text string
	switch e := event.(type) {
	case *runtime.EventExceptionThrown:
		text = fmt.Sprintf("exception: %+v", e.ExceptionDetails)
	case *runtime.EventConsoleAPICalled:
		if e.Type != "error" {
			return
		}
		raw, _ := json.Marshal(e.Args)
		text = "console: " + string(raw)
	default:
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.faults = append(p.faults, text)
}

// Faults are the errors that the page logged so far.
func (p *Page) Faults() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.faults...)
}

// Close closes the page.
func (p *Page) Close() { p.cancel() }

func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, stepTime)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Goto loads another address.
func (p *Page) Goto(url string) error { return p.do(chromedp.Navigate(url)) }

// Visit goes to a path of the console as its links do, which takes a fraction of what Goto takes.
func (p *Page) Visit(path string) error {
	_, err := Eval[any](p, fmt.Sprintf("history.pushState(null, '', %s), new Promise((drawn) => setTimeout(drawn, 20))", quote(path)))
	return err
}

// Eval runs JavaScript on the page and reads its JSON value into a T.
func Eval[T any](p *Page, script string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, stepTime)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](script, chromedp.EvalAwaitPromise))
}

// Wait waits until a JavaScript condition holds.
func (p *Page) Wait(condition string) error {
	for pause, deadline := 10*time.Millisecond, time.Now().Add(stepTime); ; pause = min(pause*3/2, 100*time.Millisecond) {
		ok, err := Eval[bool](p, "!!("+condition+")")
		if err == nil && ok {
			return nil
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("%s did not become true (last error: %v); the page says:\n%s", condition, err, p.text())
		}
		time.Sleep(pause)
	}
}

// WaitText waits until the page shows a text, below the state strip: that says of
// the whole environment what a page may be about to say of its own.
func (p *Page) WaitText(text string) error {
	return p.Wait(fmt.Sprintf("[...document.body.querySelectorAll('#root > * > *:not(header), body > *:not(#root)')].some((e) => e.innerText?.includes(%s))", quote(text)))
}

// WaitStrip waits until the state strip shows a text.
func (p *Page) WaitStrip(text string) error {
	return p.Wait(fmt.Sprintf("document.querySelector('header').innerText.includes(%s)", quote(text)))
}

// named finds the last thing that can be pressed with these words on it.
const named = `((words) => {
  const all = [...document.querySelectorAll('button, a, [role=switch], [role=tab], [role=menuitemcheckbox], input[type=radio]')];
  const name = (e) => (e.getAttribute('aria-label') || (e.labels && e.labels[0] && e.labels[0].innerText) || e.innerText || '').trim();
  return all.filter((e) => name(e) === words && !e.disabled).pop();
})(%s)`

// aim brings what a script finds into view and gives where to click it, once it stands still and
// nothing covers it; null until then. From then on the page watches whether a click reaches it.
const aim = `(async () => {
  const found = %s;
  if (!found) return null;
  found.scrollIntoViewIfNeeded();
  const at = () => { const b = found.getBoundingClientRect(); return [b.left, b.top, b.width, b.height]; };
  const before = at();
  await new Promise((later) => setTimeout(later, 20));
  const [left, top, width, height] = at();
  if (String(before) !== String(at()) || width * height === 0) return null;
  const [x, y] = [left + width / 2, top + height / 2];
  const whole = [found, ...(found.labels ?? [])];
  const over = document.elementFromPoint(x, y);
  if (!whole.some((e) => e.contains(over))) {
    found.scrollIntoView({ block: 'center' });
    return null;
  }
  const kind = found.ariaHasPopup === 'menu' ? 'pointerdown' : 'click';
  window.unwatch?.();
  window.reached = false;
  const watch = (event) => { window.reached ||= whole.some((e) => e.contains(event.target)); };
  window.unwatch = () => document.removeEventListener(kind, watch, true);
  document.addEventListener(kind, watch, true);
  return { x, y };
})()`

// press clicks what a script finds, with the mouse. It looks again when the page was drawn anew
// between finding and clicking.
func (p *Page) press(found string) error {
	for deadline := time.Now().Add(stepTime); ; time.Sleep(15 * time.Millisecond) {
		place, err := Eval[*struct{ X, Y float64 }](p, fmt.Sprintf(aim, found))
		if err == nil && place != nil {
			if err := p.do(chromedp.MouseClickXY(place.X, place.Y)); err != nil {
				return err
			}
			if reached, err := Eval[bool](p, "window.reached !== false"); err == nil && reached { // undefined where the click led to another page
				return nil
			}
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("%s cannot be clicked (last error: %v); the page says:\n%s", found, err, p.text())
		}
	}
}

// Press clicks the button or link with these words.
func (p *Page) Press(words string) error { return p.press(fmt.Sprintf(named, quote(words))) }

// Click clicks the first thing that a CSS selector finds.
func (p *Page) Click(selector string) error {
	return p.press(fmt.Sprintf("document.querySelector(%s)", quote(selector)))
}

// Dismiss puts the notices away, so that what is waited for next is a new one.
func (p *Page) Dismiss() error {
	return p.Wait("document.querySelectorAll('[aria-label=Dismiss]').forEach((b) => b.click()), !document.querySelector('[aria-label=Dismiss]')")
}

// text is the beginning of what the page says.
func (p *Page) text() string {
	text, _ := Eval[string](p, "document.body.innerText.slice(0, 2000)")
	return text
}

// Fill replaces the text of the input with a label.
func (p *Page) Fill(label, text string) error {
	script := fmt.Sprintf(`(() => {
	  const words = %s;
	  const found = [...document.querySelectorAll('input, textarea')].find((e) =>
	    e.getAttribute('aria-label') === words || (e.labels && e.labels[0] && e.labels[0].innerText.trim() === words));
	  if (!found) return false;
	  found.focus();
	  found.select();
	  return true;
	})()`, quote(label))
	if err := p.Wait(script); err != nil {
		return fmt.Errorf("find the input %q: %w", label, err)
	}
	return p.Type(text)
}

// Choose chooses a value in the select with a label.
func (p *Page) Choose(label, value string) error {
	return p.Wait(fmt.Sprintf(`(() => {
	  const words = %s;
	  const found = [...document.querySelectorAll('select')].find((e) =>
	    e.getAttribute('aria-label') === words || (e.labels && e.labels[0] && e.labels[0].textContent.trim() === words));
	  if (!found || ![...found.options].some((o) => o.value === %s)) return false;
	  Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(found, %s);
	  found.dispatchEvent(new Event('change', {bubbles: true}));
	  return true;
	})()`, quote(label), quote(value), quote(value)))
}

// Type types into whatever has the focus. A field takes a long text as if it were pasted. An editor
// takes so all but the last characters, which go key by key, since it follows the keys.
func (p *Page) Type(text string) error {
	const short = 12
	if len(text) > short {
		pasted, err := Eval[bool](p, fmt.Sprintf("!document.activeElement.isContentEditable && document.execCommand('insertText', false, %s)", quote(text)))
		if err != nil || pasted {
			return err
		}
	}
	if len(text) > 2*short && !strings.ContainsAny(text, "\r\n\b") {
		pasted := text[:len(text)-short]
		text = text[len(pasted):]
		if _, err := chromedp.Call(p.ctx, input.InsertText, input.InsertTextParams{Text: pasted}); err != nil {
			return err
		}
	}
	return p.do(chromedp.KeyEvent(text))
}

// SelectAll selects the whole text of what has the focus.
func (p *Page) SelectAll() error {
	return p.do(chromedp.KeyEvent("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
}

// Upload chooses a file in a file input.
func (p *Page) Upload(selector, file string) error {
	return p.do(chromedp.SetUploadFiles(chromedp.CSS(selector), []string{file}, chromedp.NodeReady))
}

// Theme switches the console's theme: "light" or "dark".
func (p *Page) Theme(theme string) error {
	_, err := Eval[string](p, fmt.Sprintf("localStorage.setItem('theme', %[1]s), document.documentElement.dataset.theme = %[1]s", quote(theme)))
	return err
}

// Size sets the size of the window.
func (p *Page) Size(width, height int64) error { return p.do(chromedp.EmulateViewport(width, height)) }

// Busy is how long the page has worked so far: scripts, styles, layout and painting.
func (p *Page) Busy() time.Duration {
	if _, err := chromedp.Call(p.ctx, performance.Enable, performance.EnableParams{}); err != nil {
		return 0
	}
	told, err := chromedp.Call(p.ctx, performance.GetMetrics, cdp.Empty{})
	if err != nil {
		return 0
	}
	for _, metric := range told.Metrics {
		if metric.Name == "TaskDuration" {
			return time.Duration(metric.Value * float64(time.Second))
		}
	}
	return 0
}

// Screenshot writes what the window shows to a PNG file.
func (p *Page) Screenshot(file string) error {
	ctx, cancel := context.WithTimeout(p.ctx, stepTime)
	defer cancel()
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return fmt.Errorf("take screenshot: %w", err)
	}
	return os.WriteFile(file, picture, 0o644)
}

func quote(s string) string {
	text, _ := json.Marshal(s) // strings always marshal
	return strings.ReplaceAll(string(text), "\u2028", "\\u2028")
}
