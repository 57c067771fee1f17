package recording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/recording"
)

// What counts is what an answer is made of; what it says only where that is asked for.
func TestCompare(t *testing.T) {
	const xmlType = "application/xml"
	for name, c := range map[string]struct {
		before, after recording.Exchange
		how           recording.Comparing
		want          []recording.Difference
	}{
		"other values": {exchange(1, "GET /a", "", 200, jsonType, `{"n":1,"list":[{"a":1}]}`), exchange(2, "GET /a", "", 200, jsonType, `{"list":[{"a":2},{"a":3}],"n":7}`), recording.Comparing{}, nil},
		"other values, which count": {exchange(1, "GET /a", "", 200, jsonType, `{"n":1.0,"at":"2026-11-28T10:00:00Z","s":"secret-00000000000000000000000000000001","list":[{"a":1}]}`),
			exchange(2, "GET /a", "", 200, jsonType, `{"n":1,"at":"2026-11-29T10:00:00Z","s":"x","list":[{"a":2},{}]}`), recording.Comparing{Values: true},
			[]recording.Difference{{"body $.list", "1 elements", "2 elements"}, {"body $.list[0].a", "1", "2"}}},
		"status and type": {exchange(1, "GET /a", "", 200, jsonType+"; charset=UTF-8", `{}`), exchange(2, "GET /a", "", 500, "text/plain", `x`), recording.Comparing{},
			[]recording.Difference{{"status", "200", "500"}, {"header content-type", "application/json; charset=utf-8", "text/plain"}}},
		"one spelling of a type": {exchange(1, "GET /a", "", 200, jsonType+";Charset=UTF-8", `{}`), exchange(2, "GET /a", "", 200, jsonType+"; charset=utf-8", `{}`), recording.Comparing{}, nil},
		"members": {exchange(1, "GET /a", "", 200, jsonType, `{"gone":1,"kept":"x","null":null,"list":[]}`), exchange(2, "GET /a", "", 200, jsonType, `{"kept":2,"new":{"a":1},"null":5,"list":[1]}`), recording.Comparing{},
			[]recording.Difference{{"body $.gone", "a number", ""}, {"body $.kept", "a string", "a number"}, {"body $.new", "", "an object"}}},
		"members, ignored": {exchange(1, "GET /a", "", 200, jsonType, `{"gone":{"a":1},"kept":{"b":1},"keptalso":1}`), exchange(2, "GET /a", "", 200, jsonType, `{"kept":{"b":"1","c":1}}`),
			recording.Comparing{Ignore: []string{"$.gone", "$.kept", "Content-Type"}}, []recording.Difference{{"body $.keptalso", "a number", ""}}},
		"elements together": {exchange(1, "GET /a", "", 200, jsonType, `[{"a":1},{"a":"x","b":1}]`), exchange(2, "GET /a", "", 200, jsonType, `[{"a":1}]`), recording.Comparing{},
			nil},
		"elements of other kinds": {exchange(1, "GET /a", "", 200, jsonType, `[{"a":1,"b":1},{"a":null,"b":1}]`), exchange(2, "GET /a", "", 200, jsonType, `[{"a":"x"},{"a":1}]`), recording.Comparing{},
			[]recording.Difference{{"body $[*].b", "a number", ""}, {"body $[*].a", "a number", "a number or a string"}}},
		"elements of XML": {exchange(1, "GET /a", "", 200, xmlType, `<a xmlns="x"><b id="1">1</b><b id="2">2</b></a>`), exchange(2, "GET /a", "", 200, xmlType, `<p:a xmlns:p="x"><p:b>1</p:b><p:c/></p:a>`), recording.Comparing{},
			[]recording.Difference{{"body $.a.b[*]", "an object", "a string"}, {"body $.a.c", "", "a list"}}},
		"another notation": {exchange(1, "GET /a", "", 200, "", `{}`), exchange(2, "GET /a", "", 200, "", `oh no`), recording.Comparing{}, []recording.Difference{{"body", "JSON or XML", "neither JSON nor XML"}}},
		"no body":          {exchange(1, "GET /a", "", 200, "", `{}`), exchange(2, "GET /a", "", 200, "", ``), recording.Comparing{}, []recording.Difference{{"body", "2 bytes", "0 bytes"}}},
		"text":             {exchange(1, "GET /a", "", 200, "", `ebb`), exchange(2, "GET /a", "", 200, "", `flood`), recording.Comparing{}, nil},
		"text, which counts": {exchange(1, "GET /a", "", 200, "", `ebb`), exchange(2, "GET /a", "", 200, "", `flood`), recording.Comparing{Values: true},
			[]recording.Difference{{"body", "ebb", "flood"}}},
	} {
		assert.Equal(t, c.want, recording.Compare(c.before, c.after, c.how), name)
	}
}

func TestPairs(t *testing.T) {
	pairs, before, after := recording.Pairs(
		[]recording.Exchange{exchange(1, "GET /a?x=1", "", 200, "", "1"), exchange(2, "GET /a?x=1", "", 200, "", "2"), exchange(3, "GET /gone", "", 200, "", ""), exchange(4, "POST /b", `{"n":1}`, 200, "", "")},
		[]recording.Exchange{exchange(11, "POST /b", `{ "n": 1.0 }`, 200, "", ""), exchange(12, "POST /b", `{"n":2}`, 200, "", ""), exchange(13, "GET /a?x=1&_=7", "", 200, "", "3")},
		func(name string) bool { return name == "_" })
	var numbers [][2]uint64
	for _, p := range pairs {
		numbers = append(numbers, [2]uint64{p.Before.Number, p.After.Number})
	}
	assert.Equal(t, [][2]uint64{{1, 13}, {4, 11}}, numbers)
	assert.Equal(t, []uint64{3}, []uint64{before[0].Number})
	assert.Equal(t, []uint64{12}, []uint64{after[0].Number})
	assert.Len(t, before, 1)
	assert.Len(t, after, 1)
}

// A session that is begun in a replay goes on with what it was given.
func TestReplaying(t *testing.T) {
	r := &recording.Replaying{Header: call.Header{"X-Key": {"mine"}}}
	login := exchange(1, "POST /login", "", 200, jsonType, `{"user":"ida","tokens":[{"access":"`+right+`"}]}`)
	login.Header = append(login.Header, call.Field{Name: "Set-Cookie", Value: "sid=" + wrong + "; Path=/"})
	now := exchange(1, "POST /login", "", 200, jsonType, `{"user":"ida","tokens":[{"access":"live-token"}]}`)
	now.Header = append(now.Header, call.Field{Name: "set-cookie", Value: "sid=live-session; HttpOnly"})
	r.Learn(login, now)
	me := from(exchange(2, "GET /me/"+right+"?t="+lost, "", 200, "", "")).of("Authorization: Bearer "+right, "Cookie: theme="+lost+"; sid="+wrong, "X-Key: "+lost, "If-None-Match: x", "Accept: */*")
	today, unknown := r.Request(me)
	assert.Equal(t, "/me/live-token", today.Path)
	assert.Equal(t, call.Header{"Authorization": {"Bearer live-token"}, "X-Key": {"mine"}, "Accept": {"*/*"}, "Content-Type": {jsonType}}, today.Request)
	assert.ElementsMatch(t, []string{"the query", "header cookie"}, unknown)
	assert.Equal(t, "Bearer "+right, me.Request.Get("Authorization"), "the recording is untouched")
	again, unknown := r.Request(from(exchange(3, "POST /x", `{"t":"`+wrong+`"}`, 200, "", "")).of("Cookie: sid=" + wrong))
	assert.Empty(t, unknown)
	assert.Equal(t, []string{`{"t":"live-session"}`, "sid=live-session"}, []string{string(again.Body), again.Request.Get("Cookie")})
	assert.True(t, again.Writes())
	assert.False(t, me.Writes())
}
