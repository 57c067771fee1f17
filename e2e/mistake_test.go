package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// putsOf are the calls that the documents of the files of mistakes are sent by.
var putsOf = map[string]string{
	"mappings.txtar":    "POST /api/v1/services/moorings/mappings",
	"plain.txtar":       "POST /api/v1/services/bare/mappings",
	"services.txtar":    "PUT /api/v1/services/moorings",
	"scenarios.txtar":   "POST /api/v1/scenarios",
	"lanes.txtar":       "POST /api/v1/lanes",
	"impairments.txtar": "PUT /api/v1/services/moorings/impairments",
	"lines.txtar":       "PUT /api/v1/lines/rope",
	"variables.txtar":   "PUT /api/v1/variables",
	"pins.txtar":        "PUT /api/v1/services/moorings/operations/getBerth/pins",
	"listpins.txtar":    "PUT /api/v1/services/moorings/operations/listBerths/pins",
}

// Each mistake is told at its place, with what to do: the documents and what is said of
// each stand in testdata/mistakes. UPDATE=1 writes what is said now.
func TestMistakesAreTold(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.put(t, "PUT", "/services/bare", "{}")
	count := 0
	for name, put := range putsOf {
		file := filepath.Join("testdata", "mistakes", name)
		archive, err := txtar.ParseFile(file)
		require.NoError(t, err)
		said := txtar.Archive{Comment: archive.Comment}
		for i := 0; i+1 < len(archive.Files); i += 2 {
			document, want := archive.Files[i], archive.Files[i+1]
			require.Equal(t, document.Name+" says", want.Name, "in %s", name)
			method, path, _ := strings.Cut(put, " ")
			status, _, answer := s.whole(method, path, document.Data)
			got := told(t, status, answer)
			assert.Equal(t, string(want.Data), got, "%s of %s", document.Name, name)
			said.Files = append(said.Files, document, txtar.File{Name: want.Name, Data: []byte(got)})
			count++
		}
		if os.Getenv("UPDATE") != "" {
			require.NoError(t, os.WriteFile(file, txtar.Format(&said), 0o644))
		}
	}
	assert.GreaterOrEqual(t, count, 60)
}

// told is what an answer says of a document, a line for each place.
func told(t *testing.T, status int, answer string) string {
	if status < 300 {
		var report struct {
			Items    []api.PutResult
			Warnings []problem.Item
		}
		require.NoError(t, json.Unmarshal([]byte(answer), &report))
		for _, item := range report.Items {
			report.Warnings = append(report.Warnings, item.Warnings...)
		}
		var b strings.Builder
		for _, w := range report.Warnings {
			fmt.Fprintf(&b, "warning %s %s\n", w.At, w.Detail)
		}
		return b.String()
	}
	var p api.Problem
	require.NoError(t, json.Unmarshal([]byte(answer), &p), answer)
	if len(p.Errors) == 0 {
		return p.Detail + "\n"
	}
	var b strings.Builder
	for _, item := range p.Errors {
		fmt.Fprintf(&b, "%d:%d %s %s\n", item.Line, item.Col, item.At, item.Detail)
	}
	return b.String()
}
