package scripts

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"time"

	"rapidmimic.example/internal/core/script"
)

const (
	// grace is how long a worker has for a call, beside the time of the script itself. From then on it is
	// late once it has taken as much processor time as runaway: on a busy machine it may have got none,
	// and what it does beside the script takes some too. starved is how long that is looked at.
	grace   = 450 * time.Millisecond
	runaway = 4 * script.Time
	starved = 5 * time.Second
	// starting is how long a worker may take to come up.
	starting = 30 * time.Second
	// patience is how long a call waits for a worker.
	patience = 5 * time.Second
)

// Pool runs scripts in workers. It is safe for concurrent use.
type Pool struct {
	program string
	drivers sync.WaitGroup
	begin   func()

	mu     sync.RWMutex // guards closed, and jobs against being closed
	closed bool
	jobs   chan *job
}

// job is one call for a script.
type job struct {
	ctx    context.Context
	since  time.Time
	script *script.Script
	call   []byte
	host   script.Host
	out    script.Output
	err    error
	ready  chan struct{}
}

const (
	mostWaiting = 10_000 // jobs that wait for a worker
	mostAtOnce  = 16     // jobs that a worker is given at once
)

// NewPool makes a pool of at most so many workers of a program, "" for this one. They are started
// when they are needed.
func NewPool(program string, workers int) *Pool {
	p := &Pool{program: program, jobs: make(chan *job, mostWaiting)}
	p.begin = sync.OnceFunc(func() {
		for range workers {
			p.drivers.Go(func() { p.drive(workers) })
		}
	})
	return p
}

// Errors of a run that is no fault of the script.
var (
	errClosed = errors.New("the service stops")
	errBusy   = fmt.Errorf("no script could be run within %s, since so many are waiting", patience)
)

// Run runs a script for a call. host answers what it asks. Where ctx ends or too many wait, that is
// told when it would be its turn.
func (p *Pool) Run(ctx context.Context, s *script.Script, in *script.Input, host script.Host) (script.Output, error) {
	j := &job{ctx: ctx, since: time.Now(), script: s, call: in.Append([]byte(s.ID)), host: host, ready: make(chan struct{})}
	if err := p.queue(j); err != nil {
		return script.Output{}, err
	}
	<-j.ready
	return j.out, j.err
}

func (p *Pool) queue(j *job) error {
	p.mu.RLock()
	defer p.mu.RUnlock()
	if p.closed {
		return errClosed
	}
	p.begin()
	select {
	case p.jobs <- j:
		return nil
	default:
		return errBusy
	}
}

// Close stops all workers. Calls that are under way come to their end.
func (p *Pool) Close() {
	p.mu.Lock()
	if !p.closed {
		p.closed = true
		close(p.jobs)
	}
	p.mu.Unlock()
	p.drivers.Wait()
}

// isClosed reports whether no more jobs are run.
func (p *Pool) isClosed() bool {
	p.mu.RLock()
	defer p.mu.RUnlock()
	return p.closed
}

// drive gives jobs to one worker until the pool is closed.
func (p *Pool) drive(workers int) {
	var w *process
	defer func() {
		if w != nil {
			w.stop()
		}
	}()
	for first := range p.jobs {
		if batch := p.take(first, min(mostAtOnce, 1+len(p.jobs)/workers)); len(batch) > 0 {
			w = p.work(w, batch)
		}
	}
}

// take is a job and some more of those that wait, without those that are not to be run any more.
func (p *Pool) take(first *job, most int) (batch []*job) {
	for j := first; j != nil; {
		if err := p.refuses(j); err != nil {
			finish([]*job{j}, script.Output{}, err)
		} else {
			batch = append(batch, j)
		}
		if len(batch) >= most {
			return batch
		}
		select {
		case j = <-p.jobs: // nil where it is closed
		default:
			return batch
		}
	}
	return batch
}

// refuses says why a job is not run; nil where it is.
func (p *Pool) refuses(j *job) error {
	switch {
	case j.ctx.Err() != nil:
		return j.ctx.Err()
	case p.isClosed():
		return errClosed
	case time.Since(j.since) > patience:
		return errBusy
	default:
		return nil
	}
}

// work has a worker run jobs; nil starts one. Where it ends before all are done, each of the others
// runs by itself, so that only the one that ended it gets a fault. It returns the worker that is
// there afterwards.
func (p *Pool) work(w *process, batch []*job) *process {
	rest, w, _ := p.attempt(w, batch)
	for _, j := range rest {
		_, w, _ = p.attempt(w, []*job{j})
	}
	return w
}

// attempt has a worker run jobs, and returns those that were not done. A job that ends a worker by
// itself is done: with a fault.
func (p *Pool) attempt(w *process, batch []*job) (rest []*job, _ *process, err error) {
	fresh := w == nil
	if fresh {
		if w, err = p.start(); err != nil {
			finish(batch, script.Output{}, err)
			return nil, nil, err
		}
	}
	rest, err = w.run(batch)
	if err == nil {
		return nil, w, nil
	}
	out, err := w.ended(err)
	if len(batch) == 1 && fresh {
		finish(rest, out, err)
		return nil, nil, err
	}
	if len(batch) == 1 { // the worker may have ended while it waited
		return p.attempt(nil, rest)
	}
	return rest, nil, err
}

func finish(batch []*job, out script.Output, err error) {
	for _, j := range batch {
		j.out, j.err = out, err
		close(j.ready)
	}
}

// process is a worker.
type process struct {
	command *exec.Cmd
	in      *os.File // to it
	out     *os.File // from it
	reader  *bufio.Reader
	said    *tail
	known   map[string]bool // ids of scripts that it has

	overdue *time.Timer   // its function is late
	mu      sync.Mutex    // guards the fields below
	due     time.Time     // when its next message is due; zero for none
	before  time.Duration // what it had taken of the processor when it was late for the first time
}

func (p *Pool) start() (*process, error) {
	program := p.program
	if program == "" {
		self, err := os.Executable()
		if err != nil {
			return nil, fmt.Errorf("find this program to run scripts: %w", err)
		}
		program = self
	}
	theirIn, in, err := os.Pipe()
	if err != nil {
		return nil, fmt.Errorf("start a process for scripts: %w", err)
	}
	out, theirOut, err := os.Pipe()
	if err != nil {
		return nil, errors.Join(fmt.Errorf("start a process for scripts: %w", err), theirIn.Close(), in.Close())
	}
	w := &process{command: exec.Command(program, Argument), in: in, out: out, reader: bufio.NewReaderSize(out, bufferSize), said: &tail{}, known: make(map[string]bool)}
	w.command.Stdin, w.command.Stdout, w.command.Stderr = theirIn, theirOut, w.said
	w.command.Env = []string{} // scripts see nothing of ours
	w.command.Dir = os.TempDir()
	err = w.command.Start()
	err = errors.Join(err, theirIn.Close(), theirOut.Close())
	if err != nil {
		return nil, errors.Join(fmt.Errorf("start a process for scripts: %w", err), in.Close(), out.Close())
	}
	if err := w.out.SetDeadline(time.Now().Add(starting)); err != nil {
		return nil, err
	}
	if kind, _, err := readFrame(w.reader); err != nil || kind != kindReady {
		w.stop()
		return nil, fmt.Errorf("the process for scripts does not come up: %w %s", err, w.said)
	}
	return w, w.out.SetDeadline(time.Time{})
}

// run runs jobs, and returns those that were not done.
func (w *process) run(batch []*job) (rest []*job, err error) {
	rest = batch
	w.progress()
	defer w.rests()
	var frames []byte
	for _, j := range batch {
		if !w.known[j.script.ID] {
			if len(w.known) >= knownScripts {
				clear(w.known)
			}
			w.known[j.script.ID] = true
			frames = appendFrame(frames, kindScript, []byte(j.script.Source))
		}
		frames = appendFrame(frames, kindCall, j.call)
	}
	if len(frames) <= pipeSize {
		if _, err := w.in.Write(frames); err != nil {
			return rest, err
		}
		return w.read(rest)
	}
	written := make(chan error, 1)
	go func() { // the worker may answer before it has read all of it
		_, err := w.in.Write(frames)
		written <- err
	}()
	rest, err = w.read(rest)
	if err == nil {
		err = <-written
	} else {
		_ = w.in.SetDeadline(time.Now()) // which ends it
		<-written
	}
	return rest, err
}

// pipeSize is what can be written to a worker, in bytes, without waiting until it reads.
const pipeSize = 32 << 10

// read reads what a worker says of jobs, and returns those that were not done.
func (w *process) read(rest []*job) ([]*job, error) {
	for len(rest) > 0 {
		kind, payload, err := readFrame(w.reader)
		if err != nil {
			return rest, err
		}
		w.progress()
		j := rest[0]
		switch kind {
		case kindDone:
			out, err := script.DecodeOutput(payload)
			finish(rest[:1], out, err)
			rest = rest[1:]
		case kindAsk:
			var ask script.Ask
			answer, err := "", json.Unmarshal(payload, &ask)
			if err == nil {
				answer, err = j.host(ask)
			}
			if err == nil {
				_, err = w.in.Write(appendFrame(nil, kindAnswer, []byte(answer)))
			}
			if err != nil {
				return rest, err
			}
		default:
			return rest, fmt.Errorf("unexpected message %q", kind)
		}
	}
	return nil, nil
}

// progress gives the worker time for its next message.
func (w *process) progress() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.due = time.Now().Add(script.Time + grace)
	if w.overdue == nil {
		w.overdue = time.AfterFunc(script.Time+grace, w.late)
	}
}

// rests tells that no message is expected.
func (w *process) rests() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.due = time.Time{}
}

// late ends what waits for the worker where that is late, and else looks again.
func (w *process) late() {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := time.Now()
	if w.due.IsZero() {
		w.overdue = nil
		return
	}
	if left := w.due.Sub(now); left > 0 {
		w.before = 0
		w.overdue.Reset(left)
		return
	}
	took, known := processorTime(w.command.Process.Pid)
	if w.before == 0 {
		w.before = took
	}
	if !known || took-w.before >= runaway || now.Sub(w.due) > starved {
		_, _ = w.in.SetDeadline(now), w.out.SetDeadline(now) // it may have ended
		return
	}
	w.overdue.Reset(script.Time)
}

// ended stops a worker, and makes a fault of the script of what stopped it.
func (w *process) ended(err error) (script.Output, error) {
	late := errors.Is(err, os.ErrDeadlineExceeded)
	code := w.stop()
	fault := func(format string, args ...any) (script.Output, error) {
		return script.Output{Rest: script.Rest{Fault: &script.Fault{Message: fmt.Sprintf(format, args...)}}}, nil
	}
	switch {
	case late:
		return fault("the script took longer than %s, and did not stop by itself", script.Time)
	case code == tooLarge || w.said.has("out of memory") || w.said.has("cannot allocate memory") || w.said.has("SIGSEGV"): // what it asked for it did not get
		return fault("the script took more than %d MB of memory", heapLimit>>20)
	case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
		return fault("the process of the script ended with code %d: %s", code, w.said)
	default:
		return script.Output{}, err
	}
}

// stop ends a worker at once, and returns its exit code.
func (w *process) stop() int {
	_ = w.in.Close() // which ends one that waits
	done := make(chan struct{})
	go func() {
		_ = w.command.Wait() // its code is looked at
		close(done)
	}()
	select {
	case <-done:
	case <-time.After(50 * time.Millisecond):
		_ = w.command.Process.Kill() // it may have ended
		<-done
	}
	_ = w.out.Close()
	return w.command.ProcessState.ExitCode()
}

// tail keeps the beginning of what a worker says before it ends.
type tail struct {
	mu   sync.Mutex
	text []byte
}

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.text = append(t.text, p[:min(len(p), max(0, 2_000-len(t.text)))]...)
	return len(p), nil
}

func (t *tail) has(words string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return bytes.Contains(t.text, []byte(words))
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	line, _, _ := bytes.Cut(t.text, []byte("\n"))
	return string(line)
}
