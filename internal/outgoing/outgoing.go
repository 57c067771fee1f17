// Package outgoing makes the connections that leave this program: to upstreams, to
// what contracts are imported from, and for the tunnels of the proxy. What may be
// reached is looked at when it is dialled, after names were resolved, so that no name
// and no spelling leads around it.
package outgoing

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"path"
	"strings"
	"syscall"
	"time"
)

// Rules say what may be reached.
type Rules struct {
	// Own are host:port of the ports of this program, which are not reached.
	Own []string
	// Hosts are the names and addresses that alone may be reached, with * for any part
	// of one; none for all.
	Hosts []string
	// Public refuses addresses of this machine and of private networks.
	Public bool
}

// Errors of what may not be reached.
var (
	ErrOwn     = errors.New("it is a port of Rapid Mimic itself")
	ErrPrivate = errors.New("it leads to an address of this machine or of a private network")
)

// ErrHost is the error of a host that is not among those that may be reached.
type ErrHost struct{ Host string }

func (e *ErrHost) Error() string { return fmt.Sprintf("host %q may not be called from here", e.Host) }

// Dial makes a connection that the rules allow. It fits http.Transport.
func (r *Rules) Dial(ctx context.Context, network, address string) (net.Conn, error) {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return nil, fmt.Errorf("dial %q: %w", address, err)
	}
	if !r.Allows(host) {
		return nil, &ErrHost{host}
	}
	dialer := &net.Dialer{Timeout: 10 * time.Second, KeepAlive: 30 * time.Second, Control: r.look}
	return dialer.DialContext(ctx, network, address)
}

// Allows reports whether a host may be reached by its name.
func (r *Rules) Allows(host string) bool {
	if len(r.Hosts) == 0 {
		return true
	}
	host = strings.ToLower(strings.TrimSuffix(host, "."))
	for _, pattern := range r.Hosts {
		if fits, _ := path.Match(strings.ToLower(pattern), host); fits {
			return true
		}
	}
	return false
}

// look is asked about each address before it is dialled.
func (r *Rules) look(_, address string, _ syscall.RawConn) error {
	target, err := netip.ParseAddrPort(address)
	if err != nil {
		return fmt.Errorf("read address %q: %w", address, err)
	}
	ip := target.Addr().WithZone("").Unmap()
	if r.Public && !isPublic(ip) {
		return ErrPrivate
	}
	for _, own := range r.Own {
		if ours, err := netip.ParseAddrPort(own); err == nil && ours.Port() == target.Port() && isHere(ip, ours.Addr().Unmap()) {
			return ErrOwn
		}
	}
	return nil
}

// isHere reports whether an address is one at which a port of ours listens.
func isHere(ip, listens netip.Addr) bool {
	switch {
	case ip == listens, ip.IsUnspecified():
		return true
	case !listens.IsUnspecified():
		return false
	case ip.IsLoopback():
		return true
	}
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		return true // it cannot be told
	}
	for _, address := range addresses {
		if prefix, err := netip.ParsePrefix(address.String()); err == nil && prefix.Addr().Unmap() == ip {
			return true
		}
	}
	return false
}

var (
	// shared is the address space behind carriers' translation (RFC 6598).
	shared = netip.MustParsePrefix("100.64.0.0/10")
	// translated addresses lead to one of IPv4 that stands in them: NAT64 (RFC 6052)
	// and its local form (RFC 8215), 6to4 (RFC 3056), Teredo (RFC 4380), and those
	// that are compatible with IPv4.
	translated = []netip.Prefix{netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16"),
		netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("::/96")}
)

// isPublic reports whether an address is one of the public internet.
func isPublic(ip netip.Addr) bool {
	if !ip.IsGlobalUnicast() || ip.IsPrivate() || shared.Contains(ip) {
		return false
	}
	for _, prefix := range translated {
		if prefix.Contains(ip) {
			return false
		}
	}
	return true
}
