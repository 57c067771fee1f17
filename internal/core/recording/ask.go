package recording

import (
	"cmp"
	"encoding/json"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// ask is what a call asks for beside method and path.
type ask struct {
	key        string // equal for calls that ask for the same
	query      []pair // the telling parameters
	conditions []spec.Condition
	notes      []string
}

type pair struct{ name, value string }

// KeyOf is equal for patterns that ask for the same, whatever the order in which they
// say so.
func KeyOf(p spec.Pattern) string {
	where := make([]string, len(p.Where))
	for i, c := range p.Where {
		where[i] = textOf(c)
	}
	slices.Sort(where)
	methods := slices.Clone(p.Method)
	slices.Sort(methods)
	return strings.Join(methods, "|") + " " + p.Path + " " + p.Operation + " " + p.If + "\x00" + strings.Join(where, "\x00")
}

// known is what a whole recording tells of values.
type known struct {
	given map[string]bool // identifiers that answers gave, or paths have
	asked map[string]int  // how many calls send an identifier
	// headers tell for each header and cookie how many calls have it, and in how many
	// values: see telling.go.
	headers map[string]*spread
}

// knownOf looks at all calls of a recording.
func knownOf(exchanges []Exchange) *known {
	k := &known{given: make(map[string]bool), asked: make(map[string]int), headers: make(map[string]*spread)}
	for _, x := range exchanges {
		for _, text := range [][]byte{x.Answer, []byte(x.Path)} {
			for _, id := range identifier.FindAll(text[:min(len(text), mostLooked)], -1) {
				k.given[string(id)] = true
			}
		}
		for _, f := range x.Header {
			for _, id := range identifier.FindAllString(f.Value, -1) {
				k.given[id] = true
			}
		}
		seen := make(map[string]bool)
		for _, text := range [][]byte{x.Body, []byte(x.Query)} {
			for _, id := range identifier.FindAll(text[:min(len(text), mostLooked)], -1) {
				if !seen[string(id)] {
					seen[string(id)] = true
					k.asked[string(id)]++
				}
			}
		}
		k.spreadHeaders(x)
	}
	return k
}

// mostLooked bounds how many bytes of a body are looked through for identifiers.
const mostLooked = 4 << 20

var (
	identifier = regexp.MustCompile(`[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}`)
	whole      = regexp.MustCompile(`^` + identifier.String() + `$`)
	epoch      = regexp.MustCompile(`^1[0-9]{9}([0-9]{3})?$`)
)

// passing reports whether a value differs from call to call by itself: it is the time of
// the call, or an identifier that the caller drew and nobody knows.
func (k *known) passing(value string, x Exchange) bool {
	if whole.MatchString(value) {
		return !k.given[value] && k.asked[value] == 1
	}
	at, err := time.Parse(time.RFC3339, value)
	if epoch.MatchString(value) {
		seconds, _ := strconv.ParseInt(value[:10], 10, 64)
		at, err = time.Unix(seconds, 0), nil
	}
	return err == nil && at.Sub(x.At).Abs() < 5*time.Minute
}

var standIns = regexp.MustCompile(secret.StandInPrefix + `[0-9a-f]{32}`)

// secretIn finds the stand-in of a secret in a value. digest is "" where the value has
// one in it that no condition can know again: it is only a part of the value, or the
// secret was masked before.
func secretIn(value string) (digest string, found bool) {
	at := standIns.FindStringIndex(value)
	if at == nil {
		return "", false
	}
	before, rest := value[:at[0]], value[at[1]:]
	scheme, plain := strings.CutSuffix(before, " ")
	foreign := strings.HasPrefix(value[at[0]:], secret.StandInPrefix+secret.Foreign)
	if foreign || strings.Trim(rest, `"`) != "" || strings.Trim(before, `"`) != "" && (!plain || strings.Contains(scheme, " ")) {
		return "", true
	}
	return value[at[0]:at[1]], true
}

// valued is a condition on a part of the call with the value that it has there. ok is
// false where nothing can be asked of it.
func valued(c spec.Condition, value string) (spec.Condition, bool) {
	if digest, found := secretIn(value); found {
		c.Digest = &digest
		return c, digest != ""
	}
	c.Equals = tree.NewString(value)
	return c, true
}

const lostSecret = "it holds a secret that was masked before it was recorded, which no condition can know again"

// askOf works out what a call asks for.
func askOf(x Exchange, k *known, noise func(string) bool) ask {
	var a ask
	a.body(x, k)
	a.parameters(x, k, noise)
	return a
}

// parameters asks for the telling ones of the query, and for no others.
func (a *ask) parameters(x Exchange, k *known, noise func(string) bool) {
	var except, left []string
	for part := range strings.SplitSeq(x.Query, "&") {
		name, value, _ := strings.Cut(part, "=")
		name, nameErr := url.QueryUnescape(name)
		value, valueErr := url.QueryUnescape(value)
		switch {
		case part == "" || nameErr != nil || valueErr != nil:
		case noise != nil && noise(name):
			left = append(left, name)
		case k.passing(value, x):
			except, left = append(except, name), append(left, name)
		default:
			a.query = append(a.query, pair{name, value})
		}
	}
	slices.SortStableFunc(a.query, func(a, b pair) int { return cmp.Or(strings.Compare(a.name, b.name), strings.Compare(a.value, b.value)) })
	if len(left) > 0 {
		a.notes = append(a.notes, "query "+strings.Join(left, ", ")+" is left out: it says when or how the call came")
	}
	for _, q := range a.query {
		c, ok := valued(spec.Condition{Query: q.name}, q.value)
		if !ok {
			except = append(except, q.name)
			a.notes = append(a.notes, "query "+q.name+" is left out: "+lostSecret)
			continue
		}
		a.conditions = append(a.conditions, c)
	}
	slices.Sort(except)
	a.conditions = append(a.conditions, spec.Condition{Only: "query", Except: slices.Compact(except)})
	for _, c := range a.conditions {
		a.key += textOf(c) + "\x00"
	}
}

// textOf is equal for conditions that ask for the same.
func textOf(c spec.Condition) string {
	if c.Equals != nil {
		c.Equals = canonical(c.Equals)
	}
	text, _ := json.Marshal(c) // a condition that was read can be written
	return string(text)
}

// canonical is a value in the one spelling of all that are equal.
func canonical(n *tree.Node) *tree.Node {
	switch n.Kind {
	case tree.Map:
		members := make([]tree.Member, len(n.Members))
		for i, m := range n.Members {
			members[i] = tree.Member{Key: m.Key, Value: canonical(m.Value)}
		}
		slices.SortFunc(members, func(a, b tree.Member) int { return strings.Compare(a.Key, b.Key) })
		return tree.NewMap(members...)
	case tree.List:
		items := make([]*tree.Node, len(n.Items))
		for i, item := range n.Items {
			items[i] = canonical(item)
		}
		return tree.NewList(items...)
	case tree.Number:
		return tree.NewString("number " + tree.CanonicalNumber(n.Text))
	default:
		return n
	}
}
