package recording

import (
	"cmp"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/textproto"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// harDocument is HAR 1.2, as far as it says something about calls.
type harDocument struct {
	Log struct {
		Version string     `json:"version"`
		Creator harCreator `json:"creator"`
		Comment string     `json:"comment,omitempty"`
		Entries []harEntry `json:"entries"`
	} `json:"log"`
}

type harCreator struct {
	Name    string `json:"name"`
	Version string `json:"version"`
}

type harEntry struct {
	Started  string      `json:"startedDateTime"`
	Time     float64     `json:"time"` // in milliseconds
	Request  harRequest  `json:"request"`
	Response harResponse `json:"response"`
	Cache    struct{}    `json:"cache"`
	Timings  harTimings  `json:"timings"`
}

type harTimings struct {
	Send    float64 `json:"send"`
	Wait    float64 `json:"wait"`
	Receive float64 `json:"receive"`
}

type harPair struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type harRequest struct {
	Method      string    `json:"method"`
	URL         string    `json:"url"`
	HTTPVersion string    `json:"httpVersion"`
	Cookies     []harPair `json:"cookies"`
	Headers     []harPair `json:"headers"`
	Query       []harPair `json:"queryString"`
	PostData    *harPost  `json:"postData,omitempty"`
	HeadersSize int       `json:"headersSize"`
	BodySize    int       `json:"bodySize"`
}

type harPost struct {
	MimeType string    `json:"mimeType"`
	Text     string    `json:"text"`
	Params   []harPair `json:"params"`
	Encoding string    `json:"encoding,omitempty"`
}

type harResponse struct {
	Status      int        `json:"status"`
	StatusText  string     `json:"statusText"`
	HTTPVersion string     `json:"httpVersion"`
	Cookies     []harPair  `json:"cookies"`
	Headers     []harPair  `json:"headers"`
	Content     harContent `json:"content"`
	RedirectURL string     `json:"redirectURL"`
	HeadersSize int        `json:"headersSize"`
	BodySize    int        `json:"bodySize"`
}

type harContent struct {
	Size     int    `json:"size"`
	MimeType string `json:"mimeType"`
	Text     string `json:"text,omitempty"`
	Encoding string `json:"encoding,omitempty"`
}

// WriteHAR writes recorded calls as HAR 1.2, with addresses below the upstream.
func WriteHAR(r spec.Recording, exchanges []Exchange, version string) ([]byte, error) {
	var d harDocument
	d.Log.Version, d.Log.Creator, d.Log.Comment = "1.2", harCreator{"Rapid Mimic", version}, r.Name
	d.Log.Entries = []harEntry{}
	base := strings.TrimSuffix(r.Upstream, "/")
	if base == "" {
		base = "http://unknown.invalid"
	}
	for _, x := range exchanges {
		d.Log.Entries = append(d.Log.Entries, entryOf(x, base))
	}
	text, err := json.MarshalIndent(d, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("write HAR: %w", err)
	}
	return append(text, '\n'), nil
}

func entryOf(x Exchange, base string) harEntry {
	took := float64(x.Took) / 1000
	e := harEntry{Started: x.At.UTC().Format("2006-01-02T15:04:05.000Z"), Time: took, Timings: harTimings{Wait: took}}
	address := base + x.Path
	if x.Query != "" {
		address += "?" + x.Query
	}
	e.Request = harRequest{Method: x.Method, URL: address, HTTPVersion: "HTTP/1.1", Cookies: []harPair{}, Headers: []harPair{}, Query: []harPair{}, HeadersSize: -1, BodySize: len(x.Body)}
	names := make([]string, 0, len(x.Request))
	for name := range x.Request {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		for _, value := range x.Request[name] {
			e.Request.Headers = append(e.Request.Headers, harPair{name, value})
		}
	}
	for part := range strings.SplitSeq(x.Query, "&") {
		if name, value, _ := strings.Cut(part, "="); name != "" {
			name, _ = url.QueryUnescape(name)
			value, _ = url.QueryUnescape(value)
			e.Request.Query = append(e.Request.Query, harPair{name, value})
		}
	}
	if len(x.Body) > 0 {
		text, encoding := harText(x.Body)
		e.Request.PostData = &harPost{MimeType: x.Request.Get("Content-Type"), Text: text, Params: []harPair{}, Encoding: encoding}
	}
	e.Response = harResponse{Status: x.Status, HTTPVersion: "HTTP/1.1", Cookies: []harPair{}, Headers: []harPair{}, HeadersSize: -1, BodySize: len(x.Answer)}
	for _, f := range x.Header {
		e.Response.Headers = append(e.Response.Headers, harPair{f.Name, f.Value})
		switch f.Name {
		case "Content-Type":
			e.Response.Content.MimeType = f.Value
		case "Location":
			e.Response.RedirectURL = f.Value
		}
	}
	e.Response.Content.Size = len(x.Answer)
	e.Response.Content.Text, e.Response.Content.Encoding = harText(x.Answer)
	return e
}

// harText is a body as HAR has it: text, or base64.
func harText(body []byte) (text, encoding string) {
	if utf8.Valid(body) {
		return string(body), ""
	}
	return base64.StdEncoding.EncodeToString(body), "base64"
}

// Take says which entries of a HAR document are taken.
type Take struct {
	// Host takes only those to this host; "" takes all.
	Host string
	// Base is what addresses begin with; the path below it is that of the service.
	// "" takes the whole path.
	Base string
	// Static takes pictures, styles, scripts and fonts too.
	Static bool
}

// Left is an entry that was not taken.
type Left struct{ Call, Reason string }

var staticEndings = []string{".css", ".js", ".mjs", ".map", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp", ".ico", ".woff", ".woff2", ".ttf"}

// ReadHAR reads the calls of a HAR document in their order. Entries that cannot
// be used are told, not fatal; a document without any is.
func ReadHAR(text []byte, take Take) (exchanges []Exchange, left []Left, err error) {
	var d harDocument
	if err := json.Unmarshal([]byte(strings.TrimPrefix(string(text), "\ufeff")), &d); err != nil {
		return nil, nil, problem.New(problem.Syntax, "the document is not HAR: %v", err)
	}
	for i, e := range d.Log.Entries {
		x, reason := exchangeOf(e, take)
		if reason != "" {
			left = append(left, Left{strings.TrimSpace(e.Request.Method + " " + e.Request.URL), reason})
			continue
		}
		x.Number = uint64(i + 1)
		exchanges = append(exchanges, x)
	}
	slices.SortStableFunc(exchanges, func(a, b Exchange) int { return a.At.Compare(b.At) })
	if len(exchanges) == 0 {
		detail := "it has no entries"
		if len(left) > 0 {
			detail = fmt.Sprintf("of %d entries none is taken; the first: %s", len(left), left[0].Reason)
		}
		return nil, left, problem.New(problem.Invalid, "the HAR document has nothing to keep: %s", detail)
	}
	return exchanges, left, nil
}

// exchangeOf makes an exchange of an entry. reason says why it is not taken, "" when it
// is.
func exchangeOf(e harEntry, take Take) (x Exchange, reason string) {
	u, err := url.Parse(e.Request.URL)
	if err != nil || u.Host == "" || e.Request.Method == "" {
		return x, "it has no address"
	}
	below, reason := take.leavesOut(u, e.Response.Status)
	if reason != "" {
		return x, reason
	}
	x = Exchange{
		Method: strings.ToUpper(e.Request.Method), Path: below, Query: u.RawQuery, Status: e.Response.Status, Took: int64(e.Time * 1000),
		Request: requestHeader(e.Request.Headers), Header: answerHeader(&e.Response),
	}
	if x.At, err = time.Parse(time.RFC3339, e.Started); err != nil {
		x.At = time.Unix(0, 0)
	}
	if x.Body, err = requestBody(e.Request.PostData); err != nil {
		return x, "its request body cannot be read: " + err.Error()
	}
	if x.Answer, err = harBody(e.Response.Content.Text, e.Response.Content.Encoding); err != nil {
		return x, "its body cannot be read: " + err.Error()
	}
	if len(x.Answer) == 0 && e.Response.Content.Size > 0 && x.Method != "HEAD" {
		return x, "its body was not kept by who made the document"
	}
	return x, ""
}

// leavesOut says why a call to an address is not taken, else what its path is below
// the base.
func (t Take) leavesOut(u *url.URL, status int) (below, reason string) {
	switch {
	case u.Scheme != "http" && u.Scheme != "https":
		return "", u.Scheme + " is not HTTP"
	case t.Host != "" && !strings.EqualFold(u.Host, t.Host):
		return "", "it went to " + u.Host
	case status < 200:
		return "", "it was never answered"
	case !t.Static && slices.Contains(staticEndings, strings.ToLower(path.Ext(u.Path))):
		return "", "it is a static file"
	}
	below = u.EscapedPath()
	if t.Base != "" {
		base, err := url.Parse(strings.TrimSuffix(t.Base, "/"))
		if err != nil || !strings.EqualFold(base.Host, u.Host) || !strings.HasPrefix(below, base.EscapedPath()) {
			return "", "its address is not below " + t.Base
		}
		below = strings.TrimPrefix(below, base.EscapedPath())
	}
	return cmp.Or(below, "/"), ""
}

// ofConnection reports whether a name is none of a header field: documents list the
// pseudo-fields of HTTP/2 among them.
func ofConnection(name string) bool { return strings.HasPrefix(name, ":") }

func requestHeader(fields []harPair) call.Header {
	header := call.Header{}
	for _, h := range fields {
		if name := textproto.CanonicalMIMEHeaderKey(h.Name); !ofConnection(name) {
			header[name] = append(header[name], h.Value)
		}
	}
	return header
}

func answerHeader(r *harResponse) (header []call.Field) {
	typed := false
	for _, h := range r.Headers {
		name := textproto.CanonicalMIMEHeaderKey(h.Name)
		if ofConnection(name) {
			continue
		}
		typed = typed || name == "Content-Type"
		for value := range strings.SplitSeq(h.Value, "\n") { // some join repeated headers so
			header = append(header, call.Field{Name: name, Value: value})
		}
	}
	if !typed && r.Content.MimeType != "" {
		header = append(header, call.Field{Name: "Content-Type", Value: r.Content.MimeType})
	}
	return header
}

// requestBody is the body that an entry tells, as text or as the fields of a form; post
// is nil for none.
func requestBody(post *harPost) ([]byte, error) {
	if post == nil {
		return nil, nil
	}
	if post.Text == "" && len(post.Params) > 0 {
		form := url.Values{}
		for _, p := range post.Params {
			form.Add(p.Name, p.Value)
		}
		return []byte(form.Encode()), nil
	}
	return harBody(post.Text, post.Encoding)
}

func harBody(text, encoding string) ([]byte, error) {
	switch {
	case text == "":
		return nil, nil
	case strings.EqualFold(encoding, "base64"):
		return base64.StdEncoding.DecodeString(strings.NewReplacer("\n", "", "\r", "").Replace(text))
	default:
		return []byte(text), nil
	}
}
