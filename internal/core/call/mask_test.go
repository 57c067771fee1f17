package call_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic/internal/core/call"
)

func TestSecretsInQueriesAndBodiesAreMasked(t *testing.T) {
	masker := call.NewMasker([]byte("key"), "berth_pin", "z", "")
	const form = "application/x-www-form-urlencoded"
	for name, c := range map[string]struct{ query, mediaType, body, wantQuery, wantBody string }{
		"nothing secret":       {"free=true", "", `{"number": "N7"}`, "^free=true$", `^\{"number": "N7"\}$`},
		"a query":              {"a=1&api_key=s3cret&b=2", "", "", `^a=1&api_key=masked-[0-9a-f]{8}&b=2$`, "^$"},
		"JSON members":         {"", "", `{"accessToken": "a\"b", "PASSWORD":"x", "user": "Ida"}`, "^$", `^\{"accessToken": "masked-[0-9a-f]{8}", "PASSWORD":"masked-[0-9a-f]{8}", "user": "Ida"\}$`},
		"a form":               {"", form, "name=Ida&password=a%26b", "^$", `^name=Ida&password=masked-[0-9a-f]{8}$`},
		"names of one's own":   {"berth_pin=4711", "", `{"berth_pin": "4711"}`, `^berth_pin=masked-([0-9a-f]{8})$`, `^\{"berth_pin": "masked-[0-9a-f]{8}"\}$`},
		"a name of one letter": {"z=9&a=1", "", `{"Z": "9"}`, `^z=masked-[0-9a-f]{8}&a=1$`, `^\{"Z": "masked-[0-9a-f]{8}"\}$`},
		"a text that names it": {"", "text/plain", "the password is on the wall", "^$", "^the password is on the wall$"},
	} {
		t.Run(name, func(t *testing.T) {
			r := &call.Record{AnswerSize: int64(len(c.body)), Answer: call.Answer{Body: []byte(c.body)},
				Request: call.Request{Query: c.query, Header: call.Header{"Content-Type": {c.mediaType}}, Body: call.Body{Bytes: []byte(c.body), Size: int64(len(c.body))}}}
			masker.Mask(r)
			assert.Regexp(t, c.wantQuery, r.Request.Query)
			assert.Regexp(t, c.wantBody, string(r.Request.Body.Bytes))
			assert.Equal(t, int64(len(r.Request.Body.Bytes)), r.Request.Body.Size, "it does not look cut")
			assert.Equal(t, int64(len(r.Answer.Body)), r.AnswerSize)
		})
	}
}
