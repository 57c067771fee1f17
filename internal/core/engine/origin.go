package engine

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// Cross-origin calls (the CORS protocol of the Fetch standard): browsers ask
// before they let a page of another origin call us, and hide answers that do
// not allow it.

// foreign reports whether a page makes the call that is neither of the address that it
// calls nor listed: it can use what everybody sees, but no hints and no lanes.
func (e *Engine) foreign(r *call.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" || e.listed == nil {
		return false
	}
	_, host, ok := strings.Cut(origin, "://")
	return !(ok && host == r.Host) && !e.listed(origin)
}

func isPreflight(r *call.Request) bool {
	return r.Method == "OPTIONS" && r.Header.Get("Origin") != "" && r.Header.Get("Access-Control-Request-Method") != ""
}

// preflight allows whatever the browser asks for; hints only to pages that may use
// them.
func preflight(d *Decision, p *Placed, r *call.Request) {
	header := []call.Field{
		{Name: "Access-Control-Allow-Origin", Value: r.Header.Get("Origin")},
		{Name: "Access-Control-Allow-Credentials", Value: "true"},
		{Name: "Access-Control-Allow-Methods", Value: r.Header.Get("Access-Control-Request-Method")},
		{Name: "Access-Control-Max-Age", Value: "60"},
		{Name: "Vary", Value: "Origin, Access-Control-Request-Method, Access-Control-Request-Headers"},
	}
	asked := r.Header[askedHeaders]
	if p.foreign {
		asked, _ = withoutHint(asked)
	}
	if len(asked) > 0 {
		header = append(header, call.Field{Name: "Access-Control-Allow-Headers", Value: strings.Join(asked, ", ")})
	}
	if r.Header.Get("Access-Control-Request-Private-Network") == "true" {
		header = append(header, call.Field{Name: "Access-Control-Allow-Private-Network", Value: "true"})
	}
	d.Source, d.By = call.FromSelf, "preflight"
	d.Answer = call.Answer{Status: 204, Header: header}
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.Preflight, r.Header.Get("Origin")),
		Steps:   []call.Step{taken(call.Choose, call.Subject{Kind: call.KindPreflight}, call.Find(call.OriginAllowed))},
	}
}

// askedHeaders is where a browser names the headers that a page wants to send.
const askedHeaders = "Access-Control-Request-Headers"

// withoutHint takes the name of our header out of those that a browser asks for, and
// reports whether it was among them.
func withoutHint(lines []string) (rest []string, asked bool) {
	for _, line := range lines {
		var names []string
		for name := range strings.SplitSeq(line, ",") {
			if name = strings.TrimSpace(name); strings.EqualFold(name, "Rapid-Mimic") {
				asked = true
			} else {
				names = append(names, name)
			}
		}
		if len(names) > 0 {
			rest = append(rest, strings.Join(names, ", "))
		}
	}
	return rest, asked
}

// allowOrigin lets the page that called read the answer, with all its headers; ours
// only where the page is not foreign. Headers that the answer sets itself are left as
// they are.
func allowOrigin(d *Decision, r *call.Request, foreign bool) {
	origin := r.Header.Get("Origin")
	if origin == "" {
		return
	}
	header := slices.Clone(d.Answer.Header) // shared with other calls
	var names []string
	if !foreign {
		names = append(names, "Rapid-Mimic")
	}
	for _, f := range header {
		if strings.HasPrefix(strings.ToLower(f.Name), "access-control-") {
			return
		}
		names = append(names, f.Name)
	}
	d.Answer.Header = append(header,
		call.Field{Name: "Access-Control-Allow-Origin", Value: origin},
		call.Field{Name: "Access-Control-Allow-Credentials", Value: "true"},
		call.Field{Name: "Access-Control-Expose-Headers", Value: strings.Join(names, ", ")},
		call.Field{Name: "Vary", Value: "Origin"},
	)
}
