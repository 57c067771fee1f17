package engine

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
)

// operationAnswer is what an operation answers, and how it came to that.
type operationAnswer struct {
	contract.Built
	choice choice
	pinned []string // names of the fields that pins filled in
	origin string   // where its chance came from; "" where there is none in it
	paced  []call.Step
}

// buildFromOperation answers as the contract says. To make the answer takes most of the stack, so that what comes
// before and after is apart from it.
func (e *Engine) buildFromOperation(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, hints *call.Hints, steps []call.Step) {
	steps = withOperation(steps, asked)
	var made operationAnswer
	if e.makeAnswer(d, p, r, asked, hints, &made, steps) {
		tellOperation(d, asked.Operation, &made, steps)
	}
}

// withOperation adds that the operation was found.
func withOperation(steps []call.Step, asked *contract.Asked) []call.Step {
	const usual = 3 // steps of an answer: this one, the response, and what took the values of the call
	return append(slices.Grow(steps, usual), taken(call.Choose, operationSubject(asked.Operation), found(asked)))
}

// makeAnswer makes what an operation answers; false says that d is a refusal.
func (e *Engine) makeAnswer(d *Decision, p *Placed, r *call.Request, asked *contract.Asked, hints *call.Hints, made *operationAnswer, steps []call.Step) bool {
	op := asked.Operation
	var refused string
	if made.choice, refused = chooseResponse(op, *hints, p.Service.Spec.Examples[op.ID]); refused != "" {
		var examples []string
		if hints.Example != "" {
			examples = op.ExampleNames()
		}
		e.refuseHint(d, p, r, refused, examples, steps)
		return false
	}
	var err error
	if err = e.answerOf(&made.Built, p, r, asked, &made.choice, hints.Generate, &made.origin); err != nil {
		notAcceptable(d, r, op, err, steps)
		return false
	}
	if made.pinned, err = e.pin(&made.Built, p, r, asked); err != nil {
		e.refusePin(d, p, r, op, err, steps)
		return false
	}
	if target := followed(r, p.Service, made.choice.links, &made.Built, op.Template.Params(asked.Segments)); target != "" {
		made.SetHeader("Location", baseOf(r)+target)
	}
	made.paced = pace(&made.Built, time.Duration(p.Service.Spec.StreamEvery))
	return true
}

func (e *Engine) refusePin(d *Decision, p *Placed, r *call.Request, op *contract.Operation, err error, steps []call.Step) {
	e.refuse(d, p, r, true, "pin", selfDocument{
		Title: "A pinned field could not be filled in", Status: 500,
		Detail: fmt.Sprintf("A pin of operation %s has no value for this call: %v.", op.ID, err),
	}, steps)
}

// tellOperation gives what an operation answers, and why.
func tellOperation(d *Decision, op *contract.Operation, made *operationAnswer, steps []call.Step) {
	d.Source, d.By, d.Answer = call.FromContract, op.ID, made.Answer
	if name := exampleName(&made.Built); name != "" {
		d.By += ", " + strconv.Quote(name)
	}
	what := bodyText(&made.Built, made.origin)
	if made.Answer.Status != op.Success.Status && made.Fault == "" {
		what = strconv.Itoa(made.Answer.Status) + ", " + what
	}
	steps = append(steps, responseStep(made.Answer.Status, made.choice, what))
	steps = appendBuilt(steps, call.KindEcho, call.Echoed, made.Echoed)
	steps = append(appendBuilt(steps, call.KindPins, call.Pinned, made.pinned), made.paced...)
	if op.Deprecated {
		steps = append(steps, noted(call.Choose, operationSubject(op), call.Find(call.Deprecated)))
	}
	d.Explanation = &call.Explanation{Summary: call.Find(call.ByContract, op.ID, what, made.choice.asked), Steps: steps}
}

// pace has the items of a stream sent one by one, and tells of it.
func pace(built *contract.Built, every time.Duration) []call.Step {
	if every <= 0 || built.MediaType == nil {
		return nil
	}
	items := built.MediaType.Items(built.Answer.Body)
	if len(items) < 2 {
		return nil
	}
	wire := &call.Wire{Length: int64(len(built.Answer.Body)), Pieces: make([]call.Piece, len(items))}
	for i, size := range items {
		wire.Pieces[i] = call.Piece{Bytes: size, After: every}
	}
	wire.Pieces[0].After = 0
	built.Answer.Wire = wire
	return []call.Step{taken(call.Build, call.Subject{Kind: call.KindResponse, ID: strconv.Itoa(built.Answer.Status)}, call.Find(call.OneByOne, len(items), spec.Duration(every)))}
}

// answerOf makes the answer that was chosen. origin is set to where its chance came
// from when there is some in it.
func (e *Engine) answerOf(built *contract.Built, p *Placed, r *call.Request, asked *contract.Asked, c *choice, generate bool, origin *string) (err error) {
	wanted := contract.Wanted{Status: c.status, Headers: c.headers, MediaTypes: c.mediaTypes, Accept: r.Header["Accept"], Example: c.example, Generate: generate,
		Draw: sync.OnceValue(func() *sample.Draw {
			draw, from := e.draw(p, r, asked.Operation.ID)
			*origin = from
			return draw
		})}
	for _, pin := range p.Service.Pins(asked.Operation.ID) {
		wanted.Held = append(wanted.Held, pin.Path())
	}
	if p.Service.Spec.Echo {
		wanted.Echo = &e.ask(p, r).facts
	}
	*built, err = p.Service.Protocol().Answer(asked, wanted)
	return err
}

// found says how the operation of a call was found.
func found(asked *contract.Asked) call.Finding {
	if asked.Reason != "" {
		return call.Find(call.Dispatched, asked.Reason)
	}
	return call.Find(call.Fits, asked.Operation.String())
}

func responseStep(status int, c choice, what string) call.Step {
	return taken(call.Build, call.Subject{Kind: call.KindResponse, ID: strconv.Itoa(status)}, call.Find(call.Response, c.reason, what))
}

// appendBuilt tells of the places in which something was done to an answer; none for
// none.
func appendBuilt(steps []call.Step, kind call.Kind, code call.Code, places []string) []call.Step {
	if len(places) == 0 {
		return steps
	}
	return append(steps, taken(call.Build, call.Subject{Kind: kind}, call.Find(code, strings.Join(places, ", "))))
}

// choice is which response of an operation is sent, and why.
type choice struct {
	status     int
	headers    []*contract.ResponseHeader
	links      []contract.Link
	mediaTypes []*contract.MediaType
	example    string // "" for the first one
	reason     string
	asked      string // ends the sentence of the explanation
}

// chooseResponse picks the response: what the hints ask for, else the example
// chosen for the operation, else the success response. refused says why the
// hints cannot be followed.
func chooseResponse(op *contract.Operation, hints call.Hints, chosen string) (c choice, refused string) {
	response := op.Success
	defer func() {
		if response != nil {
			c.headers, c.links = response.Headers, response.Links
		}
	}()
	c = choice{status: response.Status, mediaTypes: response.MediaTypes, reason: "the success response of the operation"}
	switch {
	case hints.Status != 0:
		if response = op.Response(hints.Status); response == nil {
			return c, fmt.Sprintf("operation %s has no response %d (%s)", op.ID, hints.Status, responseKeys(op))
		}
		c.status, c.mediaTypes = hints.Status, response.MediaTypes
		c.reason, c.asked = hints.Asker()+" asks for the status", ", as "+hints.Asker()+" asks"
		if hints.Example == "" {
			return c, ""
		}
	case hints.Example != "":
		if response = op.Named(hints.Example); response != nil {
			c.status = response.Status
		}
	case hints.Generate:
		c.reason = hints.Asker() + " asks for fresh data"
		return c, ""
	case chosen != "" && op.Named(chosen) != nil:
		response = op.Named(chosen)
		c.status, c.mediaTypes, c.example = response.Status, response.With(chosen), chosen
		c.reason, c.asked = "the example chosen for the operation", ", the one chosen for it"
		return c, ""
	default:
		return c, ""
	}
	if response == nil || len(response.With(hints.Example)) == 0 {
		return c, fmt.Sprintf("operation %s has no example %q%s", op.ID, hints.Example, withStatus(hints.Status))
	}
	c.mediaTypes, c.example = response.With(hints.Example), hints.Example
	c.reason, c.asked = hints.Asker()+" asks for the example", ", as "+hints.Asker()+" asks"
	return c, ""
}

func withStatus(status int) string {
	if status == 0 {
		return ""
	}
	return fmt.Sprintf(" with status %d", status)
}

func responseKeys(op *contract.Operation) string {
	keys := make([]string, len(op.Responses))
	for i, r := range op.Responses {
		keys[i] = r.Key
	}
	return strings.Join(keys, ", ")
}

// draw derives the chance for generated data: from the service's seed and the
// call when there is a seed, else from the run and a number that goes up. from
// says which, so that an answer can be had again. The operation is "" for what
// mappings draw.
func (e *Engine) draw(p *Placed, r *call.Request, operation string) (draw *sample.Draw, from string) {
	seed, key, number := e.chance(p, r, operation)
	from = "draw " + strconv.FormatUint(number+1, 10) + " of this run"
	if p.Service.Spec.Seed != nil {
		from = fmt.Sprintf("seed %d and the call", seed)
	}
	return e.ask(p, r).within(sample.NewDraw(seed, key, number)), from
}

// chance is where the data drawn for a call begin.
func (e *Engine) chance(p *Placed, r *call.Request, operation string) (seed int64, key string, number uint64) {
	if seed := p.Service.Spec.Seed; seed != nil {
		return *seed, strings.Join([]string{r.Method, r.Path, r.Query, string(r.Body.Bytes)}, "\x00"), 0
	}
	key = p.Service.Spec.ID + "/" + operation
	return e.runSeed, key, e.state.Claim(p.snapshot.StateKey()+"generated/"+key, "")
}

// drawFor is draw without where it comes from.
func (e *Engine) drawFor(p *Placed, r *call.Request, operation string) *sample.Draw {
	draw, _ := e.draw(p, r, operation)
	return draw
}

// exampleName is the name of the example or the fault that an answer is; "" for none.
func exampleName(b *contract.Built) string {
	if b.Used != nil {
		return b.Used.Name
	}
	return b.Fault
}

func bodyText(b *contract.Built, origin string) string {
	switch {
	case b.Fault != "":
		return fmt.Sprintf("fault %q, its detail generated by %s", b.Fault, origin)
	case b.MediaType == nil:
		return fmt.Sprintf("status %d without a body", b.Answer.Status)
	case b.Used != nil && b.Used.Name != "":
		return fmt.Sprintf("example %q as %s", b.Used.Name, b.MediaType.Name)
	case b.Used != nil:
		return "its example as " + b.MediaType.Name
	case b.Invalid != "":
		return fmt.Sprintf("data generated from the schema as %s by %s, which do not obey the schema: %s", b.MediaType.Name, origin, b.Invalid)
	default:
		return fmt.Sprintf("data generated from the schema as %s by %s", b.MediaType.Name, origin)
	}
}
