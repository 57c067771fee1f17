package call_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

func TestSecretsInQueriesAndBodiesAreMasked(t *testing.T) {
	masker := call.NewMasker([]byte("key"), "berth_pin", "z", "")
	const form = "application/x-www-form-urlencoded"
	for name, c := range map[string]struct{ query, mediaType, body, wantQuery, wantBody string }{
		"nothing secret":       {"free=true", "", `{"number": "N7"}`, "^free=true$", `^\{"number": "N7"\}$`},
		"a query":              {"a=1&api_key=s3cret&b=2", "", "", `^a=1&api_key=masked-[0-9a-f]{8}&b=2$`, "^$"},
		"JSON members":         {"", "", `{"accessToken": "a\"b", "PASSWORD":"x", "user": "Ida"}`, "^$", `^\{"accessToken": "masked-[0-9a-f]{8}", "PASSWORD":"masked-[0-9a-f]{8}", "user": "Ida"\}$`},
		"one that was cut":     {"", "", `{"a": 1, "password": "s3cr\`, "^$", `^\{"a": 1, "password": "masked-[0-9a-f]{8}\\?$`},
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

func TestSecretsThatConditionsSawAreHidden(t *testing.T) {
	masker := call.NewMasker([]byte("key"), "berth_pin")
	for _, c := range []struct{ part, seen, expected, want string }{
		{"header authorization", `"Bearer s3cret"`, `"Bearer other"`, "header authorization is another secret than expected"},
		{"header x-api-key", `"s3cret"`, `"other"`, "header x-api-key is another secret than expected"},
		{"cookie session", `"s3cret"`, `"other"`, "cookie session is another secret than expected"},
		{"query api_key", `"s3cret"`, `"other"`, "query api_key is another secret than expected"},
		{"form password", `"s3cret"`, `"other"`, "form password is another secret than expected"},
		{"body $.login.berth_pin", `4711`, `1234`, `body \$.login.berth_pin is another secret than expected`},
		{"xml //password", `"s3cret"`, `"other"`, "xml //password is another secret than expected"},
		{"body $.login", `{"user":"Ida","password":"s3cret"}`, `including {"password":"other"}`, `^body \$.login is {"user":"Ida","password":"masked-[0-9a-f]{8}"}, expected including {"password":"masked-[0-9a-f]{8}"}$`},
		{"body", `"user=Ida&password=s3cret"`, `containing "user=Eva"`, `^body is "user=Ida&password=masked-[0-9a-f]{8}, expected containing "user=Eva"$`},
		{"body", `"{\"password\": \"s3cret\"}"`, `containing "\"password\": \"other\""`, "^body is a text with a secret in it, expected a text with a secret in it$"},
		{"body $", `{"user":"Ida","password":"s3cret and it was cut he`, `{}`, `^body \$ is {"user":"Ida","password":"masked-[0-9a-f]{8}, expected {}$`},
		{"header tier", `"silver"`, `"gold"`, `^header tier is "silver", expected "gold"$`},
	} {
		f := call.Finding{Code: call.Differs, Part: c.part, Seen: c.seen, Expected: c.expected}
		masker.Hide(&f)
		assert.Regexp(t, c.want, f.String())
		assert.NotContains(t, f.Seen+f.Expected, "s3cret")
	}
	missing := call.Finding{Code: call.Absent, Part: "header authorization", Expected: `"Bearer other"`}
	masker.Hide(&missing)
	assert.Equal(t, "header authorization is missing", missing.String())
}

// What goes to and comes from an upstream is masked like the call itself.
func TestSecretsOfTheUpstreamAreMasked(t *testing.T) {
	x := &call.Exchange{
		Target: "http://office.example/login?api_key=s3cret", RequestHeader: call.Header{"Authorization": {"Bearer s3cret"}, "X-Api-Key": {"s3cret"}},
		RequestBody: []byte(`{"password": "s3cret"}`),
		Answer:      call.Answer{Header: []call.Field{{Name: "Set-Cookie", Value: "session=s3cret; Path=/"}, {Name: "X-Auth-Token", Value: "s3cret"}}, Body: []byte(`{"access_token":"s3cret"}`)},
	}
	call.NewMasker([]byte("key")).Mask(&call.Record{Upstream: x})
	assert.NotContains(t, fmt.Sprintf("%s %v %s %v %s", x.Target, x.RequestHeader, x.RequestBody, x.Answer.Header, x.Answer.Body), "s3cret")
}
