package app

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"log/slog"
	"net"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/internal/authority"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/internal/sniff"
)

// certificates are those that the ports show.
type certificates struct {
	config config.Config
	own    *authority.Authority
	logger *slog.Logger
	// clients are the authorities whose certificates programs may show; nil for none.
	clients *x509.CertPool

	mu     sync.Mutex // guards all below
	loaded *tls.Certificate
	seen   [2]time.Time // when the files were changed that it was loaded from
	looked time.Time
}

// lookAgain is how often it is seen whether the files have changed.
const lookAgain = time.Second

// newCertificates makes sure that there is one; nil where the ports have none.
func newCertificates(c config.Config, own *authority.Authority, logger *slog.Logger) (*certificates, error) {
	if !c.TLS() {
		return nil, nil
	}
	cs := &certificates{config: c, own: own, logger: logger}
	if c.ClientCA != "" {
		text, err := os.ReadFile(c.ClientCA)
		if err != nil {
			return nil, fmt.Errorf("--client-ca: %w", err)
		}
		if cs.clients = x509.NewCertPool(); !cs.clients.AppendCertsFromPEM(text) {
			return nil, fmt.Errorf("--client-ca %s has no certificate in PEM", c.ClientCA)
		}
	}
	_, err := cs.get(&tls.ClientHelloInfo{ServerName: "localhost"})
	return cs, err
}

// get is tls.Config.GetCertificate.
func (cs *certificates) get(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
	if cs.config.TLSOwn {
		return cs.own.Certificate(cs.nameFor(hello))
	}
	cs.mu.Lock()
	defer cs.mu.Unlock()
	if now := time.Now(); cs.loaded == nil || now.Sub(cs.looked) > lookAgain {
		cs.looked = now
		if err := cs.loadLocked(); err != nil {
			if cs.loaded == nil {
				return nil, err
			}
			cs.logger.Error("the new certificate cannot be used, and the old one stays", "error", err)
		}
	}
	return cs.loaded, nil
}

// nameFor is the name of ours that a caller means, or the first one.
func (cs *certificates) nameFor(hello *tls.ClientHelloInfo) string {
	asked := strings.ToLower(strings.TrimSuffix(hello.ServerName, "."))
	for _, name := range slices.Concat(cs.config.Names, []string{"localhost"}) {
		if strings.EqualFold(name, asked) {
			return asked
		}
	}
	if asked == "" && hello.Conn != nil { // by address
		if host, _, err := net.SplitHostPort(hello.Conn.LocalAddr().String()); err == nil {
			return host
		}
	}
	return cs.config.Names[0]
}

// loadLocked reads the files where they have changed.
func (cs *certificates) loadLocked() error {
	var changed [2]time.Time
	for i, file := range []string{cs.config.TLSCert, cs.config.TLSKey} {
		info, err := os.Stat(file)
		if err != nil {
			return fmt.Errorf("certificate: %w", err)
		}
		changed[i] = info.ModTime()
	}
	if cs.loaded != nil && changed == cs.seen {
		return nil
	}
	loaded, err := tls.LoadX509KeyPair(cs.config.TLSCert, cs.config.TLSKey)
	if err != nil {
		return fmt.Errorf("--tls-cert %s with --tls-key %s: %w", cs.config.TLSCert, cs.config.TLSKey, err)
	}
	if now := time.Now(); now.After(loaded.Leaf.NotAfter) {
		return fmt.Errorf("--tls-cert %s expired at %s", cs.config.TLSCert, loaded.Leaf.NotAfter.UTC().Format("2006-01-02 15:04 UTC"))
	}
	if cs.loaded != nil {
		cs.logger.Info("the certificate was read again", "expires", loaded.Leaf.NotAfter.UTC())
	}
	cs.loaded, cs.seen = &loaded, changed
	return nil
}

// expires is when the certificate ends that cannot be made anew by itself; zero for none.
func (cs *certificates) expires() time.Time {
	if cs == nil || cs.config.TLSOwn {
		return time.Time{}
	}
	cs.mu.Lock()
	defer cs.mu.Unlock()
	return cs.loaded.Leaf.NotAfter
}

// name is one that a certificate of files is for; "" where it has none.
func (cs *certificates) name() string {
	if cs == nil || cs.config.TLSOwn {
		return ""
	}
	cs.mu.Lock()
	defer cs.mu.Unlock()
	if cs.loaded == nil {
		return ""
	}
	for _, name := range cs.loaded.Leaf.DNSNames {
		if !strings.Contains(name, "*") {
			return name
		}
	}
	return ""
}

// fingerprint is that of our own authority, where it makes the certificates; else "".
func (cs *certificates) fingerprint() (string, error) {
	if cs == nil || !cs.config.TLSOwn {
		return "", nil
	}
	return cs.own.Fingerprint()
}

// listener lets a port speak TLS, too, where there is a certificate. protocols are those of
// ALPN.
func (cs *certificates) listener(l net.Listener, wait time.Duration, protocols ...string) net.Listener {
	if cs == nil {
		return l
	}
	return sniff.New(l, &tls.Config{GetCertificate: cs.get, NextProtos: protocols, MinVersion: tls.VersionTLS12}, wait)
}

// asking is listener for a port that takes certificates of its clients, where there are
// authorities for them.
func (cs *certificates) asking(l net.Listener, wait time.Duration, protocols ...string) net.Listener {
	if cs == nil || cs.clients == nil {
		return cs.listener(l, wait, protocols...)
	}
	return sniff.New(l, &tls.Config{GetCertificate: cs.get, NextProtos: protocols, MinVersion: tls.VersionTLS12,
		ClientAuth: tls.VerifyClientCertIfGiven, ClientCAs: cs.clients}, wait)
}
