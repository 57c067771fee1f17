package api

import "time"

// Token is who may use the control port.
type Token struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role string `json:"role"` // viewer, tester, editor or admin
	// Services are those that it may see and change, Lanes patterns of the lanes that it may
	// open and change; none for all.
	Services []string  `json:"services,omitempty"`
	Lanes    []string  `json:"lanes,omitempty"`
	Created  time.Time `json:"created"`
	By       string    `json:"by,omitempty"` // who created it
	Expires  time.Time `json:"expires,omitzero"`
	LastUsed time.Time `json:"lastUsed,omitzero"`
	Expired  bool      `json:"expired,omitempty"`
}

// TokenRequest is a token to be created.
type TokenRequest struct {
	Name     string   `json:"name"`
	Role     string   `json:"role"`
	Services []string `json:"services,omitempty"`
	Lanes    []string `json:"lanes,omitempty"`
	TTL      string   `json:"ttl,omitempty"` // 30d, 12h; "" for never
}

// NewToken is a token with its secret, which is told this once.
type NewToken struct {
	Token
	Secret string `json:"secret"`
}

// SignIn is the provider of OpenID Connect at which people sign in; empty for none.
type SignIn struct {
	Issuer   string `json:"issuer,omitempty"`
	ClientID string `json:"clientId,omitempty"`
}

// SessionRequest asks to be let in after signing in: a page of the console with the code that it
// was sent back with and what it alone knows, a program with an ID token.
type SessionRequest struct {
	Code    string `json:"code,omitempty"`
	Tab     string `json:"tab,omitempty"`
	IDToken string `json:"idToken,omitempty"`
}

// Me is who asks. Where no token is needed there is none, and the role is admin.
type Me struct {
	Name      string    `json:"name,omitempty"`
	Role      string    `json:"role"`
	Services  []string  `json:"services,omitempty"`
	Lanes     []string  `json:"lanes,omitempty"`
	Expires   time.Time `json:"expires,omitzero"`
	NeedToken bool      `json:"needToken"`
	// Quotas are the share of a token; nil where none is needed.
	Quotas *Quotas `json:"quotas,omitempty"`
}

// Quotas are what one token, and one lane, may have of an environment that asks for tokens; 0
// for as much as they like.
type Quotas struct {
	RequestsPerSecond  int `json:"requestsPerSecond"`  // of a token, to the control port
	ChangesPerMinute   int `json:"changesPerMinute"`   // of a token
	LanesPerToken      int `json:"lanesPerToken"`      // that are open at a time
	LaneCallsPerSecond int `json:"laneCallsPerSecond"` // of all programs in a lane, to the services
	LaneMappings       int `json:"laneMappings"`       // of a lane's own
}
