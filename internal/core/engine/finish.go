package engine

import (
	"fmt"
	"net/textproto"
	"slices"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/expr"
)

// answerFromUpstream has the upstream answer a call for a mapping, with the
// mapping's edits on the way there and back.
func (e *Engine) answerFromUpstream(d *Decision, p *Placed, r *call.Request, won *picked, reply *catalog.Reply, steps []call.Step) {
	m := won.Value
	if p.Service.Spec.Upstream == "" { // it was taken away since the mapping was put
		refusal(d, "no-upstream", selfDocument{
			Title: "The mapping answers from the upstream, and the service has none", Status: 502,
			Detail: fmt.Sprintf("Mapping %q takes its answer from the upstream of %s, which has none.", m.Spec.ID, p.Service.Spec.Name),
		}, steps)
		return
	}
	scope := func() *expr.Scope { return e.mappingScope(p, r, won.fit, won.segments) }
	sent := r
	if reply.Send != nil {
		edited, skipped, err := reply.Send.Request(r, scope())
		if err != nil {
			refuseEdit(d, m.Spec.ID, "the request cannot be edited", err, steps)
			return
		}
		sent, steps = edited, append(steps, editStep(call.KindSend, reply.Send.Steps(), skipped))
	}
	relay(d, p, sent, fmt.Sprintf("mapping %q asks it", m.Spec.ID), nil, steps)
	if d.Relay == nil {
		return
	}
	d.Source, d.By = call.FromMapping, m.Spec.ID
	d.Explanation.Summary = call.Find(call.ByMappingUpstream, m.Spec.ID, p.Service.Upstream)
	d.Relay.scope = scope
	if sent != r {
		d.Relay.Request, d.Relay.ours = sent, baseOf(r)
		d.Relay.set = slices.DeleteFunc(slices.Clone(d.Relay.set), func(f call.Field) bool { // the mapping has the last word
			name := textproto.CanonicalMIMEHeaderKey(f.Name)
			return !slices.Equal(sent.Header[name], r.Header[name])
		})
	}
}

// Finish edits what the upstream answered to a call: header is what goes to the
// caller of its header, body is decoded. It sets the answer of the decision.
//
// changes tell what was changed so that the caller stays with us.
func (e *Engine) Finish(d *Decision, got call.Answer) (changes []string) {
	for _, edit := range d.Relay.edits {
		edited, skipped, err := edit.Answer(got, d.Relay.scope())
		if err != nil {
			refuseEdit(d, d.By, fmt.Sprintf("the upstream's answer (%d) cannot be edited", got.Status), err, d.Explanation.Steps)
			return nil
		}
		got = edited
		d.Explanation = d.Explanation.With(editStep(call.KindEdit, edit.Steps(), skipped))
		if skipped == "" {
			d.Explanation.Summary = call.Find(call.ByMappingEdit, d.By)
		}
	}
	if d.Relay.describes {
		got, changes = d.Relay.keepDescription(got)
	}
	d.Answer = got
	return changes
}

// editStep tells of an edit that was made, or left out since a test did not hold.
func editStep(kind call.Kind, count int, leftOut string) call.Step {
	of := call.Subject{Kind: kind}
	if leftOut != "" {
		return call.Step{Stage: call.Build, Of: of, Verdict: call.Skipped, Finding: call.Find(call.NotEdited, leftOut)}
	}
	return taken(call.Build, of, call.Find(call.Edited, count))
}

// Uneditable is the answer to a call whose upstream's answer has to be edited
// and cannot be held or read; why says which.
func Uneditable(d *Decision, why error) {
	if len(d.Relay.edits) == 0 {
		Unreached(d, 502, why.Error())
		return
	}
	refuseEdit(d, d.By, "the upstream's answer cannot be edited", why, d.Explanation.Steps)
}

func refuseEdit(d *Decision, mapping, what string, err error, steps []call.Step) {
	refusal(d, "edit", selfDocument{
		Title: "An edit does not fit", Status: 502,
		Detail: fmt.Sprintf("Mapping %q answers this call from the upstream, but %s: %v.", mapping, what, err),
	}, steps)
}
