package app

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The key of tokens is made once and stays; one that cannot be read is never replaced unasked.
func TestSigningKey(t *testing.T) {
	folder := t.TempDir()
	made, err := signingKey(folder)
	require.NoError(t, err)
	again, err := signingKey(folder)
	require.NoError(t, err)
	assert.Equal(t, made.Set(), again.Set())
	file := filepath.Join(folder, signingKeyFile)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	der, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	for want, text := range map[string][]byte{
		"is no private key in PEM": []byte("a key"),
		"is no RSA key":            pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}),
		"another one made":         pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: []byte("nothing")}),
	} {
		require.NoError(t, os.WriteFile(file, text, 0o600))
		_, err := signingKey(folder)
		assert.ErrorContains(t, err, want)
		kept, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, text, kept)
	}
	require.NoError(t, os.Remove(file))
	require.NoError(t, os.Mkdir(file, 0o700))
	_, err = signingKey(folder)
	assert.ErrorContains(t, err, "read the key of tokens")
	_, err = signingKey(filepath.Join(folder, "nowhere"))
	assert.ErrorContains(t, err, "keep the key of tokens")
}
