package sniff

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"io"
	"math/big"
	"net"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func listen(t *testing.T, wait time.Duration) *Listener {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour)}
	raw, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	inner, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	return New(inner, &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{raw}, PrivateKey: key}}, NextProtos: []string{"h2", "http/1.1"}}, wait)
}

// One port answers both, over HTTP/2 where TLS agrees on it; what a call begins with is not lost.
func TestOnePortSpeaksBoth(t *testing.T) {
	l := listen(t, time.Second)
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		_, _ = io.WriteString(w, r.Method+" "+r.URL.Path+" "+string(body)+" "+r.Proto+map[bool]string{true: " over TLS"}[r.TLS != nil])
	})}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(l) }()
	transport := &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}, ForceAttemptHTTP2: true}
	c := &http.Client{Transport: transport}
	for scheme, want := range map[string]string{"http": "POST /a fog HTTP/1.1", "https": "POST /a fog HTTP/2.0 over TLS"} {
		for range 3 {
			req, err := http.NewRequest("POST", scheme+"://"+l.Addr().String()+"/a", io.NopCloser(&once{text: "fog"}))
			require.NoError(t, err)
			resp, err := c.Do(req)
			require.NoError(t, err)
			text, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			assert.Equal(t, want, string(text))
			require.NoError(t, resp.Body.Close())
		}
	}
	transport.CloseIdleConnections()
	require.NoError(t, server.Close())
	assert.ErrorIs(t, <-ended, http.ErrServerClosed)
}

// once is a body that gives its text once.
type once struct{ text string }

func (o *once) Read(b []byte) (int, error) {
	if o.text == "" {
		return 0, io.EOF
	}
	n := copy(b, o.text)
	o.text = o.text[n:]
	return n, nil
}

// Who says nothing keeps no other waiting, and is gone after a while; a closed listener accepts
// nothing more.
func TestWhoSaysNothing(t *testing.T) {
	l := listen(t, 100*time.Millisecond)
	silent, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer silent.Close()
	speaks, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer speaks.Close()
	_, err = speaks.Write([]byte("G"))
	require.NoError(t, err)
	accepted, err := l.Accept()
	require.NoError(t, err)
	defer accepted.Close()
	assert.Equal(t, speaks.LocalAddr().String(), accepted.RemoteAddr().String())
	b := make([]byte, 1)
	n, err := accepted.Read(b)
	require.NoError(t, err)
	assert.Equal(t, "G", string(b[:n]))
	require.NoError(t, silent.SetReadDeadline(time.Now().Add(5*time.Second)))
	_, err = silent.Read(b)
	assert.ErrorIs(t, err, io.EOF)
	require.NoError(t, l.Close())
	_, err = l.Accept()
	assert.ErrorIs(t, err, net.ErrClosed)
}
