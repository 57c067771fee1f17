//go:build linux

package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
)

// prepare makes what polite callers call, and what hostile ones do.
func (s *siege) prepare() error {
	ctx := context.Background()
	for _, name := range []string{"office", "quarry"} {
		if _, err := s.client().CreateService(ctx, spec.NewService(name)); err != nil {
			return err
		}
	}
	_, err := s.client().PutMappings(ctx, "office", []byte(`[{"id": "berth", "call": {"path": "/berths/N7"}, "answer": {"json": {"number": "N7", "state": "free"}}}]`))
	if err != nil {
		return err
	}
	var mappings []string
	for i := range 100 {
		mappings = append(mappings, fmt.Sprintf(`{"id": "if-%d", "call": {"path": "/if", "if": "call.body.a[0].b == %d"}, "answer": {"text": "x"}}`, i, i))
	}
	mappings = append(mappings, `{"id": "xml", "call": {"path": "/xml", "where": [{"xml": "//b[//b[//c]]"}]}, "answer": {"text": "x"}}`,
		`{"id": "json", "call": {"path": "/json", "where": [{"body": "$..*..*..a"}]}, "answer": {"text": "x"}}`,
		`{"id": "grown", "call": {"path": "/grown"}, "answer": {"json": "${[1]`+strings.Repeat(".map(a, [a, a])", 30)+`}"}}`)
	_, err = s.client().PutMappings(ctx, "quarry", []byte("["+strings.Join(mappings, ",")+"]"))
	return err
}

// latencies are how long calls took.
type latencies struct {
	mu   sync.Mutex // guards took
	took []time.Duration
}

func (l *latencies) add(d time.Duration) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.took = append(l.took, d)
}

func (l *latencies) count() int { return len(l.took) }

// at is a percentile.
func (l *latencies) at(percent int) time.Duration {
	if len(l.took) == 0 {
		return 0
	}
	slices.Sort(l.took)
	return l.took[min(len(l.took)-1, len(l.took)*percent/100)].Round(10 * time.Microsecond)
}

// polite makes ordinary calls, a few hundred a second, for so long.
func (s *siege) polite(lasts time.Duration) *latencies {
	ctx, cancel := context.WithTimeout(context.Background(), lasts)
	defer cancel()
	return s.politeUntil(ctx)
}

func (s *siege) politeUntil(ctx context.Context) *latencies {
	found := &latencies{}
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			caller := &http.Client{Transport: &http.Transport{}, Timeout: 20 * time.Second}
			defer caller.CloseIdleConnections()
			for ctx.Err() == nil {
				begun := time.Now()
				resp, err := caller.Get("http://" + trafficAddress + "/office/berths/N7")
				if err == nil {
					_, err = io.Copy(io.Discard, resp.Body)
					_ = resp.Body.Close()
				}
				if err == nil {
					found.add(time.Since(begun))
				}
				time.Sleep(5 * time.Millisecond)
			}
		})
	}
	all.Wait()
	return found
}

// ledger knows which edits were acknowledged.
type ledger struct {
	mu   sync.Mutex // guards kept
	kept map[string]string
}

func newLedger() *ledger { return &ledger{kept: make(map[string]string)} }

func (l *ledger) count() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.kept)
}

// missing lists what was acknowledged and is not there.
func (l *ledger) missing(api *client.Client) (ids []string) {
	mappings, err := api.Mappings(context.Background(), "office")
	if err != nil {
		return []string{err.Error()}
	}
	titles := make(map[string]string, len(mappings))
	for _, m := range mappings {
		titles[m.ID] = m.Title
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for id, title := range l.kept {
		if titles[id] != title {
			ids = append(ids, id)
		}
	}
	return ids
}

// editors put mappings, each under an id of its own, and remember what was
// acknowledged.
func (s *siege) editors(ctx context.Context) {
	var all sync.WaitGroup
	run := time.Now().UnixNano()
	for editor := range 3 {
		all.Go(func() {
			for i := 0; ctx.Err() == nil; i++ {
				id, title := fmt.Sprintf("e-%d-%d-%d", run, editor, i), fmt.Sprint("edit ", i)
				body := fmt.Sprintf(`{"id": %q, "title": %q, "call": {"path": "/e/%s"}, "answer": {"text": "x"}}`, id, title, id)
				if _, err := s.client().PutMappings(ctx, "office", []byte(body)); err == nil {
					s.ledger.mu.Lock()
					s.ledger.kept[id] = title
					s.ledger.mu.Unlock()
				}
				time.Sleep(30 * time.Millisecond)
			}
		})
	}
	all.Wait()
}

// counted is how many calls of the polite service were counted since the start.
func (s *siege) counted() (int64, error) {
	resp, err := http.Get("http://" + controlAddress + "/metrics")
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		return 0, err
	}
	total := int64(0)
	for line := range bytes.Lines(text) {
		if bytes.HasPrefix(line, []byte(`rapidmimic_calls_total{service="office"`)) {
			fields := strings.Fields(string(line))
			n, err := strconv.ParseFloat(fields[len(fields)-1], 64)
			if err != nil {
				return 0, err
			}
			total += int64(n)
		}
	}
	return total, nil
}

// resources are what a process uses.
type resources struct {
	resident, peak int64 // bytes
	descriptors    int
}

func (r resources) String() string {
	return fmt.Sprintf("%d MB resident, %d MB at most, %d descriptors", r.resident>>20, r.peak>>20, r.descriptors)
}

func (s *siege) resources() (r resources) {
	folder := filepath.Join("/proc", strconv.Itoa(s.pid()))
	text, err := os.ReadFile(filepath.Join(folder, "status"))
	if err != nil {
		return r
	}
	for line := range strings.Lines(string(text)) {
		fields := strings.Fields(line)
		if len(fields) < 3 {
			continue
		}
		kB, _ := strconv.ParseInt(fields[1], 10, 64) // 0 for lines that are no sizes
		switch fields[0] {
		case "VmRSS:":
			r.resident = kB << 10
		case "VmHWM:":
			r.peak = kB << 10
		}
	}
	entries, _ := os.ReadDir(filepath.Join(folder, "fd")) // none where the process is gone
	r.descriptors = len(entries)
	return r
}

// report says what the service uses, and what it does of the calls.
func (s *siege) report(before resources) {
	time.Sleep(2 * time.Second) // connections close
	status, err := s.client().Status(context.Background())
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("%-44s%s, before it %s\n", "", s.resources(), before)
	fmt.Printf("%-44s%d calls in the log, %d not kept, %d not checked\n", "", status.CallsStored, status.CallsNotKept, status.CallsNotChecked)
}
