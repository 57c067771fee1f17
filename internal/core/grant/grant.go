// Package grant gives tokens to programs, as the authorization server does that a contract names: an
// OAuth 2.0 token endpoint (RFC 6749) with its metadata (RFC 8414) and keys (RFC 7517). Whoever asks well
// gets one; there are no clients and users to be known.
package grant

import (
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"math/big"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/tree"
)

// Key signs tokens. It is immutable.
type Key struct {
	private *rsa.PrivateKey
	id      string
}

// NewKey makes a Key, whose id is its thumbprint (RFC 7638).
func NewKey(private *rsa.PrivateKey) *Key {
	k := &Key{private: private}
	sum := sha256.Sum256(fmt.Appendf(nil, `{"e":%q,"kty":"RSA","n":%q}`, k.exponent(), k.modulus()))
	k.id = base64.RawURLEncoding.EncodeToString(sum[:])
	return k
}

func (k *Key) exponent() string {
	return base64.RawURLEncoding.EncodeToString(big.NewInt(int64(k.private.E)).Bytes())
}

func (k *Key) modulus() string {
	return base64.RawURLEncoding.EncodeToString(k.private.N.Bytes())
}

// Set is the set of keys by which receivers check tokens.
func (k *Key) Set() *tree.Node {
	return object("keys", tree.NewList(object(
		"kty", tree.NewString("RSA"), "use", tree.NewString("sig"), "alg", tree.NewString("RS256"), "kid", tree.NewString(k.id),
		"n", tree.NewString(k.modulus()), "e", tree.NewString(k.exponent()),
	)))
}

func (k *Key) sign(claims jwt.MapClaims) (string, error) {
	token := jwt.NewWithClaims(jwt.SigningMethodRS256, claims)
	token.Header["kid"] = k.id
	return token.SignedString(k.private)
}

// Fault says what is wrong at a time with an access token that a key signed; "" for a token of somebody
// else, of which nothing is known.
func (k *Key) Fault(token string, now time.Time) string {
	claims := jwt.MapClaims{}
	if unread, _, err := jwt.NewParser().ParseUnverified(token, claims); err != nil || unread.Header["kid"] != k.id {
		return ""
	}
	switch err := k.read(token, claims, now); {
	case errors.Is(err, jwt.ErrTokenExpired):
		expired, _ := claims.GetExpirationTime()
		return "expired at " + expired.UTC().Format(time.RFC3339)
	case err != nil:
		return "was changed since this service gave it: its signature is wrong"
	case claims["use"] == refresh:
		return "is a refresh token, which is only good for getting another one"
	}
	return ""
}

// read reads the claims of a token that the key signed, and that is good at a time.
func (k *Key) read(token string, claims jwt.MapClaims, now time.Time) error {
	_, err := jwt.ParseWithClaims(token, claims, func(*jwt.Token) (any, error) { return &k.private.PublicKey, nil },
		jwt.WithValidMethods([]string{"RS256"}), jwt.WithTimeFunc(func() time.Time { return now }))
	return err
}

// Server answers one call to an authorization server.
type Server struct {
	Key *Key
	// Issuer is its address, without a slash at the end.
	Issuer string
	// Scopes are those that the contract knows; none for any.
	Scopes []string
	// Lifetime is how long tokens hold.
	Lifetime time.Duration
	Now      time.Time
	// ID is that of the token that is given.
	ID string
}

// Refusal is an answer that gives no token (RFC 6749, section 5.2).
type Refusal struct {
	Status       int
	Code, Detail string
}

func (r *Refusal) Error() string { return r.Code + ": " + r.Detail }

// refresh marks tokens that are good for another one alone.
const refresh = "refresh"

// Token answers a request for a token. told says who got one, or why nobody did.
func (s *Server) Token(r *call.Request) (status int, answer *tree.Node, told string) {
	answer, told, refused := s.token(r)
	if refused != nil {
		return refused.Status, object("error", tree.NewString(refused.Code), "error_description", tree.NewString(refused.Detail)), "No token was given: " + refused.Detail + "."
	}
	return 200, answer, told
}

func (s *Server) token(r *call.Request) (answer *tree.Node, told string, refused *Refusal) {
	invalid := func(code, format string, args ...any) (*tree.Node, string, *Refusal) {
		return nil, "", &Refusal{400, code, fmt.Sprintf(format, args...)}
	}
	form, err := url.ParseQuery(string(r.Body.Bytes))
	if err != nil || call.BaseType(r.Header.Get("Content-Type")) != "application/x-www-form-urlencoded" {
		return invalid("invalid_request", "the body must be a form (application/x-www-form-urlencoded)")
	}
	client := clientOf(r, form)
	if client == "" {
		return nil, "", &Refusal{401, "invalid_client", "the client must say who it is: by HTTP Basic, or by client_id in the form"}
	}
	scope := form.Get("scope")
	for _, one := range strings.Fields(scope) {
		if len(s.Scopes) > 0 && !slices.Contains(s.Scopes, one) && !slices.Contains(always, one) {
			return invalid("invalid_scope", "the contract knows no scope %q (it has %s)", one, strings.Join(s.Scopes, ", "))
		}
	}
	subject := client
	switch grant := form.Get("grant_type"); grant {
	case "":
		return invalid("invalid_request", "grant_type is missing")
	case "client_credentials":
	case "password":
		if subject = form.Get("username"); subject == "" || form.Get("password") == "" {
			return invalid("invalid_request", "username and password are missing")
		}
	case "refresh_token":
		before, err := s.refreshed(form.Get("refresh_token"), client)
		if err != nil {
			return invalid("invalid_grant", "the refresh token is not good: %v", err)
		}
		subject, _ = before["sub"].(string)
		if given, _ := before["scope"].(string); scope == "" {
			scope = given
		}
	default:
		return invalid("unsupported_grant_type", "grant_type %q is not answered here; client_credentials, password and refresh_token are", grant)
	}
	answer, err = s.give(subject, client, scope, form.Get("grant_type") != "client_credentials")
	if err != nil {
		return nil, "", &Refusal{500, "server_error", err.Error()}
	}
	return answer, fmt.Sprintf("A token was given for %q (%s).", subject, form.Get("grant_type")), nil
}

// always are scopes of OpenID Connect, which contracts need not name.
var always = []string{"openid", "profile", "email", "offline_access"}

// clientOf is the client that asks, by HTTP Basic or in the form.
func clientOf(r *call.Request, form url.Values) string {
	scheme, value, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	if !strings.EqualFold(scheme, "basic") {
		return form.Get("client_id")
	}
	pair, err := base64.StdEncoding.DecodeString(strings.TrimSpace(value))
	if err != nil {
		return ""
	}
	name, _, _ := strings.Cut(string(pair), ":")
	if plain, err := url.QueryUnescape(name); err == nil {
		return plain
	}
	return name
}

// refreshed are the claims of a refresh token of ours that is good for the client.
func (s *Server) refreshed(token, client string) (jwt.MapClaims, error) {
	claims := jwt.MapClaims{}
	switch err := s.Key.read(token, claims, s.Now); {
	case err != nil:
		return nil, fmt.Errorf("it was not given here")
	case claims["use"] != refresh:
		return nil, fmt.Errorf("it is another kind of token")
	case claims["client_id"] != client:
		return nil, fmt.Errorf("another client got it")
	}
	return claims, nil
}

// give makes an access token, with a refresh token where one is of use, and who was signed in where that
// is asked for.
func (s *Server) give(subject, client, scope string, again bool) (*tree.Node, error) {
	claims := jwt.MapClaims{"iss": s.Issuer, "sub": subject, "client_id": client, "iat": s.Now.Unix(), "exp": s.Now.Add(s.Lifetime).Unix(), "jti": s.ID}
	if scope != "" {
		claims["scope"] = scope
	}
	access, err := s.Key.sign(claims)
	if err != nil {
		return nil, err
	}
	members := []any{"access_token", tree.NewString(access), "token_type", tree.NewString("Bearer"), "expires_in", tree.NewNumber(fmt.Sprint(int(s.Lifetime.Seconds())))}
	if again {
		token, err := s.Key.sign(jwt.MapClaims{"iss": s.Issuer, "sub": subject, "client_id": client, "scope": scope, "iat": s.Now.Unix(), "jti": s.ID, "use": refresh})
		if err != nil {
			return nil, err
		}
		members = append(members, "refresh_token", tree.NewString(token))
	}
	if scope != "" {
		members = append(members, "scope", tree.NewString(scope))
	}
	if slices.Contains(strings.Fields(scope), "openid") {
		token, err := s.Key.sign(jwt.MapClaims{"iss": s.Issuer, "sub": subject, "aud": client, "iat": s.Now.Unix(), "exp": s.Now.Add(s.Lifetime).Unix()})
		if err != nil {
			return nil, err
		}
		members = append(members, "id_token", tree.NewString(token))
	}
	return object(members...), nil
}

// Metadata tells clients where to ask; token and keys are addresses.
func (s *Server) Metadata(token, keys string) *tree.Node {
	scopes := tree.NewList()
	for _, scope := range s.Scopes {
		scopes.Items = append(scopes.Items, tree.NewString(scope))
	}
	texts := func(all ...string) *tree.Node {
		list := tree.NewList()
		for _, text := range all {
			list.Items = append(list.Items, tree.NewString(text))
		}
		return list
	}
	return object(
		"issuer", tree.NewString(s.Issuer), "token_endpoint", tree.NewString(token), "jwks_uri", tree.NewString(keys),
		"grant_types_supported", texts("client_credentials", "password", "refresh_token"), "response_types_supported", texts("token"),
		"token_endpoint_auth_methods_supported", texts("client_secret_basic", "client_secret_post", "none"),
		"subject_types_supported", texts("public"), "id_token_signing_alg_values_supported", texts("RS256"), "scopes_supported", scopes,
	)
}

// object makes an object of names and values, one after the other.
func object(members ...any) *tree.Node {
	n := tree.NewMap()
	for i := 0; i < len(members); i += 2 {
		n.Members = append(n.Members, tree.Member{Key: members[i].(string), Value: members[i+1].(*tree.Node)})
	}
	return n
}
