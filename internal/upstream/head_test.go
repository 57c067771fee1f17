package upstream

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

// The head of an answer is remembered as it was written, whatever the pieces in which it
// came, and nothing of what went before or comes behind.
func TestHeadsAreRemembered(t *testing.T) {
	ours, theirs := net.Pipe()
	defer ours.Close()
	defer theirs.Close()
	c := &headConn{Conn: ours}
	buffer := make([]byte, 1000)
	read := func(pieces ...string) []call.Field {
		for _, piece := range pieces {
			go func() { _, _ = theirs.Write([]byte(piece)) }()
			n, err := c.Read(buffer)
			assert.NoError(t, err)
			assert.Equal(t, piece, string(buffer[:n]), "what is read is untouched")
		}
		return c.Head()
	}
	assert.Nil(t, read("HTTP/1.1 200 OK\r\nX-None: 1\r\n\r\n"), "nobody expects it")
	c.Begin()
	assert.Nil(t, read("HTTP/1.1 200 OK\r\nx-lower:  a "))
	assert.Equal(t, []call.Field{{Name: "x-lower", Value: "a"}, {Name: "X-B", Value: ""}, {Name: "x-lower", Value: "b:c"}}, read("\r\nX-B:\r\n folded\r\nx-lower: b:c\r\n\r", "\nX-Body: no\r\n\r\n"))
	assert.Len(t, read("X-Later: no\r\n\r\n"), 3, "a body is no head")
	c.Begin()
	assert.Equal(t, []call.Field{{Name: "A", Value: "1"}}, read("HTTP/1.1 103 Early Hints\r\nLink: x\r\n\r\nHTTP/1.1 100 Continue\r\n\r\n", "HTTP/1.1 200 OK\r\nA: 1\r\n\r\n"))
	c.Begin()
	assert.Equal(t, []call.Field{{Name: "Upgrade", Value: "x"}}, read("HTTP/1.1 101 Switching Protocols\r\nUpgrade: x\r\n\r\n"), "that is an answer")
}
