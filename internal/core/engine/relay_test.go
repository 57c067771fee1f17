package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// What belongs to one connection, and hints, which are for us, are not passed on.
func TestHeadersThatAreNotPassedOn(t *testing.T) {
	sent := call.Header{
		"Connection": {"keep-alive, X-Private", "x-more"}, "X-Private": {"1"}, "X-More": {"1"}, "Keep-Alive": {"timeout=5"}, "Te": {"trailers"}, "Trailer": {"X-Sum"},
		"Transfer-Encoding": {"chunked"}, "Upgrade": {"h2c"}, "Http2-Settings": {"AAMAAABkAAQ"}, "Proxy-Authorization": {"Basic x"}, "Proxy-Connection": {"close"}, "Proxy-Authenticate": {"Basic"},
		"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}, "Rapid-Mimic": {"lane=mara"}, "Baggage": {"rapid-mimic.lane=mara, tenant=north"},
	}
	passed := call.Header{"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}}
	both := call.Header{"Accept": passed["Accept"], "Authorization": passed["Authorization"], "Rapid-Mimic": sent["Rapid-Mimic"], "Baggage": sent["Baggage"]}
	assert.Equal(t, both, engine.EndToEnd(sent))
	passed["Baggage"], passed["Rapid-Mimic-Hops"] = []string{"tenant=north"}, []string{"0"}
	assert.Equal(t, passed, (&engine.Relay{}).RequestHeader(sent))
	assert.Equal(t, []string{"lane=mara"}, sent["Rapid-Mimic"], "what came stays as it is")
}

// A relayed call stays below the base path of the upstream, and does not go round in
// circles for ever.
func TestWhereRelaysLead(t *testing.T) {
	c, e := harbour(t, "")
	office := spec.NewService("office")
	office.Upstream, office.Mode = "https://real.example/v1/office", spec.ModeRelay
	_, err := c.CreateService(t.Context(), office)
	require.NoError(t, err)
	root := spec.NewService("root")
	root.Upstream, root.Mode = "https://real.example", spec.ModeRelay
	_, err = c.CreateService(t.Context(), root)
	require.NoError(t, err)
	for path, want := range map[string]string{
		"/office/desks/7": "https://real.example/v1/office/desks/7", "/office/a..b/...": "https://real.example/v1/office/a..b/...", "/root/../x": "https://real.example/../x",
		"/office/../admin": "", "/office/a/%2e%2e/admin": "", "/office/a/..%2fadmin": "", `/office/a/..%5cadmin`: "", "/office/..": "", "/office/..;x=1/admin": "", "/office/%zz": "",
	} {
		d := ask(e, "GET "+path)
		if want == "" {
			assert.Nil(t, d.Relay, path)
			assert.Equal(t, 400, d.Answer.Status, path)
			assert.Contains(t, string(d.Answer.Body), "leaves the upstream's base path", path)
			continue
		}
		require.NotNil(t, d.Relay, path)
		assert.Equal(t, want, d.Relay.Target.String())
	}
	d := ask(e, "GET /office/desks", "Rapid-Mimic-Hops: 7")
	require.NotNil(t, d.Relay)
	assert.Equal(t, []string{"8"}, d.Relay.RequestHeader(call.Header{})["Rapid-Mimic-Hops"])
	d = ask(e, "GET /office/desks", "Rapid-Mimic-Hops: 8")
	assert.Nil(t, d.Relay)
	assert.Equal(t, 508, d.Answer.Status)
	for _, nonsense := range []string{"-5", "x", ""} {
		d = ask(e, "GET /office/desks", "Rapid-Mimic-Hops: "+nonsense)
		assert.Equal(t, []string{"1"}, d.Relay.RequestHeader(call.Header{})["Rapid-Mimic-Hops"], nonsense)
	}
}
