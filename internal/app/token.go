package app

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/store"
)

// firstToken is the name of the administrator's token that the first start creates.
const firstToken = "admin"

// addresses are where the service is reached, and where it asks for tokens and has none yet,
// the secret of the first.
func (a *app) addresses(ctx context.Context) (config.Addresses, error) {
	all := config.Addresses{Control: a.baseURL(a.controlListener), Traffic: a.baseURL(a.trafficListener), Data: a.config.Data}
	if a.proxyListener != nil {
		all.Proxy = a.baseURL(a.proxyListener)
	}
	if a.metricsListener != nil {
		all.Metrics = "http://" + a.metricsListener.Addr().String() + "/metrics"
	}
	var err error
	all.LocalControl, all.LocalTraffic = localURL(a.controlListener), localURL(a.trafficListener)
	if all.Fingerprint, err = a.tls.fingerprint(); err != nil {
		return all, err
	}
	if a.config.AsksForTokens() && a.tokens.Empty() {
		_, all.Secret, err = createToken(ctx, a.tokens, access.Token{Name: firstToken, Role: access.Admin})
	}
	return all, err
}

func createToken(ctx context.Context, tokens *access.Tokens, t access.Token) (access.Token, string, error) {
	var random [32]byte
	if _, err := rand.Read(random[:]); err != nil {
		return t, "", fmt.Errorf("draw a secret: %w", err)
	}
	return tokens.Create(ctx, t, random, time.Now())
}

// RecoverToken creates an administrator's token in the data folder of a service that is
// stopped, for who has the machine and has lost all others. It returns the secret.
func RecoverToken(ctx context.Context, data, name string, logger *slog.Logger) (secret string, err error) {
	unlock, err := lockData(data)
	if err != nil {
		return "", err
	}
	defer unlock()
	makePrivate()
	if err := keepPrivate(data, logger); err != nil {
		return "", fmt.Errorf("data folder %s: %w", data, err)
	}
	s, err := store.Open(ctx, data, false)
	if err != nil {
		return "", err
	}
	tokens, err := access.Open(ctx, s)
	if err == nil {
		_, secret, err = createToken(ctx, tokens, access.Token{Name: name, Role: access.Admin, By: "the machine itself"})
	}
	return secret, errors.Join(err, s.Close())
}
