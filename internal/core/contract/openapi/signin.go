package openapi

import (
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

const (
	discoveryPath = "/.well-known/openid-configuration"
	keysPath      = "/.well-known/jwks.json"
)

// readSignIn reads where programs get the tokens that the contract demands.
func (r *reader) readSignIn() {
	for _, m := range r.schemes().Entries() {
		scheme, _, err := r.follow(m.Value, "")
		if err != nil {
			continue
		}
		switch scheme.Get("type").Str() {
		case "oauth2":
			r.readFlow(scheme) // Swagger 2.0 has but one
			for _, flow := range scheme.Get("flows").Entries() {
				r.readFlow(flow.Value)
			}
			r.addSignIn("", "/.well-known/oauth-authorization-server", contract.SignInMetadata)
			r.addSignIn("", keysPath, contract.SignInKeys)
		case "openIdConnect":
			issuer, is := strings.CutSuffix(r.relative(scheme.Get("openIdConnectUrl").Str()), discoveryPath)
			if is {
				r.addSignIn(issuer, issuer+discoveryPath, contract.SignInMetadata)
				r.addSignIn(issuer, issuer+"/token", contract.SignInToken)
				r.addSignIn(issuer, issuer+keysPath, contract.SignInKeys)
			}
		}
	}
	if !slices.ContainsFunc(r.contract.SignIn, func(s contract.SignIn) bool { return s.Kind == contract.SignInToken }) {
		r.contract.SignIn = nil // tokens come from elsewhere
	}
}

func (r *reader) readFlow(flow *tree.Node) {
	for _, key := range []string{"tokenUrl", "refreshUrl"} {
		r.addSignIn("", r.relative(flow.Get(key).Str()), contract.SignInToken)
	}
	for _, scope := range flow.Get("scopes").Entries() {
		if !slices.Contains(r.contract.Scopes, scope.Key) {
			r.contract.Scopes = append(r.contract.Scopes, scope.Key)
		}
	}
}

// addSignIn notes a path of an issuer; "" and the root are none.
func (r *reader) addSignIn(issuer, path string, kind contract.SignInKind) {
	one := contract.SignIn{Path: path, Kind: kind, Issuer: issuer}
	if path != "" && path != "/" && !slices.Contains(r.contract.SignIn, one) {
		r.contract.SignIn = append(r.contract.SignIn, one)
	}
}

// relative is the path of an address relative to the service, whatever its host: programs that are
// pointed at us find it there. It is "" for no address.
func (r *reader) relative(address string) string {
	u, err := url.Parse(address)
	if err != nil || address == "" {
		return ""
	}
	path := "/" + strings.Trim(u.Path, "/")
	base := ""
	for _, one := range r.contract.BasePaths {
		if strings.HasPrefix(path, one+"/") && len(one) > len(base) {
			base = one
		}
	}
	return strings.TrimPrefix(path, base)
}
