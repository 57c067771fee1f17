package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// signIn lets somebody sign in at the provider of an environment, in any browser, by a code; it
// returns the token of the session.
func (p Program) signIn(ctx context.Context, environment *client.Client, at api.SignIn) (string, error) {
	config, err := deviceConfig(ctx, at)
	if err != nil {
		return "", err
	}
	device, err := config.DeviceAuth(ctx)
	if err != nil {
		return "", problem.New(problem.Unavailable, "the provider of logins at %s gives no code: %v (a token still lets you in: rapidmimic login URL --token)", at.Issuer, err)
	}
	where := device.VerificationURI
	if device.VerificationURIComplete != "" {
		where = device.VerificationURIComplete
	}
	fmt.Fprintf(p.Err, "open      %s\ncode      %s\n", where, device.UserCode)
	given, err := config.DeviceAccessToken(ctx, device)
	if err != nil {
		return "", problem.New(problem.Unauthorized, "you were not let in at %s: %v", at.Issuer, err)
	}
	raw, ok := given.Extra("id_token").(string)
	if !ok {
		return "", problem.New(problem.Unauthorized, "the provider of logins at %s does not say who you are: it gave no id_token", at.Issuer)
	}
	session, err := environment.BeginSession(ctx, raw)
	return session.Secret, err
}

// deviceConfig asks a provider where it gives codes.
func deviceConfig(ctx context.Context, at api.SignIn) (*oauth2.Config, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(at.Issuer, "/")+"/.well-known/openid-configuration", nil)
	if err != nil {
		return nil, err
	}
	var found struct {
		Token  string `json:"token_endpoint"`
		Device string `json:"device_authorization_endpoint"`
	}
	resp, err := http.DefaultClient.Do(req)
	if err == nil {
		defer resp.Body.Close()
		err = json.NewDecoder(io.LimitReader(resp.Body, 1<<20)).Decode(&found)
	}
	switch {
	case err != nil:
		return nil, problem.New(problem.Unavailable, "the provider of logins at %s does not answer as it should: %v (a token still lets you in: rapidmimic login URL --token)", at.Issuer, err)
	case found.Device == "":
		return nil, problem.New(problem.Unsupported, "the provider of logins at %s gives no codes to commands: use a token (rapidmimic login URL --token)", at.Issuer)
	}
	return &oauth2.Config{ClientID: at.ClientID, Endpoint: oauth2.Endpoint{TokenURL: found.Token, DeviceAuthURL: found.Device}, Scopes: []string{"openid", "profile", "email", "groups"}}, nil
}
