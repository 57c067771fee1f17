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
	// grace is how long a worker has for a call, beside the time of the script itself.
	grace = 250 * time.Millisecond
	// starting is how long a worker may take to come up.
	starting = 10 * time.Second
	// patience is how long a call waits for a worker.
	patience = 5 * time.Second
)

// Pool runs scripts in workers. It is safe for concurrent use.
type Pool struct {
	program string
	free    chan *process // workers that wait, nil for one that may be started
	done    chan struct{}
	closing sync.Once
}

// NewPool makes a pool of at most so many workers of a program, "" for this one. They are started
// when they are needed.
func NewPool(program string, workers int) *Pool {
	p := &Pool{program: program, free: make(chan *process, workers), done: make(chan struct{})}
	for range workers {
		p.free <- nil
	}
	return p
}

// errors of a run that is no fault of the script.
var (
	errClosed = errors.New("the service stops")
	errBusy   = fmt.Errorf("no script could be run within %s, since so many are waiting", patience)
)

// Run runs a script for a call. host answers what it asks.
func (p *Pool) Run(ctx context.Context, s *script.Script, in *script.Input, host script.Host) (script.Output, error) {
	call, err := json.Marshal(in)
	if err != nil {
		return script.Output{}, err
	}
	waiting := time.NewTimer(patience)
	defer waiting.Stop()
	var w *process
	select {
	case w = <-p.free:
	case <-ctx.Done():
		return script.Output{}, ctx.Err()
	case <-p.done:
		return script.Output{}, errClosed
	case <-waiting.C:
		return script.Output{}, errBusy
	}
	fresh := w == nil
	if fresh {
		if w, err = p.start(); err != nil {
			p.free <- nil
			return script.Output{}, err
		}
	}
	out, err := w.run(s, call, host)
	if errors.Is(err, errGone) && !fresh { // it ended while it waited
		w.stop()
		if w, err = p.start(); err == nil {
			out, err = w.run(s, call, host)
		}
	}
	if err == nil {
		p.give(w)
		return out, nil
	}
	if w != nil {
		out, err = w.ended(err)
	}
	p.give(nil)
	return out, err
}

// give puts a worker back; one of a pool that is closed is stopped.
func (p *Pool) give(w *process) {
	p.free <- w
	select {
	case <-p.done:
		p.drain()
	default:
	}
}

// Close stops all workers. Calls that are under way come to their end.
func (p *Pool) Close() {
	p.closing.Do(func() { close(p.done) })
	p.drain()
}

func (p *Pool) drain() {
	for {
		select {
		case w := <-p.free:
			if w != nil {
				w.stop()
			}
		default:
			return
		}
	}
}

// process is a worker.
type process struct {
	command *exec.Cmd
	in      *os.File // to it
	out     *os.File // from it
	reader  *bufio.Reader
	said    *tail
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
	w := &process{command: exec.Command(program, Argument), in: in, out: out, reader: bufio.NewReader(out), said: &tail{}}
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
	return w, nil
}

// errGone is that of a worker that had ended before it got a call.
var errGone = errors.New("the process for scripts has ended")

// run runs a script for a call.
func (w *process) run(s *script.Script, call []byte, host script.Host) (out script.Output, err error) {
	deadline := time.Now().Add(script.Time + grace)
	if err := errors.Join(w.in.SetDeadline(deadline), w.out.SetDeadline(deadline)); err != nil {
		return out, err
	}
	call = append([]byte(s.ID), call...)
	if err := writeFrame(w.in, kindCall, call); err != nil {
		return out, errGone
	}
	for {
		kind, payload, err := readFrame(w.reader)
		if err != nil {
			return out, err
		}
		switch kind {
		case kindDone:
			return out, json.Unmarshal(payload, &out)
		case kindUnknown:
			if err := errors.Join(writeFrame(w.in, kindScript, []byte(s.Source)), writeFrame(w.in, kindCall, call)); err != nil {
				return out, err
			}
		case kindAsk:
			var ask script.Ask
			if err := json.Unmarshal(payload, &ask); err != nil {
				return out, err
			}
			answer, err := host(ask)
			if err != nil {
				return out, err
			}
			if err := writeFrame(w.in, kindAnswer, []byte(answer)); err != nil {
				return out, err
			}
		default:
			return out, fmt.Errorf("unexpected message %q", kind)
		}
	}
}

// ended stops a worker, and makes a fault of the script of what stopped it.
func (w *process) ended(err error) (script.Output, error) {
	late := errors.Is(err, os.ErrDeadlineExceeded)
	code := w.stop()
	fault := func(format string, args ...any) (script.Output, error) {
		return script.Output{Fault: &script.Fault{Message: fmt.Sprintf(format, args...)}}, nil
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
