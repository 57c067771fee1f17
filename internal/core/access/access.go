// Package access decides who may do what: tokens, the roles and rights that they have, and
// the services and lanes to which these are limited.
package access

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
)

// Role is what a token is for. Each may do what the one before it may.
type Role string

// The roles.
const (
	Viewer Role = "viewer" // reads definitions and masked calls, explains and checks
	Tester Role = "tester" // opens and changes lanes, and sends test calls
	Editor Role = "editor" // changes services, scenarios, impairments and recordings
	Admin  Role = "admin"  // tokens, the authority, the log, pruning, hosts beyond the allowed
)

// Roles are all of them, in their order.
var Roles = []Role{Viewer, Tester, Editor, Admin}

// Right is what a request needs.
type Right int

// The rights, each with the role that has it first.
const (
	View Right = iota
	Test
	Edit
	Administer
)

// Role is the least that has the right.
func (r Right) Role() Role { return Roles[r] }

// Has reports whether a role has a right.
func (r Role) Has(right Right) bool { return slices.Index(Roles, r) >= int(right) }

// Token is who asks, as far as is known.
type Token struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role Role   `json:"role"`
	// Services are those that it may see and change; none for all.
	Services []string `json:"services,omitempty"`
	// Lanes are patterns, with * for any part, of the lanes that it may see, open and change;
	// none for all.
	Lanes   []string  `json:"lanes,omitempty"`
	Created time.Time `json:"created"`
	By      string    `json:"by,omitempty"`      // who created it
	Expires time.Time `json:"expires,omitzero"`  // zero for never
	Used    time.Time `json:"lastUsed,omitzero"` // zero for never
	// Digest is the SHA-256 of its secret, which is kept nowhere.
	Digest [32]byte `json:"-"`

	gone chan struct{} // closed when it is revoked
	// session is set of one that somebody has who signed in; it is kept nowhere, and ends with
	// the service.
	session bool
}

// MaxTokens bounds the tokens of an environment.
const MaxTokens = 1000

// Check refuses a token that makes no sense.
func (t *Token) Check() error {
	if name := strings.TrimSpace(t.Name); name != t.Name || name == "" || len(name) > 60 || strings.ContainsFunc(name, func(c rune) bool { return c < ' ' || c == 0x7f }) {
		return problem.New(problem.Invalid, "the name of a token is a line of at most 60 bytes, not %q", t.Name)
	}
	if !slices.Contains(Roles, t.Role) {
		return problem.New(problem.Invalid, "role must be viewer, tester, editor or admin, not %q", t.Role)
	}
	if t.Role == Admin && len(t.Services)+len(t.Lanes) > 0 {
		return problem.New(problem.Invalid, "an administrator is not limited to services or lanes (give it another role)")
	}
	for _, pattern := range t.Lanes {
		if _, err := path.Match(pattern, ""); err != nil || pattern == "" {
			return problem.New(problem.Invalid, "%q is no pattern of lanes (such as ci-*)", pattern)
		}
	}
	return nil
}

// Whole reports whether it is not limited to some services.
func (t *Token) Whole() bool { return len(t.Services) == 0 }

// Sees reports whether it may see a service at all.
func (t *Token) Sees(service string) bool { return t.Whole() || slices.Contains(t.Services, service) }

// InLane reports whether it may open and change a lane.
func (t *Token) InLane(lane string) bool {
	return len(t.Lanes) == 0 || slices.ContainsFunc(t.Lanes, func(pattern string) bool {
		fits, _ := path.Match(pattern, lane)
		return fits
	})
}

// Holds reports whether it is in force at a time.
func (t *Token) Holds(now time.Time) bool {
	select {
	case <-t.gone:
		return false
	default:
		return t.Expires.IsZero() || now.Before(t.Expires)
	}
}

// Gone is closed when the token is revoked; nil for one that cannot be.
func (t *Token) Gone() <-chan struct{} { return t.gone }

// String says what it may: "editor of moorings, lanes ci-*".
func (t *Token) String() string {
	text := string(t.Role)
	if !t.Whole() {
		text += " of " + strings.Join(t.Services, ", ")
	}
	if len(t.Lanes) > 0 {
		text += ", lanes " + strings.Join(t.Lanes, ", ")
	}
	return text
}

// Need is what a request needs.
type Need struct {
	Right Right
	// Service is the one that it is about, "" for the whole environment. Lane is the lane in
	// which it changes something, "" for none.
	Service, Lane string
	// Shared is set where a token that is limited to services may do it all the same: what it
	// gets is limited then.
	Shared bool
}

// Refuse says why a token may not do something; nil where it may.
func (t *Token) Refuse(n Need) error {
	right := n.Right
	what := map[Right]string{View: "see", Test: "test", Edit: "change", Administer: "administer"}[right]
	of := "the environment"
	if n.Service != "" {
		of = fmt.Sprintf("service %q", n.Service)
	}
	if n.Lane != "" && right == Edit { // in a lane it is nobody else's
		right, of = Test, fmt.Sprintf("lane %q", n.Lane)
	}
	switch {
	case !t.Role.Has(right):
	case n.Service != "" && !t.Sees(n.Service):
		of, right, n.Lane = fmt.Sprintf("service %q", n.Service), n.Right, ""
	case n.Service == "" && !n.Shared && n.Lane == "" && !t.Whole():
	case n.Lane != "" && !t.InLane(n.Lane):
		of = fmt.Sprintf("lane %q", n.Lane)
	default:
		return nil
	}
	who := fmt.Sprintf("token %q is", t.Name)
	if t.ID == "" {
		who = "without a token you are"
	}
	return problem.New(problem.Refused, "you may not %s %s: %s %s, and that takes %s (whoever is admin can give it: rapidmimic token create)",
		what, of, who, withArticle(t.String()), withArticle(string(right.Role()))+scopeOf(n))
}

func scopeOf(n Need) string {
	switch {
	case n.Lane != "":
		return " of that lane"
	case n.Service != "":
		return " of " + n.Service
	default:
		return " of all services"
	}
}

func withArticle(noun string) string {
	if strings.ContainsRune("aeiou", rune(noun[0])) {
		return "an " + noun
	}
	return "a " + noun
}
