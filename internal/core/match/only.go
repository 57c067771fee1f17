package match

import (
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
)

// named counts by how many conditions each parameter, field or part is named.
type named map[string]map[string]int // "query" → "season" → 1

// usualHeaders are those that every client sends, and those that come on the way: whether
// they are there says nothing of what is asked for.
var usualHeaders = []string{"accept", "accept-charset", "accept-encoding", "accept-language", "baggage", "cache-control", "connection", "content-length", "content-type",
	"cookie", "date", "dnt", "expect", "forwarded", "host", "keep-alive", "origin", "pragma", "priority", "proxy-connection", "rapid-mimic", "referer", "te", "traceparent",
	"tracestate", "trailer", "transfer-encoding", "upgrade", "upgrade-insecure-requests", "user-agent", "via", "x-forwarded-for", "x-forwarded-host", "x-forwarded-proto", "x-request-id"}

func namedIn(conditions []spec.Condition) named {
	n := named{"query": {}, "header": {}, "form": {}, "part": {}}
	n.add(conditions)
	return n
}

func (n named) add(conditions []spec.Condition) {
	for _, c := range conditions {
		for part, name := range map[string]string{"query": c.Query, "header": strings.ToLower(c.Header), "form": c.Form, "part": c.Part} {
			if name != "" {
				n[part][name]++
			}
		}
		for _, group := range [][]spec.Condition{c.All, c.Any, c.None} {
			n.add(group)
		}
	}
}

// equalled counts by how many conditions, outside of groups, each name has a value.
func equalled(conditions []spec.Condition, part string) map[string]int {
	n := named{"query": {}, "header": {}, "form": {}, "part": {}}
	for _, c := range conditions {
		if c.Equals != nil || c.Digest != nil {
			n.add([]spec.Condition{c})
		}
	}
	return n[part]
}

func lowered(names []string) []string {
	for i, name := range names {
		names[i] = strings.ToLower(name)
	}
	return names
}

// headerNames are the headers of the call, by their names in small letters; sec- headers,
// with which browsers say what they are, are left out.
func (f *Facts) headerNames() url.Values {
	all := make(url.Values, len(f.Request.Header))
	for name, values := range f.Request.Header {
		if name = strings.ToLower(name); !strings.HasPrefix(name, "sec-") {
			all[name] = values
		}
	}
	return all
}

// only forbids what no condition names, and has what is named be there as often as that:
// of tag=a&tag=a both.
func (k Compiler) only(s spec.Condition) condition {
	allowed, except := k.named[s.Only], s.Except
	if s.Only == "header" {
		except = lowered(append(slices.Clone(except), usualHeaders...))
	}
	demanded := equalled(k.where, s.Only)
	names := "none"
	if len(allowed) > 0 {
		sorted := make([]string, 0, len(allowed))
		for name := range allowed {
			sorted = append(sorted, name)
		}
		slices.Sort(sorted)
		names = "only " + strings.Join(sorted, ", ")
	}
	all := map[string]func(*Facts) url.Values{"query": (*Facts).query, "header": (*Facts).headerNames, "form": (*Facts).form, "part": (*Facts).parts}[s.Only]
	return condition{subject: s.Only, check: func(f *Facts) *call.Finding {
		excess, worst := "", 0
		for name, values := range all(f) {
			more := len(values) - allowed[name]
			if s.Only == "header" && allowed[name] > 0 { // a list may come in several lines
				more = 0
			}
			if more <= 0 || slices.Contains(except, name) || s.Only == "query" && f.Noise != nil && f.Noise(name) {
				continue
			}
			if worst == 0 || name < excess {
				excess, worst = name, len(values)
			}
		}
		for name, times := range demanded {
			if s.Only == "header" {
				break
			}
			if count := len(all(f)[name]); worst == 0 && count > 0 && count < times {
				return &call.Finding{Code: call.TooOften, Part: s.Only + " " + name, Seen: strconv.Itoa(count), Expected: strconv.Itoa(times)}
			}
		}
		if worst == 0 {
			return nil
		}
		unmet := &call.Finding{Code: call.TooMany, Part: s.Only + " " + excess, Seen: strconv.Quote(all(f)[excess][0]), Expected: names}
		if allowed[excess] > 0 {
			unmet.Code, unmet.Seen, unmet.Expected = call.TooOften, strconv.Itoa(worst), strconv.Itoa(allowed[excess])
		}
		if f.Hide != nil {
			f.Hide(f.Request, unmet)
		}
		return unmet
	}}
}
