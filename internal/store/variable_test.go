package store_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/spec"
)

// sealed opens a store that encrypts under a key.
func sealed(t *testing.T, folder string, key byte) (*store.Store, *catalog.Catalog) {
	s := open(t, folder)
	require.NoError(t, s.SealWith(bytes.Repeat([]byte{key}, 32)))
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	return s, c
}

// Secrets come back after a restart under the same key, stand in no file, and go with what
// they belong to.
func TestSecretVariablesAreEncrypted(t *testing.T) {
	folder := t.TempDir()
	s, c := sealed(t, folder, 1)
	given, err := spec.GivenVariables([]byte("{variables: {key: {secret: true, value: hush-hush-1}, limit: 40}, variableSets: {staging: {key: {secret: true, value: hush-hush-2}}}, variableSet: staging}"), "")
	require.NoError(t, err)
	stored, err := c.PutVariables(t.Context(), given.Document, "")
	require.NoError(t, err)
	service, err := spec.ReadServiceNamed([]byte("{variables: {own: {secret: true, value: hush-hush-3}, lost: {secret: true}}}"), "quay")
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), service)
	require.NoError(t, err)
	scenario, err := spec.ReadScenarios([]byte("{name: storm, variables: {own: {secret: true, value: hush-hush-4}}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenario)
	require.NoError(t, err)
	lane, err := spec.ReadLane([]byte("{variables: {own: {secret: true, value: hush-hush-5}}}"), "night")
	require.NoError(t, err)
	_, err = c.OpenLane(t.Context(), lane, time.Now())
	require.NoError(t, err)
	require.NoError(t, s.Close())
	files, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.NotContains(t, string(text), "hush-hush", file)
	}

	s, c = sealed(t, folder, 1)
	assert.Empty(t, c.Aside())
	assert.ElementsMatch(t, []string{"hush-hush-1", "hush-hush-2", "hush-hush-3", "hush-hush-4", "hush-hush-5"}, c.Snapshot().Secrets())
	assert.Equal(t, stored.Version, c.Snapshot().Variables().Version)
	kept := c.Snapshot().Variables().Variables
	assert.Equal(t, "staging 40 hush-hush-2", kept.VariableSet+" "+kept.Variables["limit"].String()+" "+kept.VariableSets["staging"]["key"].Value.Text)
	require.NoError(t, s.Close())

	s, c = sealed(t, folder, 2)
	assert.Len(t, c.Aside(), 5)
	assert.Contains(t, c.Aside()[0].Reason, "digest.key")
	assert.Empty(t, c.Snapshot().Secrets())
	require.NoError(t, s.Close())

	s, c = sealed(t, folder, 1)
	assert.Equal(t, 5, s.CountSecrets(t.Context()), "what could not be read stays stored")
	_, err = c.CloseLane(t.Context(), "night", time.Now())
	require.NoError(t, err)
	require.NoError(t, c.RemoveScenario(t.Context(), "storm", "", time.Now()))
	_, err = c.RemoveService(t.Context(), "quay", "")
	require.NoError(t, err)
	assert.Equal(t, 2, s.CountSecrets(t.Context()))
	require.NoError(t, s.MoveSecret(t.Context()))
	require.NoError(t, s.Close())
	_, c = sealed(t, folder, 1)
	assert.Len(t, c.Aside(), 1, "a value is bound to its place")
}

// Without a key no secret is kept in the clear.
func TestSecretVariablesNeedAKey(t *testing.T) {
	c, err := catalog.Open(t.Context(), open(t, t.TempDir()))
	require.NoError(t, err)
	given, err := spec.GivenVariables([]byte("{variables: {key: {secret: true, value: hush-hush-1}}}"), "")
	require.NoError(t, err)
	_, err = c.PutVariables(t.Context(), given.Document, "")
	assert.ErrorContains(t, err, "there is no key for secret variables")
	assert.Empty(t, c.Snapshot().Variables().Variables.Variables)
}
