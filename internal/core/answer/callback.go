package answer

import (
	"fmt"
	"net/textproto"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Callback is a call that follows an answer of a mapping, compiled. It is immutable.
type Callback struct {
	Spec    spec.Callback
	to      *expr.Template // nil where the contract says where it goes
	fixed   call.Answer
	dynamic *Template // nil where the message is the same for every call
}

// CompileCallbacks compiles the callbacks of an answer, in which at is the place of the answer.
func CompileCallbacks(a spec.Answer, at string, payloads Payloads) (all []*Callback, faults []problem.Item) {
	names := a.Let.Entries()
	for i, written := range a.Callbacks {
		place := at + "/callbacks" + a.Callbacks.Place(i)
		c := &compiler{at: place}
		for _, named := range names {
			c.names = append(c.names, named.Key)
		}
		one := &Callback{Spec: written}
		if written.To != "" {
			one.to = c.compile(tree.NewString(written.To), "/to")
		}
		message := written.Message()
		message.Let = a.Let
		fixed, dynamic, wrong := Compile(message, place, payloads)
		one.fixed, one.dynamic = fixed, dynamic
		all, faults = append(all, one), append(append(faults, c.faults...), wrong...)
	}
	return all, faults
}

// Make adds to a callback what the document says of it: address, method, headers and body. The error is
// that of an expression.
func (c *Callback) Make(out *call.Callback, scope *expr.Scope) error {
	message := c.fixed
	if c.dynamic != nil {
		named, err := c.dynamic.Naming(scope)
		if err != nil {
			return err
		}
		scope = named
		if message, err = c.dynamic.Render(scope); err != nil {
			return err
		}
	}
	if c.to != nil {
		target, err := c.to.Text(scope, nil)
		if err != nil {
			return fmt.Errorf("to: %w", err)
		}
		out.Target = target
	}
	if c.Spec.Method != "" {
		out.Method = c.Spec.Method
	}
	if c.Spec.HasBody() {
		delete(out.Header, "Content-Type")
		out.Body = message.Body
	}
	set := make(map[string]bool)
	for _, f := range message.Header {
		name := textproto.CanonicalMIMEHeaderKey(f.Name)
		if !set[name] {
			delete(out.Header, name)
			set[name] = true
		}
		out.Header[name] = append(out.Header[name], f.Value)
	}
	return nil
}
