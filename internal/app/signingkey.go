package app

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"rapidmimic.example/internal/core/grant"
)

// signingKeyFile has the key by which services sign the tokens that they give. It stays as it is, so that
// tokens hold over restarts.
const signingKeyFile = "signing.pem"

// signingKey is that of a data folder, which is made on first use.
func signingKey(folder string) (*grant.Key, error) {
	file := filepath.Join(folder, signingKeyFile)
	text, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		private, err := rsa.GenerateKey(rand.Reader, 2048)
		if err != nil {
			return nil, fmt.Errorf("draw a key: %w", err)
		}
		der, err := x509.MarshalPKCS8PrivateKey(private)
		if err == nil {
			err = os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}), 0o600)
		}
		if err != nil {
			return nil, fmt.Errorf("keep the key of tokens: %w", err)
		}
		return grant.NewKey(private), nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the key of tokens: %w", err)
	}
	block, _ := pem.Decode(text)
	if block == nil {
		return nil, fmt.Errorf("%s is no private key in PEM: put the right one back, or remove it to have another one made, under which no token that was given holds", file)
	}
	parsed, err := x509.ParsePKCS8PrivateKey(block.Bytes)
	private, ok := parsed.(*rsa.PrivateKey)
	if err != nil || !ok {
		return nil, fmt.Errorf("%s is no RSA key: put the right one back, or remove it to have another one made, under which no token that was given holds", file)
	}
	return grant.NewKey(private), nil
}
