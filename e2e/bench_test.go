package e2e

import (
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
// 50 ms. One iteration is ten seconds of calls.
func BenchmarkConsole(b *testing.B) {
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
	_, err := browser.Eval[any](p, `(() => {
		window.blocked = 0; window.shown = {};
		new PerformanceObserver((l) => l.getEntries().forEach((e) => { window.blocked += e.duration; })).observe({entryTypes: ['longtask']});
		new MutationObserver(() => {
			const now = performance.timeOrigin + performance.now();
			for (const row of document.querySelectorAll('[data-call]')) window.shown[row.dataset.call] ??= now;
		}).observe(document.body, {subtree: true, childList: true});
		return null;
	})()`)
	require.NoError(b, err)
	for b.Loop() {
		const calls, every = 5_000, 2 * time.Millisecond
		tick := time.NewTicker(every)
		var slowest, total float64
		sampled := map[string]time.Time{}
		for i := range calls {
			<-tick.C
			if id := call(); i%100 == 99 {
				sampled[id] = time.Now()
			}
		}
		tick.Stop()
		time.Sleep(time.Second)
		shown, err := browser.Eval[map[string]float64](p, "window.shown")
		require.NoError(b, err)
		seen := 0
		for id, at := range sampled {
			if then, ok := shown[id]; ok { // at this speed most rows scroll by within one drawing
				late := then - float64(at.UnixMicro())/1000
				slowest, total = max(slowest, late), total+late
				seen++
			}
		}
		require.NotZero(b, seen)
		blocked, err := browser.Eval[float64](p, "window.blocked")
		require.NoError(b, err)
		b.ReportMetric(total/float64(seen), "ms-until-shown")
		b.ReportMetric(slowest, "ms-slowest")
		b.ReportMetric(blocked/10_000*100, "%blocked")
		list, err := s.api.Calls(b.Context(), client.CallQuery{Limit: 1})
		require.NoError(b, err)
		require.Len(b, list.Items, 1)
	}
	b.ReportMetric(0, "ns/op")
}
