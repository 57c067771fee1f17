// The command corpus tries contracts that nobody here wrote: it fetches them out of packages, reads
// each, calls operations of each with requests that it builds, has the answers judged by a validator
// that shares no code with ours, sends broken requests, and prints what became of it all.
//
//	go run ./corpus -contracts 200
//
// Nothing of the packages is kept in this repository but their names and versions.
package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"runtime/debug"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

type trial struct {
	name                     string
	format                   string
	size                     int
	took                     time.Duration
	operations, skipped      int
	answered, judged, wrong  int
	unjudged                 int
	alarms, broken, unmissed int
	notes                    []string
	checks                   []check
	document                 *tree.Node
}

// check is values that are to obey the schema at a pointer.
type check struct {
	Pointer string            `json:"pointer"`
	Values  []json.RawMessage `json:"values"`
}

func main() {
	contracts := flag.Int("contracts", 200, "how many contracts of the collection to try, beside those of modules")
	operations := flag.Int("operations", 60, "how many operations of each")
	verbose := flag.Bool("v", false, "print all that is wrong")
	one := flag.String("only", "", "only contracts whose names have this in them")
	flag.Parse()
	if err := run(*contracts, *operations, *one, *verbose); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(contracts, operations int, one string, verbose bool) error {
	texts, err := collected(contracts, one)
	if err == nil {
		err = addModules(texts, one)
	}
	if err != nil {
		return err
	}
	judge, err := newJudge()
	if err != nil {
		return err
	}
	var all []*trial
	for _, name := range slices.Sorted(maps.Keys(texts)) {
		t := try(name, texts[name], operations)
		if err := judge.hold(t); err != nil {
			return err
		}
		t.document, t.checks = nil, nil
		all = append(all, t)
		debug.FreeOSMemory()
	}
	report(all, verbose)
	return judge.close()
}

// try reads a contract and calls its operations.
func try(name string, b *bundle.Bundle, most int) (t *trial) {
	t = &trial{name: name, size: len(b.Contract())}
	defer func() {
		if fault := recover(); fault != nil {
			t.note("PANIC: %v", fault)
		}
	}()
	began := time.Now()
	c, err := openapi.ReadBundle(b)
	t.took = time.Since(began)
	if err != nil {
		t.note("is refused: %.300v", err)
		return t
	}
	t.format, t.operations, t.document = c.Format, len(c.Operations), c.Root()
	var able []*contract.Operation
	for _, op := range c.Operations {
		if op.Skipped != nil {
			t.skipped++
			t.note("skips %s: %s", op, op.Skipped)
			continue
		}
		able = append(able, op)
	}
	for i := range min(most, len(able)) {
		t.call(c, able[i*len(able)/min(most, len(able))])
	}
	return t
}

func (t *trial) note(format string, args ...any) {
	t.notes = append(t.notes, fmt.Sprintf(format, args...))
}

func (t *trial) call(c *contract.Contract, op *contract.Operation) {
	defer func() {
		if fault := recover(); fault != nil {
			t.note("PANIC %s: %v", op, fault)
		}
	}()
	r := op.Try(sample.NewDraw(7, op.ID, 0))
	segments := match.Split(nil, r.Path)
	asked := c.Protocol.Dispatch(&r, segments)
	if asked.Operation != op {
		t.note("LOST %s: %s goes to %s", op, r.Path, asked.ID())
	}
	asked = contract.Asked{Operation: op, Segments: segments}
	for _, d := range op.CheckRequest(&match.Facts{Request: &r}, segments) {
		if strings.HasPrefix(d.Where, "body") && op.Body != nil && slices.ContainsFunc(op.Body.MediaTypes, func(m *contract.MediaType) bool { return len(m.Examples) > 0 }) {
			continue // the contract's own example does not obey
		}
		t.alarms++
		t.note("ALARM %s %s: %s", op, d.Where, d.Detail)
	}
	t.breakIt(op, r, segments)
	t.answered++
	b, err := c.Protocol.Answer(&asked, contract.Wanted{Status: op.Success.Status, Headers: op.Success.Headers, MediaTypes: op.Success.MediaTypes, Draw: func() *sample.Draw { return sample.NewDraw(7, op.ID, 0) }})
	if err != nil {
		t.note("WRONG %s: %v", op, err)
		t.wrong++
		return
	}
	if b.Used == nil {
		for _, d := range op.CheckAnswer(&b.Answer, true, nil) {
			t.wrong++
			t.note("WRONG by us %s %s: %s", op, d.Where, d.Detail)
		}
	}
	if b.Value != nil && b.Used == nil && call.IsJSON(b.MediaType.Name) && b.MediaType.Schema != nil {
		t.checks = append(t.checks, check{b.MediaType.Schema.Pointer(), []json.RawMessage{b.Value.AppendJSON(nil)}})
	}
}

// breakIt takes something away that a request must have, which has to be noticed.
func (t *trial) breakIt(op *contract.Operation, r call.Request, segments []string) {
	for _, p := range op.Parameters {
		if !p.Required || p.In != "query" || p.Style == "deepObject" || p.Explode && p.Schema != nil && slices.Contains(p.Schema.Types(), "object") {
			continue
		}
		without := r
		without.Query = ""
		t.notice(op, &without, segments, "query "+p.Name)
		break
	}
	if op.Body != nil && op.Body.Required && len(r.Body.Bytes) > 0 {
		without := r
		without.Body = call.Body{}
		t.notice(op, &without, segments, "body")
	}
	if op.Body != nil && len(r.Body.Bytes) > 1 && r.Body.Bytes[0] == '{' && call.IsJSON(r.Header.Get("Content-Type")) {
		other := r
		other.Body = call.Body{Bytes: []byte(`["no", {"of": "it"}]`), Size: 20}
		if m := op.Body.MediaType(r.Header.Get("Content-Type")); m != nil && m.Schema != nil && slices.Equal(m.Schema.Types(), []string{"object"}) {
			t.notice(op, &other, segments, "another body")
		}
	}
}

func (t *trial) notice(op *contract.Operation, r *call.Request, segments []string, what string) {
	t.broken++
	if len(op.CheckRequest(&match.Facts{Request: r}, segments)) == 0 {
		t.unmissed++
		t.note("MISSED %s: %s", op, what)
	}
}

// judge is a validator in another process.
type judge struct {
	command *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
}

func newJudge() (*judge, error) {
	j := &judge{command: exec.Command("node", "--max-old-space-size=4096", "e2e/judges/corpus.mjs")}
	j.command.Stderr = os.Stderr
	out, err := j.command.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if j.in, err = j.command.StdinPipe(); err != nil {
		return nil, err
	}
	j.out = bufio.NewReader(out)
	return j, j.command.Start()
}

func (j *judge) close() error {
	return errors.Join(j.in.Close(), j.command.Wait())
}

func (j *judge) hold(t *trial) error {
	if len(t.checks) == 0 {
		return nil
	}
	var line bytes.Buffer
	encoder := json.NewEncoder(&line)
	err := encoder.Encode(map[string]any{"name": t.name, "document": json.RawMessage(t.document.AppendJSON(nil)), "old": !strings.Contains(t.format, "3.1"), "checks": t.checks})
	if err == nil {
		_, err = j.in.Write(line.Bytes())
	}
	if err != nil {
		return err
	}
	answer, err := j.out.ReadBytes('\n')
	if err != nil {
		return err
	}
	var told struct {
		Judged, Unjudged int
		Wrong            []string
		Why              string
	}
	if err := json.Unmarshal(answer, &told); err != nil {
		return err
	}
	t.judged, t.unjudged, t.wrong = told.Judged, told.Unjudged, t.wrong+len(told.Wrong)
	for _, wrong := range told.Wrong {
		t.note("WRONG by another %s", wrong)
	}
	if told.Unjudged > 0 {
		t.note("cannot be judged: %s", told.Why)
	}
	return nil
}

func report(all []*trial, verbose bool) {
	out := tabwriter.NewWriter(os.Stdout, 0, 8, 2, ' ', tabwriter.AlignRight)
	total, slowest := &trial{}, &trial{}
	formats, refused := make(map[string]int), 0
	for _, t := range all {
		formats[t.format]++
		if t.format == "" {
			refused++
		}
		if t.took > slowest.took {
			slowest = t
		}
		for _, add := range []struct{ to, from *int }{{&total.size, &t.size}, {&total.operations, &t.operations}, {&total.skipped, &t.skipped}, {&total.answered, &t.answered}, {&total.judged, &t.judged}, {&total.unjudged, &t.unjudged}, {&total.wrong, &t.wrong}, {&total.alarms, &t.alarms}, {&total.broken, &t.broken}, {&total.unmissed, &t.unmissed}} {
			*add.to += *add.from
		}
		for _, note := range t.notes {
			if verbose || !strings.HasPrefix(note, "skips") && !strings.HasPrefix(note, "cannot") {
				fmt.Printf("%s %s\n", t.name, note)
			}
		}
	}
	fmt.Fprintf(out, "contracts\t%d\t\n", len(all))
	for _, format := range slices.Sorted(maps.Keys(formats)) {
		fmt.Fprintf(out, "%s\t%d\t\n", strings.TrimSpace(format+" "), formats[format])
	}
	for _, row := range []struct {
		what string
		n    int
	}{{"refused", refused}, {"operations", total.operations}, {"skipped", total.skipped}, {"called", total.answered}, {"answers judged by another validator", total.judged}, {"that it cannot judge", total.unjudged}, {"wrong answers", total.wrong}, {"false alarms", total.alarms}, {"broken requests", total.broken}, {"not noticed", total.unmissed}} {
		fmt.Fprintf(out, "%s\t%d\t\n", row.what, row.n)
	}
	_ = out.Flush() // to the terminal
	fmt.Printf("slowest to read: %s, %d kB, %s\n", slowest.name, slowest.size>>10, slowest.took.Round(time.Millisecond))
}
