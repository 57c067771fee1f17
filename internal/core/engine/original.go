package engine

import (
	"fmt"
	"slices"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// answerFromElsewhere answers with what the upstream, the contract or another mapping has,
// as the reply changes it. A refusal along the way stays the answer.
func (e *Engine) answerFromElsewhere(d *Decision, p *Placed, r *call.Request, won *picked, reply *catalog.Reply, steps []call.Step) {
	if e.startFrom(d, p, r, won, won.Value, reply, steps, 0); d.Source != call.FromMapping || d.Relay != nil {
		return
	}
	d.By = won.Value.Spec.ID
	if id := reply.Spec.Original(); id != "" {
		edited := ""
		if reply.Edit != nil {
			edited = "edited"
		}
		d.Explanation.Summary = call.Find(call.ByMappingOriginal, won.Value.Spec.ID, fmt.Sprintf("mapping %q", id), edited)
	}
	if d.Answer.Wire != nil {
		d.Explanation = d.Explanation.With(represent(d, r)...)
	}
}

// startFrom makes the answer of a reply that comes from elsewhere. The reply is that of the
// mapping that was picked, or, depth further on, of one that it starts from.
func (e *Engine) startFrom(d *Decision, p *Placed, r *call.Request, won *picked, of *catalog.Mapping, reply *catalog.Reply, steps []call.Step, depth int) {
	switch {
	case reply.Spec.ByContract():
		e.answerByContract(d, p, r, of, reply, steps)
	case reply.Spec.From == spec.FromUpstream:
		e.answerFromUpstream(d, p, r, won, reply, steps)
	default:
		e.answerFromMappingNamed(d, p, r, won, of, reply.Spec.Original(), steps, depth)
	}
	switch {
	case d.Relay != nil && reply.Edit != nil:
		d.Relay.edits = append(d.Relay.edits, reply.Edit)
	case d.Relay == nil && d.Source == call.FromMapping && reply.Edit != nil:
		e.change(d, p, r, won, reply)
	}
}

// answerFromMappingNamed answers with what another mapping does, whatever its own call is:
// its expressions see the call as the mapping that was picked does.
func (e *Engine) answerFromMappingNamed(d *Decision, p *Placed, r *call.Request, won *picked, of *catalog.Mapping, id string, steps []call.Step, depth int) {
	other := p.Service.Original(of, id)
	why := fmt.Sprintf("takes its answer from mapping %q, which is not there", id)
	if depth >= catalog.MaxOriginals {
		other, why = nil, fmt.Sprintf("more than %d others stand behind it, each starting from the next, or in the end itself", catalog.MaxOriginals)
	}
	if other == nil {
		e.refuse(d, p, r, true, "no-mapping", selfDocument{
			Title: "The mapping has nothing to start from", Status: 500, Detail: fmt.Sprintf("Mapping %q answers this call, but %s.", of.Spec.ID, why),
		}, steps)
		return
	}
	from := *won
	from.Value, from.scope, from.scripted, from.logged = other, nil, nil, nil
	if other.Spec.Sequence != nil {
		from.turn = min(e.state.Claim(turnKey(p, r, other)), uint64(len(other.Replies)-1)) // the last answer stays
	}
	index, which := e.chooseReply(p, r, &from)
	if which != "" {
		steps = append(steps, noted(call.Build, other.Subject(), call.Find(call.OriginalChosen, which)))
	}
	d.Source, d.By = call.FromMapping, won.Value.Spec.ID
	if next := &other.Replies[index]; next.Elsewhere() {
		e.startFrom(d, p, r, won, other, next, steps, depth+1)
	} else if e.ownAnswer(d, p, r, &from, next, func() []call.Step { return steps }) {
		d.Explanation = &call.Explanation{Steps: steps}
	}
}

// change edits an answer that was made for the mapping that was picked.
func (e *Engine) change(d *Decision, p *Placed, r *call.Request, won *picked, reply *catalog.Reply) {
	got := d.Answer
	if got.Wire != nil { // what was recorded of its bytes is not true of others
		got.Header = without(got.Header, append([]string{"Content-Encoding"}, call.OfBytes...)...)
	}
	edited, skipped, err := reply.Edit.Answer(got, e.mappingScope(p, r, won.fit, won.segments))
	if err != nil {
		e.refuse(d, p, r, true, "edit", selfDocument{
			Title: "An edit does not fit", Status: 500,
			Detail: fmt.Sprintf("Mapping %q answers this call with an answer that it changes, but that (%d) cannot be edited: %v.", won.Value.Spec.ID, got.Status, err),
		}, d.Explanation.Steps)
		return
	}
	d.Explanation = d.Explanation.With(editStep(call.KindEdit, reply.Edit.Steps(), skipped))
	if skipped != "" {
		return
	}
	d.Answer = edited
	if summary := &d.Explanation.Summary; summary.Code == call.ByMappingContract {
		summary.Values = append(slices.Clip(summary.Values), "edited")
	}
}
