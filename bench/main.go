// The command bench measures how fast calls are answered with the call log on: as a
// share of what a bare net/http handler (or a reverse proxy) reaches that sends the same
// bytes, on the same machine in the same run, and in processor time for each call.
//
//	make bench
//	go run ./bench -rows SOAP -against /tmp/rapidmimic-before
//
// It starts the servers as processes of their own, drives them by turns, and checks
// that every call was kept. Figures and how they came about stand in
// docs/performance.md.
package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/client"
)

func main() {
	b := bench{}
	flag.StringVar(&b.binary, "binary", "bin/rapidmimic", "the program to measure")
	flag.StringVar(&b.against, "against", "", "another program, such as an earlier build, that takes turns with it")
	flag.IntVar(&b.pace, "pace", 0, "how many calls a second are sent; 0 for as many as are answered")
	flag.DurationVar(&b.turn, "turn", 2*time.Second, "how long each turn takes")
	flag.IntVar(&b.turns, "turns", 7, "how often each server has its turn")
	flag.IntVar(&b.repeats, "repeats", 14, "how many rounds are measured again where other machines took more than a twentieth of the processors")
	flag.IntVar(&b.connections, "connections", 32, "how many callers at once")
	flag.IntVar(&b.lanes, "lanes", 100, "beside how many open lanes; 0 leaves that out")
	cliffs := flag.Bool("cliffs", false, "measure what one call costs while mappings, bodies, lanes and more grow tenfold")
	only := flag.String("rows", "", "those rows alone whose name this regular expression fits")
	be := flag.String("be", "", "be the bare server at this address")
	answer, headers, upstream := flag.String("answer", "", "the file with what that answers"), flag.String("headers", "", "and its headers"), flag.String("upstream", "", "or what it is a reverse proxy of")
	flag.Parse()
	err := error(nil)
	if *be != "" {
		err = beBare(*be, *answer, *headers, *upstream)
	} else if b.only, err = regexp.Compile(*only); err == nil {
		err = b.run(context.Background(), *cliffs)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

type bench struct {
	drive
	binary, against string
	turns, lanes    int
	repeats         int
	only            *regexp.Regexp
	lost            int64
}

func (b *bench) run(ctx context.Context, cliffs bool) error {
	measure := b.measureRows
	if cliffs {
		measure = b.measureCliffs
	}
	if err := measure(ctx); err != nil {
		return err
	}
	if b.lost > 0 {
		return fmt.Errorf("%d calls were not kept", b.lost)
	}
	return nil
}

func (b *bench) measureRows(ctx context.Context) error {
	fmt.Printf("%d callers, %d turns of %s each; medians of the turns, a ratio is the median of those of the rounds\n\n", b.connections, b.turns, b.turn)
	if b.pace > 0 {
		fmt.Printf("%-32s %9s %9s %9s %9s %9s %6s %8s\n", "", "calls/s", "p50", "bare", "p99", "bare", "ratio", "not kept")
	} else {
		fmt.Printf("%-32s %9s %9s %6s %8s %8s %9s %9s %7s %8s\n", "", "calls/s", "bare", "ratio", "µs/call", "bare", "p50", "p99", "MB", "not kept")
	}
	for _, row := range rows() {
		if !b.only.MatchString(row.name) {
			continue
		}
		if err := b.measure(ctx, row); err != nil {
			return fmt.Errorf("%s: %w", row.name, err)
		}
	}
	if b.lanes > 0 && b.only.MatchString("lanes") {
		return b.besideLanes(ctx)
	}
	return nil
}

// side is one of several servers that take turns.
type side struct {
	*process
	ask     request
	results []result
}

// mostStolen is the share of the processors that other machines may take during a turn.
const mostStolen = 0.05

// takeTurns drives servers one after the other, round by round. A round that others disturbed is
// measured again, as often as that may be.
func (b *bench) takeTurns(sides ...*side) error {
	repeated, disturbed := 0, 0
	for rounds := 0; rounds < b.turns; {
		round, stolen := make([]result, len(sides)), 0.0
		for i, s := range sides {
			before := machineTime()
			var err error
			round[i], err = load(s.pid, s.address, s.ask, b.drive)
			stolen = max(stolen, machineTime().stolenSince(before))
			switch {
			case errors.Is(err, errNoCall) && repeated < b.repeats:
				stolen = 1
			case err != nil:
				return err
			}
		}
		if stolen > mostStolen && repeated < b.repeats {
			repeated++
			continue
		}
		if stolen > mostStolen {
			disturbed++
		}
		for i, s := range sides {
			s.results = append(s.results, round[i])
		}
		rounds++
	}
	if disturbed > 0 {
		fmt.Printf("other machines took part of the processors in %d of the %d rounds of what follows, although %d were measured again\n", disturbed, b.turns, repeated)
	}
	return nil
}

func (b *bench) measure(ctx context.Context, row row) error {
	upstream := ""
	if row.relayed {
		office, err := bare(&answered{headers: []string{"Content-Type: application/json"}, body: []byte(berth)}, "")
		if err != nil {
			return err
		}
		defer office.stop()
		upstream = "http://" + office.address
	}
	ours, err := b.prepared(ctx, b.binary, row, upstream)
	if err != nil {
		return err
	}
	defer ours.stop()
	answer, err := answerOf(ours.address, row.ask)
	if err != nil {
		return err
	}
	plain, err := bare(answer, upstream)
	if err != nil {
		return err
	}
	defer plain.stop()
	base, mine := &side{process: plain, ask: row.ask}, &side{process: ours.process, ask: row.ask}
	if row.relayed {
		base.ask.path = strings.TrimPrefix(row.ask.path, "/moorings")
	}
	sides := []*side{base, mine}
	if b.against != "" {
		other, err := b.prepared(ctx, b.against, row, upstream)
		if err != nil {
			return err
		}
		defer other.stop()
		sides = append(sides, &side{process: other.process, ask: row.ask})
	}
	if err := b.takeTurns(sides...); err != nil {
		return err
	}
	if err := b.print(ctx, row.name, base, mine, ours); err != nil {
		return err
	}
	if b.against != "" {
		other := sides[2].results
		speed := "calls/s " + interval(other, mine.results, func(r result) float64 { return r.rate })
		if b.pace > 0 {
			speed = "p99 " + interval(other, mine.results, func(r result) float64 { return r.p99.Seconds() })
		}
		fmt.Printf("%-32s %s, processor time %s\n", "  against "+b.against, speed, interval(other, mine.results, func(r result) float64 { return float64(r.cpu) }))
	}
	return nil
}

func (b *bench) print(ctx context.Context, name string, base, mine *side, ours *serving) error {
	notKept, err := ours.kept(ctx)
	if err != nil {
		return err
	}
	b.lost += notKept
	of, against := median(mine.results), median(base.results)
	if b.pace > 0 {
		fmt.Printf("%-32s %9.0f %9s %9s %9s %9s %6.2f %8d\n", name, of.rate, middle(mine.results, p50), middle(base.results, p50), middle(mine.results, p99), middle(base.results, p99),
			medianRatio(base.results, mine.results, func(r result) float64 { return r.p99.Seconds() }), notKept)
		return nil
	}
	fmt.Printf("%-32s %9.0f %9.0f %6.2f %8.1f %8.1f %9s %9s %7d %8d\n", name, of.rate, against.rate, medianRatio(base.results, mine.results, func(r result) float64 { return r.rate }),
		of.cpu.Seconds()*1e6, against.cpu.Seconds()*1e6, of.p50, of.p99, mostMemory(mine.pid), notKept)
	return nil
}

func (b *bench) prepared(ctx context.Context, binary string, row row, upstream string) (*serving, error) {
	s, err := serve(binary)
	if err != nil {
		return nil, err
	}
	if err := row.prepare(ctx, s.api, upstream); err != nil {
		s.stop()
		return nil, err
	}
	return s, nil
}

// answerOf is what ours answers, so that the bare server sends the same.
func answerOf(address string, ask request) (*answered, error) {
	r, err := http.NewRequest(ask.method, "http://"+address+ask.path, strings.NewReader(string(ask.body)))
	if err != nil {
		return nil, err
	}
	for _, line := range append(ask.headers, "Content-Type: "+ask.contentType) {
		name, value, _ := strings.Cut(line, ": ")
		r.Header.Set(name, value)
	}
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s answers %s: %s", ask.path, resp.Status, body)
	}
	answer := &answered{body: body}
	for name, values := range resp.Header {
		if name != "Date" && name != "Content-Length" {
			answer.headers = append(answer.headers, name+": "+strings.Join(values, ", "))
		}
	}
	return answer, err
}

// besideLanes lets two services take turns, of which one has lanes open: calls in no
// lane, and those in one of them.
func (b *bench) besideLanes(ctx context.Context) error {
	row := fixed(1_000)
	none, err := b.prepared(ctx, b.binary, row, "")
	if err != nil {
		return err
	}
	defer none.stop()
	many, err := b.prepared(ctx, b.binary, row, "")
	if err != nil {
		return err
	}
	defer many.stop()
	if err := openLanes(ctx, many.api, b.lanes); err != nil {
		return err
	}
	inOne := row.ask
	inOne.path = "/@lane-7" + inOne.path
	base, beside, within := &side{process: none.process, ask: row.ask}, &side{process: many.process, ask: row.ask}, &side{process: many.process, ask: inOne}
	if err := b.takeTurns(base, beside, within); err != nil {
		return err
	}
	fmt.Println("\nbeside open lanes, against none:")
	if err := b.print(ctx, fmt.Sprintf("%d lanes open, calls in none", b.lanes), base, beside, many); err != nil {
		return err
	}
	return b.print(ctx, "calls in one of them", base, within, many)
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

func median(results []result) result {
	sorted := slices.SortedFunc(slices.Values(results), func(a, b result) int { return cmp.Compare(a.rate, b.rate) })
	return sorted[len(sorted)/2]
}

// middle is the median of a time of all turns.
func middle(results []result, of func(result) time.Duration) time.Duration {
	times := make([]time.Duration, len(results))
	for i, r := range results {
		times[i] = of(r)
	}
	slices.Sort(times)
	return times[len(times)/2]
}

func p50(r result) time.Duration { return r.p50 }
func p99(r result) time.Duration { return r.p99 }

// medianRatio compares turns that followed each other, so that what else the
// machine does weighs on both alike.
func medianRatio(bare, ours []result, of func(result) float64) float64 {
	ratios := make([]float64, len(bare))
	for i := range bare {
		ratios[i] = of(ours[i]) / of(bare[i])
	}
	slices.Sort(ratios)
	return ratios[len(ratios)/2]
}

// interval says by how much a figure of ours is off that of another program: the geometric mean of
// the rounds, with the interval that has the true one in 95 of 100 cases, by Student's t.
func interval(other, ours []result, of func(result) float64) string {
	sum, squares, n := 0.0, 0.0, float64(len(ours))
	for i := range ours {
		l := math.Log(of(ours[i]) / of(other[i]))
		sum += l
		squares += l * l
	}
	mean := sum / n
	spread := math.Sqrt(max(0, squares/n-mean*mean) / max(1, n-1))
	t := 1.96 + 2.5/max(1, n-1) + 5/max(1, (n-1)*(n-1)) // within 6 % of the table from 4 rounds on
	percent := func(l float64) float64 { return 100 * (math.Exp(l) - 1) }
	return fmt.Sprintf("%+.1f %% (%+.1f to %+.1f)", percent(mean), percent(mean-t*spread), percent(mean+t*spread))
}
