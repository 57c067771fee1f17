package contract

import (
	"errors"
	"net/url"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// strictFormats are formats of which the library takes more than RFC 3986 does: spaces, and other
// characters that have to be escaped.
var strictFormats = []*jsonschema.Format{
	{Name: "uri", Validate: func(v any) error { return checkURI(v, true) }},
	{Name: "uri-reference", Validate: func(v any) error { return checkURI(v, false) }},
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
