// Package scripts runs the scripts of mappings in processes of their own, which are this program
// again: a script that allocates or loops without end takes its process down, and neither the
// service nor another call is harmed. A process runs one call at a time.
package scripts

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync/atomic"
	"time"

	"rapidmimic.example/internal/core/lru"
	"rapidmimic.example/internal/core/script"
)

// Argument makes this program a worker, which speaks over its standard input and output.
const Argument = "run-scripts"

// Messages between the service and a worker: a kind, the length of what follows, and that.
const (
	kindReady  byte = 'R' // it has come up, from the worker
	kindScript byte = 'S' // the source of a script, to the worker
	kindCall   byte = 'C' // the id of a script and an input for it, to the worker
	kindAsk    byte = 'Q' // what the script asks, from the worker
	kindAnswer byte = 'A' // what it gets, to the worker
	kindDone   byte = 'D' // an output, from the worker
)

// Bounds of a worker's memory, in bytes: the heap, above which it ends itself, and what the system
// gives it at all.
const (
	heapLimit   = 128 << 20
	systemLimit = 512 << 20
)

// knownScripts is how many scripts a worker keeps ready.
const knownScripts = 50

// mostFrame bounds one message, in bytes.
const mostFrame = 64 << 20

// tooLarge is the exit code of a worker whose script took too much memory.
const tooLarge = 3

func appendFrame(b []byte, kind byte, payload []byte) []byte {
	b = binary.BigEndian.AppendUint32(append(b, kind), uint32(len(payload)))
	return append(b, payload...)
}

func readFrame(r *bufio.Reader) (kind byte, payload []byte, err error) {
	var head [5]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return 0, nil, err
	}
	size := binary.BigEndian.Uint32(head[1:])
	if size > mostFrame {
		return 0, nil, fmt.Errorf("a message has %d bytes", size)
	}
	payload = make([]byte, size)
	_, err = io.ReadFull(r, payload)
	return head[0], payload, err
}

// WorkIfAsked makes this process a worker where its arguments say so. Programs that run the service
// begin with it.
func WorkIfAsked() {
	if len(os.Args) == 2 && os.Args[1] == Argument {
		os.Exit(Work(os.Stdin, os.Stdout))
	}
}

// Work is the whole of a worker: it runs scripts until its input ends, and returns the exit code.
func Work(in *os.File, out io.Writer) int {
	runtime.GOMAXPROCS(1) // it runs one script at a time
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(heapLimit / 2)
	limitSystem(systemLimit)
	runtime.LockOSThread() // what it takes of the processor is the script's, and nothing else is
	interpreter, err := script.NewInterpreter(threadClock())
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	watching := &watch{wake: make(chan struct{}, 1)}
	go watching.forever()
	w := &worker{
		in: bufio.NewReaderSize(input{in}, bufferSize), out: bufio.NewWriterSize(out, bufferSize),
		interpreter: interpreter, runners: lru.New[*script.Runner](knownScripts),
	}
	if err := w.say(kindReady, nil); err != nil || w.out.Flush() != nil {
		return 0
	}
	for {
		kind, payload, err := w.next()
		if err != nil {
			return 0 // the service is gone
		}
		watching.begin()
		err = w.handle(kind, payload)
		watching.busy.Store(false)
		if err == nil && (w.in.Buffered()+len(w.kept) == 0 || time.Since(w.flushed) > soon) {
			err, w.flushed = w.out.Flush(), time.Now()
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
	}
}

const (
	bufferSize = 64 << 10
	// soon is how long an output may wait for those that follow it, and how long a message is awaited
	// before the worker rests.
	soon = 2 * time.Millisecond
)

// input is what a worker reads.
type input struct{ *os.File }

func (in input) Read(b []byte) (int, error) {
	await(in.File, soon)
	return in.File.Read(b)
}

type worker struct {
	in          *bufio.Reader
	out         *bufio.Writer
	flushed     time.Time
	interpreter *script.Interpreter
	runners     *lru.Map[*script.Runner] // by the id of the script
	buffer      []byte
	// kept are messages that came while a script waited for an answer.
	kept []message
}

type message struct {
	kind    byte
	payload []byte
}

// next is the next message.
func (w *worker) next() (kind byte, payload []byte, err error) {
	if len(w.kept) == 0 {
		return readFrame(w.in)
	}
	first := w.kept[0]
	w.kept = w.kept[1:]
	return first.kind, first.payload, nil
}

// answer is what the service answers to what a script asks.
func (w *worker) answer() (string, error) {
	for {
		kind, payload, err := readFrame(w.in)
		switch {
		case err != nil:
			return "", err
		case kind == kindAnswer:
			return string(payload), nil
		default:
			w.kept = append(w.kept, message{kind, payload})
		}
	}
}

func (w *worker) say(kind byte, payload []byte) error {
	_, err := w.out.Write(appendFrame(w.buffer[:0], kind, payload))
	return err
}

func (w *worker) handle(kind byte, payload []byte) error {
	switch kind {
	case kindScript:
		compiled, err := script.Compile(string(payload))
		if err != nil {
			return err
		}
		runner, err := w.interpreter.Load(compiled)
		if err != nil {
			return err
		}
		w.runners.Ensure(compiled.ID, func() *script.Runner { return runner })
		return nil
	case kindCall:
		id, call := payload[:script.IDLength], payload[script.IDLength:]
		runner := w.runners.Get(string(id))
		if runner == nil {
			return fmt.Errorf("no script %s was sent", id)
		}
		in, err := script.DecodeInput(call)
		if err != nil {
			return err
		}
		out := (*runner).Run(in, w.ask)
		return w.say(kindDone, out.Append(nil))
	default:
		return fmt.Errorf("unknown message %q", kind)
	}
}

// ask asks the service while a script waits.
func (w *worker) ask(a script.Ask) (string, error) {
	text, err := json.Marshal(a)
	if err == nil {
		err = w.say(kindAsk, text)
	}
	if err == nil {
		err = w.out.Flush()
	}
	if err != nil {
		return "", err
	}
	return w.answer()
}

// watch ends the process when a script that runs has taken too much memory.
type watch struct {
	busy, asleep atomic.Bool
	wake         chan struct{}
}

// looks is how often it looks at the memory while there is work, drowsy how long it goes on looking
// when there is none.
const (
	looks  = 2 * time.Millisecond
	drowsy = 500
)

// begin tells that a script begins.
func (w *watch) begin() {
	w.busy.Store(true)
	if w.asleep.Load() {
		select {
		case w.wake <- struct{}{}:
		default:
		}
	}
}

func (w *watch) forever() {
	sample := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	ticks, idle := time.NewTicker(looks), 0
	for range ticks.C {
		if metrics.Read(sample); sample[0].Value.Uint64() > heapLimit {
			os.Exit(tooLarge)
		}
		if idle++; w.busy.Load() {
			idle = 0
		}
		if idle < drowsy {
			continue
		}
		w.asleep.Store(true)
		ticks.Stop()
		if !w.busy.Load() { // else one began in between
			<-w.wake
		}
		w.asleep.Store(false)
		ticks.Reset(looks)
		idle = 0
	}
}
