//go:build jaxws

package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
)

// java makes classes of a served contract, compiles a client that uses them, and runs it.
func java(t *testing.T, client, contract, into string) (lines []string) {
	folder := t.TempDir()
	jars, err := filepath.Glob("/usr/share/jaxws/lib/*.jar")
	require.NoError(t, err)
	path := strings.Join(append(jars, "/usr/share/java/jaxws-rt.jar"), ":")
	source, err := os.ReadFile("judges/" + client + ".java")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, client+".java"), source, 0o600))
	tool(t, folder, "wsimport", "-extension", "-keep", "-Xnocompile", "-p", "skerry."+into, "-d", ".", contract)
	classes, err := filepath.Glob(filepath.Join(folder, "skerry", into, "*.java"))
	require.NoError(t, err)
	tool(t, folder, "javac", append([]string{"-nowarn", "-cp", path, "-d", "out", client + ".java"}, classes...)...)
	for line := range strings.SplitSeq(strings.TrimSpace(tool(t, folder, "java", "-cp", "out:"+path, client, contract)), "\n") {
		if !strings.Contains(line, "FactoryFinder") && !strings.HasPrefix(line, "WARNING") {
			lines = append(lines, line)
		}
	}
	return lines
}

// The client of Java understands the served contract and all answers, with WS-Addressing and by MTOM.
func TestJAXWS(t *testing.T) {
	s := startDemo(t)
	lines := java(t, "Desk", s.traffic+"/customs?wsdl", "desk")
	assert.Len(t, lines, 20)
	assert.Contains(t, lines, "unknownManifest 1.2 addressed")
	_, err := s.api.Import(t.Context(), client.Import{Text: []byte(photoDesk), File: "photos.wsdl", Name: "photos"})
	require.NoError(t, err)
	assert.Equal(t, []string{"inline", "packed"}, java(t, "Photo", s.traffic+"/photos?wsdl", "photos"))
	_, err = s.api.Import(t.Context(), client.Import{Text: []byte(sketchDesk), File: "sketches.wsdl", Name: "sketches"})
	require.NoError(t, err)
	assert.Equal(t, []string{"chart 16x12", "text/plain true", "text/csv high,tide"}, java(t, "Sketch", s.traffic+"/sketches?wsdl", "sketches"))
	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "method:POST deviates"})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}
