// The command soap tries SOAP contracts that nobody here wrote: it reads each, calls its operations with
// requests that it builds, holds requests and answers against the contract, has a client that shares
// no code with ours read the answers, and libxml2 hold their bodies against the schemas.
//
//	go run ./corpus/soap
//
// The contracts come out of packages; nothing of them is kept in this repository but the names of these.
package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// mostFiles is how many documents beside a contract are looked at.
const mostFiles = 400

// tally is what became of all contracts, by name, in the order of names.
type tally struct {
	order   []string
	counts  map[string]int
	verbose bool
}

func (t *tally) add(what string, n int) {
	if t.counts[what] += n; !slices.Contains(t.order, what) {
		t.order = append(t.order, what)
	}
}

func (t *tally) note(what, format string, args ...any) {
	t.add(what, 1)
	if t.verbose || t.counts[what] <= 5 {
		fmt.Printf("%s: %.300s\n", what, fmt.Sprintf(format, args...))
	}
}

func main() {
	folder := flag.String("in", "", "a folder with contracts, instead of those that are fetched")
	verbose := flag.Bool("v", false, "print all that is wrong")
	flag.Parse()
	if err := run(*folder, *verbose); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(folder string, verbose bool) error {
	if folder == "" {
		cache, err := os.UserCacheDir()
		if err != nil {
			return err
		}
		folder = filepath.Join(cache, "rapidmimic-corpus", "wsdl")
		fetch := exec.Command("scripts/wsdls.sh", folder)
		fetch.Stdout, fetch.Stderr = os.Stderr, os.Stderr
		if err := fetch.Run(); err != nil {
			return fmt.Errorf("fetch contracts: %w", err)
		}
	}
	j, err := newJudge()
	if err != nil {
		return err
	}
	t := &tally{counts: make(map[string]int), verbose: verbose}
	for _, what := range []string{"contracts", "not read", "operations", "called", "lost", "requests against their contract", "answers", "answers against it", "panics", "slow", "understood by another client", "not understood", "not judged, since it failed itself", "not judged, since it cannot read the contract",
		"bodies that libxml2 finds valid", "bodies that libxml2 finds invalid", "contracts whose schemas libxml2 cannot read"} {
		t.add(what, 0)
	}
	err = filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.EqualFold(filepath.Ext(path), ".wsdl") {
			return err
		}
		return t.try(path, j)
	})
	out := tabwriter.NewWriter(os.Stdout, 0, 8, 2, ' ', tabwriter.AlignRight)
	for _, what := range t.order {
		fmt.Fprintf(out, "%s\t%d\t\n", what, t.counts[what])
	}
	_ = out.Flush() // to the terminal
	return errors.Join(err, j.close())
}

// beside is a contract with the documents around it, as somebody would import its folder.
func beside(path string) (*bundle.Bundle, error) {
	up := filepath.Dir(filepath.Dir(path))
	main, err := filepath.Rel(up, path)
	if err != nil {
		return nil, err
	}
	b := &bundle.Bundle{Main: filepath.ToSlash(main)}
	add := func(file string) error {
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		name, err := filepath.Rel(up, file)
		b.Files = append(b.Files, bundle.File{Name: filepath.ToSlash(name), Text: text})
		return err
	}
	if err := add(path); err != nil {
		return nil, err
	}
	return b, filepath.WalkDir(up, func(file string, entry fs.DirEntry, err error) error {
		kind := strings.ToLower(filepath.Ext(file))
		if err != nil || entry.IsDir() || file == path || len(b.Files) == mostFiles || kind != ".wsdl" && kind != ".xsd" {
			return err
		}
		return add(file)
	})
}

// try reads a contract and calls its operations.
func (t *tally) try(path string, j *judge) error {
	b, err := beside(path)
	if err != nil {
		return err
	}
	t.add("contracts", 1)
	defer func() {
		if fault := recover(); fault != nil {
			t.note("panics", "%s: %v", path, fault)
		}
	}()
	began := time.Now()
	c, err := wsdl.Read(b)
	if err != nil {
		t.note("not read", "%s: %v", path, err)
		return nil
	}
	t.add("operations", len(c.Operations))
	var replies []reply
	for _, op := range c.Operations {
		replies = append(replies, t.call(path, c, op)...)
	}
	if took := time.Since(began); took > 5*time.Second {
		t.note("slow", "%s: %s", path, took)
	}
	if len(replies) == 0 {
		return nil
	}
	told, err := j.ask(path, replies)
	if err != nil {
		return err
	}
	t.add("understood by another client", told.Understood)
	t.add("not judged, since it failed itself", told.Unjudged)
	if told.Unread != "" {
		t.add("not judged, since it cannot read the contract", len(replies))
	}
	t.add("bodies that libxml2 finds valid", told.Valid)
	if told.WithoutSchema != "" {
		t.note("contracts whose schemas libxml2 cannot read", "%s: %s", path, told.WithoutSchema)
	}
	for _, wrong := range told.Invalid {
		t.note("bodies that libxml2 finds invalid", "%s: %s", path, wrong)
	}
	for _, wrong := range told.Wrong {
		t.note("not understood", "%s: %s", path, wrong)
	}
	return nil
}

// call tries an operation, and gives its answers at each of its ports.
func (t *tally) call(path string, c *contract.Contract, op *contract.Operation) (replies []reply) {
	draw := func() *sample.Draw { return sample.NewDraw(7, op.ID, 0) }
	try := c.Protocol.Try(op, draw())
	asked := c.Protocol.Dispatch(&try, match.Split(nil, try.Path))
	if t.add("called", 1); asked.Operation != op {
		t.note("lost", "%s: %s goes to %s", path, op.ID, asked.ID())
		return nil
	}
	for _, d := range c.Protocol.CheckRequest(&asked, &match.Facts{Request: &try}) {
		t.note("requests against their contract", "%s: %s: %s: %s", path, op.ID, d.Where, d.Detail)
	}
	for _, example := range append(op.ExampleNames(), "") {
		b, err := c.Protocol.Answer(&asked, contract.Wanted{Example: example, Draw: draw})
		if err != nil {
			t.note("answers against it", "%s: %s: %v", path, op.ID, err)
			continue
		}
		t.add("answers", 1)
		for _, d := range c.Protocol.CheckAnswer(op, &b.Answer, true, nil) {
			t.note("answers against it", "%s: %s %s: %s: %s", path, op.ID, example, d.Where, d.Detail)
		}
		if _, err := xmltree.Parse(b.Answer.Body); err != nil || example != "" { // the client throws faults
			continue
		}
		replies = append(replies, reply{Operation: op.ID, Port: strings.TrimPrefix(op.Template.String(), "/"), Type: b.Answer.Get("Content-Type"), Status: b.Answer.Status, Body: string(b.Answer.Body)})
	}
	return replies
}

// reply is an answer for the judge.
type reply struct {
	Operation string `json:"operation"`
	Port      string `json:"port"`
	Type      string `json:"type"`
	Status    int    `json:"status"`
	Body      string `json:"body"`
}

// verdict is what the judge says of the answers of one contract.
type verdict struct {
	Unread               string // by the client
	Understood, Unjudged int
	Wrong                []string
	WithoutSchema        string // that libxml2 reads
	Valid                int    // bodies, by their schema
	Invalid              []string
}

// judge is a client in another process.
type judge struct {
	command *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
}

func newJudge() (*judge, error) {
	j := &judge{command: exec.Command("/usr/bin/python3", "e2e/judges/corpus_soap.py")}
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

func (j *judge) ask(path string, replies []reply) (told verdict, err error) {
	if err := json.NewEncoder(j.in).Encode(map[string]any{"contract": path, "replies": replies}); err != nil {
		return told, err
	}
	answer, err := j.out.ReadBytes('\n')
	if err != nil {
		return told, err
	}
	return told, json.Unmarshal(answer, &told)
}

func (j *judge) close() error { return errors.Join(j.in.Close(), j.command.Wait()) }
