package recording_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/recording"
)

// Callers to whom a recording is played back see no digest of the log, but equal
// secrets are equal still.
func TestRecordingsHaveStandIns(t *testing.T) {
	one, other := "masked-"+strings.Repeat("0a", 16), "masked-"+strings.Repeat("1b", 16)
	r := &call.Record{
		Request: call.Request{Method: "POST", Path: "/login/" + one, Query: "token=" + one, Header: call.Header{"Cookie": {"sid=" + one + "; b=" + other}, "Accept": {"*/*"}}, Body: call.Body{Bytes: []byte(`{"password":"` + one + `"}`)}},
		Answer:  call.Answer{Status: 200, Header: []call.Field{{Name: "Set-Cookie", Value: "sid=" + one}}, Body: []byte(`{"token":"` + other + `","note":"masked-short"}`)},
	}
	before := fmt.Sprint(r.Request.Header, r.Answer.Header)
	x := recording.Of(r)
	all := fmt.Sprint(x.Path, x.Query, x.Request, string(x.Body), x.Header, string(x.Answer))
	assert.NotContains(t, all, one)
	assert.NotContains(t, all, other)
	assert.Contains(t, string(x.Answer), "masked-short", "which is none")
	standIn := strings.TrimPrefix(x.Query, "token=")
	assert.Regexp(t, `^secret-[0-9a-f]{32}$`, standIn)
	assert.Equal(t, 5, strings.Count(all, standIn), "equal ones stay equal")
	assert.Equal(t, before, fmt.Sprint(r.Request.Header, r.Answer.Header), "the call itself is untouched")
	assert.Len(t, x.Answer, len(r.Answer.Body))
	r.StandIns = map[string]string{one: "secret-known"}
	known := recording.Of(r)
	assert.Equal(t, "token=secret-known", known.Query)
	assert.Equal(t, x.Answer, known.Answer, "what was not seen keeps what leads nowhere")
}

// A coding is kept where it says the same as the body, else it has secrets in it.
func TestCodingsAreKeptWithoutSecrets(t *testing.T) {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write([]byte("ebb"))
	_ = w.Close()
	of := func(body string) *call.Wire {
		return recording.Of(&call.Record{Answer: call.Answer{Status: 200, Body: []byte(body)}, AnswerSize: int64(len(body)), Wire: &call.Wire{Coding: "gzip", Coded: b.Bytes()}}).Wire
	}
	assert.Equal(t, b.Bytes(), of("ebb").Coded)
	assert.Nil(t, of("masked").Coded)
	assert.Equal(t, "gzip", of("masked").Coding, "it tells that the body was decoded")
}

// Secrets of the log and of a recording look alike, so that all else can be compared.
func TestSecretsThatLookAlike(t *testing.T) {
	r := &call.Record{Request: call.Request{Method: "GET", Path: "/a", Query: "k=masked-00000000000000000000000000000001&b=1", Header: call.Header{"X": {"masked-00000000000000000000000000000002"}}}, Answer: call.Answer{Body: []byte("masked-00000000000000000000000000000003 masked-x")}}
	x := recording.Of(r)
	alike := x.Alike()
	assert.Equal(t, []string{"k=(secret)&b=1", "(secret)", "(secret) masked-x"}, []string{alike.Query, alike.Request["X"][0], string(alike.Answer)})
	assert.Contains(t, x.Query, "k=secret-", "the exchange itself stays as it was")
}
