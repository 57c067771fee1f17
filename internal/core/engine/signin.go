package engine

import (
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/grant"
)

// tokenLifetime is how long tokens hold that a service gives.
const tokenLifetime = time.Hour

// signIn answers a call to where the contract says that programs get tokens, where nothing else is for it.
// It reports whether it did.
func (e *Engine) signIn(d *Decision, p *Placed, r *call.Request, steps []call.Step) bool {
	if e.signingKey == nil || !p.Service.GivesTokens() {
		return false
	}
	endpoint, ok := p.signInEndpoint(r)
	if !ok {
		return false
	}
	key, err := e.signingKey()
	if err != nil {
		e.refuse(d, p, r, true, "signing-key", selfDocument{Title: "Tokens cannot be signed", Status: 500, Detail: err.Error()}, steps)
		return true
	}
	base := "http://" + r.Host + baseOf(r)
	server := grant.Server{Key: key, Issuer: base + endpoint.Issuer, Scopes: p.Service.Contract.Scopes, Lifetime: tokenLifetime, Now: e.now()}
	status, body, told := 200, key.Set(), "The call asked for the keys by which tokens are checked."
	switch endpoint.Kind {
	case contract.SignInToken:
		server.ID = e.drawFor(p, r, "token").Fake("uuid")
		status, body, told = server.Token(r)
	case contract.SignInMetadata:
		at := p.Service.Contract.SignInOf(endpoint.Issuer)
		body, told = server.Metadata(base+at[contract.SignInToken], base+at[contract.SignInKeys]), "The call asked where tokens come from."
	}
	d.Source, d.By = call.FromContract, string(endpoint.Kind)
	d.Answer = call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: "application/json"}, {Name: "Cache-Control", Value: "no-store"}}, Body: body.AppendJSON(nil)}
	if status == 401 {
		d.Answer.Header = append(d.Answer.Header, call.Field{Name: "WWW-Authenticate", Value: "Basic"})
	}
	d.Explanation = &call.Explanation{Summary: call.Find(call.BySignIn, told), Steps: append(steps,
		taken(call.Choose, call.Subject{Kind: call.KindContract}, call.Find(call.SignInAsked, endpoint.Path)))}
	return true
}

// tokenFault finds what is wrong at a time with the tokens that a service gave; nil where it gives none.
func (e *Engine) tokenFault(service *catalog.Service, now time.Time) contract.TokenFault {
	if e.signingKey == nil || !service.GivesTokens() {
		return nil
	}
	return func(token string) string {
		key, err := e.signingKey()
		if err != nil {
			return "" // who asks for a token is told
		}
		return key.Fault(token, now)
	}
}

// signInEndpoint is the one that a call is for.
func (p *Placed) signInEndpoint(r *call.Request) (found contract.SignIn, ok bool) {
	for _, segments := range [][]string{p.segments, p.withoutBase()} {
		path := "/" + strings.Join(segments, "/")
		for _, s := range p.Service.Contract.SignIn {
			if s.Path == path && (r.Method == "POST") == (s.Kind == contract.SignInToken) && (r.Method == "POST" || r.Method == "GET" || r.Method == "HEAD") {
				return s, true
			}
		}
	}
	return found, false
}
