package engine

import (
	"context"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/script"
)

// Definitions gives the environment as it is now. It is asked once for every
// call, from any number of goroutines, and must not block.
type Definitions interface {
	Snapshot() *catalog.Snapshot
}

// Secrets takes secrets out of what is told of calls. Implementations are safe for
// concurrent use.
type Secrets interface {
	// Hide does so with what a condition saw of a request and expected that does not hold.
	Hide(r *call.Request, f *call.Finding)
	// Clean does so with an answer of ours and its explanation, which it may replace.
	Clean(r *call.Request, a *call.Answer, x **call.Explanation)
	// StandIn is what recordings keep of a secret.
	StandIn(secret string) string
}

// Scripts runs scripts where they can harm nobody. Implementations are safe for concurrent use, and
// return within a bounded time.
type Scripts interface {
	Run(ctx context.Context, s *script.Script, in *script.Input, host script.Host) (script.Output, error)
}

// State is what changes from call to call and is no definition. It is lost at
// restart. Implementations are safe for concurrent use and never block for
// long.
type State interface {
	// Claim returns 0, 1, 2 … for successive calls with the same subject and caller,
	// each number once. Subjects follow from definitions. Callers come from outside,
	// so that few enough are remembered; "" stands for everyone.
	Claim(subject, caller string) uint64
	// Peek returns what the next Claim will.
	Peek(subject, caller string) uint64
	// Counts returns what Peek gives for all callers of a subject.
	Counts(subject string) map[string]uint64
	// Forget sets all subjects that begin with prefix back to 0.
	Forget(prefix string)
	// Evicted is how many callers were forgotten for others.
	Evicted() int64
}
