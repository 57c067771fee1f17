package access

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"rapidmimic.example/spec/problem"
)

// Store keeps tokens. Implementations keep no reference to what they are given.
type Store interface {
	Tokens(ctx context.Context) ([]Token, error)
	// PutToken adds a token, or replaces the one with its id.
	PutToken(ctx context.Context, t Token) error
	RemoveToken(ctx context.Context, id string) error
}

// Tokens are those of an environment. It is safe for concurrent use.
type Tokens struct {
	store Store

	mu       sync.RWMutex // guards all below
	byDigest map[[32]byte]*Token
	unkept   map[*Token]bool // used since that was last kept
	kept     time.Time       // when that was
}

// Open reads the tokens that there are.
func Open(ctx context.Context, store Store) (*Tokens, error) {
	all, err := store.Tokens(ctx)
	if err != nil {
		return nil, err
	}
	tokens := &Tokens{store: store, byDigest: make(map[[32]byte]*Token), unkept: make(map[*Token]bool)}
	for _, t := range all {
		t.gone = make(chan struct{})
		tokens.byDigest[t.Digest] = &t
	}
	return tokens, nil
}

// Find returns the token that a secret is of, and notes that it was used.
func (ts *Tokens) Find(secret string, now time.Time) (*Token, error) {
	digest, err := digestOf(secret)
	if err != nil {
		return nil, err
	}
	ts.mu.RLock()
	t := ts.byDigest[digest]
	fresh := t != nil && now.Sub(t.Used) < usedEvery
	ts.mu.RUnlock()
	switch {
	case t == nil:
		return nil, problem.New(problem.Unauthorized, "the token is not one of this environment, or was revoked")
	case !t.Holds(now):
		return nil, problem.New(problem.Unauthorized, "token %q expired at %s", t.Name, t.Expires.UTC().Format("2006-01-02 15:04 UTC"))
	case !fresh:
		ts.mu.Lock()
		defer ts.mu.Unlock()
		t.Used = now
		ts.unkept[t] = true
	}
	return t, nil
}

// usedEvery is how exactly it is noted when a token was last used.
const usedEvery = time.Minute

// KeepUsed keeps when tokens were used, once in a while.
func (ts *Tokens) KeepUsed(ctx context.Context, now time.Time) error {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	if now.Sub(ts.kept) < usedEvery {
		return nil
	}
	ts.kept = now
	for t := range ts.unkept {
		delete(ts.unkept, t)
		if ts.byDigest[t.Digest] != t || t.session {
			continue
		}
		if err := ts.store.PutToken(ctx, *t); err != nil {
			return err
		}
	}
	return nil
}

// List lists the tokens by name, those that expired, too.
func (ts *Tokens) List() []Token {
	ts.mu.RLock()
	defer ts.mu.RUnlock()
	list := make([]Token, 0, len(ts.byDigest))
	for _, t := range ts.byDigest {
		list = append(list, *t)
	}
	slices.SortFunc(list, func(a, b Token) int { return cmp.Compare(a.Name, b.Name) })
	return list
}

// Create adds a token with the secret that random gives it. Names are given once.
func (ts *Tokens) Create(ctx context.Context, t Token, random [32]byte, now time.Time) (created Token, secret string, err error) {
	if err := t.Check(); err != nil {
		return t, "", err
	}
	if !t.Expires.IsZero() && !now.Before(t.Expires) {
		return t, "", problem.New(problem.Invalid, "the token would have expired already")
	}
	ts.mu.Lock()
	defer ts.mu.Unlock()
	kept := 0
	for _, other := range ts.byDigest {
		if other.session {
			continue
		}
		kept++
		if other.Name == t.Name {
			return t, "", problem.New(problem.Exists, "token %q already exists (choose another name, or revoke it)", t.Name)
		}
	}
	if kept >= MaxTokens {
		return t, "", problem.New(problem.Invalid, "there are %d tokens already: revoke some", MaxTokens)
	}
	secret = NewSecret(random)
	t.Digest, _ = digestOf(secret) // which we made
	t.ID, t.Created, t.gone = fmt.Sprintf("t-%x", t.Digest[:4]), now, make(chan struct{})
	if err := ts.store.PutToken(ctx, t); err != nil {
		return t, "", err
	}
	ts.byDigest[t.Digest] = &t
	return t, secret, nil
}

// MaxSessions bounds the sessions of those who signed in, sessionsEach those of one person.
const (
	MaxSessions  = 10_000
	sessionsEach = 20
)

// Begin lets somebody in who signed in elsewhere, until it expires or the service stops. Who
// has many sessions loses the oldest.
func (ts *Tokens) Begin(t Token, random [32]byte, now time.Time) (begun Token, secret string, err error) {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	sessions, own := 0, 0
	var oldest *Token // of that person
	for digest, other := range ts.byDigest {
		if other.session && !other.Holds(now) {
			delete(ts.byDigest, digest)
		} else if other.session {
			sessions++
			if other.Name != t.Name {
				continue
			}
			if own++; oldest == nil || other.Created.Before(oldest.Created) {
				oldest = other
			}
		}
	}
	if own >= sessionsEach {
		delete(ts.byDigest, oldest.Digest)
		close(oldest.gone)
		sessions--
	}
	if sessions >= MaxSessions {
		return t, "", problem.New(problem.Unavailable, "too many are signed in: try again later")
	}
	secret = NewSecret(random)
	t.Digest, _ = digestOf(secret) // which we made
	t.ID, t.Created, t.gone, t.session = fmt.Sprintf("s-%x", t.Digest[:4]), now, make(chan struct{}), true
	ts.byDigest[t.Digest] = &t
	return t, secret, nil
}

// Revoke takes away a token by its id, or by a name the token and the sessions that have it:
// from now on nobody gets in with them. The last administrator's stays.
func (ts *Tokens) Revoke(ctx context.Context, nameOrID string) (Token, error) {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	var gone []*Token
	var found *Token // the one of them that is kept; nil for none
	var names []string
	admins := 0
	for _, t := range ts.byDigest {
		names = append(names, t.Name)
		switch asked := t.Name == nameOrID || t.ID == nameOrID; {
		case asked && t.session:
			gone = append(gone, t)
		case asked:
			found = t
		}
		if t.Role == Admin && t.Expires.IsZero() && !t.session {
			admins++
		}
	}
	switch {
	case found == nil && gone == nil:
		slices.Sort(names)
		return Token{}, problem.New(problem.NotFound, "token %q not found (%s)", nameOrID, problem.Suggest(nameOrID, names, "there is"))
	case found == nil:
	case found.Role == Admin && found.Expires.IsZero() && admins == 1:
		return Token{}, problem.New(problem.Conflict, "%q is the last administrator's token that never expires: nobody could let anybody in again (create another one first)", found.Name)
	default:
		if err := ts.store.RemoveToken(ctx, found.ID); err != nil {
			return Token{}, err
		}
		gone = append(gone, found)
	}
	for _, t := range gone {
		delete(ts.byDigest, t.Digest)
		close(t.gone)
	}
	return *gone[0], nil
}

// Empty reports whether there is none.
func (ts *Tokens) Empty() bool {
	ts.mu.RLock()
	defer ts.mu.RUnlock()
	return len(ts.byDigest) == 0
}
