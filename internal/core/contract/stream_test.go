package contract_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/contract"
)

// A stream is taken apart at the ends of its items; what is none is whole.
func TestItemsOfStreams(t *testing.T) {
	for name, k := range map[string]struct {
		mediaType string
		items     []string
	}{
		"lines":                   {"application/jsonl", []string{"{\"n\":1}\n", "{\"n\":2}\n"}},
		"a last line without end": {"application/x-ndjson; charset=utf-8", []string{"1\n", "2"}},
		"texts of a sequence":     {"application/json-seq", []string{"\x1e1\n", "\x1e2\n"}},
		"events":                  {"text/event-stream", []string{"event: tide\ndata: 1\n\n", "data: 2\ndata: 3\n\n", ": the end\n"}},
		"events in lines of CRLF": {"text/event-stream", []string{"data: 1\r\ndata: 2\r\n\r\n", "data: 3\r\n\r\n"}},
		"parts":                   {"multipart/mixed; boundary=x", []string{"--x\r\n\r\n1\r\n", "--x\r\n\r\n2\r\n", "--x--\r\n"}},
		"a document":              {"application/json", nil},
		"a form with parts":       {"multipart/form-data", nil},
		"nothing":                 {"application/jsonl", nil},
	} {
		t.Run(name, func(t *testing.T) {
			body := strings.Join(k.items, "")
			if name == "a document" {
				body = "[\n1,\n2]"
			}
			var items []string
			for _, size := range (&contract.MediaType{Name: k.mediaType}).Items([]byte(body)) {
				items, body = append(items, body[:size]), body[size:]
			}
			assert.Equal(t, k.items, items)
		})
	}
}
