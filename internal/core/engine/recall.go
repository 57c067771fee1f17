package engine

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// space is whose memory a call reads and writes.
func (p *Placed) space() collection.Space {
	return collection.Space{Service: p.Service.Spec.ID, Lane: p.LaneName(), With: p.Service.MemoryWith}
}

// turn lets no other call come between what this one recalls and what it remembers, where a
// mapping that could answer it remembers something, until end is called. ok is false where so many
// are before it that it is not worth the wait.
func (e *Engine) turn(p *Placed, among *candidates) (end func(), ok bool) {
	if e.peeking || !slices.ContainsFunc(among.fits, func(f fit) bool { return f.Value.Writes }) {
		return func() {}, true
	}
	return e.memory.Hold(p.context(), p.space(), turnPatience)
}

// turnPatience is how long a call waits for those before it.
const turnPatience = 10 * time.Second

// context ends when the caller has left; that of a trial never does.
func (p *Placed) context() context.Context {
	if p.ctx == nil {
		return context.Background()
	}
	return p.ctx
}

// recall gives expressions what the service remembers, and notes that it was asked for.
func (e *Engine) recall(p *Placed, a *asking) func(key string) *tree.Node {
	return func(key string) *tree.Node {
		if !slices.Contains(a.recalled, key) && len(a.recalled) < mostPassed {
			a.recalled = append(a.recalled, key)
		}
		return e.memory.Recall(p.space(), key, e.now())
	}
}

// flowState is the state of a thing in a flow.
func (e *Engine) flowState(p *Placed, flow, of string) string {
	if kept := e.memory.Recall(p.space(), collection.FlowKey(flow, of), e.now()); kept != nil {
		return kept.Text
	}
	return spec.FlowStart
}

// outOfState says why a mapping does not answer in the state in which its flow is; nil where it
// does.
func (e *Engine) outOfState(p *Placed, r *call.Request, f fit, segments []string) *call.Finding {
	flow := f.Value.Spec.Flow
	if flow == nil || len(flow.When) == 0 {
		return nil
	}
	of, err := e.thingOf(p, r, f, segments)
	if err != nil {
		return call.Found(call.FlowFailed, err)
	}
	state := e.flowState(p, flow.Name, of)
	if flow.Holds(state) {
		return nil
	}
	why := call.Find(call.OtherState)
	why.Part, why.Seen, why.Expected = flowText(flow.Name, of), state, strings.Join(flow.When, ", ")
	return &why
}

func flowText(flow, of string) string { return strings.TrimSpace("flow " + flow + " " + of) }

// thingOf is what a call is about in the flow of a mapping; "" where there is one thing.
func (e *Engine) thingOf(p *Placed, r *call.Request, f fit, segments []string) (string, error) {
	if f.Value.FlowOf == nil {
		return "", nil
	}
	of, err := f.Value.FlowOf.Text(e.mappingScope(p, r, f, segments), nil)
	if err == nil && (len(of) > maxThing || strings.ContainsRune(of, 0)) {
		err = fmt.Errorf("the expression gives %.40q, expected a text of at most %d bytes", of, maxThing)
	}
	return of, err
}

// maxThing bounds the name of a thing of a flow, in bytes.
const maxThing = 500

// writes are what an answer makes the service remember, and what is told of it.
func (e *Engine) writes(p *Placed, r *call.Request, won *picked, reply *catalog.Reply) (writes []collection.Write, steps []call.Step, err error) {
	writes = won.scripted
	if len(reply.Remember) > 0 {
		more, err := reply.Remember.Writes(e.answerScope(p, r, won))
		if err != nil {
			return nil, nil, err
		}
		writes = append(writes, more...)
	}
	if len(writes) > 0 {
		keys := make([]string, len(writes))
		for i, w := range writes {
			keys[i] = fmt.Sprintf("%q", w.Key)
			if collection.IsFlowKey(w.Key) {
				keys[i] = "the state of " + collection.ThingOf(w.Key)
			}
		}
		steps = append(steps, taken(call.Build, call.Subject{Kind: call.KindMemory}, call.Find(call.Kept, strings.Join(keys, ", "))))
	}
	if flow := won.Value.Spec.Flow; flow != nil && flow.Then != "" {
		of, err := e.thingOf(p, r, won.fit, won.segments)
		if err != nil {
			return nil, nil, fmt.Errorf("flow: %w", err)
		}
		moved := call.Find(call.Moved, flowText(flow.Name, of), e.flowState(p, flow.Name, of), flow.Then)
		writes = append(writes, collection.Write{Key: collection.FlowKey(flow.Name, of), Node: tree.NewString(flow.Then)})
		steps = append(steps, taken(call.Build, call.Subject{Kind: call.KindMemory}, moved))
	}
	return writes, steps, nil
}

// keep makes the service remember what goes with an answer. Nothing is remembered of an
// explanation.
func (e *Engine) keep(p *Placed, writes []collection.Write) {
	if !e.peeking {
		e.memory.Remember(p.space(), writes, e.now())
	}
}

// recalledStep tells what expressions recalled; none for nothing.
func (p *Placed) recalledStep() []call.Step {
	if p.asking == nil || len(p.asking.recalled) == 0 {
		return nil
	}
	keys := make([]string, len(p.asking.recalled))
	for i, key := range p.asking.recalled {
		keys[i] = fmt.Sprintf("%q", key)
	}
	return []call.Step{noted(call.Choose, call.Subject{Kind: call.KindMemory}, call.Find(call.Recalled, strings.Join(keys, ", ")))}
}
