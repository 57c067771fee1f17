package outgoing

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever a name or spelling is, what is dialled decides.
func TestOwnPortsAreNotReached(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	_, port, err := net.SplitHostPort(listener.Addr().String())
	require.NoError(t, err)
	own := &Rules{Own: []string{listener.Addr().String()}}
	for _, spelling := range []string{"127.0.0.1:" + port, "localhost:" + port, "127.0.0.1:0" + port, "[::ffff:127.0.0.1]:" + port, "0.0.0.0:" + port} {
		_, err := own.Dial(t.Context(), "tcp", spelling)
		assert.ErrorIs(t, err, ErrOwn, spelling)
	}
	other, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer other.Close()
	conn, err := own.Dial(t.Context(), "tcp", other.Addr().String())
	require.NoError(t, err)
	require.NoError(t, conn.Close())

	everywhere := &Rules{Own: []string{"[::]:7401"}}
	for address, want := range map[string]error{"127.0.0.1:7401": ErrOwn, "127.0.0.9:7401": ErrOwn, "[::1]:7401": ErrOwn, "192.0.2.1:7401": nil, "127.0.0.1:7409": nil} {
		assert.Equal(t, want, everywhere.look("tcp", address, nil), address)
	}
}

func TestOnlySomeHostsAreReached(t *testing.T) {
	some := &Rules{Hosts: []string{"office.example", "*.Test", "127.0.0.*"}}
	for host, want := range map[string]bool{"office.example": true, "OFFICE.example.": true, "tides.test": true, "a.b.test": true, "127.0.0.1": true,
		"test": false, "office.example.evil.example": false, "evil-office.example": false, "10.0.0.1": false, "": false} {
		assert.Equal(t, want, some.Allows(host), host)
	}
	_, err := some.Dial(t.Context(), "tcp", "elsewhere.example:80")
	var refused *ErrHost
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, `host "elsewhere.example" may not be called from here`, refused.Error())
	assert.True(t, (&Rules{}).Allows("anything"))
}

func TestPublicAddresses(t *testing.T) {
	public := &Rules{Public: true}
	for address, want := range map[string]error{
		"93.184.215.14:443": nil, "[2606:2800:21f::1]:443": nil,
		"127.0.0.1:80": ErrPrivate, "10.0.0.1:80": ErrPrivate, "192.168.1.1:80": ErrPrivate, "169.254.169.254:80": ErrPrivate, "100.64.1.1:80": ErrPrivate, "0.0.0.0:80": ErrPrivate,
		"[::1]:80": ErrPrivate, "[::ffff:10.0.0.1]:80": ErrPrivate, "[fd00::1]:80": ErrPrivate, "[fe80::1%eth0]:80": ErrPrivate, "224.0.0.1:80": ErrPrivate,
		"[64:ff9b::7f00:1]:80": ErrPrivate, "[64:ff9b:1::7f00:1]:80": ErrPrivate, "[2002:7f00:1::]:80": ErrPrivate, "[2001::1]:80": ErrPrivate, "[::127.0.0.1]:80": ErrPrivate,
	} {
		assert.Equal(t, want, public.look("tcp", address, nil), address)
	}
	assert.Error(t, public.look("tcp", "nonsense", nil))
}
