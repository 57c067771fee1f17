package script

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/dop251/goja"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/sample"
)

// Limits of one run.
const (
	Time      = 50 * time.Millisecond
	mostLogs  = 50
	mostLine  = 500 // characters of a line of the log
	mostBody  = 8 << 20
	mostWrite = 100
	deepest   = 500 // calls within calls
)

// XML is the media type of a body that a script gives as xml.
const XML = "application/xml"

// Host answers what a script asks while it runs: JSON, "" for nothing.
type Host func(Ask) (string, error)

// Runner runs one script, one call at a time. Calls see nothing of one another: what the script
// does at its top runs for each, and what all scripts share cannot be changed.
type Runner struct {
	rt       *goja.Runtime
	clock    Clock
	module   goja.Callable
	parse    goja.Callable
	stringly goja.Callable
	// What each run is given; it works on the run that goes on. A call is an object whose prototype
	// is calls.
	console, state, fake, calls *goja.Object
	*run
}

// frozen makes what scripts share unchangeable: the global object, and all that hangs on it.
const frozen = `(function () {
  const seen = new Set();
  const freeze = (o) => {
    if (o === null || (typeof o !== 'object' && typeof o !== 'function') || seen.has(o)) return;
    seen.add(o);
    for (const key of Reflect.ownKeys(o)) {
      const d = Object.getOwnPropertyDescriptor(o, key);
      if ('value' in d) freeze(d.value); else { freeze(d.get); freeze(d.set); }
    }
    freeze(Object.getPrototypeOf(o));
    if (o !== globalThis) Object.freeze(o);
  };
  freeze(globalThis);
  Object.freeze(globalThis);
})()`

// Clock tells the time that the process has worked so far. Where it tells processor time, a busy
// machine makes no fault of a script that is well.
type Clock func() time.Duration

// NewRunner makes a runner of a script, whose time is measured by a clock.
func NewRunner(s *Script, clock Clock) (*Runner, error) {
	compiled, err := program(s.Source)
	if err != nil {
		return nil, err
	}
	r := &Runner{rt: goja.New(), clock: clock}
	r.rt.SetMaxCallStackSize(deepest)
	r.rt.SetTimeSource(func() time.Time { return r.now })
	r.rt.SetRandSource(func() float64 { return float64(r.draw().Whole(0, 1<<53-1)) / (1 << 53) })
	global := r.rt.GlobalObject()
	for _, name := range []string{"eval", "Function"} { // what is made of texts has no place in the source
		_ = global.Delete(name)
	}
	object := global.Get("JSON").ToObject(r.rt)
	r.parse, _ = goja.AssertFunction(object.Get("parse"))
	r.stringly, _ = goja.AssertFunction(object.Get("stringify"))
	r.run = &run{draw: func() *sample.Draw { return sample.NewDraw(0, "", 0) }}
	if err := errors.Join(r.makeConsole(), r.makeState(), r.makeFake(), r.makeCall()); err != nil {
		return nil, fmt.Errorf("set up scripts: %w", err)
	}
	if _, err := r.rt.RunString(frozen); err != nil {
		return nil, fmt.Errorf("set up scripts: %w", err)
	}
	freeze, _ := goja.AssertFunction(global.Get("Object").ToObject(r.rt).Get("freeze"))
	for _, object := range []*goja.Object{r.console, r.state, r.fake, r.calls} {
		if _, err := freeze(goja.Undefined(), object); err != nil {
			return nil, fmt.Errorf("set up scripts: %w", err)
		}
	}
	value, err := r.rt.RunProgram(compiled)
	if err != nil {
		return nil, faultOf(err)
	}
	r.module, _ = goja.AssertFunction(value)
	return r, nil
}

// run is one run of a runner.
type run struct {
	in      *Input
	parts   map[string]goja.Value // of the call, as far as the script asked for them
	now     time.Time
	draw    func() *sample.Draw
	host    Host
	out     Output
	written map[string]string // what this run remembers, as JSON
	asks    atomic.Bool       // while the host is asked
	waited  atomic.Int64      // how long the clock ran while it was, in nanoseconds
}

// Run answers one call.
func (r *Runner) Run(in *Input, host Host) (out Output) {
	r.run = &run{
		in: in, now: time.UnixMilli(in.Now), host: host, written: make(map[string]string),
		draw: sync.OnceValue(func() *sample.Draw { return sample.NewDraw(in.Seed, in.Key, in.Number) }),
	}
	defer r.limited()()
	defer func() {
		switch fault := recover().(type) {
		case nil:
		case error: // what a function of the script, or of ours, threw
			out = Output{Rest: Rest{Fault: faultOf(fault), Logs: r.out.Logs}}
		default:
			out = Output{Rest: Rest{Fault: &Fault{Message: fmt.Sprintf("the interpreter failed: %v", fault)}, Logs: r.out.Logs}}
		}
	}()
	if err := r.answer(); err != nil {
		return Output{Rest: Rest{Fault: faultOf(err), Logs: r.out.Logs}}
	}
	return r.out
}

// limited stops the run that begins when its time is over, until done is called. It never stops the
// run that follows.
func (r *Runner) limited() (done func()) {
	var mu sync.Mutex // guards over, and the timer until it is made
	over, began, current := false, r.clock(), r.run
	var timer *time.Timer
	mu.Lock()
	defer mu.Unlock()
	timer = time.AfterFunc(Time, func() {
		mu.Lock()
		defer mu.Unlock()
		if over {
			return
		}
		left := Time - (r.clock() - began - time.Duration(current.waited.Load()))
		if left > 0 || current.asks.Load() {
			timer.Reset(max(left, time.Millisecond))
			return
		}
		r.rt.Interrupt(fmt.Sprintf("the script took longer than %s", Time))
	})
	return func() {
		timer.Stop()
		mu.Lock()
		defer mu.Unlock()
		over = true
		r.rt.ClearInterrupt()
	}
}

func (r *Runner) answer() error {
	exports := r.rt.NewObject()
	if _, err := r.module(goja.Undefined(), exports, r.console); err != nil {
		return err
	}
	answer, ok := goja.AssertFunction(exports.Get("answer"))
	if !ok {
		return &Fault{Message: "export default must be a function"}
	}
	given, err := answer(goja.Undefined(), r.rt.CreateObject(r.calls), r.state, r.fake)
	if err != nil {
		return err
	}
	return r.take(given)
}

// callParts are what a call has.
var callParts = []string{"method", "path", "query", "queries", "headers", "cookies", "caller", "certificate", "address", "text", "body", "vars"}

// makeCall makes what all calls have in common: each part is made when it is first asked for.
func (r *Runner) makeCall() (err error) {
	r.calls = r.rt.NewObject()
	for _, name := range callParts {
		err = errors.Join(err, r.calls.DefineAccessorProperty(name, r.rt.ToValue(func(goja.FunctionCall) goja.Value { return r.part(name) }), nil, goja.FLAG_FALSE, goja.FLAG_TRUE))
	}
	return errors.Join(err, r.calls.Set("toJSON", func(goja.FunctionCall) goja.Value {
		whole := r.rt.NewObject()
		for _, name := range callParts {
			_ = whole.Set(name, r.part(name)) // a new object takes everything
		}
		return whole
	}))
}

// part is a part of the call that is answered.
func (r *Runner) part(name string) goja.Value {
	if known := r.parts[name]; known != nil {
		return known
	}
	if r.parts == nil {
		r.parts = make(map[string]goja.Value)
	}
	value := r.makePart(name)
	r.parts[name] = value
	return value
}

func (r *Runner) makePart(name string) goja.Value {
	texts := func(from map[string]string) goja.Value {
		object := r.rt.NewObject()
		for name, text := range from {
			_ = object.Set(name, text) // a new object takes everything
		}
		return object
	}
	in := r.in
	switch name {
	case "method":
		return r.rt.ToValue(in.Method)
	case "path":
		return texts(in.Path)
	case "query":
		return texts(in.Query)
	case "queries":
		object := r.rt.NewObject()
		for name, list := range in.Queries {
			values := make([]any, len(list))
			for i, text := range list {
				values[i] = text
			}
			_ = object.Set(name, r.rt.NewArray(values...))
		}
		return object
	case "headers":
		return texts(in.Headers)
	case "cookies":
		return texts(in.Cookies)
	case "caller":
		return r.rt.ToValue(in.Caller)
	case "certificate":
		return r.rt.ToValue(in.Certificate)
	case "address":
		return r.rt.ToValue(in.Address)
	case "text":
		return r.rt.ToValue(in.Text)
	case "body":
		return r.fromJSON(in.Body)
	default:
		return r.fromJSON(in.Vars)
	}
}

// fromJSON is a value of JSON; null for "".
func (r *Runner) fromJSON(text string) goja.Value {
	if text == "" {
		return goja.Null()
	}
	value, err := r.parse(goja.Undefined(), r.rt.ToValue(text))
	if err != nil {
		panic(err)
	}
	return value
}

func (r *Runner) toJSON(value goja.Value) (text string, ok bool) {
	given, err := r.stringly(goja.Undefined(), value)
	if err != nil {
		panic(err) // which the script gets
	}
	if goja.IsUndefined(given) {
		return "", false
	}
	return given.String(), true
}

func (r *Runner) log(call goja.FunctionCall) goja.Value {
	if len(r.out.Logs) >= mostLogs {
		return goja.Undefined()
	}
	words := make([]string, len(call.Arguments))
	for i, value := range call.Arguments {
		words[i] = value.String()
		if _, isObject := value.(*goja.Object); isObject {
			words[i], _ = r.toJSON(value)
		}
	}
	line := []rune(strings.Join(words, " "))
	r.out.Logs = append(r.out.Logs, string(line[:min(len(line), mostLine)]))
	return goja.Undefined()
}

// makeState makes what gives scripts the memory of the service.
func (r *Runner) makeState() error {
	state := r.rt.NewObject()
	r.state = state
	return errors.Join(
		state.Set("recall", func(call goja.FunctionCall) goja.Value {
			if text := r.ask(Ask{Key: call.Argument(0).String()}); text != "" {
				return r.fromJSON(text)
			}
			if len(call.Arguments) > 1 {
				return call.Arguments[1]
			}
			return goja.Null()
		}),
		state.Set("remember", func(call goja.FunctionCall) goja.Value { return r.write(call, false) }),
		state.Set("append", func(call goja.FunctionCall) goja.Value { return r.write(call, true) }),
		state.Set("forget", func(call goja.FunctionCall) goja.Value {
			r.keep(Write{Key: call.Argument(0).String()})
			r.written[call.Argument(0).String()] = ""
			return goja.Undefined()
		}),
		state.Set("state", func(call goja.FunctionCall) goja.Value {
			var name string
			_ = json.Unmarshal([]byte(r.ask(Ask{Flow: call.Argument(0).String(), Key: thing(call.Argument(1))})), &name)
			return r.rt.ToValue(name)
		}),
		state.Set("move", func(call goja.FunctionCall) goja.Value {
			flow, of := call.Argument(0).String(), thing(call.Argument(1))
			text, _ := r.toJSON(r.rt.ToValue(call.Argument(2).String()))
			r.keep(Write{Flow: flow, Key: of, JSON: text})
			r.written[flow+"\x00"+of] = text
			return goja.Undefined()
		}),
	)
}

// thing is what tells the things of a flow apart; "" for what is left out.
func thing(v goja.Value) string {
	if goja.IsUndefined(v) || goja.IsNull(v) {
		return ""
	}
	return v.String()
}

// ask gives what this run has written, else asks the service.
func (r *Runner) ask(a Ask) string {
	key := a.Key
	if a.Flow != "" {
		key = a.Flow + "\x00" + a.Key
	}
	if text, known := r.written[key]; known {
		return text
	}
	began := r.clock()
	r.asks.Store(true)
	text, err := r.host(a)
	r.waited.Add(int64(r.clock() - began))
	r.asks.Store(false)
	if err != nil {
		panic(r.rt.NewGoError(err))
	}
	return text
}

func (r *Runner) write(call goja.FunctionCall, appends bool) goja.Value {
	w := Write{Key: call.Argument(0).String(), Append: appends}
	text, ok := r.toJSON(call.Argument(1))
	if !ok {
		panic(r.rt.NewTypeError("what is remembered must be a value that JSON has"))
	}
	if options, isObject := call.Argument(2).(*goja.Object); isObject {
		if lasts := options.Get("for"); lasts != nil {
			d, err := time.ParseDuration(lasts.String())
			if err != nil || d <= 0 {
				panic(r.rt.NewTypeError("for must be a time such as 10m, not " + lasts.String()))
			}
			w.For = d.Milliseconds()
		}
	}
	w.JSON = text
	r.keep(w)
	if appends {
		before := r.ask(Ask{Key: w.Key})
		if list := strings.TrimSuffix(before, "]"); before != "" && strings.HasPrefix(before, "[") {
			text = list + map[bool]string{true: "", false: ","}[list == "["] + text + "]"
		} else {
			text = "[" + text + "]"
		}
	}
	r.written[w.Key] = text
	return goja.Undefined()
}

func (r *Runner) keep(w Write) {
	if len(r.out.Writes) >= mostWrite {
		panic(r.rt.NewTypeError("a script remembers at most " + strconv.Itoa(mostWrite) + " values"))
	}
	r.out.Writes = append(r.out.Writes, w)
}

// makeConsole makes what takes lines for the log of a call.
func (r *Runner) makeConsole() (err error) {
	r.console = r.rt.NewObject()
	for _, name := range []string{"log", "info", "warn", "error"} {
		err = errors.Join(err, r.console.Set(name, r.log))
	}
	return err
}

// makeFake makes what draws data: fake.ship(), fake.whole(1, 6), fake.pick(list) …
func (r *Runner) makeFake() (err error) {
	r.fake = r.rt.NewObject()
	for _, kind := range expr.FakeKinds {
		err = errors.Join(err, r.fake.Set(kind, func() string { return r.draw().Fake(kind) }))
	}
	return errors.Join(err, r.fake.Set("whole", func(low, high int64) int64 {
		if high < low {
			panic(r.rt.NewTypeError("fake.whole takes two numbers, the first not above the second"))
		}
		return r.draw().Whole(low, high)
	}), r.fake.Set("pick", func(call goja.FunctionCall) goja.Value {
		list := call.Argument(0).ToObject(r.rt)
		count := list.Get("length").ToInteger()
		if count == 0 {
			panic(r.rt.NewTypeError("fake.pick: the list is empty"))
		}
		return list.Get(strconv.FormatInt(r.draw().Whole(0, count-1), 10))
	}))
}

// take reads what the function gave: { status, headers, json | text | xml | base64 }.
func (r *Runner) take(given goja.Value) error {
	answer, isObject := given.(*goja.Object)
	if !isObject {
		return &Fault{Message: fmt.Sprintf("the function must give an object, such as { status: 200, json: {} }, not %s", given)}
	}
	if answer.ExportType() == reflect.TypeFor[*goja.Promise]() {
		promise := answer.Export().(*goja.Promise)
		switch promise.State() {
		case goja.PromiseStateFulfilled:
			return r.take(promise.Result())
		case goja.PromiseStateRejected:
			return &Fault{Message: "the function was rejected: " + promise.Result().String()}
		default:
			return &Fault{Message: "the function waits for something that never comes"}
		}
	}
	r.out.Status = 200
	bodies := 0
	for _, key := range answer.Keys() {
		value := answer.Get(key)
		if goja.IsUndefined(value) {
			continue
		}
		switch key {
		case "status":
			if r.out.Status = int(value.ToInteger()); r.out.Status < 200 || r.out.Status > 999 {
				return &Fault{Message: fmt.Sprintf("status must be a number from 200 to 999, not %s", value)}
			}
		case "headers":
			if err := r.headers(value); err != nil {
				return err
			}
		case "json", "text", "xml", "base64":
			bodies++
			if err := r.body(key, value); err != nil {
				return err
			}
		default:
			return &Fault{Message: fmt.Sprintf("an answer has no %q: it has status, headers, and one of json, text, xml and base64", key)}
		}
	}
	switch {
	case bodies > 1:
		return &Fault{Message: "an answer has one of json, text, xml and base64"}
	case len(r.out.Body) > mostBody:
		return &Fault{Message: fmt.Sprintf("the body has %d bytes, more than %d", len(r.out.Body), mostBody)}
	}
	return nil
}

func (r *Runner) body(kind string, value goja.Value) error {
	switch kind {
	case "json":
		text, ok := r.toJSON(value)
		if !ok {
			return &Fault{Message: "json must be a value that JSON has"}
		}
		r.out.Body, r.out.MediaType = []byte(text), "application/json"
	case "base64":
		bytes, err := base64.StdEncoding.DecodeString(value.String())
		if err != nil {
			return &Fault{Message: "base64 is not in the standard alphabet with its padding"}
		}
		r.out.Body, r.out.MediaType = bytes, "application/octet-stream"
	case "xml":
		r.out.Body, r.out.MediaType = []byte(value.String()), XML
	default:
		r.out.Body, r.out.MediaType = []byte(value.String()), "text/plain; charset=utf-8"
	}
	return nil
}

var token = regexp.MustCompile("^[!#$%&'*+.^_`|~0-9A-Za-z-]+$")

func (r *Runner) headers(value goja.Value) error {
	object, isObject := value.(*goja.Object)
	if !isObject {
		return &Fault{Message: "headers must be an object"}
	}
	for _, name := range object.Keys() {
		if !token.MatchString(name) {
			return &Fault{Message: fmt.Sprintf("%q is not a header name", name)}
		}
		switch strings.ToLower(name) {
		case "content-length", "transfer-encoding", "connection":
			return &Fault{Message: name + " follows from the body and cannot be set"}
		}
		values := []goja.Value{object.Get(name)}
		if list, ok := values[0].(*goja.Object); ok && list.ClassName() == "Array" {
			values = nil
			for _, i := range list.Keys() {
				values = append(values, list.Get(i))
			}
		}
		for _, v := range values {
			text := strings.NewReplacer("\r", " ", "\n", " ", "\x00", " ").Replace(v.String())
			r.out.Headers = append(r.out.Headers, [2]string{name, text})
		}
	}
	return nil
}

var stackPlace = regexp.MustCompile(`script:(\d+):(\d+)`)

// faultOf is what went wrong, at the place where it did.
func faultOf(err error) *Fault {
	var fault *Fault
	if errors.As(err, &fault) {
		return fault
	}
	var interrupted *goja.InterruptedError
	if errors.As(err, &interrupted) {
		f := placed(interrupted.String())
		f.Message = fmt.Sprint(interrupted.Value())
		return f
	}
	var overflow *goja.StackOverflowError
	if errors.As(err, &overflow) {
		f := placed(overflow.String())
		f.Message = "the script calls itself without end"
		return f
	}
	var thrown *goja.Exception
	if errors.As(err, &thrown) {
		f := placed(thrown.String())
		f.Message = thrown.Value().String()
		return f
	}
	return &Fault{Message: err.Error()}
}

// placed is a fault at the first place that a trace names.
func placed(trace string) *Fault {
	f := &Fault{}
	if found := stackPlace.FindStringSubmatch(trace); found != nil {
		f.Line, _ = strconv.Atoi(found[1])
		f.Col, _ = strconv.Atoi(found[2])
		if f.Line == 1 {
			f.Col = max(1, f.Col-prefix)
		}
	}
	return f
}
