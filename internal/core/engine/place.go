package engine

import (
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/match"
)

// Place finds the service that a request is for, by the first segment of its
// address, sets the request's path relative to it, and reads the hints.
func (e *Engine) Place(r *call.Request) *Placed {
	p := &Placed{snapshot: e.definitions.Snapshot()}
	if p.Service = p.snapshot.OnHost(r.HostName()); p.Service != nil {
		if r.Path = r.Address; r.Path == "" {
			r.Path = "/"
		}
		p.place(r)
		return p
	}
	name, rest, _ := strings.Cut(strings.TrimPrefix(r.Address, "/"), "/")
	r.Path = "/" + rest
	p.Service = p.snapshot.Named(name)
	if p.Service == nil && strings.Contains(name, "%") {
		p.Service = p.snapshot.Named(match.Split(nil, name)[0])
	}
	if p.Service == nil {
		r.Path = r.Address
		return p
	}
	p.place(r)
	return p
}

// place reads what a call says to its service.
func (p *Placed) place(r *call.Request) {
	p.segments = match.Split(make([]string, 0, 8), r.Path)
	if !p.Service.Spec.Hints {
		return
	}
	if len(r.Header["Rapid-Mimic"]) > 0 || len(r.Header["Baggage"]) > 0 {
		hints, err := call.ReadHints(r.Header)
		if p.hints = hints; err != nil {
			p.badHint = err.Error()
		}
	}
}
