package traffic

import (
	"errors"
	"fmt"
	"io"
	"net/http"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/internal/core/engine"
)

// edit holds an answer of the upstream whole, has it edited, and sends it. The
// record keeps it as it came, too. The error says that the connection must end.
func (x *relayed) edit(resp *http.Response) error {
	got, err := x.whole(resp)
	if err != nil {
		engine.Uneditable(x.decision, err)
	} else {
		x.record.Upstream = &call.Exchange{Answer: got}
		for _, change := range x.h.Engine.Finish(x.decision, got) {
			x.note(change)
		}
	}
	return x.deliver()
}

// whole reads an answer to its end, its body decoded.
func (x *relayed) whole(resp *http.Response) (got call.Answer, err error) {
	defer resp.Body.Close()
	header := x.answerHeader(resp)
	got = call.Answer{Status: resp.StatusCode, Header: header.Fields()}
	body, err := io.ReadAll(io.LimitReader(resp.Body, x.h.MaxBody+1))
	switch {
	case err != nil:
		return got, fmt.Errorf("it broke off after %d bytes", len(body))
	case int64(len(body)) > x.h.MaxBody:
		return got, fmt.Errorf("it is larger than %d bytes, which is what is held", x.h.MaxBody)
	}
	if name := coding.Name(got.Get("Content-Encoding")); name != "" && len(body) > 0 {
		plain, ok := coding.Decode(name, body, int(x.h.MaxBody))
		if !ok {
			return got, errors.New("its coding " + name + " cannot be undone")
		}
		body = plain
	}
	delete(header, "Content-Encoding")
	delete(header, "Content-Length") // it follows from the body that is sent
	got.Header, got.Body = header.Fields(), body
	return got, nil
}

// keepExchange keeps what passed between us and the upstream beside what passed
// between us and the caller.
func (x *relayed) keepExchange(out *http.Request) {
	if x.record.Upstream == nil {
		x.record.Upstream = &call.Exchange{}
	}
	up := x.record.Upstream
	up.Method, up.Target, up.RequestHeader, up.RequestBody = out.Method, out.URL.String(), call.Header(out.Header), x.sent.kept
	if limit := x.h.Log.BodyLimit(); len(up.Answer.Body) > limit {
		up.Answer.Body = up.Answer.Body[:limit]
	}
}
