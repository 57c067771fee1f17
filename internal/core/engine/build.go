package engine

import (
	"fmt"
	"strconv"
	"strings"

	"rapidmimic/internal/core/answer"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/sample"
)

// buildFromOperation answers as the contract says.
func (e *Engine) buildFromOperation(d *Decision, p *Placed, r *call.Request, op *contract.Operation, steps []call.Step) {
	steps = append(steps, call.Step{Stage: call.Choose, Subject: "operation " + op.ID, Verdict: call.Taken,
		Reason: "method and path fit " + op.String()})
	var offer *contract.Offer
	if len(op.Offers) > 0 {
		i := call.Accepts(strings.Join(r.Header["Accept"], ","), op.MediaTypes())
		if i < 0 {
			notAcceptable(d, r, op, steps)
			return
		}
		offer = op.Offers[i]
	}
	var origin string
	built := answer.FromOperation(op, offer, func() *sample.Draw {
		draw, from := e.draw(p, r, op)
		origin = from
		return draw
	})
	d.Source, d.By, d.Answer = call.FromContract, op.ID, built.Answer
	if built.Used != nil && built.Used.Name != "" {
		d.By += ", " + strconv.Quote(built.Used.Name)
	}
	what := bodyText(built, origin)
	d.Explanation = &call.Explanation{
		Sentence: fmt.Sprintf("Answered by the contract: operation %s, %s.", op.ID, what),
		Steps: append(steps, call.Step{Stage: call.Build, Subject: "response " + strconv.Itoa(op.Status), Verdict: call.Taken,
			Reason: "the success response of the operation: " + what}),
	}
}

// draw derives the chance for generated data: from the service's seed and the
// call when there is a seed, else from the run and a number that goes up. from
// says which, so that an answer can be had again.
func (e *Engine) draw(p *Placed, r *call.Request, op *contract.Operation) (draw *sample.Draw, from string) {
	if seed := p.Service.Spec.Seed; seed != nil {
		key := strings.Join([]string{r.Method, r.Path, r.Query, string(r.Body.Bytes)}, "\x00")
		return sample.NewDraw(*seed, key, 0), fmt.Sprintf("seed %d and the call", *seed)
	}
	key := p.Service.Spec.ID + "/" + op.ID
	number := e.state.Claim("generated/" + key)
	return sample.NewDraw(e.runSeed, key, number), fmt.Sprintf("draw %d of this run", number+1)
}

func bodyText(b answer.Built, origin string) string {
	switch {
	case b.Offer == nil:
		return fmt.Sprintf("status %d without a body", b.Answer.Status)
	case b.Used != nil && b.Used.Name != "":
		return fmt.Sprintf("example %q as %s", b.Used.Name, b.Offer.MediaType)
	case b.Used != nil:
		return "its example as " + b.Offer.MediaType
	case b.Invalid:
		return fmt.Sprintf("data generated from the schema as %s by %s, which do not obey the schema: no attempt did", b.Offer.MediaType, origin)
	default:
		return fmt.Sprintf("data generated from the schema as %s by %s", b.Offer.MediaType, origin)
	}
}
