//go:build jaxws || gsoap

package e2e

import (
	"os/exec"
	"testing"

	"github.com/stretchr/testify/require"
)

// tool runs a program in a folder and gives what it says; that it fails ends the test.
func tool(t *testing.T, folder, name string, arguments ...string) string {
	cmd := exec.Command(name, arguments...)
	cmd.Dir = folder
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
	return string(out)
}
