package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/e2e/browser"
)

// A call is found, looked at and answered otherwise by keys alone.
func TestConsoleByKeys(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.says("GET /moorings/berths/N7")
	p := s.page("/")
	require.NoError(t, p.WaitText("moorings"))
	name := `(document.activeElement.getAttribute('aria-label') || document.activeElement.labels?.[0]?.innerText || document.activeElement.innerText || '').trim()`
	// until presses Tab until something has the focus, never caught on the way
	until := func(condition string) {
		t.Helper()
		seen := []string{}
		for range 120 {
			require.NoError(t, p.Type("\t"))
			there, err := browser.Eval[bool](p, condition)
			require.NoError(t, err)
			if there {
				return
			}
			on, err := browser.Eval[string](p, name)
			require.NoError(t, err)
			seen = append(seen, on)
		}
		t.Fatalf("%s is not reached by Tab: %q", condition, seen)
	}
	tab := func(words string) {
		t.Helper()
		until(fmt.Sprintf("%s === %q", name, words))
	}
	tab("moorings")
	must(t, p.Type("\r"), p.Wait("location.pathname === '/services/moorings'"))
	until(`document.activeElement.matches('a[href="/services/moorings/calls"]')`)
	must(t, p.Type("\r"), p.Wait("location.pathname === '/services/moorings/calls'"), p.Wait("document.querySelector('[data-call]')"))
	until("document.activeElement.matches('[data-call]')")
	must(t, p.Type("\r"), p.WaitText("Answered by the contract"), p.Type("w"), p.Wait("location.search.includes('wide=yes')"), p.Type("w"))

	// the lines of a body, by arrows
	tab("Body of answer")
	must(t, p.Type(browser.Down), p.Type(browser.Down), p.Wait("document.querySelector('[role=treeitem][aria-selected=true]')?.innerText.includes('number')"), p.WaitText("$.number"))
	tab("Pin it")
	must(t, p.Type("\r"), p.WaitText("Value from now on"), p.Type(browser.Escape), p.Wait("!document.querySelector('[role=dialog]')"))
	must(t, p.Wait(name+" === 'Pin it'")) // the focus is back where it was

	// outside of fields m makes a mapping of the call
	must(t, p.Type("m"), p.WaitText("When a call looks like this"))
	tab("Status")
	must(t, p.SelectAll(), p.Type("418"), p.WaitText("a Teapot"))
	tab("Save the new mapping")
	must(t, p.Type("\r"), p.WaitText("is saved and live on the next call"))
	assert.Regexp(t, "^418", s.says("GET /moorings/berths/N7"))
}

// In a small window, and at twice the size on a usual one, nothing is cut off sideways.
func TestConsoleInSmallWindows(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.says("GET /moorings/berths/N7")
	s.impair("moorings", `{ latency: 1ms }`)
	p := s.page("/")
	for _, size := range [][2]int64{{800, 600}, {640, 400}} {
		require.NoError(t, p.Size(size[0], size[1]))
		for path, wait := range map[string]string{
			"/":                                 "[data-service]",
			"/services/moorings":                "[data-operation]",
			"/services/moorings/trouble":        "[data-impairment]",
			"/services/moorings/contract":       "[data-revision]",
			"/services/moorings/settings":       "main form",
			"/services/moorings/mappings":       ".cm-content",
			"/services/moorings/docs/bookBerth": "form textarea",
			"/calls?call=c-1":                   "[data-testid=sentence]",
			"/calls?call=c-1&with=now&wide=yes": "[data-testid=sentence]",
			"/scenarios":                        "[data-scenario]",
			"/activity":                         "[data-entry]",
			"/variables":                        "main",
		} {
			must(t, p.Visit(path), p.Wait(fmt.Sprintf("document.querySelector(%q)", wait)))
			wide, err := browser.Eval[string](p, `(() => {
				const out = [...document.querySelectorAll('main button, main a, main input:not([aria-hidden]), main select, header button')].filter((e) => {
					const box = e.getBoundingClientRect();
					if (box.width === 0 || (box.right <= innerWidth + 1 && box.left >= -1)) return false;
					for (let up = e.parentElement; up; up = up.parentElement) if (/auto|scroll/.test(getComputedStyle(up).overflowX) && up.scrollWidth > up.clientWidth) return false;
					return true;
				});
				return out.slice(0, 3).map((e) => (e.getAttribute('aria-label') || e.innerText || e.outerHTML).slice(0, 80)).join(' | ');
			})()`)
			require.NoError(t, err)
			assert.Empty(t, wide, "%s at %v", path, size)
		}
		must(t, p.Visit("/calls"), p.Wait("[...document.querySelectorAll('[data-call] [role=cell]')].some((e) => e.innerText.includes('/moorings/berths/N7') && e.getBoundingClientRect().width > 150)"))
		must(t, p.Wait(`(() => { const box = [...document.querySelectorAll('header button')].find((b) => b.innerText === 'Stop all')?.getBoundingClientRect(); return !!box && document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2)?.innerText === 'Stop all'; })()`))
	}
}
