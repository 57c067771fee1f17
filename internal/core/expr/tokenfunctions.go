package expr

import (
	"crypto"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"github.com/golang-jwt/jwt/v5"

	"rapidmimic.example/spec/tree"
)

// tokenOptions are the functions on JSON Web Tokens (RFC 7519).
func tokenOptions() []cel.EnvOption {
	text := func(name string, args []*cel.Type, result *cel.Type, do func(args []ref.Val) (ref.Val, error)) cel.EnvOption {
		return cel.Function(name, cel.MemberOverload("scope_"+name, append([]*cel.Type{scopeType}, args...), result,
			cel.FunctionBinding(func(all ...ref.Val) ref.Val {
				out, err := do(all[1:])
				if err != nil {
					return types.NewErr("jwt.%s: %v", name, err)
				}
				return out
			})))
	}
	return []cel.EnvOption{
		text("sign", []*cel.Type{cel.DynType, cel.StringType, cel.StringType}, cel.StringType, signToken),
		text("verify", []*cel.Type{cel.StringType, cel.StringType, cel.StringType}, cel.DynType, verifyToken),
		text("claims", []*cel.Type{cel.StringType}, cel.DynType, func(args []ref.Val) (ref.Val, error) {
			parsed, _, err := jwt.NewParser(jwt.WithJSONNumber()).ParseUnverified(bearer(args[0]), jwt.MapClaims{})
			if err != nil {
				return nil, errors.New("it is not a token: " + err.Error())
			}
			return claimsOf(parsed)
		}),
	}
}

// algorithms are those that tokens are signed by: with a shared secret, or by a key pair
// of RSA or of an elliptic curve, in PEM.
var algorithms = map[string]jwt.SigningMethod{
	"HS256": jwt.SigningMethodHS256, "HS384": jwt.SigningMethodHS384, "HS512": jwt.SigningMethodHS512,
	"RS256": jwt.SigningMethodRS256, "RS384": jwt.SigningMethodRS384, "RS512": jwt.SigningMethodRS512,
	"ES256": jwt.SigningMethodES256, "ES384": jwt.SigningMethodES384, "ES512": jwt.SigningMethodES512,
}

func algorithm(name ref.Val) (jwt.SigningMethod, string, error) {
	wanted := string(name.(types.String))
	method := algorithms[wanted]
	if method == nil {
		return nil, "", fmt.Errorf("there is no algorithm %q (HS256, HS384, HS512, RS256 … RS512, ES256 … ES512)", wanted)
	}
	return method, wanted, nil
}

// privateKey and publicKey read a key as its algorithm takes it.
func privateKey(name, key string) (any, error) {
	switch name[:2] {
	case "RS":
		return jwt.ParseRSAPrivateKeyFromPEM([]byte(key))
	case "ES":
		return jwt.ParseECPrivateKeyFromPEM([]byte(key))
	default:
		return []byte(key), nil
	}
}

func publicKey(name, key string) (any, error) {
	if name[:2] == "HS" {
		return []byte(key), nil
	}
	if private, err := privateKey(name, key); err == nil { // whose public half is meant
		if signer, ok := private.(crypto.Signer); ok {
			return signer.Public(), nil
		}
	}
	if name[:2] == "RS" {
		return jwt.ParseRSAPublicKeyFromPEM([]byte(key))
	}
	return jwt.ParseECPublicKeyFromPEM([]byte(key))
}

func signToken(args []ref.Val) (ref.Val, error) {
	method, name, err := algorithm(args[1])
	if err != nil {
		return nil, err
	}
	n, err := nodeOf(args[0])
	if err != nil {
		return nil, err
	}
	if n.Kind != tree.Map {
		return nil, fmt.Errorf("claims are an object, not %s", kind(args[0]))
	}
	key, err := privateKey(name, string(args[2].(types.String)))
	if err != nil {
		return nil, fmt.Errorf("the key is none for %s: %w", name, err)
	}
	claims := jwt.MapClaims{}
	for _, m := range n.Members {
		claims[m.Key] = json.RawMessage(m.Value.AppendJSON(nil))
	}
	signed, err := jwt.NewWithClaims(method, claims).SignedString(key)
	if err != nil {
		return nil, err
	}
	return limited("jwt.sign", signed), nil
}

// verifyToken gives the claims of a token whose signature is right. Whether it has expired
// is left to the expression: the time of a test is its own.
func verifyToken(args []ref.Val) (ref.Val, error) {
	_, name, err := algorithm(args[1])
	if err != nil {
		return nil, err
	}
	key, err := publicKey(name, string(args[2].(types.String)))
	if err != nil {
		return nil, fmt.Errorf("the key is none for %s: %w", name, err)
	}
	parser := jwt.NewParser(jwt.WithValidMethods([]string{name}), jwt.WithJSONNumber(), jwt.WithoutClaimsValidation())
	parsed, err := parser.ParseWithClaims(bearer(args[0]), jwt.MapClaims{}, func(*jwt.Token) (any, error) { return key, nil })
	if err != nil {
		return nil, err
	}
	return claimsOf(parsed)
}

// bearer is a token without the word before it in an Authorization header.
func bearer(v ref.Val) string {
	text := strings.TrimSpace(string(v.(types.String)))
	if before, token, ok := strings.Cut(text, " "); ok && strings.EqualFold(before, "bearer") {
		return strings.TrimSpace(token)
	}
	return text
}

func claimsOf(t *jwt.Token) (ref.Val, error) {
	text, err := json.Marshal(t.Claims)
	if err != nil {
		return nil, err
	}
	n, err := tree.ParseJSON(text)
	return valueOf(n), err
}
