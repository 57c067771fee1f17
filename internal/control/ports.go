package control

import (
	"context"
	"net/http"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
)

// CallLog is the log of calls as it runs. Its methods are called from any
// number of goroutines.
type CallLog interface {
	// Flush waits until the calls that were finished before can be listed.
	Flush(ctx context.Context) error
	Clear(ctx context.Context) error
	// Follow waits for calls after a position; see calllog.
	Follow(ctx context.Context, from uint64) (call.Followed, error)
	Position() uint64
	Recent(service string, now time.Time) []call.Counts
	LastMinute(now time.Time) call.Counts
	// Timeline is what came in the last quarter of an hour, of the services that wanted takes, in a lane; see
	// calllog.
	Timeline(now time.Time, lane string, wanted func(service string) bool) call.Timeline
	// LaneCalls returns the calls of a lane by source, since it was opened and in the
	// last minute.
	LaneCalls(lane string, now time.Time) (total map[call.Source]int64, lastMinute call.Counts)
	ForgetLane(lane string)
	// ScenarioCalls returns the calls that were answered under a scenario.
	ScenarioCalls(scenario string) map[call.Source]int64
	ForgetScenario(scenario string)
	// OperationCalls counts since the start, the calls in a lane or with "" all; ok is
	// false when there was none.
	OperationCalls(lane, service, operation string) (counts call.OperationCalls, ok bool)
	MappingCalls(lane, service, mapping string) (counts call.OperationCalls, ok bool)
	// ForgetMapping sets the counts of a mapping back, or with "" those of all
	// mappings of the service.
	ForgetMapping(service, mapping string)
	Stored() int64
	NotKept() int64
	Slowed() int64
	NotChecked() int64
	// InWork lists the calls that are not answered yet and take their time.
	InWork() []*call.Record
	// Gap says why it does not have all calls of a service, "" for all, in a lane, "" for
	// any, since a time; "" when it does.
	Gap(ctx context.Context, since time.Time, service, lane string) string
	// Missing says until when calls are missing that could not be kept; "" for none.
	Missing() string
}

// Decider decides calls that are not made and knows the state of those that
// were.
type Decider interface {
	Explain(ctx context.Context, r *call.Request) *engine.Decision
	// ExplainOn decides it in another environment than the present one.
	ExplainOn(ctx context.Context, snapshot *catalog.Snapshot, r *call.Request) *engine.Decision
	// AnswerOf is what one mapping answers to a call by itself, WorkOut what expressions give in it.
	AnswerOf(ctx context.Context, id string, r *call.Request) (d *engine.Decision, found bool, why *call.Finding)
	WorkOut(ctx context.Context, snapshot *catalog.Snapshot, m *catalog.Mapping, r *call.Request, expressions []string) (worked []engine.Worked, ok bool)
	// Holding tells which conditions of a mapping a call meets.
	Holding(service *catalog.Service, m *catalog.Mapping, r *call.Request) (holding []bool, asked bool)
	// Webhook makes the call of a webhook, for everybody or in a lane.
	Webhook(ctx context.Context, service, lane string, given spec.Callback) (*call.Callback, error)
	// ScenarioWebhooks makes the calls of the scenario that was switched on just now, in a lane or with
	// "" in none.
	ScenarioWebhooks(ctx context.Context, lane string, on *catalog.Activation) []engine.ScenarioWebhook
	// Check lists in what a call breaks the contract that is in force.
	Check(ctx context.Context, r *call.Record) (operation string, found []call.Deviation, err error)
	// What is counted is counted for each view of the environment by itself.
	Positions(view *catalog.Snapshot, serviceID string, m *catalog.Mapping) []engine.Position
	ResetSequence(view *catalog.Snapshot, serviceID string, m *catalog.Mapping)
	LimitsOf(view *catalog.Snapshot, i *catalog.Impairment) []engine.Used
	HitsOf(i *catalog.Impairment) impair.HitCount
	HitsOfMapping(service *catalog.Service, m *catalog.Mapping) impair.HitCount
	ResetImpairment(view *catalog.Snapshot, i *catalog.Impairment)
	ResetView(view *catalog.Snapshot)
	ResetLane(lane *catalog.Lane)
	// Memory is what services remember.
	Memory() *collection.Memory
	// ScriptFault is what went wrong with the script of a mapping last; "" for nothing.
	ScriptFault(service *catalog.Service, m *catalog.Mapping) string
	// Misfit says why a mapping does not fit a call, and by how much.
	Misfit(service *catalog.Service, m *catalog.Mapping, r *call.Request) engine.Misfit
	// Loosen makes of a mapping one that fits a call as well.
	Loosen(service *catalog.Service, m *catalog.Mapping, r *call.Request) (looser spec.Mapping, notes []string, why *call.Finding)
}

// Callbacks makes calls of services.
type Callbacks interface {
	// Make makes one in its time.
	Make(c *call.Callback)
	// Follow gives what became of the first attempt; the channel is closed when nothing is left to do.
	Follow(c *call.Callback) <-chan call.CallbackResult
}

// Upstream asks real services.
type Upstream interface {
	http.RoundTripper
	// Explain says why one did not answer.
	Explain(err error) (status int, why string)
}

// Authority is our own certificate authority.
type Authority interface {
	// PEM is its certificate as programs import it; made on first use.
	PEM() ([]byte, error)
	// Fingerprint is the SHA-256 of it, in hex.
	Fingerprint() (string, error)
	// File is where the certificate is kept.
	File() string
	// Rotate makes another authority instead of it.
	Rotate() error
	// Expires is when it ends; zero while there is none.
	Expires() time.Time
}

// CallStore reads calls that were kept. Errors are problems where the user can
// mend them.
type CallStore interface {
	// ListCalls returns calls the newest first.
	ListCalls(ctx context.Context, f call.Filter, before uint64, limit int) ([]call.Summary, error)
	Call(ctx context.Context, number uint64) (*call.Record, error)
}
