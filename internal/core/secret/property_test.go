package secret_test

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

// places put a secret somewhere into a call, where it says that it is one.
var places = []func(r *call.Record, secret string){
	func(r *call.Record, s string) { r.Request.Header["Authorization"] = []string{"Bearer " + s} },
	func(r *call.Record, s string) {
		r.Request.Header["Authorization"] = []string{"Basic " + base64.StdEncoding.EncodeToString([]byte("ida:"+s))}
	},
	func(r *call.Record, s string) { r.Request.Header["Cookie"] = []string{"theme=dark; sid=" + s} },
	func(r *call.Record, s string) { r.Request.Header["X-Api-Key"] = []string{s} },
	func(r *call.Record, s string) { r.Request.Query = "n=1&access_token=" + url.QueryEscape(s) },
	func(r *call.Record, s string) {
		r.Request.Header["Referer"] = []string{"https://a.example/?token=" + url.QueryEscape(s)}
	},
	func(r *call.Record, s string) {
		body(r, "application/json", `{"n": 1, "login": {"password": `+quoted(s)+`}}`)
	},
	func(r *call.Record, s string) { body(r, "application/json", `{"secrets": ["x", `+quoted(s)+`]}`) },
	func(r *call.Record, s string) { body(r, "", `{"event": `+quoted(`{"jwt": `+quoted(s)+`}`)+`}`) },
	func(r *call.Record, s string) {
		body(r, "application/x-www-form-urlencoded", "a=b&client_secret="+url.QueryEscape(s))
	},
	func(r *call.Record, s string) {
		body(r, "text/xml", "<a><wsse:Password>"+escaped(s)+"</wsse:Password></a>")
	},
	func(r *call.Record, s string) { body(r, "application/xml", `<a apiKey="`+escaped(s)+`"/>`) },
	func(r *call.Record, s string) {
		body(r, "multipart/form-data; boundary=x1", "--x1\r\nContent-Disposition: form-data; name=\"pwd\"\r\n\r\n"+s+"\r\n--x1--\r\n")
	},
	func(r *call.Record, s string) {
		r.Answer.Header = append(r.Answer.Header, call.Field{Name: "Set-Cookie", Value: "sid=" + s + "; Path=/"})
	},
	func(r *call.Record, s string) { r.Answer.Body = []byte(`{"refresh_token": ` + quoted(s) + `}`) },
	func(r *call.Record, s string) {
		r.Answer.Header = append(r.Answer.Header, call.Field{Name: "Location", Value: "/in?sessionid=" + url.QueryEscape(s)})
	},
}

func body(r *call.Record, kind, text string) {
	r.Request.Header["Content-Type"], r.Request.Body.Bytes = []string{kind}, []byte(text)
}

func quoted(text string) string {
	b, _ := json.Marshal(text)
	return string(b)
}

func escaped(text string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;").Replace(text)
}

// echoes say a secret where nothing says that it is one.
var echoes = []func(r *call.Record, secret string){
	func(r *call.Record, s string) { r.Answer.Body = append(r.Answer.Body, (" you are " + s)...) },
	func(r *call.Record, s string) { r.Answer.Body = append(r.Answer.Body, quoted("as "+s)...) },
	func(r *call.Record, s string) { r.Answer.Body = append(r.Answer.Body, escaped(s)...) },
	func(r *call.Record, s string) { r.Request.Header["X-Echo"] = []string{url.QueryEscape(s)} },
	func(r *call.Record, s string) {
		r.Request.Path, r.Request.Address = "/"+s, "/office/"+url.PathEscape(s)
	},
	func(r *call.Record, s string) {
		r.Explanation = &call.Explanation{Steps: []call.Step{{Finding: call.Find(call.Refused, "it was "+s)}}}
	},
	func(r *call.Record, s string) {
		r.Deviations = []call.Deviation{{Where: "body", Detail: fmt.Sprintf("%q is too long", s)}}
	},
	func(r *call.Record, s string) {
		r.Upstream = &call.Exchange{Target: "http://up.example/?q=" + url.QueryEscape(s), RequestHeader: call.Header{}, Answer: call.Answer{Body: []byte(s)}}
	},
}

// whole is all that is kept of a call, as text.
func whole(r *call.Record) string {
	text := fmt.Sprint(r.Request.Address, r.Request.Path, r.Request.Query, r.Request.Header, string(r.Request.Body.Bytes), r.Answer.Header, string(r.Answer.Body), r.Deviations)
	if r.Explanation != nil {
		text += fmt.Sprint(*r.Explanation)
	}
	if x := r.Upstream; x != nil {
		text += fmt.Sprint(x.Target, x.RequestHeader, string(x.RequestBody), x.Answer.Header, string(x.Answer.Body))
	}
	return text + r.Request.Curl("http://127.0.0.1:7401")
}

// A secret anywhere, and said again anywhere else, is nowhere afterwards, in no
// spelling.
func TestNoSecretSurvives(t *testing.T) {
	masker := newMasker()
	chance := rand.New(rand.NewPCG(5, 5))
	const plain, odd = "abcdefghijkmnpqrstuvwxyzABCDEFGHIJKLMNPQRSTUVWXYZ23456789-_.", `abcXYZ0189+/=&"'<>%\ üß;:`
	for range 6000 {
		letters := []rune(plain)
		place := chance.IntN(len(places))
		if chance.IntN(3) == 0 && place != 2 && place != 13 { // cookies cannot say them
			letters = []rune(odd)
		}
		value := make([]rune, 12+chance.IntN(40))
		for i := range value {
			value[i] = letters[chance.IntN(len(letters))]
		}
		secret := strings.TrimSpace(string(value))
		r := &call.Record{Request: call.Request{Method: "POST", Header: call.Header{}, Address: "/office/desk", Path: "/desk"}}
		places[place](r, secret)
		for range 1 + chance.IntN(3) {
			echoes[chance.IntN(len(echoes))](r, secret)
		}
		before := whole(r)
		masker.Mask(r)
		after := whole(r)
		for _, spelling := range []string{secret, url.QueryEscape(secret), url.PathEscape(secret), strings.Trim(quoted(secret), `"`), escaped(secret), base64.StdEncoding.EncodeToString([]byte(secret))} {
			if !assert.NotContains(t, after, spelling, "place %d\nbefore %s\nafter  %s", place, before, after) {
				return
			}
		}
	}
}

// Whatever stands around it, a secret that goes in does not come out; and whatever a
// body says that it is, reading it ends well.
func FuzzMask(f *testing.F) {
	f.Add("note", `it's "quoted" \ and <b>`, "application/json", uint8(0))
	f.Add("a", "--x1\r\n\r\n", "multipart/form-data; boundary=x1", uint8(9))
	f.Add("query", "mutation { login(password: \"x\") }", "application/graphql", uint8(3))
	f.Add("x", "<a b='c'><![CDATA[", "text/xml", uint8(10))
	f.Add("data", "\xff\xfe{\x00", "application/json; charset=utf-16", uint8(6))
	masker := newMasker()
	f.Fuzz(func(t *testing.T, name, text, kind string, place uint8) {
		const secret = "s3cret-Value-0815-x"
		if strings.Contains(secret, name) || strings.Contains(name+text+kind, secret[:8]) || len(text) > 1<<14 {
			return
		}
		r := &call.Record{Request: call.Request{Method: "POST", Header: call.Header{}, Address: "/a", Path: "/a"}}
		places[int(place)%len(places)](r, secret)
		r.Answer.Body = append(r.Answer.Body, text...)
		r.Answer.Header = append(r.Answer.Header, call.Field{Name: "Content-Type", Value: kind}, call.Field{Name: "X-Note", Value: text})
		r.Request.Header["X-Note"] = []string{text}
		if r.Request.Body.Bytes == nil {
			r.Request.Header["Content-Type"], r.Request.Body.Bytes = []string{"application/json"}, []byte(`{`+quoted(name)+`: `+quoted(text)+`, "password": "`+secret+`", "n": `+quoted(text)+`}`)
		}
		masker.Mask(r)
		assert.NotContains(t, whole(r), secret)

		raw := &call.Record{Answer: call.Answer{Header: []call.Field{{Name: "Content-Type", Value: kind}, {Name: "Content-Encoding", Value: name}}, Body: []byte(text)}}
		masker.Mask(raw)
		before := string(raw.Answer.Body)
		masker.Mask(raw)
		again := string(raw.Answer.Body)
		assert.Equal(t, len(shown(before)), len(shown(again)), "masking what is masked changes nothing: %q", text)
	})
}
