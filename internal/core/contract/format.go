package contract

import (
	"errors"
	"net/url"
	"regexp"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// strictFormats are formats that the library takes otherwise than the standards: in URIs spaces and
// other characters that have to be escaped, in templates of them too little.
var strictFormats = []*jsonschema.Format{
	{Name: "uri", Validate: func(v any) error { return checkURI(v, true) }},
	{Name: "uri-reference", Validate: func(v any) error { return checkURI(v, false) }},
	{Name: "uri-template", Validate: checkTemplate},
	{Name: "period", Validate: anyText}, // which the standard does not know
	{Name: "semver", Validate: anyText},
}

func anyText(any) error { return nil }

// expression is what stands in the braces of a URI template (RFC 6570).
var expression = regexp.MustCompile(`^[+#./;?&=,!@|]?(?:[A-Za-z0-9_%](?:\.?[A-Za-z0-9_%])*(?::[1-9][0-9]{0,3}|\*)?)(?:,(?:[A-Za-z0-9_%](?:\.?[A-Za-z0-9_%])*(?::[1-9][0-9]{0,3}|\*)?))*$`)

func checkTemplate(v any) error {
	text, ok := v.(string)
	if !ok {
		return nil
	}
	for {
		before, rest, open := strings.Cut(text, "{")
		if strings.ContainsAny(before, " \"<>\\^`|}") {
			return errors.New("it has characters that must be escaped")
		}
		if !open {
			return nil
		}
		inside, after, closed := strings.Cut(rest, "}")
		if !closed || !expression.MatchString(inside) {
			return errors.New("its braces hold no expression")
		}
		text = after
	}
}

func checkURI(v any, absolute bool) error {
	text, ok := v.(string)
	if !ok {
		return nil
	}
	if i := strings.IndexFunc(text, func(r rune) bool { return r <= ' ' || r >= 0x7f || strings.ContainsRune("<>\"{}|\\^`", r) }); i >= 0 {
		return errors.New("it has characters that must be escaped")
	}
	u, err := url.Parse(text)
	switch {
	case err != nil:
		return err
	case absolute && !u.IsAbs():
		return errors.New("it has no scheme")
	default:
		return nil
	}
}
