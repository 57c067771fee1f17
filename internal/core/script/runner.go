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

// Interpreter runs scripts, one call at a time. Calls see nothing of one another, whatever script
// answers them: what a script does at its top runs for each call, and what all scripts share cannot
// be changed. It takes some ten milliseconds to make, and a script in it next to nothing.
type Interpreter struct {
	rt       *goja.Runtime
	clock    Clock
	parse    goja.Callable
	stringly goja.Callable
	// What each run is given; it works on the run that goes on. A call is an object whose prototype
	// is calls.
	console, state, fake, calls *goja.Object
	limit                       limit
	*run
}

// Runner runs one script in the interpreter that it is loaded into.
type Runner struct {
	*Interpreter
	module goja.Callable
}

// frozen makes what scripts share unchangeable: the global object, all that hangs on it, and what
// the language makes objects from that no name leads to. It gives the function that does so.
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
  for (const value of [
    [][Symbol.iterator](), ''[Symbol.iterator](), ''.matchAll(/a/g), new Map().entries(), new Set().values(),
    () => 0, async () => 0, function* () {}, (function* () {})(),
  ]) freeze(Object.getPrototypeOf(value));
  return freeze;
})()`

// Clock tells the time that the process has worked so far. Where it tells processor time, a busy
// machine makes no fault of a script that is well.
type Clock func() time.Duration

// NewInterpreter makes an interpreter that measures the time of scripts by a clock.
func NewInterpreter(clock Clock) (*Interpreter, error) {
	it := &Interpreter{rt: goja.New(), clock: clock}
	it.rt.SetMaxCallStackSize(deepest)
	it.rt.SetTimeSource(func() time.Time { return it.now })
	it.rt.SetRandSource(func() float64 { return float64(it.chance().Whole(0, 1<<53-1)) / (1 << 53) })
	global := it.rt.GlobalObject()
	for _, name := range []string{"eval", "Function"} { // what is made of texts has no place in the source
		_ = global.Delete(name)
	}
	object := global.Get("JSON").ToObject(it.rt)
	it.parse, _ = goja.AssertFunction(object.Get("parse"))
	it.stringly, _ = goja.AssertFunction(object.Get("stringify"))
	it.run = &run{in: &Input{}}
	if err := errors.Join(it.makeConsole(), it.makeState(), it.makeFake(), it.makeCall()); err != nil {
		return nil, fmt.Errorf("set up scripts: %w", err)
	}
	deep, err := it.rt.RunString(frozen)
	if err != nil {
		return nil, fmt.Errorf("set up scripts: %w", err)
	}
	freeze, _ := goja.AssertFunction(deep)
	for _, object := range []*goja.Object{it.console, it.state, it.fake, it.calls} {
		if _, err := freeze(goja.Undefined(), object); err != nil {
			return nil, fmt.Errorf("set up scripts: %w", err)
		}
	}
	return it, nil
}

// Load makes a script ready to run.
func (it *Interpreter) Load(s *Script) (*Runner, error) {
	compiled, err := program(s.Source)
	if err != nil {
		return nil, err
	}
	value, err := it.rt.RunProgram(compiled)
	if err != nil {
		return nil, faultOf(err)
	}
	module, _ := goja.AssertFunction(value)
	return &Runner{Interpreter: it, module: module}, nil
}

// run is one run of a script.
type run struct {
	in      *Input
	parts   map[string]goja.Value // of the call, as far as the script asked for them
	now     time.Time
	drawn   *sample.Draw // nil until it is needed
	host    Host
	out     Output
	written map[string]string // what this run remembers, as JSON
	asks    atomic.Bool       // while the host is asked
	waited  atomic.Int64      // how long the clock ran while it was, in nanoseconds
}

// chance is where the run draws from.
func (r *run) chance() *sample.Draw {
	if r.drawn == nil {
		r.drawn = sample.NewDraw(r.in.Seed, r.in.Key, r.in.Number)
	}
	return r.drawn
}

// wrote notes what the run has written.
func (r *run) wrote(key, text string) {
	if r.written == nil {
		r.written = make(map[string]string)
	}
	r.written[key] = text
}

// Run answers one call.
func (r *Runner) Run(in *Input, host Host) (out Output) {
	r.run = &run{in: in, now: time.UnixMilli(in.Now), host: host}
	r.begins()
	defer r.ends()
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
func (it *Interpreter) makeCall() (err error) {
	it.calls = it.rt.NewObject()
	for _, name := range callParts {
		err = errors.Join(err, it.calls.DefineAccessorProperty(name, it.rt.ToValue(func(goja.FunctionCall) goja.Value { return it.part(name) }), nil, goja.FLAG_FALSE, goja.FLAG_TRUE))
	}
	return errors.Join(err, it.calls.Set("toJSON", func(goja.FunctionCall) goja.Value {
		whole := it.rt.NewObject()
		for _, name := range callParts {
			_ = whole.Set(name, it.part(name)) // a new object takes everything
		}
		return whole
	}))
}

// part is a part of the call that is answered.
func (it *Interpreter) part(name string) goja.Value {
	if known := it.parts[name]; known != nil {
		return known
	}
	if it.parts == nil {
		it.parts = make(map[string]goja.Value)
	}
	value := it.makePart(name)
	it.parts[name] = value
	return value
}

func (it *Interpreter) makePart(name string) goja.Value {
	texts := func(from map[string]string) goja.Value {
		object := it.rt.NewObject()
		for name, text := range from {
			_ = object.Set(name, text) // a new object takes everything
		}
		return object
	}
	in := it.in
	switch name {
	case "method":
		return it.rt.ToValue(in.Method)
	case "path":
		return texts(in.Path)
	case "query":
		return texts(in.Query)
	case "queries":
		object := it.rt.NewObject()
		for name, list := range in.Queries {
			values := make([]any, len(list))
			for i, text := range list {
				values[i] = text
			}
			_ = object.Set(name, it.rt.NewArray(values...))
		}
		return object
	case "headers":
		return texts(in.Headers)
	case "cookies":
		return texts(in.Cookies)
	case "caller":
		return it.rt.ToValue(in.Caller)
	case "certificate":
		return it.rt.ToValue(in.Certificate)
	case "address":
		return it.rt.ToValue(in.Address)
	case "text":
		return it.rt.ToValue(in.Text)
	case "body":
		return it.fromJSON(in.Body)
	default:
		return it.fromJSON(in.Vars)
	}
}

// fromJSON is a value of JSON; null for "".
func (it *Interpreter) fromJSON(text string) goja.Value {
	if text == "" {
		return goja.Null()
	}
	value, err := it.parse(goja.Undefined(), it.rt.ToValue(text))
	if err != nil {
		panic(err)
	}
	return value
}

func (it *Interpreter) toJSON(value goja.Value) (text string, ok bool) {
	given, err := it.stringly(goja.Undefined(), value)
	if err != nil {
		panic(err) // which the script gets
	}
	if goja.IsUndefined(given) {
		return "", false
	}
	return given.String(), true
}

func (it *Interpreter) log(call goja.FunctionCall) goja.Value {
	if len(it.out.Logs) >= mostLogs {
		return goja.Undefined()
	}
	words := make([]string, len(call.Arguments))
	for i, value := range call.Arguments {
		words[i] = value.String()
		if _, isObject := value.(*goja.Object); isObject {
			words[i], _ = it.toJSON(value)
		}
	}
	line := []rune(strings.Join(words, " "))
	it.out.Logs = append(it.out.Logs, string(line[:min(len(line), mostLine)]))
	return goja.Undefined()
}

// makeState makes what gives scripts the memory of the service.
func (it *Interpreter) makeState() error {
	state := it.rt.NewObject()
	it.state = state
	return errors.Join(
		state.Set("recall", func(call goja.FunctionCall) goja.Value {
			if text := it.ask(Ask{Key: call.Argument(0).String()}); text != "" {
				return it.fromJSON(text)
			}
			if len(call.Arguments) > 1 {
				return call.Arguments[1]
			}
			return goja.Null()
		}),
		state.Set("remember", func(call goja.FunctionCall) goja.Value { return it.write(call, false) }),
		state.Set("append", func(call goja.FunctionCall) goja.Value { return it.write(call, true) }),
		state.Set("forget", func(call goja.FunctionCall) goja.Value {
			it.keep(Write{Key: call.Argument(0).String()})
			it.wrote(call.Argument(0).String(), "")
			return goja.Undefined()
		}),
		state.Set("state", func(call goja.FunctionCall) goja.Value {
			var name string
			_ = json.Unmarshal([]byte(it.ask(Ask{Flow: call.Argument(0).String(), Key: thing(call.Argument(1))})), &name)
			return it.rt.ToValue(name)
		}),
		state.Set("move", func(call goja.FunctionCall) goja.Value {
			flow, of := call.Argument(0).String(), thing(call.Argument(1))
			text, _ := it.toJSON(it.rt.ToValue(call.Argument(2).String()))
			it.keep(Write{Flow: flow, Key: of, JSON: text})
			it.wrote(flow+"\x00"+of, text)
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
func (it *Interpreter) ask(a Ask) string {
	key := a.Key
	if a.Flow != "" {
		key = a.Flow + "\x00" + a.Key
	}
	if text, known := it.written[key]; known {
		return text
	}
	began := it.clock()
	it.asks.Store(true)
	text, err := it.host(a)
	it.waited.Add(int64(it.clock() - began))
	it.asks.Store(false)
	if err != nil {
		panic(it.rt.NewGoError(err))
	}
	return text
}

func (it *Interpreter) write(call goja.FunctionCall, appends bool) goja.Value {
	w := Write{Key: call.Argument(0).String(), Append: appends}
	text, ok := it.toJSON(call.Argument(1))
	if !ok {
		panic(it.rt.NewTypeError("what is remembered must be a value that JSON has"))
	}
	if options, isObject := call.Argument(2).(*goja.Object); isObject {
		if lasts := options.Get("for"); lasts != nil {
			d, err := time.ParseDuration(lasts.String())
			if err != nil || d <= 0 {
				panic(it.rt.NewTypeError("for must be a time such as 10m, not " + lasts.String()))
			}
			w.For = d.Milliseconds()
		}
	}
	w.JSON = text
	it.keep(w)
	if appends {
		before := it.ask(Ask{Key: w.Key})
		if list := strings.TrimSuffix(before, "]"); before != "" && strings.HasPrefix(before, "[") {
			text = list + map[bool]string{true: "", false: ","}[list == "["] + text + "]"
		} else {
			text = "[" + text + "]"
		}
	}
	it.wrote(w.Key, text)
	return goja.Undefined()
}

func (it *Interpreter) keep(w Write) {
	if len(it.out.Writes) >= mostWrite {
		panic(it.rt.NewTypeError("a script remembers at most " + strconv.Itoa(mostWrite) + " values"))
	}
	it.out.Writes = append(it.out.Writes, w)
}

// makeConsole makes what takes lines for the log of a call.
func (it *Interpreter) makeConsole() (err error) {
	it.console = it.rt.NewObject()
	for _, name := range []string{"log", "info", "warn", "error"} {
		err = errors.Join(err, it.console.Set(name, it.log))
	}
	return err
}

// makeFake makes what draws data: fake.ship(), fake.whole(1, 6), fake.pick(list) …
func (it *Interpreter) makeFake() (err error) {
	it.fake = it.rt.NewObject()
	for _, kind := range expr.FakeKinds {
		err = errors.Join(err, it.fake.Set(kind, func() string { return it.chance().Fake(kind) }))
	}
	return errors.Join(err, it.fake.Set("whole", func(low, high int64) int64 {
		if high < low {
			panic(it.rt.NewTypeError("fake.whole takes two numbers, the first not above the second"))
		}
		return it.chance().Whole(low, high)
	}), it.fake.Set("pick", func(call goja.FunctionCall) goja.Value {
		list := call.Argument(0).ToObject(it.rt)
		count := list.Get("length").ToInteger()
		if count == 0 {
			panic(it.rt.NewTypeError("fake.pick: the list is empty"))
		}
		return list.Get(strconv.FormatInt(it.chance().Whole(0, count-1), 10))
	}))
}

// take reads what the function gave: { status, headers, json | text | xml | base64 }.
func (it *Interpreter) take(given goja.Value) error {
	answer, isObject := given.(*goja.Object)
	if !isObject {
		return &Fault{Message: fmt.Sprintf("the function must give an object, such as { status: 200, json: {} }, not %s", given)}
	}
	if answer.ExportType() == reflect.TypeFor[*goja.Promise]() {
		promise := answer.Export().(*goja.Promise)
		switch promise.State() {
		case goja.PromiseStateFulfilled:
			return it.take(promise.Result())
		case goja.PromiseStateRejected:
			return &Fault{Message: "the function was rejected: " + promise.Result().String()}
		default:
			return &Fault{Message: "the function waits for something that never comes"}
		}
	}
	it.out.Status = 200
	bodies := 0
	for _, key := range answer.Keys() {
		value := answer.Get(key)
		if goja.IsUndefined(value) {
			continue
		}
		switch key {
		case "status":
			if it.out.Status = int(value.ToInteger()); it.out.Status < 200 || it.out.Status > 999 {
				return &Fault{Message: fmt.Sprintf("status must be a number from 200 to 999, not %s", value)}
			}
		case "headers":
			if err := it.headers(value); err != nil {
				return err
			}
		case "json", "text", "xml", "base64":
			bodies++
			if err := it.body(key, value); err != nil {
				return err
			}
		default:
			return &Fault{Message: fmt.Sprintf("an answer has no %q: it has status, headers, and one of json, text, xml and base64", key)}
		}
	}
	switch {
	case bodies > 1:
		return &Fault{Message: "an answer has one of json, text, xml and base64"}
	case len(it.out.Body) > mostBody:
		return &Fault{Message: fmt.Sprintf("the body has %d bytes, more than %d", len(it.out.Body), mostBody)}
	}
	return nil
}

func (it *Interpreter) body(kind string, value goja.Value) error {
	switch kind {
	case "json":
		text, ok := it.toJSON(value)
		if !ok {
			return &Fault{Message: "json must be a value that JSON has"}
		}
		it.out.Body, it.out.MediaType = []byte(text), "application/json"
	case "base64":
		bytes, err := base64.StdEncoding.DecodeString(value.String())
		if err != nil {
			return &Fault{Message: "base64 is not in the standard alphabet with its padding"}
		}
		it.out.Body, it.out.MediaType = bytes, "application/octet-stream"
	case "xml":
		it.out.Body, it.out.MediaType = []byte(value.String()), XML
	default:
		it.out.Body, it.out.MediaType = []byte(value.String()), "text/plain; charset=utf-8"
	}
	return nil
}

var token = regexp.MustCompile("^[!#$%&'*+.^_`|~0-9A-Za-z-]+$")

func (it *Interpreter) headers(value goja.Value) error {
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
			it.out.Headers = append(it.out.Headers, [2]string{name, text})
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
