package traffic

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A head goes out in the order and the spelling that it is to have, however it is
// written, and what is behind it as it is.
func TestHeadsAreArranged(t *testing.T) {
	const head = "HTTP/1.1 200 OK\r\nContent-Type: a\r\nDate: now\r\nX-B: 1\r\nX-B: 2\r\nX-Bc: 3\r\n\r\n"
	for name, c := range map[string]struct {
		names  []string
		writes []string
		want   string
		waits  bool
	}{
		"in one piece":                    {[]string{"x-b", "X-None", "content-type", "X-B"}, []string{head + "body\r\n\r\n"}, "HTTP/1.1 200 OK\r\nx-b: 1\r\ncontent-type: a\r\nX-B: 2\r\nDate: now\r\nX-Bc: 3\r\n\r\nbody\r\n\r\n", false},
		"in pieces":                       {[]string{"X-B"}, []string{head[:30], head[30 : len(head)-1], "\n", "more"}, "HTTP/1.1 200 OK\r\nX-B: 1\r\nContent-Type: a\r\nDate: now\r\nX-B: 2\r\nX-Bc: 3\r\n\r\nmore", false},
		"what goes before is not touched": {[]string{"x-b"}, []string{"HTTP/1.1 103 Early Hints\r\nX-B: 1\r\n\r\n"}, "HTTP/1.1 103 Early Hints\r\nX-B: 1\r\n\r\n", false},
		"it has not ended":                {[]string{"x-b"}, []string{"HTTP/1.1 200 OK\r\nX-B: 1\r\n"}, "", true},
		"too long":                        {[]string{"x-b"}, []string{"HTTP/1.1 200 OK\r\nX-B: " + strings.Repeat("a", mostHead)}, "HTTP/1.1 200 OK\r\nX-B: " + strings.Repeat("a", mostHead), false},
	} {
		order := &headOrder{names: c.names}
		var sent strings.Builder
		over := false
		for _, w := range c.writes {
			if over {
				sent.WriteString(w)
				continue
			}
			var ready []byte
			written := []byte(w)
			if ready, over = order.take(written); over {
				sent.Write(ready)
			}
			clear(written) // a writer may use it again
		}
		assert.Equal(t, c.want, sent.String(), name)
		assert.Equal(t, c.waits, !over, name)
	}
}
