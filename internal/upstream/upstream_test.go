package upstream

import (
	"fmt"
	"io"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/outgoing"
)

// What is told of a call that got no answer says what to do about it, however deep the reason lies.
func TestExplain(t *testing.T) {
	for _, k := range []struct {
		err    error
		status int
		why    string
	}{
		{errForbidden, 502, "--no-upstream"},
		{outgoing.ErrOwn, 508, "would come back to it"},
		{outgoing.ErrPrivate, 502, "service set NAME --callback-hosts HOST"},
		{&outgoing.ErrHost{Host: "quay.example"}, 502, `host "quay.example" is not among those`},
		{syscall.ECONNREFUSED, 502, "nothing listens there"},
		{syscall.ECONNRESET, 502, "it reset the connection"},
		{io.ErrUnexpectedEOF, 502, "without an answer"},
		{io.ErrShortWrite, 502, io.ErrShortWrite.Error()},
	} {
		status, why := (&Client{}).Explain(fmt.Errorf("dial: %w", k.err))
		assert.Equal(t, k.status, status, k.why)
		assert.Contains(t, why, k.why)
	}
}
