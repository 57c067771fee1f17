package authority

import (
	"crypto/x509"
	"encoding/pem"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// trusts reports whether a program that trusts the authority believes it for a host.
func trusts(t *testing.T, a *Authority, host string, at time.Time) error {
	text, err := a.PEM()
	require.NoError(t, err)
	block, _ := pem.Decode(text)
	ca, err := x509.ParseCertificate(block.Bytes)
	require.NoError(t, err)
	roots := x509.NewCertPool()
	roots.AddCert(ca)
	leaf, err := a.Certificate(host)
	require.NoError(t, err)
	_, err = leaf.Leaf.Verify(x509.VerifyOptions{DNSName: host, Roots: roots, CurrentTime: at})
	return err
}

func TestTheAuthoritySpeaksForItsHostsAlone(t *testing.T) {
	now := time.Now()
	all := New(t.TempDir(), nil)
	for _, host := range []string{"office.example", "10.0.0.7"} {
		assert.NoError(t, trusts(t, all, host, now), host)
	}
	some := New(t.TempDir(), []string{"office.example", "*.Test", "api-*.quay.net", "10.0.0.7"})
	for host, want := range map[string]bool{"office.example": true, "tides.test": true, "api-1.quay.net": true, "10.0.0.7": true,
		"elsewhere.example": false, "example": false, "quay.com": false, "10.0.0.8": false} {
		assert.Equal(t, want, trusts(t, some, host, now) == nil, host)
	}
	names := New(t.TempDir(), []string{"office.example"})
	assert.Error(t, trusts(t, names, "10.0.0.7", now), "addresses are none of its names")
}

func TestHowLongItHolds(t *testing.T) {
	folder, now := t.TempDir(), time.Now()
	a := New(folder, nil)
	assert.True(t, a.Expires().IsZero(), "nothing is made before it is needed")
	a.now = func() time.Time { return now }
	assert.NoError(t, trusts(t, a, "office.example", now.Add(6*24*time.Hour)))
	assert.Error(t, trusts(t, a, "office.example", now.Add(8*24*time.Hour)), "certificates are for a week")
	assert.WithinDuration(t, now.Add(90*24*time.Hour), a.Expires(), time.Second)
	first, err := a.Fingerprint()
	require.NoError(t, err)
	info, err := os.Stat(a.File())
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	before, err := a.Certificate("office.example")
	require.NoError(t, err)
	now = now.Add(5 * 24 * time.Hour)
	same, err := a.Certificate("OFFICE.example")
	require.NoError(t, err)
	assert.Same(t, before, same)
	now = now.Add(36 * time.Hour)
	fresh, err := a.Certificate("office.example")
	require.NoError(t, err)
	assert.NotSame(t, before, fresh, "one that ends within a day is made anew")

	kept := New(folder, nil)
	fingerprint, err := kept.Fingerprint()
	require.NoError(t, err)
	assert.Equal(t, first, fingerprint)
	require.NoError(t, kept.Rotate())
	rotated, err := kept.Fingerprint()
	require.NoError(t, err)
	assert.NotEqual(t, first, rotated)

	narrow := New(folder, []string{"office.example"})
	constrained, err := narrow.Fingerprint()
	require.NoError(t, err)
	assert.NotEqual(t, rotated, constrained, "one that speaks for all is not what was asked for")
	again, err := New(folder, []string{"office.example"}).Fingerprint()
	require.NoError(t, err)
	assert.Equal(t, constrained, again)

	late := New(folder, nil)
	late.now = func() time.Time { return now.Add(91 * 24 * time.Hour) }
	another, err := late.Fingerprint()
	require.NoError(t, err)
	assert.NotEqual(t, rotated, another, "what has ended is of no use to anybody")
	assert.WithinDuration(t, late.now().Add(90*24*time.Hour), late.Expires(), time.Second)
}
