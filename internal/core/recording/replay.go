package recording

import (
	"net/textproto"
	"regexp"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/spec/tree"
)

var stamped = regexp.MustCompile(`^\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d`)

// Replaying sends recorded requests to a real service again. What a recording keeps of a
// secret is of no use there: it learns from the answers what stands for what, so that a
// session that is begun goes on. It belongs to one replay.
type Replaying struct {
	// Header goes to every request, instead of what was recorded.
	Header call.Header
	live   map[string]string // what a stand-in stands for now
}

// Learn compares a recorded answer with that of now: a cookie, a header or a member that
// held a secret then holds the one of now.
func (r *Replaying) Learn(recorded, now Exchange) {
	if r.live == nil {
		r.live = make(map[string]string)
	}
	for _, f := range recorded.Header {
		name, standIn, ok := cookieOf(f)
		if !ok || !standIns.MatchString(standIn) {
			continue
		}
		for _, other := range now.Header {
			if n, value, ok := cookieOf(other); ok && n == name {
				r.live[standIns.FindString(standIn)] = value
			}
		}
	}
	before, err := tree.ParseJSON(recorded.Answer)
	if err != nil || !standIns.Match(recorded.Answer) {
		return
	}
	if after, err := tree.ParseJSON(now.Answer); err == nil {
		r.learn(before, after)
	}
}

func (r *Replaying) learn(before, after *tree.Node) {
	switch {
	case before.Kind == tree.Map && after.Kind == tree.Map:
		for _, m := range before.Members {
			if other := after.Get(m.Key); other != nil {
				r.learn(m.Value, other)
			}
		}
	case before.Kind == tree.List && after.Kind == tree.List:
		for i := range min(len(before.Items), len(after.Items)) {
			r.learn(before.Items[i], after.Items[i])
		}
	case before.Kind == tree.String && len(before.Text) == len(secret.StandInPrefix)+32 && standIns.MatchString(before.Text):
		r.live[before.Text] = after.Text
	}
}

// cookieOf is the name and the value of a cookie that is set.
func cookieOf(f call.Field) (name, value string, ok bool) {
	if !strings.EqualFold(f.Name, "Set-Cookie") {
		return "", "", false
	}
	pair, _, _ := strings.Cut(f.Value, ";")
	name, value, ok = strings.Cut(pair, "=")
	return strings.TrimSpace(name), value, ok
}

// Request is what a recorded request is today. unknown says where secrets stand in it
// that nobody knows; those in headers are left out.
func (r *Replaying) Request(x Exchange) (today Exchange, unknown []string) {
	put := func(text, where string) string {
		missing := false
		text = standIns.ReplaceAllStringFunc(text, func(standIn string) string {
			if live, known := r.live[standIn]; known {
				return live
			}
			missing = true
			return standIn
		})
		if missing {
			unknown = append(unknown, where)
		}
		return text
	}
	today = x
	today.Path, today.Query, today.Body = put(x.Path, "the path"), put(x.Query, "the query"), []byte(put(string(x.Body), "the body"))
	today.Request = make(call.Header, len(x.Request))
	for name, values := range x.Request {
		if r.Header[name] != nil || strings.HasPrefix(name, "If-") || name == "Accept-Encoding" {
			continue
		}
		for _, value := range values {
			before := len(unknown)
			if value = put(value, "header "+strings.ToLower(name)); len(unknown) == before {
				today.Request[name] = append(today.Request[name], value)
			}
		}
	}
	for name, values := range r.Header {
		today.Request[textproto.CanonicalMIMEHeaderKey(name)] = values
	}
	return today, unknown
}

// Writes reports whether a call may change something where it goes.
func (x Exchange) Writes() bool {
	switch x.Method {
	case "GET", "HEAD", "OPTIONS", "TRACE":
		return false
	default:
		return true
	}
}
