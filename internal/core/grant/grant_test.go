package grant_test

import (
	"crypto/rand"
	"crypto/rsa"
	"encoding/base64"
	"encoding/json"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/grant"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

func server(t *testing.T) (*grant.Server, *rsa.PrivateKey) {
	private, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	return &grant.Server{Key: grant.NewKey(private), Issuer: "http://mimic.example/moorings", Scopes: []string{"read", "write"}, Lifetime: time.Hour, Now: noon, ID: "id-1"}, private
}

func form(values string, headers ...string) *call.Request {
	r := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"application/x-www-form-urlencoded; charset=utf-8"}}, Body: call.Body{Bytes: []byte(values)}}
	for i := 0; i < len(headers); i += 2 {
		r.Header[headers[i]] = []string{headers[i+1]}
	}
	return r
}

type answer struct {
	AccessToken  string `json:"access_token"`
	RefreshToken string `json:"refresh_token"`
	IDToken      string `json:"id_token"`
	TokenType    string `json:"token_type"`
	ExpiresIn    int    `json:"expires_in"`
	Scope        string `json:"scope"`
	Error        string `json:"error"`
	Description  string `json:"error_description"`
}

func ask(t *testing.T, s *grant.Server, r *call.Request) (status int, got answer, told string) {
	status, body, told := s.Token(r)
	require.NoError(t, json.Unmarshal(body.AppendJSON(nil), &got))
	return status, got, told
}

// claims are those of a token, which the key must have signed.
func claims(t *testing.T, private *rsa.PrivateKey, token string) jwt.MapClaims {
	all := jwt.MapClaims{}
	_, err := jwt.ParseWithClaims(token, all, func(token *jwt.Token) (any, error) { return &private.PublicKey, nil }, jwt.WithTimeFunc(func() time.Time { return noon.Add(59 * time.Minute) }))
	require.NoError(t, err)
	return all
}

func TestTokens(t *testing.T) {
	s, private := server(t)
	basic := "Basic " + base64.StdEncoding.EncodeToString([]byte("quay%20board:hush"))
	status, got, told := ask(t, s, form("grant_type=client_credentials&scope=read+write", "Authorization", basic))
	require.Equal(t, 200, status)
	assert.Equal(t, []any{"Bearer", 3600, "read write", "", ""}, []any{got.TokenType, got.ExpiresIn, got.Scope, got.RefreshToken, got.IDToken})
	assert.Equal(t, `A token was given for "quay board" (client_credentials).`, told)
	assert.Equal(t, jwt.MapClaims{"iss": "http://mimic.example/moorings", "sub": "quay board", "client_id": "quay board", "scope": "read write", "iat": float64(noon.Unix()), "exp": float64(noon.Unix() + 3600), "jti": "id-1"},
		claims(t, private, got.AccessToken))

	status, got, _ = ask(t, s, form("grant_type=password&client_id=board&username=ida&password=x&scope=openid"))
	require.Equal(t, 200, status)
	assert.Equal(t, "ida", claims(t, private, got.AccessToken)["sub"])
	assert.Equal(t, jwt.MapClaims{"iss": "http://mimic.example/moorings", "sub": "ida", "aud": "board", "iat": float64(noon.Unix()), "exp": float64(noon.Unix() + 3600)}, claims(t, private, got.IDToken))

	s.Now = noon.Add(30 * 24 * time.Hour)
	status, again, _ := ask(t, s, form("grant_type=refresh_token&client_id=board&refresh_token="+url.QueryEscape(got.RefreshToken)))
	require.Equal(t, 200, status)
	assert.Equal(t, "openid", again.Scope, "that of the first one")
	assert.NotEmpty(t, again.IDToken)
	status, narrower, _ := ask(t, s, form("grant_type=refresh_token&client_id=board&scope=read&refresh_token="+again.RefreshToken))
	require.Equal(t, 200, status)
	assert.Equal(t, "read", narrower.Scope)
	s.Now = noon

	other, _ := server(t)
	_, foreign, _ := ask(t, other, form("grant_type=password&client_id=board&username=ida&password=x"))
	for values, want := range map[string]string{
		"":                    "400 invalid_request grant_type is missing",
		"grant_type=%zz":      "400 invalid_request the body must be a form",
		"grant_type=implicit": "400 unsupported_grant_type",
		"grant_type=client_credentials&scope=sail":                       `400 invalid_scope the contract knows no scope "sail" (it has read, write)`,
		"grant_type=password&username=ida":                               "400 invalid_request username and password are missing",
		"grant_type=password&password=x":                                 "400 invalid_request username and password are missing",
		"grant_type=refresh_token":                                       "400 invalid_grant the refresh token is not good: it was not given here",
		"grant_type=refresh_token&refresh_token=" + foreign.RefreshToken: "it was not given here",
		"grant_type=refresh_token&refresh_token=" + got.AccessToken:      "it is another kind of token",
	} {
		if values != "grant_type=%zz" {
			values += "&client_id=board"
		}
		status, refused, told := ask(t, s, form(values))
		assert.Contains(t, strings.Join([]string{map[int]string{400: "400"}[status], refused.Error, refused.Description}, " "), want, values)
		assert.Contains(t, told, "No token was given: ")
		assert.Empty(t, refused.AccessToken)
	}
	_, refused, _ := ask(t, s, form("grant_type=refresh_token&client_id=crane&refresh_token="+got.RefreshToken))
	assert.Contains(t, refused.Description, "another client got it")
	for _, r := range []*call.Request{form("grant_type=client_credentials"), form("grant_type=client_credentials", "Authorization", "Basic !"), form("grant_type=client_credentials", "Authorization", "Bearer x")} {
		status, refused, _ := ask(t, s, r)
		assert.Equal(t, []any{401, "invalid_client"}, []any{status, refused.Error})
	}
	_, refused, _ = ask(t, s, form(`{"grant_type": "client_credentials", "client_id": "a"}`, "Content-Type", "application/json"))
	assert.Equal(t, "invalid_request", refused.Error)
	s.Scopes = nil
	status, _, _ = ask(t, s, form("grant_type=client_credentials&client_id=a&scope=anything"))
	assert.Equal(t, 200, status, "a contract without scopes takes any")
}

// Tokens that were given here are good until they expire; of others nothing is known.
func TestFaultsOfTokens(t *testing.T) {
	s, _ := server(t)
	other, _ := server(t)
	_, got, _ := ask(t, s, form("grant_type=password&client_id=board&username=ida&password=x"))
	_, foreign, _ := ask(t, other, form("grant_type=client_credentials&client_id=board"))
	head, rest, _ := strings.Cut(got.AccessToken, ".")
	claims, signature, _ := strings.Cut(rest, ".")
	for name, k := range map[string]struct {
		token string
		at    time.Duration
		want  string
	}{
		"given here":      {got.AccessToken, 59 * time.Minute, ""},
		"expired":         {got.AccessToken, time.Hour + time.Second, "expired at " + noon.Add(time.Hour).UTC().Format(time.RFC3339)},
		"a refresh token": {got.RefreshToken, 0, "is a refresh token, which is only good for getting another one"},
		"changed":         {head + "." + base64.RawURLEncoding.EncodeToString([]byte(`{"sub":"eve"}`)) + "." + signature, 0, "was changed since this service gave it: its signature is wrong"},
		"signed by none":  {head + "." + claims + ".AAAA", 0, "was changed since this service gave it: its signature is wrong"},
		"of another":      {foreign.AccessToken, 2 * time.Hour, ""},
		"no JWT":          {"made-up", 0, ""},
	} {
		assert.Equal(t, k.want, s.Key.Fault(k.token, noon.Add(k.at)), name)
	}
}

// The set of keys has the one that signed, by the id in the head of tokens.
func TestKeys(t *testing.T) {
	s, private := server(t)
	_, got, _ := ask(t, s, form("grant_type=client_credentials&client_id=a"))
	token, _, err := jwt.NewParser().ParseUnverified(got.AccessToken, jwt.MapClaims{})
	require.NoError(t, err)
	key := s.Key.Set().Get("keys").Items[0]
	assert.Equal(t, token.Header["kid"], key.Get("kid").Str())
	n, err := base64.RawURLEncoding.DecodeString(key.Get("n").Str())
	require.NoError(t, err)
	assert.Equal(t, private.N.Bytes(), n)
	assert.Equal(t, "AQAB", key.Get("e").Str())
	assert.Equal(t, s.Key.Set(), grant.NewKey(private).Set(), "the id follows from the key")

	metadata := string(s.Metadata("http://a/token", "http://a/keys").AppendJSON(nil))
	for _, want := range []string{`"issuer":"http://mimic.example/moorings"`, `"token_endpoint":"http://a/token"`, `"jwks_uri":"http://a/keys"`, `"scopes_supported":["read","write"]`} {
		assert.Contains(t, metadata, want)
	}
}
