package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
)

// BenchmarkLargeContracts imports contracts of 13 and of 47 MB into a service that is a process of its own:
// how long that takes, what memory it holds at most, and the same when it starts again.
func BenchmarkLargeContracts(b *testing.B) {
	for _, c := range []struct{ megabytes, operations, schemas int }{{13, 3_000, 2_200}, {47, 22_000, 6_500}} {
		b.Run(fmt.Sprintf("%dMB", c.megabytes), func(b *testing.B) {
			text := largeContract(c.operations, c.schemas)
			b.ReportMetric(float64(len(text))/1e6, "MB-contract")
			for range b.N {
				folder := b.TempDir()
				s := startProcess(b, nil, folder)
				began := time.Now()
				_, err := s.api.Import(b.Context(), client.Import{Text: text, File: "large.json", Name: "large"})
				require.NoError(b, err)
				b.ReportMetric(time.Since(began).Seconds(), "s-import")
				b.ReportMetric(float64(s.memory(b, "VmHWM")), "MB-peak")
				s.stop()
				began = time.Now()
				again := startProcess(b, nil, folder)
				resp, err := http.Get(again.traffic + "/large/things-7/1")
				require.NoError(b, err)
				require.Equal(b, http.StatusOK, resp.StatusCode)
				require.NoError(b, resp.Body.Close())
				b.ReportMetric(time.Since(began).Seconds(), "s-restart")
				b.ReportMetric(float64(again.memory(b, "VmHWM")), "MB-restarted")
				again.stop()
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}

// largeContract is a contract as large services have them, in JSON.
func largeContract(operations, schemas int) []byte {
	var b strings.Builder
	b.WriteString(`{"openapi": "3.0.3", "info": {"title": "Large", "version": "1"}, "paths": {`)
	for i := range operations {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `"/things-%d/{id}": {"get": {"operationId": "get%d", "summary": "Gives what the harbour office knows of thing %d", "parameters": [
			{"name": "id", "in": "path", "required": true, "schema": {"type": "string"}}, {"name": "fields", "in": "query", "description": "Which of them are wanted", "schema": {"type": "array", "items": {"type": "string"}}}],
			"responses": {"200": {"description": "ok", "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Thing%d"}}}}, "404": {"description": "There is none"}}}}`, i, i, i, i%schemas)
	}
	b.WriteString(`}, "components": {"schemas": {`)
	for i := range schemas {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `"Thing%d": {"type": "object", "required": ["id"], "properties": {"id": {"type": "string"}`, i)
		if i%10 < 9 { // of ten, each leads to the next
			fmt.Fprintf(&b, `, "next": {"$ref": "#/components/schemas/Thing%d"}`, min(i+1, schemas-1))
		}
		for j := range 33 {
			fmt.Fprintf(&b, `, "field%d": {"type": "string", "nullable": true, "maxLength": 40, "description": "What the office wrote into field %d of thing %d, in its own words"}`, j, j, i)
		}
		b.WriteString(`}}`)
	}
	b.WriteString(`}}}`)
	return []byte(b.String())
}
