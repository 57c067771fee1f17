package traffic

import (
	"errors"
	"net"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// counting is a connection that counts how often its deadline is set.
type counting struct {
	net.Conn
	set   int
	until time.Time
}

func (c *counting) SetReadDeadline(t time.Time) error {
	c.set, c.until = c.set+1, t
	return nil
}

func TestFarDeadlinesAreOnlyNoted(t *testing.T) {
	below := &counting{}
	l := &Listener{}
	c := &conn{Conn: below, listener: l}
	now := time.Now()
	require.NoError(t, c.SetReadDeadline(now.Add(time.Minute)))
	assert.Equal(t, now.Add(time.Minute), below.until, "nobody looks yet")
	l.Expire(now)
	require.NoError(t, c.SetReadDeadline(time.Time{}))
	below.set = 0
	for range 100 { // what net/http does for a call that takes no time
		require.NoError(t, c.SetReadDeadline(now.Add(time.Minute)))
		require.NoError(t, c.SetReadDeadline(now.Add(10*time.Second)))
		require.NoError(t, c.SetReadDeadline(time.Time{}))
	}
	assert.Zero(t, below.set)

	require.NoError(t, c.SetReadDeadline(now)) // it ends a read that way
	assert.Equal(t, now, below.until)
	require.NoError(t, c.SetReadDeadline(now.Add(time.Minute)))
	assert.True(t, below.until.IsZero(), "the one that passed must not stay")
	assert.Equal(t, 2, below.set)

	c.reading.expire(below, now.Add(time.Minute))
	assert.True(t, below.until.IsZero(), "not yet")
	c.reading.expire(below, now.Add(time.Minute+1))
	assert.False(t, below.until.IsZero())
	require.NoError(t, c.SetReadDeadline(time.Time{}))
	assert.True(t, below.until.IsZero(), "another call may come")

	c.hijacked.Store(true)
	require.NoError(t, c.SetReadDeadline(now.Add(time.Hour)))
	assert.Equal(t, now.Add(time.Hour), below.until)
}

func TestConnectionsWhoseTimeIsOverEnd(t *testing.T) {
	plain, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := NewListener(plain, 10, time.Minute, nil)
	defer l.Close()
	caller, err := net.Dial("tcp", plain.Addr().String())
	require.NoError(t, err)
	defer caller.Close()
	c, err := l.Accept()
	require.NoError(t, err)
	defer c.Close()
	l.Expire(time.Now())
	require.NoError(t, c.SetDeadline(time.Now().Add(time.Hour)))
	require.NoError(t, c.SetReadDeadline(time.Now().Add(10*time.Second)))
	read := make(chan error, 1)
	go func() {
		_, err := c.Read(make([]byte, 1))
		read <- err
	}()
	l.Expire(time.Now())
	select {
	case err := <-read:
		t.Fatal("it ended before its time:", err)
	default:
	}
	l.Expire(time.Now().Add(11 * time.Second))
	err = <-read
	assert.True(t, errors.Is(err, os.ErrDeadlineExceeded), err)
}
