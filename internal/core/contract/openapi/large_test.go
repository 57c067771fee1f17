package openapi_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
)

// large is how many operations the large contract has.
const large = 1000

// largeContract is a contract of about 10 MB with a thousand operations, as
// JSON.
func largeContract() []byte {
	var b strings.Builder
	b.WriteString(`{"openapi": "3.0.3", "info": {"title": "Large", "version": "1"}, "paths": {`)
	for i := range large {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `"/things-%d/{id}": {"get": {"operationId": "get%d", "parameters": [{"name": "id", "in": "path", "required": true, "schema": {"type": "string"}}],
			"responses": {"200": {"description": "ok", "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Thing%d"}}}}}}}`, i, i, i)
	}
	b.WriteString(`}, "components": {"schemas": {`)
	for i := range large {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `"Thing%d": {"type": "object", "required": ["id"], "properties": {"id": {"type": "string"}, "next": {"$ref": "#/components/schemas/Thing%d"}`, i, (i+1)%large)
		for j := range 60 {
			fmt.Fprintf(&b, `, "field%d": {"type": "string", "nullable": true, "maxLength": 40, "description": "What the harbour office wrote into field %d of thing %d, in its own words and at some length"}`, j, j, i)
		}
		b.WriteString(`}}`)
	}
	b.WriteString(`}}}`)
	return []byte(b.String())
}

// BenchmarkReadLarge is from the text to the first answer; heap-MB is what is
// in use at the end.
func BenchmarkReadLarge(b *testing.B) {
	text := largeContract()
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		c, err := openapi.Read(text)
		require.NoError(b, err)
		require.Len(b, c.Operations, large)
		_, valid := c.Operations[large/2].Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", 0))
		require.True(b, valid)
		var stats runtime.MemStats
		runtime.ReadMemStats(&stats)
		b.ReportMetric(float64(stats.HeapAlloc)/(1<<20), "heap-MB")
	}
}
