package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// BenchmarkRelay compares relayed and recorded calls with those that go through
// the standard library's reverse proxy, both to one upstream, by turns of a
// second from 32 callers. The metric is the median of the rounds.
func BenchmarkRelay(b *testing.B) {
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.WriteString(w, `{"number":"N7","pier":"north","lengthMetres":24.5,"state":"free"}`)
	}))
	defer upstream.Close()
	target, err := url.Parse(upstream.URL)
	require.NoError(b, err)
	plain := httputil.NewSingleHostReverseProxy(target)
	plain.Transport = &http.Transport{MaxIdleConnsPerHost: 100}
	reverse := httptest.NewServer(plain)
	defer reverse.Close()
	s := start(b, config.Config{})
	document := spec.NewService("office")
	document.Upstream = upstream.URL
	_, err = s.api.PutService(b.Context(), "office", document, "")
	require.NoError(b, err)
	_, err = s.api.StartRecording(b.Context(), "office", api.RecordingStart{Name: "load"})
	require.NoError(b, err)
	for b.Loop() {
		var ratios, ours, theirs []float64
		for range 5 {
			t := callsPerSecond(b, reverse.URL+"/berths/N7")
			o := callsPerSecond(b, s.traffic+"/office/berths/N7")
			ours, theirs, ratios = append(ours, o), append(theirs, t), append(ratios, o/t)
		}
		for _, all := range [][]float64{ratios, ours, theirs} {
			slices.Sort(all)
		}
		b.ReportMetric(ratios[2], "ratio")
		b.ReportMetric(ours[2], "relayed/s")
		b.ReportMetric(theirs[2], "reverse-proxy/s")
	}
	status, err := s.api.Status(b.Context())
	require.NoError(b, err)
	b.ReportMetric(float64(status.CallsNotKept), "not-kept")
}

func callsPerSecond(b *testing.B, address string) float64 {
	const callers, turn = 32, time.Second
	transport := &http.Transport{MaxIdleConnsPerHost: callers}
	defer transport.CloseIdleConnections()
	var done atomic.Int64
	var all sync.WaitGroup
	end := time.Now().Add(turn)
	for range callers {
		all.Go(func() {
			for time.Now().Before(end) {
				req, err := http.NewRequest(http.MethodGet, address, nil)
				if err != nil {
					b.Error(err)
					return
				}
				resp, err := transport.RoundTrip(req)
				if err != nil {
					b.Error(err)
					return
				}
				_, _ = io.Copy(io.Discard, resp.Body)
				_ = resp.Body.Close()
				done.Add(1)
			}
		})
	}
	all.Wait()
	return float64(done.Load()) / turn.Seconds()
}

// BenchmarkRelayLarge sends a gigabyte through and tells how much the heap grew.
func BenchmarkRelayLarge(b *testing.B) {
	const size = 1 << 30
	block := make([]byte, 1<<20)
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", fmt.Sprint(size))
		for range size / len(block) {
			_, _ = w.Write(block)
		}
	}))
	defer upstream.Close()
	s := start(b, config.Config{})
	document := spec.NewService("office")
	document.Upstream, document.Mode = upstream.URL, spec.ModeRelay
	_, err := s.api.PutService(b.Context(), "office", document, "")
	require.NoError(b, err)
	b.SetBytes(size)
	for b.Loop() {
		runtime.GC()
		var before, during runtime.MemStats
		runtime.ReadMemStats(&before)
		resp, err := http.Get(s.traffic + "/office/large")
		require.NoError(b, err)
		most, read := uint64(0), int64(0)
		for {
			n, err := io.CopyN(io.Discard, resp.Body, 64<<20)
			read += n
			runtime.ReadMemStats(&during)
			most = max(most, during.HeapAlloc)
			if err != nil {
				break
			}
		}
		_ = resp.Body.Close()
		require.Equal(b, int64(size), read)
		b.ReportMetric(float64(most-min(most, before.HeapAlloc))/(1<<20), "MB-grown")
	}
}
