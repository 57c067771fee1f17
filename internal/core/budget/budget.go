// Package budget bounds the work that one call may cause, wherever it is done:
// in conditions, paths, expressions, generated data and checks.
//
// Whoever does work that grows with what came from outside calls Spend for it
// and stops when that returns an error. Nothing here counts bytes on the wire or
// decides what becomes of the call; the engine does. Start with New.
package budget

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"time"
)

// The limits of one call.
const (
	// MaxSteps is how many steps a call may take: a node that a path visits, a
	// round of an expression's loop, a value that is drawn.
	MaxSteps = 20_000_000
	// MaxValues is how many values a decoded body may have, and how many one
	// expression may give. A value takes about 100 bytes.
	MaxValues = 500_000
	// MaxTime is how long the steps may take altogether.
	MaxTime = 3 * time.Second
	// lookEvery is how many steps pass between two looks at clock and caller. At each
	// the processor is offered to other goroutines.
	lookEvery = 512
	// heavyFrom is how many steps a call takes before it has to pass the gate.
	heavyFrom = 50_000
)

// ErrLeft says that the caller has left: nobody waits for the result.
var ErrLeft = errors.New("the caller has left")

// Exhausted says which limit a call ran into.
type Exhausted struct {
	// Time is set when time ran out, else it was a matter of size.
	Time   bool
	Detail string // "more than 500,000 values"
}

// Error implements error.
func (e *Exhausted) Error() string { return e.Detail }

// TooManyValues is the error for a value with more parts than MaxValues.
func TooManyValues() error {
	return &Exhausted{Detail: fmt.Sprintf("it has more than %d values", MaxValues)}
}

// Gate lets few calls at a time do heavy work, so that the others find a processor.
// It is asked from many goroutines.
type Gate interface {
	// Enter waits for a place. It reports false when ctx ended before, or when
	// waiting took too long.
	Enter(ctx context.Context) bool
	Leave()
}

// Budget is what is left for one call. It belongs to one goroutine at a time.
// Nil stands for no bound.
type Budget struct {
	ctx   context.Context
	now   func() time.Time
	gate  Gate
	left  int // steps
	look  int // steps until the next look
	until time.Time
	heavy bool // it has passed the gate
	err   error
}

// New gives the budget of one call, whose caller has left when ctx ends; nil stands
// for one that stays. Without now there is no limit of time, without a gate heavy
// work does not wait.
func New(ctx context.Context, now func() time.Time, gate Gate) Budget {
	if ctx == nil {
		ctx = context.Background()
	}
	return Budget{ctx: ctx, now: now, gate: gate, left: MaxSteps, look: lookEvery}
}

// Release gives back the place of a call that did heavy work.
func (b *Budget) Release() {
	if b != nil && b.heavy && b.gate != nil {
		b.heavy = false
		b.gate.Leave()
	}
}

// Spend takes steps. The error is ErrLeft or an *Exhausted; once there is one it
// stays.
func (b *Budget) Spend(steps int) error {
	if b == nil || b.err == nil && b.left >= steps && b.look > steps {
		if b != nil {
			b.left -= steps
			b.look -= steps
		}
		return nil
	}
	return b.spendSlowly(steps)
}

func (b *Budget) spendSlowly(steps int) error {
	if b.err != nil {
		return b.err
	}
	if b.left -= steps; b.left < 0 {
		return b.Fail(&Exhausted{Detail: fmt.Sprintf("it takes more than %d steps", MaxSteps)})
	}
	b.look = lookEvery
	if b.ctx.Err() != nil {
		return b.Fail(ErrLeft)
	}
	if !b.heavy && b.gate != nil && b.left < MaxSteps-heavyFrom {
		if b.heavy = b.gate.Enter(b.ctx); !b.heavy {
			if b.ctx.Err() != nil {
				return b.Fail(ErrLeft)
			}
			return b.Fail(&Exhausted{Time: true, Detail: "it takes much work, and other calls that do were before it for too long"})
		}
	}
	runtime.Gosched() // else others would wait until the scheduler takes the processor away, 10 ms
	if b.now == nil {
		return nil
	}
	now := b.now()
	if b.until.IsZero() {
		b.until = now.Add(MaxTime)
	} else if now.After(b.until) {
		return b.Fail(&Exhausted{Time: true, Detail: fmt.Sprintf("it takes longer than %s", MaxTime)})
	}
	return nil
}

// Fail notes that a limit was met elsewhere, unless one was before, and returns
// the error that stays.
func (b *Budget) Fail(err error) error {
	if b == nil {
		return err
	}
	if b.err == nil {
		b.err = err
	}
	return b.err
}

// Err is why the budget is used up, nil while it is not.
func (b *Budget) Err() error {
	if b == nil {
		return nil
	}
	return b.err
}
