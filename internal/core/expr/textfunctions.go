package expr

import (
	"crypto/hmac"
	"crypto/md5"  //nolint:gosec // programs under test use it
	"crypto/sha1" //nolint:gosec // likewise
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"hash"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"rapidmimic.example/spec/tree"
)

var hashes = map[string]func() hash.Hash{"md5": md5.New, "sha1": sha1.New, "sha256": sha256.New, "sha512": sha512.New}

// textFunctions take a text and give one.
var textFunctions = map[string]func(string) (string, error){
	"toBase64":   func(s string) (string, error) { return base64.StdEncoding.EncodeToString([]byte(s)), nil },
	"fromBase64": func(s string) (string, error) { return textOf(base64.StdEncoding.DecodeString(s)) },
	"toHex":      func(s string) (string, error) { return hex.EncodeToString([]byte(s)), nil },
	"fromHex":    func(s string) (string, error) { return textOf(hex.DecodeString(s)) },
	"toURL":      func(s string) (string, error) { return url.QueryEscape(s), nil },
	"fromURL":    url.QueryUnescape,
	"upper":      func(s string) (string, error) { return strings.ToUpper(s), nil },
	"lower":      func(s string) (string, error) { return strings.ToLower(s), nil },
	"title":      func(s string) (string, error) { return title(s), nil },
}

// title writes the first letter of each word large.
func title(s string) string {
	first := true
	return strings.Map(func(r rune) rune {
		large := first
		if first = unicode.IsSpace(r) || r == '-'; large {
			return unicode.ToTitle(r)
		}
		return r
	}, s)
}

func textOf(bytes []byte, err error) (string, error) {
	if err == nil && !utf8.Valid(bytes) {
		err = fmt.Errorf("what it stands for is no text")
	}
	return string(bytes), err
}

// textOptions are the functions on texts and numbers, beside those of CEL.
func textOptions() (options []cel.EnvOption) {
	texts := func(name string, count int, do func([]string) (ref.Val, error), result *cel.Type) {
		types := make([]*cel.Type, count)
		for i := range types {
			types[i] = cel.StringType
		}
		options = append(options, cel.Function(name, cel.MemberOverload("text_"+name, types, result, textBinding(name, do))))
	}
	for name, newHash := range hashes {
		texts(name, 1, func(args []string) (ref.Val, error) { return sum(newHash(), args[0]), nil }, cel.StringType)
	}
	for name, do := range textFunctions {
		texts(name, 1, func(args []string) (ref.Val, error) {
			out, err := do(args[0])
			return types.String(out), err
		}, cel.StringType)
	}
	texts("hmac", 3, func(args []string) (ref.Val, error) {
		newHash := hashes[args[1]]
		if newHash == nil {
			return nil, fmt.Errorf("there is no hash %q (md5, sha1, sha256 or sha512)", args[1])
		}
		return sum(hmac.New(newHash, []byte(args[2])), args[0]), nil
	}, cel.StringType)
	texts("hexToBase64", 1, func(args []string) (ref.Val, error) {
		bytes, err := hex.DecodeString(args[0])
		return types.String(base64.StdEncoding.EncodeToString(bytes)), err
	}, cel.StringType)
	texts("lines", 1, func(args []string) (ref.Val, error) {
		lines := strings.Split(strings.TrimSuffix(strings.ReplaceAll(args[0], "\r\n", "\n"), "\n"), "\n")
		if len(lines) > most {
			return nil, fmt.Errorf("more than %d lines", most)
		}
		return types.DefaultTypeAdapter.NativeToValue(lines), nil
	}, cel.ListType(cel.StringType))
	texts("find", 2, func(args []string) (ref.Val, error) { return findPattern(args[0], args[1]) }, cel.StringType)
	texts("findAll", 2, func(args []string) (ref.Val, error) {
		re, err := regexp.Compile(args[1])
		if err != nil {
			return nil, err
		}
		return types.DefaultTypeAdapter.NativeToValue(re.FindAllString(args[0], most)), nil
	}, cel.ListType(cel.StringType))
	texts("replacePattern", 3, func(args []string) (ref.Val, error) {
		re, err := regexp.Compile(args[1])
		if err != nil {
			return nil, err
		}
		grown := len(re.FindAllStringIndex(args[0], -1))*len(args[2]) + len(args[0])*(1+strings.Count(args[2], "$"))
		if grown > 4*mostText {
			return nil, fmt.Errorf("more than %d bytes", mostText)
		}
		return types.String(re.ReplaceAllString(args[0], args[2])), nil
	}, cel.StringType)
	texts("fromJSON", 1, func(args []string) (ref.Val, error) {
		n, err := tree.ParseJSON([]byte(args[0]))
		return types.DefaultTypeAdapter.NativeToValue(Value(n)), err
	}, cel.DynType)
	return append(options,
		cel.Function("toJSON", cel.MemberOverload("value_toJSON", []*cel.Type{cel.DynType}, cel.StringType, cel.UnaryBinding(toJSON))),
		cel.Function("padStart", padding("padStart", func(text, fill string) string { return fill + text })),
		cel.Function("padEnd", padding("padEnd", func(text, fill string) string { return text + fill })),
		cel.Function("digits", cel.MemberOverload("number_digits", []*cel.Type{cel.DynType, cel.IntType}, cel.StringType,
			cel.BinaryBinding(func(number, digits ref.Val) ref.Val { return formatNumber(number, digits, "") })),
			cel.MemberOverload("number_digits_grouped", []*cel.Type{cel.DynType, cel.IntType, cel.StringType}, cel.StringType,
				cel.FunctionBinding(func(args ...ref.Val) ref.Val { return formatNumber(args[0], args[1], string(args[2].(types.String))) }))),
	)
}

// textBinding calls a function of texts; its error names the function.
func textBinding(name string, do func([]string) (ref.Val, error)) cel.OverloadOpt {
	call := func(args ...ref.Val) ref.Val {
		texts := make([]string, len(args))
		for i, arg := range args {
			texts[i] = string(arg.(types.String))
		}
		out, err := do(texts)
		if err != nil {
			return types.NewErr("%s: %v", name, err)
		}
		if text, ok := out.(types.String); ok {
			return limited(name, string(text))
		}
		return out
	}
	return cel.FunctionBinding(call)
}

func sum(h hash.Hash, text string) ref.Val {
	h.Write([]byte(text))
	return types.String(hex.EncodeToString(h.Sum(nil)))
}

// findPattern gives the first group of what fits first, the whole of it where
// the pattern has no group.
func findPattern(text, pattern string) (ref.Val, error) {
	re, err := regexp.Compile(pattern)
	if err != nil {
		return nil, err
	}
	found := re.FindStringSubmatch(text)
	if found == nil {
		return nil, fmt.Errorf("nothing in %q fits %s", text, pattern)
	}
	return types.String(found[min(1, len(found)-1)]), nil
}

func toJSON(v ref.Val) ref.Val {
	n, err := nodeOf(v)
	if err != nil {
		return types.WrapErr(err)
	}
	return limited("toJSON", string(n.AppendJSON(nil)))
}

// limited is a text that a function made, an error when it is too long.
func limited(name, text string) ref.Val {
	if len(text) > mostText {
		return types.NewErr("%s: more than %d bytes", name, mostText)
	}
	return types.String(text)
}

// padding lengthens a text to a number of characters.
func padding(name string, join func(text, fill string) string) cel.FunctionOpt {
	return cel.MemberOverload("text_"+name, []*cel.Type{cel.StringType, cel.IntType, cel.StringType}, cel.StringType,
		cel.FunctionBinding(func(args ...ref.Val) ref.Val {
			text, width, fill := string(args[0].(types.String)), int(args[1].(types.Int)), string(args[2].(types.String))
			missing := width - utf8.RuneCountInString(text)
			if width > most || utf8.RuneCountInString(fill) != 1 {
				return types.NewErr("%s takes a width of at most %d and one character", name, most)
			}
			if missing <= 0 {
				return args[0]
			}
			return types.String(join(text, strings.Repeat(fill, missing)))
		}))
}

// formatNumber writes a number with so many digits after the point, its
// thousands separated.
func formatNumber(value, digits ref.Val, separator string) ref.Val {
	f, ok := value.ConvertToType(types.DoubleType).(types.Double)
	count := int(digits.(types.Int))
	if !ok || count < 0 || count > 20 {
		return types.NewErr("digits takes a number and how many digits follow its point, from 0 to 20")
	}
	text := strconv.FormatFloat(float64(f), 'f', count, 64)
	if exact, ok := value.(number); ok {
		text = exact.StringFixed(int32(count)) // from 0 to 20
	}
	if separator == "" {
		return types.String(text)
	}
	whole, rest, _ := strings.Cut(text, ".")
	sign := ""
	if strings.HasPrefix(whole, "-") {
		sign, whole = "-", whole[1:]
	}
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + separator + whole[i:]
	}
	if rest != "" {
		rest = "." + rest
	}
	return types.String(sign + whole + rest)
}
