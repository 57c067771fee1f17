// Package signin lets people in by a provider of OpenID Connect: it sends them there, takes
// what the provider says of them, and tells which role their groups have here.
package signin

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/spec/problem"
)

// Config says which provider is asked, and what its groups may.
type Config struct {
	// Issuer is the address of the provider, ClientID and ClientSecret how it knows us; a
	// provider that takes PKCE alone needs no secret.
	Issuer, ClientID, ClientSecret string
	// Groups have roles, by name; the highest counts. Claim is the claim that names the groups
	// of somebody.
	Groups map[string]access.Role
	Claim  string
	// Callback is the address of ours that the provider sends people back to.
	Callback string
	// HTTP asks the provider; nil for the usual client.
	HTTP *http.Client
}

const (
	// answerWithin is how long the provider may take to answer.
	answerWithin = 10 * time.Second
	// pendingFor is how long somebody may take at the provider, maxPending how many may.
	pendingFor = 10 * time.Minute
	maxPending = 1000
)

// Provider is one that people sign in at. It is safe for concurrent use.
type Provider struct {
	config Config

	mu       sync.Mutex // guards all below
	provider *oidc.Provider
	pending  map[string]pending // by state
}

// pending is somebody who is at the provider.
type pending struct {
	verifier, nonce string
	// tab is the SHA-256, in hex, of what the page knows that began it: nobody else is let in.
	tab   string
	begun time.Time
}

// New builds a Provider. It is asked for the first time when somebody signs in, so that one
// that is down keeps nothing from starting.
func New(c Config) *Provider {
	if c.Claim == "" {
		c.Claim = "groups"
	}
	if c.HTTP == nil {
		c.HTTP = &http.Client{Timeout: answerWithin}
	}
	return &Provider{config: c, pending: make(map[string]pending)}
}

// Issuer and ClientID are what programs need to sign in by a device code.
func (p *Provider) Issuer() string { return p.config.Issuer }

// ClientID is how the provider knows us.
func (p *Provider) ClientID() string { return p.config.ClientID }

func (p *Provider) discovered(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.provider != nil {
		return p.provider, nil
	}
	// what it fetches later it fetches with this client, too, whatever becomes of this request
	found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.config.HTTP), p.config.Issuer)
	if err != nil {
		return nil, problem.New(problem.Unavailable, "the provider of logins at %s does not answer as it should: %v (a token still lets you in)", p.config.Issuer, err)
	}
	p.provider = found
	return found, nil
}

func (p *Provider) oauth(found *oidc.Provider) *oauth2.Config {
	return &oauth2.Config{ClientID: p.config.ClientID, ClientSecret: p.config.ClientSecret, Endpoint: found.Endpoint(), RedirectURL: p.config.Callback,
		Scopes: []string{oidc.ScopeOpenID, "profile", "email", "groups"}}
}

// Begin is the address to which somebody is sent to sign in; tab is the SHA-256, in hex, of what
// their page alone knows.
func (p *Provider) Begin(ctx context.Context, tab string, now time.Time) (address string, err error) {
	found, err := p.discovered(ctx)
	if err != nil {
		return "", err
	}
	state, one := rand.Text(), pending{oauth2.GenerateVerifier(), rand.Text(), tab, now}
	p.mu.Lock()
	defer p.mu.Unlock()
	for key, old := range p.pending {
		if now.Sub(old.begun) > pendingFor {
			delete(p.pending, key)
		}
	}
	if len(p.pending) >= maxPending {
		return "", problem.New(problem.Unavailable, "too many people are signing in at once: try again in a moment")
	}
	p.pending[state] = one
	return p.oauth(found).AuthCodeURL(state, oauth2.S256ChallengeOption(one.verifier), oidc.Nonce(one.nonce)), nil
}

// Finish takes what the provider sent somebody back with, and tells who it is, and of which tab.
func (p *Provider) Finish(ctx context.Context, state, code string, now time.Time) (who access.Token, tab string, err error) {
	p.mu.Lock()
	one, known := p.pending[state]
	delete(p.pending, state)
	p.mu.Unlock()
	if !known || now.Sub(one.begun) > pendingFor {
		return who, "", problem.New(problem.Unauthorized, "this login was not begun here, or took too long: begin again")
	}
	found, err := p.discovered(ctx)
	if err != nil {
		return who, "", err
	}
	ctx = oidc.ClientContext(ctx, p.config.HTTP)
	given, err := p.oauth(found).Exchange(ctx, code, oauth2.VerifierOption(one.verifier))
	if err != nil {
		return who, "", problem.New(problem.Unauthorized, "the provider of logins does not take the code that it gave: %v", err)
	}
	raw, ok := given.Extra("id_token").(string)
	if !ok {
		return who, "", problem.New(problem.Unauthorized, "the provider of logins does not say who you are: it gave no id_token")
	}
	who, err = p.who(ctx, found, raw, one.nonce)
	return who, one.tab, err
}

// Who tells who somebody is by an ID token that a program was given for us.
func (p *Provider) Who(ctx context.Context, raw string) (access.Token, error) {
	found, err := p.discovered(ctx)
	if err != nil {
		return access.Token{}, err
	}
	return p.who(oidc.ClientContext(ctx, p.config.HTTP), found, raw, "")
}

func (p *Provider) who(ctx context.Context, found *oidc.Provider, raw, nonce string) (access.Token, error) {
	token, err := found.Verifier(&oidc.Config{ClientID: p.config.ClientID}).Verify(ctx, raw)
	if err != nil {
		return access.Token{}, problem.New(problem.Unauthorized, "what the provider of logins says of you does not hold: %v", err)
	}
	if nonce != "" && token.Nonce != nonce {
		return access.Token{}, problem.New(problem.Unauthorized, "what the provider of logins says of you was for another login: begin again")
	}
	claims := make(map[string]any)
	if err := token.Claims(&claims); err != nil {
		return access.Token{}, problem.New(problem.Unauthorized, "what the provider of logins says of you cannot be read: %v", err)
	}
	name := asName(nameIn(claims, token.Subject))
	role, err := p.roleOf(name, groupsIn(claims[p.config.Claim]))
	return access.Token{Name: name, Role: role, By: p.config.Issuer}, err
}

// maxName is the longest name of a session, in bytes.
const maxName = 60

// asName is a name that fits on a line, whatever a provider gives.
func asName(text string) string {
	line := strings.Join(strings.Fields(strings.Map(func(c rune) rune {
		if unicode.IsControl(c) || c == unicode.ReplacementChar {
			return ' '
		}
		return c
	}, text)), " ")
	for len(line) > maxName {
		_, size := utf8.DecodeLastRuneInString(line)
		line = line[:len(line)-size]
	}
	return strings.TrimSpace(line)
}

// nameIn is by which somebody stands in the activity.
func nameIn(claims map[string]any, subject string) string {
	for _, claim := range []string{"preferred_username", "email", "name"} {
		if name, _ := claims[claim].(string); name != "" && len(name) <= 60 {
			return name
		}
	}
	return subject
}

// groupsIn are the groups that a claim names, as a list or as one text.
func groupsIn(claim any) (groups []string) {
	switch value := claim.(type) {
	case string:
		groups = strings.FieldsFunc(value, func(c rune) bool { return c == ' ' || c == ',' })
	case []any:
		for _, one := range value {
			if name, ok := one.(string); ok {
				groups = append(groups, name)
			}
		}
	}
	return groups
}

// roleOf is the highest that groups have.
func (p *Provider) roleOf(name string, groups []string) (access.Role, error) {
	highest := -1
	for _, group := range append(groups, "*") {
		if role, has := p.config.Groups[group]; has {
			highest = max(highest, slices.Index(access.Roles, role))
		}
	}
	if highest < 0 {
		return "", problem.New(problem.Refused, "you are %s, and none of your groups (%s) has a role here (serve --sign-in-groups)", name, strings.Join(groups, ", "))
	}
	return access.Roles[highest], nil
}

// ParseGroups reads which groups have which roles: "qa-leads=admin".
func ParseGroups(pairs []string) (map[string]access.Role, error) {
	groups := make(map[string]access.Role, len(pairs))
	var wrong error
	for _, pair := range pairs {
		group, role, ok := strings.Cut(pair, "=")
		if !ok || group == "" || !slices.Contains(access.Roles, access.Role(role)) {
			wrong = errors.Join(wrong, fmt.Errorf("--sign-in-groups says which group has which role, such as qa-leads=admin, not %q", pair))
			continue
		}
		groups[group] = access.Role(role)
	}
	return groups, wrong
}
