// The command soap tries SOAP contracts that nobody here wrote: it reads each, calls its operations with
// requests that it builds, holds requests and answers against the contract, has a client that shares
// no code with ours read the answers, and libxml2 hold their bodies against the schemas. Two more clients
// make requests of their own, and read what they are answered.
//
//	go run ./corpus/soap
//
// The contracts come out of packages; nothing of them is kept in this repository but the names of these.
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"rapidmimic.example/internal/core/call"
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
		fmt.Printf("%s: %.900s\n", what, fmt.Sprintf(format, args...))
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
	j, err := newJudge("/usr/bin/python3", "e2e/judges/corpus_soap.py")
	if err != nil {
		return err
	}
	for _, name := range clients {
		client, err := newJudge("node", "corpus/soap/clients/clients.mjs", name)
		if err != nil {
			return err
		}
		j.callers = append(j.callers, client)
	}
	t := &tally{counts: make(map[string]int), verbose: verbose}
	for _, what := range []string{"contracts", "not read", "operations", "called", "lost", "requests against their contract", "answers", "answers against it", "panics", "slow", "understood by another client", "not understood", "not judged, since it failed itself", "not judged, since it cannot read the contract",
		"bodies that libxml2 finds valid", "bodies that libxml2 finds invalid", "contracts whose schemas libxml2 cannot read"} {
		t.add(what, 0)
	}
	for _, what := range []string{contractsRead, requestsMade, "lost"} {
		t.add("gsoap: "+what, 0)
	}
	for _, name := range clients {
		for _, what := range callerRows {
			t.add(name+": "+what, 0)
		}
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
	told, err := j.ask(map[string]any{"contract": path, "replies": replies}, nil)
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
	t.generated(path, c, strings.HasPrefix(replies[0].Type, "application/soap+xml"))
	for i, client := range j.callers {
		if err := t.called(path, c, clients[i], client, replies); err != nil {
			return err
		}
	}
	return nil
}

// clients are those that make requests of their own; callerRows what is told of each.
var (
	clients    = []string{"soap", "strong-soap"}
	callerRows = []string{contractsRead, requestsMade, "lost", "requests against their contract", answersUnderstood, "not understood", unjudged}
)

const (
	contractsRead     = "contracts read"
	requestsMade      = "requests made"
	answersUnderstood = "answers understood"
	unjudged          = "not judged, since it failed itself"
)

// generated tries the requests that gSOAP makes of a contract. Their values are no more than samples, so
// only whether each reaches its operation counts.
func (t *tally) generated(path string, c *contract.Contract, soap12 bool) {
	folder, err := os.MkdirTemp("", "gsoap")
	if err != nil {
		return
	}
	defer os.RemoveAll(folder)
	run := func(name string, arguments ...string) error {
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		cmd := exec.CommandContext(ctx, name, arguments...)
		cmd.Dir = folder
		return cmd.Run()
	}
	whole, err := filepath.Abs(path)
	if err != nil || run("wsdl2h", "-I", filepath.Dir(whole), "-o", "c.h", whole) != nil || run("soapcpp2", "-C", "-L", map[bool]string{false: "-1", true: "-2"}[soap12], "c.h") != nil {
		return
	}
	t.add("gsoap: "+contractsRead, 1)
	names := make(map[string]int)
	for _, op := range c.Operations {
		names[nameOf(op)]++
	}
	samples, _ := filepath.Glob(filepath.Join(folder, "*.req.xml"))
	for _, sample := range samples {
		parts := strings.Split(filepath.Base(sample), ".")
		name := parts[len(parts)-3]
		body, err := os.ReadFile(sample)
		if err != nil || names[name] != 1 { // written otherwise, or overloaded
			continue
		}
		t.add("gsoap: "+requestsMade, 1)
		request := call.Request{Method: "POST", Address: "/", Path: "/", Header: call.Header{}, Body: call.Body{Bytes: body, Size: int64(len(body))}}
		asked := c.Protocol.Dispatch(&request, nil)
		if asked.Operation == nil || nameOf(asked.Operation) != name {
			why := "goes to " + asked.ID()
			if asked.Fault != nil {
				why = asked.Fault.Text
			}
			t.note("gsoap: lost", "%s: %s: %s", path, name, why)
		}
	}
}

// nameOf is the name of an operation in its contract: ids of those that share it have a number behind it.
func nameOf(op *contract.Operation) string {
	return numbered.ReplaceAllString(op.ID, "")
}

var numbered = regexp.MustCompile(`-[0-9]+$`)

// called has a client call the operations of a contract.
func (t *tally) called(path string, c *contract.Contract, name string, client *judge, replies []reply) error {
	row := func(what string) string { return name + ": " + what }
	told, err := client.ask(map[string]any{"contract": path, "asked": replies}, func(made made) reply {
		t.add(row(requestsMade), 1)
		return t.answer(path, c, row, made)
	})
	if err != nil {
		return err
	}
	if told.Unread != "" {
		return nil
	}
	t.add(row(contractsRead), 1)
	t.add(row(answersUnderstood), told.Understood)
	t.add(row(unjudged), told.Unjudged)
	for _, wrong := range told.Wrong {
		t.note(row("not understood"), "%s: %s", path, wrong)
	}
	return nil
}

// answer answers a request that a client made.
func (t *tally) answer(path string, c *contract.Contract, row func(string) string, made made) reply {
	request := call.Request{Method: "POST", Address: "/" + made.Port, Path: "/" + made.Port,
		Header: call.Header{"Content-Type": {made.Type}, "Soapaction": {made.Action}}, Body: call.Body{Bytes: []byte(made.Body), Size: int64(len(made.Body))}}
	asked := c.Protocol.Dispatch(&request, match.Split(nil, request.Path))
	if asked.ID() != made.Operation {
		why := "goes to " + asked.ID()
		if asked.Fault != nil {
			why = asked.Fault.Text
		}
		t.note(row("lost"), "%s: %s at %s: %s", path, made.Operation, made.Port, why)
	}
	if asked.Operation == nil {
		return reply{} // which is told already
	}
	for _, d := range c.Protocol.CheckRequest(&asked, &match.Facts{Request: &request}) {
		t.note(row("requests against their contract"), "%s: %s: %s: %s", path, made.Operation, d.Where, d.Detail)
	}
	answer, err := answered(c, &asked, &request, contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(7, made.Operation, 1) }})
	if err != nil {
		return reply{Status: 500, Body: err.Error()}
	}
	return replyOf(answer)
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
		answer, err := answered(c, &asked, &try, contract.Wanted{Example: example, Draw: draw})
		if err != nil {
			t.note("answers against it", "%s: %s: %v", path, op.ID, err)
			continue
		}
		t.add("answers", 1)
		answer.Proven = nil // it is not taken for granted here
		for _, d := range c.Protocol.CheckAnswer(op, &answer, true, nil) {
			t.note("answers against it", "%s: %s %s: %s: %s", path, op.ID, example, d.Where, d.Detail)
		}
		if _, err := xmltree.Parse(answer.Body); err != nil || example != "" { // the client throws faults
			continue
		}
		reply := replyOf(answer)
		reply.Operation, reply.Port, reply.Message = op.ID, strings.TrimPrefix(op.Template.String(), "/"), string(try.Body.Bytes)
		replies = append(replies, reply)
	}
	return replies
}

// answered is the answer to a call, as the service sends it.
func answered(c *contract.Contract, asked *contract.Asked, r *call.Request, w contract.Wanted) (call.Answer, error) {
	b, err := c.Protocol.Answer(asked, w)
	if err != nil {
		return b.Answer, err
	}
	if packed, _, ok := c.Protocol.(contract.Packager).Package(asked, r, b.Answer); ok {
		return packed, nil
	}
	return b.Answer, nil
}

func replyOf(a call.Answer) reply {
	return reply{Type: a.Get("Content-Type"), Status: a.Status, Body: string(a.Body)}
}

// reply is an answer for the judge.
type reply struct {
	Operation string `json:"operation"`
	Port      string `json:"port"`
	Type      string `json:"type"`
	Status    int    `json:"status"`
	Body      string `json:"body"`
	Message   string `json:"message"` // that asks for it
}

// made is a request that a client made.
type made struct {
	Operation, Port, Type, Action, Body string
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
	callers []*judge // those that make requests of their own
}

func newJudge(program string, args ...string) (*judge, error) {
	j := &judge{command: exec.Command(program, args...)}
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

// ask asks for a verdict, and answers the requests that the judge makes until it has one.
func (j *judge) ask(question any, answer func(made) reply) (told verdict, err error) {
	out := json.NewEncoder(j.in)
	if err := out.Encode(question); err != nil {
		return told, err
	}
	for {
		line, err := j.out.ReadBytes('\n')
		if err != nil {
			return told, fmt.Errorf("%s ended: %w", j.command.Args, err)
		}
		var said struct {
			Call *made
			verdict
		}
		if err := json.Unmarshal(line, &said); err != nil || said.Call == nil {
			return said.verdict, err
		}
		if err := out.Encode(answer(*said.Call)); err != nil {
			return told, err
		}
	}
}

func (j *judge) close() error {
	err := errors.Join(j.in.Close(), j.command.Wait())
	for _, client := range j.callers {
		err = errors.Join(err, client.close())
	}
	return err
}
