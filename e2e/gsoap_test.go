//go:build gsoap

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

// A client of which gSOAP makes the code understands the served contract and all answers, in both versions.
func TestGSOAP(t *testing.T) {
	s := startDemo(t)
	source, err := os.ReadFile("judges/desk.cpp")
	require.NoError(t, err)
	for version, port := range map[string]string{"-1": "Desk", "-2": "Desk12"} {
		folder := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(folder, "desk.cpp"), source, 0o600))
		tool(t, folder, "wsdl2h", "-o", "desk.h", s.traffic+"/customs?wsdl")
		tool(t, folder, "soapcpp2", "-j", "-C", "-L", version, "desk.h")
		tool(t, folder, "g++", "-o", "desk", "desk.cpp", "soapC.cpp", "soapDesk11Proxy.cpp", "-lgsoap++")
		said := strings.Fields(tool(t, folder, "./desk", s.traffic+"/customs/"+port))
		assert.Equal(t, []string{"askClearance", "submitManifest", "listHolds", "cancelManifest", "unknownManifest"}, said, port)
	}
	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "method:POST deviates"})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}
