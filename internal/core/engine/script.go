package engine

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/script"
	"rapidmimic.example/spec/tree"
)

// fromScript answers with what the script of a mapping gives, and reports whether it gave
// something. What it remembers is kept with what else the answer does.
func (e *Engine) fromScript(d *Decision, p *Placed, r *call.Request, won *picked, reply *catalog.Reply, steps func() []call.Step) bool {
	refuse := func(title, detail string) bool {
		e.refuse(d, p, r, true, "script", selfDocument{Title: title, Status: 500, Detail: fmt.Sprintf("Mapping %q answers this call, but %s.", won.Value.Spec.ID, detail)},
			append(steps(), won.logged...))
		return false
	}
	if e.scripts == nil {
		return refuse("Scripts are not run here", "this service runs no scripts")
	}
	out, err := e.scripts.Run(p.context(), reply.Script, e.scriptInput(p, r, won, reply.Script), e.scriptHost(p, r))
	if err != nil {
		return refuse("The script could not be run", err.Error())
	}
	for _, line := range out.Logs {
		won.logged = append(won.logged, noted(call.Build, call.Subject{Kind: call.KindScript}, call.Find(call.Logged, line)))
	}
	e.noteFault(p, r, won.Value, out.Fault)
	if out.Fault != nil {
		return refuse("The script of the answer failed", "its script failed: "+out.Fault.Error())
	}
	d.Answer = call.Answer{Status: out.Status, Body: out.Body}
	typed := out.MediaType == ""
	for _, h := range out.Headers {
		d.Answer.Header = append(d.Answer.Header, call.Field{Name: h[0], Value: h[1]})
		typed = typed || strings.EqualFold(h[0], "Content-Type")
	}
	if !typed {
		d.Answer.Header = append(d.Answer.Header, call.Field{Name: "Content-Type", Value: out.MediaType})
	}
	if won.scripted, err = scriptWrites(out.Writes); err != nil {
		return refuse("The script of the answer failed", err.Error())
	}
	return true
}

// scriptFault is what went wrong when a script ran last, of one version of its mapping.
type scriptFault struct {
	version int64
	text    string
}

// mostFaults bounds of how many mappings the last fault is known.
const mostFaults = 1_000

// noteFault notes what went wrong with the script of a mapping, or that nothing did, without the
// secrets of the call.
func (e *Engine) noteFault(p *Placed, r *call.Request, m *catalog.Mapping, fault *script.Fault) {
	if e.peeking || fault == nil && e.scriptFaults.none() {
		return
	}
	text := ""
	if fault != nil {
		said := &call.Explanation{Summary: call.Find(call.Logged, fault.Error())}
		if e.secrets != nil {
			e.secrets.Clean(r, &call.Answer{}, &said)
		}
		text = said.Summary.String()
	}
	e.scriptFaults.set(faultKey(p.Service, m), scriptFault{m.Version, text})
}

func faultKey(s *catalog.Service, m *catalog.Mapping) string {
	return s.Spec.ID + "\x00" + m.Origin + "\x00" + m.Spec.ID
}

// ScriptFault is what went wrong when the script of a mapping ran last, as it is now; "" for
// nothing, or where it has not run.
func (e *Engine) ScriptFault(s *catalog.Service, m *catalog.Mapping) string {
	if fault, known := e.scriptFaults.get(faultKey(s, m)); known && fault.version == m.Version && fault.text != "" {
		return "its script failed when it ran last: " + fault.text
	}
	return ""
}

// faults are the last faults of scripts, by mapping. The zero value is empty.
type faults struct {
	mu    sync.Mutex // guards known
	known map[string]scriptFault
	count atomic.Int64
}

func (f *faults) none() bool { return f.count.Load() == 0 }

func (f *faults) get(key string) (scriptFault, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	fault, known := f.known[key]
	return fault, known
}

// set keeps a fault; one without a text takes that of the mapping away.
func (f *faults) set(key string, fault scriptFault) {
	f.mu.Lock()
	defer f.mu.Unlock()
	switch {
	case fault.text == "":
		delete(f.known, key)
	case len(f.known) < mostFaults:
		if f.known == nil {
			f.known = make(map[string]scriptFault)
		}
		f.known[key] = fault
	}
	f.count.Store(int64(len(f.known)))
}

// scriptInput is what a script sees of a call.
func (e *Engine) scriptInput(p *Placed, r *call.Request, won *picked, s *script.Script) *script.Input {
	in := &script.Input{Method: r.Method, Address: r.Address, Caller: r.CallerHost(), Certificate: r.Certificate, Now: e.now().UnixMilli()}
	if s.Wants(script.Path) {
		in.Path = won.Rule.Template.Params(won.segments)
	}
	if s.Wants(script.Query) {
		query, _ := url.ParseQuery(r.Query) // what can be read counts
		in.Queries, in.Query = query, make(map[string]string, len(query))
		for name, values := range query {
			in.Query[name] = values[0]
		}
	}
	if s.Wants(script.Headers) {
		in.Headers = make(map[string]string, len(r.Header))
		for name, values := range r.Header {
			in.Headers[strings.ToLower(name)] = strings.Join(values, ", ")
		}
	}
	if s.Wants(script.Cookies) {
		in.Cookies = maps.Collect(match.Cookies(r))
	}
	if s.Wants(script.Text) {
		in.Text = string(match.Plain(r))
	}
	if s.Wants(script.Body) {
		if body := e.ask(p, r).facts.Body(); body != nil {
			in.Body = string(body.AppendJSON(nil))
		}
	}
	if s.Wants(script.Vars) {
		in.Vars = variablesText(p.Service)
	}
	in.Seed, in.Key, in.Number = e.chance(p, r, "")
	return in
}

// variablesText are the variables of a service as JSON.
func variablesText(s *catalog.Service) string {
	all := s.Variables()
	object := tree.NewMap()
	for _, name := range slices.Sorted(maps.Keys(all)) {
		if value := all[name].Value; value != nil {
			object.Members = append(object.Members, tree.Member{Key: name, Value: value})
		}
	}
	return string(object.AppendJSON(nil))
}

// scriptHost answers what a script asks of the memory.
func (e *Engine) scriptHost(p *Placed, r *call.Request) script.Host {
	return func(a script.Ask) (string, error) {
		if a.Flow != "" {
			return string(tree.NewString(e.flowState(p, a.Flow, a.Key)).AppendJSON(nil)), nil
		}
		if kept := e.recall(p, e.ask(p, r))(a.Key); kept != nil {
			return string(kept.AppendJSON(nil)), nil
		}
		return "", nil
	}
}

// scriptWrites are the writes of a script as the memory takes them.
func scriptWrites(given []script.Write) (writes []collection.Write, err error) {
	for _, w := range given {
		write := collection.Write{Key: w.Key, Append: w.Append, For: time.Duration(w.For) * time.Millisecond}
		switch {
		case w.Flow != "":
			write.Key = collection.FlowKey(w.Flow, w.Key)
		case !collection.IsKey(w.Key):
			return nil, fmt.Errorf("a key must be a text of at most %d bytes, not %.40q", collection.MaxKey, w.Key)
		}
		if w.JSON != "" {
			if write.Node, err = tree.ParseJSON([]byte(w.JSON)); err != nil {
				return nil, fmt.Errorf("what is remembered under %q cannot be read: %w", w.Key, err)
			}
		}
		writes = append(writes, write)
	}
	return writes, nil
}
