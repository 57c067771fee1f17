package catalog

import (
	"context"
	"errors"
	"slices"
	"strconv"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Ignored are the rules by which calls are left out of lists, compiled. It is immutable.
type Ignored struct {
	Spec  spec.Ignored
	rules []*call.Selection // as Spec has them; nil for one that cannot be read
}

// compileIgnored compiles rules; the faults have their places.
func compileIgnored(i spec.Ignored, labels func(*call.Summary) []string) (*Ignored, []problem.Item) {
	compiled := &Ignored{i, make([]*call.Selection, len(i.Calls))}
	var faults []problem.Item
	for at, rule := range i.Calls {
		selection, err := call.Filter{Text: rule, Labels: labels}.Compile()
		if err == nil && len(selection.Bodies) > 0 {
			err = errors.New("body: is not looked at here: each call of each list would be read whole")
		}
		if err == nil && selection.Empty() {
			err = errors.New("it fits every call")
		}
		if err != nil {
			faults = append(faults, problem.Item{At: "/calls/" + strconv.Itoa(at), Detail: FilterFault(err).Error()})
			continue
		}
		compiled.rules[at] = selection
	}
	return compiled, faults
}

// FilterFault is what is wrong with a filter, with what was probably meant.
func FilterFault(err error) error {
	var unknown *call.UnknownKey
	if errors.As(err, &unknown) {
		if near := problem.Closest(unknown.Key, unknown.Known); near != "" {
			return errors.New(unknown.Say(near + "?"))
		}
	}
	return err
}

// Ignored are the rules by which calls are left out of lists.
func (s *Snapshot) Ignored() *Ignored {
	if s.ignored == nil {
		return &Ignored{Spec: spec.Ignored{Calls: []string{}}}
	}
	return s.ignored
}

// IsIgnored reports whether a call is left out of lists.
func (i *Ignored) IsIgnored(r *call.Summary) bool { return !i.Spec.Off && i.Rule(r) >= 0 }

// Rule is the place of the first rule that a call fits, also while all are off; -1 for none.
func (i *Ignored) Rule(r *call.Summary) int {
	return slices.IndexFunc(i.rules, func(rule *call.Selection) bool { return rule != nil && rule.Fits(r, nil) })
}

// ETag is the version of the rules, which follows from what they say.
func (i *Ignored) ETag() string { return `"` + documentDigest(i.Spec)[:12] + `"` }

// labelsOf are the labels of the mapping that answered a call: that of its lane, of its
// scenario, or as everybody has it, as it is now; none where another thing did or it is gone.
func (c *Catalog) labelsOf(r *call.Summary) []string {
	if r.Source != call.FromMapping {
		return nil
	}
	s := c.Snapshot()
	var above []*changes
	for _, one := range s.chain(s.scenarios[r.Scenario]) {
		above = append(above, &one.changes)
	}
	if lane := s.lanes[r.Lane]; lane != nil {
		above = append(above, &lane.changes)
	}
	for _, own := range slices.Backward(above) {
		for _, m := range own.mappings[r.Service] {
			if m.Spec.ID == r.By && !m.Chosen {
				return m.Spec.Labels
			}
		}
	}
	if service := s.Named(r.Service); service != nil {
		if m := service.Mapping(r.By); m != nil {
			return m.Spec.Labels
		}
	}
	return nil
}

// PutIgnored says which calls lists leave out from now on. ifMatch may demand what is there
// now, by its ETag.
func (c *Catalog) PutIgnored(ctx context.Context, i spec.Ignored, ifMatch string) (*Ignored, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	have := c.Snapshot().Ignored()
	if ifMatch != "" && ifMatch != "*" && ifMatch != have.ETag() {
		return have, problem.New(problem.Stale, "what is ignored was changed by somebody else since you read it (it is at %s, you had %s)", have.ETag(), ifMatch)
	}
	compiled, faults := compileIgnored(i, c.labelsOf)
	if err := problem.FromItems("the calls cannot be ignored", faults); err != nil {
		return have, err
	}
	if compiled.ETag() == have.ETag() {
		return have, nil
	}
	edit := c.editLocked()
	edit.setIgnored(compiled)
	return compiled, edit.commit(ctx)
}

func (e *edit) setIgnored(i *Ignored) {
	next := *e.next
	next.ignored = i
	e.next, e.change.Ignored = &next, &i.Spec
}
