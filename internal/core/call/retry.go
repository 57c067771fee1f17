package call

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Story is how one caller took it that a call failed: its attempts at the same
// call, until one got through or it gave up.
type Story struct {
	Service, Method, Path, Query string
	Caller                       string // address without its port
	Lane                         string // "" for none: runs in two lanes are two callers
	Operation                    string // of the contract; "" for none: messages to one address are for several
	Attempts                     []Attempt
	Outcome                      Outcome
}

// Attempt is one call of a story.
type Attempt struct {
	Number uint64
	At     time.Time
	Status int // 0 when there was no answer
	// Gap is the time since the end of the attempt before, 0 for the first.
	Gap time.Duration
	// Advised is how long the answer before told the caller to wait; 0 when it did
	// not. Obeyed says that the caller did.
	Advised time.Duration
	Obeyed  bool
	// Injected is what impairments did to it.
	Injected []Injected
}

// Outcome is how a story ends.
type Outcome string

// The outcomes.
const (
	GotThrough  Outcome = "got through"
	GaveUp      Outcome = "gave up"
	StillTrying Outcome = "still trying"
)

// patience is after how long without another attempt a caller has given up.
const patience = time.Minute

// earlier is by how much a caller may come back too early and still obeys: clocks
// and networks are not exact.
const earlier = 20 * time.Millisecond

// Failed reports whether a caller that got a status, 0 for no answer at all, would
// have reason to try again.
func Failed(status int) bool { return status == 0 || status == 429 || status >= 499 }

// Retries tells the stories of calls that failed, from records in the order in
// which the calls came. The last to begin is the last.
func Retries(records []*Record, now time.Time) []Story {
	var stories []*Story
	open := make(map[string][]*Story)
	last := make(map[*Story]*Record)
	for _, r := range records {
		key := strings.Join([]string{r.Service, r.Request.Method, r.Request.Path, r.Request.Query, r.Request.CallerHost(), r.Lane, r.Operation}, "\x00")
		// calls that were made at the same time are not attempts at one another
		i := slices.IndexFunc(open[key], func(s *Story) bool { end := endOf(last[s]); return !r.At.Before(end) && r.At.Sub(end) <= patience })
		if i < 0 && !Failed(r.Answer.Status) {
			continue
		}
		if i < 0 {
			s := &Story{Service: r.Service, Method: r.Request.Method, Path: r.Request.Path, Query: r.Request.Query, Caller: r.Request.CallerHost(), Lane: r.Lane, Operation: r.Operation, Outcome: StillTrying}
			stories, open[key] = append(stories, s), append(open[key], s)
			i = len(open[key]) - 1
		}
		s := open[key][i]
		s.Attempts = append(s.Attempts, attempt(r, last[s]))
		last[s] = r
		if !Failed(r.Answer.Status) {
			s.Outcome = GotThrough
			open[key] = slices.Delete(open[key], i, i+1)
		}
	}
	out := make([]Story, len(stories))
	for i, s := range stories {
		if s.Outcome == StillTrying && now.Sub(endOf(last[s])) > patience {
			s.Outcome = GaveUp
		}
		out[i] = *s
	}
	return out
}

func endOf(r *Record) time.Time { return r.At.Add(r.Took()) }

func attempt(r, before *Record) Attempt {
	a := Attempt{Number: r.Number, At: r.At, Status: r.Answer.Status, Injected: r.Injected}
	if before == nil {
		return a
	}
	a.Gap = max(r.At.Sub(endOf(before)), 0)
	if seconds, err := strconv.Atoi(before.Answer.Get("Retry-After")); err == nil && seconds > 0 {
		a.Advised = time.Duration(seconds) * time.Second
		a.Obeyed = a.Gap+earlier >= a.Advised
	}
	return a
}

// CallerHost is the address of the caller without its port.
func (r *Request) CallerHost() string {
	from, err := netip.ParseAddrPort(r.Caller)
	if err != nil {
		return r.Caller
	}
	return from.Addr().Unmap().String()
}
