package engine

import (
	"fmt"
	"net/textproto"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
)

// Relay is what a decision says of a call that the upstream answers.
type Relay struct {
	// Target is where the call goes: the path below the upstream, with its query.
	Target *url.URL
	// Request is what is sent there, where a mapping edited it; nil for the call as
	// it came.
	Request *call.Request
	edits   []*answer.Edit     // of the answer on its way back, one after the other
	scope   func() *expr.Scope // of the call, for edits
	capture *catalog.Capture   // the recording that runs, nil for none
	origin  *call.Request      // whose page may read what we answer ourselves; nil for none
	foreign bool               // that page was not listed
	asksUs  bool               // a browser asks whether its page may send hints
	base    *url.URL           // of the upstream
	hops    int                // relays that the call has passed with this one
	keep    bool               // what would lead callers past us is changed
	ours    string             // the address of the service as the call had it
	// describes is set where the upstream is asked for a contract that we do not have: addresses in it are
	// changed, likewise. host is ours as the call had it.
	describes bool
	host      string
	set       []call.Field // headers that the service sets on the way
	// asFault is a fault of ours in the protocol of the service; ok is false where it has none.
	asFault func(text string) (a call.Answer, ok bool)
}

// Edits reports whether the answer is edited on its way back: then it must be held whole,
// and goes through Finish.
func (relay *Relay) Edits() bool { return len(relay.edits) > 0 || relay.describes }

// Streams reports whether the call is passed on whatever it says, so that its body
// need not be held. One whose message tells its operation must be, where impairments
// ask for it.
func (p *Placed) Streams() bool {
	return p.relays() && !(p.Service.Protocol().ByMessage() && p.snapshot.Impaired())
}

// relays reports whether the call is passed on.
func (p *Placed) relays() bool {
	return p.Service != nil && p.Service.Spec.Upstream != "" && (p.Service.Spec.Relays() || p.Service.Recording != nil && !p.Service.Recording.Spec.Missing) && p.badHint == ""
}

// hopsHeader counts on the way how many relays of ours a call has passed.
const hopsHeader = "Rapid-Mimic-Hops"

// mostHops is how many they may be: more are a circle.
const mostHops = 8

// relay has the upstream answer, and a recording that runs see it; nil for none. A call
// that would go round in circles, or leave the upstream's base path, is refused.
func relay(d *Decision, p *Placed, r *call.Request, why string, capture *catalog.Capture, steps []call.Step) {
	base := p.Service.Upstream
	if fault := p.Service.UpstreamFault; fault != "" {
		refusal(d, "no-upstream", selfDocument{
			Title: "The upstream is not known", Status: 502,
			Detail: fmt.Sprintf("Service %s cannot ask its upstream: %s.", p.Service.Spec.Name, fault),
		}, steps)
		d.Recording = ""
		return
	}
	hops, _ := strconv.Atoi(r.Header.Get(hopsHeader)) // what is none begins
	switch {
	case hops >= mostHops:
		refusal(d, "loop", selfDocument{
			Title: "This call goes round in circles", Status: 508,
			Detail: fmt.Sprintf("It has passed %d relays already: the upstream of %s leads back to where the call comes from.", hops, p.Service.Spec.Name),
		}, steps)
		d.Recording = ""
		return
	case strings.Trim(base.Path, "/") != "" && climbs(r.Path):
		refusal(d, "outside-base", selfDocument{
			Title: "The path leaves the upstream's base path", Status: 400,
			Detail: fmt.Sprintf("Path %s has parts that lead upwards, and the upstream of %s is %s and what is below it.", r.Path, p.Service.Spec.Name, base.Redacted()),
		}, steps)
		d.Recording = ""
		return
	}
	d.Source, d.By = call.FromUpstream, base.Host
	d.Relay = &Relay{Target: p.target(r), base: base, keep: p.Service.Spec.KeepWithUs, ours: baseOf(r), capture: capture, hops: max(0, hops) + 1, set: p.Service.UpstreamHeaders,
		asFault: func(text string) (call.Answer, bool) { return p.asFault(r, contract.Fault{Ours: true, Text: text}) }}
	d.Relay.describes, d.Relay.host = d.Relay.keep && !p.onHost && p.Service.Contract == nil && asksForDescription(r), r.Host
	if p.Service.Spec.CORS {
		d.Relay.origin = r
		_, d.Relay.asksUs = withoutHint(r.Header[askedHeaders])
		d.Relay.foreign = p.foreign
	}
	d.Explanation = &call.Explanation{
		Summary: call.Find(call.ByUpstream, base, why),
		Steps:   append(steps, taken(call.Choose, call.Subject{Kind: call.KindUpstream}, call.Find(call.UpstreamAsked, why))),
	}
	if set := d.Relay.set; len(set) > 0 {
		names := make([]string, len(set))
		for i, h := range set {
			names[i] = h.Name
		}
		d.Explanation.Steps = append(d.Explanation.Steps, noted(call.Build, call.Subject{Kind: call.KindUpstream}, call.Find(call.HeadersSet, strings.Join(names, ", "))))
	}
}

// climbs reports whether an escaped path has a part that leads upwards, in any
// spelling that a server may understand.
func climbs(escaped string) bool {
	plain, err := url.PathUnescape(escaped)
	if err != nil {
		return true // nobody knows what it means to the upstream
	}
	for part := range strings.FieldsFuncSeq(plain, func(r rune) bool { return r == '/' || r == '\\' }) {
		if name, _, _ := strings.Cut(part, ";"); name == ".." { // some servers take parameters off
			return true
		}
	}
	return false
}

// target is where the upstream takes the call: at the address that it has, where it came for the real
// service.
func (p *Placed) target(r *call.Request) *url.URL {
	if p.onHost {
		return joined(p.Service.Upstream, p.Service.Upstream.EscapedPath(), r.Path, r.Query)
	}
	path := r.Path
	if path == "/" && !strings.HasSuffix(r.Address, "/") && strings.Trim(p.Service.Upstream.Path, "/") != "" {
		path = "" // nobody wrote that slash
	}
	return TargetOf(p.Service, p.Service.Upstream, path, r.Query)
}

// TargetOf is where an upstream with this base URL takes a call to a service, path being relative to that
// and escaped: below the base, unless the protocol of the service knows better.
func TargetOf(service *catalog.Service, base *url.URL, path, query string) *url.URL {
	below := base.EscapedPath()
	if located, ok := service.Protocol().(contract.Located); ok {
		if at, ok := located.UpstreamPath(below, match.Split(nil, path)); ok {
			below, path = at, ""
		}
	}
	return joined(base, below, path, query)
}

func joined(base *url.URL, below, path, query string) *url.URL {
	target := *base
	at, err := url.Parse(below + path)
	if err != nil { // a path that reached us is one
		at = &url.URL{Path: base.Path + path}
	}
	target.Path, target.RawPath, target.RawQuery = at.Path, at.RawPath, query
	return &target
}

// hopByHop are headers that belong to one connection, not to the message
// (RFC 9110, section 7.6.1).
var hopByHop = []string{"Connection", "Http2-Settings", "Keep-Alive", "Proxy-Connection", "Proxy-Authenticate", "Proxy-Authorization", "Te", "Trailer", "Transfer-Encoding", "Upgrade"}

// RequestHeader is what goes to the upstream of a request's header: without what
// belongs to the connection, and without hints, which are for us.
func (relay *Relay) RequestHeader(h call.Header) call.Header {
	out := WithoutHints(EndToEnd(h))
	for i, f := range relay.set {
		name := textproto.CanonicalMIMEHeaderKey(f.Name)
		if slices.ContainsFunc(relay.set[:i], func(before call.Field) bool { return textproto.CanonicalMIMEHeaderKey(before.Name) == name }) {
			out[name] = append(out[name], f.Value)
		} else {
			out[name] = []string{f.Value}
		}
	}
	out[hopsHeader] = []string{strconv.Itoa(relay.hops)}
	if relay.asksUs {
		if out[askedHeaders], _ = withoutHint(out[askedHeaders]); len(out[askedHeaders]) == 0 {
			delete(out, askedHeaders)
		}
	}
	return out
}

// WithoutHints takes hints, which are for us, out of a header, which it changes.
func WithoutHints(h call.Header) call.Header {
	delete(h, "Rapid-Mimic")
	if baggage := withoutOurs(h["Baggage"]); len(baggage) > 0 {
		h["Baggage"] = baggage
	} else {
		delete(h, "Baggage")
	}
	return h
}

// EndToEnd copies a header without what belongs to the connection.
func EndToEnd(h call.Header) call.Header {
	out := make(call.Header, len(h))
	for name, values := range h {
		out[name] = values
	}
	for _, line := range h["Connection"] {
		for name := range strings.SplitSeq(line, ",") {
			delete(out, textproto.CanonicalMIMEHeaderKey(strings.TrimSpace(name)))
		}
	}
	for _, name := range hopByHop {
		delete(out, name)
	}
	return out
}

// withoutOurs takes our members out of W3C baggage.
func withoutOurs(lines []string) (rest []string) {
	for _, line := range lines {
		var members []string
		for member := range strings.SplitSeq(line, ",") {
			if !strings.HasPrefix(strings.ToLower(strings.TrimSpace(member)), "rapid-mimic.") {
				members = append(members, strings.TrimSpace(member))
			}
		}
		if len(members) > 0 {
			rest = append(rest, strings.Join(members, ", "))
		}
	}
	return rest
}

// LeavesOut says why the recording that captures the call does not want its
// answer, by the content type; "" when it does.
func (relay *Relay) LeavesOut(contentType string) string {
	if relay.capture == nil {
		return ""
	}
	return relay.capture.LeavesOutAnswer(contentType)
}

// AnswerHeader is what goes to the caller of an upstream's header. changes tell
// what was changed so that the caller stays with us.
func (relay *Relay) AnswerHeader(h call.Header) (out call.Header, changes []string) {
	out = EndToEnd(h)
	if relay.asksUs && !relay.foreign && len(out["Access-Control-Allow-Origin"]) > 0 { // it knows nothing of our header
		out["Access-Control-Allow-Headers"] = append(slices.Clone(out["Access-Control-Allow-Headers"]), "Rapid-Mimic")
		changes = append(changes, "Access-Control-Allow-Headers: Rapid-Mimic was added, which is for us")
	}
	if !relay.keep {
		return out, changes
	}
	for _, name := range []string{"Location", "Content-Location"} {
		for _, value := range out[name] {
			if kept, ok := relay.keptAddress(value); ok {
				out[name] = []string{kept}
				changes = append(changes, fmt.Sprintf("%s: %s became %s", name, value, kept))
			}
		}
	}
	if lines := out["Set-Cookie"]; len(lines) > 0 {
		cookies := make([]string, len(lines))
		for i, line := range lines {
			if cookies[i] = relay.keptCookie(line); cookies[i] != line {
				name, _, _ := strings.Cut(line, "=")
				changes = append(changes, fmt.Sprintf("Set-Cookie %s: Domain, Path and Secure are ours", name))
			}
		}
		out["Set-Cookie"] = cookies
	}
	if value := out["Alt-Svc"]; len(value) > 0 {
		delete(out, "Alt-Svc")
		changes = append(changes, "Alt-Svc: "+value[0]+" was left out")
	}
	return out, changes
}

// keptAddress turns an address below the upstream into ours.
func (relay *Relay) keptAddress(value string) (kept string, ok bool) {
	u, err := url.Parse(value)
	if err != nil || u.Host != "" && !strings.EqualFold(u.Host, relay.base.Host) || u.Host == "" && !strings.HasPrefix(u.Path, "/") {
		return value, false
	}
	rest, below := strings.CutPrefix(u.EscapedPath(), relay.base.EscapedPath())
	if !below || rest != "" && rest[0] != '/' {
		return value, false
	}
	kept = relay.ours + rest
	if u.RawQuery != "" {
		kept += "?" + u.RawQuery
	}
	if u.Fragment != "" {
		kept += "#" + u.EscapedFragment()
	}
	return kept, kept != value
}

// keptCookie makes a cookie come back to us: to any host, below our path, also
// without TLS.
func (relay *Relay) keptCookie(line string) string {
	parts := strings.Split(line, ";")
	kept := parts[:1]
	for _, part := range parts[1:] {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		switch strings.ToLower(name) {
		case "domain", "secure":
			continue
		case "samesite":
			if strings.EqualFold(value, "none") { // which asks for Secure
				continue
			}
		case "path":
			if rest, below := strings.CutPrefix(value, strings.TrimSuffix(relay.base.EscapedPath(), "/")); below {
				part = " Path=" + relay.ours + strings.TrimSuffix(rest, "/")
			}
		}
		kept = append(kept, part)
	}
	return strings.Join(kept, ";")
}

// Unreached answers a call that the upstream did not: with 502, or 504 where it
// took too long.
func Unreached(d *Decision, status int, why string) {
	refusal(d, "upstream", selfDocument{
		Title: "The upstream did not answer", Status: status,
		Detail: fmt.Sprintf("Upstream %s failed: %s.", d.Relay.Target.Redacted(), why),
	}, d.Explanation.Steps)
	d.Source = call.FromUpstream
	if fault, ok := d.Relay.asFault(d.Explanation.Summary.String()); ok {
		d.Answer = fault
	}
	if d.Relay.origin != nil {
		allowOrigin(d, d.Relay.origin, d.Relay.foreign)
	}
}
