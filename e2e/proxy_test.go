package e2e

import (
	"bufio"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// proxied is a service with a proxy, and a client that uses it and trusts its
// authority.
func proxied(t *testing.T) (*service, *http.Client) {
	s := start(t, config.Config{Proxy: "127.0.0.1:0"})
	document := spec.NewService("office")
	document.Hosts = []string{"office.example"}
	_, err := s.api.PutService(t.Context(), "office", document, "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "office", []byte("- call: {path: /berths/N7}\n  answer: {json: {number: N7}}\n- call: {path: /old}\n  answer: {redirect: /berths/N7}\n"))
	require.NoError(t, err)
	return s, s.through(t)
}

func (s *service) through(t *testing.T) *http.Client {
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	trusted := x509.NewCertPool()
	require.True(t, trusted.AppendCertsFromPEM([]byte(ca.PEM)))
	address, err := url.Parse(ca.Proxy)
	require.NoError(t, err)
	transport := &http.Transport{Proxy: http.ProxyURL(address), TLSClientConfig: &tls.Config{RootCAs: trusted, MinVersion: tls.VersionTLS12}, ForceAttemptHTTP2: true}
	t.Cleanup(transport.CloseIdleConnections)
	return &http.Client{Transport: transport, Timeout: 10 * time.Second}
}

func get(t *testing.T, c *http.Client, address string) (*http.Response, string) {
	resp, err := c.Get(address)
	require.NoError(t, err, address)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(body)
}

func TestListedHostsAreAnsweredThroughTheProxy(t *testing.T) {
	t.Parallel()
	s, client := proxied(t)
	for _, address := range []string{"http://office.example/berths/N7", "https://office.example/berths/N7", "https://OFFICE.example:8443/berths/N7", "https://office.example/old"} {
		resp, body := get(t, client, address)
		assert.Equal(t, `{"number":"N7"}`, body, address)
		assert.Contains(t, resp.Header.Get("Rapid-Mimic"), "source=mapping")
		if strings.HasPrefix(address, "https") {
			assert.Equal(t, 2, resp.ProtoMajor, "HTTP/2 goes to the client")
		}
	}
	resp, body := get(t, client, "https://office.example/bertsh/N7")
	assert.Equal(t, 404, resp.StatusCode)
	assert.Contains(t, body, "path, segment 1")
	call, err := s.api.Call(t.Context(), "c-2")
	require.NoError(t, err)
	assert.Equal(t, "office.example", call.Host)
	assert.Equal(t, "HTTP/2.0", call.Protocol)
	// the same by the Host header, on the port of the services
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.traffic+"/berths/N7", nil)
	require.NoError(t, err)
	req.Host = "office.example"
	resp, err = http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	assert.Equal(t, 200, resp.StatusCode)

	other := spec.NewService("other")
	other.Hosts = []string{"Office.Example"}
	_, err = s.api.PutService(t.Context(), "other", other, "")
	assert.ErrorContains(t, err, `host "Office.Example" is listed by service "office"`)
	other.Hosts = []string{"https://x"}
	_, err = s.api.PutService(t.Context(), "other", other, "")
	assert.ErrorContains(t, err, "without scheme and port")
	_, pac := get(t, http.DefaultClient, s.control+"/proxy.pac")
	assert.Regexp(t, `if \(host === "office.example"\) return "PROXY 127.0.0.1:\d+";`, pac)
}

func TestEverythingElseIsPassedOnUnread(t *testing.T) {
	t.Parallel()
	s, client := proxied(t)
	secret := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, "secret ", r.URL) }))
	defer secret.Close()
	client.Transport.(*http.Transport).TLSClientConfig.RootCAs.AddCert(secret.Certificate())
	_, body := get(t, client, secret.URL+"/a?b=1")
	assert.Equal(t, "secret /a?b=1", body, "with its own certificate")
	plain := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, "plain ", r.Host, r.URL) }))
	defer plain.Close()
	_, body = get(t, client, plain.URL+"/a?b=1")
	assert.Equal(t, "plain "+strings.TrimPrefix(plain.URL, "http://")+"/a?b=1", body)
	list, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Zero(t, list.CallsStored, "nothing of it is in the log")

	// our own ports are out of reach, by any name, and so is what does not answer
	for _, address := range []string{s.control, strings.Replace(s.control, "127.0.0.1", "localhost", 1)} {
		resp, body := get(t, client, address+"/api/v1/status")
		assert.Equal(t, 403, resp.StatusCode, body)
	}
	_, err = client.Get(strings.Replace(s.control, "http://", "https://", 1))
	assert.ErrorContains(t, err, "Forbidden")
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, closed.Close())
	resp, body := get(t, client, "http://"+closed.Addr().String())
	assert.Equal(t, 502, resp.StatusCode)
	assert.Contains(t, body, "nothing listens there")
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	resp, body = get(t, http.DefaultClient, ca.Proxy)
	assert.Equal(t, 400, resp.StatusCode)
	assert.Contains(t, body, "This is Rapid Mimic's proxy port")

	// a protocol of its own goes both ways, and half-closed connections end well
	echo, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer echo.Close()
	go func() {
		conn, err := echo.Accept()
		if err != nil {
			return
		}
		defer conn.Close()
		all, _ := io.ReadAll(conn) // until the other side has said everything
		_, _ = conn.Write(append([]byte("heard "), all...))
	}()
	conn, err := net.Dial("tcp", strings.TrimPrefix(ca.Proxy, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	fmt.Fprintf(conn, "CONNECT %s HTTP/1.1\r\nHost: %[1]s\r\n\r\n", echo.Addr())
	reader := bufio.NewReader(conn)
	answer, err := http.ReadResponse(reader, nil)
	require.NoError(t, err)
	assert.Equal(t, 200, answer.StatusCode)
	fmt.Fprint(conn, "ahoy")
	require.NoError(t, conn.(*net.TCPConn).CloseWrite())
	all, err := io.ReadAll(reader)
	require.NoError(t, err)
	assert.Equal(t, "heard ahoy", string(all))
}

// A probe that goes the way of a program tells where it ended.
func TestReach(t *testing.T) {
	t.Parallel()
	s, _ := proxied(t)
	out, code := runBinary(t, "--url", s.control, "reach", "office")
	assert.Equal(t, 1, code, "this machine does not trust our authority")
	assert.Regexp(t, `(?m)^arrived   http://127\.0\.0\.1:\d+/office  \(address\): 404 by miss, call c-1$`, out)
	assert.Regexp(t, `(?m)^arrived   http://office\.example  \(proxy\): 404 by miss`, out)
	assert.Regexp(t, `(?m)^arrived   https://office\.example  \(proxy, our authority trusted\)`, out)
	assert.Regexp(t, `(?m)^missing   https://office\.example  \(proxy, as this machine trusts\): the certificate is not trusted`, out)
	elsewhere := httptest.NewServer(http.NotFoundHandler())
	defer elsewhere.Close()
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, closed.Close())
	for address, why := range map[string]string{
		elsewhere.URL:                      "something else answers there",
		"http://" + closed.Addr().String(): "nothing listens there",
		s.traffic + "/offce":               "it arrived, and its path names no service",
	} {
		reached, err := s.api.Reach(t.Context(), "office", address)
		require.NoError(t, err)
		assert.False(t, reached[0].Reached)
		assert.Equal(t, why, reached[0].Why, address)
	}
}

// An intercepted host is recorded and played back like any other service.
func TestRecordingThroughTheProxy(t *testing.T) {
	t.Parallel()
	s, client := proxied(t)
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Set-Cookie", "session=s3cret")
		fmt.Fprintf(w, `{"asked": %q, "access_token": "t0ken"}`, r.URL.Path)
	}))
	_, err := s.api.PatchService(t.Context(), "office", []byte(`{"upstream": "`+upstream.URL+`/api"}`))
	require.NoError(t, err)
	started, err := s.api.StartRecording(t.Context(), "office", api.RecordingStart{Name: "through the proxy"})
	require.NoError(t, err)
	_, body := get(t, client, "https://office.example/dues")
	assert.Equal(t, `{"asked": "/api/dues", "access_token": "t0ken"}`, body, "callers get the live values")
	report, err := s.api.StopRecording(t.Context(), "office", started.ID, api.RecordingStop{})
	require.NoError(t, err)
	require.Len(t, report.Mappings, 1)
	upstream.Close()
	resp, body := get(t, client, "https://office.example/dues")
	assert.Regexp(t, `^\{"asked": "/api/dues", "access_token": "secret-[0-9a-f]{32}"\}$`, body, "what is kept betrays nothing")
	assert.Regexp(t, `^session=secret-[0-9a-f]{32}$`, resp.Header.Get("Set-Cookie"))
	har, err := s.api.RecordingHAR(t.Context(), "office", started.ID)
	require.NoError(t, err)
	assert.NotContains(t, string(har), "t0ken")
	assert.NotContains(t, string(har), "s3cret")
}

func TestTheAuthority(t *testing.T) {
	t.Parallel()
	s, _ := proxied(t)
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	block, _ := pem.Decode([]byte(ca.PEM))
	require.NotNil(t, block)
	cert, err := x509.ParseCertificate(block.Bytes)
	require.NoError(t, err)
	assert.True(t, cert.IsCA)
	for file, mode := range map[string]os.FileMode{"authority.key": 0o600, "authority.pem": 0o600} {
		info, err := os.Stat(filepath.Join(s.data, file))
		require.NoError(t, err)
		assert.Equal(t, mode, info.Mode().Perm(), file)
	}
	// it is the same after a restart
	data := s.data
	s.stop()
	again := start(t, config.Config{Data: data, Proxy: "127.0.0.1:0"})
	same, err := again.api.Authority(t.Context())
	require.NoError(t, err)
	assert.Equal(t, ca.PEM, same.PEM)
	// curl, which shares no code with ours, trusts it for what we answer
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	out, err := exec.CommandContext(ctx, "curl", "-sS", "--proxy", same.Proxy, "--cacert", same.File, "https://office.example/berths/N7").CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, `{"number":"N7"}`, string(out))
	out, err = exec.CommandContext(ctx, "curl", "-sS", "--proxy", same.Proxy, "https://office.example/berths/N7").CombinedOutput()
	assert.Error(t, err, "without trust there is no answer: %s", out)
	// what could not be intercepted is in the log, with the reason; a spare connection
	// of a client that is answered is not
	leaveSilently(t, same.Proxy, "office.example:443")
	list, err := again.api.Calls(ctx, client.CallQuery{Text: "CONNECT"})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	refused, err := again.api.Call(ctx, list.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"office", "self", "not-intercepted"}, []string{refused.Service, refused.Source, refused.By})
	assert.Regexp(t, `^A connection to office\.example:443 could not be intercepted: the client refused our certificate`, refused.Explanation.Sentence)
	// fetch of Node, which shares none either
	fetch := exec.CommandContext(ctx, "node", "judges/fetch.mjs", same.Proxy, "https://office.example/berths/N7")
	fetch.Env = append(os.Environ(), "NODE_EXTRA_CA_CERTS="+same.File)
	out, err = fetch.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, "200 {\"number\":\"N7\"}\n", string(out))
	text, code := runBinary(t, "--url", again.control, "ca", "trust-help")
	assert.Zero(t, code)
	assert.Contains(t, text, "--cacert")
}

// leaveSilently has a host secured by the proxy, and closes the connection in the
// handshake.
func leaveSilently(t *testing.T, proxy, host string) {
	conn, err := net.Dial("tcp", strings.TrimPrefix(proxy, "http://"))
	require.NoError(t, err)
	fmt.Fprintf(conn, "CONNECT %s HTTP/1.1\r\nHost: %s\r\n\r\n", host, host)
	_, err = conn.Read(make([]byte, 64))
	require.NoError(t, err)
	require.NoError(t, conn.Close())
}

// Who leaves without a word each time may distrust our certificate, and is told of.
func TestAConnectionThatIsGivenUp(t *testing.T) {
	s, _ := proxied(t)
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	leaveSilently(t, ca.Proxy, "office.example:443")
	require.Eventually(t, func() bool {
		list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "CONNECT"})
		return err == nil && len(list.Items) == 1 && list.Items[0].By == "not-intercepted"
	}, 5*time.Second, 50*time.Millisecond)
}

// A program that calls the real thing says its whole path: several services share a host
// by it, no base path is doubled, and what none of them takes goes where it was meant to.
func TestServicesShareAHost(t *testing.T) {
	t.Parallel()
	s, client := proxied(t)
	real := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, r.URL.Path) }))
	defer real.Close()
	for _, document := range []string{
		`{"name": "slots", "hosts": ["harbour.example/v1"], "upstream": "` + real.URL + `/v1", "mode": "relay"}`,
		`{"name": "notes", "hosts": ["harbour.example/v1/notes"], "upstream": "` + real.URL + `/v1/notes", "mode": "relay"}`,
		`{"name": "dome", "hosts": ["dome.example"], "upstream": "` + real.URL + `/api", "mode": "relay"}`,
	} {
		status, _, body := s.request("POST /services", document)
		require.Equal(t, 201, status, body)
	}
	for address, want := range map[string][2]string{ // what the real thing is asked, and who asks
		"http://harbour.example/v1/slots":    {"/v1/slots", "slots"},
		"https://harbour.example/v1":         {"/v1/", "slots"},
		"https://harbour.example/v1/notes/7": {"/v1/notes/7", "notes"},
		"http://harbour.example/v10":         {"harbour.example was not reached: its host name \"harbour.example\" is not known here.\n", ""},
		"https://harbour.example/elsewhere":  {"harbour.example:443 was not reached: its host name \"harbour.example\" is not known here.\n", ""},
		"http://dome.example/api/dues":       {"/api/dues", "dome"},
		"http://dome.example/dues":           {"/api/dues", "dome"},
	} {
		resp, body := get(t, client, address)
		assert.Equal(t, want[0], body, address)
		id, _, _ := strings.Cut(strings.TrimPrefix(resp.Header.Get("Rapid-Mimic"), "call="), ",")
		if want[1] == "" {
			assert.Empty(t, id, "passed on unread")
			continue
		}
		detail, err := s.api.Call(t.Context(), id)
		require.NoError(t, err)
		assert.Equal(t, want[1], detail.Service, address)
		again, err := exec.Command("sh", "-c", detail.Curl+" --silent").Output()
		require.NoError(t, err, detail.Curl)
		assert.Equal(t, want[0], string(again), "repeated: %s", detail.Curl)
	}
	for hosts, why := range map[string]string{"DOME.example": `host "DOME.example" is listed by service "dome"`, "dome.example/": "or one with a path such as office.example/v1"} {
		status, _, body := s.request("POST /services", `{"name": "other", "hosts": ["`+hosts+`"]}`)
		assert.Equal(t, 422, status)
		assert.Contains(t, fmt.Sprint(body), why)
	}
}
