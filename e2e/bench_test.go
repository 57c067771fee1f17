package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/e2e/browser"
)

// BenchmarkConsole measures an open calls page that already holds its ten
// thousand calls, at 500 calls a second: how long a call takes until it shows,
// and how much of the time the page's main thread is blocked by tasks over
// 50 ms, and how busy the page is. One iteration is a minute of calls for the list, and 15 seconds for what is drawn.
func BenchmarkConsole(b *testing.B) {
	for name, view := range map[string]struct {
		path    string
		seconds int
	}{"list": {"/calls", 60}, "flow": {"/calls?group=flow", 15}, "points": {"/calls?group=scatter", 15}} {
		b.Run(name, func(b *testing.B) {
			s := startDemo(b)
			office := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 4}}
			defer office.CloseIdleConnections()
			call := func() string {
				resp, err := office.Get(s.traffic + "/moorings/berths/N7")
				require.NoError(b, err)
				_, _ = io.Copy(io.Discard, resp.Body)
				require.NoError(b, resp.Body.Close())
				var id string
				_, err = fmt.Sscanf(resp.Header.Get("Rapid-Mimic"), "call=%s", &id)
				require.NoError(b, err)
				return id[:len(id)-1]
			}
			p := s.page("/calls")
			require.NoError(b, p.WaitText("No call was received yet"))
			for range 10_000 {
				call()
			}
			require.NoError(b, p.WaitText("10,000 calls"))
			require.NoError(b, p.Goto(s.control+view.path))
			require.NoError(b, p.WaitText("10,000 calls"))
			_, err := browser.Eval[any](p, `(() => {
				window.blocked = 0; window.tasks = 0; window.shown = {};
				new PerformanceObserver((l) => l.getEntries().forEach((e) => { window.blocked += e.duration; window.tasks++; })).observe({entryTypes: ['longtask']});
				new MutationObserver(() => {
					const now = performance.timeOrigin + performance.now();
					for (const row of document.querySelectorAll('[data-call]')) window.shown[row.dataset.call] ??= now;
				}).observe(document.body, {subtree: true, childList: true, attributes: true, attributeFilter: ['data-call']});
				return null;
			})()`)
			require.NoError(b, err)
			for b.Loop() {
				watched := p.Busy()
				begun := time.Now()
				sampled := map[string]time.Time{}
				tick := time.NewTicker(2 * time.Millisecond)
				for i := range view.seconds * 500 {
					<-tick.C
					if id := call(); i%100 == 99 {
						sampled[id] = time.Now()
					}
				}
				tick.Stop()
				took := time.Since(begun)
				busy := p.Busy() - watched
				time.Sleep(time.Second)
				if name == "list" { // the other views have no rows that could be watched
					reportShown(b, p, sampled)
				}
				tasks, err := browser.Eval[float64](p, "window.tasks")
				require.NoError(b, err)
				b.ReportMetric(busy.Seconds()/took.Seconds()*100, "%busy")
				b.ReportMetric(tasks/took.Seconds()*10, "long-tasks/10s")
				list, err := s.api.Calls(b.Context(), client.CallQuery{Limit: 1})
				require.NoError(b, err)
				require.Len(b, list.Items, 1)
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}

// reportShown tells how long calls took until the page had them.
func reportShown(b *testing.B, p *browser.Page, sampled map[string]time.Time) {
	shown, err := browser.Eval[map[string]float64](p, "window.shown")
	require.NoError(b, err)
	seen := 0
	var slowest, total float64
	for id, at := range sampled {
		if then, ok := shown[id]; ok { // at this speed most rows scroll by within one drawing
			late := then - float64(at.UnixMicro())/1000
			slowest, total = max(slowest, late), total+late
			seen++
		}
	}
	require.NotZero(b, seen)
	b.ReportMetric(total/float64(seen), "ms-until-shown")
	b.ReportMetric(slowest, "ms-slowest")
}

// BenchmarkManyOperations measures the room of what a service answers with a contract of 1,224 operations: the list as
// the API gives it, when the page is first drawn, and how many nodes it has.
func BenchmarkManyOperations(b *testing.B) {
	s := startDemo(b)
	_, err := s.api.Import(b.Context(), client.Import{File: "many.json", Text: manyOperations(b, 612)})
	require.NoError(b, err)
	b.Run("list", func(b *testing.B) {
		for b.Loop() {
			_, err := s.api.Operations(b.Context(), "many")
			require.NoError(b, err)
		}
	})
	b.Run("page", func(b *testing.B) {
		p := s.page("/calls")
		for b.Loop() {
			require.NoError(b, p.Goto(s.control+"/services/many"))
			require.NoError(b, p.Wait("document.querySelectorAll('[data-operation]').length > 10"))
			shown, err := browser.Eval[float64](p, "performance.now()")
			require.NoError(b, err)
			nodes, err := browser.Eval[float64](p, "document.querySelectorAll('*').length")
			require.NoError(b, err)
			b.ReportMetric(shown, "ms-until-shown")
			b.ReportMetric(nodes, "nodes")
		}
	})
}

// manyOperations is a contract with a number of paths, two operations each.
func manyOperations(tb testing.TB, paths int) []byte {
	tb.Helper()
	type object = map[string]any
	all := object{}
	for i := range paths {
		operation := func(method string) object {
			return object{"tags": []string{fmt.Sprint("area ", i%37)}, "operationId": fmt.Sprint(method, "Thing", i), "responses": object{"200": object{"description": "ok",
				"content": object{"application/json": object{"schema": object{"type": "object", "properties": object{"number": object{"type": "string"}, "state": object{"enum": []string{"free", "taken"}}}}}}}}}
		}
		all[fmt.Sprintf("/areas/%d/things/%d", i%37, i)] = object{"get": operation("get"), "put": operation("put")}
	}
	text, err := json.Marshal(object{"openapi": "3.0.3", "info": object{"title": "Many", "version": "1"}, "paths": all})
	require.NoError(tb, err)
	return text
}
