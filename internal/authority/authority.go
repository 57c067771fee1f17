// Package authority is our own certificate authority: it makes certificates on
// demand for the hosts that the proxy intercepts. Its key is made on first use
// and stays in the data folder, readable to its owner alone. Nothing on the
// machine is changed by it; who wants to trust it does so himself.
package authority

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// Authority signs certificates. It is safe for concurrent use.
type Authority struct {
	folder string
	hosts  []string
	now    func() time.Time

	mu     sync.Mutex // guards all below
	key    *ecdsa.PrivateKey
	cert   *x509.Certificate
	leaves map[string]*tls.Certificate // by host
}

// New builds an authority that keeps its key in a folder. It makes nothing yet. hosts
// are those that it may speak for, such as office.example or *.test; none for all. They
// are written into it, so that programs that trust it accept no others.
func New(folder string, hosts []string) *Authority {
	return &Authority{folder: folder, hosts: hosts, now: time.Now, leaves: make(map[string]*tls.Certificate)}
}

const (
	keyFile  = "authority.key"
	certFile = "authority.pem"
	// maxLeaves bounds the certificates that are kept in memory.
	maxLeaves = 2_000
	// life is how long the authority holds, leafLife a certificate.
	life     = 90 * 24 * time.Hour
	leafLife = 7 * 24 * time.Hour
)

// PEM is the authority's certificate as programs import it. It is made when it
// is not there yet.
func (a *Authority) PEM() ([]byte, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if err := a.loadLocked(); err != nil {
		return nil, err
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.cert.Raw}), nil
}

// Fingerprint tells the authority's certificate from others: SHA-256 in hex.
func (a *Authority) Fingerprint() (string, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if err := a.loadLocked(); err != nil {
		return "", err
	}
	sum := sha256.Sum256(a.cert.Raw)
	return hex.EncodeToString(sum[:]), nil
}

// File is where the certificate is kept.
func (a *Authority) File() string { return filepath.Join(a.folder, certFile) }

// Certificate returns the certificate for a host, made on demand.
func (a *Authority) Certificate(host string) (*tls.Certificate, error) {
	host = strings.ToLower(host)
	a.mu.Lock()
	defer a.mu.Unlock()
	if leaf := a.leaves[host]; leaf != nil && a.now().Before(leaf.Leaf.NotAfter.Add(-24*time.Hour)) {
		return leaf, nil
	}
	if err := a.loadLocked(); err != nil {
		return nil, err
	}
	leaf, err := a.signLocked(host)
	if err != nil {
		return nil, fmt.Errorf("make certificate for %s: %w", host, err)
	}
	if len(a.leaves) >= maxLeaves {
		clear(a.leaves)
	}
	a.leaves[host] = leaf
	return leaf, nil
}

func (a *Authority) signLocked(host string) (*tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: host}, NotBefore: a.now().Add(-time.Hour), NotAfter: a.now().Add(leafLife),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	if ip := net.ParseIP(host); ip != nil {
		template.IPAddresses = []net.IP{ip}
	} else {
		template.DNSNames = []string{host}
	}
	raw, err := x509.CreateCertificate(rand.Reader, template, a.cert, &key.PublicKey, a.key)
	if err != nil {
		return nil, err
	}
	leaf, err := x509.ParseCertificate(raw)
	if err != nil {
		return nil, err
	}
	return &tls.Certificate{Certificate: [][]byte{raw, a.cert.Raw}, PrivateKey: key, Leaf: leaf}, nil
}

func serial() *big.Int {
	n, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		panic(err) // the machine has no randomness
	}
	return n
}

// loadLocked reads the authority, or makes it.
func (a *Authority) loadLocked() error {
	if a.cert != nil {
		return nil
	}
	keyText, keyErr := os.ReadFile(filepath.Join(a.folder, keyFile))
	certText, certErr := os.ReadFile(a.File())
	if errors.Is(keyErr, fs.ErrNotExist) || errors.Is(certErr, fs.ErrNotExist) {
		return a.makeLocked()
	}
	if err := errors.Join(keyErr, certErr); err != nil {
		return fmt.Errorf("read certificate authority: %w", err)
	}
	pair, err := tls.X509KeyPair(certText, keyText)
	if err != nil {
		return fmt.Errorf("read certificate authority in %s: %w (remove both files to have a new one made)", a.folder, err)
	}
	key, ok := pair.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return fmt.Errorf("read certificate authority in %s: the key is of another kind", a.folder)
	}
	if !a.now().Before(pair.Leaf.NotAfter) || !a.isOurs(pair.Leaf) {
		return a.makeLocked()
	}
	a.key, a.cert = key, pair.Leaf
	return nil
}

// isOurs reports whether an authority that was made before, perhaps by an earlier
// version or with other flags, promises no more than one that is made now.
func (a *Authority) isOurs(made *x509.Certificate) bool {
	wanted := &x509.Certificate{}
	constrain(wanted, a.hosts)
	same := func(a, b []*net.IPNet) bool {
		return slices.EqualFunc(a, b, func(a, b *net.IPNet) bool { return a.String() == b.String() })
	}
	return made.NotAfter.Sub(made.NotBefore) <= life+2*time.Hour && slices.Equal(made.PermittedDNSDomains, wanted.PermittedDNSDomains) &&
		same(made.PermittedIPRanges, wanted.PermittedIPRanges) && same(made.ExcludedIPRanges, wanted.ExcludedIPRanges)
}

// constrain writes into an authority which names it may speak for.
func constrain(template *x509.Certificate, hosts []string) {
	if len(hosts) == 0 {
		return
	}
	template.PermittedDNSDomainsCritical = true
	for _, host := range hosts {
		if ip := net.ParseIP(host); ip != nil {
			if v4 := ip.To4(); v4 != nil {
				ip = v4
			}
			template.PermittedIPRanges = append(template.PermittedIPRanges, &net.IPNet{IP: ip, Mask: net.CIDRMask(8*len(ip), 8*len(ip))})
			continue
		}
		name := strings.ToLower(strings.TrimLeft(host, "*."))
		if at := strings.LastIndexAny(name, "*?["); at >= 0 { // what is behind it is sure
			name = name[strings.IndexByte(name[at:]+".", '.')+at:]
			name = strings.TrimPrefix(name, ".")
		}
		if name != "" {
			template.PermittedDNSDomains = append(template.PermittedDNSDomains, name)
		}
	}
	if len(template.PermittedIPRanges) == 0 {
		template.ExcludedIPRanges = []*net.IPNet{{IP: net.IPv4zero.To4(), Mask: net.CIDRMask(0, 32)}, {IP: net.IPv6zero, Mask: net.CIDRMask(0, 128)}}
	}
}

// Rotate makes another authority, which programs have to come to trust.
func (a *Authority) Rotate() error {
	a.mu.Lock()
	defer a.mu.Unlock()
	clear(a.leaves)
	return a.makeLocked()
}

// Expires is when the authority ends; zero while there is none.
func (a *Authority) Expires() time.Time {
	a.mu.Lock()
	defer a.mu.Unlock()
	if _, err := os.Stat(a.File()); err != nil || a.loadLocked() != nil {
		return time.Time{}
	}
	return a.cert.NotAfter
}

// makeLocked makes a new authority and keeps it.
func (a *Authority) makeLocked() error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return fmt.Errorf("make certificate authority: %w", err)
	}
	host, _ := os.Hostname() // a name to tell authorities apart; none is fine
	template := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: "Rapid Mimic on " + host, Organization: []string{"Rapid Mimic, for tests only"}},
		NotBefore: a.now().Add(-time.Hour), NotAfter: a.now().Add(life), IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true,
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
	}
	constrain(template, a.hosts)
	raw, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return fmt.Errorf("make certificate authority: %w", err)
	}
	keyBytes, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return fmt.Errorf("make certificate authority: %w", err)
	}
	if a.cert, err = x509.ParseCertificate(raw); err != nil {
		return fmt.Errorf("make certificate authority: %w", err)
	}
	a.key = key
	err = os.WriteFile(filepath.Join(a.folder, keyFile), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: keyBytes}), 0o600)
	if err == nil {
		err = os.WriteFile(a.File(), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: raw}), 0o600)
	}
	if err != nil {
		return fmt.Errorf("keep certificate authority: %w", err)
	}
	return nil
}
