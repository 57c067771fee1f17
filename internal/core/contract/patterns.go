package contract

import (
	"sync"
	"sync/atomic"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/sample"
)

// patternsFor is how long the patterns that backtrack may take for all values of one
// check together.
const patternsFor = 200 * time.Millisecond

var errPatterns = &budget.Exhausted{Time: true, Detail: "patterns that backtrack take longer than " + patternsFor.String()}

// patterns bound the time that the patterns of a document take. The validator knows
// nothing of the check that it works for, so where a document has patterns that
// backtrack, its checks come one after the other.
type patterns struct {
	backtrack atomic.Bool // set when the first one is compiled
	checking  sync.Mutex  // held while a value is checked
	left      atomic.Int64
}

// timed is a pattern that backtracks, on the time of the check that is going on.
type timed struct {
	sample.Matcher
	patterns *patterns
}

// everything fits it.
type everything string

// MatchString implements jsonschema.Regexp.
func (everything) MatchString(string) bool { return true }

// String implements jsonschema.Regexp.
func (e everything) String() string { return string(e) }

// compile implements jsonschema.RegexpEngine. A pattern that is none, of which the import has warned,
// judges nothing, and the rest of its schema does.
func (p *patterns) compile(pattern string) (jsonschema.Regexp, error) {
	m, err := sample.CompilePattern(pattern)
	if err != nil {
		return everything(pattern), nil
	}
	if !sample.Backtracks(m) {
		return m, nil
	}
	if !p.backtrack.Swap(true) {
		p.left.Store(int64(patternsFor)) // for the check that compiles it
	}
	return timed{m, p}, nil
}

// MatchString implements jsonschema.Regexp. When no time is left everything fits; the
// check then says that it is not one.
func (t timed) MatchString(text string) bool {
	if t.patterns.left.Load() <= 0 {
		return true
	}
	begun := time.Now()
	fits := t.Matcher.MatchString(text)
	t.patterns.left.Add(-int64(time.Since(begun)))
	return fits
}

// within runs a check. The error says that its patterns took too long, so that the
// result is none.
func (p *patterns) within(check func() error) error {
	if !p.backtrack.Load() {
		return check()
	}
	p.checking.Lock()
	defer p.checking.Unlock()
	p.left.Store(int64(patternsFor))
	err := check()
	if p.left.Load() <= 0 {
		return errPatterns
	}
	return err
}
