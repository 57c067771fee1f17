package e2e

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
)

// A backup is made while everything goes on, and put into a folder of its own is the same
// environment: definitions, secrets, tokens, history.
func TestBackupAndRestore(t *testing.T) {
	t.Parallel()
	s := startTeam(t, config.Config{})
	s.put(t, "PATCH", "/variables", `{variables: {officeKey: {secret: true, value: hush-hush-quay}}}`)
	s.put(t, "PUT", "/services/moorings/mappings/key", "{call: {path: /key}, answer: {headers: {X-Key: '${vars.officeKey}'}}}")
	folder := t.TempDir()
	run := func(args ...string) (string, error) {
		c := exec.Command(binary, args...)
		c.Env = append(os.Environ(), "HOME="+folder, "RAPIDMIMIC_URL="+s.control, "RAPIDMIMIC_TOKEN="+s.secret)
		out, err := c.CombinedOutput()
		return string(out), err
	}
	file, data := filepath.Join(folder, "monday.zip"), filepath.Join(folder, "restored")
	said, err := run("backup", file)
	require.NoError(t, err, said)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	said, err = run("backup", file)
	require.Error(t, err)
	assert.Contains(t, said, "exists already")
	left, err := filepath.Glob(filepath.Join(s.data, "backup-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	s.put(t, "PUT", "/services/moorings/mappings/later", "{call: {path: /later}}")

	said, err = run("restore", file, "--data", data)
	require.NoError(t, err, said)
	again := start(t, config.Config{Data: data, NeedTokens: true})
	assert.Empty(t, again.secret)
	again.api.SetToken(s.secret)
	answer, _ := again.send("GET /moorings/key", "")
	assert.Equal(t, "hush-hush-quay", answer.Header.Get("X-Key"))
	answer, _ = again.send("GET /moorings/later", "")
	assert.Equal(t, http.StatusNotFound, answer.StatusCode, "what came after the backup is not in it")
	versions, err := again.api.MappingVersions(t.Context(), "moorings", "key")
	require.NoError(t, err)
	assert.Len(t, versions, 1)
	said, err = run("restore", file, "--data", data)
	require.Error(t, err)
	assert.Contains(t, said, "is in use by another Rapid Mimic")
	again.stop()

	said, err = run("restore", file, "--data", data)
	require.Error(t, err)
	assert.Contains(t, said, "has a database already (--over puts the backup in its place")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	for name, broken := range map[string][]byte{"half": text[:len(text)/2], "none": []byte("no archive")} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), broken, 0o600))
		said, err = run("restore", filepath.Join(folder, name), "--data", data, "--over")
		require.Error(t, err)
		assert.Contains(t, said, "is no backup")
	}
	said, err = run("restore", file, "--data", data, "--over")
	require.NoError(t, err, said)
	aside, err := filepath.Glob(filepath.Join(data, "before-restore-*", "environment.db"))
	require.NoError(t, err)
	assert.Len(t, aside, 1, "what was there is kept")
	start(t, config.Config{Data: data, NeedTokens: true})
}
