package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
)

// What belongs to one connection, and hints, which are for us, are not passed on.
func TestHeadersThatAreNotPassedOn(t *testing.T) {
	sent := call.Header{
		"Connection": {"keep-alive, X-Private", "x-more"}, "X-Private": {"1"}, "X-More": {"1"}, "Keep-Alive": {"timeout=5"}, "Te": {"trailers"}, "Trailer": {"X-Sum"},
		"Transfer-Encoding": {"chunked"}, "Upgrade": {"h2c"}, "Proxy-Authorization": {"Basic x"}, "Proxy-Connection": {"close"}, "Proxy-Authenticate": {"Basic"},
		"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}, "Rapid-Mimic": {"lane=mara"}, "Baggage": {"rapid-mimic.lane=mara, tenant=north"},
	}
	passed := call.Header{"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}}
	both := call.Header{"Accept": passed["Accept"], "Authorization": passed["Authorization"], "Rapid-Mimic": sent["Rapid-Mimic"], "Baggage": sent["Baggage"]}
	assert.Equal(t, both, engine.EndToEnd(sent))
	passed["Baggage"] = []string{"tenant=north"}
	assert.Equal(t, passed, (&engine.Relay{}).RequestHeader(sent))
	assert.Equal(t, []string{"lane=mara"}, sent["Rapid-Mimic"], "what came stays as it is")
}
