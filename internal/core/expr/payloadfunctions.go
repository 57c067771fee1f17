package expr

import (
	"encoding/base64"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// payloadNames are the functions that take the name of a payload.
var payloadNames = []string{"payload", "payloadBase64"}

// payloadOptions are the functions on payloads, in which keys and pictures are kept.
func payloadOptions() []cel.EnvOption {
	return []cel.EnvOption{
		payloadFunction("payload", func(name string, content []byte) ref.Val {
			if !utf8.Valid(content) {
				return types.NewErr("payload %q is no text; payloadBase64 gives its bytes", name)
			}
			return limited("payload", string(content))
		}),
		payloadFunction("payloadBase64", func(_ string, content []byte) ref.Val {
			if len(content) > mostPayload {
				return types.NewErr("payloadBase64: more than %d bytes", mostPayload)
			}
			return types.String(base64.StdEncoding.EncodeToString(content))
		}),
	}
}

// mostPayload is how many bytes of a payload stand in an answer as base64.
const mostPayload = 10_000_000

// payloadFunction is a function of the name of a payload, which is made of its content.
func payloadFunction(function string, of func(name string, content []byte) ref.Val) cel.EnvOption {
	return cel.Function(function, cel.MemberOverload("scope_"+function, []*cel.Type{scopeType, cel.StringType}, cel.StringType,
		cel.BinaryBinding(func(scope, name ref.Val) ref.Val {
			s, wanted := scope.(scopeValue).Scope, string(name.(types.String))
			if s.Payload == nil {
				return types.NewErr("%s: there are none here", function)
			}
			content, err := s.Payload(wanted)
			if err != nil {
				return types.WrapErr(err)
			}
			return of(wanted, content)
		})))
}
