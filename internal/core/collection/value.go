package collection

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/spec/tree"
)

// Value is one that mappings remember under a key: no item of a collection. It is immutable.
type Value struct {
	Key  string
	Node *tree.Node
	// Until is when it is forgotten; zero for never.
	Until time.Time

	used  uint64
	bytes int64
}

// Write changes what is remembered under a key: Node takes its place, nil removes it. With
// Append it is added to the list that is there, which keeps its end, else to a new one.
type Write struct {
	Key    string
	Node   *tree.Node
	Append bool
	For    time.Duration // 0 for no end
}

// MaxKey bounds the key of a value, in bytes.
const MaxKey = 1_000

// IsKey reports whether mappings, scripts and testers may remember something under a text.
func IsKey(text string) bool { return text != "" && len(text) <= MaxKey && !IsFlowKey(text) }

// mostAppended bounds the elements of a list that calls append to: the oldest go.
const mostAppended = 10_000

// Hold lets no other call that holds the same space come between what is recalled and what is
// remembered, until release is called. ok is false where ctx ended, or patience was over, before it
// was this call's turn.
func (m *Memory) Hold(ctx context.Context, where Space, patience time.Duration) (release func(), ok bool) {
	held, known := m.turns.Load(where)
	if !known {
		held, _ = m.turns.LoadOrStore(where, make(turn, 1))
	}
	t := held.(turn)
	select {
	case t <- struct{}{}:
		return func() { <-t }, true
	default:
	}
	over := time.NewTimer(patience)
	defer over.Stop()
	select {
	case t <- struct{}{}:
		return func() { <-t }, true
	case <-ctx.Done():
	case <-over.C:
	}
	return nil, false
}

// Recall is what is remembered under a key; nil for nothing.
func (m *Memory) Recall(where Space, key string, now time.Time) *tree.Node {
	s := m.at(where, false)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.clock++
	if v := s.value(key, now); v != nil {
		v.used = s.clock
		return v.Node
	}
	return nil
}

// value is what is remembered under a key and has not ended.
func (s *space) value(key string, now time.Time) *Value {
	v := s.values[key]
	if v == nil || v.ended(now) {
		return nil
	}
	return v
}

func (v *Value) ended(now time.Time) bool { return !v.Until.IsZero() && !now.Before(v.Until) }

// Remember carries writes out, in their order and all at once.
func (m *Memory) Remember(where Space, writes []Write, now time.Time) {
	if len(writes) == 0 {
		return
	}
	s := m.at(where, true)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.clock++
	for _, w := range writes {
		s.write(w, now)
	}
	if limits := m.bounds(); s.exceeds(limits) {
		s.forgetEnded(now)
		s.within(limits)
	}
}

func (s *space) write(w Write, now time.Time) {
	old := s.value(w.Key, now)
	s.forgetValue(w.Key)
	if w.Node == nil {
		return
	}
	next := &Value{Key: w.Key, Node: w.Node, used: s.clock}
	if w.For > 0 {
		next.Until = now.Add(w.For)
	}
	switch {
	case w.Append && old != nil && old.Node.Kind == tree.List:
		if w.For == 0 {
			next.Until = old.Until
		}
		items := append(slices.Clip(old.Node.Items), w.Node)
		next.bytes = old.bytes + int64(len(w.Node.AppendJSON(nil)))
		if len(items) > mostAppended {
			next.bytes -= int64(len(items[0].AppendJSON(nil)))
			items = items[1:]
			s.evicted++
		}
		next.Node = tree.NewList(items...)
	case w.Append:
		next.Node = tree.NewList(w.Node)
	}
	s.put(next)
}

// put keeps a value under its key, where there is none.
func (s *space) put(v *Value) {
	if v.bytes == 0 {
		v.bytes = int64(len(v.Node.AppendJSON(nil))+len(v.Key)) + itemOverhead
	}
	if s.values == nil {
		s.values = make(map[string]*Value)
	}
	s.values[v.Key] = v
	s.items++
	s.bytes += v.bytes
	s.changed()
}

func (s *space) forgetValue(key string) {
	if v := s.values[key]; v != nil {
		delete(s.values, key)
		s.changed()
		s.items--
		s.bytes -= v.bytes
	}
}

// Values lists what is remembered under keys that begin with a prefix, in the order of the keys.
// What has ended is forgotten.
func (m *Memory) Values(where Space, prefix string, now time.Time) (all []Value) {
	s := m.at(where, false)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.forgetEnded(now)
	for key, v := range s.values {
		if strings.HasPrefix(key, prefix) {
			all = append(all, *v)
		}
	}
	slices.SortFunc(all, func(a, b Value) int { return cmp.Compare(a.Key, b.Key) })
	return all
}

func (s *space) forgetEnded(now time.Time) {
	for key, v := range s.values {
		if v.ended(now) {
			s.forgetValue(key)
		}
	}
}

// FlowKey is the key under which the state of a thing in a flow is remembered. No key of a
// mapping begins like it.
func FlowKey(flow, of string) string { return flowPrefix + flow + "\x00" + of }

const flowPrefix = "\x00flow\x00"

// FlowPrefix begins the keys of all things of a flow.
func FlowPrefix(flow string) string { return FlowKey(flow, "") }

// ThingOf is the thing whose state is remembered under the key of a flow.
func ThingOf(key string) string { return key[strings.LastIndexByte(key, 0)+1:] }

// IsFlowKey reports whether a key is that of a flow, which is shown as one.
func IsFlowKey(key string) bool { return strings.HasPrefix(key, flowPrefix) }
