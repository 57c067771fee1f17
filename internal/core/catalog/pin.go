package catalog

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// SetPins fixes fields of what an operation answers, instead of those that were fixed; with
// none they are as the contract has them. ifMatch may demand a version of the service, which
// is returned when it has another.
func (c *Catalog) SetPins(ctx context.Context, nameOrID, operation string, pins spec.Pins, ifMatch string) (*Service, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	if err := checkTag(ifMatch, old.Version, "service "+strconv.Quote(old.Spec.Name)); err != nil {
		return old, err
	}
	settings := old.Spec
	settings.Pins = maps.Clone(settings.Pins)
	if settings.Pins == nil {
		settings.Pins = make(map[string]spec.Pins)
	}
	if settings.Pins[operation] = pins; len(pins) == 0 {
		delete(settings.Pins, operation)
	}
	edit := c.editLocked()
	service, err := edit.writeService(ctx, old, settings)
	if err != nil {
		return nil, err
	}
	return service, edit.commitUnless(ctx, service == old)
}

// checkPins refuses pins that cannot be compiled or are a mistake, and new ones of
// operations that the contract does not have.
func checkPins(s spec.Service, old *Service, variables []string) error {
	var items []problem.Item
	for id, pins := range s.Pins {
		at, op := tree.Join("/pins", id), old.Operation(id)
		if old.Spec.Pins[id] == nil && op == nil {
			items = append(items, problem.Item{At: at, Detail: notFound("operation", id, old.operationIDs()).Error()})
		}
		_, faults := contract.CompilePins(pins)
		if op != nil && len(faults) == 0 && !samePins(pins, old.Spec.Pins[id]) {
			for pointer, value := range pins {
				for _, fault := range expr.TemplateMistakes(value, expr.Known{Parameters: append([]string{}, op.Template.Names()...), Variables: variables}) {
					fault.At = tree.Join("", pointer) + fault.At
					faults = append(faults, fault)
				}
			}
		}
		for _, fault := range faults {
			fault.At, fault.Line, fault.Col = at+fault.At, 0, 0 // of the value alone
			items = append(items, fault)
		}
	}
	return problem.FromItems("the pins cannot be set", items)
}

func samePins(a, b spec.Pins) bool {
	return maps.EqualFunc(a, b, func(x, y *tree.Node) bool { return tree.Equal(x, y) })
}

// PinWarnings says of the pins of an operation which lead nowhere in its answers, and which
// break the contract.
func (s *Service) PinWarnings(operation string) (items []problem.Item) {
	pins := s.Pins(operation)
	if len(pins) == 0 {
		return nil
	}
	op := s.Operation(operation)
	if op == nil || op.Skipped != nil {
		return nil
	}
	fields := answerFields(op)
	for _, pin := range pins {
		at := tree.Join("", pin.Pointer)
		if near, known := fields.has(pin.Path()); !known {
			detail := fmt.Sprintf("answers of %s have no field %s", operation, pin.Pointer)
			if near != "" {
				detail += " (" + near + "?)"
			}
			items = append(items, problem.Item{At: at, Detail: detail})
			continue
		}
		if detail := s.pinBreaks(op, pin); detail != "" {
			items = append(items, problem.Item{At: at, Detail: pin.Pointer + " breaks the contract: " + detail})
		}
	}
	return items
}

// pinBreaks says in what an answer with a pin breaks the contract that it obeys without
// it; "" when it does not, or when that shows only on calls.
func (s *Service) pinBreaks(op *contract.Operation, pin contract.Pin) string {
	if !pin.Fixed() {
		return ""
	}
	protocol := s.Protocol()
	built, ok := contract.SampleAnswer(protocol, op)
	if !ok {
		return ""
	}
	pinned, applied, err := protocol.Pin(built, []contract.Pin{pin}, nil)
	if err != nil || len(applied) == 0 {
		return ""
	}
	before := protocol.CheckAnswer(op, &built.Answer, true, nil)
	for _, d := range protocol.CheckAnswer(op, &pinned.Answer, true, nil) {
		if !slices.ContainsFunc(before, func(b call.Deviation) bool { return b == d }) {
			return d.Detail
		}
	}
	return ""
}

// fieldPaths are the fields of answers as their names are written one behind the other,
// elements of lists left out: vessel.name. Nil where they are not known.
type fieldPaths map[string]bool

// answerFields are the fields that the answers of an operation have.
func answerFields(op *contract.Operation) fieldPaths {
	known := fieldPaths{}
	responses, steps := op.Responses, strings.NewReplacer("[]", "")
	if op.ByMessage { // where pins are of the response alone, and steps are parted as in XML
		responses, steps = []*contract.Response{op.Success}, strings.NewReplacer("/", ".")
	}
	for _, r := range responses {
		for _, mediaType := range r.MediaTypes {
			fields := mediaType.Fields()
			if len(fields) == 0 || len(fields) >= contract.MostFields {
				return nil
			}
			for _, f := range fields {
				if strings.Contains(f.Path, "*") || op.ByMessage && slices.Contains(f.Rules, "as above") {
					return nil // any name, or any way through what contains itself
				}
				known[steps.Replace(f.Path)] = true
			}
		}
	}
	return known
}

// has reports whether a way leads to a field; near is one whose name is alike.
func (f fieldPaths) has(path []string) (near string, known bool) {
	var names []string
	for _, step := range path {
		if _, err := strconv.Atoi(step); err != nil && step != "*" {
			names = append(names, step)
		}
	}
	wanted := strings.Join(names, ".")
	if len(f) == 0 || f[wanted] || wanted == "" {
		return "", true
	}
	near = problem.Closest(wanted, slices.Sorted(maps.Keys(f)))
	return pointerLike(path, strings.Split(near, ".")), false
}

// pointerLike is a pointer with other names at the places that a way has names; "" where
// these are not as many.
func pointerLike(path, names []string) string {
	var b strings.Builder
	for _, step := range path {
		if _, err := strconv.Atoi(step); err != nil && step != "*" {
			if len(names) == 0 || names[0] == "" {
				return ""
			}
			step, names = names[0], names[1:]
		}
		b.WriteString("/" + step)
	}
	if len(names) > 0 {
		return ""
	}
	return b.String()
}
