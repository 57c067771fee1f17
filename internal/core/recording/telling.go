package recording

import (
	"cmp"
	"fmt"
	"maps"
	"net/textproto"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

// Calls that ask for the same may be answered differently by who asks: by credentials, a
// cookie, the language that they accept. Where they were, what explains the answers
// becomes a condition; else whoever asks gets the answer.

// place is a header or a cookie of calls.
type place struct {
	cookie bool
	name   string
}

func (p place) String() string {
	if p.cookie {
		return "cookie " + p.name
	}
	return "header " + p.name
}

// value is what a call has there.
func (p place) value(x Exchange) (value string, present bool) {
	if !p.cookie {
		values := x.Request[p.name]
		return strings.Join(values, ", "), len(values) > 0
	}
	for name, value := range match.Cookies(&call.Request{Header: x.Request}) {
		if name == p.name {
			return value, true
		}
	}
	return "", false
}

// condition asks for what a call has there. ok is false where that cannot be asked.
func (p place) condition(x Exchange) (c spec.Condition, ok bool) {
	if p.cookie {
		c.Cookie = p.name
	} else {
		c.Header = strings.ToLower(p.name)
	}
	value, present := p.value(x)
	if !present {
		c.Present = &present
		return c, true
	}
	return valued(c, value)
}

// spread tells how the values of a place are spread over the calls of a recording.
type spread struct {
	calls  int
	values map[string]int
}

func (k *known) spreadHeaders(x Exchange) {
	for _, p := range placesOf(x) {
		s := k.headers[p.String()]
		if s == nil {
			s = &spread{values: make(map[string]int)}
			k.headers[p.String()] = s
		}
		value, _ := p.value(x)
		s.calls++
		s.values[value]++
	}
}

// fewCalls is up to how many calls values may all differ without being noise.
const fewCalls = 3

// isNoise reports whether each call has another value there, as signatures do.
func (s *spread) isNoise() bool { return s != nil && s.calls > fewCalls && len(s.values) == s.calls }

// unasked are headers that belong to the connection, to the program or to the moment.
var unasked = regexp.MustCompile(`(?i)^(host|user-agent|content-length|accept-encoding|connection|keep-alive|te|trailer|transfer-encoding|upgrade|via|date|referer|` +
	`cache-control|pragma|if-.*|forwarded|x-forwarded-.*|x-real-ip|sec-.*|dnt|priority|traceparent|tracestate|baggage|b3|x-b3-.*|.*request-?id|.*correlation-?id|.*trace-?id|` +
	`idempotency-key|.*nonce|.*timestamp|rapid-mimic.*|expect|origin|cookie|access-control-.*)$`)

// usual are headers by which servers choose among the forms of one thing.
var usual = []string{"Accept", "Accept-Language", "Range", "Content-Type"}

func placesOf(x Exchange) (places []place) {
	for _, name := range slices.Sorted(maps.Keys(x.Request)) {
		if !unasked.MatchString(name) {
			places = append(places, place{name: name})
		}
	}
	for name := range match.Cookies(&call.Request{Header: x.Request}) {
		if p := (place{cookie: true, name: name}); !slices.Contains(places, p) {
			places = append(places, p)
		}
	}
	return places
}

// candidates are the places that may explain why calls were answered differently, the
// likeliest first.
func (g *group) candidates(k *known) (candidates []place) {
	rank := make(map[place]int)
	for _, x := range g.calls {
		vary := make(map[string]bool)
		for _, f := range x.Header {
			if strings.EqualFold(f.Name, "Vary") {
				for name := range strings.SplitSeq(f.Value, ",") {
					vary[textproto.CanonicalMIMEHeaderKey(strings.TrimSpace(name))] = true
				}
			}
		}
		for _, p := range placesOf(x) {
			value, _ := p.value(x)
			_, isSecret := secretIn(value)
			r := 4
			switch {
			case isSecret && p.name == "Authorization":
				r = 1
			case isSecret:
				r = 2
			case vary[p.name] || slices.Contains(usual, p.name):
				r = 3
			}
			if have, known := rank[p]; !known || r < have {
				rank[p] = r
			}
		}
	}
	for p, r := range rank {
		if k.headers[p.String()].isNoise() || r == 4 && !g.repeats(p) || !g.canAsk(p) {
			continue
		}
		candidates = append(candidates, p)
	}
	slices.SortFunc(candidates, func(a, b place) int {
		return cmp.Or(cmp.Compare(rank[a], rank[b]), strings.Compare(a.String(), b.String()))
	})
	return candidates
}

// repeats reports whether some value of a place came with several calls: one header
// among many explains nothing by being different each time.
func (g *group) repeats(p place) bool {
	count := make(map[string]int)
	for _, x := range g.calls {
		value, _ := p.value(x)
		if count[value]++; count[value] > 1 {
			return true
		}
	}
	return false
}

func (g *group) canAsk(p place) bool {
	return !slices.ContainsFunc(g.calls, func(x Exchange) bool { _, ok := p.condition(x); return !ok })
}

// byCaller takes a group apart by what explains that its answers differ. Where nothing
// has to be taken apart, calls of earlier recordings do not count.
func (g *group) byCaller(k *known) []*group {
	var telling []place
	if !slices.ContainsFunc(g.calls, func(x Exchange) bool { return x.Status != 206 }) { // part of a thing is no answer to who wants it whole
		telling = append(telling, place{name: "Range"})
	}
	candidates := g.candidates(k)
	for cost := g.unexplained(telling); cost > 0; {
		best, lowest := -1, cost
		for i, p := range candidates {
			if c := g.unexplained(append(slices.Clone(telling), p)); c < lowest {
				best, lowest = i, c
			}
		}
		if best < 0 {
			break
		}
		telling, cost = append(telling, candidates[best]), lowest
		candidates = slices.Delete(candidates, best, best+1)
	}
	if len(telling) == 0 {
		g.calls = slices.DeleteFunc(g.calls, func(x Exchange) bool { return x.earlier })
		return []*group{g}
	}
	names := make([]string, len(telling))
	for i, p := range telling {
		names[i] = p.String()
	}
	var parts []*group
	for _, calls := range g.parted(telling) {
		part := *g
		part.notes = append(slices.Clone(g.notes), "the answer depends on "+strings.Join(names, ", "))
		for _, p := range telling {
			c, _ := p.condition(calls[0]) // candidates can be asked
			part.callers = append(part.callers, c)
		}
		now := slices.DeleteFunc(slices.Clone(calls), func(x Exchange) bool { return x.earlier })
		if part.calls, part.earlier = now, len(now) == 0; part.earlier {
			part.calls = calls
		}
		parts = append(parts, &part)
	}
	return parts
}

// parted are the calls by their values in places, in their order.
func (g *group) parted(places []place) (parts [][]Exchange) {
	at := make(map[string]int)
	for _, x := range g.calls {
		key := ""
		for _, p := range places {
			value, present := p.value(x)
			key += fmt.Sprintf("%t%s\x00", present, value)
		}
		i, known := at[key]
		if !known {
			i, at[key] = len(parts), len(parts)
			parts = append(parts, nil)
		}
		parts[i] = append(parts[i], x)
	}
	return parts
}

// unexplained counts the answers that differ although the calls have the same values.
func (g *group) unexplained(places []place) (count int) {
	for _, calls := range g.parted(places) {
		different := make(map[string]bool)
		for _, x := range calls {
			different[answerKey(x)] = true
		}
		count += len(different) - 1
	}
	return count
}
