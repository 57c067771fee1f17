// The command bench measures how fast fixed answers are sent with the call log
// on, as a share of what a bare net/http handler reaches with the same bytes
// on the same machine in the same run:
//
//	make bench
//
// It starts the servers as processes of their own, drives them by turns, and
// checks that every call was kept. Figures and how they came about stand in
// docs/performance.md.
package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/client"
)

const (
	bareAddress    = "127.0.0.1:7491"
	controlAddress = "127.0.0.1:7492"
	trafficAddress = "127.0.0.1:7493"
	// body is the answer of both.
	body = `{"number":"N7","pier":"north","lengthMetres":24.5,"draughtMetres":4.2,"state":"free","services":["water","power"]}`
)

func main() {
	binary := flag.String("binary", "bin/rapidmimic", "the program to measure")
	seconds := flag.Int("seconds", 2, "how long each turn takes")
	turns := flag.Int("turns", 7, "how often each server has its turn")
	connections := flag.Int("connections", 32, "how many callers at once")
	bare := flag.Bool("bare", false, "be the bare handler")
	expressions := flag.Bool("expressions", true, "measure answers with ${…} too")
	lanes := flag.Int("lanes", 100, "beside how many open lanes; 0 leaves that out")
	sizes := flag.String("mappings", "1,1000,10000", "with how many mappings")
	flag.Parse()
	if *bare {
		serveBare()
		return
	}
	b := bench{binary: *binary, turn: time.Duration(*seconds) * time.Second, turns: *turns, connections: *connections, sizes: *sizes, expressions: *expressions, lanes: *lanes}
	if err := b.run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// serveBare answers every call with the same bytes and headers as ours.
func serveBare() {
	answer := []byte(body)
	handler := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header()["Content-Type"] = []string{"application/json"}
		w.Header()["Cache-Control"] = []string{"no-store"}
		w.Header()["Rapid-Mimic"] = []string{`call=c-ffffff, source=mapping, by="berth-5000"`}
		_, _ = w.Write(answer)
	})
	fmt.Fprintln(os.Stderr, http.ListenAndServe(bareAddress, handler))
}

type bench struct {
	binary      string
	turn        time.Duration
	turns       int
	connections int
	sizes       string
	expressions bool
	lanes       int
}

func (b bench) run(ctx context.Context) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	stopBare, err := startProcess(self, "-bare")
	if err != nil {
		return err
	}
	defer stopBare()
	fmt.Printf("%d callers, %d turns of %s each; the ratio is the median of the rounds\n\n", b.connections, b.turns, b.turn)
	fmt.Printf("%-28s %12s %9s %9s %7s\n", "", "calls/s", "p50", "p99", "ratio")
	for size := range strings.SplitSeq(b.sizes, ",") {
		mappings, err := strconv.Atoi(size)
		if err != nil {
			return fmt.Errorf("-mappings: %w", err)
		}
		if err := b.compare(ctx, mappings, fixed); err != nil {
			return fmt.Errorf("with %d mappings: %w", mappings, err)
		}
	}
	if b.expressions {
		for _, answers := range []string{computed, byScript} {
			if err := b.compare(ctx, 1_000, answers); err != nil {
				return err
			}
		}
	}
	if b.lanes > 0 {
		return b.besideLanes(ctx)
	}
	return nil
}

// besideLanes lets two services take turns, of which one has lanes open: calls in no
// lane, and those in one of them.
func (b bench) besideLanes(ctx context.Context) error {
	none, err := b.serve(ctx, controlAddress, trafficAddress, 1_000, fixed)
	if err != nil {
		return err
	}
	defer none.stop()
	many, err := b.serve(ctx, "127.0.0.1:7494", "127.0.0.1:7495", 1_000, fixed)
	if err != nil {
		return err
	}
	defer many.stop()
	if err := openLanes(ctx, many.api, b.lanes); err != nil {
		return err
	}
	sides := []*side{
		{name: "no lane open", address: trafficAddress, path: "/moorings/berths/N500"},
		{name: fmt.Sprintf("%d lanes open, in none", b.lanes), address: "127.0.0.1:7495", path: "/moorings/berths/N500"},
		{name: "in one of them", address: "127.0.0.1:7495", path: "/@lane-7/moorings/berths/N500"},
	}
	for range b.turns {
		for _, s := range sides {
			r, err := load(s.address, s.path, b.connections, b.turn)
			if err != nil {
				return err
			}
			s.results = append(s.results, r)
		}
	}
	for _, s := range sides {
		one := median(s.results)
		fmt.Printf("%-28s %12.0f %9s %9s %7.2f\n", s.name, one.rate, one.p50, one.p99, medianRatio(sides[0].results, s.results))
	}
	if err := everyCallKept(ctx, none.api, sides[0].results); err != nil {
		return err
	}
	return everyCallKept(ctx, many.api, append(sides[1].results, sides[2].results...))
}

// side is one of several that take turns.
type side struct {
	name, address, path string
	results             []result
}

// serving is a service in a process of its own, with mappings in it.
type serving struct {
	api  *client.Client
	stop func()
}

func (b bench) serve(ctx context.Context, control, traffic string, mappings int, answers string) (s serving, err error) {
	folder, err := os.MkdirTemp("", "rapidmimic-bench-")
	if err != nil {
		return s, err
	}
	stop, err := startProcess(b.binary, "serve", "--data", folder, "--control", control, "--traffic", traffic, "--proxy", "", "--log-level", "warn")
	if err != nil {
		return s, err
	}
	s.stop = func() {
		stop()
		_ = os.RemoveAll(folder)
	}
	if s.api, err = client.New("http://" + control); err == nil {
		err = fill(ctx, s.api, mappings, answers)
	}
	return s, err
}

// openLanes opens lanes, each with a scenario on and a mapping of its own.
func openLanes(ctx context.Context, api *client.Client, count int) error {
	scenario := "{ name: full, services: { moorings: { mappings: [{ id: full, call: { path: /full }, answer: { text: full } }] } } }"
	if _, err := api.PutScenarios(ctx, []byte(scenario)); err != nil {
		return err
	}
	for i := range count {
		lane := fmt.Sprintf("{ name: lane-%d, scenario: full, services: { moorings: { mappings: [{ id: own, call: { path: /own }, answer: { text: own } }] } } }", i)
		if _, err := api.OpenLaneFrom(ctx, []byte(lane)); err != nil {
			return err
		}
	}
	return nil
}

// What answers are made of.
const (
	fixed    = "fixed answers"
	computed = "answers with ${…}"
	byScript = "answers by a script"
)

// compare lets the bare handler and a service with that many mappings take
// turns.
func (b bench) compare(ctx context.Context, mappings int, answers string) error {
	service, err := b.serve(ctx, controlAddress, trafficAddress, mappings, answers)
	if err != nil {
		return err
	}
	defer service.stop()
	path := fmt.Sprintf("/moorings/berths/N%d", mappings/2)
	var bare, ours []result
	for range b.turns {
		for _, turn := range []struct {
			address string
			into    *[]result
		}{{bareAddress, &bare}, {trafficAddress, &ours}} {
			r, err := load(turn.address, path, b.connections, b.turn)
			if err != nil {
				return err
			}
			*turn.into = append(*turn.into, r)
		}
	}
	base, mine, ratio := median(bare), median(ours), medianRatio(bare, ours)
	fmt.Printf("%-28s %12.0f %9s %9s\n", "bare net/http", base.rate, base.p50, base.p99)
	fmt.Printf("%-28s %12.0f %9s %9s %7.2f\n", fmt.Sprintf("%d mappings, %s", mappings, answers), mine.rate, mine.p50, mine.p99, ratio)
	return everyCallKept(ctx, service.api, ours)
}

func median(results []result) result {
	sorted := slices.SortedFunc(slices.Values(results), func(a, b result) int { return cmp.Compare(a.rate, b.rate) })
	return sorted[len(sorted)/2]
}

// medianRatio compares turns that followed each other, so that what else the
// machine does weighs on both alike.
func medianRatio(bare, ours []result) float64 {
	ratios := make([]float64, len(bare))
	for i := range bare {
		ratios[i] = ours[i].rate / bare[i].rate
	}
	slices.Sort(ratios)
	return ratios[len(ratios)/2]
}

func fill(ctx context.Context, api *client.Client, mappings int, answers string) error {
	if err := waitFor(api.URL() + "/readyz"); err != nil {
		return err
	}
	contract := "openapi: 3.1.0\ninfo: {title: Bench}\npaths: {/x: {get: {responses: {'204': {description: x}}}}}\n"
	if _, err := api.Import(ctx, client.Import{Text: []byte(contract), Name: "moorings"}); err != nil {
		return err
	}
	var doc strings.Builder
	for i := range mappings {
		path, json := fmt.Sprintf("/berths/N%d", i), body
		if answers == computed {
			path, json = fmt.Sprintf(`"/{what:berths}/N%d"`, i), strings.NewReplacer(`"N7"`, `"${call.path.what}"`, `24.5`, `"${1 + 23.5}"`).Replace(body)
		}
		if answers == byScript {
			path = fmt.Sprintf(`"/{what:berths}/N%d"`, i)
			script := "export default (call) => ({ json: " + strings.Replace(body, `"N7"`, "call.path.what", 1) + " })"
			fmt.Fprintf(&doc, "- {id: berth-%d, call: {method: GET, path: %s}, answer: {script: %q}}\n", i, path, script)
			continue
		}
		fmt.Fprintf(&doc, "- {id: berth-%d, call: {method: GET, path: %s}, answer: {json: %s}}\n", i, path, json)
	}
	began := time.Now()
	if _, err := api.PutMappings(ctx, "moorings", []byte(doc.String())); err != nil {
		return err
	}
	fmt.Printf("%-28s %12s\n", fmt.Sprintf("putting %d mappings", mappings), time.Since(began).Round(time.Millisecond))
	return nil
}

// everyCallKept compares what was sent with what the log says it took.
func everyCallKept(ctx context.Context, api *client.Client, results []result) error {
	sent := 0
	for _, r := range results {
		sent += r.calls
	}
	if _, err := api.Calls(ctx, client.CallQuery{Limit: 1}); err != nil { // waits until the last calls are written
		return err
	}
	status, err := api.Status(ctx)
	if err != nil {
		return err
	}
	if status.CallsNotKept != 0 {
		return fmt.Errorf("%d of %d calls were not kept", status.CallsNotKept, sent)
	}
	fmt.Printf("%-28s %12d\n\n", "sent and kept, all of", sent)
	return nil
}

func startProcess(name string, args ...string) (stop func(), err error) {
	cmd := exec.Command(name, args...)
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start %s: %w", name, err)
	}
	return func() {
		_ = cmd.Process.Signal(os.Interrupt)
		time.AfterFunc(10*time.Second, func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait()
	}, nil
}

func waitFor(url string) error {
	for range 200 {
		if resp, err := http.Get(url); err == nil {
			_ = resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				return nil
			}
		}
		time.Sleep(25 * time.Millisecond)
	}
	return errors.New(url + " does not answer")
}

// discardResponse reads one response with a Content-Length and returns its
// status line.
func discardResponse(r *bufio.Reader) (status string, err error) {
	length := 0
	for first := true; ; first = false {
		line, err := r.ReadSlice('\n')
		if err != nil {
			return status, err
		}
		if first {
			status = string(line[:min(len(line), 12)])
		}
		if len(line) <= 2 {
			break
		}
		if len(line) > 16 && (line[0] == 'C' || line[0] == 'c') && strings.EqualFold(string(line[:15]), "Content-Length:") {
			for _, c := range line[15:] {
				if c >= '0' && c <= '9' {
					length = length*10 + int(c-'0')
				}
			}
		}
	}
	_, err = r.Discard(length)
	return status, err
}
