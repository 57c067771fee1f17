// Package config turns flags and environment variables into the configuration
// of a service, and checks what can be checked before anything starts.
package config

import (
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/memory"
)

// Default addresses.
const (
	DefaultControl = "127.0.0.1:7400"
	DefaultTraffic = "127.0.0.1:7401"
)

// Default timeouts of connections.
const (
	DefaultHeaderTimeout = 10 * time.Second
	DefaultBodyTimeout   = 30 * time.Second
	DefaultWriteTimeout  = 30 * time.Second
	DefaultIdleTimeout   = 2 * time.Minute
)

// Config is how a service runs.
type Config struct {
	// Data is the folder of the database; absolute once checked.
	Data string
	// Control, Traffic and Proxy are host:port; without Proxy there is none.
	Control, Traffic, Proxy string
	// OpenProxy allows a proxy address beyond loopback; then it reaches only hosts
	// that a service lists.
	OpenProxy bool
	// ProxyAsks has the proxy ask programs for a user name, which is their lane.
	ProxyAsks bool
	// OpenControl lets everybody look who reaches a control address beyond loopback, without
	// a token and without TLS.
	OpenControl bool
	// SignIn is the address of a provider of OpenID Connect, "" for none; SignInClient and
	// SignInSecret are how it knows us, SignInGroups which groups have which roles, such as
	// qa-leads=admin, SignInClaim the claim that names groups, SignInFor how long a session is.
	SignIn, SignInClient, SignInSecret, SignInClaim string
	SignInGroups                                    []string
	SignInFor                                       time.Duration
	// RequestsPerSecond and ChangesPerMinute are what one token may ask of the control port,
	// LanesPerToken how many lanes it may have open, LaneCallsPerSecond what the programs of a
	// lane may ask of the services; 0 for as much as they like. They hold where tokens are asked
	// for.
	RequestsPerSecond, ChangesPerMinute, LanesPerToken, LaneCallsPerSecond int
	// Metrics is an address on this machine that gives the metrics without a token; "" for none
	// beside that of the control port.
	Metrics string
	// NeedTokens asks for tokens also on loopback.
	NeedTokens bool
	// TLSCert and TLSKey are files with the certificate of all ports and its key; TLSOwn has
	// our own authority make one for Names, by which others reach this machine.
	TLSCert, TLSKey string
	TLSOwn          bool
	// ClientCA is a file with the authorities whose certificates clients of the traffic port may
	// show; "" asks for none.
	ClientCA string
	Names    []string
	// AcceptLoss starts with a database that has lost changes.
	AcceptLoss bool
	// ImportURLs lets contracts be imported from addresses, ImportPrivate also
	// from those of this machine and of private networks.
	ImportURLs, ImportPrivate bool
	// Origins are those of pages that may use hints and lanes, with * for any part of a
	// name, beside those of this machine.
	Origins []string
	// NoUpstream forbids every call to an upstream.
	NoUpstream bool
	// Upstreams are the hosts that alone may be called, with * for any part of a name;
	// none for all.
	Upstreams []string
	// Intercept are the hosts that alone services may list, likewise; none for most.
	Intercept []string
	// Mask are more names of headers, members, parameters, fields and elements whose
	// values are masked before a call is stored; MaskNot are names whose values are
	// not, whatever else says so.
	Mask, MaskNot []string
	// DigestKey is the key of the digests by which recordings know secrets again, in 64
	// hexadecimal digits; "" for that of the data folder.
	DigestKey string
	// NoScripts runs no scripts of mappings.
	NoScripts bool
	// KeepMemory keeps what services remember over restarts.
	KeepMemory bool
	// KeepCalls and KeepBytes bound the call log; 0 means the defaults.
	KeepCalls, KeepBytes int64
	// MemoryLimit is how many bytes the process may use; 0 means four fifths of the
	// container's limit, else half of what the machine has.
	MemoryLimit int64
	// MaxConnections is how many connections the traffic port and the proxy may have
	// open, each; 0 means as many as the system allows, less a reserve.
	MaxConnections int
	// HeaderTimeout is how long a caller may take to send the head of a request,
	// BodyTimeout its body, WriteTimeout to take an answer; IdleTimeout is how long a
	// connection may rest. 0 means the defaults.
	HeaderTimeout, BodyTimeout, WriteTimeout, IdleTimeout time.Duration
	// BodyLimit is how much of a body is logged, MaxBody how much is held to
	// answer a call, in bytes; 0 means the defaults.
	BodyLimit, MaxBody int64
	// LogLevel is that of the log, which can be changed while the service runs; nil where it
	// cannot.
	LogLevel *slog.LevelVar
	// RecordLimit is how much of a body recordings keep; 0 means what the log keeps.
	RecordLimit int64
}

// Addresses are where a running service is reached.
type Addresses struct {
	Control, Traffic string // base URLs
	Proxy            string // base URL; "" without one
	Metrics          string // address of the metrics that need no token; "" for none
	Data             string // the data folder
	// Secret is that of the first administrator's token, which was just created; else "".
	// Fingerprint is that of the authority that made the certificate of the ports; "" for none.
	Secret, Fingerprint string
	// LocalControl and LocalTraffic are base URLs for this machine itself, without TLS.
	LocalControl, LocalTraffic string
}

// DefaultData is where definitions and calls are kept unless told otherwise:
// always the same folder, wherever the command was started.
func DefaultData() string {
	if base := os.Getenv("XDG_DATA_HOME"); filepath.IsAbs(base) {
		return filepath.Join(base, "rapidmimic")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return filepath.Join(os.TempDir(), "rapidmimic")
	}
	return filepath.Join(home, ".local", "share", "rapidmimic")
}

// Check completes c and refuses what cannot work, naming the flag to change.
func (c *Config) Check() error {
	var err error
	if c.Data, err = filepath.Abs(c.Data); err != nil {
		return fmt.Errorf("--data %q: %w", c.Data, err)
	}
	if err := errors.Join(c.checkOrigins(), c.checkIntercept()); err != nil {
		return err
	}
	for flag, address := range map[string]string{"--control": c.Control, "--traffic": c.Traffic, "--proxy": c.Proxy, "--metrics": c.Metrics} {
		if address == "" && (flag == "--proxy" || flag == "--metrics") {
			continue
		}
		if err := checkAddress(address); err != nil {
			return fmt.Errorf("%s %q: %w", flag, address, err)
		}
	}
	if err := c.checkTLS(); err != nil {
		return err
	}
	if c.Metrics != "" && !IsLoopback(c.Metrics) {
		return fmt.Errorf("--metrics %s is reached by others, and asks for no token: name an address of this machine, such as 127.0.0.1:7403 (others read /metrics of the control port, with a token)", c.Metrics)
	}
	if c.Proxy != "" && !c.OpenProxy && !IsLoopback(c.Proxy) {
		return fmt.Errorf("--proxy %q is beyond this machine, and whoever reaches it can use it (--open-proxy allows it all the same, for listed hosts only)", c.Proxy)
	}
	if c.ImportPrivate && !c.ImportURLs {
		return errors.New("--import-private goes with --import-urls")
	}
	if c.MemoryLimit > 0 && c.MemoryLimit < memory.Least {
		return fmt.Errorf("--memory-limit must be at least %d bytes (%d MB)", int64(memory.Least), memory.Least>>20)
	}
	for flag, d := range map[string]*time.Duration{"--header-timeout": &c.HeaderTimeout, "--body-timeout": &c.BodyTimeout, "--write-timeout": &c.WriteTimeout, "--idle-timeout": &c.IdleTimeout} {
		if *d < 0 {
			return fmt.Errorf("%s must not be negative", flag)
		}
		if *d == 0 {
			*d = defaultTimeouts[flag]
		}
	}
	for flag, n := range map[string]int64{"--memory-limit": c.MemoryLimit, "--max-connections": int64(c.MaxConnections), "--requests-per-second": int64(c.RequestsPerSecond), "--changes-per-minute": int64(c.ChangesPerMinute), "--lanes-per-token": int64(c.LanesPerToken), "--lane-calls-per-second": int64(c.LaneCallsPerSecond), "--keep-calls": c.KeepCalls, "--keep-bytes": c.KeepBytes, "--body-limit": c.BodyLimit, "--max-body": c.MaxBody, "--record-limit": c.RecordLimit} {
		if n < 0 {
			return fmt.Errorf("%s must not be negative", flag)
		}
	}
	return nil
}

// checkTLS refuses a control address beyond this machine without TLS, and halves of TLS.
func (c *Config) checkTLS() error {
	switch {
	case (c.TLSCert == "") != (c.TLSKey == ""):
		return errors.New("--tls-cert and --tls-key go together")
	case c.ClientCA != "" && !c.TLS():
		return errors.New("--client-ca goes with TLS: --tls own, or --tls-cert")
	case c.TLSOwn && c.TLSCert != "":
		return errors.New("--tls own and --tls-cert are one or the other")
	case c.TLSOwn && len(c.Names) == 0:
		return errors.New("--tls own makes a certificate for a name: give it with --name, such as --name mimic.qa.test")
	case c.SignIn != "" && (c.SignInClient == "" || len(c.SignInGroups) == 0):
		return errors.New("--sign-in goes with --sign-in-client, by which the provider knows this environment, and --sign-in-groups")
	case !c.TLS() && !c.OpenControl && !IsLoopback(c.Control):
		return fmt.Errorf("--control %q is beyond this machine: give it a certificate (--tls-cert FILE --tls-key FILE), or have one made (--tls own --name mimic.qa.test); people and programs then come in with tokens (--open-control lets everybody look instead, without either)", c.Control)
	}
	for _, name := range c.Names {
		if name == "" || strings.ContainsAny(name, "/: *") && net.ParseIP(name) == nil {
			return fmt.Errorf("--name is the name of this machine, such as mimic.qa.test, not %q", name)
		}
	}
	return nil
}

// TLS reports whether the ports have a certificate.
func (c *Config) TLS() bool { return c.TLSOwn || c.TLSCert != "" }

// AsksForTokens reports whether the control port does.
func (c *Config) AsksForTokens() bool { return c.NeedTokens || !IsLoopback(c.Control) }

// LaneCalls is how many calls a second the programs of a lane may make; 0 for any number, which
// is so where nobody else is to be protected.
func (c *Config) LaneCalls() int {
	if !c.AsksForTokens() {
		return 0
	}
	return c.LaneCallsPerSecond
}

var defaultTimeouts = map[string]time.Duration{"--header-timeout": DefaultHeaderTimeout, "--body-timeout": DefaultBodyTimeout,
	"--write-timeout": DefaultWriteTimeout, "--idle-timeout": DefaultIdleTimeout}

func checkAddress(address string) error {
	_, port, err := net.SplitHostPort(address)
	if err != nil {
		return errors.New("must be host:port, such as 127.0.0.1:7400")
	}
	if n, err := strconv.Atoi(port); err != nil || n < 0 || n > 65535 {
		return fmt.Errorf("port %q must be a number up to 65535", port)
	}
	return nil
}

// IsLoopback reports whether an address reaches only this machine.
func IsLoopback(address string) bool {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return false
	}
	if host == "localhost" {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.IsLoopback()
}
