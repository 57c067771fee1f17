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
	kindReady   byte = 'R' // it has come up, from the worker
	kindScript  byte = 'S' // the source of a script, to the worker
	kindCall    byte = 'C' // the id of a script and an input for it, to the worker
	kindUnknown byte = 'U' // it has no such script, from the worker
	kindAsk     byte = 'Q' // what the script asks, from the worker
	kindAnswer  byte = 'A' // what it gets, to the worker
	kindDone    byte = 'D' // an output, from the worker
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

func writeFrame(w io.Writer, kind byte, payload []byte) error {
	frame := make([]byte, 5, 5+len(payload))
	frame[0] = kind
	binary.BigEndian.PutUint32(frame[1:], uint32(len(payload)))
	_, err := w.Write(append(frame, payload...))
	return err
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
func Work(in io.Reader, out io.Writer) int {
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(heapLimit / 2)
	limitSystem(systemLimit)
	watching := &watch{wake: make(chan struct{}, 1)}
	go watching.forever()
	w := &worker{in: bufio.NewReader(in), out: out, runners: lru.New[*script.Runner](knownScripts)}
	if err := writeFrame(out, kindReady, nil); err != nil {
		return 0
	}
	for {
		kind, payload, err := readFrame(w.in)
		if err != nil {
			return 0 // the service is gone
		}
		watching.begin()
		err = w.handle(kind, payload)
		watching.busy.Store(false)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
	}
}

type worker struct {
	in      *bufio.Reader
	out     io.Writer
	runners *lru.Map[*script.Runner] // by the id of the script
}

func (w *worker) handle(kind byte, payload []byte) error {
	switch kind {
	case kindScript:
		compiled, err := script.Compile(string(payload))
		if err != nil {
			return err
		}
		runner, err := script.NewRunner(compiled)
		if err != nil {
			return err
		}
		w.runners.Ensure(compiled.ID, func() *script.Runner { return runner })
		return nil
	case kindCall:
		id, call := payload[:script.IDLength], payload[script.IDLength:]
		runner := w.runners.Get(string(id))
		if runner == nil {
			return writeFrame(w.out, kindUnknown, nil)
		}
		var in script.Input
		if err := json.Unmarshal(call, &in); err != nil {
			return err
		}
		out, err := json.Marshal((*runner).Run(&in, w.ask))
		if err != nil {
			return err
		}
		return writeFrame(w.out, kindDone, out)
	default:
		return fmt.Errorf("unknown message %q", kind)
	}
}

// ask asks the service while a script waits.
func (w *worker) ask(a script.Ask) (string, error) {
	text, err := json.Marshal(a)
	if err == nil {
		err = writeFrame(w.out, kindAsk, text)
	}
	if err != nil {
		return "", err
	}
	kind, payload, err := readFrame(w.in)
	if err == nil && kind != kindAnswer {
		err = fmt.Errorf("unexpected message %q", kind)
	}
	return string(payload), err
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
