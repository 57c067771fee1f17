package catalog

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func payloadsOf(stored []StoredPayload) map[string]answer.Payloads {
	byService := make(map[string]answer.Payloads)
	for _, p := range stored {
		if byService[p.ServiceID] == nil {
			byService[p.ServiceID] = make(answer.Payloads)
		}
		byService[p.ServiceID][p.Name] = &answer.Payload{Name: p.Name, Bytes: p.Bytes, Version: p.Version}
	}
	return byService
}

// FindPayload returns a payload of a service. The error names similar ones.
func (c *Catalog) FindPayload(nameOrID, name string) (*answer.Payload, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	if p := s.Payloads[name]; p != nil {
		return p, nil
	}
	return nil, notFound("payload", name, s.Payloads.Names())
}

// PutPayload gives a service a payload, or replaces the one of this name; the
// mappings that send it do so from the next call on. ifMatch may demand a
// version.
func (c *Catalog) PutPayload(ctx context.Context, nameOrID, name string, content []byte, ifMatch string) (payload *answer.Payload, created bool, err error) {
	if !spec.PayloadName(name) {
		return nil, false, problem.New(problem.Invalid, "the name of a payload must be %s, not %q", spec.PayloadRule, name)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, false, err
	}
	have := old.Payloads[name]
	if demandsOne(ifMatch) && have == nil {
		return nil, false, notFound("payload", name, old.Payloads.Names())
	}
	if have != nil {
		if err := checkTag(ifMatch, have.Version, "payload "+strconv.Quote(name)); err != nil {
			return have, false, err
		}
		if bytes.Equal(have.Bytes, content) {
			return have, false, nil
		}
	}
	edit := c.editLocked()
	next, err := edit.putPayloads(old, map[string][]byte{name: content})
	if err != nil {
		return nil, false, err
	}
	return next.Payloads[name], have == nil, edit.commit(ctx)
}

// putPayloads gives a service payloads and compiles the mappings that send them
// anew. When one of those cannot be used with them, nothing changes.
func (e *edit) putPayloads(old *Service, payloads map[string][]byte) (*Service, error) {
	p := old.parts()
	p.payloads = old.Payloads.Clone()
	version := e.catalog.nextLocked()
	for _, name := range slices.Sorted(maps.Keys(payloads)) {
		p.payloads[name] = &answer.Payload{Name: name, Bytes: payloads[name], Version: version}
		e.change.Payloads = append(e.change.Payloads, StoredPayload{old.Spec.ID, name, version, payloads[name]})
	}
	p.mappings = slices.Clone(old.Mappings)
	var items []problem.Item
	for i, m := range p.mappings {
		if !sends(m, func(name string) bool { _, ok := payloads[name]; return ok }) {
			continue
		}
		made, faults := compileMapping(StoredMapping{old.Spec.ID, m.Spec, m.Version, m.Position}, p.payloads)
		for _, fault := range faults {
			fault.Detail = fmt.Sprintf("mapping %q: %s", m.Spec.ID, fault.Detail)
			items = append(items, fault)
		}
		p.mappings[i] = made
	}
	if err := problem.FromItems("mappings cannot be used with this payload", items); err != nil {
		return nil, err
	}
	return e.replace(old, compileService(old.stored(), p)), nil
}

// sends reports whether a mapping answers with one of some payloads.
func sends(m *Mapping, one func(name string) bool) bool {
	return slices.ContainsFunc(m.Spec.Answers(), func(a spec.Answer) bool {
		return a.Payload != "" && one(a.Payload) || a.ScriptPayload() != "" && one(a.ScriptPayload()) || a.Recorded != nil && a.Recorded.Coded != "" && one(a.Recorded.Coded)
	})
}

// Senders are the mappings that answer with a payload, or look into it by an expression.
func (s *Service) Senders(payload string) (ids []string) {
	s.sendersOnce.Do(func() {
		s.senders = make(map[string][]string)
		for _, m := range s.Mappings {
			note := func(name string) bool {
				if ids := s.senders[name]; len(ids) == 0 || ids[len(ids)-1] != m.Spec.ID {
					s.senders[name] = append(ids, m.Spec.ID)
				}
				return false
			}
			sends(m, note)
			eachExpression(m.Spec, func(text, _ string) { eachOf(expr.Payloads(text), note) }, func(n *tree.Node, _ string) { eachOf(expr.TemplatePayloads(n), note) })
		}
	})
	return s.senders[payload]
}

func eachOf(names []string, do func(string) bool) {
	for _, name := range names {
		do(name)
	}
}

// RemovePayload takes a payload from a service. One that a mapping sends stays.
func (c *Catalog) RemovePayload(ctx context.Context, nameOrID, name string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return err
	}
	if old.Payloads[name] == nil {
		return notFound("payload", name, old.Payloads.Names())
	}
	edit := c.editLocked()
	if _, err := edit.removePayload(old, name); err != nil {
		return err
	}
	return edit.commit(ctx)
}

func (e *edit) removePayload(old *Service, name string) (*Service, error) {
	if senders := old.Senders(name); len(senders) > 0 {
		return nil, problem.New(problem.Exists, "payload %q is in use by %s", name, strings.Join(senders[:min(len(senders), 5)], ", "))
	}
	e.change.RemovePayloads = append(e.change.RemovePayloads, StoredPayload{ServiceID: old.Spec.ID, Name: name})
	p := old.parts()
	p.payloads = old.Payloads.Clone()
	delete(p.payloads, name)
	return e.replace(old, compileService(old.stored(), p)), nil
}
