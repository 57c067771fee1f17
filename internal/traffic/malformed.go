package traffic

import (
	"bytes"
	"net/url"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
)

// Malformed keeps a call that net/http refused, as far as it can be read.
func (h *Handler) Malformed(m Malformed) {
	record := &call.Record{Number: h.Log.Number(), At: time.Now(), Request: readRequestLine(m.Begins)}
	record.Request.Caller = m.Caller
	d := engine.Malformed(m.Status, m.Reason)
	record.Source, record.By, record.Answer, record.Explanation = d.Source, d.By, d.Answer, d.Explanation
	h.Log.Add(record)
}

// readRequestLine reads what can be read of the first line of a request.
func readRequestLine(begins []byte) call.Request {
	r := call.Request{Method: "?", Address: "/", Path: "/", Header: call.Header{}}
	line, _, _ := bytes.Cut(begins, []byte("\n"))
	fields := strings.Fields(strings.ToValidUTF8(string(line), "\ufffd"))
	if len(fields) > 0 && strings.Trim(fields[0], "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == "" {
		r.Method = fields[0]
	}
	if len(fields) > 1 {
		address, query, _ := strings.Cut(fields[1], "?")
		if u, err := url.Parse(address); err == nil && u.Host != "" {
			r.Host, address = u.Host, u.EscapedPath()
		}
		r.Address, r.Query = address, query
		r.Path = address
	}
	if len(fields) > 2 {
		r.Protocol = fields[2]
	}
	return r
}
