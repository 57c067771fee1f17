package folder_test

import (
	"fmt"
	"strings"
	"testing"

	"rapidmimic.example/internal/core/folder"
)

// BenchmarkRead reads 10,000 mappings in one file.
func BenchmarkRead(b *testing.B) {
	var text strings.Builder
	for i := range 10_000 {
		fmt.Fprintf(&text, "- id: berth-%d\n  call:\n    method: GET\n    path: /berths/B%d\n  answer:\n    status: 200\n    json:\n      number: B%d\n      state: free\n", i, i, i)
	}
	files := []folder.File{{Name: "moorings/all.mappings.yaml", Text: []byte(text.String())}}
	b.ReportAllocs()
	for b.Loop() {
		if f := folder.Read(files); len(f.Faults) > 0 || len(f.Services[0].Mappings) != 10_000 {
			b.Fatal("not read")
		}
	}
}
