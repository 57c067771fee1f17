package e2e

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

// BenchmarkDelays holds calls back by the thousand: by how much they are late,
// and what memory they take.
func BenchmarkDelays(b *testing.B) {
	s := startProcess(b, []string{"RAPIDMIMIC_MAX_CONNECTIONS=11000"})
	_, err := s.api.PutService(b.Context(), "quay", spec.NewService("quay"), "")
	require.NoError(b, err)
	_, err = s.api.PutMappings(b.Context(), "quay", []byte("call: {path: /berths}\nanswer: {json: {number: N7}}"))
	require.NoError(b, err)
	for range b.N {
		late, _ := s.delayed(b, 1_000, 3, 2*time.Second)
		b.ReportMetric(late[len(late)/2].Seconds()*1000, "ms-late-p50")
		b.ReportMetric(late[len(late)*99/100].Seconds()*1000, "ms-late-p99")
		_, held := s.delayed(b, 10_000, 1, 15*time.Second)
		b.ReportMetric(float64(held), "MB-10000-in-flight")
		b.ReportMetric(float64(s.memory(b, "VmHWM")), "MB-peak")
	}
	b.ReportMetric(0, "ns/op")
}

// BenchmarkResting opens 9,000 connections, makes a call on each, and lets them rest.
func BenchmarkResting(b *testing.B) {
	s := startProcess(b, nil)
	_, err := s.api.PutService(b.Context(), "quay", spec.NewService("quay"), "")
	require.NoError(b, err)
	address := strings.TrimPrefix(s.traffic, "http://")
	for range b.N {
		before := s.memory(b, "VmRSS")
		for range 9_000 {
			c, err := net.Dial("tcp", address)
			require.NoError(b, err)
			defer c.Close()
			_, err = fmt.Fprintf(c, "GET /quay/berths HTTP/1.1\r\nHost: quay\r\n\r\n")
			require.NoError(b, err)
			_, err = c.Read(make([]byte, 64<<10))
			require.NoError(b, err)
		}
		b.ReportMetric(float64(s.memory(b, "VmRSS")-before), "MB-at-once")
		time.Sleep(22 * time.Second) // until the service has looked twice
		b.ReportMetric(float64(s.memory(b, "VmRSS")-before), "MB-resting")
	}
	b.ReportMetric(0, "ns/op")
}

// delayed makes calls, callers at once and each several in a row, that are held
// back, and lists in order by how much longer than that each took inside the
// service; held is the memory of the service, in MB, while all wait.
func (s *service) delayed(b *testing.B, callers, each int, delay time.Duration) (late []time.Duration, held int) {
	_, err := s.api.SetImpairment(b.Context(), spec.Target{Service: "quay"}, fmt.Appendf(nil, "latency: %s", delay))
	require.NoError(b, err)
	transport := &http.Transport{MaxIdleConnsPerHost: callers}
	defer transport.CloseIdleConnections()
	var mu sync.Mutex
	var all sync.WaitGroup
	var ids []string
	all.Go(func() {
		time.Sleep(delay * 3 / 4)
		held = s.memory(b, "VmRSS")
	})
	for caller := range callers {
		all.Go(func() {
			time.Sleep(time.Duration(caller) * delay / 2 / time.Duration(callers)) // spread, so that the processors are not saturated
			for range each {
				resp, err := (&http.Client{Transport: transport}).Get(s.traffic + "/quay/berths")
				if err != nil {
					b.Error(err)
					return
				}
				_, _ = io.Copy(io.Discard, resp.Body)
				_ = resp.Body.Close()
				mu.Lock()
				ids = append(ids, callID(resp))
				mu.Unlock()
			}
		})
	}
	all.Wait()
	require.Equal(b, callers*each, len(ids))
	timings, err := s.api.Timings(b.Context(), "quay")
	require.NoError(b, err)
	for _, took := range timings.TookMs {
		late = append(late, time.Duration(took*float64(time.Millisecond))-delay)
	}
	slices.Sort(late)
	return late, held
}

// memory is what the process holds, VmRSS, or has held at most, VmHWM, in MB.
func (s *service) memory(b *testing.B, what string) int {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.pid))
	require.NoError(b, err)
	kilobytes, err := strconv.Atoi(string(regexp.MustCompile(what + `:\s+(\d+) kB`).FindSubmatch(text)[1]))
	require.NoError(b, err)
	return kilobytes / 1024
}
