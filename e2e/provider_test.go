package e2e

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/stretchr/testify/require"
)

// provider is a small provider of OpenID Connect, at which one person signs in by a press: code
// with PKCE, and device codes.
type provider struct {
	*httptest.Server
	key *rsa.PrivateKey

	mu     sync.Mutex // guards all below
	name   string     // of who signs in
	groups []string
	codes  map[string]url.Values // what was asked, by code
	polls  int                   // for device codes, until one is let in
}

const clientOfUs = "rapid-mimic"

func startProvider(t *testing.T) *provider {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	p := &provider{key: key, codes: make(map[string]url.Values), name: "mara", groups: []string{"qa", "qa-leads"}}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", func(w http.ResponseWriter, _ *http.Request) {
		answerJSON(w, map[string]any{"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token",
			"device_authorization_endpoint": p.URL + "/device", "jwks_uri": p.URL + "/keys", "id_token_signing_alg_values_supported": []string{"RS256"}})
	})
	mux.HandleFunc("GET /keys", func(w http.ResponseWriter, _ *http.Request) {
		answerJSON(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &key.PublicKey, KeyID: "k", Algorithm: "RS256", Use: "sig"}}})
	})
	mux.HandleFunc("GET /authorize", func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		code := rand.Text()
		p.codes[code] = r.URL.Query()
		back := r.URL.Query().Get("redirect_uri") + "?" + url.Values{"code": {code}, "state": {r.URL.Query().Get("state")}}.Encode()
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte(`<title>Sign in</title><a id="in" href="` + back + `">Sign in as ` + p.name + `</a>`))
	})
	mux.HandleFunc("POST /device", func(w http.ResponseWriter, _ *http.Request) {
		answerJSON(w, map[string]any{"device_code": "d-1", "user_code": "SKERRY-7", "verification_uri": p.URL + "/activate", "expires_in": 60, "interval": 1})
	})
	mux.HandleFunc("POST /token", p.token)
	p.Server = httptest.NewServer(mux)
	t.Cleanup(p.Close)
	return p
}

func answerJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

func (p *provider) token(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	refuse := func(code string) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusBadRequest)
		_ = json.NewEncoder(w).Encode(map[string]string{"error": code})
	}
	nonce := ""
	switch r.PostFormValue("grant_type") {
	case "authorization_code":
		asked, known := p.codes[r.PostFormValue("code")]
		delete(p.codes, r.PostFormValue("code"))
		sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
		if !known || asked.Get("code_challenge_method") != "S256" || asked.Get("code_challenge") != base64.RawURLEncoding.EncodeToString(sum[:]) {
			refuse("invalid_grant")
			return
		}
		nonce = asked.Get("nonce")
	default:
		if p.polls++; p.polls < 2 {
			refuse("authorization_pending")
			return
		}
	}
	answerJSON(w, map[string]any{"access_token": "of-no-use", "token_type": "Bearer", "expires_in": 60, "id_token": p.signed(clientOfUs, nonce, time.Hour)})
}

// signed says who signs in, for whom, and for how long that holds.
func (p *provider) signed(audience, nonce string, lasts time.Duration) string {
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.key, KeyID: "k"}}, nil)
	if err != nil {
		panic(err)
	}
	now := time.Now()
	text, err := jwt.Signed(signer).Claims(map[string]any{"iss": p.URL, "aud": audience, "sub": "u-1", "nonce": nonce, "iat": now.Unix(), "exp": now.Add(lasts).Unix(),
		"preferred_username": p.name, "groups": p.groups}).Serialize()
	if err != nil {
		panic(err)
	}
	return text
}

// be has somebody else sign in from now on.
func (p *provider) be(name string, groups ...string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.name, p.groups = name, groups
}
